package people_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/dbtest"
)

// What is due is erased, and nothing else: who left longer ago than the law asks,
// where people were in runs closed ninety days ago, rows of old files. It is kept
// what was erased, and derived rows stay as they are.
func TestErasingWhatIsDue(t *testing.T) {
	w := dbtest.Open(t)
	ctx, now := context.Background(), w.At()
	orla, dao, wren := w.Person(t, "Orla Ebbwater"), w.Person(t, "Dao Pham"), w.Person(t, "Wren Halloran")
	exec := func(statement string, args ...any) {
		t.Helper()
		if _, err := w.DB.Exec(statement, args...); err != nil {
			t.Fatal(err)
		}
	}
	for id, last := range map[any]string{dao.ID: "2023-11-12", wren.ID: "2023-11-13"} { // three years by 29 CFR 516.5
		exec(`update person set ended_on = $2 where id = $1`, id, last)
	}
	exec(`insert into place_seen (id, employment_id, at, lat, lon) select gen_random_uuid(), $1, at, 40, -70
		from unnest(array['2026-07-20 15:00+00', '2026-11-12 15:00+00']::timestamptz[]) at`, *w.Person(t, "Tomasz Brandt").Employment)
	for _, age := range []int{91, 89} {
		exec(`insert into import (id, kind, by_person, made_at, file_name, header, rows, matched)
			values (gen_random_uuid(), 'people', $1, $2, 'p.csv', '[]', '[]', '{}')`, orla.ID, now.AddDate(0, 0, -age))
	}
	const placed = `select count(*) from punch where lat is not null and claimed_at < '2026-08-02 03:00+00'`
	const later = `select count(*) from punch where lat is not null and claimed_at >= '2026-08-02 08:00+00'`
	old, rest := dbtest.Get[int](t, w, placed), dbtest.Get[int](t, w, later)
	if old == 0 || rest == 0 {
		t.Fatalf("%d punches of the first run have a place, %d after it", old, rest)
	}
	apptest.Must(t, people.EraseDue(ctx, w.App))
	if n, m := dbtest.Get[int](t, w, placed), dbtest.Get[int](t, w, later); n != 0 || m != rest {
		t.Errorf("%d places of the first run are left, %d of %d after it", n, m, rest)
	}
	if at := dbtest.Get[string](t, w, `select string_agg(at::date::text, ' ') from place_seen where lat = 40`); at != "2026-11-12" {
		t.Errorf("along the way of %s is left", at)
	}
	if name := dbtest.Get[string](t, w, `select given_name from person where id = $1`, dao.ID); name != "Erased" {
		t.Errorf("who left three years and a day ago is %s", name)
	}
	if name := dbtest.Get[string](t, w, `select given_name from person where id = $1`, wren.ID); name != "Wren" {
		t.Errorf("who left three years ago to the day is %s", name)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from import`); n != 1 {
		t.Errorf("%d files are left", n)
	}
	said := dbtest.Get[string](t, w, `select string_agg(kind || ' ' || n, ', ' order by kind) from erasure`)
	if !strings.HasPrefix(said, "files 1") || !strings.Contains(said, "people 1, places ") {
		t.Errorf("it is kept that it erased %s", said)
	}
	_, cards, found, err := hours.Verify(ctx, w.App, hours.ToVerify{})
	apptest.Must(t, err)
	if len(found) != 0 || cards == 0 {
		t.Errorf("verify finds in %d cards: %v", cards, found)
	}
	before := dbtest.Get[int](t, w, `select count(*) from erasure`)
	apptest.Must(t, people.EraseDue(ctx, w.App))
	if n := dbtest.Get[int](t, w, `select count(*) from erasure`); n != before {
		t.Errorf("the next night erases %d more", n-before)
	}
	for _, statement := range []string{`update punch set lat = null, lon = null where lat is not null`, `delete from place_seen`,
		`select set_config('manudex.erasing', 'due', false)`, `update punch set off_site = 0, lat = null, lon = null where lat is not null`,
		`delete from punch`} {
		_, err := w.DB.ExecContext(ctx, statement)
		if strings.HasPrefix(statement, "select") != (err == nil) {
			t.Errorf("%s: %v", statement, err)
		}
	}
}

// Records are kept as long as the law of the country asks, or longer.
func TestKeepingNoShorter(t *testing.T) {
	w := dbtest.Open(t)
	ctx, orla := context.Background(), w.Person(t, "Orla Ebbwater")
	left := func() string {
		place, err := w.App.Company(ctx)
		apptest.Must(t, err)
		return people.DueAt(place, w.At().Add(time.Hour)).Left.String()
	}
	if got := left(); got != "2023-11-13" {
		t.Errorf("due is who left before %s", got)
	}
	r := apptest.Refusal(t, w.Do(ctx, orla, company.SetCompany{Field: "keep_years", Value: "2"}))
	if !strings.Contains(r.Wrong, "3 years at least") || !strings.Contains(r.Wrong, "29 CFR 516.5") {
		t.Errorf("two years: %+v", r)
	}
	for value, want := range map[string]string{"7": "2019-11-13", "": "2023-11-13"} {
		apptest.Must(t, w.Do(ctx, orla, company.SetCompany{Field: "keep_years", Value: value}))
		if got := left(); got != want {
			t.Errorf("kept for %q years: due is who left before %s, want %s", value, got, want)
		}
	}
	apptest.Must(t, w.Do(ctx, orla, company.SetCompany{Field: "keep_years", Value: "4"}))
	apptest.Must(t, w.Do(ctx, orla, company.SetCompany{Field: "country", Value: "GB"}))
	if got := left(); got != "2020-11-13" {
		t.Errorf("in the United Kingdom due is who left before %s", got)
	}
}
