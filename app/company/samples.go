package company

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// AddSamples adds a sample crew with people, jobs and a few days of hours, to
// try things with. They are marked, in no pay run and no file, and go with
// [DropSamples].
type AddSamples struct{}

// DropSamples takes all samples out, with everything recorded of them. A
// sample job on which somebody real has hours stays, as a job like others.
type DropSamples struct{}

// Permission is the act's name in the permission table.
func (AddSamples) Permission() string { return "setup.change" }

// Permission is the act's name in the permission table.
func (DropSamples) Permission() string { return "setup.change" }

const sampleCrew = "Sample crew"

// samplePerson is a sample with what went wrong on one of their days.
type samplePerson struct {
	given string
	rate  string
	late  time.Duration // on their first day
	noOut bool          // on the clock today still
	short bool          // no meal on their second day
}

var samplePeople = []samplePerson{{given: "Ash", rate: "24"},
	{given: "Birch", rate: "22.50", late: 24 * time.Minute}, {given: "Cedar", rate: "22.50", short: true},
	{given: "Elder", rate: "21", noOut: true}}

func (AddSamples) Do(ctx context.Context, t *app.Turn) error {
	people, jobs, err := store.Samples(ctx, t)
	if err != nil {
		return err
	}
	if people+jobs > 0 {
		return refusal.New("samples", "There are samples already", "Take them out first, to begin with fresh ones")
	}
	sites, err := store.AllSites(ctx, t)
	if err != nil {
		return err
	}
	if len(sites) == 0 {
		return refusal.New("samples", "There is no site yet where samples could work", "Add a site first")
	}
	loc, err := time.LoadLocation(sites[0].Zone)
	if err != nil {
		return err
	}
	s := sampler{Turn: t, loc: loc, unit: uuid.Must(uuid.NewV7()),
		today: when.WorkedDate(t.Now, loc, time.Duration(t.Company.CutOver)*time.Second)}
	if err := (PutUnit{ID: s.unit, Kind: "crew", Title: sampleCrew, Site: sites[0].ID}).Do(ctx, t); err != nil {
		return err
	}
	if err := store.MarkSample(ctx, t, "unit", s.unit); err != nil {
		return err
	}
	if err := s.job(ctx); err != nil {
		return err
	}
	for i, p := range samplePeople {
		if err := s.person(ctx, fmt.Sprint("S-", i+1), p, sites[0].ID); err != nil {
			return err
		}
	}
	t.RecordSetting(uuid.Nil,
		map[string]any{"field": "Samples", "to": fmt.Sprintf("%d people and a %s added", len(samplePeople), t.Company.JobWord)})
	return nil
}

// sampler makes samples in one turn.
type sampler struct {
	*app.Turn
	loc   *time.Location
	today when.Date
	unit  uuid.UUID
	on    clock.Assignment
}

// job adds the job that the samples work on, open to them alone.
func (s *sampler) job(ctx context.Context) error {
	s.on.Job = uuid.Must(uuid.NewV7())
	if err := (jobs.AddJob{ID: s.on.Job, Number: "S-1", Title: "Sample lamps", Customer: "Sample customer"}).Do(ctx, s.Turn); err != nil {
		return err
	}
	s.on.Task = uuid.Must(uuid.NewV7())
	estimate := int64(120 * 3600)
	if err := store.InsertTask(ctx, s, s.on.Task, s.on.Job, "Sample fitting", "", &estimate); err != nil {
		return err
	}
	if err := (jobs.OpenJobTo{ID: uuid.Must(uuid.NewV7()), Job: s.on.Job, Kind: "unit", Who: s.unit}).Do(ctx, s.Turn); err != nil {
		return err
	}
	if err := store.MarkSample(ctx, s, "job", s.on.Job); err != nil {
		return err
	}
	customer, err := store.CustomerID(ctx, s, "Sample customer")
	if err != nil {
		return err
	}
	return store.MarkSample(ctx, s, "customer", customer)
}

// person adds a sample who clocks to the sample job alone, with shifts and a
// few days of hours.
func (s *sampler) person(ctx context.Context, number string, p samplePerson, site uuid.UUID) error {
	from := s.today - 14
	n := store.NewPerson{ID: uuid.Must(uuid.NewV7()), Employment: uuid.Must(uuid.NewV7()),
		Number: number, Given: p.given, Family: "Sample", Level: "worker", Unit: s.unit, Site: site, StartsOn: from,
		AddedAt: s.Now, AddedBy: s.Actor.ID}
	if err := store.InsertPeople(ctx, s, []store.NewPerson{n}); err != nil {
		if store.Violates(err, "person_number_key") {
			return refusal.New("samples", "The number "+number+" is taken", "Give that person another number first")
		}
		return err
	}
	if err := store.MarkSample(ctx, s, "person", n.ID); err != nil {
		return err
	}
	for _, set := range []func() error{
		func() error {
			return store.PutRates(ctx, s, store.Dated{Employment: n.Employment, From: from, Value: p.rate})
		},
		func() error {
			return store.PutPatterns(ctx, s, store.Dated{Employment: n.Employment, From: from, Value: "0 28800 28800 28800 28800 28800 0"})
		},
		func() error {
			return store.SetEmployments(ctx, s, "every_job", store.Value{Of: n.Employment, To: false})
		},
		func() error {
			return store.PutSets(ctx, s, "employment_job", "employment_id", "job_id",
				store.SetOf{Of: n.Employment, Are: []uuid.UUID{s.on.Job}})
		},
	} {
		if err := set(); err != nil {
			return err
		}
	}
	days := s.workdays(s.today-7, s.today+7)
	for _, d := range days {
		if err := store.InsertShift(ctx, s, store.Shift{ID: uuid.Must(uuid.NewV7()), Employment: n.Employment, Date: d,
			Start: d.At(7*time.Hour, s.loc), End: d.At(15*time.Hour+30*time.Minute, s.loc), Job: &s.on.Job, Task: &s.on.Task}); err != nil {
			return err
		}
	}
	who, err := store.LockEmployment(ctx, s, n.Employment)
	if err != nil {
		return err
	}
	for i, d := range s.workdays(s.today-7, s.today) {
		if err := s.day(ctx, who, p, i, d); err != nil {
			return err
		}
	}
	return nil
}

// workdays lists the Mondays to Fridays of a span.
func (s *sampler) workdays(from, to when.Date) []when.Date {
	var days []when.Date
	for d := from; d <= to; d++ {
		if wd := d.Weekday(); wd != time.Saturday && wd != time.Sunday {
			days = append(days, d)
		}
	}
	return days
}

// day records one day's punches as they would have come in, as far as the
// time for them has come.
func (s *sampler) day(ctx context.Context, who store.Employment, p samplePerson, n int, d when.Date) error {
	type act struct {
		at  time.Duration
		act clock.Act
	}
	in, out := 7*time.Hour-2*time.Minute, 15*time.Hour+30*time.Minute
	if n == 0 {
		in += p.late
	}
	acts := []act{{in, clock.In}, {11*time.Hour + 30*time.Minute, clock.BreakStart}, {12 * time.Hour, clock.BreakEnd}, {out, clock.Out}}
	if p.short && n == 1 {
		acts = []act{{in, clock.In}, {out, clock.Out}}
	}
	for _, a := range acts {
		at := d.At(a.at, s.loc)
		if at.After(s.Now) || p.noOut && d == s.today && a.act == clock.Out {
			return nil
		}
		punch := clock.Punch{ID: uuid.Must(uuid.NewV7()), Act: a.act, Point: clock.OwnPhone, Claimed: at, Device: at, Received: at}
		switch a.act {
		case clock.In:
			punch.On = s.on
		case clock.BreakStart:
			punch.Break = clock.Meal
		}
		around, _, err := store.PunchesAround(ctx, s, who.ID, at, punch.ID)
		if err != nil {
			return err
		}
		book := hours.NewDayBook(who, s.loc, s.Company, around, nil)
		if err := hours.KeepPunch(ctx, s.Turn, book, store.Punch{Punch: punch, Employment: who.ID, By: who.Person}); err != nil {
			return err
		}
	}
	return nil
}

func (DropSamples) Do(ctx context.Context, t *app.Turn) error {
	people, jobs, err := store.Samples(ctx, t)
	if err != nil {
		return err
	}
	if people+jobs == 0 {
		return refusal.New("samples", "There are no samples", "Nothing was taken out")
	}
	if err := store.KeepRealHours(ctx, t); err != nil {
		return err
	}
	name, err := store.RealInSampleUnit(ctx, t)
	if err != nil {
		return err
	}
	if name != "" {
		return refusal.New("samples", name+" is no sample, and belongs to the sample crew", "Move them to a crew of yours first")
	}
	if err := store.DropSamples(ctx, t); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil,
		map[string]any{"field": "Samples",
			"to": fmt.Sprintf("%d people and %s taken out", people, app.JobWord(t.Company.JobWord).Count(jobs))})
	return nil
}
