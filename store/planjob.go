package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// JobDay is what is planned on a job, and wanted, on a day.
type JobDay struct {
	Job     uuid.UUID `db:"job_id"`
	Date    when.Date
	People  int   // who are planned
	Seconds int64 // that they are planned for, less the breaks
	Wanted  int
	From    int // seconds of the local day; of what is wanted
	To      int
}

// JobDays reads what is planned and wanted in a span, by job and day.
func JobDays(ctx context.Context, q Q, days when.Period) ([]JobDay, error) {
	var found []JobDay
	if err := q.SelectContext(ctx, &found, `
		select coalesce(p.job_id, w.job_id) as job_id, coalesce(p.date, w.date) as date, coalesce(p.people, 0) as people,
		       coalesce(p.seconds, 0) as seconds, coalesce(w.people, 0) as wanted, coalesce(w.from_second, 0) as "from",
		       coalesce(w.to_second, 0) as "to"
		from (select job_id, date, count(distinct employment_id) as people,
			sum(extract(epoch from end_at - start_at)::bigint - less) as seconds
		      from planned where date between $1 and $2 and job_id is not null group by job_id, date) p
		full join (select * from job_wanted where date between $1 and $2) w on w.job_id = p.job_id and w.date = p.date
		order by 1, 2`, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read what jobs want: %w", err)
	}
	return found, nil
}

// JobHas is a job with the hours it has, and those that were worked on it.
type JobHas struct {
	ID           uuid.UUID
	Number, Name string
	Mark         string
	Budget       *int64 `db:"budget_seconds"` // seconds
	Used         int64  `db:"used_seconds"`
}

// JobsHave reads some jobs, by number.
func JobsHave(ctx context.Context, q Q, ids []uuid.UUID) ([]JobHas, error) {
	var found []JobHas
	if err := q.SelectContext(ctx, &found, `select id, number, name, mark, budget_seconds, used_seconds from job where id = any($1)
		order by number, id`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read the hours of jobs: %w", err)
	}
	return found, nil
}

// PlannedOnJobs lists who is planned on jobs in a span.
func PlannedOnJobs(ctx context.Context, q Q, jobs []uuid.UUID, days when.Period) ([]uuid.UUID, error) {
	var found []uuid.UUID
	if err := q.SelectContext(ctx, &found, `select distinct employment_id from planned where job_id = any($1) and date between $2 and $3`,
		UUIDs(jobs), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read who is planned on jobs: %w", err)
	}
	return found, nil
}

// WantOnJob says how many people a job wants on some days; nobody takes what was said back.
func WantOnJob(ctx context.Context, q Q, job uuid.UUID, on []when.Date, people, from, to int, by uuid.UUID, now time.Time) error {
	if people == 0 {
		_, err := q.ExecContext(ctx, `delete from job_wanted where job_id = $1 and date = any($2)`, job, dates(on))
		return err
	}
	_, err := q.ExecContext(ctx, `insert into job_wanted (job_id, date, people, from_second, to_second, said_by, said_at)
		select $1, d, $3, $4, $5, $6, $7 from unnest($2::date[]) d
		on conflict (job_id, date) do update set people = excluded.people, from_second = excluded.from_second,
			to_second = excluded.to_second, said_by = excluded.said_by,
				said_at = excluded.said_at`, job, dates(on), people, from, to, by, now)
	return err
}
