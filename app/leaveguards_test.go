package app_test

import (
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/leave"
	"manudex/core/when"
	"manudex/dbtest"
)

// Every "no" of leave: of who may, and of what can't be.
func TestRefusedLeave(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, orla, wren, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Wren Halloran"), w.Person(t,
		"Dao Pham")
	annual, sick := dbtest.Get[uuid.UUID](t, w, `select id from leave_kind where name = 'Annual leave'`),
		dbtest.Get[uuid.UUID](t, w, `select id from leave_kind where name = 'Sick leave'`)
	closed := leave.PutLeaveKind{ID: apptest.NewID(), Name: "Jury", PayCode: "JURY", Low: "warn", Few: "warn", Closed: true}
	apptest.Must(t, w.Do(ctx, mira, closed))
	apptest.Must(t, w.Do(ctx, mira, leave.PutLeaveKind{ID: sick, Name: "Sick leave", Paid: true, PayCode: "SICK", NoteNeeded: true,
		Low: "refuse", Few: "warn"}))
	day := when.NewDate(2026, 11, 16)
	ask := func(change func(*leave.AskLeave)) leave.AskLeave {
		a := leave.AskLeave{ID: apptest.NewID(), Kind: annual, Days: when.Period{From: day, To: day}}
		if change != nil {
			change(&a)
		}
		return a
	}
	mine := ask(nil)
	apptest.Must(t, w.Do(ctx, dao, mine))
	past := ask(func(a *leave.AskLeave) { a.Days = when.Period{From: day + 1, To: day + 1} })
	apptest.Must(t, w.Do(ctx, dao, past))
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{past.ID}, Why: "all hands"}))
	if _, err := w.DB.Exec(`insert into grant_given (id, person_id, what, unit_id) values ($1, $2, 'manage_leave', $3)`, apptest.NewID(),
		wren.ID, *wren.Unit); err != nil {
		t.Fatal(err)
	}
	wren = w.Person(t, "Wren Halloran")
	wrens := ask(nil)
	apptest.Must(t, w.Do(ctx, wren, wrens))
	twice := ask(nil)
	if _, err := w.DB.Exec(`insert into leave_request (id, employment_id, kind_id, asked_by, asked_at)
		select $1, employment_id, kind_id, asked_by, asked_at from leave_request where id = $2`, twice.ID, mine.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`insert into leave_request_day (request_id, employment_id, date, seconds) values ($1, $2, $3, 3600)`, twice.ID,
		*dao.Employment, day.String()); err != nil {
		t.Fatal(err)
	}
	paid := dbtest.Get[when.Date](t, w,
		`select max(date) from card where employment_id = $1 and state = 'paid' and expected > 0 and leave = 0`,
		*dao.Employment)
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: annual, Name: "a month", Policy: []byte(`{"earn": {"every": "month",
		"day": 31, "amount": "8"}}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	put := func(change func(*leave.AdjustLeave)) leave.AdjustLeave {
		a := leave.AdjustLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: annual, Date: day, Amount: "8", Why: "a grant"}
		change(&a)
		return a
	}
	give := func(change func(*leave.GiveLeavePolicy)) leave.GiveLeavePolicy {
		g := leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, From: day - 10, Opening: "0"}
		change(&g)
		return g
	}
	add := func(change func(*leave.PutLeavePolicy)) leave.PutLeavePolicy {
		p := policy
		p.ID = apptest.NewID()
		change(&p)
		return p
	}
	empty := apptest.NewID()
	if _, err := w.DB.Exec(`insert into unit (id, name, kind) values ($1, 'Nobody', 'crew')`, empty); err != nil {
		t.Fatal(err)
	}
	for _, row := range []refused{
		{wren, policy, "forbidden"},
		{mira, add(func(p *leave.PutLeavePolicy) {}), "already"},
		{mira, add(func(p *leave.PutLeavePolicy) { p.Name = " " }), "needs a name"},
		{mira, add(func(p *leave.PutLeavePolicy) { p.Name = long(81) }), "needs a name"},
		{mira, add(func(p *leave.PutLeavePolicy) { p.Kind = uuid.New() }), "not found"},
		{mira, add(func(p *leave.PutLeavePolicy) { p.Policy = []byte(`{"cap": "x"}`) }), "The policy says"},
		{wren, give(func(*leave.GiveLeavePolicy) {}), "forbidden"},
		{mira, give(func(g *leave.GiveLeavePolicy) { g.Policy = uuid.New() }), "not found"},
		{mira, give(func(g *leave.GiveLeavePolicy) { g.Opening = "much" }), "no balance"},
		{mira, give(func(g *leave.GiveLeavePolicy) { g.From = day + 30 }), "no day on which"},
		{mira, give(func(g *leave.GiveLeavePolicy) { g.From = day - 4*366 }), "no day on which"},
		{mira, give(func(g *leave.GiveLeavePolicy) { g.Unit = empty }), "Nobody but yourself"},
		{dao, put(func(*leave.AdjustLeave) {}), "forbidden"},
		{wren, put(func(*leave.AdjustLeave) {}), "not found"}, // of another crew
		{mira, put(func(a *leave.AdjustLeave) { a.Employment = uuid.New() }), "not found"},
		{wren, put(func(a *leave.AdjustLeave) { a.Employment = *wren.Employment }), "your own leave"},
		{mira, put(func(a *leave.AdjustLeave) { a.Kind = uuid.New() }), "not found"},
		{mira, put(func(a *leave.AdjustLeave) { a.Amount = "0" }), "no number of hours"},
		{mira, put(func(a *leave.AdjustLeave) { a.Amount = "lots" }), "no number of hours"},
		{mira, put(func(a *leave.AdjustLeave) { a.Why = " " }), "no reason"},
		{mira, put(func(a *leave.AdjustLeave) { a.Why = long(501) }), "no reason"},
		{mira, put(func(a *leave.AdjustLeave) { a.Date = day + 600 }), "too far away"},
		{mira, put(func(a *leave.AdjustLeave) { a.Date = day - 4*366 }), "too far away"},
		{orla, ask(nil), "not found"}, // has no position
		{dao, ask(func(a *leave.AskLeave) { a.Employment = *wren.Employment }), "not found"},
		{wren, ask(func(a *leave.AskLeave) { a.Employment = *dao.Employment }), "not found"},
		{mira, ask(func(a *leave.AskLeave) { a.Employment = uuid.New() }), "not found"},
		{dao, ask(func(a *leave.AskLeave) { a.Kind = uuid.New() }), "not found"},
		{dao, ask(func(a *leave.AskLeave) { a.ID = wrens.ID }), "conflict"},
		{dao, ask(func(a *leave.AskLeave) { a.Kind = closed.ID }), "be asked for any more"},
		{dao, ask(func(a *leave.AskLeave) { a.Days.To = day - 1 }), "no span of days"},
		{dao, ask(func(a *leave.AskLeave) { a.Days.To = day + 400 }), "no span of days"},
		{dao, ask(func(a *leave.AskLeave) { a.Days = when.Period{From: day + 600, To: day + 600} }), "too far ahead"},
		{dao, ask(func(a *leave.AskLeave) { a.Seconds = -1 }), "no number of hours"},
		{dao, ask(func(a *leave.AskLeave) { a.Seconds = 86401 }), "no number of hours"},
		{dao, ask(func(a *leave.AskLeave) { a.Kind = sick }), "needs a note"},
		{dao, ask(func(a *leave.AskLeave) { a.Note = long(501) }), "note is too long"},
		{dao, ask(nil), "asked for already"},
		{dao, ask(func(a *leave.AskLeave) { a.Days = when.Period{From: day + 1, To: day + 31} }), "the balance would be"},
		{dao, ask(func(a *leave.AskLeave) { a.Days = when.Period{From: paid, To: paid} }), "is paid already"},
		{dao, leave.WithdrawLeave{Request: wrens.ID}, "not found"},
		{dao, leave.WithdrawLeave{Request: uuid.New()}, "not found"},
		{dao, leave.WithdrawLeave{Request: past.ID}, "was declined"},
		{dao, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}, Approve: true}, "forbidden"},
		{wren, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}, Approve: true}, "not found"},
		{wren, leave.DecideLeave{Requests: []uuid.UUID{wrens.ID}, Approve: true}, "asked for this yourself"},
		{wren, leave.ReopenLeave{Requests: []uuid.UUID{wrens.ID}}, "asked for this yourself"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{uuid.New()}, Approve: true}, "not found"},
		{mira, leave.DecideLeave{Approve: true}, "Nothing is chosen"},
		{mira, leave.DecideLeave{Requests: make([]uuid.UUID, 501), Approve: true}, "Nothing is chosen"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}}, "no reason"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}, Why: long(501)}, "no reason"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{past.ID}, Approve: true}, "decided already"},
		{mira, leave.ReopenLeave{Requests: []uuid.UUID{mine.ID}}, "decided"},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{mine.ID}, Approve: true}, ""},
		{mira, leave.DecideLeave{Requests: []uuid.UUID{twice.ID}, Approve: true}, "is leave already"},
		{wren, leave.PutLeaveKind{ID: apptest.NewID(), Name: "X", PayCode: "X"}, "forbidden"},
		{mira, leave.PutLeaveKind{ID: apptest.NewID(), Name: " ", PayCode: "X"}, "needs a name"},
		{mira, leave.PutLeaveKind{ID: apptest.NewID(), Name: long(41), PayCode: "X"}, "needs a name"},
		{mira, leave.PutLeaveKind{ID: apptest.NewID(), Name: "X", PayCode: "A B"}, "pay code"},
		{mira, leave.PutLeaveKind{ID: apptest.NewID(), Name: "X", PayCode: long(21)}, "pay code"},
		{mira, leave.PutLeaveKind{ID: apptest.NewID(), Name: "X"}, "pay code"},
		{mira, leave.PutLeaveKind{ID: apptest.NewID(), Name: "Annual leave", PayCode: "X", Low: "warn", Few: "warn"}, "already"},
	} {
		row.try(t, w)
	}
	w.Set(w.At().AddDate(0, 0, 4))
	refused{w.Person(t, "Dao Pham"), leave.WithdrawLeave{Request: mine.ID}, "has begun"}.try(t, w)
}
