package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// PlannedWorked is what was planned and what was worked of one thing, in seconds.
type PlannedWorked struct {
	Key     string // an id, a date, or the first date of a week; "" for no job
	Name    string
	More    string // of which crew a person is
	Planned int64
	Worked  int64
	Cards   int // with either
}

// Over is how much more was worked than planned; below zero less.
func (p PlannedWorked) Over() int64 { return p.Worked - p.Planned }

// plannedBy are the things that planned and worked hours are held against each other by.
var plannedBy = map[string]string{
	"person": `e.id::text as key, p.given_name || ' ' || p.family_name as name, u.name as more`,
	"crew":   `u.id::text as key, u.name as name, '' as more`,
	"site":   `s.id::text as key, s.name as name, '' as more`,
	"job":    `coalesce(j.id::text, '') as key, coalesce(j.number || ' ' || j.name, '') as name, '' as more`,
	"day":    `x.date::text as key, x.date::text as name, '' as more`,
	"week":   `(x.date - ((extract(dow from x.date)::int - $3 + 7) % 7))::text as key, '' as name, '' as more`,
}

// PlannedAgainstWorked adds up what people were told of and what they worked in a span, by
// person, crew, site, job, day or week, the largest difference first. By job it is the hours
// on the job, else those of the cards. Nil units means all.
func PlannedAgainstWorked(ctx context.Context, q Q, by string, days when.Period, firstDay int, units []uuid.UUID) ([]PlannedWorked, error) {
	columns, known := plannedBy[by]
	if !known {
		return nil, fmt.Errorf("planned against worked by %q", by)
	}
	w := among(days.From.String(), days.To.String(), firstDay)
	w.plain(`$3::int between 0 and 6`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	worked := `select employment_id, date, null::uuid, 0, worked from card where date between $1 and $2 and worked > 0`
	if by == "job" {
		worked = `select employment_id, date, job_id, 0, sum(seconds)::bigint from hours where date between $1 and $2 and kind = 'work'
			group by employment_id, date, job_id`
	}
	var found []PlannedWorked
	if err := q.SelectContext(ctx, &found, `
		select `+columns+`, sum(x.planned)::bigint as planned, sum(x.worked)::bigint as worked,
		       count(distinct (x.employment_id, x.date)) as cards
		from (select employment_id, date, job_id, sum(extract(epoch from end_at - start_at) - less)::bigint as planned, 0::bigint as worked
		      from shift where date between $1 and $2 group by employment_id, date, job_id
		      union all `+worked+`) x
		join employment e on e.id = x.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id left join job j on j.id = x.job_id
		`+w.sql()+` group by 1, 2, 3 order by abs(sum(x.worked) - sum(x.planned)) desc, 2, 1`, w.args...); err != nil {
		return nil, fmt.Errorf("hold planned against worked hours: %w", err)
	}
	return found, nil
}
