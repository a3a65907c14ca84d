package roster_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/app/roster"
	"manudex/core/clock"
	core "manudex/core/roster"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

var monday = when.NewDate(2026, 11, 16)

const hour = time.Hour

// plan is the act that plans somebody from an hour to another of a day.
func plan(t *testing.T, w *dbtest.World, name string, d when.Date, from, to float64) roster.PlanShift {
	t.Helper()
	of := func(h float64) time.Duration { return time.Duration(h * float64(hour)) }
	return roster.PlanShift{ID: apptest.NewID(), Employment: *w.Person(t, name).Employment,
		When: roster.When{Date: d, From: of(from), To: of(to)}}
}

func count(t *testing.T, w *dbtest.World, query string, args ...any) int {
	t.Helper()
	return dbtest.Get[int](t, w, query, args...)
}

// read reads the roster of a week as somebody sees it.
func read(t *testing.T, w *dbtest.World, who app.Actor, days when.Period) *roster.Roster {
	t.Helper()
	r, err := roster.ReadRoster(t.Context(), w.App, who, roster.Query{Days: days})
	apptest.Must(t, err)
	return r
}

func rowOf(t *testing.T, r *roster.Roster, name string) roster.Row {
	t.Helper()
	i := slices.IndexFunc(r.People, func(p roster.Row) bool { return p.Name() == name })
	if i < 0 {
		t.Fatalf("%s is not on the roster", name)
	}
	return r.People[i]
}

var week = when.Period{From: monday - 1, To: monday + 5}

// tellAll tells everybody of a roster what they don't know.
func tellAll(t *testing.T, w *dbtest.World, who app.Actor, days when.Period) roster.Tell {
	t.Helper()
	act := roster.Tell{ID: apptest.NewID(), Days: days}
	for _, row := range read(t, w, who, days).People {
		if len(row.Untold) > 0 {
			act.Whom = append(act.Whom, row.Whom())
		}
	}
	apptest.Must(t, w.Do(t.Context(), who, act))
	return act
}

// A draft is nobody's but the planner's: cards, the clock and the person's own page know of
// it once it is told, then all at once, in one message each.
func TestDraftAndTold(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	sunday := monday - 1
	p := plan(t, w, "Dao Pham", sunday, 8, 12)
	p.On = apptest.Work(t, w, "2226", "Priming")
	apptest.Must(t, w.Do(ctx, mira, p))
	apptest.Must(t, w.Do(ctx, mira, p)) // sent again
	own := func() int {
		o, err := roster.ReadOwnShifts(ctx, w.App, dao)
		apptest.Must(t, err)
		return len(slices.DeleteFunc(o.Shifts, func(s store.PlannedShift) bool { return s.Date != sunday }))
	}
	expected := func() int {
		return count(t, w, `select coalesce((select expected from card where employment_id = $1 and date = $2), -1)`,
			*dao.Employment, sunday.String())
	}
	if own() != 0 || expected() > 0 || count(t, w, `select count(*) from notice where kind = 'shift_told'`) != 0 {
		t.Errorf("of a draft: %d on their page, %d expected", own(), expected())
	}
	row := rowOf(t, read(t, w, mira, week), "Dao Pham")
	if len(row.Untold) != 1 || row.Shifts[0].Told {
		t.Fatalf("not told: %+v", row.Untold)
	}
	if n := row.Words(read(t, w, mira, week)); n[0] != "New: Sun 15 Nov 08:00–12:00, 2226" {
		t.Errorf("it is told as %q", n[0])
	}
	act := tellAll(t, w, mira, week)
	if own() != 1 || expected() != 4*3600 {
		t.Errorf("told: %d on their page, %d expected", own(), expected())
	}
	row = rowOf(t, read(t, w, mira, week), "Dao Pham")
	if len(row.Untold) != 0 || !row.Shifts[0].Told || row.Shifts[0].Seen {
		t.Errorf("after telling: %+v", row.Shifts[0])
	}
	if _, err := w.DB.Exec(`update notice set seen_at = now() where kind = 'shift_told' and person_id = $1`, dao.ID); err != nil {
		t.Fatal(err)
	}
	if !rowOf(t, read(t, w, mira, week), "Dao Pham").Shifts[0].Seen {
		t.Error("that they have seen it doesn't show")
	}
	apptest.Must(t, w.Do(ctx, mira, act)) // sent again
	again := act
	again.ID, again.Whom = apptest.NewID(), []roster.Whom{{Employment: *dao.Employment, Seen: roster.Digest(nil)}}
	if err := w.Do(ctx, mira, again); !strings.Contains(fmt.Sprint(err), "Everybody knows already") {
		t.Errorf("told twice: %v", err)
	}
	if n := count(t, w, `select count(*) from notice where kind = 'shift_told' and person_id = $1`, dao.ID); n != 1 {
		t.Errorf("%d messages", n)
	}
	// Changed and changed back is nothing to tell.
	shift := p.ID
	later := roster.When{Date: sunday, From: 9 * hour, To: 13 * hour}
	before := roster.When{Date: sunday, From: 8 * hour, To: 12 * hour}
	apptest.Must(t, w.Do(ctx, mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: shift, When: &later}))
	if len(rowOf(t, read(t, w, mira, week), "Dao Pham").Untold) != 1 {
		t.Error("a change isn't seen")
	}
	apptest.Must(t, w.Do(ctx, mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: shift, When: &before}))
	if len(rowOf(t, read(t, w, mira, week), "Dao Pham").Untold) != 0 {
		t.Error("what was changed back is to be told")
	}
	// Taken out and told: nothing is expected any more, and the record keeps both.
	apptest.Must(t, w.Do(ctx, mira, roster.DropShifts{Batch: apptest.NewID(), Shifts: []uuid.UUID{shift}}))
	tellAll(t, w, mira, week)
	if own() != 0 || expected() > 0 {
		t.Errorf("taken out and told: %d on their page, %d expected", own(), expected())
	}
	if got := dbtest.Get[string](t, w, `select string_agg((was is null)::text || ' ' || (is_now is null)::text || ' ' || ahead_seconds, ', '
		order by told_at, id) from shift_told where shift_id = $1`, shift); got != "true false 164880, false true 164880" {
		t.Errorf("kept: %s", got)
	}
	late, err := roster.ReadLate(ctx, w.App, mira, week, 3)
	apptest.Must(t, err)
	if len(late.List) != 2 || late.List[0].Name != "Dao Pham" || late.List[0].Words != "Not any more: Sun 15 Nov 08:00–12:00" {
		t.Errorf("told with less than three days' notice: %+v", late.List)
	}
	if late, err = roster.ReadLate(ctx, w.App, mira, week, 1); err != nil || len(late.List) != 0 {
		t.Errorf("with less than one: %+v, %v", late, err)
	}
	for _, notice := range []int{0, 61} {
		if _, err := roster.ReadLate(ctx, w.App, mira, week, notice); err == nil {
			t.Errorf("%d days of notice", notice)
		}
	}
	if _, err := roster.ReadLate(ctx, w.App, dao, week, 3); err != app.ErrForbidden {
		t.Errorf("a worker: %v", err)
	}
	apptest.AllConsistent(t, w)
}

// A shift that goes to another week is one change, whichever of the weeks is looked at; both
// days' cards then say what is expected.
func TestAShiftThatGoesToAnotherWeek(t *testing.T) {
	t.Parallel()
	for _, look := range []when.Period{week, {From: monday + 6, To: monday + 12}} {
		w := dbtest.Open(t)
		mira, dao := w.Person(t, "Mira Castellane"), *w.Person(t, "Dao Pham").Employment
		id := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = $2`, dao, monday.String())
		to := roster.When{Date: monday + 6, From: 8 * hour, To: 12 * hour}
		apptest.Must(t, w.Do(t.Context(), mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: id, When: &to}))
		r := read(t, w, mira, look)
		row := rowOf(t, r, "Dao Pham")
		if len(row.Untold) != 1 || row.Words(r)[0] != "Mon 16 Nov 06:30–15:00 is now Sun 22 Nov 08:00–12:00, 2249" {
			t.Fatalf("from %s it is %v", look.From, row.Words(r))
		}
		tellAll(t, w, mira, look)
		if n := count(t, w, `select count(*) from shift where id = $1 and date = '2026-11-22'`, id); n != 1 {
			t.Errorf("from %s it isn't told", look.From)
		}
		if got := dbtest.Get[string](t, w, `select string_agg(date || ' ' || (shift_from is not null)::text, ', ' order by date) from card
			where employment_id = $1 and date in ('2026-11-16', '2026-11-22')`, dao); got != "2026-11-16 false, 2026-11-22 true" {
			t.Errorf("from %s the cards are %s", look.From, got)
		}
		apptest.AllConsistent(t, w)
	}
}

// One press takes one act back, but for what was changed since.
func TestUndoingAPlan(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	all := func() string {
		return dbtest.Get[string](t, w,
			`select md5(string_agg(concat_ws(' ', id, employment_id, date, start_at, end_at, job_id, task_id, less, note), ','
			order by id)) from planned`)
	}
	before := all()
	p := plan(t, w, "Dao Pham", monday-1, 8, 12)
	apptest.Must(t, w.Do(ctx, mira, p))
	move := roster.ChangeShift{Batch: apptest.NewID(), Shift: p.ID, When: &roster.When{Date: monday - 1, From: 10 * hour, To: 14 * hour}}
	apptest.Must(t, w.Do(ctx, mira, move))
	wren := *w.Person(t, "Wren Halloran").Employment
	give := roster.ChangeShift{Batch: apptest.NewID(), Shift: p.ID, Employment: &wren}
	apptest.Must(t, w.Do(ctx, mira, give))
	if n := count(t, w, `select count(*) from planned where employment_id = $1 and date = '2026-11-15'`, wren); n != 1 {
		t.Errorf("given: %d", n)
	}
	copied := roster.CopyDays{Batch: apptest.NewID(), Days: when.Period{From: monday, To: monday + 4}, To: monday + 28,
		Employments: []uuid.UUID{wren, p.Employment}}
	apptest.Must(t, w.Do(ctx, mira, copied))
	if err := w.Do(ctx, mira, app.Undo{Batch: move.Batch}); !strings.Contains(fmt.Sprint(err), "changed since") {
		t.Errorf("what was changed since was taken back: %v", err)
	}
	for _, batch := range []uuid.UUID{copied.Batch, give.Batch, move.Batch, p.ID} {
		var done app.Undone
		apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: batch, Tell: func(u app.Undone) { done = u }}))
		if done.Words == "" || len(done.Left) > 0 {
			t.Errorf("taken back: %+v", done)
		}
	}
	if all() != before {
		t.Error("the plan isn't what it was")
	}
	if err := w.Do(ctx, w.Person(t, "Dao Pham"), app.Undo{Batch: p.ID}); err != app.ErrNotFound {
		t.Errorf("a worker takes a plan back: %v", err)
	}
}

// Days are copied with their local times: 07:00 stays 07:00 over a clock change; what is
// planned there stays, or makes room and is told as a change alone.
func TestCopying(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	dao := *w.Person(t, "Dao Pham").Employment
	march := when.NewDate(2027, 3, 8) // a Monday; the clocks go forward on Sunday the 14th
	apptest.Must(t, w.Do(ctx, mira, roster.CopyDays{Batch: apptest.NewID(), Days: when.Period{From: monday, To: monday + 4}, To: march,
		Employments: []uuid.UUID{dao}}))
	apptest.Must(t, w.Do(ctx, mira, roster.CopyDays{Batch: apptest.NewID(), Days: when.Period{From: march, To: march + 4}, To: march + 7,
		Employments: []uuid.UUID{dao}}))
	if got := dbtest.Get[string](t, w, `select string_agg(distinct to_char(start_at at time zone 'America/New_York', 'HH24:MI') || ' ' ||
		to_char(start_at at time zone 'UTC', 'HH24:MI'), ', ' order by to_char(start_at at time zone 'America/New_York', 'HH24:MI') ||
			' ' ||
		to_char(start_at at time zone 'UTC', 'HH24:MI') desc)
		from planned where employment_id = $1 and date >= $2`, dao, march.String()); got != "06:30 11:30, 06:30 10:30" {
		t.Errorf("copied to %s", got)
	}
	was := count(t, w, `select count(*) from planned where employment_id = $1 and date >= $2`, dao, march.String())
	err := w.Do(ctx, mira, roster.CopyDays{Batch: apptest.NewID(), Days: when.Period{From: march, To: march + 4}, To: march + 7,
		Employments: []uuid.UUID{dao}})
	if !strings.Contains(fmt.Sprint(err), "nothing to copy") {
		t.Errorf("copied over itself: %v", err)
	}
	changed := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = $2`, dao, (march + 8).String())
	apptest.Must(t, w.Do(ctx, mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: changed,
		When: &roster.When{Date: march + 8, From: 6*hour + 30*time.Minute, To: 18 * hour}}))
	apptest.Must(t, w.Do(ctx, mira, roster.CopyDays{Batch: apptest.NewID(), Days: when.Period{From: march, To: march + 4}, To: march + 7,
		Employments: []uuid.UUID{dao}, Replace: true}))
	if n := count(t, w, `select count(*) from planned where employment_id = $1 and date >= $2`, dao, march.String()); n != was {
		t.Errorf("%d shifts, before %d", n, was)
	}
	if n := count(t, w, `select count(*) from planned where id = $1 and extract(epoch from end_at - start_at) = 30600`, changed); n != 1 {
		t.Error("what stood there at the same time isn't the same shift, changed")
	}
}

// A crew's usual week is kept by name and laid over another: who left the crew is left out.
func TestUsualWeeks(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren := w.Person(t, "Wren Halloran")
	unit := *wren.Unit
	keep := roster.KeepUsual{ID: apptest.NewID(), Unit: unit, Name: "Winter", Week: monday - 1}
	apptest.Must(t, w.Do(ctx, wren, keep))
	apptest.Must(t, w.Do(ctx, wren, keep)) // in the place of itself
	of := count(t, w, `select jsonb_array_length(shifts) from usual_week`)
	target := monday - 1 + 70
	empty := func() int {
		return count(t, w,
			`select count(*) from planned p join employment e on e.id = p.employment_id where e.unit_id = $1 and p.date >= $2`,
			unit, target.String())
	}
	if empty() != 0 || of < 20 {
		t.Fatalf("%d are planned there, %d kept", empty(), of)
	}
	lay := roster.LayUsual{Batch: apptest.NewID(), Usual: keep.ID, Week: target}
	apptest.Must(t, w.Do(ctx, wren, lay))
	if empty() != of {
		t.Errorf("%d of %d are planned", empty(), of)
	}
	lay.Batch = apptest.NewID()
	if err := w.Do(ctx, wren, lay); !strings.Contains(fmt.Sprint(err), "planned already") {
		t.Errorf("laid twice: %v", err)
	}
	abena := *w.Person(t, "Abena Farouk").Employment
	if _, err := w.DB.Exec(`update employment set ends_on = '2026-12-31' where id = $1`, abena); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, wren, roster.LayUsual{Batch: apptest.NewID(), Usual: keep.ID, Week: target, Replace: true}))
	apptest.Must(t, w.Do(ctx, wren, roster.LayUsual{Batch: apptest.NewID(), Usual: keep.ID, Week: target + 7}))
	if n := count(t, w, `select count(*) from planned where employment_id = $1 and date >= $2`, abena, (target + 7).String()); n != 0 {
		t.Errorf("who left is planned %d times", n)
	}
	apptest.Must(t, w.Do(ctx, wren, roster.DropUsual{Usual: keep.ID}))
	if err := w.Do(ctx, wren, lay); err != app.ErrNotFound {
		t.Errorf("what was taken out is laid: %v", err)
	}
}

// What speaks against shifts shows, and is refused where the company says so; what isn't
// of this act doesn't hold it up.
func TestWhatSpeaksAgainst(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	said := func(name string) string {
		var all []string
		for _, c := range rowOf(t, read(t, w, mira, week), name).Shifts {
			for _, f := range c.Findings {
				all = append(all, c.Date.Format("Mon")+" "+f.Words())
			}
		}
		return strings.Join(all, ", ")
	}
	if _, err := w.DB.Exec(`update job set open_to_all = false where number = '2252'`); err != nil {
		t.Fatal(err)
	}
	closed := plan(t, w, "Dao Pham", monday-1, 8, 12)
	closed.On = clock.Assignment{Job: apptest.JobOf(t, w, "2252")}
	apptest.Must(t, w.Do(ctx, mira, closed))
	if got := said("Dao Pham"); !strings.HasPrefix(got,
		"Sun no working day, Sun 2252 is not open to them, Sun day 7 in a row, Mon day 8 in a row") {
		t.Errorf("said: %s", got)
	}
	twice := plan(t, w, "Dao Pham", monday, 10, 12)
	if err := w.Do(ctx, mira, twice); !strings.Contains(fmt.Sprint(err), "Dao Pham, Mon 16 Nov: planned twice") {
		t.Errorf("planned twice: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, roster.PutRule{Code: core.NoWorkday, Does: core.Refuses}))
	other := plan(t, w, "Dao Pham", monday+5, 8, 12)
	if err := w.Do(ctx, mira, other); !strings.Contains(fmt.Sprint(err), "no working day") {
		t.Errorf("refused by the company: %v", err)
	}
	again := roster.When{Date: monday, From: 6 * hour, To: 15 * hour}
	shift := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = $2`, closed.Employment,
		monday.String())
	apptest.Must(t, w.Do(ctx, mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: shift, When: &again}))
	apptest.Must(t, w.Do(ctx, mira, roster.PutRule{Code: core.NoWorkday, Does: core.Off}))
	apptest.Must(t, w.Do(ctx, mira, roster.PutRule{Code: core.ShortRest, Does: core.Warns, Figure: 20}))
	if got := said("Dao Pham"); !strings.HasPrefix(got,
		"Sun 2252 is not open to them, Sun day 7 in a row, Mon only 18:00 since the shift before") {
		t.Errorf("by other rules: %s", got)
	}
}

// A lead sees and plans their own crew, a manager everybody, a worker nobody.
func TestRosterOfALead(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	wren, mira := w.Person(t, "Wren Halloran"), w.Person(t, "Mira Castellane")
	r := read(t, w, wren, week)
	for _, p := range r.People {
		if p.Unit != *wren.Unit {
			t.Errorf("a lead sees %s of %s", p.Name(), p.UnitName)
		}
	}
	all := read(t, w, mira, week)
	if len(all.People) < 50 || len(r.People) < 4 || all.Shifts < 200 {
		t.Errorf("%d people, %d shifts; of the lead %d", len(all.People), all.Shifts, len(r.People))
	}
	if _, err := roster.ReadRoster(t.Context(), w.App, w.Person(t, "Dao Pham"), roster.Query{}); err != app.ErrForbidden {
		t.Errorf("a worker reads the roster: %v", err)
	}
	wrenRow := rowOf(t, read(t, w, mira, when.Period{From: monday - 8, To: monday - 2}), "Wren Halloran")
	if wrenRow.Worked == 0 || len(wrenRow.Stints) == 0 || wrenRow.Overtime == 0 {
		t.Errorf("this week of Wren: %d s worked, %d stints, %d s overtime", wrenRow.Worked, len(wrenRow.Stints), wrenRow.Overtime)
	}
}

// The weekly average counts what was worked and is planned, months back and ahead; it doesn't
// hold for whom it says that they opted out. The hours of the young hold until a day.
func TestAverageAndYoung(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	worked := count(t, w, `select sum(worked) from card where employment_id = $1 and date between $2 and $3`, *dao.Employment,
		(monday - 1 - 15*7).String(), (monday - 4).String())
	planned := count(t, w, `select sum(extract(epoch from end_at - start_at) - less) from planned where employment_id = $1
		and date between $2 and $3`, *dao.Employment, (monday - 3).String(), (monday + 5).String())
	if worked == 0 || planned == 0 {
		t.Fatalf("%d s worked, %d planned", worked, planned)
	}
	rule := func(figure int, does core.Does) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, roster.PutRule{Code: core.OnAverage, Does: does, Figure: figure, Span: 16}))
	}
	set := func(key, value string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: key, Value: value}))
	}
	said := func() (found []core.Finding) {
		t.Helper()
		for _, c := range rowOf(t, read(t, w, mira, week), "Dao Pham").Shifts {
			for _, f := range c.Findings {
				if f.Code == core.OnAverage || f.Code == core.YoungDay || f.Code == core.YoungNight {
					found = append(found, f)
				}
			}
		}
		return found
	}
	rule(1, core.Warns)
	if _, err := w.DB.Exec(`delete from leave_day where employment_id = $1`, *dao.Employment); err != nil { // for which other days count
		t.Fatal(err)
	}
	found := said()
	want := (int64(worked) + int64(planned)) / 16
	if n := len(found); n == 0 || found[n-1].Seconds != want {
		t.Errorf("%d s worked and %d planned are %d a week, not %v", worked, planned, want, found)
	}
	rule(1, core.Refuses)
	evening := plan(t, w, "Dao Pham", monday+5, 18, 23)
	if err := w.Do(ctx, mira, evening); !strings.Contains(fmt.Sprint(err), "a week on average") {
		t.Errorf("over the average: %v", err)
	}
	set("week_opt_out", "2026-11-01")
	set("young_until", "2026-11-21")
	apptest.Must(t, w.Do(ctx, mira, evening))
	if found := said(); len(found) != 1 || found[0].Code != core.YoungNight {
		t.Errorf("of somebody young who opted out: %v", found)
	}
	set("young_until", "2026-11-20")
	if found := said(); len(found) != 0 {
		t.Errorf("of somebody grown up: %v", found)
	}
}

// What jobs want stands beside what is planned on them, by whoever it is; what it costs, with
// the overtime that it makes, only for whom rates are to be seen.
func TestJobsWantPeople(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, orla, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Wren Halloran")
	dao := *w.Person(t, "Dao Pham").Employment
	job := apptest.JobOf(t, w, "2226")
	if _, err := w.DB.Exec(`delete from planned where date between $1 and $2`, (monday - 1).String(), (monday + 12).String()); err != nil {
		t.Fatal(err)
	}
	on := clock.Assignment{Job: job}
	for d := monday; d < monday+5; d++ { // five of nine hours
		p := plan(t, w, "Dao Pham", d, 7, 16.5)
		p.On, p.Less = on, 1800
		apptest.Must(t, w.Do(ctx, mira, p))
	}
	other := plan(t, w, "Tomasz Brandt", monday, 7, 12)
	other.On = on
	apptest.Must(t, w.Do(ctx, mira, other))
	want := roster.Want{Job: job, Days: when.Period{From: monday - 1, To: monday + 5}, People: 3, From: 6 * hour, To: 14 * hour,
		Weekdays: []time.Weekday{time.Monday, time.Wednesday}}
	apptest.Must(t, w.Do(ctx, mira, want))
	apptest.Must(t, w.Do(ctx, mira, want)) // said again it is the same
	byJob := func(who app.Actor) roster.JobPlan {
		t.Helper()
		r, err := roster.ReadRoster(ctx, w.App, who, roster.Query{Days: week, By: roster.ByJob})
		apptest.Must(t, err)
		i := slices.IndexFunc(r.Jobs, func(j roster.JobPlan) bool { return j.ID == job })
		if i < 0 {
			t.Fatalf("the job is not among %+v", r.Jobs)
		}
		return r.Jobs[i]
	}
	j := byJob(wren) // whose crew has one of them
	if d := j.Days[monday]; d.People != 2 || d.Wanted != 3 || j.Lack(monday) != 1 || j.Lack(monday+2) != 2 || j.Lack(monday+1) != 0 ||
		j.Seconds != 50*3600 || d.From != 6*3600 || d.To != 14*3600 {
		t.Errorf("planned and wanted: %+v", j)
	}
	if j.Cost != "" {
		t.Error("what it costs is shown to whom rates aren't")
	}
	rate := dbtest.Get[string](t, w, `select round(a.amount * 45 + a.amount * 5 * 0.5 + b.amount * 5, 2)::text
		from (select amount from rate where employment_id = $1 order by starts_on desc limit 1) a,
		     (select amount from rate where employment_id = $2 order by starts_on desc limit 1) b`, dao, other.Employment)
	if j = byJob(orla); j.Cost != rate {
		t.Errorf("45 hours with 5 of overtime and 5 hours cost %s, not %s", j.Cost, rate)
	}
	row := rowOf(t, read(t, w, orla, week), "Dao Pham")
	premium := dbtest.Get[string](t, w, `select round(amount * 5 * 0.5, 2)::text from rate where employment_id = $1
		order by starts_on desc limit 1`, dao)
	if row.Overtime != 5*3600 || row.Premium != premium {
		t.Errorf("%d s of overtime for %s, not 5 h for %s", row.Overtime, row.Premium, premium)
	}
	// Who is paid in another currency is priced in it, and never added to the others.
	if _, err := w.DB.Exec(`insert into period_group (name, kind, anchor, currency) values ('Ferry', 'weekly', '2026-11-08', 'JPY');
		update terms set period_group = 'Ferry' where employment_id = '` + other.Employment.String() + `'`); err != nil {
		t.Fatal(err)
	}
	dollars := dbtest.Get[string](t, w, `select round(amount * 45 + amount * 5 * 0.5, 2)::text from rate where employment_id = $1
		order by starts_on desc limit 1`, dao)
	yen := dbtest.Get[string](t, w, `select round(amount * 5, 0)::text from rate where employment_id = $1
		order by starts_on desc limit 1`, other.Employment)
	if j = byJob(orla); j.Cost != dollars || !slices.Equal(j.Others, []roster.Sum{{Amount: yen, Currency: "JPY"}}) {
		t.Errorf("apart they cost %s and %v, not %s and %s", j.Cost, j.Others, dollars, yen)
	}
	if _, err := w.DB.Exec(`update grant_given set taken_at = now() where person_id = $1`, mira.ID); err != nil {
		t.Fatal(err)
	}
	if row = rowOf(t, read(t, w, w.Person(t, "Mira Castellane"), week), "Dao Pham"); row.Overtime != 5*3600 || row.Premium != "" {
		t.Errorf("without rates: %d s, %s", row.Overtime, row.Premium)
	}
	day, err := roster.ReadRoster(ctx, w.App, mira, roster.Query{Days: when.Period{From: monday + 4, To: monday + 4}})
	apptest.Must(t, err)
	if row = rowOf(t, day, "Dao Pham"); row.Overtime != 5*3600 {
		t.Errorf("seen on a day of it, the week has %d s of overtime", row.Overtime)
	}
	want.People = 0
	apptest.Must(t, w.Do(ctx, mira, want))
	if j = byJob(mira); j.Lack(monday) != 0 {
		t.Errorf("taken back: %+v", j)
	}
}
