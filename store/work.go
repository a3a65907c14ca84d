package store

import (
	"context"
	"fmt"
	"time"
)

// Work is a job that runs later, in the tables of the queue.
type Work struct {
	ID        int64
	Kind      string
	State     string // of the queue: available, scheduled, running, retryable, completed, cancelled, discarded
	Attempt   int
	Most      int        `db:"max_attempts"`
	Args      string     // JSON
	Created   time.Time  `db:"created_at"`
	Scheduled time.Time  `db:"scheduled_at"`
	Attempted *time.Time `db:"attempted_at"`
	Finalized *time.Time `db:"finalized_at"`
	Error     string     // of the last attempt that failed
}

// Works lists jobs: those that are not done first, then the last; of what is done every few
// minutes, and of messages, only what is not done.
func Works(ctx context.Context, q Q, limit int) ([]Work, error) {
	var found []Work
	err := q.SelectContext(ctx, &found, `
		select id, kind, state::text as state, attempt, max_attempts, args::text as args, created_at, scheduled_at, attempted_at,
		finalized_at,
		       coalesce(errors[array_upper(errors, 1)] ->> 'error', '') as error
		from river_job where kind not in ('seal', 'gather_notices', 'tell_by_time', 'send_message',
			'keep_days') or state <> 'completed' order by state in ('completed', 'cancelled'), id desc limit $1`, limit)
	if err != nil {
		return nil, fmt.Errorf("read the queue: %w", err)
	}
	return found, nil
}

// CountWork counts jobs by their state.
func CountWork(ctx context.Context, q Q) (map[string]int, error) {
	var rows []struct {
		State string
		N     int
	}
	if err := q.SelectContext(ctx, &rows, `select state::text as state, count(*) as n from river_job group by state`); err != nil {
		return nil, fmt.Errorf("count the queue: %w", err)
	}
	counts := map[string]int{}
	for _, r := range rows {
		counts[r.State] = r.N
	}
	return counts, nil
}

// StuckWork counts the jobs that should have run before an instant and didn't,
// and those that were given up.
func StuckWork(ctx context.Context, q Q, before time.Time) (n int, err error) {
	err = q.GetContext(ctx, &n, `
		select count(*) from river_job
		where state = 'discarded' or state in ('available', 'retryable', 'scheduled') and scheduled_at < $1 or state = 'running'
		and attempted_at < $1`, before)
	if err != nil {
		err = fmt.Errorf("look for stuck work: %w", err)
	}
	return n, err
}
