package app_test

import (
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/roster"
	"manudex/core/clock"
	core "manudex/core/roster"
	"manudex/core/when"
	"manudex/dbtest"
)

// Every "no" of the plan: of who may, and of what can't be.
func TestRefusedPlans(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, wren, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran"), w.Person(t, "Dao Pham")
	day, id := when.NewDate(2026, 11, 15), apptest.NewID
	at := func(d when.Date, from, to int) roster.When {
		return roster.When{Date: d, From: time.Duration(from) * time.Hour, To: time.Duration(to) * time.Hour}
	}
	plan := func(of uuid.UUID, change func(*roster.PlanShift)) roster.PlanShift {
		p := roster.PlanShift{ID: id(), Employment: of, When: at(day, 8, 12)}
		if change != nil {
			change(&p)
		}
		return p
	}
	mine, shop := *wren.Employment, *dao.Employment
	own := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = '2026-11-16'`, mine)
	other := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = '2026-11-16'`, shop)
	over := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = '2026-11-12'`, mine)
	when1 := at(day+1, 8, 12)
	sent := plan(mine, nil)
	apptest.Must(t, w.Do(ctx, wren, sent))
	moved := at(day, 9, 13)
	apptest.Must(t, w.Do(ctx, wren, roster.ChangeShift{Batch: id(), Shift: sent.ID, When: &moved}))
	theirs := sent
	theirs.When = at(day, 9, 10)
	keep := roster.KeepUsual{ID: id(), Unit: *wren.Unit, Name: "Winter", Week: day}
	apptest.Must(t, w.Do(ctx, wren, keep))
	if _, err := w.DB.Exec(`update employment set reporting = 'pattern' where id = $1`, *w.Person(t,
		"Ines Okonjo").Employment); err != nil {
		t.Fatal(err)
	}
	ines := w.Person(t, "Ines Okonjo")
	days := when.Period{From: day, To: day + 6}
	tell := func(of uuid.UUID, seen string) roster.Tell {
		return roster.Tell{ID: id(), Days: days, Whom: []roster.Whom{{Employment: of, Seen: seen}}}
	}
	otherWeek := func() roster.KeepUsual { k := keep; k.Week = day + 700; return k }()
	nameless, endless, foreign := keep, keep, keep
	nameless.Name, endless.Name, foreign.Unit = " ", long(41), *dao.Unit
	gone := roster.LayUsual{Batch: id(), Usual: keep.ID, Week: day}
	for _, row := range []refused{
		{dao, plan(shop, nil), "forbidden"},
		{wren, plan(shop, nil), "not found"},
		{wren, plan(uuid.New(), nil), "not found"},
		{mira, theirs, "conflict"},
		{ines, plan(*ines.Employment, nil), "paid by your plan"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.Of = other }), "not found"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.Of = uuid.New() }), "not found"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.When = at(day-3, 8, 12) }), "What is over"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.When = at(day+500, 8, 12) }), "more than a year"},
		{wren, plan(mine, func(p *roster.PlanShift) {
			p.When = roster.When{Start: w.At().Add(9 * time.Hour),
				End: w.At().Add(8 * time.Hour)}
		}),
			"ends before it begins"},
		{wren, plan(mine, func(p *roster.PlanShift) {
			p.When = roster.When{Start: w.At().Add(time.Hour),
				End: w.At().Add(26 * time.Hour)}
		}),
			"longer than a day"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.Less = -1 }), "unpaid breaks"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.Less = 4 * 3600 }), "unpaid breaks"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.When, p.Less = at(day, 2, 12), 5*3600 }), "unpaid breaks"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.Note = long(201) }), "note is too long"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.On = clock.Assignment{Job: uuid.New()} }), "not found"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.On = clock.Assignment{Task: uuid.New()} }), "not found"},
		{wren, plan(mine, func(p *roster.PlanShift) { p.When = at(day+1, 8, 12) }), "planned twice"},
		{wren, roster.ChangeShift{Batch: id(), Shift: other, When: &when1}, "not found"},
		{wren, roster.ChangeShift{Batch: id(), Shift: uuid.New(), When: &when1}, "not found"},
		{wren, roster.ChangeShift{Batch: id(), Shift: own, Employment: &shop}, "not found"},
		{wren, roster.ChangeShift{Batch: id(), Shift: over, When: &when1}, "What is over"},
		{wren, roster.ChangeShift{Batch: id(), Shift: own, Seen: w.At().Add(-time.Hour), When: &when1}, "Somebody else changed"},
		{wren, roster.DropShifts{Batch: id(), Shifts: []uuid.UUID{own, other}}, "not found"},
		{wren, roster.DropShifts{Batch: id(), Shifts: []uuid.UUID{uuid.New()}}, "not found"},
		{wren, roster.DropShifts{Batch: id(), Shifts: []uuid.UUID{over}}, "What is over"},
		{wren, roster.DropShifts{Batch: id(), Shifts: make([]uuid.UUID, 5001)}, "too much"},
		{wren, roster.CopyDays{Batch: id(), Days: days, To: day + 7}, "nothing to copy"},
		{wren, roster.CopyDays{Batch: id(), Days: when.Period{From: day, To: day + 40}, To: day + 70,
			Employments: []uuid.UUID{mine}}, "nothing to copy"},
		{wren, roster.CopyDays{Batch: id(), Days: when.Period{From: day + 1, To: day}, To: day + 70, Employments: []uuid.UUID{mine}},
			"nothing to copy"},
		{wren, roster.CopyDays{Batch: id(), Days: days, To: day + 3, Employments: []uuid.UUID{mine}}, "onto themselves"},
		{wren, roster.CopyDays{Batch: id(), Days: days, To: day + 7, Employments: []uuid.UUID{shop}}, "not found"},
		{wren, roster.CopyDays{Batch: id(), Days: when.Period{From: day + 300, To: day + 306}, To: day + 310,
			Employments: []uuid.UUID{mine}},
			"nothing to copy"},
		{wren, foreign, "not found"}, {wren, nameless, "missing or too long"}, {wren, endless, "missing or too long"},
		{wren, otherWeek, "Nothing is planned"},
		{ines, gone, "not found"},
		{wren, roster.LayUsual{Batch: id(), Usual: uuid.New(), Week: day}, "not found"},
		{wren, roster.LayUsual{Batch: id(), Usual: keep.ID, Week: day}, "planned already"},
		{ines, roster.DropUsual{Usual: keep.ID}, "not found"},
		{wren, roster.DropUsual{Usual: uuid.New()}, "not found"},
		{wren, roster.Tell{ID: id(), Days: days}, "Nobody is chosen"},
		{wren, roster.Tell{ID: id(), Days: days, Whom: make([]roster.Whom, 5001)}, "Nobody is chosen"},
		{wren, tell(shop, ""), "not found"},
		{wren, tell(mine, "x"), "changed while you were looking"},
		{mira, tell(shop, roster.Digest(nil)), "knows already"},
		{wren, app.Undo{Batch: uuid.New()}, "not found"},
		{wren, app.Undo{Batch: sent.ID}, "changed since"},
		{wren, roster.CopyDays{Batch: id(), Days: days, To: day + 7, Employments: make([]uuid.UUID, 5001)}, "too much"},
		{wren, roster.PutRule{Code: core.ShortRest, Does: core.Warns, Figure: 9}, "forbidden"},
		{mira, roster.PutRule{Code: "x", Does: core.Warns}, "not found"},
		{mira, roster.PutRule{Code: core.ShortRest, Does: "x"}, "not found"},
		{mira, roster.PutRule{Code: core.Twice, Does: core.Off}, "always holds"},
		{mira, roster.PutRule{Code: core.OnLeave, Does: core.Warns, Figure: 3}, "not found"},
		{mira, roster.PutRule{Code: core.ShortRest, Does: core.Warns}, "no number of hours"},
		{mira, roster.PutRule{Code: core.ShortRest, Does: core.Warns, Figure: 201}, "no number of hours"},
		{mira, roster.PutRule{Code: core.ShortRest, Does: core.Warns, Figure: 11, Span: 2}, "not found"},
		{mira, roster.PutRule{Code: core.OnAverage, Does: core.Warns, Figure: 48}, "no number of weeks"},
		{mira, roster.PutRule{Code: core.OnAverage, Does: core.Warns, Figure: 48, Span: 53}, "no number of weeks"},
		{wren, roster.Want{}, "forbidden"},
		{mira, roster.Want{Job: uuid.New(), Days: days, People: 2, Weekdays: []time.Weekday{1}}, "not found"},
		{mira, roster.Want{Days: days, People: -1, Weekdays: []time.Weekday{1}}, "no number of people"},
		{mira, roster.Want{Days: days, People: 1001, Weekdays: []time.Weekday{1}}, "no number of people"},
		{mira, roster.Want{Days: days, People: 2}, "such a weekday"},
		{mira, roster.Want{Days: when.Period{From: day, To: day + 3000}, People: 2, Weekdays: []time.Weekday{1}}, "more than a year"},
		{wren, sent, ""}, // sent again it is answered as before
	} {
		row.try(t, w)
	}
	if _, err := w.DB.Exec(`update employment set ends_on = '2026-12-31' where unit_id = $1`, *wren.Unit); err != nil {
		t.Fatal(err)
	}
	for _, row := range []refused{
		{mira, roster.LayUsual{Batch: id(), Usual: keep.ID, Week: day + 70}, "Nobody of this crew"},
		{mira, plan(mine, func(p *roster.PlanShift) { p.When = at(day+70, 8, 12) }), "doesn’t work here that day"},
	} {
		row.try(t, w)
	}
}

// Every "no" of open places.
func TestRefusedPlaces(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren, tomasz, dao, mira := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt"), w.Person(t, "Dao Pham"),
		w.Person(t, "Mira Castellane")
	id, day := apptest.NewID, when.NewDate(2026, 11, 21)
	if _, err := w.DB.Exec(`delete from job_tag`); err != nil {
		t.Fatal(err)
	}
	open := func(unit uuid.UUID, change func(*roster.OpenPlace)) roster.OpenPlace {
		p := roster.OpenPlace{ID: id(), Unit: unit, Wanted: 1, When: roster.When{Date: day, From: 14 * time.Hour, To: 18 * time.Hour}}
		if change != nil {
			change(&p)
		}
		return p
	}
	mine := open(*wren.Unit, nil)
	apptest.Must(t, w.Do(ctx, wren, mine))
	asked := roster.AskForPlace{ID: id(), Place: mine.ID}
	apptest.Must(t, w.Do(ctx, tomasz, asked))
	own := roster.AskForPlace{ID: id(), Place: mine.ID}
	apptest.Must(t, w.Do(ctx, wren, own))
	busy := open(*wren.Unit, func(p *roster.OpenPlace) {
		p.When = roster.When{Date: day - 5, From: 8 * time.Hour, To: 12 * time.Hour}
	})
	apptest.Must(t, w.Do(ctx, wren, busy))
	closed := open(*wren.Unit, nil)
	apptest.Must(t, w.Do(ctx, wren, closed))
	apptest.Must(t, w.Do(ctx, wren, roster.ClosePlace{Place: closed.ID}))
	shift := func(name, date string) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w,
			`select s.id from shift s join employment e on e.id = s.employment_id join person p on p.id = e.person_id
			where p.given_name = $1 and s.date = $2`, name, date)
	}
	offered := roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-18"), To: *wren.Employment}
	if _, err := w.DB.Exec(`delete from planned where employment_id = $1 and date = '2026-11-18'`, *wren.Employment); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, tomasz, offered))
	if _, err := w.DB.Exec(`delete from shift where employment_id = $1 and date = '2026-11-18'`, *wren.Employment); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, tomasz, roster.SayingSick{ID: id(), Shift: shift("Tomasz", "2026-11-13")}))
	orla := w.Person(t, "Orla Ebbwater") // has no position
	told := func(date string) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w,
			`insert into shift_told (id, shift_id, employment_id, date, is_now, told_at, by_person, notice_id,
			ahead_seconds) select $1, id, employment_id, date, jsonb_build_object('employment', employment_id, 'date', date, 'start',
				start_at,
			'end', end_at), $2, $3, $1, 1 from shift where id = $4 returning id`, id(), w.At(), mira.ID, shift("Tomasz", date))
	}
	changed, begun := told("2026-11-19"), told("2026-11-13")
	for _, row := range []refused{
		{dao, open(*dao.Unit, nil), "forbidden"},
		{wren, open(*dao.Unit, nil), "not found"},
		{wren, open(*wren.Unit, func(p *roster.OpenPlace) { p.Wanted = 0 }), "no number of people"},
		{wren, open(*wren.Unit, func(p *roster.OpenPlace) { p.Wanted = 201 }), "no number of people"},
		{wren, open(*wren.Unit, func(p *roster.OpenPlace) { p.When.Date = day - 20 }), "What is over"},
		{wren, open(*wren.Unit, func(p *roster.OpenPlace) { p.On = clock.Assignment{Job: uuid.New()} }), "not found"},
		{w.Person(t, "Ines Okonjo"), roster.ClosePlace{Place: mine.ID}, "not found"},
		{wren, roster.ClosePlace{Place: uuid.New()}, "not found"},
		{orla, roster.AskForPlace{ID: id(), Place: mine.ID}, "not found"},
		{dao, roster.AskForPlace{ID: id(), Place: uuid.New()}, "not found"},
		{dao, roster.AskForPlace{ID: id(), Place: offered.ID}, "not found"},
		{dao, roster.AskForPlace{ID: id(), Place: closed.ID}, "isn’t open any more"},
		{dao, roster.AskForPlace{ID: id(), Place: busy.ID}, "can’t have this shift"},
		{wren, roster.GivePlace{Ask: own.ID}, "asked for this yourself"},
		{wren, roster.DeclineAsk{Ask: own.ID, Why: "x"}, "asked for this yourself"},
		{wren, roster.GivePlace{Ask: uuid.New()}, "not found"},
		{w.Person(t, "Ines Okonjo"), roster.GivePlace{Ask: asked.ID}, "not found"},
		{wren, roster.DeclineAsk{Ask: asked.ID}, "no reason"},
		{wren, roster.DeclineAsk{Ask: asked.ID, Why: long(201)}, "no reason"},
		{orla, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-19")}, "not found"},
		{wren, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-19")}, "not found"},
		{tomasz, roster.HandOver{ID: id(), Shift: uuid.New()}, "not found"},
		{tomasz, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-12")}, "is over"},
		{tomasz, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-13")}, "has begun"},
		{tomasz, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-19"), To: *dao.Employment}, "not found"},
		{tomasz, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-19"), To: *tomasz.Employment}, "not found"},
		{tomasz, roster.HandOver{ID: id(), Shift: shift("Tomasz", "2026-11-19"), To: *wren.Employment}, "can’t take it"},
		{orla, roster.AgreeToChange{Told: changed}, "not found"},
		{wren, roster.AgreeToChange{Told: changed}, "not found"},
		{tomasz, roster.AgreeToChange{Told: uuid.New()}, "not found"},
		{tomasz, roster.AgreeToChange{Told: begun}, "has begun"},
		{orla, roster.TakeOfferBack{Shift: offered.Shift}, "not found"},
		{wren, roster.TakeOfferBack{Shift: offered.Shift}, "not found"},
		{tomasz, roster.TakeOfferBack{Shift: shift("Tomasz", "2026-11-19")}, "not found"},
		{tomasz, roster.TakeOfferBack{Shift: shift("Tomasz", "2026-11-13")}, "said that you are sick"},
		{tomasz, roster.SayingSick{ID: id(), Shift: shift("Tomasz", "2026-11-19")}, "not today"},
		{wren, roster.SayingSick{ID: id(), Shift: shift("Tomasz", "2026-11-13")}, "not found"},
		{tomasz, roster.SayingSick{ID: id(), Shift: shift("Tomasz", "2026-11-12")}, "is over"},
	} {
		row.try(t, w)
	}
	// In the meantime Tomasz is planned at that time: it can't be given to him.
	other := roster.PlanShift{ID: id(), Employment: *tomasz.Employment, When: roster.When{Date: day, From: 13 * time.Hour,
		To: 15 * time.Hour}}
	apptest.Must(t, w.Do(ctx, mira, other))
	refused{mira, roster.GivePlace{Ask: asked.ID}, "can’t have this shift any more"}.try(t, w)
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: other.ID}))
	apptest.Must(t, w.Do(ctx, mira, roster.GivePlace{Ask: asked.ID}))
	for _, row := range []refused{
		{mira, roster.GivePlace{Ask: asked.ID}, "answered already"},
		{mira, roster.GivePlace{Ask: own.ID}, "answered already"}, // as somebody else has it
	} {
		row.try(t, w)
	}
	// A shift that was changed, or taken out, since it was offered isn't given as it was.
	taken := roster.AskForPlace{ID: id(), Place: offered.ID}
	apptest.Must(t, w.Do(ctx, wren, taken))
	change := roster.ChangeShift{Batch: id(), Shift: offered.Shift, When: &roster.When{Date: when.NewDate(2026, 11, 18),
		From: 9 * time.Hour, To: 15 * time.Hour}}
	apptest.Must(t, w.Do(ctx, mira, change))
	refused{mira, roster.GivePlace{Ask: taken.ID}, "changed since it was offered"}.try(t, w)
	apptest.Must(t, w.Do(ctx, mira, roster.DropShifts{Batch: id(), Shifts: []uuid.UUID{change.Shift}}))
	refused{mira, roster.GivePlace{Ask: taken.ID}, "changed since it was offered"}.try(t, w)
}
