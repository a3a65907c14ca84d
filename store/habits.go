package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// SiteHabits are those of the people of a site.
type SiteHabits struct {
	Site uuid.UUID `db:"site_id"`
	Name string
	clock.Habits
}

// Habits reads, by site, who clocks there and has a mobile number, who was given a way,
// and how often they moved between sites in the four weeks before a day.
func Habits(ctx context.Context, q Q, way clock.Way, today when.Date) ([]SiteHabits, error) {
	var found []SiteHabits
	err := q.SelectContext(ctx, &found, `
		with here as (
			select e.id, coalesce(e.site_id, u.site_id) as site_id, p.mobile is not null and p.mobile <> '' as phone,
			       $1 = any(string_to_array(e.clock_points, ', ')) as given
			from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id
			where e.starts_on <= $2 and (e.ends_on is null or e.ends_on >= $2) and not p.sample),
		day as (
			select s.employment_id, s.date, count(distinct coalesce(j.site_id, h.site_id)) - 1 as moves
			from stint s join here h on h.id = s.employment_id left join job j on j.id = s.job_id
			where s.kind = 'work' and s.date between $2::date - 28 and $2 group by 1, 2)
		select h.site_id, t.name, count(*) as people, count(*) filter (where h.phone) as phones, count(*) filter (where h.given) as given,
		       coalesce(sum(d.days), 0)::int as days, coalesce(sum(d.moves)::float8 / nullif(sum(d.days), 0), 0) as moves
		from here h join site t on t.id = h.site_id
		left join (select employment_id, count(*) as days, sum(moves) as moves from day group by 1) d on d.employment_id = h.id
		group by h.site_id, t.name order by count(*) desc, t.name`, string(way), today.String())
	if err != nil {
		return nil, fmt.Errorf("read how people work at sites: %w", err)
	}
	return found, nil
}
