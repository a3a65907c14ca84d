package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/when"
)

// Planned is what was planned for a date, and where its card stands so far.
type Planned struct {
	EmploymentDate
	card.Plan
	card.Standing
}

// PlansOf reads shifts, leave and the working pattern for dates of
// employments, and where the cards stand, in the order asked for.
func PlansOf(ctx context.Context, q Q, on []EmploymentDate, holiday func(when.Date) bool) ([]Planned, error) {
	if len(on) == 0 {
		return nil, nil
	}
	employments, days := make(UUIDs, len(on)), make([]when.Date, len(on))
	var each UUIDs
	seen := map[uuid.UUID]bool{}
	for i, o := range on {
		employments[i], days[i] = o.Employment, o.Date
		if !seen[o.Employment] {
			seen[o.Employment] = true
			each = append(each, o.Employment)
		}
	}
	var rows []plannedRow
	err := q.SelectContext(ctx, &rows, `
		select d.employment_id, d.date, sh.shift_from, sh.shift_to, coalesce(sh.seconds, 0) as shift_seconds, coalesce(lv.leave,
			0) as leave, coalesce(lv.name, '') as leave_name,
		       (select json_build_array(json_build_object('from', starts_on, 'seconds', seconds, 'starts', starts, 'ends', ends))
		        from pattern where employment_id = d.employment_id and starts_on <= d.date order by starts_on desc limit 1) as pattern,
		       (select s.zone from employment e join site s on s.id = e.site_id where e.id = d.employment_id) as zone,
		       coalesce(c.state, 'open') as state, coalesce(c.signed, false) as signed, coalesce(c.late_change, false) as late_change,
		       coalesce(c.adjust, false) as adjust
		from unnest($1::uuid[], $2::date[]) with ordinality d(employment_id, date, n)
		left join (select employment_id, date, min(start_at) as shift_from, max(end_at) as shift_to,
		                  sum(extract(epoch from end_at - start_at) - less)::int as seconds from shift
		           where employment_id = any($3) and date between $4 and $5 group by employment_id, date) sh using (employment_id, date)
		left join (select employment_id, date, sum(seconds)::int as leave, min(name) as name from leave_day
		           where employment_id = any($3) and date between $4 and $5 group by employment_id, date) lv using (employment_id, date)
		left join card c on c.employment_id = d.employment_id and c.date = d.date
		order by d.n`, employments, dates(days), each, slices.Min(days).String(), slices.Max(days).String())
	if err != nil {
		return nil, fmt.Errorf("read what was planned: %w", err)
	}
	plans, zones := make([]Planned, len(rows)), map[string]*time.Location{}
	for i, r := range rows {
		var pattern []card.Pattern
		if len(r.Pattern) > 0 {
			if err := json.Unmarshal(r.Pattern, &pattern); err != nil {
				return nil, fmt.Errorf("read the working pattern of %s: %w", r.Date, err)
			}
		}
		if zones[r.Zone] == nil {
			if zones[r.Zone], err = time.LoadLocation(r.Zone); err != nil {
				return nil, fmt.Errorf("the zone of a site: %w", err)
			}
		}
		named := card.Plan{ShiftFrom: timeOr0(r.ShiftFrom), ShiftTo: timeOr0(r.ShiftTo), Expected: r.ShiftSeconds, Leave: r.Leave,
			LeaveName: r.LeaveName, Holiday: holiday(r.Date)}
		plans[i] = Planned{EmploymentDate: r.EmploymentDate,
			Plan:     card.UsualOn(r.Date, pattern, named.Holiday, zones[r.Zone]).Planned(named),
			Standing: card.Standing{State: card.State(r.State), Signed: r.Signed, Late: r.LateChange, Adjust: r.Adjust}}
	}
	return plans, nil
}
