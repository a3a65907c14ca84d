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
		insert into terms (employment_id, starts_on, hourly, subcontractor, period_group, banks)
		select x.employment_id, x.starts_on, t.hourly, t.subcontractor, t.period_group, t.banks from `+asked+`
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
