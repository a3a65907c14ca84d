package payroll_test

import (
	"context"
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
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// afterPeriod is when the open run of the demo world can be closed.
var afterPeriod = time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)

// whole is nil where closed runs are what was kept of them.
func whole(t *testing.T, w *dbtest.World) payroll.RunVerdict {
	t.Helper()
	v, err := payroll.VerifyRuns(context.Background(), w.DB)
	apptest.Must(t, err)
	return v
}

// paidIn is what runs paid an employment, all together, or one.
func paidIn(t *testing.T, w *dbtest.World, employment uuid.UUID, run uuid.UUID) decimal.Decimal {
	t.Helper()
	return dbtest.Get[decimal.Decimal](t, w, `select coalesce(sum(amount), 0) from pay_line where employment_id = $1
		and ($2 = '00000000-0000-0000-0000-000000000000'::uuid or run_id = $2) and kind not in ('fringe_plan',
			'deduction')`, employment, run)
}

// Nobody closes over silence: each person with hours that nobody approved is answered by name.
func TestNobodyClosesOverSilence(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana, orla := w.Person(t, "Sana Verity"), w.Person(t, "Orla Ebbwater")
	tomasz := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	other := dbtest.Get[string](t, w, `select min(p.given_name || ' ' || p.family_name) from card c
		join employment e on e.id = c.employment_id join person p on p.id = e.person_id
		where c.date = $1 and c.state in ('open', 'signed') and c.worked > 0 and e.id <> $2
		and not exists (select from card r where r.employment_id = e.id and r.open_since is not null)`,
		apptest.Thursday.String(), tomasz.Employment)
	lena := apptest.Ref(t, w, other, apptest.Thursday)
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21), tomasz, lena)
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if page.CanClose || !strings.Contains(page.WhyNot, "Nobody has said what becomes of the hours of") ||
		!strings.Contains(page.WhyNot, "Tomasz Brandt") {
		t.Errorf("over silence: %v, %s", page.CanClose, page.WhyNot)
	}
	say := func(e uuid.UUID, answer, reason string) error {
		return w.Do(ctx, sana, payroll.AnswerHours{ID: apptest.NewID(), Employment: e, Answer: answer, Reason: reason})
	}
	if r := apptest.Refusal(t, say(lena.Employment, store.LeftOut, " ")); r.Field != "reason" {
		t.Errorf("left out without a reason: %+v", r)
	}
	before := page.Total.Gross
	apptest.Must(t, say(lena.Employment, store.LeftOut, "hours in dispute"))
	apptest.Must(t, say(tomasz.Employment, store.AsClocked, ""))
	apptest.AnswerAll(t, w, store.LeftOut) // those who are still on the clock
	page, err = payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if !page.CanClose || page.Total.Gross == before {
		t.Errorf("answered: %v, %s; %s was %s", page.CanClose, page.WhyNot, page.Total.Gross, before)
	}
	run, _ := apptest.CloseOpenRun(t, w)
	worked := func(c hours.CardRef) (n int64) {
		return dbtest.Get[int64](t, w,
			`select coalesce(sum(seconds), 0) from pay_line where run_id = $1 and employment_id = $2 and date = $3
			and kind = 'straight'`, run, c.Employment, c.Date.String())
	}
	if n := worked(tomasz); n != 10*3600+21*60 {
		t.Errorf("as clocked %d s are paid", n)
	}
	if n := worked(lena); n != 0 {
		t.Errorf("left out, %d s are paid", n)
	}
	page, err = payroll.PayRun(ctx, w.App, sana, run)
	apptest.Must(t, err)
	said := map[string]string{}
	for _, a := range page.Answered {
		said[a.Name()] = a.Answer
		if a.Name() == other && (a.Reason != "hours in dispute" || a.PayBy == nil || *a.PayBy != when.NewDate(2026, 12, 6)) {
			t.Errorf("left out: %+v", a)
		}
	}
	if said[other] != store.LeftOut || said["Tomasz Brandt"] != store.AsClocked {
		t.Errorf("the closed run says %v", said)
	}
	apptest.AllConsistent(t, w)
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
	// Looked at later: his hours are put right by an hour, and somebody approves; the next run pays the difference.
	paid := paidIn(t, w, tomasz.Employment, uuid.Nil)
	state := func() string {
		return dbtest.Get[string](t, w,
			`select state || ' ' || adjust || ' ' || late_change from card where employment_id = $1 and date = $2`,
			tomasz.Employment, tomasz.Date.String())
	}
	if s := state(); s != "paid true true" {
		t.Errorf("paid as clocked the card is %s", s)
	}
	if _, gross := apptest.Share(t, w, tomasz.Employment); !gross.IsZero() {
		t.Errorf("before anybody looked the next run owes %s", gross)
	}
	apptest.Must(t, w.Do(ctx, orla, hours.Approve{Card: tomasz}))
	if s := state(); s != "paid true false" {
		t.Errorf("looked at, the card is %s", s)
	}
	if _, gross := apptest.Share(t, w, tomasz.Employment); !gross.IsZero() {
		t.Errorf("approved as it was paid, the next run owes %s", gross)
	}
	if now := paidIn(t, w, tomasz.Employment, uuid.Nil); !now.Equal(paid) {
		t.Errorf("paid %s, and then %s", paid, now)
	}
}

// A check is a second person's, holds what it saw, and lapses by name when anything changes.
func TestACheckLapses(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana, mira, orla := w.Person(t, "Sana Verity"), w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater")
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "second_check", Value: "yes"}))
	late := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21), late)
	apptest.AnswerAll(t, w, store.LeftOut)
	open := func() *payroll.RunPage {
		t.Helper()
		page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
		apptest.Must(t, err)
		return page
	}
	seen := func(p *payroll.RunPage) string { return p.Period.From.String() + " " + p.Total.Gross }
	if p := open(); p.CanClose || !strings.Contains(p.WhyNot, "Nobody has looked this run over yet") {
		t.Errorf("unchecked: %s", p.WhyNot)
	}
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.CheckRun{ID: apptest.NewID(), Seen: "2026-11-08 1.00"})); r.Field != "run" {
		t.Errorf("another sum than was shown: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, sana, payroll.CheckRun{ID: apptest.NewID(), Seen: seen(open())}))
	if p := open(); p.CanClose || !strings.Contains(p.WhyNot, "You checked this run yourself") {
		t.Errorf("checked by oneself: %s", p.WhyNot)
	}
	apptest.Must(t, w.Do(ctx, mira, payroll.CheckRun{ID: apptest.NewID(), Seen: seen(open())}))
	if p := open(); !p.CanClose || p.Lapsed {
		t.Errorf("checked by another: %s", p.WhyNot)
	}
	apptest.Must(t, w.Do(ctx, orla, hours.Approve{Card: late}))
	p := open()
	if p.CanClose || !p.Lapsed || !strings.Contains(p.WhyNot, "It changed since Mira Castellane checked it") {
		t.Errorf("an approval after it: %v %s", p.Lapsed, p.WhyNot)
	}
	if len(p.Differs) != 1 || p.Differs[0].Name() != "Tomasz Brandt" || p.Differs[0].Was == p.Differs[0].Is {
		t.Errorf("what differs: %+v", p.Differs)
	}
	apptest.Must(t, w.Do(ctx, mira, payroll.CheckRun{ID: apptest.NewID(), Seen: seen(p)}))
	apptest.CloseOpenRun(t, w)
}

// What was paid is worked out from what was kept with it, whatever becomes of everything else.
func TestAClosedRunRestsOnWhatWasKept(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	late := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	apptest.Must(t, w.Do(context.Background(), w.Person(t, "Sana Verity"), payroll.PutDifferential{ID: apptest.NewID(), Title: "CRANE",
		From: "06:00", To: "12:00", PerHour: "2", First: "2026-11-08", Employments: []uuid.UUID{*w.Person(t, "Dao Pham").Employment}}))
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21), late)
	apptest.CloseOpenRun(t, w)
	apptest.Must(t, w.Do(context.Background(), w.Person(t, "Orla Ebbwater"), hours.Approve{Card: late}))
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	apptest.CloseOpenRun(t, w) // which looks at an earlier week again
	v := whole(t, w)
	if len(v.Wrong) > 0 || v.Runs-v.Older != 10 || v.Lines < 500 || len(v.Last) != 32 {
		t.Fatalf("kept: %d runs, %d older, %d lines, %v", v.Runs, v.Older, v.Lines, v.Wrong)
	}
	for _, change := range []string{
		`update stint set end_at = end_at - interval '1 minute' where end_at > start_at + interval '1 hour'`,
		`update card set worked = worked + 60`, `update rate set amount = amount * 2`,
		`update rule_set set rules = '{"daily_overtime_after": "4"}'`, `update leave_day set seconds = 3600, pay_code = 'X'`,
		`update pay_code set code = 'Y'`, `update job set number = number || 'x'`, `update job_wage set base_rate = base_rate + 1`,
		`update terms set hourly = false`, `update company set period_kind = 'weekly', zone = 'Asia/Tokyo'`,
		`update employment set account = 'moved'`, `delete from holiday`, `delete from settled_stint`,
	} {
		if _, err := w.DB.Exec(change); err != nil {
			t.Fatalf("%s: %v", change, err)
		}
		if now := whole(t, w); len(now.Wrong) > 0 {
			t.Errorf("after %s: %v", change, now.Wrong)
		}
	}
	_,
		err := w.DB.Exec(`alter table pay_line disable trigger all;
		alter table run_person disable trigger all; alter table run disable trigger all`)
	apptest.Must(t, err)
	for change, wrong := range map[string]string{
		`update pay_line set amount = amount + 0.01 where position = 1
			and run_id = (select id from run order by number desc limit 1)`: "were paid",
		`update run set why = 'x' where number = (select max(number) from run)`:                                 "is not what its digest",
		`update run_person set reason = reason || '.' where answer = 'left_out'`:                                "is not what its digest",
		`update run_person set way = 'cheque' where run_id = (select id from run order by number desc limit 1)`: "is not what its digest",
	} {
		tx, err := w.DB.Beginx()
		apptest.Must(t, err)
		_, err = tx.Exec(change)
		apptest.Must(t, err)
		now, err := payroll.VerifyRuns(context.Background(), tx)
		apptest.Must(t, err)
		apptest.Must(t, tx.Rollback())
		if text := strings.Join(now.Wrong, "; "); !strings.Contains(text, wrong) {
			t.Errorf("after %s: %q, want %s", change, text, wrong)
		}
	}
}

// Nothing is closed or checked that wasn't seen, though the gross is the same: a deduction, or hours on another job.
func TestNothingIsClosedUnseen(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	sana, mira := w.Person(t, "Sana Verity"), w.Person(t, "Mira Castellane")
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	apptest.AnswerAll(t, w, store.LeftOut)
	shown, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{
		{Employment: shown.Rows[0].Employment, Does: "deduction", What: "Tools", PayCode: "TOOLS", Amount: "1"}}}))
	seen := shown.Period.From.String() + " " + shown.Total.Gross
	now, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if now.Total.Gross != shown.Total.Gross || now.Lines == shown.Lines {
		t.Fatalf("a deduction makes %s of %s", now.Total.Gross, shown.Total.Gross)
	}
	for _, act := range []app.Act{payroll.CheckRun{ID: apptest.NewID(), Seen: seen, Lines: shown.Lines},
		payroll.CloseRun{ID: apptest.NewID(), Seen: seen, Lines: shown.Lines}} {
		if r := apptest.Refusal(t, w.Do(ctx, mira, act)); r.Wrong != "The run changed while you were looking" {
			t.Errorf("%T of what isn't there any more: %+v", act, r)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, payroll.CheckRun{ID: apptest.NewID(), Seen: seen, Lines: now.Lines}))
	apptest.Must(t, w.Do(ctx, sana, payroll.CloseRun{ID: apptest.NewID(), Seen: seen, Lines: now.Lines}))
}

// A run that is turned, its turning and the next that pays anew come to one.
func TestARunIsTurned(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana, mira := w.Person(t, "Sana Verity"), w.Person(t, "Mira Castellane")
	late := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21), late)
	apptest.AnswerAll(t, w, store.AsClocked)
	first, period := apptest.CloseOpenRun(t, w)
	cards := dbtest.Get[int](t, w, `select count(*) from card where state = 'paid'`)
	gross := func(run uuid.UUID) decimal.Decimal {
		return dbtest.Get[decimal.Decimal](t, w, `select gross from run where id = $1`, run)
	}
	turn := func(by uuid.UUID, run uuid.UUID, why string) (uuid.UUID, error) {
		actor := sana
		if by == mira.ID {
			actor = mira
		}
		id := apptest.NewID()
		return id, w.Do(ctx, actor, payroll.TurnRun{ID: id, Run: run, Why: why})
	}
	if _, err := turn(sana.ID, first, "wrong"); err == nil || !strings.Contains(err.Error(), "You closed this run yourself") {
		t.Errorf("by oneself, before a file was fetched: %v", err)
	}
	if _, err := turn(mira.ID, first, " "); err == nil || !strings.Contains(err.Error(), "Nobody says why") {
		t.Errorf("without a reason: %v", err)
	}
	w.Set(afterPeriod.Add(time.Minute))
	back, err := turn(mira.ID, first, "a rate was wrong")
	apptest.Must(t, err)
	if !gross(back).Equal(gross(first).Neg()) {
		t.Errorf("%s turned is %s", gross(first), gross(back))
	}
	apptest.AllConsistent(t, w)
	if n := dbtest.Get[int](t, w,
		`select count(*) from pay_line l join (select employment_id, week, date, kind, pay_code, rate, job_id, class,
		sum(seconds) s, sum(amount) a from pay_line where run_id in ($1, $2) group by 1, 2, 3, 4, 5, 6, 7, 8) x using (employment_id)
		where x.s <> 0 or x.a <> 0`, first, back); n != 0 {
		t.Errorf("%d lines don't come to nothing", n)
	}
	if _, err := turn(mira.ID, first, "again"); err == nil || !strings.Contains(err.Error(), "was turned by run") {
		t.Errorf("twice: %v", err)
	}
	if _, err := turn(mira.ID, back, "back"); err == nil || !strings.Contains(err.Error(), "turns another") {
		t.Errorf("a turning: %v", err)
	}
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if page.Period != period {
		t.Errorf("the open period is %v, want %v again", page.Period, period)
	}
	if s := dbtest.Get[string](t, w, `select string_agg(distinct state, ' ') from card where date between $1 and $2 and employment_id <> $3
		and open_since is null and worked > 0`, period.From.String(), period.To.String(), late.Employment); s != "approved" {
		t.Errorf("its cards are %s", s)
	}
	// One who was paid as clocked, and whose hours nobody has looked at, is asked about again.
	if s := dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = $2`, late.Employment,
		late.Date.String()); s != "open" {
		t.Errorf("paid as clocked, the card is %s now", s)
	}
	page, err = payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if !strings.Contains(page.WhyNot, "Nobody has said what becomes of the hours") {
		t.Errorf("what was said of the turned run stands: %q", page.WhyNot)
	}
	apptest.AnswerAll(t, w, store.AsClocked)
	second, _ := apptest.CloseOpenRun(t, w)
	if n := dbtest.Get[int](t, w, `select count(*) from card where state = 'paid'`); n != cards {
		t.Errorf("%d cards are paid, %d were", n, cards)
	}
	if sum := gross(first).Add(gross(back)).Add(gross(second)); !sum.Equal(gross(second)) {
		t.Errorf("the three come to %s, the last is %s", sum, gross(second))
	}
	if v := whole(t, w); len(v.Wrong) > 0 || v.Runs-v.Older != 11 {
		t.Errorf("kept: %d, %v", v.Runs-v.Older, v.Wrong)
	}
	// Once a file was fetched, whoever closed it turns it as well; but not under a later run.
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: late}))
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	third, _ := apptest.CloseOpenRun(t, w)
	if _, err := turn(mira.ID, second, "wrong"); err == nil || !strings.Contains(err.Error(), "goes by what it paid") {
		t.Errorf("under a later one: %v", err)
	}
	_, err = w.DB.Exec(`insert into audit (made_at, person_id, act, about) values (now(), $1, 'payrun.download', $2)`, sana.ID, third)
	apptest.Must(t, err)
	turned, err := turn(sana.ID, third, "sent twice")
	apptest.Must(t, err)
	apptest.AllConsistent(t, w)
	if s := dbtest.Get[string](t, w, `select state || adjust || late_change from card where employment_id = $1 and date = $2`,
		late.Employment,
		late.Date.String()); s != "paidtruefalse" {
		t.Errorf("a card whose change the turned run paid is %s", s)
	}
	again, _ := apptest.CloseOpenRun(t, w)
	if !gross(again).Equal(gross(third)) || !gross(turned).Equal(gross(third).Neg()) {
		t.Errorf("%s, turned %s, anew %s", gross(third), gross(turned), gross(again))
	}
	apptest.AllConsistent(t, w)
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
}
