package payroll_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// However somebody is paid now, whoever is in the run can't close it, and the
// rows of the page add up to its total.
func TestWhoIsInTheRunCantCloseIt(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, orla, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Wren Halloran")
	apptest.Must(t, w.Do(ctx, orla, people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "run_payroll"}))
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	for _, from := range []when.Date{when.NewDate(2026, 11, 15), when.NewDate(2026, 11, 23)} {
		apptest.Must(t, w.Do(ctx, mira,
			people.SetPerson{ID: apptest.NewID(), Person: wren.ID, Field: "paid_by", Value: "salary", From: from}))
		wren = w.Person(t, "Wren Halloran")
		p, err := payroll.PayRun(ctx, w.App, wren, uuid.Nil)
		apptest.Must(t, err)
		if p.CanClose || !strings.Contains(p.WhyNot, "Your own pay is in this run") {
			t.Errorf("salary from %s: can close %v, %q", from, p.CanClose, p.WhyNot)
		}
		if err := w.Do(ctx, wren, payroll.CloseRun{ID: apptest.NewID(), Seen: p.Period.From.String() + " " + p.Total.Gross}); err == nil {
			t.Fatal("she closed her own run")
		}
		var sum decimal.Decimal
		for _, r := range p.Rows {
			sum = sum.Add(decimal.RequireFromString(r.Gross))
		}
		if sum.StringFixed(2) != p.Total.Gross {
			t.Errorf("the rows add up to %s, the total is %s", sum, p.Total.Gross)
		}
		apptest.Must(t, w.Do(ctx, mira,
			people.SetPerson{ID: apptest.NewID(), Person: wren.ID, Field: "paid_by", Value: "hour", From: from}))
	}
	// From the first day of the period on a salary she is not in it.
	apptest.Must(t, w.Do(ctx, mira,
		people.SetPerson{ID: apptest.NewID(), Person: wren.ID, Field: "paid_by", Value: "salary", From: when.NewDate(2026, 11, 8)}))
	apptest.AnswerAll(t, w, store.LeftOut)
	if p, err := payroll.PayRun(ctx, w.App, w.Person(t, "Wren Halloran"), uuid.Nil); err != nil || !p.CanClose {
		t.Errorf("who is paid a salary all the period: %v, %q", err, p.WhyNot)
	}
}

// A mistaken mark is taken back from the day it began: the next run pays the
// hours of that time, as lines of their days.
func TestAMistakenMarkIsTakenBack(t *testing.T) {
	for _, mark := range []struct{ field, wrong, right string }{{"subcontractor", "yes", "no"}, {"paid_by", "salary", "hour"}} {
		w := dbtest.Open(t)
		ctx := context.Background()
		mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
		e := *dao.Employment
		began := when.NewDate(2026, 11, 10)
		set := func(value string, from when.Date) error {
			return w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: mark.field, Value: value, From: from})
		}
		apptest.Must(t, set(mark.wrong, began))
		w.Set(apptest.AfterPeriod)
		apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
		run, _ := apptest.CloseOpenRun(t, w)
		paid := dbtest.Get[int64](t, w, `select coalesce(sum(seconds), 0) from pay_line where run_id = $1 and employment_id = $2
			and kind = 'straight'`, run, e)
		worked := dbtest.Get[int64](t, w, `select sum(worked) from card where employment_id = $1
			and date between '2026-11-08' and '2026-11-21'`, e)
		before := dbtest.Get[int64](t, w, `select sum(worked) from card where employment_id = $1
			and date between '2026-11-08' and '2026-11-09'`, e)
		if paid != before || before == 0 {
			t.Errorf("%s: the run pays %d s, want the %d before the mark", mark.field, paid, before)
		}
		if n := dbtest.Get[int](t, w, `select count(*) from card where employment_id = $1 and state = 'paid' and date >= $2`,
			e, began.String()); n != 0 {
			t.Errorf("%s: %d cards that no run paid are marked paid", mark.field, n)
		}
		// Over what was paid it doesn't reach.
		if r := apptest.Refusal(t, set(mark.wrong, began-1)); !strings.Contains(r.Wrong, "was paid up to") {
			t.Errorf("%s: over paid days: %v", mark.field, r)
		}
		apptest.Must(t, set(mark.right, began))
		if got, _ := apptest.Share(t, w, e); got != worked-before {
			t.Errorf("%s: the next run holds %d s, want %d", mark.field, got, worked-before)
		}
		w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
		next, _ := apptest.CloseOpenRun(t, w)
		days := dbtest.Get[int](t, w, `select count(distinct date) from pay_line where run_id = $1 and employment_id = $2
			and date < '2026-11-22'`, next, e)
		if total := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where employment_id = $1 and kind = 'straight'
			and date >= '2026-11-08'`, e); total != worked || days < 3 {
			t.Errorf("%s: all runs pay %d s of %d, on %d days", mark.field, total, worked, days)
		}
		apptest.Consistent(t, w)
	}
}

// Who changes to another group of pay periods is paid for each day once, and
// premiums of the week they changed in too.
func TestChangingTheGroupOfPayPeriods(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity"), w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Weekly", Kind: "weekly", Anchor: "2026-11-08"}))
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	whole, gross := apptest.Share(t, w, *dao.Employment)
	apptest.Must(t, w.Do(ctx,
		mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "period_group", Value: "Weekly",
			From: when.NewDate(2026, 11, 11)}))
	closeAll := func(group string) {
		t.Helper()
		for range 4 {
			apptest.AnswerAll(t, w, store.LeftOut, group)
			page, err := payroll.PayRunOf(ctx, w.App, sana, group, uuid.Nil)
			apptest.Must(t, err)
			if !page.CanClose {
				return
			}
			apptest.Must(t, w.Do(ctx, sana,
				payroll.CloseRun{ID: apptest.NewID(), Group: group, Seen: page.Period.From.String() + " " + page.Total.Gross}))
		}
	}
	closeAll("")
	closeAll("Weekly")
	seconds := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where employment_id = $1 and date >= '2026-11-08'
		and kind in ('straight', 'leave')`, *dao.Employment)
	paid := dbtest.Get[decimal.Decimal](t, w, `select sum(amount)::text from pay_line where employment_id = $1 and date >= '2026-11-08'
		and kind <> 'fringe_plan'`, *dao.Employment)
	if seconds != whole || !paid.Equal(gross) {
		t.Errorf("the runs of both groups pay %d s and %s, in one group it was %d s and %s", seconds, paid, whole, gross)
	}
	if n := dbtest.Get[int](t, w, `select count(distinct run_id) from pay_line where employment_id = $1 and date >= '2026-11-08'`,
		*dao.Employment); n < 2 {
		t.Errorf("%d runs paid him", n)
	}
}

// A wage determination holds from its date; days before keep the one before,
// and one over what was paid is refused.
func TestWageDeterminationsAreDated(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla := w.Person(t, "Orla Ebbwater")
	job := dbtest.Get[uuid.UUID](t, w, `select job_id from stint where class_id is not null and date between '2026-11-09' and '2026-11-12'
		limit 1`)
	class := dbtest.Get[uuid.UUID](t, w, `select class_id from stint where job_id = $1 and class_id is not null
		and date between '2026-11-09' and '2026-11-12' limit 1`, job)
	set := func(from when.Date) error {
		return w.Do(ctx, orla, jobs.SetWage{Job: job, Class: class, Base: "90", From: from})
	}
	if r := apptest.Refusal(t, set(when.NewDate(2026, 11, 7))); r.Field != "from" {
		t.Errorf("over what was paid: %v", r)
	}
	apptest.Must(t, set(when.NewDate(2026, 11, 12)))
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	for before, want := range map[bool]bool{true: false, false: true} {
		n := dbtest.Get[int](t, w, `select count(*) from pay_line where run_id = $1 and job_id = $2 and class_id = $3 and kind = 'straight'
			and rate = 90 and (date < '2026-11-12') = $4`, run, job, class, before)
		if (n > 0) != want {
			t.Errorf("before its date %v: %d lines at the new wage", before, n)
		}
	}
	if err := w.Do(ctx, w.Person(t, "Piet Donoghue"), jobs.SetWage{Job: job, Class: class, Base: "1"}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("who may not see pay sets a wage: %v", err)
	}
}
