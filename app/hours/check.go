package hours

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/store"
)

// check is the work of comparing, each night, what is derived with what the
// recorded acts make it.
type check struct{}

// Kind names the work in the queue.
func (check) Kind() string { return "verify" }

const (
	checkedDays  = 42 // before today: two pay periods and what is late
	checkedAt    = 3 * time.Hour
	checkedShown = 20 // differences that are kept
)

type checker struct {
	river.WorkerDefaults[check]
	app *app.App
}

// AddWorkers registers what works the jobs of this package.
func AddWorkers(workers *river.Workers, a *app.App) {
	river.AddWorker(workers, &checker{app: a})
	river.AddWorker(workers, &keeper{app: a})
}

// Nightly puts the check into the queue at three in the morning, by the
// company's clock, on one of the nodes.
func Nightly(a *app.App) *river.PeriodicJob {
	return river.NewPeriodicJob(app.EachNight(a, checkedAt), func() (river.JobArgs, *river.InsertOpts) {
		return check{}, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: 12 * time.Hour}}
	}, nil)
}

// Work checks the last days and keeps what it found.
func (c *checker) Work(ctx context.Context, _ *river.Job[check]) error {
	company, err := c.app.Company(ctx)
	if err != nil {
		return err
	}
	since := company.Today(c.app.Now()) - checkedDays
	stints, cards, found, err := Verify(ctx, c.app, ToVerify{Since: since})
	if err != nil {
		return err
	}
	lines := make([]string, min(len(found), checkedShown))
	for i := range lines {
		lines[i] = fmt.Sprintf("%s: %s", found[i].Employment, found[i].What)
		c.app.Log.Error("what is stored is not what was recorded", "employment", found[i].Employment, "what", found[i].What)
	}
	return store.PutChecked(ctx, c.app.DB, store.Checked{At: c.app.Now(), Since: &since, Stints: stints, Cards: cards,
		Differences: len(found), First: strings.Join(lines, "\n")})
}
