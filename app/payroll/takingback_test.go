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
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// A correction after closing that takes money back is offered: by this run, over several, or not at all; in each the
// runs pay what was said, the person is told, and nothing is taken before somebody has said it.
func TestMoneyIsNotTakenBackInSilence(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana, orla := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity"), w.Person(t, "Orla Ebbwater")
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "deduct_under", Value: "warn"})) // he works no more
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	apptest.CloseOpenRun(t, w)
	// Of one's paid Thursday the last stint is taken out, and somebody approves it.
	tomasz := w.Person(t, "Tomasz Brandt")
	card := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	stint := dbtest.Get[uuid.UUID](t, w, `select id from stint where employment_id = $1 and date = $2
		and kind = 'work' order by start_at desc limit 1`,
		card.Employment, card.Date.String())
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "not there",
		Changes: []hours.Change{{ID: apptest.NewID(), Employment: card.Employment, Does: clock.Remove, Of: stint}}}))
	apptest.Must(t, w.Do(ctx, orla, hours.Approve{Card: card, Why: "looked at"}))
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	apptest.AnswerAll(t, w, "left_out")
	open := func() *payroll.RunPage {
		t.Helper()
		p, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
		apptest.Must(t, err)
		return p
	}
	p := open()
	if len(p.TakesBack) != 1 || p.TakesBack[0].Name() != "Tomasz Brandt" || p.TakesBack[0].How != "" || p.CanClose ||
		!strings.Contains(p.WhyNot, "takes money back from Tomasz Brandt") {
		t.Fatalf("offered: %+v, %s", p.TakesBack, p.WhyNot)
	}
	amount := p.TakesBack[0].Amount
	say := func(how string, runs int, amount string) error {
		return w.Do(ctx, sana, payroll.TakeMoneyBack{ID: apptest.NewID(), Employment: card.Employment, Amount: amount, How: how,
			Runs: runs})
	}
	for _, c := range []struct{ how, amount, field string }{{"now", "1.00", "amount"}, {"never", amount, "how"}, {"runs", amount, "runs"}} {
		if r := apptest.Refusal(t, say(c.how, 1, c.amount)); r.Field != c.field {
			t.Errorf("%s of %s: %+v", c.how, c.amount, r)
		}
	}
	share := func() decimal.Decimal {
		_, gross := apptest.Share(t, w, card.Employment)
		return gross
	}
	taken := share()
	back := decimal.RequireFromString(amount)
	apptest.Must(t, say("not", 1, amount))
	if got := share(); !got.Equal(taken.Add(back)) {
		t.Errorf("not at all: %s, and %s where it's taken", got, taken)
	}
	apptest.Must(t, say("now", 1, amount))
	if got := share(); !got.Equal(taken) {
		t.Errorf("by this run: %s, want %s", got, taken)
	}
	apptest.Must(t, say("runs", 3, amount))
	if p = open(); !p.CanClose || p.TakesBack[0].How != "runs" || p.TakesBack[0].Runs != 3 {
		t.Errorf("said: %s, %+v", p.WhyNot, p.TakesBack)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from notice where person_id = $1 and kind = 'taken_back'`, tomasz.ID); n == 0 {
		t.Error("they aren't told")
	}
	var kept decimal.Decimal
	for i, day := range []int{7, 21, 35, 49} {
		w.Set(time.Date(2026, 12, day, 15, 0, 0, 0, time.UTC))
		run, _ := apptest.CloseOpenRun(t, w)
		kept = kept.Add(dbtest.Get[decimal.Decimal](t, w, `select coalesce(sum(amount), 0) from pay_line where run_id = $1
			and kind = 'deduction'`, run))
		if i == 0 && (!kept.IsPositive() || kept.GreaterThan(back.Div(decimal.NewFromInt(2)))) {
			t.Errorf("the first run keeps %s of %s", kept, back)
		}
	}
	if !kept.Equal(back) {
		t.Errorf("the runs kept %s of %s", kept, back)
	}
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
}
