package hours

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/job"
	"manudex/core/when"
	"manudex/store"
)

const (
	keepEvery    = 5 * time.Minute
	expectedDays = 7   // before today, for which cards of what was expected are made
	comingDays   = 14  // after it
	keptAtOnce   = 100 // employments
)

// keep is the work of keeping what time alone brings: cards of days on which
// somebody was expected and did nothing, and what was used of the jobs' hours.
type keep struct{}

// Kind names the work in the queue.
func (keep) Kind() string { return "keep_days" }

type keeper struct {
	river.WorkerDefaults[keep]
	app *app.App
}

// Keeping puts that work into the queue every few minutes.
func Keeping() *river.PeriodicJob {
	return river.NewPeriodicJob(river.PeriodicInterval(keepEvery), func() (river.JobArgs, *river.InsertOpts) {
		return keep{}, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: keepEvery}}
	}, &river.PeriodicJobOpts{RunOnStart: true})
}

// Work does it.
func (k *keeper) Work(ctx context.Context, _ *river.Job[keep]) error {
	if _, err := KeepExpected(ctx, k.app); err != nil {
		return err
	}
	if err := KeepReported(ctx, k.app); err != nil {
		return err
	}
	return KeepJobHours(ctx, k.app)
}

// laidDays is for how many days before today cards are filled by time.
const laidDays = 31

// KeepReported puts on the cards of days that are over what was reported of them ahead, and
// the plan of those whose plan is paid. A card that somebody has signed or approved is changed
// as by whose it is: it opens again.
func KeepReported(ctx context.Context, a *app.App) error {
	place, err := a.Company(ctx)
	if err != nil {
		return err
	}
	today := place.Today(a.Now())
	due, err := store.DueToLay(ctx, a.DB, when.Period{From: today - laidDays, To: today - 1})
	if err != nil {
		return err
	}
	var open []store.EmploymentDate
	for _, d := range due {
		if d.Open {
			open = append(open, d.EmploymentDate)
			continue
		}
		actor, err := a.ActorIn(ctx, d.Person, d.Employment)
		if err == nil {
			err = a.Do(ctx, actor, LayHours{On: []store.EmploymentDate{d.EmploymentDate}})
		}
		if err != nil && !errors.Is(err, app.ErrNotFound) && !errors.Is(err, app.ErrForbidden) {
			return err
		}
	}
	for some := range slices.Chunk(open, keptAtOnce) {
		if err := a.ByTime(ctx, LayHours{On: some}); err != nil {
			return fmt.Errorf("fill cards of days that are over: %w", err)
		}
	}
	return nil
}

// KeepJobHours adds up what was used of the jobs' budgets of hours.
func KeepJobHours(ctx context.Context, a *app.App) error {
	place, err := a.Company(ctx)
	if err != nil {
		return err
	}
	return store.KeepJobHours(ctx, a.DB, place.Today(a.Now())-job.Pace)
}

// KeepExpected makes the cards of the last days and of those that come, on which somebody
// who clocks is expected, by shift or pattern, and has none: a day without a card would be
// overlooked. It says how many it made.
func KeepExpected(ctx context.Context, a *app.App) (made int, err error) {
	place, err := a.Company(ctx)
	if err != nil {
		return 0, err
	}
	today := place.Today(a.Now())
	days := when.Period{From: today - expectedDays, To: today + comingDays}
	lacking, err := store.WithoutCard(ctx, a.DB, days, nil)
	if err != nil {
		return 0, err
	}
	var ids []uuid.UUID
	for _, l := range lacking { // they come by employment
		if len(ids) == 0 || ids[len(ids)-1] != l.Employment {
			ids = append(ids, l.Employment)
		}
	}
	for some := range slices.Chunk(ids, keptAtOnce) {
		n := 0 // of the try that is kept
		err := a.DB.Tx(ctx, func(tx *sqlx.Tx) (err error) {
			n, err = keepSome(ctx, tx, place, days, some)
			return err
		})
		if err != nil {
			return made, fmt.Errorf("make cards of what was expected: %w", err)
		}
		made += n
	}
	return made, nil
}

// keepSome makes the cards that employments still lack once nobody else writes.
func keepSome(ctx context.Context, tx store.Q, place *app.Company, days when.Period, ids []uuid.UUID) (int, error) {
	if _, err := store.LockPeople(ctx, tx, ids); err != nil {
		return 0, err
	}
	lacking, err := store.WithoutCard(ctx, tx, days, ids)
	if err != nil {
		return 0, err
	}
	plans, err := store.PlansOf(ctx, tx, lacking, place.Holiday)
	if err != nil {
		return 0, err
	}
	var cards []store.Card
	for _, p := range plans {
		c := card.Work(p.Date, nil, p.Plan, card.Evidence{}, place.LimitsOn(p.Date))
		if !c.Empty() { // a holiday
			cards = append(cards, store.Card{Card: c, Standing: card.Start, Employment: p.Employment})
		}
	}
	return len(cards), store.PutCards(ctx, tx, cards...)
}
