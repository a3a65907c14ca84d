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

// Unclassed counts the cards with hours on a job that are approved, not paid, and name
// no work classification, and those hours, in seconds.
type Unclassed struct {
	Cards   int
	Seconds int64
	First   *when.Date
	Last    *when.Date
}

// GetUnclassed reads that.
func GetUnclassed(ctx context.Context, q Q, job uuid.UUID) (u Unclassed, err error) {
	err = q.QueryRowxContext(ctx, `
		select count(distinct (c.employment_id, c.date)), coalesce(sum(extract(epoch from s.end_at - s.start_at)), 0)::bigint,
		       min(c.date), max(c.date)
		from stint s join card c on c.employment_id = s.employment_id and c.date = s.date and c.state = 'approved'
		where s.job_id = $1 and s.kind = 'work' and s.class_id is null and s.end_at is not null and s.counted`, job).
		Scan(&u.Cards, &u.Seconds, &u.First, &u.Last)
	if err != nil {
		return u, fmt.Errorf("read hours without a classification: %w", err)
	}
	return u, nil
}
