package roster

import (
	"context"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/when"
	"manudex/store"
)

// Leave that is approved opens the shifts that it falls on, as if they were handed over: until
// somebody has one, it stays whose it was. It is told to those who could have it by a job, as
// much is read for that.

// OpenForLeave opens what somebody was told of on days that are leave altogether. By says for
// which request a day is leave: the places are its own.
func OpenForLeave(ctx context.Context, t *app.Turn, _ store.Locked, by map[store.EmploymentDate]uuid.UUID) error {
	shifts, err := shiftsOf(ctx, t, by)
	if err != nil || len(shifts) == 0 {
		return err
	}
	var of []uuid.UUID
	for _, s := range shifts {
		of = append(of, s.Employment)
	}
	whose, err := store.Employments(ctx, t, of)
	if err != nil {
		return err
	}
	employment := map[uuid.UUID]store.Employment{}
	for _, e := range whose {
		employment[e.ID] = e
	}
	var open []store.OpenPlace
	var jobs []river.JobArgs
	for _, s := range shifts {
		if !s.Start.After(t.Now) {
			continue
		}
		request := by[store.EmploymentDate{Employment: s.Employment, Date: s.Date}]
		o := opening(placeFor(request, s), s, employment[s.Employment], t)
		open, jobs = append(open, o), append(jobs, tellPlace{o.ID})
	}
	if err := store.InsertOpenings(ctx, t, open); err != nil {
		return err
	}
	return t.LaterAll(ctx, jobs)
}

// CloseForLeave closes them again, where nobody has them yet: by whichever of the requests for a day
// they were opened. Whose they are has locked them ([store.LockOpeningsFrom]).
func CloseForLeave(ctx context.Context, t *app.Turn, _ store.Locked, by map[store.EmploymentDate][]uuid.UUID) error {
	shifts, err := shiftsOf(ctx, t, by)
	if err != nil || len(shifts) == 0 {
		return err
	}
	var ids []uuid.UUID
	for _, s := range shifts {
		for _, request := range by[store.EmploymentDate{Employment: s.Employment, Date: s.Date}] {
			ids = append(ids, placeFor(request, s))
		}
	}
	open, err := store.OpeningsByID(ctx, t, ids)
	if err != nil {
		return err
	}
	for _, o := range open {
		if o.Open() {
			if err := closePlace(ctx, t, o, nil); err != nil {
				return err
			}
		}
	}
	return nil
}

// placeFor is the place that leave opens of a shift.
func placeFor(request uuid.UUID, s store.PlannedShift) uuid.UUID {
	return uuid.NewSHA1(request, s.ID[:])
}

// shiftsOf reads what somebody was told of on some days.
func shiftsOf[V any](ctx context.Context, q store.Q, on map[store.EmploymentDate]V) ([]store.PlannedShift, error) {
	var days when.Period
	var of []uuid.UUID
	for k := range on {
		if days == (when.Period{}) {
			days = when.Period{From: k.Date, To: k.Date}
		}
		days.From, days.To, of = min(days.From, k.Date), max(days.To, k.Date), append(of, k.Employment)
	}
	if len(of) == 0 {
		return nil, nil
	}
	all, err := store.PlannedIn(ctx, q, store.Told, of, days)
	var found []store.PlannedShift
	for _, s := range all {
		if _, is := on[store.EmploymentDate{Employment: s.Employment, Date: s.Date}]; is {
			found = append(found, s)
		}
	}
	return found, err
}

// TellPlace tells those who could have an open place that it is open, by time alone.
type TellPlace struct{ Place uuid.UUID }

// Permission is what the act takes; by time alone it is done, and no request reaches it.
func (TellPlace) Permission() string { return "roster.plan" }

func (p TellPlace) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.ID != uuid.Nil {
		return app.ErrForbidden
	}
	o, err := store.LockOpening(ctx, t, p.Place)
	if store.NotFound(err) || err == nil && !o.Open() {
		return nil // it was closed meanwhile
	}
	if err != nil {
		return err
	}
	loc, err := locOf(ctx, t, o.Unit)
	if err != nil {
		return err
	}
	return tellOpen(ctx, t, o, loc)
}

type tellPlace struct {
	Place uuid.UUID `json:"place"`
}

// Kind names the work in the queue.
func (tellPlace) Kind() string { return "tell_open_place" }

type placeTeller struct {
	river.WorkerDefaults[tellPlace]
	app *app.App
}

// Work tells of a place.
func (p *placeTeller) Work(ctx context.Context, job *river.Job[tellPlace]) error {
	return p.app.ByTime(ctx, TellPlace{Place: job.Args.Place})
}
