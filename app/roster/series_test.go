package roster_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
)

// Shifts that repeat are made 13 weeks ahead with their local times; each night goes on, and
// makes nothing twice; what was changed by hand stays so.
func TestASeries(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), *w.Person(t, "Dao Pham").Employment
	if _, err := w.DB.Exec(`insert into holiday (date, name) values ('2026-12-13', 'Founding')`); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`insert into leave_day (id, employment_id, date, name, pay_code, seconds) values (gen_random_uuid(), $1,
		'2026-12-20', 'Annual leave', 'PTO', 28800)`, dao); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`update company set version = version + 1`); err != nil {
		t.Fatal(err)
	}
	sunday := monday - 1
	made, left := 0, 0
	p := roster.PlanSeries{ID: apptest.NewID(), Employment: dao, When: roster.When{Date: sunday, From: 22 * hour, To: 2 * hour},
		Rule: "FREQ=WEEKLY;BYDAY=SU", SkipHolidays: true, SkipLeave: true, Made: func(m, l int) { made, left = m, l }}
	apptest.Must(t, w.Do(ctx, mira, p))
	apptest.Must(t, w.Do(ctx, mira, p))
	series := func() int { return count(t, w, `select count(*) from planned where series_id is not null`) }
	if made != 11 || left != 2 || series() != 11 { // 15 November to 7 February, less the holiday and the leave
		t.Errorf("made %d, left out %d, there are %d", made, left, series())
	}
	if got := dbtest.Get[string](t, w, `select string_agg(distinct to_char(start_at at time zone 'America/New_York', 'HH24:MI') || '–' ||
		to_char(end_at at time zone 'America/New_York', 'HH24:MI'), ' ') from planned where series_id = $1`, p.ID); got != "22:00–02:00" {
		t.Errorf("they are %s", got)
	}
	of := func(d when.Date) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w, `select id from planned where series_id is not null and series_on = $1`, d.String())
	}
	later := roster.When{Date: sunday + 7, From: 20 * hour, To: 23 * hour}
	apptest.Must(t, w.Do(ctx, mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: of(sunday + 7), When: &later}))
	apptest.Must(t, w.Do(ctx, mira, roster.DropShifts{Batch: apptest.NewID(), Shifts: []uuid.UUID{of(sunday + 14)}}))
	for range 2 {
		apptest.Must(t, roster.Make(ctx, w.App))
	}
	if series() != 10 {
		t.Errorf("after a night there are %d", series())
	}
	w.Set(w.At().AddDate(0, 0, 14))
	for range 2 {
		apptest.Must(t, roster.Make(ctx, w.App))
	}
	if series() != 12 {
		t.Errorf("two weeks later there are %d", series())
	}
	if n := count(t, w, `select count(*) from planned where series_id is not null and date = $1
		and to_char(start_at at time zone 'America/New_York', 'HH24:MI') = '20:00'`, (sunday + 7).String()); n != 1 {
		t.Error("what was changed by hand was made anew")
	}
	// From a day on it is otherwise; what went before, and what was changed by hand, stays.
	change := roster.ChangeSeries{Batch: apptest.NewID(), Series: p.ID, From: sunday + 42, When: roster.When{From: 21 * hour, To: 1 * hour}}
	apptest.Must(t, w.Do(ctx, mira, change))
	hours := func(of string) int {
		return count(t, w, `select count(*) from planned where series_id is not null
			and to_char(start_at at time zone 'America/New_York', 'HH24:MI') = $1`, of)
	}
	if hours("22:00")+hours("21:00")+hours("20:00") != 12 || hours("21:00") != 9 {
		t.Errorf("%d at 22, %d at 21, %d by hand", hours("22:00"), hours("21:00"), hours("20:00"))
	}
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: change.Batch}))
	if hours("22:00") != 11 || hours("21:00") != 0 {
		t.Errorf("taken back: %d at 22, %d at 21", hours("22:00"), hours("21:00"))
	}
	w.Set(w.At().AddDate(0, 0, 7))
	apptest.Must(t, roster.Make(ctx, w.App))
	if hours("22:00") != 12 {
		t.Errorf("what was taken back doesn't go on: %d", hours("22:00"))
	}
	end := roster.EndSeries{Batch: apptest.NewID(), Series: p.ID, From: sunday + 56}
	apptest.Must(t, w.Do(ctx, mira, end))
	if n := count(t, w, `select count(*) from planned where series_on >= $1`, (sunday + 56).String()); n != 0 {
		t.Errorf("%d after the end", n)
	}
	w.Set(w.At().AddDate(0, 0, 7))
	apptest.Must(t, roster.Make(ctx, w.App))
	if n := count(t, w, `select count(*) from planned where series_on >= $1`, (sunday + 56).String()); n != 0 {
		t.Errorf("a night later %d after the end", n)
	}
}

// A rule counts its weeks from where it began, also when it is changed from a day on.
func TestEveryOtherWeekGoesOnCounting(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), *w.Person(t, "Dao Pham").Employment
	p := roster.PlanSeries{ID: apptest.NewID(), Employment: dao, When: roster.When{Date: monday - 1, From: 18 * hour, To: 20 * hour},
		Rule: "FREQ=WEEKLY;INTERVAL=2;BYDAY=SU;COUNT=5"}
	apptest.Must(t, w.Do(ctx, mira, p))
	apptest.Must(t, w.Do(ctx, mira, roster.ChangeSeries{Batch: apptest.NewID(), Series: p.ID, From: monday + 27,
		When: roster.When{From: 17 * hour, To: 20 * hour}}))
	if got := dbtest.Get[string](t, w,
		`select string_agg(to_char(start_at at time zone 'America/New_York', 'MM-DD HH24'), ', ' order by start_at)
		from planned where series_id is not null`); got != "11-15 18, 11-29 18, 12-13 17, 12-27 17, 01-10 17" {
		t.Errorf("every other week: %s", got)
	}
}

// All of a series is all that is to come: changed, it goes on as it is now; ended, nothing of
// it is left but what is over.
func TestAllOfASeries(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), *w.Person(t, "Dao Pham").Employment
	p := roster.PlanSeries{ID: apptest.NewID(), Employment: dao, When: roster.When{Date: monday - 1, From: 18 * hour, To: 20 * hour},
		Rule: "FREQ=WEEKLY;BYDAY=SU;COUNT=4"}
	apptest.Must(t, w.Do(ctx, mira, p))
	is := func() string {
		return dbtest.Get[string](t, w, `select coalesce(string_agg(to_char(start_at at time zone 'America/New_York', 'MM-DD HH24'), ', '
			order by start_at), '') from planned where series_id is not null`)
	}
	w.Set(w.At().AddDate(0, 0, 7)) // the first is over
	change := roster.ChangeSeries{Batch: apptest.NewID(), Series: p.ID, When: roster.When{From: 17 * hour, To: 20 * hour}}
	apptest.Must(t, w.Do(ctx, mira, change))
	if got := is(); got != "11-15 18, 11-22 17, 11-29 17, 12-06 17" {
		t.Errorf("changed: %s", got)
	}
	now := dbtest.Get[uuid.UUID](t, w, `select distinct series_id from planned where series_id is not null and date > '2026-11-20'`)
	apptest.Must(t, w.Do(ctx, mira, roster.EndSeries{Batch: apptest.NewID(), Series: now}))
	if got := is(); got != "11-15 18" {
		t.Errorf("ended: %s", got)
	}
}

// Every "no" of what repeats.
func TestSeriesRefused(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren, mira := w.Person(t, "Wren Halloran"), w.Person(t, "Mira Castellane")
	mine, shop := *wren.Employment, *w.Person(t, "Dao Pham").Employment
	series := func(of uuid.UUID, change func(*roster.PlanSeries)) roster.PlanSeries {
		p := roster.PlanSeries{ID: apptest.NewID(), Employment: of, When: roster.When{Date: monday - 1, From: 18 * hour, To: 20 * hour},
			Rule: "FREQ=WEEKLY;BYDAY=SU"}
		if change != nil {
			change(&p)
		}
		return p
	}
	there := series(shop, nil)
	apptest.Must(t, w.Do(ctx, mira, there))
	ended := series(shop, func(p *roster.PlanSeries) { p.When.From, p.When.To, p.Until = 14*hour, 15*hour, monday+6 })
	apptest.Must(t, w.Do(ctx, mira, ended))
	for _, row := range []struct {
		who app.Actor
		act app.Act
		why string
	}{
		{w.Person(t, "Dao Pham"), there, "may not do this"},
		{wren, series(shop, nil), "no such thing"},
		{wren, there, "other content"},
		{wren, series(mine, func(p *roster.PlanSeries) { p.When = roster.When{Start: w.At(), End: w.At().Add(hour)} }), "day is missing"},
		{wren, series(mine, func(p *roster.PlanSeries) { p.Rule = "x" }), "no rule"},
		{wren, series(mine, func(p *roster.PlanSeries) { p.When.Date = monday - 10 }), "What is over"},
		{wren, series(mine, func(p *roster.PlanSeries) { p.Rule = "FREQ=YEARLY;BYMONTH=7" }), "No shift comes"},
		{wren, roster.ChangeSeries{Batch: apptest.NewID(), Series: there.ID, From: monday + 6}, "no such thing"},
		{wren, roster.EndSeries{Batch: apptest.NewID(), Series: there.ID, From: monday + 6}, "no such thing"},
		{wren, roster.EndSeries{Batch: apptest.NewID(), Series: uuid.New(), From: monday + 6}, "no such thing"},
		{mira, roster.EndSeries{Batch: apptest.NewID(), Series: there.ID, From: monday - 8}, "is over"},
		{mira, roster.EndSeries{Batch: apptest.NewID(), Series: ended.ID, From: monday + 13}, "isn’t there any more"},
		{mira, roster.MakeShifts{}, "may not do this"},
	} {
		if err := w.Do(ctx, row.who, row.act); !strings.Contains(fmt.Sprint(err), row.why) {
			t.Errorf("%T by %s: %v, not %q", row.act, row.who.Name(), err, row.why)
		}
	}
}
