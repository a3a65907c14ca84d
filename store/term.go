package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// termOn gives one of the terms of an employment on a date, both as SQL.
func termOn(term, employment, date string) string {
	return `(select t.` + term + ` from terms t where t.employment_id = ` + employment + ` and t.starts_on <= ` + date +
		` order by t.starts_on desc limit 1)`
}

// PutTerms sets one of the terms of employments from a date on; the others
// stay. Later dates that only carried the value on carry the new one on, up to
// the first from which it was another.
func PutTerms(ctx context.Context, q Q, term string, from []EmploymentDate, values []any) error {
	columns := []string{"employment_id", "starts_on", term}
	data, err := jsonRows(columns, len(from), func(i int) []any {
		return []any{from[i].Employment, from[i].Date.String(), values[i]}
	})
	if err != nil {
		return fmt.Errorf("set %s: %w", term, err)
	}
	const asked = `jsonb_populate_recordset(null::terms, $1) x`
	_, err = q.ExecContext(ctx, `
		insert into terms (employment_id, starts_on, hourly, subcontractor, period_group, banks, salary)
		select x.employment_id, x.starts_on, t.hourly, t.subcontractor, t.period_group, t.banks, t.salary from `+asked+`
		join lateral (select * from terms where employment_id = x.employment_id and starts_on <= x.starts_on
		              order by starts_on desc limit 1) t on true
		on conflict do nothing`, data)
	if err != nil {
		return fmt.Errorf("begin new terms: %w", err)
	}
	_, err = q.ExecContext(ctx, `
		update terms t set `+term+` = x.`+term+` from `+asked+`
		where t.employment_id = x.employment_id and t.starts_on >= x.starts_on and not exists (
		    select 1 from terms y join terms first on first.employment_id = y.employment_id and first.starts_on = x.starts_on
		    where y.employment_id = x.employment_id and y.starts_on > x.starts_on and y.starts_on <= t.starts_on
		      and y.`+term+` <> first.`+term+`)`, data)
	if err != nil {
		return fmt.Errorf("set %s: %w", term, err)
	}
	return nil
}

// Terms by which somebody is paid; the columns of the table.
const (
	TermHourly        = "hourly"
	TermSubcontractor = "subcontractor"
	TermPeriodGroup   = "period_group"
	TermBanks         = "banks"
	TermSalary        = "salary"
)

// Banking is from when to when somebody's overtime is banked.
type Banking struct {
	Employment uuid.UUID `db:"employment_id"`
	From       when.Date `db:"starts_on"`
	To         when.Date
}

// WhoBanks reads that of everybody.
func WhoBanks(ctx context.Context, q Q) ([]Banking, error) {
	var found []Banking
	if err := q.SelectContext(ctx, &found, `
		select employment_id, starts_on, until as to from (
			select employment_id, starts_on, banks,
			       coalesce(lead(starts_on) over (partition by employment_id order by starts_on) - 1, '9999-12-31') as until from terms) t
		where banks order by employment_id, starts_on`); err != nil {
		return nil, fmt.Errorf("read whose overtime is banked: %w", err)
	}
	return found, nil
}

// Salaried is from when to when runs pay somebody a salary.
type Salaried struct {
	Employment uuid.UUID `db:"employment_id"`
	From       when.Date `db:"starts_on"`
	To         when.Date
	Terms      string    `db:"salary"` // as core/pay reads it
	Hired      when.Date // the first day of their employment,
	Left       when.Date // and the last
}

// WhoIsSalaried reads that of a group's people for a span of days.
func WhoIsSalaried(ctx context.Context, q Q, group string, days when.Period) ([]Salaried, error) {
	var found []Salaried
	if err := q.SelectContext(ctx, &found, `
		select t.employment_id, greatest(t.starts_on, '1900-01-01') as starts_on, t.until as to, t.salary, e.starts_on as hired,
		       coalesce(least(e.ends_on, p.ended_on), '2200-01-01') as left
		from (select employment_id, starts_on, hourly, subcontractor, salary, period_group,
		             coalesce(lead(starts_on) over (partition by employment_id order by starts_on) - 1, '2200-01-01') as until from terms) t
		join employment e on e.id = t.employment_id join person p on p.id = e.person_id
		where not t.hourly and t.salary <> '' and not t.subcontractor and not p.sample and t.period_group = $1 and t.until >= $2
		  and t.starts_on <= $3
		order by t.employment_id, t.starts_on`, group, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read who is paid a salary: %w", err)
	}
	return found, nil
}

// PeriodsFrom lists the pay periods of a group's runs that stand and that end on a day or later.
func PeriodsFrom(ctx context.Context, q Q, group string, from when.Date) ([]when.Period, error) {
	var rows []struct {
		From when.Date `db:"from_date"`
		To   when.Date `db:"to_date"`
	}
	if err := q.SelectContext(ctx, &rows, `select r.from_date, r.to_date from run r where `+standing+` and r.period_group = $1
		and r.to_date >= $2 order by r.from_date`, group, from.String()); err != nil {
		return nil, fmt.Errorf("read the pay periods that were paid: %w", err)
	}
	periods := make([]when.Period, len(rows))
	for i, r := range rows {
		periods[i] = when.Period(r)
	}
	return periods, nil
}

// DockedDay is a whole day of unpaid leave that a salary isn't paid for.
type DockedDay struct {
	EmploymentDate
	Reason string `db:"docks"`
}

// DockedDays lists those of some employments on approved or paid cards.
func DockedDays(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]DockedDay, error) {
	var found []DockedDay
	if err := q.SelectContext(ctx, &found, `
		select l.employment_id, l.date, max(l.docks) as docks from leave_day l
		join card c on c.employment_id = l.employment_id and c.date = l.date and c.state in ('approved', 'paid')
		where l.employment_id = any($1) and l.date between $2 and $3 and l.docks <> '' and not l.paid and c.expected > 0 and c.worked = 0
		group by l.employment_id, l.date, c.expected having sum(l.seconds) >= c.expected
		order by l.employment_id, l.date`, UUIDs(employments), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read the days that salaries aren't paid for: %w", err)
	}
	return found, nil
}
