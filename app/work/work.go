// Package work works the jobs that acts have put into the queue: whichever node
// comes to one first. What is worked is registered by the rooms whose it is.
package work

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/hours"
	"manudex/app/leave"
	"manudex/app/notice"
	"manudex/app/people"
	"manudex/app/roster"
)

const (
	atOnce      = 2 // jobs on one node
	connections = 5 // of a pool of its own: work never takes a punch's connection
	longest     = 5 * time.Minute
	stopWait    = 10 * time.Second
)

// Run works the queue until the context ends; what runs then is given a moment,
// and is else taken up by another node.
func Run(ctx context.Context, a *app.App) error {
	cfg := a.DB.Pool.Config().Copy()
	cfg.MaxConns, cfg.MinConns = connections, 0
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return fmt.Errorf("connect to work the queue: %w", err)
	}
	defer pool.Close()
	name := uuid.NewString()
	workers := river.NewWorkers()
	app.AddWorkers(workers, a)
	bringin.AddWorkers(workers, a)
	hours.AddWorkers(workers, a)
	people.AddWorkers(workers, a)
	notice.AddWorkers(workers, a)
	roster.AddWorkers(workers, a)
	leave.AddWorkers(workers, a)
	client, err := river.NewClient(riverpgxv5.New(pool), &river.Config{
		ID:     name,
		Queues: map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: atOnce}}, Workers: workers,
		PeriodicJobs: append(slices.Concat(app.Periodic(), notice.Periodic()), hours.Nightly(a), hours.Keeping(), people.Erasing(a),
			roster.Nightly(a), leave.Nightly(a)),
		Logger:     slog.New(quiet{a.Log.Handler()}),
		JobTimeout: longest, RescueStuckJobsAfter: longest + time.Minute,
		CompletedJobRetentionPeriod: 7 * 24 * time.Hour, DiscardedJobRetentionPeriod: 90 * 24 * time.Hour,
	})
	if err != nil {
		return fmt.Errorf("begin to work the queue: %w", err)
	}
	looking, cancel := context.WithCancel(context.WithoutCancel(ctx)) // for as long as jobs are in hand
	var looks sync.WaitGroup
	looks.Go(func() { takeOver(looking, pool, name, a.Log) })
	defer looks.Wait()
	defer cancel()
	if err := client.Start(ctx); err != nil {
		return fmt.Errorf("begin to work the queue: %w", err)
	}
	<-ctx.Done()
	soon, end := context.WithTimeout(context.WithoutCancel(ctx), stopWait)
	defer end()
	if err := client.Stop(soon); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("stop working the queue: %w", err)
	}
	return nil
}

// quiet passes on what the queue warns of, and not what it does.
type quiet struct{ slog.Handler }

// Enabled says whether a record is passed on.
func (q quiet) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && q.Handler.Enabled(ctx, level)
}
