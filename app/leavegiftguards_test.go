package app_test

import (
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/leave"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
)

// Every "no" of days without leave, of how many have to be left, of what bars leave, and of leave
// that is changed or asked back.
func TestRefusedByTheCrew(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, orla, wren, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Wren Halloran"), w.Person(t,
		"Dao Pham")
	annual := leave.PutLeaveKind{ID: dbtest.Get[uuid.UUID](t, w, `select id from leave_kind where name = 'Annual leave'`),
		Name: "Annual leave", Paid: true, PayCode: "PTO", Low: "refuse", Few: "refuse"}
	doctor := leave.PutLeaveKind{ID: apptest.NewID(), Name: "Doctor", PayCode: "DOC", Low: "warn", Few: "warn", Photo: true}
	apptest.Must(t, w.Do(ctx, mira, annual))
	apptest.Must(t, w.Do(ctx, mira, doctor))
	day := when.NewDate(2026, 11, 16)
	on := func(d when.Date) when.Period { return when.Period{From: d, To: d} }
	ask := func(d when.Date) leave.AskLeave {
		return leave.AskLeave{ID: apptest.NewID(), Kind: annual.ID, Days: on(d)}
	}
	window := func(change func(*leave.PutWindow)) leave.PutWindow {
		p := leave.PutWindow{ID: apptest.NewID(), Name: "Launch", Days: on(day + 2), Unit: *dao.Unit, Closed: true}
		change(&p)
		return p
	}
	kindWith := func(change func(*leave.PutLeaveKind)) leave.PutLeaveKind {
		k := annual
		change(&k)
		return k
	}
	mine, wrens, declined := ask(day), ask(day), ask(day+1)
	apptest.Must(t, w.Do(ctx, dao, mine))
	apptest.Must(t, w.Do(ctx, wren, wrens))
	apptest.Must(t, w.Do(ctx, dao, declined))
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{declined.ID}, Why: "all hands"}))
	instead := func(of uuid.UUID) leave.AskLeave {
		a := ask(day + 3)
		a.Instead = of
		return a
	}
	give := leave.GiveLeavePolicy{ID: apptest.NewID(), From: day - 10, Employment: *dao.Employment,
		Policy: dbtest.Get[uuid.UUID](t, w, `select id from leave_policy where kind_id = $1`, annual.ID)}
	own := func(change func(*leave.GiveLeavePolicy)) leave.GiveLeavePolicy {
		g := give
		change(&g)
		return g
	}
	for _, row := range []refused{
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.Low = "" }), "isn’t said"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.Few = "perhaps" }), "isn’t said"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.InDays = true }), "is used already"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.RateBy = "much" }), "no rate of leave"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.RateWeeks = 105 }), "no number of paid weeks"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.RateWeeks = -1 }), "no number of paid weeks"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.ID, k.Name, k.InDays, k.Banks = apptest.NewID(), "Banks", true, true }),
			"is hours"},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.ID, k.Name, k.Banks = apptest.NewID(), "Banks", true }), ""},
		{mira, kindWith(func(k *leave.PutLeaveKind) { k.ID, k.Name, k.Banks = apptest.NewID(), "More", true }), "another kind already"},
		{dao, window(func(*leave.PutWindow) {}), "forbidden"},
		{mira, window(func(p *leave.PutWindow) { p.Name = " " }), "isn’t said"},
		{mira, window(func(p *leave.PutWindow) { p.Name = long(61) }), "isn’t said"},
		{mira, window(func(p *leave.PutWindow) { p.Days.To = day }), "no span of days"},
		{mira, window(func(p *leave.PutWindow) { p.Days.To = day + 400 }), "no span of days"},
		{mira, window(func(p *leave.PutWindow) { p.Unit = uuid.New() }), "not found"},
		{dao, leave.DropWindow{Window: uuid.New()}, "forbidden"},
		{mira, leave.DropWindow{Window: uuid.New()}, "not found"},
		{dao, leave.PutLeast{Of: *dao.Unit, Least: 2}, "forbidden"},
		{mira, leave.PutLeast{Of: *dao.Unit, Least: -1}, "no number of people"},
		{mira, leave.PutLeast{Of: *dao.Unit, Least: 1001}, "no number of people"},
		{mira, leave.PutLeast{Of: uuid.New(), Least: 2}, "not found"},
		{mira, leave.PutLeast{Of: *dao.Unit, Site: true, Least: 2}, "not found"}, // it is no site
		{dao, leave.AskLeave{ID: apptest.NewID(), Kind: doctor.ID, Days: on(day + 3)}, "needs a picture"},
		{dao, leave.AskLeave{ID: apptest.NewID(), Kind: doctor.ID, Days: on(day + 3), Photo: files.Photo{JPEG: []byte("x"), Width: 1,
			Height: 1}}, ""},
		{dao, instead(wrens.ID), "not found"},
		{dao, instead(uuid.New()), "not found"},
		{dao, instead(declined.ID), "was declined"},
		{mira, own(func(g *leave.GiveLeavePolicy) { g.Own, g.Employment = []byte(`{"cap": "4"}`), uuid.Nil }), "one person’s"},
		{mira, own(func(g *leave.GiveLeavePolicy) { g.Own = []byte(`{"cap"`) }), "can’t be read"},
		{mira, own(func(g *leave.GiveLeavePolicy) { g.Own = []byte(`{"cap": "x"}`) }), "The policy says"},
		{mira, own(func(g *leave.GiveLeavePolicy) { g.Employment = uuid.New() }), "not found"},
		{mira, leave.BookDueLeave{Employments: []uuid.UUID{*dao.Employment}}, "forbidden"},
		{mira, roster.TellPlace{Place: uuid.New()}, "forbidden"},
		{dao, leave.TellLosing{Employments: []uuid.UUID{*dao.Employment}}, "forbidden"},
		{mira, leave.TellLosing{}, "Nobody is chosen"},
		{mira, leave.TellLosing{Employments: make([]uuid.UUID, 5001)}, "Nobody is chosen"},
		{mira, window(func(*leave.PutWindow) {}), ""},
		{dao, ask(day + 2), "nobody takes leave then: Launch"},
		{mira, leave.PutLeast{Of: *dao.Unit, Least: 10}, ""},
		{dao, ask(day + 4), "10 have to be"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}, Approve: true}, "10 have to be"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}, Approve: true, Anyway: true}, ""},
	} {
		row.try(t, w)
	}
	if _, err := w.DB.Exec(`insert into grant_given (id, person_id, what, unit_id) values ($1, $2, 'manage_leave', $3)`, apptest.NewID(),
		wren.ID, *wren.Unit); err != nil {
		t.Fatal(err)
	}
	wren = w.Person(t, "Wren Halloran")
	refused{wren, leave.TellLosing{Employments: []uuid.UUID{*dao.Employment}}, "not found"}.try(t, w)
	give.Employment = *wren.Employment
	wren.Level = "manager"
	refused{wren, give, "your own leave"}.try(t, w)
	refused{orla, give, ""}.try(t, w)
	w.Set(w.At().AddDate(0, 0, 4))
	dao = w.Person(t, "Dao Pham")
	for _, row := range []refused{
		{dao, leave.WithdrawLeave{Request: mine.ID}, "has begun"},
		{dao, leave.WithdrawLeave{Request: mine.ID, Why: long(501)}, "reason is too long"},
		{dao, instead(mine.ID), "has begun"},
		{dao, leave.WithdrawLeave{Request: mine.ID, Why: "I came"}, ""},
	} {
		row.try(t, w)
	}
}

// Every "no" of leave that is given to a colleague.
func TestRefusedGifts(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, orla, wren, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Wren Halloran"), w.Person(t,
		"Dao Pham")
	annual := leave.PutLeaveKind{ID: dbtest.Get[uuid.UUID](t, w, `select id from leave_kind where name = 'Annual leave'`),
		Name: "Annual leave", Paid: true, PayCode: "PTO", Low: "refuse", Few: "warn", MayGive: true}
	spare := leave.PutLeaveKind{ID: apptest.NewID(), Name: "Spare", PayCode: "SP", Low: "warn", Few: "warn", MayGive: true}
	apptest.Must(t, w.Do(ctx, mira, annual))
	apptest.Must(t, w.Do(ctx, mira, spare))
	mate := dbtest.Get[string](t, w, `select p.number from person p join employment e on e.person_id = p.id
		where e.unit_id = $1 and p.id <> $2 order by p.number limit 1`, *dao.Unit, dao.ID)
	mateOf := dbtest.Get[uuid.UUID](t, w, `select e.id from person p join employment e on e.person_id = p.id where p.number = $1`, mate)
	matePerson := dbtest.Get[uuid.UUID](t, w, `select id from person where number = $1`, mate)
	give := func(change func(*leave.GiveLeave)) leave.GiveLeave {
		g := leave.GiveLeave{ID: apptest.NewID(), Kind: annual.ID, To: mate, Amount: "8"}
		change(&g)
		return g
	}
	mine := give(func(*leave.GiveLeave) {})
	apptest.Must(t, w.Do(ctx, dao, mine))
	back := give(func(*leave.GiveLeave) {})
	apptest.Must(t, w.Do(ctx, dao, back))
	if _, err := w.DB.Exec(`insert into grant_given (id, person_id, what, unit_id) values ($1, $2, 'manage_leave', $3)`, apptest.NewID(),
		wren.ID, *wren.Unit); err != nil {
		t.Fatal(err)
	}
	wren = w.Person(t, "Wren Halloran")
	spareOnly := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: spare.ID, Name: "Spare", Policy: []byte(`{}`)}
	apptest.Must(t, w.Do(ctx, mira, spareOnly))
	dontHave := give(func(g *leave.GiveLeave) { g.Kind = spare.ID })
	giver, receiver := dao, dao // as if they managed leave
	giver.Level, receiver.Level, receiver.ID = "manager", "manager", matePerson
	for _, row := range []refused{
		{orla, give(func(*leave.GiveLeave) {}), "not found"}, // has no position
		{dao, give(func(g *leave.GiveLeave) { g.Kind = uuid.New() }), "not found"},
		{dao, give(func(g *leave.GiveLeave) {
			g.Kind = dbtest.Get[uuid.UUID](t, w, `select id from leave_kind where name = 'Sick leave'`)
		}), "be given to others"},
		{dao, give(func(g *leave.GiveLeave) { g.Amount = "some" }), "no amount"},
		{dao, give(func(g *leave.GiveLeave) { g.Amount = "-8" }), "no amount"},
		{dao, give(func(g *leave.GiveLeave) { g.Note = long(501) }), "note is too long"},
		{dao, give(func(g *leave.GiveLeave) { g.To = wren.Number }), "Nobody of your crew"},
		{dao, give(func(g *leave.GiveLeave) { g.To = dao.Number }), "That is you"},
		{dao, give(func(g *leave.GiveLeave) { g.Amount = "400" }), "that much to give"},
		{dao, dontHave, "You have no balance"},
		{mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: spareOnly.ID, Employment: *dao.Employment, From: when.NewDate(2026,
			11, 1),
			Opening: "20"}, ""},
		{dao, dontHave, "They have no balance"},
		{dao, leave.DecideGift{Gift: mine.ID, Approve: true}, "forbidden"},
		{wren, leave.DecideGift{Gift: mine.ID, Approve: true}, "not found"}, // of another crew
		{mira, leave.DecideGift{Gift: uuid.New(), Approve: true}, "not found"},
		{mira, leave.DecideGift{Gift: mine.ID}, "no reason"},
		{mira, leave.DecideGift{Gift: mine.ID, Why: long(501)}, "no reason"},
		{giver, leave.DecideGift{Gift: mine.ID, Approve: true}, "your own leave"},
		{receiver, leave.DecideGift{Gift: mine.ID, Approve: true}, "your own leave"},
		{wren, leave.TakeGiftBack{Gift: mine.ID}, "not found"},
		{dao, leave.TakeGiftBack{Gift: uuid.New()}, "not found"},
		{mira, leave.AdjustLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: annual.ID, Date: when.NewDate(2026, 11, 1),
			Amount: "-300", Why: "a slip"}, ""},
		{mira, leave.DecideGift{Gift: mine.ID, Approve: true}, "that much to give"}, // any more
		{mira, leave.AdjustLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: annual.ID, Date: when.NewDate(2026, 11, 1),
			Amount: "300", Why: "put right"}, ""},
		{mira, leave.DecideGift{Gift: mine.ID, Approve: true}, ""},
		{mira, leave.DecideGift{Gift: mine.ID, Approve: true}, "decided already"},
		{dao, leave.TakeGiftBack{Gift: mine.ID}, "decided already"},
		{dao, leave.TakeGiftBack{Gift: back.ID}, ""},
		{dao, leave.TakeGiftBack{Gift: back.ID}, ""}, // sent again
	} {
		row.try(t, w)
	}
	for _, of := range []struct {
		employment uuid.UUID
		what, want string
	}{{*dao.Employment, "give", "-8.000000"}, {mateOf, "receive", "8.000000"}} {
		if got := dbtest.Get[string](t, w, `select coalesce(sum(amount)::text, 'nothing') from leave_line where employment_id = $1
			and what = $2`, of.employment, of.what); got != of.want {
			t.Errorf("%s comes to %s, want %s", of.what, got, of.want)
		}
	}
}
