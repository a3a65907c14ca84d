package leave_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/leave"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// asks says what becomes of asking for a span: what each day costs, what speaks against it, and
// what would go.
func asks(t *testing.T, w *dbtest.World, who app.Actor, q leave.Question) string {
	t.Helper()
	o, err := leave.ReadOwn(t.Context(), w.App, who, q)
	apptest.Must(t, err)
	var said []string
	for _, c := range o.Weighed.Costs {
		said = append(said, strings.TrimSpace(fmt.Sprintf("%s %s", c.Amount, c.Why)))
	}
	for _, a := range o.Weighed.Against {
		mark := map[bool]string{true: "! ", false: ""}[a.Refuses]
		said = append(said, mark+a.Date.Format("2 Jan")+" "+a.Text)
	}
	for _, p := range []when.Period{o.Weighed.Fewer, o.Weighed.Later} {
		if p != (when.Period{}) {
			said = append(said, "or "+p.From.Format("2 Jan")+" to "+p.To.Format("2 Jan"))
		}
	}
	return strings.Join(said, ", ")
}

func span(from, to when.Date) when.Period { return when.Period{From: from, To: to} }

// Before one asks, the page says what it would come to: the balance, the crew, shifts, days on
// which nobody takes leave, and what would go instead.
func TestWhatBecomesOfAsking(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual := kind(t, w, "Annual leave")
	if _, err := w.DB.Exec(`delete from shift where employment_id = $1 and date > '2026-11-13'`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	q := leave.Question{Kind: annual, Days: span(monday, monday+1)}
	if got := asks(t, w, dao, q); got != "8.00, 8.00" {
		t.Errorf("two days: %s", got)
	}
	o, err := leave.ReadOwn(ctx, w.App, dao, q)
	apptest.Must(t, err)
	if o.Weighed.After.String() != "76.00" || o.Weighed.Lowest.Balance.String() != "76.00" || o.Weighed.Left[0].Left != 5 {
		t.Errorf("after it %s, lowest %s, left %+v", o.Weighed.After, o.Weighed.Lowest.Balance, o.Weighed.Left)
	}
	launch := leave.PutWindow{ID: apptest.NewID(), Name: "Launch", Days: span(monday+2, monday+2), Unit: *dao.Unit, Closed: true}
	apptest.Must(t, w.Do(ctx, mira, launch))
	apptest.Must(t, w.Do(ctx, mira, leave.PutWindow{ID: apptest.NewID(), Name: "Open house", Days: span(monday+1, monday+1)}))
	apptest.Must(t, w.Do(ctx, mira, leave.PutWindow{ID: apptest.NewID(), Name: "Elsewhere", Days: span(monday, monday+30), Closed: true,
		Unit: *w.Person(t, "Wren Halloran").Unit}))
	if got, want := asks(t, w, dao, leave.Question{Kind: annual, Days: span(monday, monday+2)}), "8.00, 8.00, 8.00, 17 Nov then is Open "+
		"house, ! 18 Nov nobody takes leave then: Launch, or 16 Nov to 17 Nov, or 23 Nov to 25 Nov"; got != want {
		t.Errorf("over days without leave:\n got %s\nwant %s", got, want)
	}
	err = w.Do(ctx, dao, leave.AskLeave{ID: apptest.NewID(), Kind: annual, Days: span(monday, monday+2)})
	if no := apptest.Refusal(t, err); !strings.Contains(no.Right, "Mon 16 Nov – Tue 17 Nov, or Mon 23 Nov – Wed 25 Nov") {
		t.Errorf("refused with %q", no.Right)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.DropWindow{Window: launch.ID}))
	// A balance that later leave lives from isn't sunk; half a day leaves the crew as it is.
	apptest.Must(t, w.Do(ctx, mira, leave.PutLeast{Of: *dao.Unit, Least: 6}))
	if got, want := asks(t, w, dao, leave.Question{Kind: annual, Days: span(monday+4, monday+4), Seconds: 2 * 3600}), "2.00"; got != want {
		t.Errorf("two hours: %s", got)
	}
	if got, want := asks(t, w, dao, leave.Question{Kind: annual, Days: span(monday+4, monday+4)}),
		"8.00, 20 Nov 5 of the crew would be left to work, and 6 have to be"; !strings.HasPrefix(got, want) {
		t.Errorf("a day: %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.PutLeast{Of: *dao.Unit}))
	site := dbtest.Get[uuid.UUID](t, w, `select site_id from employment where id = $1`, *dao.Employment)
	apptest.Must(t, w.Do(ctx, mira, leave.PutLeast{Of: site, Site: true, Least: 6}))
	if got := asks(t, w, dao, leave.Question{Kind: annual, Days: span(monday+4, monday+4)}); !strings.Contains(got, "at the site would be "+
		"left to work, and 6 have to be") {
		t.Errorf("at the site: %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.PutLeast{Of: site, Site: true}))
	if got := asks(t, w, dao, leave.Question{Kind: annual, Days: span(monday+14, monday+32)}); !strings.Contains(got,
		"the balance would be") || !strings.Contains(got, "or 30 Nov to ") {
		t.Errorf("more than there is: %s", got)
	}
}

// A request is changed until it begins, the old one taken back in the same act; once it has
// begun, somebody else takes it back, or leaves it; either can be undone.
func TestChangedAndAskedBack(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual := kind(t, w, "Annual leave")
	first := leave.AskLeave{ID: apptest.NewID(), Kind: annual, Days: span(monday, monday+1)}
	apptest.Must(t, w.Do(ctx, dao, first))
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{first.ID}, Approve: true}))
	if got := asks(t, w, dao, leave.Question{Kind: annual, Days: span(monday+1, monday+2), Instead: first.ID}); !strings.HasPrefix(got,
		"8.00, 8.00") {
		t.Errorf("as if the other weren't there: %s", got)
	}
	next := leave.AskLeave{ID: apptest.NewID(), Kind: annual, Days: span(monday+1, monday+2), Instead: first.ID}
	for range 2 {
		apptest.Must(t, w.Do(ctx, dao, next))
	}
	if got := days(t, w, dao, monday, monday+4); got != "" {
		t.Errorf("of the old one there is left %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{next.ID}, Approve: true}))
	const both = "11-17 28800 PTO, 11-18 28800 PTO"
	w.Set(w.At().AddDate(0, 0, 5))
	dao, mira = w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	back := leave.WithdrawLeave{Request: next.ID, Why: "I came all the same"}
	for range 2 {
		apptest.Must(t, w.Do(ctx, dao, back))
	}
	if got := days(t, w, dao, monday, monday+4); got != both {
		t.Errorf("only asked back, it is %s", got)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from notice where kind = 'leave_asked' and person_id = $1`, mira.ID); n != 3 {
		t.Errorf("whoever decides is told %d times, of two that were asked for and one that is asked back", n)
	}
	o, err := leave.ReadAsked(ctx, w.App, mira)
	apptest.Must(t, err)
	found := false
	for _, a := range o.List {
		found = found || a.LeaveRequest.ID == next.ID && a.Back() && a.Why == back.Why
	}
	if !found {
		t.Error("whoever decides doesn't see that it is asked back")
	}
	decide := func(approve bool, why string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{next.ID}, Approve: approve, Why: why}))
	}
	undo := func(want string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, leave.ReopenLeave{Requests: []uuid.UUID{next.ID}}))
		if got := days(t, w, dao, monday, monday+4); got != want {
			t.Errorf("undone it is %q, want %q", got, want)
		}
	}
	decide(false, "you were not here")
	if got := days(t, w, dao, monday, monday+4); got != both {
		t.Errorf("declined, it is %s", got)
	}
	undo(both)
	decide(true, "")
	if got := days(t, w, dao, monday, monday+4); got != "" {
		t.Errorf("taken back, it is %s", got)
	}
	undo(both)
	if n := dbtest.Get[int](t, w, `select count(*) from notice where kind = 'leave_decided' and person_id = $1`, dao.ID); n != 4 {
		t.Errorf("they are told %d times, of two approved, one kept and one taken back", n)
	}
	apptest.AllConsistent(t, w)
}

// Leave that is approved opens the shifts it falls on; taken back, they are closed again; who
// could have one is told by a job.
func TestLeaveOpensShifts(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	ask := leave.AskLeave{ID: apptest.NewID(), Kind: kind(t, w, "Annual leave"), Days: span(monday, monday+1)}
	half := leave.AskLeave{ID: apptest.NewID(), Kind: ask.Kind, Days: span(monday+2, monday+2), Seconds: 3600}
	apptest.Must(t, w.Do(ctx, dao, ask))
	apptest.Must(t, w.Do(ctx, dao, half))
	shifts := dbtest.Get[int](t, w, `select count(*) from shift where employment_id = $1 and date in ('2026-11-16', '2026-11-17')`,
		*dao.Employment)
	open := func() int {
		t.Helper()
		return dbtest.Get[int](t, w, `select count(*) from opening where from_employment = $1 and closed_at is null`, *dao.Employment)
	}
	if shifts == 0 || open() != 0 {
		t.Fatalf("%d shifts, %d open already", shifts, open())
	}
	requests := []uuid.UUID{ask.ID, half.ID}
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: requests, Approve: true}))
	if open() != shifts {
		t.Errorf("of %d shifts %d are open", shifts, open())
	}
	if n := dbtest.Get[int](t, w, `select count(*) from river_job where kind = 'tell_open_place'`); n != shifts {
		t.Errorf("%d of them are to be told of", n)
	}
	apptest.Must(t, w.Do(ctx, mira, leave.ReopenLeave{Requests: requests}))
	if open() != 0 {
		t.Errorf("taken back, %d are open", open())
	}
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: requests, Approve: true}))
	if open() != shifts {
		t.Errorf("approved again, %d are open", open())
	}
	apptest.Must(t, w.Do(ctx, dao, leave.WithdrawLeave{Request: ask.ID}))
	if open() != 0 {
		t.Errorf("withdrawn, %d are open", open())
	}
	// Two halves make a day of leave; without either it isn't one, whichever opened the shift.
	var halves []uuid.UUID
	for range 2 {
		some := leave.AskLeave{ID: apptest.NewID(), Kind: []uuid.UUID{ask.Kind, kind(t, w, "Sick leave")}[len(halves)],
			Days: span(monday+3, monday+3), Seconds: 4 * 3600}
		apptest.Must(t, w.Do(ctx, dao, some))
		apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{some.ID}, Approve: true}))
		halves = append(halves, some.ID)
	}
	if open() != 1 {
		t.Fatalf("two halves of a day open %d shifts", open())
	}
	apptest.Must(t, w.Do(ctx, dao, leave.WithdrawLeave{Request: halves[0]}))
	if open() != 0 {
		t.Errorf("half a day leaves %d open", open())
	}
}

// In days, a day of ten hours is a day as one of six is, and half of it is half; a holiday on a
// day off costs nothing, nor does a day off after a change of pattern; where nothing says how
// long a day is, who asks says it; another position has its own leave.
func TestDaysOfDifferentHours(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	free := leave.PutLeaveKind{ID: apptest.NewID(), Name: "Free days", PayCode: "FREE", Paid: true, Low: "refuse", Few: "warn",
		InDays: true}
	apptest.Must(t, w.Do(ctx, mira, free))
	policy := leave.PutLeavePolicy{ID: apptest.NewID(), Kind: free.ID, Name: "20 days", Policy: []byte(`{}`)}
	apptest.Must(t, w.Do(ctx, mira, policy))
	apptest.Must(t, w.Do(ctx, mira, leave.GiveLeavePolicy{ID: apptest.NewID(), Policy: policy.ID, From: monday - 10, Opening: "20"}))
	if _, err := w.DB.Exec(`delete from shift where employment_id = $1 and date > '2026-11-13'`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	pattern := func(from when.Date, value string) {
		t.Helper()
		apptest.Must(t, store.PutPatterns(ctx, w.DB, store.Dated{Employment: *dao.Employment, From: from, Value: value}))
	}
	pattern(monday, "0 36000 36000 36000 36000 0 0")       // four days of ten hours
	pattern(monday+7, "0 21600 21600 21600 21600 21600 0") // then five of six
	q := leave.Question{Kind: free.ID, Days: span(monday+3, monday+8)}
	if got, want := asks(t, w, dao, q), "1.00, 0.00 no working day, 0.00 no working day, 0.00 no working day, 1.00, 1.00"; got != want {
		t.Errorf("over a change of pattern: %s", got)
	}
	q.Days, q.Seconds = span(monday+8, monday+8), 3*3600
	if got := asks(t, w, dao, q); got != "0.50" {
		t.Errorf("three hours of six: %s", got)
	}
	half := leave.AskLeave{ID: apptest.NewID(), Kind: free.ID, Days: q.Days, Seconds: q.Seconds}
	apptest.Must(t, w.Do(ctx, dao, half))
	apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{half.ID}, Approve: true}))
	if got := days(t, w, dao, monday, monday+20); got != "11-24 10800 FREE" {
		t.Errorf("half a day is %s", got)
	}
	w.Set(w.At().AddDate(0, 0, 20))
	dao = w.Person(t, "Dao Pham")
	if got := own(t, w, dao, free.ID).Now.Balance.String(); got != "19.50" {
		t.Errorf("of 20 days there are %s left", got)
	}
	if _, err := w.DB.Exec(`delete from pattern where employment_id = $1`, *dao.Employment); err != nil {
		t.Fatal(err)
	}
	at := when.NewDate(2026, 12, 14)
	q = leave.Question{Kind: kind(t, w, "Annual leave"), Days: span(at, at+1)}
	if got, want := asks(t, w, dao, q), "0.00 say how many hours, 0.00 say how many hours"; got != want {
		t.Errorf("nothing says how long a day is: %s", got)
	}
	q.Seconds = 7 * 3600
	if got := asks(t, w, dao, q); got != "7.00, 7.00" {
		t.Errorf("they say it: %s", got)
	}
	o, err := leave.ReadOwn(ctx, w.App, dao, q)
	apptest.Must(t, err)
	if o.Weighed.PerDay < 3600 || o.Weighed.PerDay > 12*3600 {
		t.Errorf("an average day of late is %d s", o.Weighed.PerDay)
	}
	// Another position has no account of its own, and leave of the one is none of the other.
	second := people.AddPosition{ID: apptest.NewID(), Person: dao.ID, Unit: "Paint line", Title: "Painter", StartsOn: "2026-11-16"}
	apptest.Must(t, w.Do(ctx, mira, second))
	other := dao
	other.Employment = &second.ID
	p, err := leave.ReadOwn(ctx, w.App, other, leave.Question{})
	apptest.Must(t, err)
	if len(p.Accounts) != 0 || len(p.Requests) != 0 {
		t.Errorf("another position has %d accounts and %d requests of the first", len(p.Accounts), len(p.Requests))
	}
}

// Who is away is drawn together over days on which nothing is expected, with how many are left;
// who loses leave is listed, the most first, and told.
func TestAwayAndLosing(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	dao, mira := w.Person(t, "Dao Pham"), w.Person(t, "Mira Castellane")
	annual := kind(t, w, "Annual leave")
	for i, d := range []when.Date{monday + 17, monday + 18, monday + 21} { // Thursday, Friday, Monday
		ask := leave.AskLeave{ID: apptest.NewID(), Kind: annual, Days: span(d, d)}
		apptest.Must(t, w.Do(ctx, dao, ask))
		if i < 2 {
			apptest.Must(t, w.Do(ctx, mira, leave.DecideLeave{Requests: []uuid.UUID{ask.ID}, Approve: true}))
		}
	}
	apptest.Must(t, w.Do(ctx, mira, leave.PutLeast{Of: *dao.Unit, Least: 6}))
	p, err := leave.ReadAway(ctx, w.App, mira, leave.AskedAway{Days: span(monday+14, monday+27), Unit: *dao.Unit})
	apptest.Must(t, err)
	if len(p.Groups) != 1 || p.Groups[0].Least != 6 {
		t.Fatalf("of one crew there are %d groups", len(p.Groups))
	}
	var bands []string
	for _, r := range p.Groups[0].Rows {
		if r.Employment == *dao.Employment {
			for _, b := range r.Bands {
				bands = append(bands, fmt.Sprintf("%s-%s %v", b.Days.From.Format("2"), b.Days.To.Format("2"), b.Asked))
			}
		}
	}
	if got := strings.Join(bands, ", "); got != "3-4 false, 7-7 true" {
		t.Errorf("drawn as %s", got)
	}
	c := p.Groups[0].Counts
	if c[3].Left() != c[3].Expected-1 || c[7].Asked != 1 || c[6].Expected != 0 {
		t.Errorf("counted: Thursday %+v, Monday %+v, Sunday %+v", c[3], c[7], c[6])
	}
	bySite, err := leave.ReadAway(ctx, w.App, mira, leave.AskedAway{BySite: true})
	apptest.Must(t, err)
	if len(bySite.Groups) < 2 || bySite.Days.Days() != 42 {
		t.Errorf("by site there are %d groups of %d days", len(bySite.Groups), bySite.Days.Days())
	}
	events, err := leave.AwayEvents(ctx, w.App, mira, leave.AskedAway{Days: span(monday+14, monday+27), Unit: *dao.Unit})
	apptest.Must(t, err)
	found := false
	for _, e := range events {
		found = found || e.Summary == "Dao Pham is away" && e.Days && e.From.Format("2006-01-02") == "2026-12-03" &&
			e.To.Format("2006-01-02") == "2026-12-05"
	}
	if !found {
		t.Errorf("not in the calendar: %+v", events)
	}
	lost, err := leave.ReadLosing(ctx, w.App, mira, 0)
	apptest.Must(t, err)
	var daos leave.Losing
	for i, l := range lost.List {
		if i > 0 && l.Amount > lost.List[i-1].Amount {
			t.Error("not the most first")
		}
		if l.Employment == *dao.Employment {
			daos = l
		}
	}
	// 92 and two months of 10 less two days of 8, of which 80 are carried over.
	if daos.Amount.String() != "16.00" || daos.Date != when.NewDate(2027, 1, 1) {
		t.Errorf("they lose %s on %s", daos.Amount, daos.Date)
	}
	before := leave.TellLosing{Employments: []uuid.UUID{*dao.Employment}, Until: when.NewDate(2026, 12, 31)}
	apptest.Must(t, w.Do(ctx, mira, before)) // of nothing
	tell := leave.TellLosing{Employments: []uuid.UUID{*dao.Employment}}
	for range 2 {
		apptest.Must(t, w.Do(ctx, mira, tell))
	}
	if got := dbtest.Get[string](t, w,
		`select count(*) || ' ' || min(words::text) from notice where kind = 'leave_lost' and person_id = $1`,
		dao.ID); !strings.HasPrefix(got, "1 ") || !strings.Contains(got, "16.00 h") {
		t.Errorf("they are told %s", got)
	}
}
