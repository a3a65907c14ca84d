package app

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivertype"

	"manudex/store"
)

// Work that runs later is a job in PostgreSQL, put there in the transaction of
// the act that asks for it: an act that is rolled back leaves none, and one that
// is done is worked by whichever node comes to it, also after the node that
// asked has died. Package work works it.

// WorkTries is how often a job is tried, with growing pauses, before somebody
// has to look at it.
const WorkTries = 6

// newQueue makes the client by which jobs are put into the queue; it works
// none.
func newQueue(db *store.DB) (*river.Client[*sql.Tx], error) {
	return river.NewClient(riverdatabasesql.New(db.DB.DB), &river.Config{Logger: slog.New(slog.DiscardHandler)})
}

// Patient is a job that is tried more often than others, over hours, before somebody has to
// look at it: what it needs may be away for as long.
type Patient interface{ Tries() int }

func laterOpts(job river.JobArgs) *river.InsertOpts {
	tries := WorkTries
	if p, ok := job.(Patient); ok {
		tries = p.Tries()
	}
	return &river.InsertOpts{MaxAttempts: tries, ScheduledAt: time.Now(),
		UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: []rivertype.JobState{
			rivertype.JobStateAvailable, rivertype.JobStatePending, rivertype.JobStateRunning, rivertype.JobStateRetryable,
			rivertype.JobStateScheduled}}}
}

// Later puts a job into the queue, in the turn's transaction. The same job isn't
// put there twice while one waits or runs.
func (t *Turn) Later(ctx context.Context, job river.JobArgs) error {
	return t.LaterAll(ctx, []river.JobArgs{job})
}

// LaterAll puts several there, in one statement.
func (t *Turn) LaterAll(ctx context.Context, jobs []river.JobArgs) error {
	if len(jobs) == 0 {
		return nil
	}
	if err := t.Flush(ctx); err != nil {
		return err
	}
	all := make([]river.InsertManyParams, len(jobs))
	for i, job := range jobs {
		all[i] = river.InsertManyParams{Args: job, InsertOpts: laterOpts(job)}
	}
	if _, err := t.queue.InsertManyTx(ctx, t.Tx.Tx.Tx, all); err != nil {
		return fmt.Errorf("put jobs into the queue: %w", err)
	}
	return nil
}

// Acts lists the acts of the kernel, for the tests that hold the permission
// table and the routes against them.
var Acts = []Act{RetryWork{}, Undo{}, UndoSettings{}}

// RetryWork runs a job that failed again, as soon as a node comes to it.
type RetryWork struct{ Job int64 }

// Permission is what the act takes.
func (RetryWork) Permission() string { return "setup.change" }

func (r RetryWork) Do(ctx context.Context, t *Turn) error {
	job, err := t.queue.JobRetryTx(ctx, t.Tx.Tx.Tx, r.Job)
	if err == river.ErrNotFound {
		return ErrNotFound
	}
	if err != nil {
		return fmt.Errorf("run a job again: %w", err)
	}
	t.Record(store.Event{Act: t.Act}, uuid.Nil, map[string]any{"work": job.Kind, "again": r.Job})
	return nil
}

// WorkPage lists what runs later: what waits, runs and failed, and why.
type WorkPage struct {
	Jobs    []store.Work
	Stuck   int
	Counts  map[string]int
	Checked *store.Checked // what the last nightly check found, nil before the first
	Found   []string       // the first of its differences, with whose they are
}

// workShown is how many jobs the page lists.
const workShown = 100

// Work reads the queue.
func Work(ctx context.Context, a *App, actor Actor) (*WorkPage, error) {
	if !actor.May("setup.see") {
		return nil, ErrForbidden
	}
	p := &WorkPage{}
	var err error
	if p.Jobs, err = store.Works(ctx, a.DB, workShown); err != nil {
		return nil, err
	}
	if p.Counts, err = store.CountWork(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Checked, err = store.LastChecked(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Checked != nil {
		if p.Found, err = withNames(ctx, a.DB, p.Checked.First); err != nil {
			return nil, err
		}
	}
	p.Stuck, err = a.Stuck(ctx)
	return p, err
}

// withNames says of lines that begin with an employment whose it is, as they
// are called today.
func withNames(ctx context.Context, q store.Q, lines string) ([]string, error) {
	var ids []uuid.UUID
	for line := range strings.Lines(lines) {
		of, _, _ := strings.Cut(line, ":")
		if id, err := uuid.Parse(of); err == nil {
			ids = append(ids, id)
		}
	}
	whose, err := store.Payees(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	names := make([]string, 0, 2*len(whose))
	for _, w := range whose {
		names = append(names, w.Employment.String(), w.Name()+", "+w.UnitName)
	}
	return strings.Split(strings.NewReplacer(names...).Replace(lines), "\n"), nil
}

// stuckAfter is how long a job may be due before somebody should know.
const stuckAfter = 10 * time.Minute

// Stuck counts the jobs that should have run long ago, or that were given up.
func (a *App) Stuck(ctx context.Context) (int, error) {
	return store.StuckWork(ctx, a.DB, time.Now().Add(-stuckAfter))
}
