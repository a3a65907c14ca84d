package hours_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// reporter makes somebody report hours by hand, off the clock from the next day on.
func reporter(t *testing.T, w *dbtest.World, name string) app.Actor {
	t.Helper()
	ctx := context.Background()
	mira, who := w.Person(t, "Mira Castellane"), w.Person(t, name)
	apptest.Must(t, w.Do(ctx, who, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: who.ID, Employment: *who.Employment,
		Field: "clock_points",
		Value: string(clock.Reporting)}))
	return w.Person(t, name)
}

func report(t *testing.T, w *dbtest.World, who app.Actor, d when.Date, on clock.Assignment, length string) {
	t.Helper()
	apptest.Must(t, w.Do(context.Background(), who,
		hours.ReportHours{ID: apptest.NewID(), Employment: *who.Employment, Date: d, On: on, Hours: length}))
}

// day says what stands on a card: its worked time and its stints.
func dayText(t *testing.T, w *dbtest.World, employment uuid.UUID, d when.Date) string {
	t.Helper()
	return dbtest.Get[string](t, w, `select coalesce((select worked::text from card where employment_id = $1 and date = $2), 'none') ||
		coalesce((select string_agg(' ' || start_by || ' ' || extract(epoch from end_at - start_at)::int || ' ' || j.number || s.account, ''
		          order by start_at)
		from stint s left join job j on j.id = s.job_id where employment_id = $1 and date = $2), '')`, employment, d.String())
}

// Hours that are written are on the card when the day is over, by their length alone; written
// ahead they wait; written anew they are so; and what was clocked beside them stays.
func TestReportedHours(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := reporter(t, w, "Dao Pham")
	e := *dao.Employment
	priming, coating := apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2229", "Coating")
	monday := when.NewDate(2026, 11, 16)
	report(t, w, dao, monday, priming, "7.5") // ahead
	report(t, w, dao, monday, coating, "0:45")
	apptest.Must(t, hours.KeepReported(ctx, w.App))
	if got := dayText(t, w, e, monday); strings.Contains(got, "reported") {
		t.Errorf("ahead: %s", got)
	}
	w.Pass(72 * time.Hour) // Monday morning
	apptest.Must(t, hours.KeepReported(ctx, w.App))
	if got := dayText(t, w, e, monday); strings.Contains(got, "reported") {
		t.Errorf("the day isn't over: %s", got)
	}
	w.Pass(24 * time.Hour)
	apptest.Must(t, hours.KeepReported(ctx, w.App))
	apptest.Must(t, hours.KeepReported(ctx, w.App)) // once, however often
	if got := dayText(t, w, e, monday); got != "29700 reported 27000 2226 reported 2700 2229" {
		t.Errorf("the day after: %s", got)
	}
	report(t, w, dao, monday, coating, "") // put right
	report(t, w, dao, monday, priming, "6")
	if got := dayText(t, w, e, monday); got != "21600 reported 21600 2226" {
		t.Errorf("put right: %s", got)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), hours.Amend{Batch: apptest.NewID(), Why: "clocked by the office",
		Changes: []hours.Change{{Employment: e, Does: clock.AddStint, Kind: clock.Work, On: coating,
			At: time.Date(2026, 11, 16, 22, 0, 0, 0, time.UTC), Until: time.Date(2026, 11, 16, 23, 0, 0, 0, time.UTC)}}}))
	report(t, w, dao, monday, priming, "8")
	if got := dayText(t, w, e, monday); !strings.HasPrefix(got, "32400") || !strings.Contains(got, "hand 3600 2229") {
		t.Errorf("beside what was clocked: %s", got)
	}
	apptest.Consistent(t, w)
}

// Begun as the period before: its lines, or its hours by the day of the week where none stand.
func TestBeginningAsBefore(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := reporter(t, w, "Dao Pham")
	e := *dao.Employment
	priming, coating := apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2229", "Coating")
	sunday := when.NewDate(2026, 11, 8)
	report(t, w, dao, sunday+7, priming, "8") // a day of the second week
	report(t, w, dao, sunday+8, coating, "4")
	next := when.Period{From: sunday + 14, To: sunday + 27}
	apptest.Must(t, w.Do(ctx, dao, hours.ReportLike{Employment: e, Days: next}))
	sums := func() string {
		return dbtest.Get[string](t, w,
			`select count(*) || ' ' || coalesce(sum(seconds), 0) from reported where employment_id = $1 and date >= $2`, e,
			next.From.String())
	}
	if got := sums(); got != "2 0" {
		t.Errorf("lines alone: %s", got)
	}
	report(t, w, dao, next.From+7, priming, "3")
	apptest.Must(t, w.Do(ctx, dao, hours.ReportLike{Employment: e, Days: next, Hours: true}))
	if got := sums(); got != "4 25200" { // 3 of that day stay, 4 of the other come
		t.Errorf("with hours: %s", got)
	}
}

// Whose plan is paid has it on the card when the day is over, marked so; what else is reported
// or clocked takes its place; leave is no work.
func TestHoursByPlan(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	bram := w.Person(t, "Bram Eberhart")
	e := *bram.Employment
	apptest.Must(t, w.Do(ctx, bram, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	apptest.Must(t, w.Do(ctx, mira,
		people.SetPerson{ID: apptest.NewID(), Person: bram.ID, Employment: e, Field: "reporting", Value: "pattern"}))
	tuesday := when.NewDate(2026, 11, 17)
	fill := func() {
		t.Helper()
		apptest.Must(t, hours.KeepReported(ctx, w.App))
	}
	fill()
	if n := dbtest.Get[int](t, w, `select count(*) from stint where employment_id = $1 and start_by = 'by_plan' and date >= '2026-11-13'`,
		e); n != 0 {
		t.Errorf("%d days are filled before they are over", n)
	}
	w.Set(time.Date(2026, 11, 18, 15, 0, 0, 0, time.UTC))
	fill()
	expected := dbtest.Get[int64](t, w, `select expected from card where employment_id = $1 and date = $2`, e, tuesday.String())
	got := dayText(t, w, e, tuesday)
	if expected == 0 || !strings.HasPrefix(got, "28800 by_plan 28800 ") && !strings.Contains(got, "by_plan") {
		t.Fatalf("by plan: %s, expected %d", got, expected)
	}
	if worked := dbtest.Get[int64](t, w, `select worked from card where employment_id = $1 and date = $2`, e,
		tuesday.String()); worked != expected {
		t.Errorf("%d worked, %d planned", worked, expected)
	}
	// Something else is reported: the office writes it.
	on := apptest.Work(t, w, "2250", "Drawings")
	apptest.Must(t, w.Do(ctx, mira, hours.ReportHours{ID: apptest.NewID(), Employment: e, Date: tuesday, On: on, Hours: "2"}))
	if got := dayText(t, w, e, tuesday); got != "7200 reported 7200 2250" {
		t.Errorf("reported instead: %s", got)
	}
	// And on the day before they were clocked after all.
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "was at the site", Changes: []hours.Change{{Employment: e,
		Does: clock.AddStint, Kind: clock.Work, On: on, At: time.Date(2026, 11, 17, 2, 0, 0, 0, time.UTC),
		Until: time.Date(2026, 11, 17, 3, 0, 0, 0, time.UTC)}}}))
	fill()
	if got := dayText(t, w, e, tuesday-1); got != "3600 hand 3600 2250" {
		t.Errorf("clocked instead: %s", got)
	}
	apptest.Consistent(t, w)
}

// An account is a word that the place keeps, or one that is known; hours book to what was said
// for them, else to the job's, the person's, the crew's; or without one they aren't signed.
func TestAccountsOfHours(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, orla := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater")
	dao := reporter(t, w, "Dao Pham")
	e := *dao.Employment
	set := func(field, value string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, orla, company.SetCompany{Field: field, Value: value}))
	}
	set("account_words", "paint = 4711-220, lamps = 4720")
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Employment: e, Field: "coding",
		Value: "required"}))
	w.Pass(96 * time.Hour)
	day := when.NewDate(2026, 11, 16)
	painted, plain := apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2229", "Coating")
	painted.Account = "Paint"
	report(t, w, dao, day, painted, "4")
	report(t, w, dao, day, plain, "2")
	if got := dayText(t, w, e, day); got != "21600 reported 14400 22264711-220 reported 7200 2229" {
		t.Fatal(got)
	}
	wrong := painted
	wrong.Account = "4712"
	if r := apptest.Refusal(t, w.Do(ctx, dao, hours.ReportHours{ID: apptest.NewID(), Employment: e, Date: day, On: wrong,
		Hours: "1"})); r.Field !=
		"account" {
		t.Error(r)
	}
	set("no_account", "stop")
	sign := func() error { return w.Do(ctx, dao, hours.Sign{Card: hours.CardRef{Employment: e, Date: day}}) }
	if r := apptest.Refusal(t, sign()); !strings.Contains(r.Wrong, "no account") {
		t.Error(r)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: plain.Job, Field: "job_account", Value: "5000"}))
	apptest.Must(t, sign())
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: hours.CardRef{Employment: e, Date: day}}))
	apptest.Consistent(t, w)
}

// What is read as hours, and what isn't.
func TestHoursIn(t *testing.T) {
	for text, want := range map[string]int64{"": 0, "7.5": 27000, "7,25": 26100, "7:30": 27000, "0:05": 300, "24": 86400, ".5": 1800,
		"8.": 28800,
		"x":  -1, "7:60": -1, "7:3": -1, "-1": -1, "25": -1, "7.123": -1, "1e1": -1, "24:01": -1, "+5": -1, ":30": -1} {
		got, err := hours.HoursIn(text)
		if err != nil {
			got = -1
		}
		if got != want {
			t.Errorf("%q is read as %d, want %d", text, got, want)
		}
	}
}

// Several positions are blocks of one page, each with its own sum and its own signature; the
// office writes for somebody, and doesn't approve what it wrote.
func TestReportingInSeveralPositions(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	dao := reporter(t, w, "Dao Pham")
	second := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, people.AddPosition{ID: second, Person: dao.ID, Unit: "Paint line", Title: "Second",
		StartsOn: "2026-11-15"}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Employment: second, Field: "clock_points",
		Value: string(clock.Reporting)}))
	w.Set(time.Date(2026, 11, 24, 15, 0, 0, 0, time.UTC))
	monday, on := when.NewDate(2026, 11, 23), apptest.Work(t, w, "2226", "Priming")
	for of, length := range map[uuid.UUID]string{*dao.Employment: "5", second: "2:30"} {
		apptest.Must(t, w.Do(ctx, dao, hours.ReportHours{ID: apptest.NewID(), Employment: of, Date: monday, On: on, Hours: length}))
	}
	page, err := hours.ReadReportPage(ctx, w.App, dao, uuid.Nil, monday)
	apptest.Must(t, err)
	if len(page.Blocks) != 2 || page.Blocks[0].Sum != 5*3600 || page.Blocks[1].Sum != 9000 || len(page.Blocks[1].ToSign) != 1 {
		t.Fatalf("%+v", page.Blocks)
	}
	apptest.Must(t, w.Do(ctx, dao, hours.SignReported{ID: apptest.NewID(), Employment: second, Days: page.Period,
		Seen: hours.Digest(page.Blocks[1].ToSign)}))
	states := dbtest.Get[string](t, w, `select string_agg(state, ' ' order by state) from card c join employment e on e.id = c.employment_id
		where e.person_id = $1 and c.date = $2`, dao.ID, monday.String())
	if states != "open signed" {
		t.Errorf("after one signature: %s", states)
	}
	// In both at once is no more than one after the other: they lie over nothing.
	if n := dbtest.Get[int](t, w, `select count(*) from stint a join stint b on a.person_id = b.person_id and a.id < b.id
		and a.start_at < b.end_at and b.start_at < a.end_at where a.person_id = $1`, dao.ID); n != 0 {
		t.Errorf("%d stints lie over others", n)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.ReportHours{ID: apptest.NewID(), Employment: second, Date: monday, On: on, Hours: "6"}))
	refused := apptest.Refusal(t, w.Do(ctx, mira, hours.Approve{Card: hours.CardRef{Employment: second, Date: monday}, Why: "x"}))
	if !strings.HasPrefix(refused.Wrong, "You changed the card") {
		t.Error(refused)
	}
	apptest.Consistent(t, w)
}
