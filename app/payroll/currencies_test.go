package payroll_test

import (
	"bytes"
	"encoding/base64"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
)

// inYen is a world in which Kei is paid by the week in yen, which have no decimals, and everybody else as ever.
func inYen(t *testing.T) (w *dbtest.World, kei, employment uuid.UUID) {
	t.Helper()
	w = dbtest.Open(t)
	ctx, mira := t.Context(), w.Person(t, "Mira Castellane")
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Ferry", Kind: "weekly", Anchor: "2026-11-08", Currency: "jpy"}))
	kei = apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, people.AddPerson{ID: kei, Values: map[string]string{"given_name": "Kei", "family_name": "Aramaki",
		"unit": "Harbour crew", "starts_on": "2026-11-08", "period_group": "Ferry", "rate": "2500.5"}}))
	employment = dbtest.Get[uuid.UUID](t, w, `select id from employment where person_id = $1`, kei)
	return w, kei, employment
}

// Sums of two currencies are never added up: who is paid in another has runs of their own with its decimals, by
// none of the sums that the place names in its own, in files that say so.
func TestPaidInAnotherCurrency(t *testing.T) {
	t.Parallel()
	w, kei, e := inYen(t)
	ctx := t.Context()
	mira, orla, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Sana Verity")
	job := dbtest.Get[uuid.UUID](t, w, `select job_id from job_wage limit 1`) // of public works, whose wages are dollars
	class := dbtest.Get[uuid.UUID](t, w, `select class_id from job_wage where job_id = $1 limit 1`, job)
	if _, err := w.DB.Exec(`insert into employment_class (employment_id, class_id) values ($1, $2)`, e, class); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`update job_wage set base_rate = 9000, fringe_cash = 1`); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "least_wages", Value: "2600"})) // dollars
	on := clock.Assignment{Job: job, Class: class, Task: dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 limit 1`, job)}
	monday := when.NewDate(2026, 11, 9)
	w.Set(time.Date(2026, 11, 15, 15, 0, 0, 0, time.UTC)) // the week is over
	for d := monday; d <= monday+4; d++ {
		apptest.Must(t, w.Do(ctx, mira, hours.ReportHours{ID: apptest.NewID(), Employment: e, Date: d, On: on, Hours: "9"}))
		apptest.Must(t, w.Do(ctx, orla, hours.Approve{Card: hours.CardRef{Employment: e, Date: d}, Why: "as told"}))
	}
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	ours, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if ours.Currency != "USD" || slices.ContainsFunc(ours.Rows, func(r payroll.PayRow) bool { return r.Person == kei }) {
		t.Errorf("the company's run in %s has them in it", ours.Currency)
	}
	page, err := payroll.PayRunOf(ctx, w.App, sana, "Ferry", uuid.Nil)
	apptest.Must(t, err)
	// 45 hours at 2500.5, and half of it for five: 112,522.50 + 6,251.25, each day's straight rounded to whole yen.
	if page.Currency != "JPY" || len(page.Rows) != 1 || page.Total.Gross != "118776" || len(page.BelowLeast) != 0 || !page.CanClose {
		t.Fatalf("the run in yen: %s %s, %d people, below %v, %s", page.Total.Gross, page.Currency, len(page.Rows), page.BelowLeast,
			page.WhyNot)
	}
	person, err := payroll.ReadPersonPay(ctx, w.App, sana, "Ferry", uuid.Nil, e)
	apptest.Must(t, err)
	if person.Gross != page.Total.Gross || person.Currency != "JPY" {
		t.Errorf("explained they are %s %s", person.Gross, person.Currency)
	}
	run := apptest.NewID()
	apptest.Must(t, w.Do(ctx, sana, payroll.CloseRun{ID: run, Group: "Ferry", Seen: page.Period.From.String() + " " + page.Total.Gross}))
	apptest.CloseOpenRun(t, w)
	verdict, err := payroll.VerifyRuns(ctx, w.DB)
	apptest.Must(t, err)
	if len(verdict.Wrong) != 0 {
		t.Errorf("verified: %v", verdict.Wrong)
	}
	lines, _, closed, err := payroll.RunLines(ctx, w.App, sana, run)
	apptest.Must(t, err)
	sum := decimal.Zero
	for _, l := range lines {
		sum = sum.Add(decimal.RequireFromString(l.Amount))
		if l.Currency != "JPY" || strings.Contains(l.Amount, ".") || l.Kind == "straight" && l.Rate != "2500.50" {
			t.Errorf("a line of %s %s at %s", l.Amount, l.Currency, l.Rate)
		}
	}
	if sum.String() != "118776" || closed.Currency != "JPY" {
		t.Errorf("the lines come to %s, the run is in %s", sum, closed.Currency)
	}
	last := dbtest.Get[uuid.UUID](t, w, `select id from run where period_group = '' order by number desc limit 1`)
	if _, err := payroll.ComparedRun(ctx, w.App, sana, "Ferry", uuid.Nil, last, 20); err == nil {
		t.Error("yen are held against dollars")
	}
	back := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, payroll.TurnRun{ID: back, Run: run, Why: "wrong week"}))
	if turned, err := payroll.PayRun(ctx, w.App, sana, back); err != nil || turned.Total.Gross != "-118776" || turned.Currency != "JPY" {
		t.Errorf("turned: %+v %v", turned.Total, err)
	}
	if verdict, err = payroll.VerifyRuns(ctx, w.DB); err != nil || len(verdict.Wrong) != 0 {
		t.Errorf("verified with one turned: %v %v", verdict.Wrong, err)
	}
	for _, tamper := range []string{`alter table run disable trigger user`,
		`update run set currency = 'USD' where period_group = 'Ferry'`} {
		_, err := w.DB.Exec(tamper)
		apptest.Must(t, err)
	}
	if verdict, err = payroll.VerifyRuns(ctx, w.DB); err != nil || !slices.ContainsFunc(verdict.Wrong,
		func(s string) bool { return strings.Contains(s, "currency") }) {
		t.Errorf("yen made dollars afterwards: %v %v", verdict.Wrong, err)
	}
}

// A sum typed of somebody who is paid in another currency has its decimals; the transfers of a run are in its currency.
func TestSumsInAnotherCurrency(t *testing.T) {
	t.Parallel()
	w, kei, e := inYen(t)
	ctx := t.Context()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	bonus := payroll.Adjustment{Employment: e, Does: "earning", What: "Bonus", PayCode: "BONUS", Amount: "5000.50"}
	put := func() error {
		return w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Group: "Ferry", Rows: []payroll.Adjustment{bonus}})
	}
	if r := apptest.Refusal(t, put()); r.Field != "amount" {
		t.Errorf("half a yen: %+v", r)
	}
	bonus.Amount = "5000"
	apptest.Must(t, put())
	spend := hours.AddExpense{ID: apptest.NewID(), On: apptest.Thursday, Kind: "Fuel", Amount: "1200.50",
		Work: apptest.Work(t, w, "2229", "Coating")}
	apptest.Must(t, w.Do(ctx, mira, hours.ReportHours{ID: apptest.NewID(), Employment: e, Date: apptest.Thursday, On: spend.Work,
		Hours: "2"}))
	self := w.Person(t, "Kei Aramaki")
	if r := apptest.Refusal(t, w.Do(ctx, self, spend)); r.Field != "amount" {
		t.Errorf("half a yen was spent: %+v", r)
	}
	spend.Amount = "1200"
	apptest.Must(t, w.Do(ctx, self, spend))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: hours.CardRef{Employment: e, Date: apptest.Thursday},
		Why: "as told"}))
	w.Set(apptest.AfterPeriod)
	page, err := payroll.PayRunOf(ctx, w.App, sana, "Ferry", uuid.Nil)
	apptest.Must(t, err)
	run := apptest.NewID()
	apptest.Must(t, w.Do(ctx, sana, payroll.CloseRun{ID: run, Group: "Ferry", Seen: page.Period.From.String() + " " + page.Total.Gross}))
	w.App.Keys, err = app.ParseKeyring(base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{1}, 32)))
	apptest.Must(t, err)
	number := dbtest.Get[string](t, w, `select number from person where id = $1`, kei)
	net := func(sum string) error {
		return w.Do(ctx, sana, payroll.BringNet{Run: run, Rows: []payroll.NetRow{{Who: number, Net: sum}}})
	}
	if r := apptest.Refusal(t, net("4100.5")); r.Field != "net" {
		t.Errorf("half a yen of net: %+v", r)
	}
	apptest.Must(t, net("4100"))
	debtor := payroll.PutDebtor{ID: apptest.NewID(), Title: "Ebbwater Works", Keys: w.App.Keys,
		Account: files.Account{Number: "7700112233", Member: "021000021"}}
	apptest.Must(t, w.Do(ctx, sana, debtor))
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAccount{Person: kei, Keys: w.App.Keys,
		Account: files.Account{IBAN: "GB82 WEST 1234 5698 7654 32"}}))
	apptest.Must(t, w.Do(ctx, sana, payroll.MakeTransfers{Run: run, Debtor: debtor.ID, On: when.NewDate(2026, 11, 30), Keys: w.App.Keys}))
	made, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, "transfers-2026-11-30.xml")
	apptest.Must(t, err)
	if !bytes.Contains(made.Data, []byte(`<InstdAmt Ccy="JPY">4100</InstdAmt>`)) {
		t.Errorf("the transfers are\n%s", made.Data)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "own_pay", Value: "yes"}))
	own, err := payroll.ReadOwnPay(ctx, w.App, self)
	if err != nil || len(own.Runs) != 1 || own.Runs[0].Currency != "JPY" || own.Runs[0].Gross.String() != "11201" {
		t.Errorf("what Kei sees of it: %+v %v", own, err)
	}
}

// Somebody is paid in one currency for good, and so is a group.
func TestOneCurrencyForGood(t *testing.T) {
	t.Parallel()
	w, kei, _ := inYen(t)
	ctx, mira := t.Context(), w.Person(t, "Mira Castellane")
	move := func(who uuid.UUID, group string, from when.Date) error {
		return w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: who, Field: "period_group", Value: group, From: from})
	}
	first := when.NewDate(2026, 11, 8)
	if r := apptest.Refusal(t, move(kei, "", first+3)); r.Field != "period_group" || !strings.Contains(r.Wrong, "Kei Aramaki") {
		t.Errorf("from yen to dollars in the middle: %+v", r)
	}
	apptest.Must(t, move(kei, "", first)) // nothing was paid yet, and it was wrong from the first day
	apptest.Must(t, move(kei, "Ferry", first))
	if r := apptest.Refusal(t, move(w.Person(t, "Dao Pham").ID, "Ferry", first)); r.Field != "period_group" {
		t.Errorf("who was paid in dollars gets yen: %+v", r)
	}
	put := payroll.PutPeriodGroup{Title: "Ferry", Kind: "weekly", Anchor: "2026-11-08", Currency: "EUR"}
	if r := apptest.Refusal(t, w.Do(ctx, mira, put)); r.Field != "currency" {
		t.Errorf("a group with people in it gets another currency: %+v", r)
	}
	put.Title, put.Currency = "Other", "yen"
	if r := apptest.Refusal(t, w.Do(ctx, mira, put)); r.Field != "currency" {
		t.Errorf("no currency: %+v", r)
	}
	put.Currency = "CAD"
	apptest.Must(t, w.Do(ctx, mira, put))
	put.Currency = "EUR" // nobody is in it
	apptest.Must(t, w.Do(ctx, mira, put))
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Monthly", Kind: "monthly"})) // in the company's
	if r := apptest.Refusal(t, move(kei, "Monthly", first+7)); r.Field != "period_group" {
		t.Errorf("from yen to another group in dollars: %+v", r)
	}
}
