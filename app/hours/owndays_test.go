package hours_test

import (
	"errors"
	"fmt"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/core/when"
	"manudex/dbtest"
)

// Somebody's own days add up to what is recorded, week by week and job by job, and
// none is still to come.
func TestOwnDays(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	dao := w.Person(t, "Dao Pham")
	for _, on := range []when.Date{0, apptest.Thursday - 14} {
		d, err := hours.ReadOwnDays(ctx, w.App, dao, on)
		apptest.Must(t, err)
		var days, weeks, jobs int64
		last := when.NewDate(2100, 1, 1)
		for _, week := range d.Weeks {
			weeks += week.Worked
			for _, r := range week.Days {
				days += r.Worked
				if r.Date >= last || r.Date > apptest.Thursday+1 || r.Date < week.From || r.Date > week.From+6 {
					t.Errorf("%s stands after %s, in the week of %s", r.Date, last, week.From)
				}
				last = r.Date
			}
		}
		for _, j := range d.Jobs {
			jobs += j.Seconds
		}
		recorded := dbtest.Get[int64](t, w, `select coalesce(sum(worked), 0) from card where employment_id = $1 and date between $2 and $3`,
			*dao.Employment, d.Period.From.String(), d.Period.To.String())
		worked := dbtest.Get[int64](t, w, `select coalesce(sum(extract(epoch from end_at - start_at)), 0)::bigint from stint
			where employment_id = $1 and date between $2 and $3 and kind = 'work'`,
			*dao.Employment, d.Period.From.String(), d.Period.To.String())
		running := d.Worked - days
		if days != recorded || weeks != d.Worked || jobs+d.Rests != recorded || jobs != worked || recorded == 0 ||
			(on == 0) != (running > 0) {
			t.Errorf("%v: cards %d, days %d, weeks %d, jobs %d, in all %d", d.Period, recorded, days, weeks, jobs, d.Worked)
		}
		if (on == 0) != (d.After == 0) || d.Period.Holds(d.Before) {
			t.Errorf("%v lies between %s and %s", d.Period, d.Before, d.After)
		}
	}
	if _, err := hours.ReadOwnDays(ctx, w.App, w.Person(t, "Mira Castellane"), 0); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("somebody who doesn't clock: %v", err)
	}
}

// A note is put on a day that is over; on none that isn't there or is to come.
func TestNoteOnAnEarlierDay(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, dao, hours.AddNote{ID: apptest.NewID(), Body: "The gate was shut", On: apptest.Thursday}))
	if got := dbtest.Get[string](t, w, `select date::text from note where body = 'The gate was shut'`); got != apptest.Thursday.String() {
		t.Errorf("it is on %s", got)
	}
	planned := dbtest.Get[string](t, w, `select coalesce(min(date)::text, '2100-01-01') from card
		where employment_id = $1 and date > '2026-11-13'`, *dao.Employment)
	for _, on := range []string{"2019-01-01", planned} {
		d, err := when.ParseDate(on)
		apptest.Must(t, err)
		if err := w.Do(ctx, dao, hours.AddNote{ID: apptest.NewID(), Body: "n", On: d}); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v", fmt.Sprint(on), err)
		}
	}
}
