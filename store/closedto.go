package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// ClosedTo is a job that isn't open to somebody.
type ClosedTo struct {
	Employment uuid.UUID `db:"employment_id"`
	Job        uuid.UUID `db:"job_id"`
	Number     string
}

// ClosedToThem lists which of some jobs are not open to which of some employments on a date:
// pairs, the first of the one with the first of the other.
func ClosedToThem(ctx context.Context, q Q, employments, jobs []uuid.UUID, on when.Date) ([]ClosedTo, error) {
	var found []ClosedTo
	if err := q.SelectContext(ctx, &found, `
		select distinct e.id as employment_id, j.id as job_id, j.number
		from unnest($1::uuid[], $2::uuid[]) x(employment_id, job_id)
		join employment e on e.id = x.employment_id join job j on j.id = x.job_id
		where j.state <> 'open' or not (`+openTo("$3")+`)`, UUIDs(employments), UUIDs(jobs), on.String()); err != nil {
		return nil, fmt.Errorf("read which jobs are open to whom: %w", err)
	}
	return found, nil
}
