package store_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

func get[T any](t testing.TB, db *store.DB, query string, args ...any) (v T) {
	t.Helper()
	must(t, db.QueryRowx(query, args...).Scan(&v))
	return v
}

// employmentOf finds an employment by the person's name.
func employmentOf(t testing.TB, db *store.DB, name string) uuid.UUID {
	t.Helper()
	return get[uuid.UUID](t, db, `select e.id from employment e join person p on p.id = e.person_id
		where p.given_name || ' ' || p.family_name = $1`, name)
}

// Dated settings: what holds on a date is what began last, and what was set
// from a date can be set again or taken away.
func TestDatedSettings(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	e := employmentOf(t, db, "Viggo Bexley")
	person := get[uuid.UUID](t, db, `select person_id from employment where id = $1`, e)
	day := when.NewDate(2027, 2, 1)
	rateOn := func(d when.Date) string {
		sheets, n, err := store.Sheets(ctx, db, d, store.SheetFilter{Person: person, State: "any"}, 0, -1)
		must(t, err)
		if n != 1 || len(sheets) != 1 {
			t.Fatalf("%d sheets of %d", len(sheets), n)
		}
		return sheets[0].Values["rate"] + " " + sheets[0].Values["pattern"]
	}
	before := rateOn(day)
	must(t, store.PutRates(ctx, db, store.Dated{Employment: e, From: day, Value: "41.125"}))
	must(t, store.PutPatterns(ctx, db, store.Dated{Employment: e, From: day, Value: "0 0 0 3600 7200 0 0"}))
	if got := rateOn(day - 1); got != before {
		t.Errorf("the day before: %s, was %s", got, before)
	}
	for _, d := range []when.Date{day, day + 300} {
		if got := rateOn(d); got != "41.125 0 0 0 3600 7200 0 0" {
			t.Errorf("on %s: %s", d, got)
		}
	}
	must(t, store.PutRates(ctx, db, store.Dated{Employment: e, From: day, Value: "42"}))
	if got := rateOn(day); got != "42.00 0 0 0 3600 7200 0 0" {
		t.Errorf("set again: %s", got)
	}
	must(t, store.PutRates(ctx, db, store.Dated{Employment: e, From: day, Value: ""}))
	must(t, store.PutPatterns(ctx, db, store.Dated{Employment: e, From: day, Value: ""}))
	if got := rateOn(day); got != before {
		t.Errorf("taken away: %s, was %s", got, before)
	}
}

// What a plan expects comes from core: changed patterns, and holidays.
func TestPlansOf(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	e := employmentOf(t, db, "Viggo Bexley")
	monday := when.NewDate(2027, 3, 1)
	must(t, store.PutPatterns(ctx, db, store.Dated{Employment: e, From: monday, Value: "0 28800 28800 28800 28800 28800 0"}))
	must(t, store.PutPatterns(ctx, db, store.Dated{Employment: e, From: monday + 2, Value: "0 0 0 14400 14400 14400 0"}))
	var on []store.EmploymentDate
	for d := range when.Date(7) {
		on = append(on, store.EmploymentDate{Employment: e, Date: monday + d})
	}
	plans, err := store.PlansOf(ctx, db, on, func(d when.Date) bool { return d == monday+3 })
	must(t, err)
	var got []int64
	for _, p := range plans {
		got = append(got, p.Expected/3600)
	}
	if fmt.Sprint(got) != "[8 8 4 0 4 0 0]" {
		t.Errorf("expected hours %v", got)
	}
	patterns := []card.Pattern{{From: monday, Seconds: [7]int64{0, 28800, 28800, 28800, 28800, 28800, 0}},
		{From: monday + 2, Seconds: [7]int64{0, 0, 0, 14400, 14400, 14400, 0}}}
	must(t, store.PutPatterns(ctx, db,
		store.Dated{Employment: e, From: monday + 3, Value: "0 0 0 0 0 25200-55800/28800 79200-21600/28800"}))
	sheets, _, err := store.Sheets(ctx, db, monday+4, store.SheetFilter{Text: "viggo bexley"}, 0, -1)
	must(t, err)
	if got := sheets[0].Values["pattern"]; got != "0 0 0 0 0 25200-55800/28800 79200-21600/28800" {
		t.Errorf("the pattern reads %q", got)
	}
	timed, err := store.PlansOf(ctx, db, on[4:6], func(when.Date) bool { return false })
	must(t, err)
	for i, want := range []string{"2027-03-05T12:00:00Z 2027-03-05T20:30:00Z", "2027-03-07T03:00:00Z 2027-03-07T11:00:00Z"} {
		got := timed[i].ShiftFrom.UTC().Format(time.RFC3339) + " " + timed[i].ShiftTo.UTC().Format(time.RFC3339)
		if got != want {
			t.Errorf("day %d is planned %s, want %s", i, got, want)
		}
	}
	for i, o := range on {
		d := o.Date
		if want := card.UsualOn(d, patterns, d == monday+3, time.UTC).Seconds; plans[i].Expected != want {
			t.Errorf("%s: %d, core says %d", d, plans[i].Expected, want)
		}
	}
}

// A find box forgives accents, marks, capitals and the order of words.
func TestFinds(t *testing.T) {
	db := dbtest.DB(t)
	for _, c := range []struct {
		hay, words string
		want       bool
	}{
		{"Íñigo Álvarez", "alvarez inigo", true}, {"Siobhán O'Neill", "oneill", true}, {"Siobhán O’Neill", "o'neill", true},
		{"Benoît Côté", "COTE", true}, {"Kateřina +1 (617) 555-0142", "617 555 0142", true}, {"26-014 Route 9", "route 26014", true},
		{"Ana-Lucía Reyes", "ana lucia", true},
		{"Ana-Lucía Reyes", "analucia", true}, {"Mei Tan", "mei tam", false}, {"50% done", "%", true}, {"Mira Castellane", "castelane",
			true},
		{"Wren Halloran", "haloran wren", true}, {"Marisol Quaye", "maria", false}, {"2231 Gantry", "22310", false}, {"Rui Tan", "ruy",
			false}, {"done", "_", false},
	} {
		var got bool
		must(t, db.Get(&got, `select finds($1, $2)`, c.hay, c.words))
		if got != c.want {
			t.Errorf("%q in %q: %v", c.words, c.hay, got)
		}
	}
}

// The list is filtered by what it says, a page at a time, and counts all.
func TestSheets(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	on := when.NewDate(2026, 11, 13)
	all, total, err := store.Sheets(ctx, db, on, store.SheetFilter{}, 0, -1)
	must(t, err)
	if total != len(all) || total != get[int](t, db, `select count(*) from person p left join employment e on e.person_id = p.id`) {
		t.Errorf("%d sheets, %d in all", len(all), total)
	}
	first, n, err := store.Sheets(ctx, db, on, store.SheetFilter{}, 10, 5)
	must(t, err)
	if len(first) != 5 || n != total || first[0].Person != all[10].Person {
		t.Errorf("a piece of %d, %d in all", len(first), n)
	}
	unit := get[uuid.UUID](t, db, `select id from unit where name = 'Gantry crew B'`)
	for name, c := range map[string]struct {
		filter store.SheetFilter
		query  string
	}{
		"a crew": {store.SheetFilter{InUnits: []uuid.UUID{unit}}, `select count(*) from employment
			where unit_id = (select id from unit where name = 'Gantry crew B')`},
		"leads": {store.SheetFilter{Levels: []string{"lead"}}, `select count(*) from person where level = 'lead'`},
		"a part of names": {store.SheetFilter{Text: " halL"}, `select count(*) from person
			where given_name || ' ' || family_name ilike '%hall%'`},
		"a percent sign": {store.SheetFilter{Text: "%"}, `select 0`},
		"no units":       {store.SheetFilter{Units: []uuid.UUID{}}, `select 0`},
		"nobody left":    {store.SheetFilter{State: "ended"}, `select count(*) from person where ended_on < '2026-11-13'`},
	} {
		if _, n, err := store.Sheets(ctx, db, on, c.filter, 0, -1); err != nil || n != get[int](t, db, c.query) {
			t.Errorf("%s: %d, %v", name, n, err)
		}
	}
}

// The record of changes takes rows and gives none away; erasing alone blanks
// them.
func TestChangesAreAppendOnly(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	person := get[uuid.UUID](t, db, `select id from person where family_name = 'Bexley' limit 1`)
	by := get[uuid.UUID](t, db, `select id from person where level = 'owner' limit 1`)
	c := store.Change{ID: uuid.Must(uuid.NewV7()), Batch: uuid.Must(uuid.NewV7()), Person: person, Field: "mobile", Old: "",
		New: "+1 555 010 0100", MadeAt: time.Now(), By: by}
	must(t, store.InsertChanges(ctx, db, c))
	for _, statement := range []string{`update change set new_value = 'x' where id = $1`,
		`delete from change where id = $1`, `update change set old_value = '(erased)', new_value = '(erased)', field = 'x' where id = $1`} {
		if _, err := db.ExecContext(ctx, statement, c.ID); err == nil {
			t.Errorf("taken: %s", statement)
		}
	}
	must(t, store.ErasePerson(ctx, db, person, time.Now()))
	if got := get[string](t, db, `select new_value from change where id = $1`, c.ID); got != "(erased)" {
		t.Errorf("after erasing it says %q", got)
	}
}

// A file on its way in keeps its rows until it is in, and one left lying goes
// with the next.
func TestImportKeeping(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	by := get[uuid.UUID](t, db, `select id from person where level = 'owner' limit 1`)
	put := func() uuid.UUID {
		im := store.Import{Kind: "people", ID: uuid.Must(uuid.NewV7()), By: by, MadeAt: time.Now(), FileName: "a.csv",
			Header: []string{"a"}, Cells: [][]string{{"1"}, {"2"}}, Matched: []string{""}}
		must(t, store.InsertImport(ctx, db, im))
		return im.ID
	}
	first := put()
	must(t, store.ImportProgress(ctx, db, first, 1, 2, ""))
	im, err := store.GetImport(ctx, db, first)
	must(t, err)
	if len(im.Cells) != 2 || im.Done != 1 || im.Total != 2 {
		t.Errorf("kept %+v", im)
	}
	second := put()
	if _, err := store.GetImport(ctx, db, first); !store.NotFound(err) {
		t.Errorf("the file left lying: %v", err)
	}
	must(t, store.ImportApplied(ctx, db, second, time.Now(), "2 new", nil))
	third := put()
	if im, err = store.GetImport(ctx, db, second); err != nil || len(im.Cells) != 0 || im.Summary != "2 new" {
		t.Errorf("what is in: %+v, %v", im, err)
	}
	must(t, store.MatchImport(ctx, db, third, []string{"number"}))
	if raw := get[string](t, db, `select matched::text from import where id = $1`, third); raw != `["number"]` {
		t.Errorf("matched %s", raw)
	}
}

// The fringe and the base of a wage determination, and dated rates.
func TestRates(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	e := employmentOf(t, db, "Viggo Bexley")
	job := get[string](t, db, `select job_id::text from job_wage limit 1`)
	class := get[string](t, db, `select class_id::text from job_wage where job_id = $1 limit 1`, job)
	from := when.NewDate(2026, 12, 6)
	must(t, store.PutWage(ctx, db, uuid.MustParse(job),
		store.Wage{Class: uuid.MustParse(class), Base: "99.5", Cash: "4.2", Plan: "7", StartsOn: from}))
	must(t, store.PutRates(ctx, db, store.Dated{Employment: e, From: when.NewDate(2027, 1, 1), Value: "50"}))
	r, err := store.GetRates(ctx, db)
	must(t, err)
	on := when.NewDate(2027, 1, 2)
	if got := r.Of(e, on, job, class).String(); got != "99.50" {
		t.Errorf("on public work %s", got)
	}
	if got := r.Of(e, on, "", "").String(); got != "50.00" {
		t.Errorf("elsewhere %s", got)
	}
	if got := r.Determination(job, class, from-1); got.Base == r.Determination(job, class, from).Base || got.Base == 0 {
		t.Errorf("the day before the new determination the base is %s", got.Base)
	}
	if cash, plan := r.Fringe(on, job, class); cash.String() != "4.20" || plan.String() != "7.00" {
		t.Errorf("fringe %s and %s", cash, plan)
	}
}

// A rule set takes the holidays that pay a premium.
func TestRuleSetsTakeHolidays(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	c, err := store.GetCompany(ctx, db)
	must(t, err)
	double := "2"
	must(t, store.PutHolidays(ctx, db, []store.Holiday{{Date: when.NewDate(2027, 1, 1), Name: "New year", Multiplier: &double}}))
	must(t, store.PutHolidays(ctx, db, []store.Holiday{{Date: when.NewDate(2027, 1, 6), Name: "Free day"}}))
	must(t, store.PutRuleSet(ctx, db, uuid.Must(uuid.NewV7()), "Later", when.NewDate(2027, 1, 3),
		json.RawMessage(`{"daily_overtime_after":"8"}`)))
	sets, err := store.RuleSets(ctx, db, c)
	must(t, err)
	last := sets[len(sets)-1]
	if last.Name != "Later" || last.Rules.Name != "Later" || last.Rules.DailyOvertime != 8*3600 || len(last.Rules.Holidays) != 1 ||
		last.Rules.Holidays[0].Date != when.NewDate(2027, 1, 1) {
		t.Errorf("the set %+v", last)
	}
}
