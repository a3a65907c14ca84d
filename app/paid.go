package app

import (
	"context"
	"time"

	"manudex/core/when"
	"manudex/store"
)

func closesFrom(place *Place, period when.Period) time.Time {
	return (period.To + 1).At(time.Duration(place.CutOver)*time.Second, place.Loc)
}

// firstOpenDay gives the day after the last closed pay period: what holds from
// a date never reaches back over what was paid.
func firstOpenDay(ctx context.Context, q store.Q, place *Place, today when.Date) (when.Date, error) {
	last, found, err := store.LastPaidDay(ctx, q)
	if err != nil || found {
		return last + 1, err
	}
	return when.NewDate(1970, 1, 1), nil
}
