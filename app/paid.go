package app

import (
	"context"
	"time"

	"manudex/core/when"
	"manudex/store"
)

func ClosesFrom(place *Company, period when.Period) time.Time {
	return (period.To + 1).At(time.Duration(place.CutOver)*time.Second, place.Loc)
}

// FirstOpenDay gives the day after the last closed pay period: what holds from
// a date never reaches back over what was paid.
func FirstOpenDay(ctx context.Context, q store.Q, place *Company, today when.Date) (when.Date, error) {
	last, found, err := store.LastPaidDay(ctx, q)
	if err != nil || found {
		return last + 1, err
	}
	return when.NewDate(1970, 1, 1), nil
}
