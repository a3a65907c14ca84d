package leave

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/store"
)

// Count is how many of a crew, or of those at a site, are expected to work on a day, and how
// many of them are away for half of it or more.
type Count struct{ Expected, Away, Asked int }

// Left is how many are left to work.
func (c Count) Left() int { return c.Expected - c.Away }

// Short says whether so many that are left are too few. On days on which no more than half of those
// who have to be left are expected at all, such as Saturdays with a shift for one, nothing is.
func (c Count) Short(left, least int) bool { return left < least && 2*c.Expected > least }

// staffing is who of some people is expected, and away, on the days of a span.
type staffing struct {
	days   when.Period
	people []store.RosterPerson
	bands  map[store.EmploymentDate][]store.Band
	plans  map[store.EmploymentDate]store.Planned
}

// readStaffing reads it for those whom a filter names; where wanted isn't nil, of the days that it
// takes alone.
func readStaffing(ctx context.Context, q store.Q, place *app.Company, filter store.RosterFilter,
	wanted func(store.RosterPerson, when.Date) bool) (*staffing, error) {
	s := &staffing{days: filter.Days, bands: map[store.EmploymentDate][]store.Band{}, plans: map[store.EmploymentDate]store.Planned{}}
	var err error
	if s.people, err = store.RosterPeople(ctx, q, filter); err != nil || len(s.people) == 0 {
		return s, err
	}
	of, on := make([]uuid.UUID, len(s.people)), []store.EmploymentDate{}
	for i, p := range s.people {
		of[i] = p.Employment
		for d := s.days.From; d <= s.days.To; d++ {
			if wanted == nil || wanted(p, d) {
				on = append(on, store.EmploymentDate{Employment: p.Employment, Date: d})
			}
		}
	}
	bands, err := store.Bands(ctx, q, of, s.days)
	if err != nil {
		return nil, err
	}
	for _, b := range bands {
		k := store.EmploymentDate{Employment: b.Employment, Date: b.Date}
		s.bands[k] = append(s.bands[k], b)
	}
	plans, err := store.PlansOf(ctx, q, on, place.Holiday)
	for _, p := range plans {
		s.plans[p.EmploymentDate] = p
	}
	return s, err
}

// count counts those of the people whom a function takes, on a day.
func (s *staffing) count(d when.Date, of func(store.RosterPerson) bool) (c Count) {
	for _, p := range s.people {
		if of(p) {
			expected, away, asked := s.on(p, d)
			if expected {
				c.Expected++
			}
			if away {
				c.Away++
			} else if asked {
				c.Asked++
			}
		}
	}
	return c
}

// on says whether somebody is expected on a day, and whether they are away for half of it or
// more, or ask to be.
func (s *staffing) on(p store.RosterPerson, d when.Date) (expected, away, asked bool) {
	k := store.EmploymentDate{Employment: p.Employment, Date: d}
	plan := s.plans[k].Plan
	if plan.Expected == 0 || d < p.StartsOn || p.EndsOn != nil && d > *p.EndsOn {
		return false, false, false
	}
	var seconds int64
	for _, b := range s.bands[k] {
		if b.Asked {
			seconds += b.Seconds
		}
	}
	away = plan.Leave*2 >= plan.Expected
	return true, away, !away && (plan.Leave+seconds)*2 >= plan.Expected
}
