package demo_test

import (
	"context"
	"fmt"
	"log/slog"
	"testing"
	"time"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/demo"
	"manudex/store"
)

// The demo world has what it is meant to have, and holds together.
func TestWorld(t *testing.T) {
	w := dbtest.Open(t)
	for what, c := range map[string]struct {
		sql      string
		min, max int
	}{
		"people":              {`select count(*) from person`, 55, 65},
		"sites":               {`select count(*) from site`, 4, 4},
		"jobs":                {`select count(*) from job`, 26, 26},
		"public works":        {`select count(*) from job where public_work`, 3, 25},
		"closed runs":         {`select count(*) from run`, 8, 8},
		"people on the clock": {`select count(*) from stint where end_at is null`, 20, 50},
		"late arrivals":       {`select count(*) from card where flags @> '[{"code":"late"}]'`, 10, 1000},
		"missed meals":        {`select count(*) from card where flags @> '[{"code":"meal_due"}]'`, 10, 1000},
		"hand-set edges":      {`select count(*) from card where flags @> '[{"code":"by_hand"}]'`, 5, 1000},
		"off-site punches":    {`select count(*) from card where flags @> '[{"code":"off_site"}]'`, 1, 1000},
		"delayed punches":     {`select count(*) from punch where point = 'queue'`, 10, 1000},
		"a dispute": {`select count(*) from note n join person p on p.id = n.by_person where body like '%half past three%'`,
			1, 1},
		"planned shifts to come":  {`select count(*) from shift where start_at > '2026-11-13T15:12:00Z'`, 100, 2000},
		"leave days":              {`select count(*) from leave_day`, 50, 1000},
		"unpaid cards of old":     {`select count(*) from card where date < '2026-11-08' and state not in ('paid', 'approved')`, 0, 0},
		"paid cards of now":       {`select count(*) from card where date >= '2026-11-08' and state = 'paid'`, 0, 0},
		"punches from the future": {`select count(*) from punch where received_at > '2026-11-13T15:12:00Z'`, 0, 0},
		"overtime premiums":       {`select count(*) from pay_line where kind = 'overtime_premium'`, 100, 10000},
		"late cards, named": {`select count(*) from pay_line l join run r on r.id = l.run_id where l.date < r.from_date
			and l.kind = 'straight' and seconds > 0`, 7, 1000},
	} {
		if n := dbtest.Get[int](t, w, c.sql); n < c.min || n > c.max {
			t.Errorf("%s: %d, want %d to %d", what, n, c.min, c.max)
		}
	}
	stints, cards, found, err := hours.Verify(context.Background(), w.App, hours.ToVerify{})
	if err != nil || len(found) != 0 || stints < 10000 || cards < 4000 {
		t.Errorf("verify: %d stints, %d cards, %v, %v", stints, cards, found, err)
	}
}

// A load that was broken off leaves no company behind, so the next one doesn't
// take the rest of it for a world.
func TestABrokenLoad(t *testing.T) {
	db := dbtest.Empty(t)
	w, err := demo.New(1, dbtest.Now, demo.Size{People: 3, Weeks: 2})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(`alter table card_act rename to elsewhere`); err != nil {
		t.Fatal(err)
	}
	if err := w.Load(context.Background(), db, slog.New(slog.DiscardHandler)); err == nil {
		t.Fatal("loaded without a table it needs")
	}
	if _, err := store.GetCompany(context.Background(), db); err == nil {
		t.Error("a broken load left a company")
	}
}

// The same seed and now make the same world; another seed another one.
func TestDeterministic(t *testing.T) {
	print := func(seed uint64) string {
		w, err := demo.New(seed, dbtest.Now, demo.Size{})
		if err != nil {
			t.Fatal(err)
		}
		return w.Fingerprint()
	}
	if a, b := print(1), print(1); a != b {
		t.Errorf("two worlds of one seed: %s, %s", a, b)
	}
	if a, b := print(1), print(2); a == b {
		t.Errorf("one world of two seeds: %s", a)
	}
}

// Whatever the now, the world comes together: at night, on a Sunday, across
// a clock change, on a period's first and last day.
func TestAnyNow(t *testing.T) {
	for _, now := range []string{"2026-11-08T05:30:00Z", "2026-11-21T23:59:59-05:00", "2026-11-01T06:30:00Z",
		"2027-03-14T07:30:00Z", "2028-02-29T12:00:00Z"} {
		at, err := time.Parse(time.RFC3339, now)
		if err != nil {
			t.Fatal(err)
		}
		w, err := demo.New(1, at, demo.Size{Weeks: 4})
		if err != nil {
			t.Fatalf("%s: %v", now, err)
		}
		from, open := w.Span()
		if open.Days() != 14 || from != open.From-28 || open.From.Weekday() != time.Sunday {
			t.Errorf("%s: history from %s, open %s", now, from, open.From)
		}
		if !open.Holds(when.DateOf(at.Add(-4*time.Hour), time.FixedZone("", -5*3600))) {
			t.Errorf("%s lies outside the open period %s", now, fmt.Sprint(open))
		}
		if w.Fingerprint() == "" {
			t.Errorf("%s: no history", now)
		}
	}
}

// A world loaded at once, its past runs worked out together, is the world that
// is loaded step by step: to the second and the cent, by people, weeks and days.
func TestAWorldLoadedAtOnce(t *testing.T) {
	ctx := context.Background()
	load := func(atOnce bool) (found map[string]string, db *store.DB) {
		db = dbtest.Empty(t)
		w, err := demo.New(7, dbtest.Now, demo.Size{People: 54, Weeks: 8, AtOnce: atOnce})
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Load(ctx, db, slog.New(slog.DiscardHandler)); err != nil {
			t.Fatal(err)
		}
		found = map[string]string{}
		for what, sql := range map[string]string{
			"pay": `select l.employment_id, l.week, l.date, l.job_id, l.task_id, l.class_id, l.pay_code, l.kind, l.class, l.rate,
				sum(l.seconds) as seconds, sum(l.amount) as amount from pay_line l group by 1, 2, 3, 4, 5, 6, 7, 8, 9, 10
				having sum(l.amount) <> 0`,
			"hours":   `select * from hours`,
			"cards":   `select * from card`,
			"punches": `select count(*), sum(extract(epoch from claimed_at)) from punch`,
			"runs":    `select number, from_date, to_date, closed_at, closed_by from run`,
			"indexes": `select indexdef from pg_indexes where schemaname = 'public'`,
			"keys": `select conrelid::regclass, conname, pg_get_constraintdef(oid) from pg_constraint
				where connamespace = 'public'::regnamespace`,
		} {
			var text string
			if err := db.Get(&text, `select coalesce(md5(string_agg(x::text, E'\n' order by x::text)), '') from (`+sql+`) x`); err != nil {
				t.Fatalf("%s: %v", what, err)
			}
			found[what] = text
		}
		return found, db
	}
	steps, _ := load(false)
	once, db := load(true)
	for what, text := range steps {
		if text == "" || once[what] != text {
			t.Errorf("%s: %q loaded at once, %q step by step", what, once[what], text)
		}
	}
	place := app.New(db, func() time.Time { return dbtest.Now }, slog.New(slog.DiscardHandler))
	_, _, wrong, err := hours.Verify(ctx, place, hours.ToVerify{})
	if err != nil || len(wrong) > 0 {
		t.Errorf("verify: %v, %v", wrong, err)
	}
}
