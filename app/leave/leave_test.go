package leave_test

import (
	"errors"
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
	"manudex/app/leave"
	"manudex/app/roster"
	core "manudex/core/roster"
	"manudex/core/when"
	"manudex/dbtest"
)

var monday = when.NewDate(2026, 11, 16)

func kind(t *testing.T, w *dbtest.World, name string) uuid.UUID {
	t.Helper()
	return dbtest.Get[uuid.UUID](t, w, `select id from leave_kind where name = $1`, name)
}

// days are what is booked of somebody as leave: "11-16 28800 PTO".
func days(t *testing.T, w *dbtest.World, who app.Actor, from, to when.Date) string {
	t.Helper()
	return dbtest.Get[string](t, w,
		`select coalesce(string_agg(to_char(date, 'MM-DD') || ' ' || seconds || ' ' || pay_code, ', ' order by date),
		'') from leave_day where employment_id = $1 and date between $2 and $3`, *who.Employment, from.String(), to.String())
}

func expected(t *testing.T, w *dbtest.World, who app.Actor, d when.Date) int64 {
	t.Helper()
	return dbtest.Get[int64](t, w, `select coalesce((select greatest(expected - leave, 0) from card where employment_id = $1 and date = $2),
		-1)::bigint`, *who.Employment, d.String())
}

// Leave is asked for, decided by somebody else, and makes days: of what is expected, on the
// roster and in the pay run. Taken back it is asked for as before, withdrawn it is gone.
func TestAskedAndDecided(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	ask := leave.AskLeave{ID: apptest.NewID(), Kind: kind(t, w, "Annual leave"), Days: when.Period{From: monday + 14, To: monday + 20},
		Note: "a wedding"}
	apptest.Must(t, w.Do(ctx, dao, ask))
	apptest.Must(t, w.Do(ctx, dao, ask)) // sent again
	if n := dbtest.Get[int](t, w, `select count(*) from notice where kind = 'leave_asked' and person_id = $1`, mira.ID); n != 1 {
		t.Errorf("who decides is told %d times", n)
	}
	if got := days(t, w, dao, monday+14, monday+20); got != "" {
		t.Errorf("asked for, it is leave already: %s", got)
	}
	r, err := roster.ReadRoster(ctx, w.App, mira, roster.Query{Days: when.Period{From: monday + 13, To: monday + 19}, Find: "Dao Pham"})
	apptest.Must(t, err)
	found := 0
	for _, c := range r.People[0].Shifts {
		for _, f := range c.Findings {
			if f.Code == core.LeaveAsked {
				found++
			}
		}
	}
	if found != len(r.People[0].Shifts) || found == 0 {
		t.Errorf("of %d shifts %d say that leave is asked for", len(r.People[0].Shifts), found)
	}
	decide := leave.DecideLeave{Requests: []uuid.UUID{ask.ID}, Approve: true}
	apptest.Must(t, w.Do(ctx, mira, decide))
	const week = "11-30 28800 PTO, 12-01 28800 PTO, 12-02 28800 PTO, 12-03 28800 PTO, 12-04 28800 PTO"
	if got := days(t, w, dao, monday+14, monday+20); got != week {
		t.Errorf("approved: %s", got)
	}
	if n := expected(t, w, dao, monday+14); n > 0 {
		t.Errorf("%d s are expected on leave", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from notice where kind = 'leave_decided' and person_id = $1`, dao.ID); n != 1 {
		t.Errorf("they are told %d times", n)
	}
	if err := w.Do(ctx, mira, decide); !strings.Contains(err.Error(), "decided already") {
		t.Errorf("decided twice: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.ReopenLeave{Requests: decide.Requests}))
	if got := days(t, w, dao, monday+14, monday+20); got != "" {
		t.Errorf("taken back: %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, decide))
	apptest.Must(t, w.Do(ctx, dao, leave.WithdrawLeave{Request: ask.ID}))
	apptest.Must(t, w.Do(ctx, dao, leave.WithdrawLeave{Request: ask.ID})) // sent again
	if got := days(t, w, dao, monday+14, monday+20); got != "" {
		t.Errorf("withdrawn: %s", got)
	}
	apptest.AllConsistent(t, w)
}

// Leave that is approved is in the draft of its period once its card is approved, with its code and
// at the rate of its day, and what was expected of the day isn't missing any more.
func TestLeaveIsPaid(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	ask := leave.AskLeave{ID: apptest.NewID(), Kind: kind(t, w, "Annual leave"), Days: when.Period{From: monday, To: monday}}
	apptest.Must(t, w.Do(ctx, dao, ask))
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{ask.ID}, Approve: true}))
	w.Set(w.At().AddDate(0, 0, 4))
	before, was := apptest.Share(t, w, *dao.Employment)
	ref := hours.CardRef{Employment: *dao.Employment, Date: monday}
	apptest.Must(t, w.Do(ctx, dao, hours.Sign{Card: ref}))
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref}))
	seconds, gross := apptest.Share(t, w, *dao.Employment)
	rate := dbtest.Get[string](t, w, `select amount::text from rate where employment_id = $1 and starts_on <= '2026-11-16'
		order by starts_on desc limit 1`, *dao.Employment)
	if want := decimal.RequireFromString(rate).Mul(decimal.NewFromInt(8)).Round(2); seconds-before != 8*3600 ||
		!gross.Sub(was).Equal(want) {
		t.Errorf("a day of leave adds %d s and %s to the run, want 8 hours and %s", seconds-before, gross.Sub(was), want)
	}
	apptest.AllConsistent(t, w)
}

// Hours of a day cost no more than is expected; a holiday and a day off cost nothing; a day
// counts once.
func TestWhatItCosts(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.PutHoliday{Date: monday + 2, Title: "Founders"}))
	if _, err := w.DB.Exec(`delete from shift where employment_id = $1 and date = '2026-11-18'`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, dao, leave.AskLeave{ID: apptest.NewID(), Kind: kind(t, w, "Sick leave"), Seconds: 3 * 3600,
		Days: when.Period{From: monday, To: monday}}))
	costs := func(from, to when.Date, each int64) string {
		t.Helper()
		o, err := leave.ReadOwn(ctx, w.App, w.Person(t, "Dao Pham"), leave.Question{Days: when.Period{From: from, To: to}, Seconds: each})
		apptest.Must(t, err)
		var said []string
		for _, c := range o.Weighed.Costs {
			said = append(said, strings.TrimSpace(time.Duration(c.Seconds*1e9).String()+" "+c.Why))
		}
		return strings.Join(said, ", ")
	}
	if got := costs(monday, monday+5, 0); !strings.HasPrefix(got, "0s asked for already, 8h0m0s, 0s a holiday, 8h0m0s, 8h0m0s, ") {
		t.Errorf("a week costs %s", got)
	}
	if got := costs(monday+1, monday+1, 10*3600); got != "8h0m0s" {
		t.Errorf("ten hours of eight cost %s", got)
	}
	o, err := leave.ReadAsked(ctx, w.App, mira)
	apptest.Must(t, err)
	o.List = slices.DeleteFunc(o.List, func(a leave.AskedFor) bool { return a.Person != dao.ID }) // others wait in the demo world
	if len(o.List) != 1 || o.List[0].Seconds != 3*3600 || o.List[0].Own {
		t.Errorf("waiting: %+v", o.List)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{o.List[0].ID}, Approve: true}))
	if got := costs(monday, monday, 0); got != "5h0m0s" {
		t.Errorf("what is left of the day costs %s", got)
	}
	if n := expected(t, w, dao, monday); n != 5*3600 {
		t.Errorf("%d s are expected beside three hours of leave", n)
	}
}

// Who manages leave enters it for others: it holds at once, and says who entered it. A day
// that is over and not paid is entered too, and its card worked anew.
func TestEnteredForOthers(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	enter := leave.AskLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: kind(t, w, "Sick leave"),
		Days: when.Period{From: monday + 1, To: monday + 1}}
	apptest.Must(t, w.Do(ctx, mira, enter))
	if got := days(t, w, dao, monday+1, monday+1); got != "11-17 28800 SICK" {
		t.Errorf("entered: %s", got)
	}
	o, err := leave.ReadOwn(ctx, w.App, dao, leave.Question{})
	apptest.Must(t, err)
	if len(o.Requests) != 1 || o.Requests[0].AskedName != "Mira Castellane" || !o.Requests[0].Booked() {
		t.Errorf("they see %+v", o.Requests)
	}
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	if got := dbtest.Get[int64](t, w, `select coalesce(sum(seconds), 0)::bigint from pay_line where run_id = $1 and employment_id = $2
		and kind = 'leave' and date = '2026-11-17'`, run, *dao.Employment); got != 8*3600 {
		t.Errorf("the run pays %d s of it", got)
	}
	if err := w.Do(ctx, mira, leave.ReopenLeave{Requests: []uuid.UUID{enter.ID}}); err == nil || !strings.Contains(err.Error(),
		"paid already") {
		t.Errorf("taken back once it is paid: %v", err)
	}
	if err := w.Do(ctx, dao, enter); !errors.Is(err, app.ErrConflict) && !errors.Is(err, app.ErrNotFound) {
		t.Errorf("another's under the same id: %v", err)
	}
	apptest.AllConsistent(t, w)
}

// A balance is earned by a policy, goes with what is taken and put right, and limits what is asked
// for, with what is asked for already.
func TestBalances(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual := kind(t, w, "Annual leave")
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: annual, Name: "8 a month",
		Policy: []byte(`{"earn": {"every": "month", "day": 31, "amount": "8"}, "cap": "40"}`)}
	give := leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, From: when.NewDate(2026, 9, 30), Opening: "12.5"}
	for range 2 { // sent again
		apptest.Must(t, w.Do(ctx, mira, policy))
		apptest.Must(t, w.Do(ctx, mira, give))
	}
	stands := func() string {
		t.Helper()
		o, err := leave.ReadOwn(ctx, w.App, dao, leave.Question{})
		apptest.Must(t, err)
		of := slices.DeleteFunc(o.Accounts, func(a leave.OwnAccount) bool { return a.Kind != annual })
		if len(of) != 1 {
			t.Fatalf("%d accounts of it, want one, the last that was given", len(of))
		}
		a := of[0]
		return a.Now.Balance.String() + " " + a.Now.Usable.String() + " " + a.Forecast[len(a.Forecast)-1].Balance.String()
	}
	if got := stands(); got != "20.50 20.50 40.00" { // October's is earned, not November's
		t.Errorf("it stands at %s", got)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where about = $1 and detail->>'to' = '8 a month'`, policy.ID); n != 1 {
		t.Errorf("that it was added, sent twice, is noted %d times", n)
	}
	wren := w.Person(t, "Wren Halloran")
	wren.Level = "manager"
	theirs := *wren.Employment
	wren.Employment = nil // as from another of their positions
	give.ID = apptest.NewID()
	apptest.Must(t, w.Do(ctx, wren, give))
	if n := dbtest.Get[int](t, w, `select count(*) from leave_account where employment_id = $1 and policy_id = $2`, theirs,
		policy.ID); n != 1 {
		t.Errorf("who gives it to all has it %d times, want once, by somebody else", n)
	}
	ask := func(d when.Date, n when.Date) leave.AskLeave {
		return leave.AskLeave{ID: apptest.NewID(), Kind: annual, Days: when.Period{From: d, To: d + n - 1}}
	}
	if err := w.Do(ctx, dao, ask(monday, 3)); err == nil || !strings.Contains(err.Error(),
		"Wed 18 Nov 2026: the balance would be -3.50, and 0.00 is the least") {
		t.Errorf("24 hours of 20.5: %v", err)
	}
	first := ask(monday, 2)
	apptest.Must(t, w.Do(ctx, dao, first))
	if err := w.Do(ctx, dao, ask(monday+3, 1)); err == nil || !strings.Contains(err.Error(), "the balance would be") {
		t.Errorf("with 16 asked for, 8 of 20.5: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{first.ID}, Approve: true}))
	put := leave.AdjustLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: annual, Date: monday - 10, Amount: "-2.5",
		Why: "brought in wrong"}
	apptest.Must(t, w.Do(ctx, mira, put))
	apptest.Must(t, w.Do(ctx, mira, put))
	if got := stands(); got != "18.00 18.00 40.00" { // what is booked for next week isn't taken today
		t.Errorf("put right, it stands at %s", got)
	}
	w.Set(w.At().AddDate(0, 0, 7))
	if got := stands(); got != "2.00 2.00 40.00" {
		t.Errorf("taken, it stands at %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.AskLeave{ID: apptest.NewID(), Employment: *dao.Employment, Kind: annual,
		Days: when.Period{From: monday + 3, To: monday + 3}})) // whoever may enters it all the same
}

// A policy is tried before it is given: a year of 40-hour weeks from a Thursday.
func TestPoliciesAreTried(t *testing.T) {
	for policy, want := range map[string]string{
		`{"earn": {"every": "month", "day": 31, "amount": "8"}, "cap": "40"}`:    "40.00",
		`{"earn": {"every": "hours_worked", "amount": "1", "per": "30"}}`:        "69.60",
		`{"earn": {"every": "two_weeks", "amount": "4", "start": "2026-01-10"}}`: "104.00",
	} {
		got, err := leave.YearOf([]byte(policy), when.NewDate(2026, 11, 12))
		apptest.Must(t, err)
		if got.String() != want {
			t.Errorf("%s comes to %s, want %s", policy, got, want)
		}
	}
}
