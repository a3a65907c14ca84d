package jobs_test

import (
	"context"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// A shift on a job that needs a tag shows who lacks it on that day, and no
// longer once they have it, or the job needs it no more.
func TestTagsThatShiftsNeed(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, wren, tomasz := w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt")
	_, err := w.DB.Exec(`delete from job_tag`)
	apptest.Must(t, err)
	_, err = w.DB.Exec(`delete from person_tag`)
	apptest.Must(t, err)
	job := apptest.JobOf(t, w, "2253")
	_, err = w.DB.Exec(`insert into shift (id, employment_id, date, start_at, end_at, job_id)
		select gen_random_uuid(), $1, d::date, d + interval '12 hours', d + interval '20 hours', $2
		from generate_series(timestamptz '2026-11-16', '2026-11-18', '1 day') d`, tomasz.Employment, job)
	apptest.Must(t, err)
	lacking := func(who app.Actor) []store.LackingTag {
		t.Helper()
		b, err := hours.ReadBoard(ctx, w.App, who, hours.BoardQuery{})
		apptest.Must(t, err)
		return b.Lacking
	}
	if l := lacking(mira); len(l) != 0 {
		t.Errorf("no job needs a tag: %+v", l)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "tags", Value: " work at height , First aid"}))
	l := lacking(mira)
	if len(l) != 2 || l[0].Person != tomasz.ID || l[0].Shifts != 3 || l[0].Date != when.NewDate(2026, 11, 16) ||
		l[0].Expires != nil || l[0].Tag != "First aid" {
		t.Errorf("lacking %+v", l)
	}
	apptest.Must(t, w.Do(ctx,
		mira, people.SetPerson{ID: apptest.NewID(), Person: tomasz.ID, Field: "tags", Value: "First aid, Work at height until 2026-11-16"}))
	l = lacking(mira)
	if len(l) != 1 || l[0].Shifts != 2 || l[0].Date != when.NewDate(2026, 11, 17) || l[0].Expires == nil ||
		*l[0].Expires != when.NewDate(2026, 11, 16) {
		t.Errorf("one that runs out on the 16th: %+v", l)
	}
	if p, err := people.ReadPersonPage(ctx, w.App, mira, tomasz.ID); err != nil || len(p.Lacking) != 1 {
		t.Errorf("the person's page: %+v, %v", p.Lacking, err)
	}
	if p, err := hours.ReadClockPage(ctx, w.App, tomasz); err != nil || len(p.Lacking) != 1 {
		t.Errorf("their clock: %+v, %v", p.Lacking, err)
	}
	if l := lacking(wren); len(l) != 1 { // he is of her crew
		t.Errorf("his lead sees %+v", l)
	}
	if l := lacking(w.Person(t, "Marisol Quaye")); len(l) != 0 {
		t.Errorf("another lead sees %+v", l)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "tags", Value: "First aid"}))
	if l := lacking(mira); len(l) != 0 {
		t.Errorf("with all the job needs: %+v", l)
	}
}

// A job's own place and fence hold before those of its site.
func TestJobPlace(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	job := apptest.JobOf(t, w, "2231")
	fence := func() (lat, metres float64) {
		j, err := store.GetClockable(ctx, w.DB, job, apptest.NewID(), apptest.NewID(), *w.Person(t, "Tomasz Brandt").Employment,
			when.NewDate(2026, 11, 13))
		apptest.Must(t, err)
		f := j.SiteFence()
		return f.Lat, f.Radius
	}
	if lat, metres := fence(); lat != 40.0890 || metres != 400 {
		t.Errorf("of its site: %v, %v", lat, metres)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "place", Value: "40.1, -50.3 120"}))
	if lat, metres := fence(); lat != 40.1 || metres != 120 {
		t.Errorf("of its own: %v, %v", lat, metres)
	}
	for _, bad := range []string{"here", "91, 0, 10", "40", "40, -50, -3", "NaN, 0", "40,-50,10,4"} {
		apptest.Refusal(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "place", Value: bad}))
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "place", Value: ""}))
	if lat, metres := fence(); lat != 40.0890 || metres != 400 {
		t.Errorf("of its site again: %v, %v", lat, metres)
	}
}
