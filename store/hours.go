package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Hours are kept added up: by employment, worked date, what they were worked
// on, kind, clock point, and whether somebody said so by hand. What is running
// is not in them, nor what doesn't count.

// Hours is a row of them.
type Hours struct {
	Employment       uuid.UUID
	Date             when.Date
	Job, Task, Class *uuid.UUID
	Kind, Point      string
	ByHand           bool
	Seconds          int64
	Billing          int16 // 0 as the job says; see clock.Billed
}

// HoursColumns are the columns of [Hours.Values], for bulk loading.
var HoursColumns = []string{"employment_id", "date", "job_id", "task_id", "class_id", "kind", "point", "by_hand", "seconds",
	"billing"}

// Values gives the row in the order of [HoursColumns].
func (h Hours) Values() []any {
	return []any{h.Employment, h.Date.String(), h.Job, h.Task, h.Class, h.Kind, h.Point, h.ByHand, h.Seconds, h.Billing}
}

// hoursOf adds stints s up; conditions and the grouping follow.
const hoursOf = `
	select s.employment_id, s.date, s.job_id, s.task_id, s.class_id, s.kind, coalesce(p.point, 'hand') as point,
	       array[s.start_by, s.end_by] && array['hand', 'reported'] as by_hand,
		sum(extract(epoch from s.end_at - s.start_at))::int as seconds,
	       s.marks & 24 as billing
	from stint s left join punch p on p.id = s.id where s.end_at is not null and s.counted`

const hoursBy = ` group by s.employment_id, s.date, s.job_id, s.task_id, s.class_id, s.kind, 7, 8, 10`

// KeepHours adds the hours of some cards up anew, after their stints changed.
func KeepHours(ctx context.Context, q Q, cards []EmploymentDate) error {
	employments, on := cardArrays(cards)
	_, err := q.ExecContext(ctx, `
		with sums as (`+hoursOf+` and (s.employment_id, s.date) in (select employment_id, date from `+ofCards+`)`+hoursBy+`),
		     gone as (delete from hours h using `+ofCards+` where h.employment_id = w.employment_id and h.date = w.date and not exists (
		                  select 1 from sums n where (n.employment_id, n.date, n.kind, n.point, n.by_hand, n.billing)
		                                           = (h.employment_id, h.date, h.kind, h.point, h.by_hand, h.billing)
		                      and n.job_id is not distinct from h.job_id and n.task_id is not distinct from h.task_id
		                      and n.class_id is not distinct from h.class_id))
		insert into hours select * from sums
		on conflict on constraint hours_key do update set seconds = excluded.seconds where hours.seconds <> excluded.seconds`,
		employments, on)
	if err != nil {
		return fmt.Errorf("add hours up: %w", err)
	}
	return nil
}

// KeepAllHours adds all hours up where none were.
func KeepAllHours(ctx context.Context, q Q) error {
	if _, err := q.ExecContext(ctx, `insert into hours `+hoursOf+hoursBy); err != nil {
		return fmt.Errorf("add all hours up: %w", err)
	}
	return nil
}

// WrongHours lists days whose kept hours are not those that the stints of some
// employments make, from a worked date on.
func WrongHours(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]EmploymentDate, error) {
	var found []EmploymentDate
	err := q.SelectContext(ctx, &found, `
		with sums as (`+hoursOf+` and s.employment_id = any($1) and s.date >= $2`+hoursBy+`),
		     kept as (select * from hours where employment_id = any($1) and date >= $2)
		select distinct employment_id, date
		from ((table sums except table kept) union all (table kept except table sums)) x order by employment_id, date`,
		UUIDs(employments), from.String())
	if err != nil {
		return nil, fmt.Errorf("compare hours: %w", err)
	}
	return found, nil
}

// Checked is what was found when what is derived was worked out anew.
type Checked struct {
	At            time.Time
	Since         *when.Date
	Stints, Cards int
	Differences   int
	First         string // of them, a line each
}

// PutChecked keeps what was found.
func PutChecked(ctx context.Context, q Q, c Checked) error {
	_, err := q.ExecContext(ctx, `insert into checked (at, since, stints, cards, differences, first) values ($1, $2, $3, $4, $5, $6)
		on conflict (at) do nothing`, c.At, nullDate(c.Since), c.Stints, c.Cards, c.Differences, c.First)
	if err != nil {
		return fmt.Errorf("keep what a check found: %w", err)
	}
	return nil
}

// LastChecked reads what was found last, nil when there was no check.
func LastChecked(ctx context.Context, q Q) (*Checked, error) {
	var c Checked
	err := q.GetContext(ctx, &c, `select * from checked order by at desc limit 1`)
	if NotFound(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read what a check found: %w", err)
	}
	return &c, nil
}
