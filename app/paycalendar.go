package app

import (
	"context"
	"time"

	"manudex/core/when"
	"manudex/store"
)

// PayDates are the dates of a group's pay period: those of the company, where the group has no name.
type PayDates struct {
	Group  string
	Period when.Period
	Closes time.Time // from when its run can be closed
}

// PayCalendar gives the pay periods of the company and of each group that end, or can be closed, on some
// days, and those in which the days lie. Where no group has pay periods of its own there is nothing to tell
// apart, and none are given.
func PayCalendar(ctx context.Context, q store.Q, place *Company, days when.Period) (dates []PayDates, err error) {
	groups, err := store.PeriodGroups(ctx, q)
	if err != nil || len(groups) == 0 {
		return nil, err
	}
	groups = append([]store.PeriodGroup{{Kind: string(place.Periods().Kind), Anchor: place.Periods().Anchor}}, groups...)
	for _, g := range groups {
		for d := days.From - 1; d <= days.To; { // the day before, which can be closed on the first
			period, err := g.Periods().Of(d)
			if err != nil {
				return nil, err
			}
			dates = append(dates, PayDates{Group: g.Name, Period: period, Closes: ClosesFrom(place, period)})
			d = period.To + 1
		}
	}
	return dates, nil
}
