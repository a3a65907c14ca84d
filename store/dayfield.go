package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// DayField is what the place asks of a day, or of a stint, beside the hours.
type DayField struct {
	ID         uuid.UUID
	Name, Kind string
	Choices    string     // one a line
	OfStint    bool       `db:"of_stint"`
	Unit       *uuid.UUID `db:"unit_id"` // of whom alone it is asked, nil for everybody
	UnitName   string     `db:"unit_name"`
	Closed     bool
	Said       int // how often it was answered
}

// DayFields lists those that are asked, and with closed those that were, in order.
func DayFields(ctx context.Context, q Q, closed bool) ([]DayField, error) {
	var found []DayField
	if err := q.SelectContext(ctx, &found, `
		select f.id, f.name, f.kind, f.choices, f.of_stint, f.unit_id, coalesce(u.name, '') as unit_name, f.closed_at is not null as closed,
		       (select count(*) from day_said s where s.field_id = f.id) as said
		from day_field f left join unit u on u.id = f.unit_id where $1 or f.closed_at is null order by f.closed_at is not null, f.position`,
		closed); err != nil {
		return nil, fmt.Errorf("read what is asked of days: %w", err)
	}
	return found, nil
}

// PutDayField adds a field of days or changes its name, choices and of whom it is asked.
func PutDayField(ctx context.Context, q Q, f DayField) error {
	_, err := q.ExecContext(ctx, `insert into day_field (id, name, kind, choices, of_stint, unit_id, position)
		values ($1, $2, $3, $4, $5, $6, (select coalesce(max(position), 0) + 1 from day_field))
		on conflict (id) do update set name = excluded.name, choices = excluded.choices, unit_id = excluded.unit_id, closed_at = null`,
		f.ID, f.Name, f.Kind, f.Choices, f.OfStint, f.Unit)
	return err
}

// CloseDayField has a field asked no more; it says whether it was.
func CloseDayField(ctx context.Context, q Q, id uuid.UUID, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update day_field set closed_at = $2 where id = $1 and closed_at is null`, id, at))
}

// DaySaid is what was said of a day or a stint.
type DaySaid struct {
	EmploymentDate
	Stint  *uuid.UUID `db:"stint_id"`
	Field  uuid.UUID  `db:"field_id"`
	Value  string
	By     uuid.UUID `db:"by_person"`
	MadeAt time.Time `db:"made_at"`
}

// SaidOf lists what was said of days of employments, the newest of each day, stint and field.
func SaidOf(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]DaySaid, error) {
	var found []DaySaid
	if err := q.SelectContext(ctx, &found, `
		select distinct on (employment_id, date, stint_id, field_id) employment_id, date, stint_id, field_id, value, by_person, made_at
		from day_said where employment_id = any($1) and date between $2 and $3
		order by employment_id, date, stint_id, field_id, made_at desc, id desc`,
		UUIDs(employments), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read what was said of days: %w", err)
	}
	return found, nil
}

// InsertSaid keeps what was said; it says whether it is new.
func InsertSaid(ctx context.Context, q Q, id uuid.UUID, s DaySaid) (bool, error) {
	return did(q.ExecContext(ctx, `insert into day_said (id, employment_id, date, stint_id, field_id, value, by_person, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (id) do nothing`,
		id, s.Employment, s.Date.String(), s.Stint, s.Field, s.Value, s.By, s.MadeAt))
}

// RunSaid is what was said of the days of a run: of a day, or of the stints on a job and task.
type RunSaid struct {
	EmploymentDate
	Job, Task string // "" for the day, or for none
	OfStint   bool   `db:"of_stint"`
	Field     string
	Value     string
}

// SaidInRun lists what was said of the days that a run pays.
func SaidInRun(ctx context.Context, q Q, run uuid.UUID) ([]RunSaid, error) {
	var found []RunSaid
	if err := q.SelectContext(ctx, &found, `
		with days as (select distinct employment_id, date from pay_line where run_id = $1),
		said as (
			select distinct on (s.employment_id, s.date, s.stint_id, s.field_id) s.*
			from days d join day_said s on s.employment_id = d.employment_id and s.date = d.date
			order by s.employment_id, s.date, s.stint_id, s.field_id, s.made_at desc, s.id desc)
		select s.employment_id, s.date, coalesce(j.number, '') as job, coalesce(t.name, '') as task, s.stint_id is not null as of_stint,
		       f.name as field, s.value
		from said s join day_field f on f.id = s.field_id left join stint n on n.id = s.stint_id
		left join job j on j.id = n.job_id left join task t on t.id = n.task_id
		where s.value <> '' order by f.position, s.employment_id, s.date, n.start_at`, run); err != nil {
		return nil, fmt.Errorf("read what was said of the days of a run: %w", err)
	}
	return found, nil
}
