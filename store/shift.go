package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Shift is a planned stretch of work.
type Shift struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Start      time.Time  `db:"start_at"`
	End        time.Time  `db:"end_at"`
	Job        *uuid.UUID `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Less       int        // seconds of unpaid breaks that are expected in it
	Note       string
	JobNumber  string `db:"job_number"`
	JobName    string `db:"job_name"`
}

const namedShifts = `select s.id, s.employment_id, s.date, s.start_at, s.end_at, s.job_id, s.task_id, s.less, s.note,
	coalesce(j.number, '') as job_number, coalesce(j.name, '') as job_name
		from shift s left join job j on j.id = s.job_id`

// ShiftsOn reads the shifts of some employments on some dates.
func ShiftsOn(ctx context.Context, q Q, employments []uuid.UUID, on []when.Date) ([]Shift, error) {
	var shifts []Shift
	err := q.SelectContext(ctx, &shifts, namedShifts+` where s.date = any($2) and s.employment_id = any($1)
		order by s.employment_id, s.start_at`, UUIDs(employments), dates(on))
	return shifts, err
}

// NextShift reads the first shift that begins after an instant, nil when none
// is planned.
func NextShift(ctx context.Context, q Q, employment uuid.UUID, after time.Time) (*Shift, error) {
	var s Shift
	err := q.GetContext(ctx, &s, namedShifts+` where s.employment_id = $1 and s.start_at > $2 order by s.start_at limit 1`, employment,
		after)
	if NotFound(err) {
		return nil, nil
	}
	return &s, err
}

// ShiftsAfter reads what is planned for an employment after a date.
func ShiftsAfter(ctx context.Context, q Q, employment uuid.UUID, after when.Date) ([]Shift, error) {
	var shifts []Shift
	err := q.SelectContext(ctx, &shifts, namedShifts+` where s.employment_id = $1 and s.date > $2 order by s.start_at`,
		employment, after.String())
	return shifts, err
}

// InsertShift plans a shift.
func InsertShift(ctx context.Context, q Q, s Shift) error {
	_, err := q.ExecContext(ctx, `insert into shift (id, employment_id, date, start_at, end_at, job_id, task_id, less, note)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`, s.ID, s.Employment, s.Date.String(), s.Start, s.End, s.Job, s.Task, s.Less, s.Note)
	return err
}
