package hours_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// matters writes what wants a decision: "missing Ruth Adeyemi", "clear 42 of
// 2026-11-12".
func matters(t *testing.T, w *dbtest.World, who app.Actor) []string {
	t.Helper()
	d, err := hours.ReadDecisions(context.Background(), w.App, who)
	apptest.Must(t, err)
	var out []string
	for _, o := range d.List {
		if o.Name != "" {
			out = append(out, string(o.Matter)+" "+o.Name)
		} else {
			out = append(out, fmt.Sprintf("%s %d of %s", o.Matter, o.Cards, o.Card.Date))
		}
	}
	return out
}

// What wants a decision comes in one list, the most pressing first whatever its
// kind; what the list counts is what the desk shows.
func TestDecisions(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, dao := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	got := matters(t, w, mira)
	desk, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	for _, want := range []string{"missing Ruth Adeyemi", fmt.Sprintf("clear %d of 2026-11-12", desk.Counts.Clear),
		fmt.Sprintf("flagged %d of 2026-11-12", desk.Counts.Flagged), fmt.Sprintf("unsigned %d of 2026-11-12", desk.Counts.NotSigned)} {
		if !contains(got, want) {
			t.Errorf("no %q in %q", want, got)
		}
	}
	if got[0] != "missing Ruth Adeyemi" {
		t.Errorf("first comes %s", got[0])
	}
	// Before ten, nobody is late with signing Thursday.
	w.Set(time.Date(2026, 11, 13, 14, 59, 0, 0, time.UTC))
	if got := matters(t, w, mira); contains(got, fmt.Sprintf("unsigned %d of 2026-11-12", desk.Counts.NotSigned)) {
		t.Errorf("unsigned before ten: %q", got)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "unsigned_at", Value: "09:30"}))
	if got := matters(t, w, mira); !contains(got, fmt.Sprintf("unsigned %d of 2026-11-12", desk.Counts.NotSigned)) {
		t.Errorf("unsigned after half past nine, by the setting: %q", got)
	}

	// A request, and one who forgot to clock out, the next morning.
	ref, stints, _ := tomasz(t, w)
	apptest.Must(t, w.Do(ctx, dao, hours.AskChange{ID: apptest.NewID(), Why: "x", Change: hours.Change{Employment: *dao.Employment,
		Does: clock.EndRunning, Of: running(t, w, dao), At: w.At().Add(-time.Minute)}}))
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "x", Changes: []hours.Change{{Employment: ref.Employment,
		Does: clock.MoveStart, Of: stints[0].ID, At: stints[0].Start.Add(time.Minute)}}}))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Tomasz Brandt"), hours.Object{ID: apptest.NewID(), Card: ref, Body: "x"}))
	w.Set(time.Date(2026, 11, 14, 12, 0, 0, 0, time.UTC))
	got = matters(t, w, mira)
	if !strings.HasPrefix(got[0], "not_counted") {
		t.Errorf("first comes %s", got[0])
	}
	d, err := hours.ReadDecisions(ctx, w.App, mira)
	apptest.Must(t, err)
	if len(d.List)+d.More < 38 {
		t.Errorf("%d decisions, and %d more, with 38 still on the clock", len(d.List), d.More)
	}
	// What one press settles is with it: when they may have left, and the clear
	// cards of a day, as they were shown.
	first := d.List[0]
	if len(first.Ends) == 0 || !first.Ends[0].At.Before(w.At()) || first.Ends[0].Changes[0].Does != clock.EndRunning {
		t.Fatalf("of who is on since %s nothing is proposed: %+v", first.Since, first.Ends)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "x", Changes: first.Ends[0].Changes}))
	if got := matters(t, w, mira); contains(got, "not_counted "+first.Name) {
		t.Errorf("said when %s left, and still first", first.Name)
	}
	clear := when.Period{From: apptest.Thursday, To: apptest.Thursday}
	w.Set(time.Date(2026, 11, 13, 15, 30, 0, 0, time.UTC)) // the day before, when the list was short
	d, err = hours.ReadDecisions(ctx, w.App, mira)
	apptest.Must(t, err)
	approved := false
	for _, o := range d.List {
		if o.Matter == hours.Ready && o.Card.Date == apptest.Thursday {
			apptest.Must(t, w.Do(ctx, mira, hours.ApproveClear{ID: apptest.NewID(), Days: clear, Seen: o.Seen}))
			approved = true
		}
	}
	if !approved {
		t.Error("nothing to approve")
	}
	// A lead is shown what is theirs: nobody else's crew, and nothing to approve.
	wren := w.Person(t, "Wren Halloran")
	for _, m := range matters(t, w, wren) {
		if strings.HasPrefix(m, "clear") || strings.HasPrefix(m, "request") || strings.HasPrefix(m, "objection") ||
			strings.HasSuffix(m, "Ruth Adeyemi") {
			t.Errorf("a lead is shown %s", m)
		}
	}
}

func contains(list []string, want string) bool {
	for _, s := range list {
		if s == want {
			return true
		}
	}
	return false
}

// running is the stint that somebody has running.
func running(t *testing.T, w *dbtest.World, who app.Actor) (id uuid.UUID) {
	t.Helper()
	return dbtest.Get[uuid.UUID](t, w, `select id from stint where employment_id = $1 and end_at is null`, *who.Employment)
}

// Who comes to overtime this week, and when: the instant at which the weekly
// threshold is passed, worked or planned.
func TestWhatIsComing(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	d, err := hours.ReadDecisions(ctx, w.App, mira)
	apptest.Must(t, err)
	if len(d.Overtime) == 0 {
		t.Fatal("nobody comes to overtime")
	}
	for _, o := range d.Overtime {
		week := dbtest.Get[int64](t, w, `select sum(case when date < '2026-11-13' then worked when date = '2026-11-13' then greatest(worked,
			expected - leave) else greatest(expected - leave, 0) end) from card where employment_id = $1 and date between '2026-11-08'
			and '2026-11-14'`, o.Employment)
		if o.Total != week || o.Beyond != week-40*3600 || o.Beyond <= 0 || o.Passed != o.At.Before(w.At()) {
			t.Errorf("%s: %d s in the week, %d beyond, at %s (passed %v); want %d", o.Name, o.Total, o.Beyond, o.At, o.Passed, week)
		}
	}
	job := dbtest.Get[uuid.UUID](t, w,
		`select job_id from hours where date > '2026-11-01' and kind = 'work' group by 1 order by sum(seconds) desc limit 1`)
	budget := dbtest.Get[int64](t, w, `select sum(seconds) from hours where job_id = $1 and kind = 'work'`, job)
	_, err = w.DB.Exec(`update job set budget_seconds = $2 where id = $1`, job, budget-3600)
	apptest.Must(t, err)
	apptest.Must(t, hours.KeepJobHours(ctx, w.App))
	d, err = hours.ReadDecisions(ctx, w.App, mira)
	apptest.Must(t, err)
	found := false
	for _, e := range d.Endings {
		found = found || e.ID == job && e.Over == 3600 && e.On == when.NewDate(2026, 11, 13)
	}
	if !found {
		t.Errorf("the job an hour over its budget isn't there: %+v", d.Endings)
	}
}
