package payroll_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
)

// A leaver's final pay, before the period ends: hours, overtime of the week that ends with it, what is paid and kept by
// every run; the period's own run then pays the rest of the people, and nothing of theirs again.
func TestARunOfItsOwn(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana, orla := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity"), w.Person(t, "Orla Ebbwater")
	tomasz := w.Person(t, "Tomasz Brandt")
	e := *tomasz.Employment
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{{Employment: e,
		Does: "deduction",
		What: "Tool fund", PayCode: "TOOLS", Amount: "5", Until: "2027-12-31"}}}))
	w.Set(time.Date(2026, 11, 14, 15, 0, 0, 0, time.UTC))
	friday := when.NewDate(2026, 11, 13)
	apptest.ApproveAll(t, w, friday)
	apptest.Must(t, w.Do(ctx, mira, people.EndPerson{Person: tomasz.ID, On: friday, Out: time.Date(2026, 11, 13, 20, 0, 0, 0, time.UTC)}))
	apptest.Must(t, w.Do(ctx, orla, hours.Approve{Card: hours.CardRef{Employment: e, Date: friday}, Why: "has left"}))
	prepare := func(to string, final bool, of ...uuid.UUID) (uuid.UUID, error) {
		id := apptest.NewID()
		return id, w.Do(ctx, sana, payroll.PrepareRun{ID: id, Employments: of, To: to, Final: final, Why: "final pay"})
	}
	for to, field := range map[string]string{"2026-11-07": "to", "2026-11-15": "to", "soon": "to"} {
		if _, err := prepare(to, true, e); apptest.Refusal(t, err).Field != field {
			t.Errorf("to %s: %v", to, err)
		}
	}
	if _, err := prepare("2026-11-13", true); apptest.Refusal(t, err).Field != "who" {
		t.Errorf("for nobody: %v", err)
	}
	own, err := prepare("2026-11-13", true, e)
	apptest.Must(t, err)
	page, err := payroll.PreparedPage(ctx, w.App, sana, own)
	apptest.Must(t, err)
	if len(page.Rows) != 1 || page.Rows[0].Name() != "Tomasz Brandt" || !page.CanClose {
		t.Fatalf("prepared: %+v, %s", page.Rows, page.WhyNot)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "second_check", Value: "yes"}))
	closing := payroll.CloseRun{ID: apptest.NewID(), Own: own, Seen: page.Period.From.String() + " " + page.Total.Gross}
	if err := w.Do(ctx, sana, closing); err == nil || !strings.Contains(err.Error(), "You prepared this run yourself") {
		t.Errorf("by who prepared it: %v", err)
	}
	apptest.Must(t, w.Do(ctx, orla, closing))
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "second_check", Value: "no"}))
	worked := dbtest.Get[int64](t, w, `select sum(worked) from card where employment_id = $1
		and date between '2026-11-08' and '2026-11-13'`, e)
	paid := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where run_id = $1 and kind = 'straight'`, closing.ID)
	if paid != worked || paid == 0 {
		t.Errorf("it pays %d s of %d", paid, worked)
	}
	if over := dbtest.Get[int](t, w, `select count(*) from pay_line where run_id = $1 and kind = 'overtime_premium'`,
		closing.ID); worked > 40*3600 && over == 0 {
		t.Error("no premium on the week that ends with it")
	}
	kept := func(run uuid.UUID) string {
		return dbtest.Get[string](t, w, `select coalesce(string_agg(date || ' ' || amount::numeric(9,2), ', '), '') from pay_line
			where run_id = $1 and kind = 'deduction' and employment_id = $2`, run, e)
	}
	if got := kept(closing.ID); got != "2026-11-13 5.00" {
		t.Errorf("kept on the last day: %s", got)
	}
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
	// The period is still open, and its run pays the others.
	open, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if open.Period.From != when.NewDate(2026, 11, 8) {
		t.Errorf("the open period begins on %s", open.Period.From)
	}
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line where run_id = $1 and employment_id = $2`, run, e); n != 0 {
		t.Errorf("the period's own run pays the leaver %d lines more", n)
	}
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	run, _ = apptest.CloseOpenRun(t, w)
	if got := kept(run); got != "" {
		t.Errorf("after they left %s is kept", got)
	}
	if sum := paidIn(t, w, e, closing.ID); !sum.IsPositive() ||
		!sum.Equal(dbtest.Get[decimal.Decimal](t, w, `select gross from run where id = $1`, closing.ID)) {
		t.Errorf("it pays %s", sum)
	}
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
	if prepared, err := payroll.Prepared(ctx, w.App, sana, ""); err != nil || len(prepared) != 0 {
		t.Errorf("closed, it still stands as prepared: %v, %v", prepared, err)
	}
}

// Hours of somebody who stays: the period's own run pays the rest, and the week's premium when the week has ended.
func TestARunOfItsOwnForSomebodyWhoStays(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	e := *w.Person(t, "Tomasz Brandt").Employment
	w.Set(time.Date(2026, 11, 14, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 13))
	own := apptest.NewID()
	apptest.Must(t, w.Do(ctx, sana, payroll.PrepareRun{ID: own, Employments: []uuid.UUID{e}, To: "2026-11-10",
		Why: "hours that were missed"}))
	page, err := payroll.PreparedPage(ctx, w.App, sana, own)
	apptest.Must(t, err)
	early := payroll.CloseRun{ID: apptest.NewID(), Own: own, Seen: page.Period.From.String() + " " + page.Total.Gross}
	apptest.Must(t, w.Do(ctx, sana, early))
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	for _, r := range []uuid.UUID{early.ID, run} {
		if n := dbtest.Get[int](t, w, `select count(*) from pay_line where run_id = $1 and employment_id = $2 and amount < 0`,
			r, e); n != 0 {
			t.Errorf("%d lines take something back", n)
		}
	}
	worked := dbtest.Get[int64](t, w, `select sum(worked) from card where employment_id = $1
		and date between '2026-11-08' and '2026-11-21'`, e)
	if paid := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where run_id in ($1, $2) and employment_id = $3
		and kind = 'straight'`,
		early.ID, run, e); paid != worked {
		t.Errorf("both pay %d s of %d", paid, worked)
	}
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
}
