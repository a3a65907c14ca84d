package roster

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// madeAhead is for how many days ahead shifts that repeat are made real: 13 weeks.
const madeAhead = 91

// PlanSeries plans shifts that repeat.
type PlanSeries struct {
	ID           uuid.UUID // of the series, and of the batch that plans it
	Employment   uuid.UUID
	When         When // with the date of the first
	On           clock.Assignment
	Less         int
	Note         string
	Rule         string // RFC 5545
	Until        when.Date
	SkipHolidays bool
	SkipLeave    bool
	Made         func(made, left int) // where it isn't nil, is told how many were planned, and how many days left out
}

// ChangeSeries changes a series from a date on: what it made before stays, and what was
// changed by hand does.
type ChangeSeries struct {
	Batch  uuid.UUID
	Series uuid.UUID
	From   when.Date // the date of a shift of it, zero for all that is to come
	When   When      // the times of day; its date is From
	On     clock.Assignment
	Less   int
	Note   string
}

// EndSeries ends a series: the shift of a date is the first that isn't there any more; with
// none, all that is to come is gone.
type EndSeries struct {
	Batch  uuid.UUID
	Series uuid.UUID
	From   when.Date
}

// MakeShifts makes what repeats real for the weeks ahead.
type MakeShifts struct{}

// Permission is what the act takes.
func (PlanSeries) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (ChangeSeries) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (EndSeries) Permission() string { return "roster.plan" }

// Permission is what the act takes: time does it, and nobody.
func (MakeShifts) Permission() string { return "self" }

// seconds gives the times of day of a series.
func (w When) seconds() (from, to int) {
	from, to = int(w.From/time.Second), int(w.To/time.Second)
	if to <= from {
		to += day
	}
	return from, to
}

func (p PlanSeries) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: p.ID, series: true}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	if err := d.lock(ctx, t, []uuid.UUID{p.Employment}); err != nil {
		return err
	}
	if p.When.Date == 0 {
		return refusal.New("date", "The day is missing", "Write the day of the first shift")
	}
	s := store.Series{ID: p.ID, Employment: p.Employment, Rule: p.Rule, From: p.When.Date, Less: p.Less, Note: strings.TrimSpace(p.Note),
		SkipHolidays: p.SkipHolidays, SkipLeave: p.SkipLeave, MadeUntil: p.When.Date - 1, MadeAt: t.Now, MadeBy: t.Actor.ID, Batch: p.ID,
		Job: idOrNone(p.On.Job), Task: idOrNone(p.On.Task), Zone: d.people[p.Employment].Zone}
	if p.Until != 0 {
		s.Until = &p.Until
	}
	var err error
	if s.Rule, err = s.Repeat().Check(); err != nil {
		return err
	}
	s.FromSecond, s.ToSecond = p.When.seconds()
	left, err := d.begin(ctx, t, s)
	if err == nil && p.Made != nil {
		p.Made(len(d.changes), left)
	}
	return err
}

// begin keeps a series and makes its first weeks.
func (d *draft) begin(ctx context.Context, t *app.Turn, s store.Series) (left int, err error) {
	first := s.On(s.MadeUntil+1, d.zone(s.Employment))
	if err := d.fits(t, roster.Change{Is: &first}); err != nil {
		return 0, err
	}
	if err := store.PutSeries(ctx, t, s); err != nil {
		return 0, err
	}
	if left, err = d.make(ctx, t, []store.Series{s}); err != nil {
		return left, err
	}
	if len(d.changes) == 0 {
		return left, refusal.New("rule", "No shift comes of this rule in the next 13 weeks",
			"Look at the rule and at the days, which may be taken")
	}
	return left, d.write(ctx, t)
}

// make adds the shifts of series up to the weeks ahead to the draft, and keeps up to when they
// are made. Days that are left out by what the series says, or on which somebody is planned at
// that time, are counted.
func (d *draft) make(ctx context.Context, t *app.Turn, all []store.Series) (left int, err error) {
	today := t.Company.Today(t.Now)
	until := today + madeAhead
	span := when.Period{From: until, To: until + 1}
	ids, of := make([]uuid.UUID, len(all)), make([]uuid.UUID, len(all))
	for i, s := range all {
		ids[i], of[i] = s.ID, s.Employment
		span.From = min(span.From, max(s.MadeUntil+1, today))
	}
	skip, err := store.SeriesExceptions(ctx, t, ids)
	if err != nil {
		return 0, err
	}
	planned, err := store.PlannedIn(ctx, t, store.Draft, of, when.Period{From: span.From - 1, To: span.To})
	if err != nil {
		return 0, err
	}
	taken := map[uuid.UUID][]roster.Shift{}
	gone := map[uuid.UUID]bool{}
	for _, c := range d.changes {
		if c.Is == nil {
			gone[c.Was.ID] = true
		}
	}
	for _, s := range planned {
		if !gone[s.ID] {
			taken[s.Employment] = append(taken[s.Employment], s.Rule())
		}
	}
	leave, err := store.LeaveIn(ctx, t, of, span)
	if err != nil {
		return 0, err
	}
	away := map[store.EmploymentDate]bool{}
	for _, l := range leave {
		away[store.EmploymentDate{Employment: l.Employment, Date: l.Date}] = true
	}
	for _, s := range all {
		loc, err := time.LoadLocation(s.Zone)
		if err != nil {
			return left, err
		}
		dates, err := s.Repeat().Dates(when.Period{From: max(s.MadeUntil+1, today), To: until})
		if err != nil {
			return left, err
		}
		who := d.people[s.Employment]
		for _, on := range dates {
			shift := s.On(on, loc)
			switch {
			case skip[store.SeriesDate{Series: s.ID, On: on}], on < who.StartsOn, who.EndsOn != nil && on > *who.EndsOn:
			case s.SkipHolidays && t.Company.Holiday(on), s.SkipLeave && away[store.EmploymentDate{Employment: s.Employment, Date: on}],
				meets(taken[s.Employment], shift):
				left++
			default:
				d.is(shift)
				taken[s.Employment] = append(taken[s.Employment], shift)
			}
		}
	}
	return left, store.SeriesMade(ctx, t, ids, until)
}

// meets says whether a shift is at the time of others.
func meets(others []roster.Shift, s roster.Shift) bool {
	for _, o := range others {
		if o.Start.Before(s.End) && s.Start.Before(o.End) {
			return true
		}
	}
	return false
}

// ofSeries reads a series whose person the actor plans, locked, with what it made from a date
// on and nobody changed by hand.
func (d *draft) ofSeries(ctx context.Context, t *app.Turn, id uuid.UUID, from when.Date) (s store.Series, err error) {
	if s, err = store.GetSeries(ctx, t, id); err != nil {
		return s, err
	}
	if err := d.lock(ctx, t, []uuid.UUID{s.Employment}); err != nil {
		return s, err
	}
	if s, err = store.GetSeries(ctx, t, id); err != nil { // as it is now that nobody else plans
		return s, err
	}
	if from < t.Company.Today(t.Now) || s.Until != nil && from > *s.Until {
		return s, refusal.New("from", "The series isn’t there any more on that day, or it is over", "Choose a day to come")
	}
	skip, err := store.SeriesExceptions(ctx, t, []uuid.UUID{id})
	if err != nil {
		return s, err
	}
	made, err := store.PlannedOfSeries(ctx, t, id, from)
	for _, m := range made {
		if !skip[store.SeriesDate{Series: id, On: *m.SeriesOn}] {
			d.was(m.Rule())
		}
	}
	return s, err
}

// orToday is a day, or today for none: what is over stays as it was.
func orToday(t *app.Turn, from when.Date) when.Date {
	if from == 0 {
		return t.Company.Today(t.Now)
	}
	return from
}

func (c ChangeSeries) Do(ctx context.Context, t *app.Turn) error {
	c.From = orToday(t, c.From)
	d := draft{batch: c.Batch, series: true}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	s, err := d.ofSeries(ctx, t, c.Series, c.From)
	if err != nil {
		return err
	}
	if err := store.EndSeries(ctx, t, s.ID, c.Batch, c.From-1); err != nil {
		return err
	}
	s.ID, s.Batch, s.MadeUntil, s.MadeAt, s.MadeBy = uuid.NewSHA1(c.Batch, s.ID[:]), c.Batch, c.From-1, t.Now, t.Actor.ID
	// A rule counts its weeks from where it began: it goes on counting from there.
	s.FromSecond, s.ToSecond = c.When.seconds()
	s.Job, s.Task, s.Less, s.Note = idOrNone(c.On.Job), idOrNone(c.On.Task), c.Less, strings.TrimSpace(c.Note)
	_, err = d.begin(ctx, t, s)
	return err
}

func (e EndSeries) Do(ctx context.Context, t *app.Turn) error {
	e.From = orToday(t, e.From)
	d := draft{batch: e.Batch, series: true}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	s, err := d.ofSeries(ctx, t, e.Series, e.From)
	if err != nil {
		return err
	}
	if err := store.EndSeries(ctx, t, s.ID, e.Batch, e.From-1); err != nil {
		return err
	}
	return d.write(ctx, t)
}

func (MakeShifts) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.ID != uuid.Nil {
		return app.ErrForbidden
	}
	all, err := store.SeriesToMake(ctx, t, t.Company.Today(t.Now)+madeAhead)
	if err != nil {
		return err
	}
	byWhom, of := map[uuid.UUID][]store.Series{}, make([]uuid.UUID, len(all))
	for i, s := range all {
		byWhom[s.MadeBy], of[i] = append(byWhom[s.MadeBy], s), s.Employment
	}
	locked := draft{any: true}
	if err := locked.lock(ctx, t, of); err != nil {
		return err
	}
	for by, some := range byWhom {
		d := locked
		d.batch, d.series, d.by, d.before = uuid.Must(uuid.NewV7()), true, by, map[uuid.UUID]roster.Shift{}
		if _, err := d.make(ctx, t, some); err != nil {
			return err
		}
		if err := d.write(ctx, t); err != nil {
			return err
		}
	}
	return nil
}

type makeJob struct{}

// Kind names the work in the queue.
func (makeJob) Kind() string { return "make_shifts" }

type maker struct {
	river.WorkerDefaults[makeJob]
	app *app.App
}

// Work makes shifts.
func (m *maker) Work(ctx context.Context, _ *river.Job[makeJob]) error { return Make(ctx, m.app) }

// Make makes what repeats real for the weeks ahead.
func Make(ctx context.Context, a *app.App) error { return a.ByTime(ctx, MakeShifts{}) }

// AddWorkers registers what works the jobs of this package.
func AddWorkers(workers *river.Workers, a *app.App) {
	river.AddWorker(workers, &maker{app: a})
	river.AddWorker(workers, &placeTeller{app: a})
}

// madeOn is when that is done each night, on the clock.
const madeOn = 135 * time.Minute

// Nightly puts that into the queue each night, by the company's clock.
func Nightly(a *app.App) *river.PeriodicJob {
	return river.NewPeriodicJob(app.EachNight(a, madeOn), func() (river.JobArgs, *river.InsertOpts) {
		return makeJob{}, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: 12 * time.Hour}}
	}, nil)
}
