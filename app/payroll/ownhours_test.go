package payroll_test

import (
	"context"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// A punch into a paid day waits. The open run holds what was paid until
// somebody else has approved the change, then the difference, once.
func TestAChangeOfAPaidDayWaits(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, piet, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue"), w.Person(t, "Dao Pham")
	paid := dbtest.Get[when.Date](t, w, `select max(date) from card where employment_id = $1 and state = 'paid' and worked > 0`,
		*dao.Employment)
	ref := hours.CardRef{Employment: *dao.Employment, Date: paid}
	before, _ := apptest.Share(t, w, *dao.Employment)
	lines := dbtest.Get[int](t, w, `select count(*) from pay_line`)

	last := dbtest.Get[time.Time](t, w, `select max(end_at) from stint where employment_id = $1 and date = $2`,
		*dao.Employment, paid.String())
	on := clock.Assignment{Job: dbtest.Get[uuid.UUID](t, w, `select job_id from stint where employment_id = $1 and date = $2
		and kind = 'work' limit 1`, *dao.Employment, paid.String())}
	if class := dbtest.Get[*uuid.UUID](t, w, `select class_id from stint where employment_id = $1 and date = $2 and kind = 'work' limit 1`,
		*dao.Employment, paid.String()); class != nil {
		on.Class = *class
	}
	if task := dbtest.Get[*uuid.UUID](t, w, `select task_id from stint where employment_id = $1 and date = $2 and kind = 'work' limit 1`,
		*dao.Employment, paid.String()); task != nil {
		on.Task = *task
	}
	send := func(p hours.Punch) { // days late, it is a claim; somebody takes it
		t.Helper()
		p.ID = apptest.NewID()
		apptest.Must(t, w.Do(ctx, dao, p))
		apptest.Must(t, w.Do(ctx, piet, hours.TakeClaim{ID: apptest.NewID(), Claim: p.ID}))
	}
	// The later first: an hour that begins would else run on into the next day.
	for _, p := range []hours.Punch{{Act: clock.Out, Moment: apptest.Pressed(last.Add(70 * time.Minute))},
		{Act: clock.In, On: on, Moment: apptest.Pressed(last.Add(10 * time.Minute))}} {
		send(p)
	}
	apptest.Consistent(t, w)
	if got, _ := apptest.Share(t, w, *dao.Employment); got != before {
		t.Errorf("unapproved, the open run holds %d s, before %d", got, before)
	}
	page, err := payroll.PayRun(ctx, w.App, w.Person(t, "Sana Verity"), uuid.Nil)
	apptest.Must(t, err)
	waits := 0
	for _, r := range page.Rows {
		if r.Employment == *dao.Employment && r.WaitingFrom == paid {
			waits = r.Waiting
		}
	}
	if waits == 0 {
		t.Error("the run doesn't say that a change waits")
	}
	for _, act := range []app.Act{hours.Sign{Card: ref}, hours.Approve{Card: ref}} {
		if err := w.Do(ctx, dao, act); err == nil {
			t.Errorf("%T of one's own change was taken", act)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref}))
	if got, _ := apptest.Share(t, w, *dao.Employment); got != before+3600 {
		t.Errorf("approved, the open run holds %d s more, want 3600", got-before)
	}
	// Taken back it waits again; another punch after approval waits too.
	apptest.Must(t, w.Do(ctx, mira, hours.TakeBack{Card: ref}))
	if got, _ := apptest.Share(t, w, *dao.Employment); got != before {
		t.Errorf("taken back, the open run holds %d s more", got-before)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref}))
	send(hours.Punch{Act: clock.Out, Moment: apptest.Pressed(last.Add(110 * time.Minute))})
	send(hours.Punch{Act: clock.In, On: on, Moment: apptest.Pressed(last.Add(80 * time.Minute))})
	if got, _ := apptest.Share(t, w, *dao.Employment); got != before {
		t.Errorf("changed again, the open run holds %d s more, want none until it is approved again", got-before)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line`); n != lines {
		t.Error("a closed run changed")
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref}))
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	if n := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where run_id = $1 and employment_id = $2 and date = $3
		and kind = 'straight'`, run, *dao.Employment, paid.String()); n != 5400 {
		t.Errorf("the run pays %d s of that day, want 5400", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from settled_stint where employment_id = $1`, *dao.Employment); n != 0 {
		t.Errorf("%d stints are kept after the change was paid", n)
	}
	if got, _ := apptest.Share(t, w, *dao.Employment); got != 0 {
		t.Errorf("the next run still holds %d s", got)
	}
	apptest.Consistent(t, w)
}

// No sequence of a worker's own acts changes a closed run, or adds a second or
// a cent to the open one.
func TestNobodyAddsToTheirOwnPay(t *testing.T) {
	for seed := range uint64(3) {
		w := dbtest.Open(t)
		ctx := context.Background()
		r := rand.New(rand.NewPCG(seed, 9))
		name := []string{"Dao Pham", "Wren Halloran", "Ruth Adeyemi"}[seed]
		who := w.Person(t, name)
		apptest.ApproveSome(t, w, *who.Employment)
		most, gross := apptest.Share(t, w, *who.Employment)
		closed := dbtest.Get[string](t, w, `select md5(string_agg(l::text, ';' order by run_id, position)) from pay_line l`)
		var choices []clock.Assignment
		rows, err := w.DB.Query(`select distinct job_id, coalesce(task_id, '00000000-0000-0000-0000-000000000000'),
			coalesce(class_id, '00000000-0000-0000-0000-000000000000') from stint where employment_id = $1
			and kind = 'work'`, *who.Employment)
		apptest.Must(t, err)
		for rows.Next() {
			var on clock.Assignment
			apptest.Must(t, rows.Scan(&on.Job, &on.Task, &on.Class))
			choices = append(choices, on)
		}
		rows.Close()
		done := 0
		for range 40 {
			w.Pass(time.Duration(r.IntN(900)) * time.Second)
			day := when.DateOf(w.At(), time.UTC) - when.Date(r.IntN(30))
			ref := hours.CardRef{Employment: *who.Employment, Date: day}
			var act app.Act
			switch r.IntN(12) {
			case 0:
				act = hours.AddNote{ID: apptest.NewID(), Body: "n"}
			case 1:
				act = hours.Sign{Card: ref}
			case 2:
				act = []app.Act{hours.Approve{Card: ref}, hours.TakeBack{Card: ref},
					hours.ApproveClear{Days: when.Period{From: day, To: day}, ID: apptest.NewID()}}[r.IntN(3)]
			case 3:
				field := []string{"rate", "paid_by", "subcontractor", "period_group", "starts_on", "pattern", "level",
					"leads", "clock_points"}[r.IntN(9)]
				act = people.SetPerson{ID: apptest.NewID(), Person: who.ID, Field: field,
					Value: []string{"99", "hour", "no", "", "2020-01-01", "0 8 8 8 8 8 0", "owner", "Plate shop",
						"own phone or browser"}[r.IntN(9)]}
			default:
				p := hours.Punch{ID: apptest.NewID(),
					Act: []clock.Act{clock.In, clock.Out, clock.Switch, clock.BreakStart, clock.BreakEnd}[r.IntN(5)],
					On:  choices[r.IntN(len(choices))]}
				who.Point = []clock.Point{clock.OwnPhone, clock.Browser, clock.DelayQueue, clock.HandEntry}[r.IntN(4)]
				if p.Act == clock.BreakStart {
					p.Break = clock.Meal
				}
				if r.IntN(2) == 0 {
					p.Moment = apptest.Pressed(w.At().Add(-time.Duration(r.IntN(40*24*3600)) * time.Second))
				}
				act = p
			}
			actor := w.Person(t, name)
			actor.Point = who.Point
			if err := w.Do(ctx, actor, act); err == nil {
				done++
			}
			seconds, sum := apptest.Share(t, w, *who.Employment)
			if seconds > most || sum.GreaterThan(gross) {
				t.Fatalf("seed %d: %#v brought the open run from %d s and %s to %d s and %s", seed, act, most, gross, seconds, sum)
			}
		}
		if done < 10 {
			t.Errorf("seed %d: only %d acts were done", seed, done)
		}
		if now := dbtest.Get[string](t, w,
			`select md5(string_agg(l::text, ';' order by run_id, position)) from pay_line l`); now != closed {
			t.Errorf("seed %d: a closed run changed", seed)
		}
		apptest.Consistent(t, w)
	}
}
