package payroll_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
	"manudex/store"
)

// A card approved after its run closed is paid in the next, once.
func TestLateCardLandsInTheNextRun(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	late := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21), late)

	seconds := func(run uuid.UUID) (n int64) {
		return dbtest.Get[int64](t, w, `select coalesce(sum(seconds), 0) from pay_line where run_id = $1 and employment_id = $2
			and date = $3 and kind = 'straight'`, run, late.Employment, late.Date.String())
	}
	first, period := apptest.CloseOpenRun(t, w)
	if n := seconds(first); n != 0 {
		t.Errorf("an unapproved card was paid %d s", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card where date between $1 and $2 and state <> 'paid' and open_since is null
		and employment_id = $3`, period.From.String(), period.To.String(), late.Employment); n != 1 {
		t.Errorf("%d cards of the late one are not paid, want 1", n)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: late}))
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if len(page.Rows) == 0 || page.CanClose {
		t.Errorf("the next run has %d people, can close %v before its end", len(page.Rows), page.CanClose)
	}
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	second, _ := apptest.CloseOpenRun(t, w)
	worked := dbtest.Get[int64](t, w, `select worked from card where employment_id = $1 and date = $2`, late.Employment, late.Date.String())
	if n := seconds(second); n != worked || n != 10*3600+21*60 {
		t.Errorf("the second run pays %d s of %d", n, worked)
	}
	if s := dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = $2`, late.Employment,
		late.Date.String()); s != "paid" {
		t.Errorf("the late card is %s", s)
	}
	// His week had overtime because of it: the premium came along.
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line where run_id = $1 and employment_id = $2 and kind = 'overtime_premium'
		and amount > 0`, second, late.Employment); n == 0 {
		week := dbtest.Get[int64](t, w, `select sum(worked) from card where employment_id = $1
			and date between '2026-11-08' and '2026-11-14'`, late.Employment)
		if week > 40*3600 {
			t.Errorf("no premium on a week of %d s", week)
		}
	}
	// All runs together pay every approved second exactly once.
	paid := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where kind = 'straight'`)
	approved := dbtest.Get[int64](t, w, `select sum(worked) from card where state = 'paid'`)
	if paid != approved {
		t.Errorf("runs paid %d s, paid cards hold %d s", paid, approved)
	}
	apptest.AllConsistent(t, w)
}

func TestClosingIsRefused(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	seen := page.Period.From.String() + " " + page.Total.Gross
	if err := w.Do(ctx, sana, payroll.CloseRun{ID: apptest.NewID(), Seen: seen}); err == nil ||
		!strings.Contains(err.Error(), "still running") {
		t.Errorf("before the period ended: %v", err)
	}
	w.Set(time.Date(2026, 11, 22, 9, 0, 0, 0, time.UTC)) // four in the morning after
	apptest.AnswerAll(t, w, store.LeftOut)
	if err := w.Do(ctx, sana, payroll.CloseRun{ID: apptest.NewID(), Seen: "2026-11-08 1.00"}); err == nil ||
		!strings.Contains(err.Error(), "changed while you were looking") {
		t.Errorf("another sum than was shown: %v", err)
	}
	_, err = w.DB.Exec(`update person set level = 'owner' where given_name = 'Ines' and family_name = 'Okonjo'`)
	apptest.Must(t, err)
	if err := w.Do(ctx, w.Person(t, "Ines Okonjo"), payroll.CloseRun{ID: apptest.NewID(), Seen: seen}); err == nil ||
		!strings.Contains(err.Error(), "Your own pay is in this run") {
		t.Errorf("own pay: %v", err)
	}
}

// Two people press "close" at once: one run is closed.
func TestClosingTwiceAtOnce(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	sana := w.Person(t, "Sana Verity")
	apptest.AnswerAll(t, w, store.LeftOut)
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	before := dbtest.Get[int](t, w, `select count(*) from run`)
	var wg sync.WaitGroup
	for range 4 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			// all but one are refused
			_ = w.Do(ctx, sana, payroll.CloseRun{ID: apptest.NewID(), Seen: page.Period.From.String() + " " + page.Total.Gross})
		}()
	}
	wg.Wait()
	if n := dbtest.Get[int](t, w, `select count(*) from run`); n != before+1 {
		t.Errorf("%d runs were closed", n-before)
	}
}

// A closing whose answer was lost is sent again, and answered as it would have
// been; another of the same id is not.
func TestClosingSentTwice(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	sana := w.Person(t, "Sana Verity")
	apptest.AnswerAll(t, w, store.LeftOut)
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	act := payroll.CloseRun{ID: apptest.NewID(), Seen: page.Period.From.String() + " " + page.Total.Gross}
	before := dbtest.Get[int](t, w, `select count(*) from run`)
	apptest.Must(t, w.Do(ctx, sana, act))
	apptest.Must(t, w.Do(ctx, sana, act))
	if n := dbtest.Get[int](t, w, `select count(*) from run`); n != before+1 {
		t.Errorf("%d runs were closed", n-before)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where about = $1`, act.ID); n != 1 {
		t.Errorf("it is told of %d times", n)
	}
	other := act
	other.Seen = page.Period.From.String() + " 1.00"
	if err := w.Do(ctx, sana, other); !errors.Is(err, app.ErrConflict) {
		t.Errorf("the same id with another sum: %v", err)
	}
	if err := w.Do(ctx, w.Person(t, "Orla Ebbwater"), act); !errors.Is(err, app.ErrConflict) {
		t.Errorf("the same id by somebody else: %v", err)
	}
}

// The file holds exactly the seconds of the cards and the cents of the run.
func TestRunFile(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	run := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`)
	lines, _, r, err := payroll.RunLines(ctx, w.App, sana, run)
	apptest.Must(t, err)
	var b bytes.Buffer
	apptest.Must(t, files.WriteRun(&b, lines))
	rows, err := csv.NewReader(&b).ReadAll()
	apptest.Must(t, err)
	var tenThousandths decimal.Decimal
	var amount decimal.Decimal
	for _, row := range rows[1:] {
		amount = amount.Add(decimal.RequireFromString(row[18]))
		if row[13] == "straight" {
			tenThousandths = tenThousandths.Add(decimal.RequireFromString(row[15]).Mul(decimal.New(3600, 0)).Round(0))
		}
	}
	seconds := dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where run_id = $1 and kind = 'straight'`, run)
	if !tenThousandths.Equal(decimal.New(seconds, 0)) || len(rows) != len(lines)+1 {
		t.Errorf("the file holds %s s, the run %d s", tenThousandths, seconds)
	}
	if !amount.Equal(r.Gross) {
		t.Errorf("the file pays %s, the run %s", amount, r.Gross)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line l where run_id = $1 and kind = 'straight' and not exists
		(select 1 from card c where c.employment_id = l.employment_id and c.state = 'paid'
		and c.date between l.date - 1 and l.date)`, run); n != 0 {
		t.Errorf("%d lines have no paid card behind them", n)
	}
}

// Prevailing wage: on public work the higher of the determination and the
// person's own rate is paid.
func TestPrevailingWage(t *testing.T) {
	w := dbtest.Open(t)
	n := dbtest.Get[int](t, w, `select count(*) from pay_line l join job_wage j on j.job_id = l.job_id and j.class_id = l.class_id
		where l.kind = 'straight' and l.rate < j.base_rate`)
	some := dbtest.Get[int](t, w, `select count(*) from pay_line l join job_wage j on j.job_id = l.job_id and j.class_id = l.class_id
		where l.kind = 'straight' and l.rate = j.base_rate`)
	if n != 0 || some == 0 {
		t.Errorf("%d lines below the wage determination, %d at it", n, some)
	}
}

// An account that is required holds a run up until it is given; the lines keep
// the one they were paid under.
func TestAccounts(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity"), w.Person(t, "Dao Pham")
	set := func(field, value string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: field, Value: value}))
	}
	set("coding", "required")
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if page.CanClose || !strings.Contains(page.WhyNot, "missing for Dao Pham") {
		t.Errorf("without the account: %v, %s", page.CanClose, page.WhyNot)
	}
	set("account", "5100-harbour")
	run, _ := apptest.CloseOpenRun(t, w)
	set("account", "9999")
	lines, _, _, err := payroll.RunLines(ctx, w.App, sana, run)
	apptest.Must(t, err)
	accounts := map[string]int{}
	for _, l := range lines {
		if l.Family == "Pham" {
			accounts[l.Account]++
		} else if l.Account != "" {
			t.Errorf("%s has the account %s", l.Family, l.Account)
		}
	}
	if len(accounts) != 1 || accounts["5100-harbour"] == 0 {
		t.Errorf("the lines are booked to %v", accounts)
	}
	var b bytes.Buffer
	apptest.Must(t, files.WriteRun(&b, lines))
	rows, err := csv.NewReader(&b).ReadAll()
	apptest.Must(t, err)
	if head := rows[0]; head[len(head)-2] != "account" {
		t.Errorf("the last column but one is %s", head[len(head)-1])
	}
	// Somebody added to a crew with an account begins with it.
	unit := dbtest.Get[uuid.UUID](t, w, `select id from unit where name = 'Harbour crew'`)
	site := dbtest.Get[uuid.UUID](t, w, `select site_id from unit where id = $1`, unit)
	apptest.Must(t, w.Do(ctx, mira, company.PutUnit{ID: unit, Kind: "crew", Title: "Harbour crew", Account: "5100", Site: site}))
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPerson{ID: id,
			Values: map[string]string{"given_name": "A", "family_name": "B", "unit": "Harbour crew", "starts_on": "2026-11-24"}}))
	if got := dbtest.Get[string](t, w, `select account from employment where person_id = $1`, id); got != "5100" {
		t.Errorf("a new person begins with the account %q", got)
	}
}

// Double time stands apart from overtime, open and closed.
func TestDoubleTimeStandsApart(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	_, err := w.DB.Exec(`update rule_set set rules = '{"daily_overtime_after": "6", "daily_double_after": "8"}'`)
	apptest.Must(t, err)
	sana := w.Person(t, "Sana Verity") // only now is the place read
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	open, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	id, _ := apptest.CloseOpenRun(t, w)
	closed, err := payroll.PayRun(ctx, w.App, sana, id)
	apptest.Must(t, err)
	if open.Total.Double == 0 || open.Total.Overtime == 0 ||
		open.Total.Double != closed.Total.Double || open.Total.Overtime != closed.Total.Overtime ||
		open.Total.Regular != closed.Total.Regular {
		t.Errorf("open %+v, closed %+v", open.Total, closed.Total)
	}
}

// Hours that were reported are classed by the rules as any, by the week; a line is booked to the
// account that was said for it, else to the job's; a later change of somebody's own account
// moves nothing that was paid.
func TestReportedHoursArePaid(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	viggo := w.Person(t, "Ruth Adeyemi")
	e := *viggo.Employment
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "account_words", Value: "paint = 4711"}))
	said := apptest.Work(t, w, "2226", "Priming")
	plain := apptest.Work(t, w, "2229", "Coating")
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: plain.Job, Field: "job_account", Value: "5000"}))
	said.Account = "paint"
	w.Set(time.Date(2026, 11, 22, 15, 0, 0, 0, time.UTC)) // the second week is over
	if viggo.OnClock() {
		apptest.Must(t, w.Do(ctx, mira, hours.EndStint{ID: apptest.NewID(), Employment: e, At: dbtest.Now.Add(time.Hour),
			Why: "went home"}))
	}
	sunday := when.NewDate(2026, 11, 15)
	for d := sunday + 1; d <= sunday+5; d++ {
		for on, length := range map[clock.Assignment]string{said: "6", plain: "4"} {
			apptest.Must(t, w.Do(ctx, mira, hours.ReportHours{ID: apptest.NewID(), Employment: e, Date: d, On: on, Hours: length}))
		}
		apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: hours.CardRef{Employment: e, Date: d}, Why: "as told"}))
	}
	w.Set(apptest.AfterPeriod)
	run, _ := apptest.CloseOpenRun(t, w)
	lines, _, _, err := payroll.RunLines(ctx, w.App, sana, run)
	apptest.Must(t, err)
	worked := map[string]int64{}
	for _, l := range lines {
		if l.Family == viggo.Family && l.Given == viggo.Given && l.Kind == "straight" && l.Date > sunday {
			worked[l.Class] += l.Seconds
			worked[l.Job+" "+l.Account] += l.Seconds
		}
	}
	if worked["regular"] != 40*3600 || worked["overtime"] != 10*3600 || worked["2226 4711"] != 30*3600 || worked["2229 5000"] != 20*3600 {
		t.Errorf("the week pays %v", worked)
	}
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Employment: e, Field: "account",
		Value: "6000"}))
	if _, gross := apptest.Share(t, w, e); !gross.IsZero() {
		t.Errorf("a change of the account owes %s", gross)
	}
	apptest.Consistent(t, w)
}
