package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/core/when"
)

// PutPatterns sets working patterns: what is expected of the seven days, Sunday
// first, apart by spaces: seconds, or from when to when besides, in seconds of the
// local day: "0 25200-55800/28800 28800 …".
func PutPatterns(ctx context.Context, q Q, patterns ...Dated) error {
	return putDated(ctx, q, "pattern", []string{"seconds", "starts", "ends"}, patterns, func(value string) []any {
		var seconds, starts, ends []any
		for _, day := range strings.Fields(value) {
			span, length, timed := strings.Cut(day, "/")
			if !timed {
				seconds, starts, ends = append(seconds, day), append(starts, nil), append(ends, nil)
				continue
			}
			from, to, _ := strings.Cut(span, "-")
			seconds, starts, ends = append(seconds, length), append(starts, from), append(ends, to)
		}
		return []any{seconds, starts, ends}
	})
}

// patternOn gives the working pattern of employment e as PutPatterns takes it, on
// a date that is a parameter.
func patternOn(date string) string {
	return `coalesce((select string_agg(case when h.starts[i] is null then h.seconds[i]::text
	        else h.starts[i] || '-' || h.ends[i] || '/' || h.seconds[i] end, ' ' order by i)
	    from (select seconds, starts, ends from pattern where employment_id = e.id and starts_on <= ` + date + `
	          order by starts_on desc limit 1) h cross join generate_series(1, 7) i), '')`
}

// Untimed says whether nobody is expected at a time from a date on: no working
// pattern has times, and no shift is planned.
func Untimed(ctx context.Context, q Q, on when.Date) (untimed bool, err error) {
	err = q.GetContext(ctx, &untimed, `
		select not exists (select 1 from pattern where exists (select 1 from unnest(starts) s where s is not null))
		   and not exists (select 1 from shift where date >= $1)`, on.String())
	return untimed, err
}

// AverageDay is how long somebody worked of late.
type AverageDay struct {
	Employment uuid.UUID `db:"employment_id"`
	Seconds    int64     // on the average day on which they did
	Pattern    bool      // a working pattern says how long they work
}

// AverageDays reads that of some employments since a date.
func AverageDays(ctx context.Context, q Q, employments []uuid.UUID, since when.Date) ([]AverageDay, error) {
	var found []AverageDay
	if err := q.SelectContext(ctx, &found, `
		select e.id as employment_id,
			coalesce((select round(avg(worked)) from card where employment_id = e.id and date >= $2 and worked > 0),
		       0)::bigint as seconds, exists (select 1 from pattern where employment_id = e.id) as pattern
		from employment e where e.id = any($1)`, UUIDs(employments), since.String()); err != nil {
		return nil, fmt.Errorf("read average days: %w", err)
	}
	return found, nil
}
