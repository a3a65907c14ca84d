package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Wage is a class of a public work's wage determination.
type Wage struct {
	Class            uuid.UUID `db:"class_id"`
	Code, Name       string
	Base, Cash, Plan string
	StartsOn         when.Date `db:"starts_on"`
}

// Wages lists a job's wage determinations, those of a class by date.
func Wages(ctx context.Context, q Q, job uuid.UUID) ([]Wage, error) {
	var found []Wage
	err := q.SelectContext(ctx, &found, `select w.class_id, c.code, c.name, round(w.base_rate, 2)::text as base,
		round(w.fringe_cash, 2)::text as cash, round(w.fringe_plan, 2)::text as plan, w.starts_on
		from job_wage w join classification c on c.id = w.class_id where w.job_id = $1 order by c.name, w.starts_on`, job)
	return found, err
}

// PutWage sets the determination of a class from a date on.
func PutWage(ctx context.Context, q Q, job uuid.UUID, w Wage) error {
	_, err := q.ExecContext(ctx, `
		insert into job_wage (job_id, class_id, starts_on, base_rate, fringe_cash, fringe_plan)
		values ($1, $2, $3, $4::numeric, $5::numeric, $6::numeric)
		on conflict (job_id, class_id, starts_on) do update set base_rate = excluded.base_rate, fringe_cash = excluded.fringe_cash,
		    fringe_plan = excluded.fringe_plan`, job, w.Class, w.StartsOn.String(), w.Base, w.Cash, w.Plan)
	if err != nil {
		return fmt.Errorf("set a wage determination: %w", err)
	}
	return nil
}

// HasWage says whether a job has a determination of a class that begins
// before a date.
func HasWage(ctx context.Context, q Q, job, class uuid.UUID, before when.Date) (bool, error) {
	var has bool
	err := q.GetContext(ctx, &has, `select exists (select 1 from job_wage where job_id = $1 and class_id = $2 and starts_on < $3)`,
		job, class, before.String())
	return has, err
}
