package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// WithoutCard lists the days of a period on which the working pattern of
// somebody who clocks has hours, and there is no card, by employment and date; of
// some employments, or all where they are nil. It goes back no further than to
// the first card of anybody: before that, nobody clocked here.
func WithoutCard(ctx context.Context, q Q, days when.Period, employments []uuid.UUID) ([]EmploymentDate, error) {
	w := among(days.From.String(), days.To.String())
	w.plain(`e.clock_points <> '' and e.reporting = 'every_hour'`)
	w.plain(`d.date >= (select min(date) from card)`)
	w.plain(`d.date between e.starts_on and coalesce(least(e.ends_on, p.ended_on), 'infinity')`)
	w.plain(`h.seconds[extract(dow from d.date)::int + 1] > 0`)
	w.plain(`not exists (select 1 from card c where c.date = d.date and c.employment_id = e.id)`)
	if employments != nil {
		w.and(`e.id = any($%d)`, UUIDs(employments))
	}
	var found []EmploymentDate
	if err := q.SelectContext(ctx, &found, `
		select e.id as employment_id, d.date
		from employment e join person p on p.id = e.person_id
		cross join (select generate_series($1::date, $2::date, interval '1 day')::date as date) d
		cross join lateral (select seconds from pattern where employment_id = e.id and starts_on <= d.date
		                    order by starts_on desc limit 1) h `+w.sql()+`
		order by e.id, d.date`, w.args...); err != nil {
		return nil, fmt.Errorf("read which cards lack: %w", err)
	}
	return found, nil
}

// KeepJobHours adds up what was used of each job's budget of hours, in all and
// since a date, and finds the first worked date by whose end it is used up.
func KeepJobHours(ctx context.Context, q Q, since when.Date) error {
	if _, err := q.ExecContext(ctx, `
		with days as (
		    select job_id, date, sum(seconds) as seconds from hours
		    where kind = 'work' and job_id in (select id from job where budget_seconds > 0) group by job_id, date),
		used as (select job_id, date, seconds, sum(seconds) over (partition by job_id order by date) as till from days),
		sums as (
		    select j.id, coalesce(sum(u.seconds), 0) as used, coalesce(sum(u.seconds) filter (where u.date >= $1), 0) as lately,
		           min(u.date) filter (where u.till > j.budget_seconds) as out_on
		    from job j left join used u on u.job_id = j.id group by j.id)
		update job j set used_seconds = s.used, used_lately = s.lately, out_on = s.out_on from sums s
		where s.id = j.id and (j.used_seconds, j.used_lately, j.out_on) is distinct from (s.used, s.lately, s.out_on)`,
		since.String()); err != nil {
		return fmt.Errorf("keep what was used of jobs: %w", err)
	}
	return nil
}
