package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// YearBefore is what somebody had worked in a year up to a day, before they were recorded
// here. Seconds.
type YearBefore struct {
	Employment                 uuid.UUID `db:"employment_id"`
	Year                       int
	Until                      when.Date
	Regular, Overtime, Doubled int64
	BroughtIn                  uuid.UUID `db:"brought_in"` // the file
}

// Worked is all of it.
func (o YearBefore) Worked() int64 { return o.Regular + o.Overtime + o.Doubled }

// YearsBefore reads those of employments. A nil list means all.
func YearsBefore(ctx context.Context, q Q, employments []uuid.UUID) ([]YearBefore, error) {
	var found []YearBefore
	err := q.SelectContext(ctx, &found, `
		select employment_id, year, until, regular, overtime, doubled, brought_in from year_before
		where $1::uuid[] is null or employment_id = any($1) order by employment_id, year`, UUIDs(employments))
	if err != nil {
		return nil, fmt.Errorf("read what was worked before: %w", err)
	}
	return found, nil
}

// PutYearsBefore writes what was worked before, one row for a person and year.
func PutYearsBefore(ctx context.Context, q Q, years []YearBefore) error {
	columns := []string{"employment_id", "year", "until", "regular", "overtime", "doubled", "brought_in"}
	return insertRows(ctx, q, "year_before", columns, replacing("employment_id, year", columns), len(years), func(i int) []any {
		o := years[i]
		return []any{o.Employment, o.Year, o.Until.String(), o.Regular, o.Overtime, o.Doubled, o.BroughtIn}
	})
}

// YearsBeforeOf lists whose sums a file brought in, that no later file has replaced.
func YearsBeforeOf(ctx context.Context, q Q, file uuid.UUID) ([]uuid.UUID, error) {
	var found []uuid.UUID
	err := q.SelectContext(ctx, &found, `select distinct employment_id from year_before where brought_in = $1`, file)
	return found, err
}

// DropYearsBefore takes the sums out that a file brought in; it gives how many.
func DropYearsBefore(ctx context.Context, q Q, file uuid.UUID) (int, error) {
	r, err := q.ExecContext(ctx, `delete from year_before where brought_in = $1`, file)
	if err != nil {
		return 0, fmt.Errorf("take sums of the year out: %w", err)
	}
	n, err := r.RowsAffected()
	return int(n), err
}

// YearSum is what somebody worked in a year, in seconds: what was brought in, and the
// cards after that.
type YearSum struct {
	Worked   int64
	Overtime int64      // as far as runs are closed, with what was brought in
	Doubled  int64      // too
	Before   int64      // of what was worked, that which was brought in as a sum
	Until    *when.Date // up to when; nil where nothing was
}

// SumYear adds up what an employment worked in the year of a day, up to it.
func SumYear(ctx context.Context, q Q, employment uuid.UUID, today when.Date) (s YearSum, err error) {
	err = q.QueryRowxContext(ctx, `
		with o as (select until, regular, overtime, doubled from year_before
		           where employment_id = $1 and year = extract(year from $2::date)),
		     since as (select coalesce((select until + 1 from o), date_trunc('year', $2::date)::date) as day)
		select coalesce((select regular + overtime + doubled from o), 0),
		       (select until from o),
		       coalesce((select sum(worked) from card where employment_id = $1 and date between (select day from since) and $2), 0),
		       coalesce((select overtime from o), 0) + coalesce(sum(l.seconds) filter (where l.class = 'overtime'), 0),
		       coalesce((select doubled from o), 0) + coalesce(sum(l.seconds) filter (where l.class = 'double'), 0)
		from pay_line l where l.employment_id = $1 and l.kind = 'straight' and l.date between (select day from since) and $2`,
		employment, today.String()).Scan(&s.Before, &s.Until, &s.Worked, &s.Overtime, &s.Doubled)
	if err != nil {
		return s, fmt.Errorf("add up the year: %w", err)
	}
	s.Worked += s.Before
	return s, nil
}

// MovedIn counts what was brought in of the time before: cards, from when to when, and
// sums of years.
type MovedIn struct {
	Days     int
	From, To *when.Date
	Years    int
}

// GetMovedIn reads that.
func GetMovedIn(ctx context.Context, q Q) (m MovedIn, err error) {
	err = q.QueryRowxContext(ctx, `select count(*), min(date), max(date), (select count(*) from year_before) from card where brought_in`).
		Scan(&m.Days, &m.From, &m.To, &m.Years)
	return m, err
}
