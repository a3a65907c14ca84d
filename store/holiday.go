package store

import (
	"context"

	"manudex/core/when"
)

// Holiday is a day on which nothing is expected. Multiplier is nil where
// working on it pays no premium.
type Holiday struct {
	Date       when.Date
	Name       string
	Multiplier *string
}

// Holidays reads all holidays in order.
func Holidays(ctx context.Context, q Q) ([]Holiday, error) {
	var found []Holiday
	err := q.SelectContext(ctx, &found, `select date, name, trim_scale(multiplier)::text as multiplier from holiday order by date`)
	return found, err
}

// PutHolidays adds holidays or changes them.
func PutHolidays(ctx context.Context, q Q, holidays []Holiday) error {
	columns := []string{"date", "name", "multiplier"}
	return insertRows(ctx, q, "holiday", columns, replacing("date", columns), len(holidays), func(i int) []any {
		return []any{holidays[i].Date.String(), holidays[i].Name, holidays[i].Multiplier}
	})
}

// DropHoliday takes a holiday out; it says whether there was one.
func DropHoliday(ctx context.Context, q Q, d when.Date) (bool, error) {
	return did(q.ExecContext(ctx, `delete from holiday where date = $1`, d.String()))
}
