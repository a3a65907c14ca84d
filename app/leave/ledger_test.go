package leave_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/leave"
	core "manudex/core/leave"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
	"manudex/store"
)

// lines are what is booked to somebody's account of a kind for the days since one, added up.
func lines(t *testing.T, w *dbtest.World, who app.Actor, kind uuid.UUID, since when.Date) string {
	t.Helper()
	return dbtest.Get[string](t, w, `select coalesce(string_agg(to_char(date, 'MM-DD') || ' ' || what || ' ' || trim_scale(amount), ', '
		order by date, what), '') from (select l.date, l.what, sum(l.amount) as amount from leave_line l join leave_account a
		on a.id = l.account_id where l.employment_id = $1 and a.kind_id = $2 and l.date >= $3
		and a.seq = (select max(seq) from leave_account where employment_id = $1 and kind_id = $2)
		group by l.date, l.what having sum(l.amount) <> 0) x`, *who.Employment, kind, since.String())
}

// booked counts the lines of everybody.
func booked(t *testing.T, w *dbtest.World) int {
	t.Helper()
	return dbtest.Get[int](t, w, `select count(*) from leave_line`)
}

// own reads somebody's account of a kind.
func own(t *testing.T, w *dbtest.World, who app.Actor, kind uuid.UUID) leave.OwnAccount {
	t.Helper()
	o, err := leave.ReadOwn(t.Context(), w.App, who, leave.Question{})
	apptest.Must(t, err)
	for _, a := range o.Accounts {
		if a.LeaveAccount.Kind == kind {
			return a
		}
	}
	t.Fatalf("no account of the kind among %d", len(o.Accounts))
	return leave.OwnAccount{}
}

// What is due is booked by night, once, also where two nodes book at once; a day that comes to
// something else later is corrected by the difference; the balance that is shown is the sum of
// the ledger with what will be booked tonight.
func TestTheLedgerIsBooked(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual, sick := kind(t, w, "Annual leave"), kind(t, w, "Sick leave")
	since := when.NewDate(2026, 11, 14)
	if n := booked(t, w); n == 0 {
		t.Fatal("nothing is booked in the demo world")
	}
	before := booked(t, w)
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if n := booked(t, w); n != before {
		t.Errorf("booked again on the same day: %d lines more", n-before)
	}
	w.Set(w.At().AddDate(0, 0, 17)) // to the last of November
	var both sync.WaitGroup
	for range 2 {
		both.Go(func() {
			if err := leave.BookAll(context.WithoutCancel(ctx), w.App); err != nil {
				t.Error(err)
			}
		})
	}
	both.Wait()
	if got := lines(t, w, dao, annual, since); got != "11-30 earn 10" {
		t.Errorf("by two at once is booked %q", got)
	}
	// Somebody approves a day of two weeks ago, and later it is corrected.
	worked := func(seconds int, state string) {
		if _, err := w.DB.Exec(`update card set worked = $3, state = $4 where employment_id = $1 and date = $2`, *dao.Employment,
			"2026-11-13", seconds, state); err != nil {
			t.Fatal(err)
		}
	}
	of := func() string { return lines(t, w, dao, sick, when.NewDate(2026, 11, 13)) }
	worked(0, "open")
	none := own(t, w, dao, sick)
	worked(30*3600/4, "open")
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if got := of(); got != "" {
		t.Errorf("hours that nobody approved earned %q", got)
	}
	if a := own(t, w, dao, sick); (a.More-none.More).String() != "0.25" || (a.Pending-none.Pending).String() != "7.50" {
		t.Errorf("7:30 that nobody approved will earn %s (%s)", a.More-none.More, a.Pending-none.Pending)
	}
	worked(30*3600/4, "approved")
	shown := own(t, w, dao, sick)
	if len(shown.Due) != 1 || shown.Due[0].Amount.String() != "0.25" {
		t.Errorf("to be booked tonight: %+v", shown.Due)
	}
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if got := of(); got != "11-13 earn 0.25" {
		t.Errorf("once approved they earned %q", got)
	}
	worked(30*3600/2, "approved")
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if got := of(); got != "11-13 earn 0.5" {
		t.Errorf("corrected they earned %q", got)
	}
	after := own(t, w, dao, sick)
	if len(after.Lines) < 2 || !after.Lines[0].Again || after.Lines[0].Amount != "0.250000" {
		t.Errorf("the correction is a line of its own: %+v", after.Lines[:2])
	}
	// An adjustment is booked as it is made, and the sum is what is shown.
	apptest.Must(t, w.Do(ctx, mira, leave.AdjustLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: annual, Date: since,
		Amount: "-2.5", Why: "brought in wrong"}))
	if got := lines(t, w, dao, annual, since); got != "11-14 adjust -2.5, 11-30 earn 10" {
		t.Errorf("put right: %q", got)
	}
	sum := dbtest.Get[string](t, w, `select trim_scale(sum(l.amount))::text from leave_line l join leave_account a on a.id = l.account_id
		where l.employment_id = $1 and a.kind_id = $2`, *dao.Employment, annual)
	if shown := own(t, w, dao, annual).Now.Balance.String(); strings.TrimSuffix(shown, "0") != strings.TrimSuffix(sum, "0") &&
		shown != sum+".00" {
		t.Errorf("shown is %s, the sum is %s", shown, sum)
	}
}

// Who gets another policy without a balance being written keeps theirs; one may have figures of
// their own; what somebody leaves with is owed where the policy says so, and stands in the ledger.
func TestAnotherPolicy(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual := kind(t, w, "Annual leave")
	was := own(t, w, dao, annual).Now.Balance
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: annual, Name: "12 a month",
		Policy: []byte(`{"earn": {"every": "month", "day": 31, "amount": "12"}, "cap": "400", "paid_out": true}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, From: when.NewDate(2026, 11, 12)}))
	a := own(t, w, dao, annual)
	if a.PolicyName != "12 a month" || a.Opening == "" || a.Now.Balance != was {
		t.Errorf("given anew: %s with %s, before %s", a.PolicyName, a.Now.Balance, was)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, From: when.NewDate(2026, 11, 12),
		Employment: *dao.Employment, Opening: "95", Own: []byte(`{"cap": "100"}`)}))
	a = own(t, w, dao, annual)
	if last := a.Forecast[len(a.Forecast)-1].Balance.String(); last != "100.00" {
		t.Errorf("with a cap of their own it goes on to %s", last)
	}
	if _, err := w.DB.Exec(`update employment set ends_on = '2026-12-04' where id = $1`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	w.Set(w.At().AddDate(0, 0, 30))
	apptest.Must(t, leave.BookAll(ctx, w.App))
	if got := lines(t, w, dao, annual, when.NewDate(2026, 11, 13)); !strings.HasSuffix(got, "12-04 paid_out -100") {
		t.Errorf("at leaving there is owed: %s", got)
	}
}

// Balances come in by a file, each person with the policy that their row names; the same file
// again changes nothing; taken back, everybody has what they had.
func TestBalancesFromAFile(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, wren, mira := w.Person(t, "Dao Pham"), w.Person(t, "Wren Halloran"), w.Person(t, "Mira Castellane")
	annual := kind(t, w, "Annual leave")
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: annual, Name: "By the month", Policy: []byte(`{"earn": {"every": "month",
		"day": 31, "amount": "8"}}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	was := own(t, w, dao, annual).Now.Balance
	rows := [][]string{{"Employee", "Policy", "As of", "Balance", "Cap", "Usable from"},
		{dao.Number, "by the month", "2026-10-31", "41.5", "60", "2027-02-01"}, {wren.Number, "By the month", "2026-10-31", "7", "", ""}}
	p := apptest.TakeFile(t, w, mira, bringin.LeaveFile, rows)
	if got := apptest.RowCounts(p); got != "0 2 0 0" {
		t.Errorf("it would change %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.LeaveFile, Import: p.ID}))
	a := own(t, w, dao, annual)
	if a.Now.Balance.String() != "41.50" || a.Now.Usable != 0 || a.Forecast[len(a.Forecast)-1].Balance.String() != "60.00" {
		t.Errorf("with their own figures: %s, usable %s, at the end %s", a.Now.Balance, a.Now.Usable, a.Forecast[len(a.Forecast)-1].Balance)
	}
	if got := own(t, w, wren, annual).Now.Balance.String(); got != "7.00" {
		t.Errorf("the second row: %s", got)
	}
	if got := apptest.RowCounts(apptest.TakeFile(t, w, mira, bringin.LeaveFile, rows)); got != "0 0 2 0" {
		t.Errorf("the same file again: %s", got)
	}
	var done app.Undone
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: p.ID, Tell: func(d app.Undone) { done = d }}))
	if got := own(t, w, dao, annual); got.Now.Balance != was || got.PolicyName == "By the month" || !strings.Contains(done.Words, "2") {
		t.Errorf("taken back: %s %s, %q", got.PolicyName, got.Now.Balance, done.Words)
	}
	if err := w.Do(ctx, mira, app.Undo{Batch: p.ID}); err == nil {
		t.Error("it was taken back twice")
	}
}

// A trial works out two years of somebody made up, with what the year's limit kept from being
// earned.
func TestTrial(t *testing.T) {
	from := when.NewDate(2025, 12, 31)
	tried, err := leave.Trial{Policy: []byte(`{"earn": {"every": "hours_worked", "amount": "1", "per": "30"}, "earn_limit": "40"}`),
		Hired: from + 1, From: from, Until: from + 730, Weekly: core.Amount(40_000_000), Takes: core.Amount(2_000_000)}.Try()
	apptest.Must(t, err)
	var earned, taken, limited core.Amount
	for _, l := range tried.Ledger {
		switch l.Kind {
		case core.Earned:
			earned += l.Amount
		case core.Taken:
			taken -= l.Amount
		}
	}
	for _, l := range tried.Limited {
		limited += l.Amount
	}
	// 261 working days of 2026 and of 2027 at 8 hours: 69.60 each, of which 40 are earned.
	if earned.String() != "80.00" || taken.String() != "48.00" || limited.String() != "59.20" {
		t.Errorf("earned %s, taken %s, kept from being earned %s", earned, taken, limited)
	}
}

// With a person go the reasons of their leave, and the papers; the hours stay, and nothing else of
// it changes.
func TestReasonsAreErased(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	doctor := leave.PutLeaveKind{ID: apptest.NewID(), Name: "Doctor", PayCode: "DOC", Low: "warn", Few: "warn", Photo: true}
	apptest.Must(t, w.Do(ctx, mira, doctor))
	ask := leave.AskLeave{ID: apptest.NewID(), Kind: doctor.ID, Days: when.Period{From: monday, To: monday}, Note: "the knee",
		Photo: files.Photo{JPEG: []byte("x"), Width: 1, Height: 1}}
	apptest.Must(t, w.Do(ctx, dao, ask))
	if jpeg, err := leave.ReadPaper(ctx, w.App, mira, ask.ID); err != nil || string(jpeg) != "x" {
		t.Errorf("whoever decides reads the paper as %q, %v", jpeg, err)
	}
	if _, err := leave.ReadPaper(ctx, w.App, w.Person(t, "Wren Halloran"), ask.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("somebody else reads it: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{ask.ID}, Why: "the knee is fine"}))
	apptest.Must(t, w.Do(ctx, mira, leave.AdjustLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: kind(t, w, "Sick leave"),
		Date: monday, Amount: "4", Why: "for the knee"}))
	for _, sql := range []string{`update leave_request set note = 'else'`, `update leave_act set does = 'approve'`,
		`update leave_adjustment set amount = 5`, `delete from leave_request_day`} {
		if _, err := w.DB.Exec(sql); err == nil {
			t.Errorf("%s is let", sql)
		}
	}
	apptest.Must(t, store.ErasePerson(ctx, w.DB, dao.ID, w.At()))
	if n := dbtest.Get[int](t, w, `select (select count(*) from leave_request where note like '%knee%')
		+ (select count(*) from leave_act where why like '%knee%') + (select count(*) from leave_adjustment where why like '%knee%')
		+ (select count(*) from leave_photo)`); n != 0 {
		t.Errorf("%d reasons or papers are left", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from leave_adjustment where employment_id = $1 and amount = 4`,
		*dao.Employment); n != 1 {
		t.Errorf("the hours of it are there %d times", n)
	}
}
