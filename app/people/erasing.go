package people

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/when"
	"manudex/store"
)

const (
	erasedAt     = 150 * time.Minute // on the clock, each night
	filesKept    = 90 * 24 * time.Hour
	erasedAtOnce = 5000 // rows in one transaction
	leftAtOnce   = 100  // people in one night
)

// Due is what is due to be erased at an instant: people who left before a date,
// places of runs closed before an instant or older than a date, files and links of
// before an instant.
type Due struct {
	Left         when.Date
	Closed       time.Time
	PlacesBefore when.Date
	Files        time.Time
}

// DueAt says what is due for a company.
func DueAt(place *app.Company, now time.Time) Due {
	today := place.Today(now)
	return Due{Left: today.AddYears(-place.KeptFor()), Closed: now.Add(-time.Duration(place.KeepPlaces) * 24 * time.Hour),
		PlacesBefore: today - max(hours.PlacesAtMost, when.Date(place.KeepPlaces)), Files: now.Add(-filesKept)}
}

type erase struct{}

// Kind names the work in the queue.
func (erase) Kind() string { return "erase_due" }

type eraser struct {
	river.WorkerDefaults[erase]
	app *app.App
}

// AddWorkers registers what works the jobs of this package.
func AddWorkers(workers *river.Workers, a *app.App) { river.AddWorker(workers, &eraser{app: a}) }

// Erasing puts that into the queue each night, by the company's clock, on one of the
// nodes.
func Erasing(a *app.App) *river.PeriodicJob {
	return river.NewPeriodicJob(app.EachNight(a, erasedAt), func() (river.JobArgs, *river.InsertOpts) {
		return erase{}, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: 12 * time.Hour}}
	}, nil)
}

// Work does it.
func (e *eraser) Work(ctx context.Context, _ *river.Job[erase]) error { return EraseDue(ctx, e.app) }

// EraseDue erases what is due, a piece in each transaction, and keeps what it
// erased.
func EraseDue(ctx context.Context, a *app.App) error {
	place, err := a.Company(ctx)
	if err != nil {
		return err
	}
	now := a.Now()
	due, today := DueAt(place, now), place.Today(now)
	if err := erasePeople(ctx, a, due.Left, now); err != nil {
		return err
	}
	placesUpto := today - when.Date(place.KeepPlaces)
	for {
		var n int
		err := a.DB.Tx(ctx, func(tx *sqlx.Tx) (err error) {
			if n, err = store.ErasePlaces(ctx, tx, due.Closed, due.PlacesBefore, erasedAtOnce); err != nil || n == 0 {
				return err
			}
			return putErasure(ctx, tx, now, "places", n, placesUpto)
		})
		if err != nil {
			return err
		}
		if n == 0 {
			break
		}
	}
	return a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		files, links, err := store.EraseFiles(ctx, tx, due.Files)
		if err != nil {
			return err
		}
		upto := place.Today(due.Files)
		if files > 0 {
			err = putErasure(ctx, tx, now, "files", files, upto)
		}
		if err == nil && links > 0 {
			err = putErasure(ctx, tx, now, "links", links, upto)
		}
		return err
	})
}

// erasePeople erases what names those who left before a date.
func erasePeople(ctx context.Context, a *app.App, left when.Date, now time.Time) error {
	return a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		ids, err := store.LeftBefore(ctx, tx, left, leftAtOnce)
		if err != nil || len(ids) == 0 {
			return err
		}
		if _, err := store.LockPersons(ctx, tx, ids); err != nil {
			return err
		}
		if ids, err = store.LeftBefore(ctx, tx, left, leftAtOnce); err != nil || len(ids) == 0 { // none was brought back meanwhile
			return err
		}
		for _, id := range ids {
			if err := store.ErasePerson(ctx, tx, id, now); err != nil {
				return err
			}
		}
		return putErasure(ctx, tx, now, "people", len(ids), left)
	})
}

func putErasure(ctx context.Context, q store.Q, now time.Time, kind string, n int, upto when.Date) error {
	id, err := uuid.NewV7()
	if err != nil {
		return err
	}
	if err := store.PutErasure(ctx, q, store.Erasure{ID: id, MadeAt: now, Kind: kind, N: n, Upto: upto}); err != nil {
		return fmt.Errorf("keep what was erased: %w", err)
	}
	return nil
}
