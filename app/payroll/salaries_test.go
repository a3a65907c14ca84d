package payroll_test

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
)

// Salaried people are paid their salary, whole or for the days they are employed by it, and their hours stand
// beside it at no rate; without one they are in no run.
func TestSalariesArePaid(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	salary := func(name, text string, from when.Date) uuid.UUID {
		t.Helper()
		p := w.Person(t, name)
		for field, value := range map[string]string{"paid_by": "salary", "salary": text} {
			apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: p.ID, Field: field, Value: value, From: from}))
		}
		return *p.Employment
	}
	first := when.NewDate(2026, 11, 8)
	if r := apptest.Refusal(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "salary",
		Value: "a lot", From: first})); r.Right == "" {
		t.Errorf("a salary that can't be read: %+v", r)
	}
	exempt := salary("Dao Pham", "52,000 a year, exempt (executive)", first)
	hours := salary("Tomasz Brandt", "2600 a month for 30 h a week", first)
	later := salary("Wren Halloran", "1000 a week for all hours", first+7)
	none := salary("Viggo Bexley", "", first)
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	for _, n := range page.NoRate {
		if n == "Dao Pham" || n == "Tomasz Brandt" || n == "Wren Halloran" {
			t.Errorf("%s has hours at no rate", n)
		}
	}
	run, _ := apptest.CloseOpenRun(t, w)
	text := func(e uuid.UUID, kind string) string {
		return dbtest.Get[string](t, w,
			`select coalesce(string_agg(pay_code || ' ' || date || ' ' || amount::numeric(9,2), ', ' order by date), '')
			from pay_line where run_id = $1 and employment_id = $2 and kind = $3`, run, e, kind)
	}
	for _, c := range []struct {
		who  uuid.UUID
		want string
	}{{exempt, "SALARY 2026-11-21 2000.00"}, {hours, "SALARY 2026-11-21 1200.00"}, {later, "SALARY 2026-11-21 1000.00"}, {none, ""}} {
		if got := text(c.who, "salary"); got != c.want {
			t.Errorf("the salary paid is %q, want %q", got, c.want)
		}
	}
	if n := dbtest.Get[string](t, w, `select count(*) filter (where kind <> 'salary' and amount <> 0) || ' ' ||
		(sum(seconds) filter (where kind = 'straight') > 0) from pay_line where run_id = $1 and employment_id = $2`,
		run, exempt); n != "0 true" {
		t.Errorf("exempt, lines with pay beside the salary and hours: %s", n)
	}
	// 2,600 × 12 ÷ 52 ÷ 30 is 20 an hour: each of his hours beyond 30, once, and half of it beyond 40.
	if n := dbtest.Get[int](t, w,
		`select count(*) from pay_line where run_id = $1 and employment_id = $2 and kind = 'straight' and rate not in (0, 20)`,
		run, hours); n != 0 {
		t.Errorf("%d lines of a salary for hours are at another rate", n)
	}
	beyond := dbtest.Get[int64](t, w,
		`select coalesce(sum(greatest(0, s - 30 * 3600)), 0)::bigint from (select sum(seconds) as s from pay_line
		where run_id = $1 and employment_id = $2 and kind = 'straight' group by week) x`, run, hours)
	if n := dbtest.Get[int64](t, w,
		`select coalesce(sum(seconds), 0) from pay_line where run_id = $1 and employment_id = $2 and kind = 'straight'
		and rate = 20`, run, hours); n != beyond || n == 0 {
		t.Errorf("%d s beyond 30 h a week are paid, want %d", n, beyond)
	}
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
	// The next run pays the next period's, and nothing of this one again.
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	run, _ = apptest.CloseOpenRun(t, w)
	if got := text(exempt, "salary") + "; " + text(later, "salary"); got != "SALARY 2026-12-05 2000.00; SALARY 2026-12-05 2000.00" {
		t.Errorf("the next run pays %s", got)
	}
}
