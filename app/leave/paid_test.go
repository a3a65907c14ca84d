package leave_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/leave"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// Overtime that is banked is paid nothing: the run says what it comes to, and once it is closed the
// ledger has it, once.
func TestBankedOvertimeComesAsLeave(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	apptest.Must(t, w.Do(ctx, mira, company.PutRules{ID: apptest.NewID(), Title: "Banks", From: when.NewDate(2026, 11, 15),
		Rules: json.RawMessage(`{"daily_overtime_after":"8","bank_overtime":{"overtime":"1.5"}}`)}))
	lieu := leave.PutLeaveKind{ID: apptest.NewID(), Name: "Time in lieu", PayCode: "LIEU", Paid: true, Low: "refuse", Few: "warn",
		Banks: true}
	apptest.Must(t, w.Do(ctx, mira, lieu))
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: lieu.ID, Name: "Banked", Policy: []byte(`{}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, From: monday - 4}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "overtime_is", Value: "banked",
		From: monday - 1}))
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	for _, press := range []struct {
		act          clock.Act
		hour, minute int
	}{{clock.In, 7, 0}, {clock.Out, 17, 30}} {
		w.Set(time.Date(2026, 11, 16, press.hour+5, press.minute, 0, 0, time.UTC))
		apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.Punch{ID: apptest.NewID(), Act: press.act, On: apptest.Work(t, w, "2229",
			"Coating")}))
	}
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	page, err := payroll.PayRun(ctx, w.App, w.Person(t, "Sana Verity"), uuid.Nil)
	apptest.Must(t, err)
	found := false
	for _, r := range page.Rows {
		if r.Employment == *dao.Employment {
			found = r.Banked == 9000 && r.Credited == 13500
		} else if r.Banked != 0 {
			t.Errorf("%s banks %d s", r.Name(), r.Banked)
		}
	}
	if !found {
		t.Error("the draft doesn't say that 2:30 are banked as 3:45")
	}
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if got := lines(t, w, dao, lieu.ID, monday-3); got != "" {
		t.Errorf("before the run is closed the ledger has %s", got)
	}
	run, _ := apptest.CloseOpenRun(t, w)
	if n := dbtest.Get[string](t, w, `select seconds || ' ' || trim_scale(rate) || ' ' || trim_scale(amount) from pay_line
		where run_id = $1 and kind = 'banked'`, run); n != "9000 1.5 0" {
		t.Errorf("the run holds %s", n)
	}
	for range 2 {
		apptest.Must(t, leave.BookAll(ctx, w.App))
	}
	if got := lines(t, w, dao, lieu.ID, monday-3); got != "11-16 grant 3.75" {
		t.Errorf("the ledger has %s", got)
	}
	if seconds, gross := apptest.Share(t, w, *dao.Employment); seconds != 0 || !gross.IsZero() {
		t.Errorf("the next run owes %d s, %s", seconds, gross)
	}
	// A policy may earn by overtime of closed runs, however it is paid: an hour for every five.
	by := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: kind(t, w, "Sick leave"), Name: "By overtime",
		Policy: []byte(`{"earn": {"every": "overtime_hours", "amount": "1", "per": "5"}}`)}
	apptest.Must(t, w.Do(ctx, mira, by))
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: by.ID, Employment: *dao.Employment, From: monday - 1,
		Opening: "0"}))
	if got := lines(t, w, dao, by.Kind, monday); got != "11-16 earn 0.5" {
		t.Errorf("by overtime is earned %s", got)
	}
}

// Leave of a kind that is paid at an average is: of the last weeks that were paid before its
// period; a closed run owes nothing of it afterwards.
func TestLeaveAtAnAverage(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual := leave.PutLeaveKind{ID: kind(t, w, "Annual leave"), Name: "Annual leave", Paid: true, PayCode: "PTO", Low: "refuse",
		Few:    "warn",
		RateBy: "paid_weeks", RateWeeks: 3}
	apptest.Must(t, w.Do(ctx, mira, annual))
	ask := leave.AskLeave{ID: apptest.NewID(), Kind: annual.ID, Days: span(monday, monday)}
	apptest.Must(t, w.Do(ctx, dao, ask))
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{ask.ID}, Approve: true}))
	want := dbtest.Get[string](t, w, `select round(8 * sum(amount) / (sum(seconds) / 3600.0), 2)::text from (
		select week, sum(amount) as amount, sum(seconds) filter (where kind = 'straight') as seconds from pay_line
		where employment_id = $1 and week < '2026-11-08' and kind not in ('leave', 'extra', 'fringe', 'fringe_plan')
		group by week having sum(amount) > 0 order by week desc limit 3) x`, *dao.Employment)
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	got := dbtest.Get[string](t, w, `select round(amount, 2)::text from pay_line where run_id = $1 and employment_id = $2 and kind = 'leave'
		and date = '2026-11-16'`, run, *dao.Employment)
	if got != want {
		t.Errorf("a day at the average of three paid weeks pays %s, want %s", got, want)
	}
	if seconds, gross := apptest.Share(t, w, *dao.Employment); seconds != 0 || !gross.IsZero() {
		t.Errorf("the next run owes %d s, %s", seconds, gross)
	}
}

// What somebody who leaves is owed of their leave is a line of the run of the period, at the rate
// of their last day, and is paid once.
func TestOwedLeaveIsPaid(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: kind(t, w, "Annual leave"), Name: "Owed",
		Policy: []byte(`{"paid_out": true}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, Employment: *dao.Employment,
		From: monday - 10, Opening: "30.5"}))
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	// Their last day is a Sunday, without a card.
	if _, err := w.DB.Exec(`update employment set ends_on = '2026-11-15' where id = $1`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	w.Set(apptest.AfterPeriod)
	apptest.Must(t, leave.BookAll(ctx, w.App))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	rate := dbtest.Get[string](t, w, `select amount::text from rate where employment_id = $1 and starts_on <= '2026-11-15'
		order by starts_on desc limit 1`, *dao.Employment)
	want := decimal.RequireFromString(rate).Mul(decimal.RequireFromString("30.5")).Round(2)
	got := dbtest.Get[decimal.Decimal](t, w, `select coalesce(sum(amount), 0) from pay_line where run_id = $1 and employment_id = $2
		and kind = 'leave' and date = '2026-11-15'`, run, *dao.Employment)
	if !got.Equal(want) {
		t.Errorf("30.5 hours owed pay %s, want %s", got, want)
	}
	if seconds, gross := apptest.Share(t, w, *dao.Employment); seconds != 0 || !gross.IsZero() {
		t.Errorf("the next run owes %d s, %s", seconds, gross)
	}
}

// Where it is said only after the run was closed that somebody left, what they are owed is in the
// next run.
func TestOwedLeaveIsPaidLate(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: kind(t, w, "Annual leave"), Name: "Owed",
		Policy: []byte(`{"paid_out": true}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, Employment: *dao.Employment,
		From: monday - 10, Opening: "8"}))
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	apptest.CloseOpenRun(t, w)
	if seconds, _ := apptest.Share(t, w, *dao.Employment); seconds != 0 {
		t.Fatalf("before it is said that they left, %d s are owed", seconds)
	}
	if _, err := w.DB.Exec(`update employment set ends_on = '2026-11-20' where id = $1`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if seconds, gross := apptest.Share(t, w, *dao.Employment); seconds != 8*3600 || !gross.IsPositive() {
		t.Errorf("the next run owes %d s, %s", seconds, gross)
	}
}
