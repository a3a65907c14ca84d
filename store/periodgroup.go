package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// PeriodGroup is a group of people with pay periods of their own.
type PeriodGroup struct {
	Name     string
	Kind     string
	Anchor   when.Date
	Currency string // in which its people are paid, "" for the company's
	People   int    // who are in it
	Paid     bool   // a run of it was closed
}

// Periods is the row of its pay periods.
func (g PeriodGroup) Periods() when.PayPeriods {
	return when.PayPeriods{Kind: when.PeriodKind(g.Kind), Anchor: g.Anchor}
}

// PeriodGroups lists the groups by name.
func PeriodGroups(ctx context.Context, q Q) ([]PeriodGroup, error) {
	var found []PeriodGroup
	err := q.SelectContext(ctx, &found, `select g.name, g.kind, g.anchor, g.currency,
		exists (select from run r where r.period_group = g.name) as paid,
		(select count(distinct t.employment_id) from terms t where t.period_group = g.name) as people from period_group g order by g.name`)
	if err != nil {
		return nil, fmt.Errorf("read groups of pay periods: %w", err)
	}
	return found, nil
}

// PutPeriodGroup adds a group or changes its pay periods.
func PutPeriodGroup(ctx context.Context, q Q, g PeriodGroup) error {
	_, err := q.ExecContext(ctx, `insert into period_group (name, kind, anchor, currency) values ($1, $2, $3, $4)
		on conflict (name) do update set kind = excluded.kind, anchor = excluded.anchor, currency = excluded.currency`,
		g.Name, g.Kind, g.Anchor.String(), g.Currency)
	return err
}

// CurrencyOfGroup reads in what a group's people are paid: "" for the company's currency, and where there is no
// such group.
func CurrencyOfGroup(ctx context.Context, q Q, group string) (currency string, err error) {
	err = q.GetContext(ctx, &currency, `select currency from period_group where name = $1`, group)
	if NotFound(err) {
		return "", nil
	}
	if err != nil {
		return "", fmt.Errorf("read the currency of a group: %w", err)
	}
	return currency, nil
}

// inCurrency is the currency of a group g or of the company c.
const inCurrency = `coalesce(nullif(g.currency, ''), c.currency)`

// CurrencyOf reads in what somebody is paid on a day.
func CurrencyOf(ctx context.Context, q Q, employment uuid.UUID, on when.Date) (currency string, err error) {
	err = q.GetContext(ctx, &currency, `select `+inCurrency+` from company c left join membership m on m.employment_id = $1
		and $2::date between m.starts_on and m.ends_on left join period_group g on g.name = m.period_group`, employment, on.String())
	if err != nil {
		return "", fmt.Errorf("read somebody's currency: %w", err)
	}
	return currency, nil
}

// CurrenciesOf reads in what some people are paid who aren't paid in the company's currency.
func CurrenciesOf(ctx context.Context, q Q, employments []uuid.UUID) (map[uuid.UUID]string, error) {
	var rows []struct {
		Employment uuid.UUID `db:"employment_id"`
		Currency   string
	}
	if err := q.SelectContext(ctx, &rows, `
		select distinct on (m.employment_id) m.employment_id, g.currency from membership m join period_group g on g.name = m.period_group
		cross join company c where m.employment_id = any($1) and g.currency not in ('', c.currency)
		order by m.employment_id, m.starts_on desc`, UUIDs(employments)); err != nil {
		return nil, fmt.Errorf("read currencies: %w", err)
	}
	found := make(map[uuid.UUID]string, len(rows))
	for _, r := range rows {
		found[r.Employment] = r.Currency
	}
	return found, nil
}

// PaidInTwo names those of some people who would be paid in two currencies: by the groups that they are in from
// their first day on, or by runs that were closed.
func PaidInTwo(ctx context.Context, q Q, employments []uuid.UUID) (names []string, err error) {
	if err := q.SelectContext(ctx, &names, `
		with paid as (
			select t.employment_id, `+inCurrency+` as currency
			from (select employment_id, period_group, lead(starts_on) over (partition by employment_id order by starts_on) as until
			      from terms where employment_id = any($1)) t
			join employment e on e.id = t.employment_id cross join company c left join period_group g on g.name = t.period_group
			where t.until is null or t.until > e.starts_on
			union
			select l.employment_id, coalesce(nullif(r.currency, ''), c.currency)
			from pay_line l join run r on r.id = l.run_id cross join company c
			where l.employment_id = any($1) and exists (select from period_group o where o.currency <> ''))
		select p.given_name || ' ' || p.family_name from paid join employment e on e.id = paid.employment_id
		join person p on p.id = e.person_id group by e.id, p.id having count(*) > 1 order by 1`, UUIDs(employments)); err != nil {
		return nil, fmt.Errorf("read who would be paid in two currencies: %w", err)
	}
	return names, nil
}

// DropPeriodGroup takes out a group that nobody is in; it says whether it
// could.
func DropPeriodGroup(ctx context.Context, q Q, name string) (bool, error) {
	return did(q.ExecContext(ctx, `delete from period_group where name = $1 and not exists (select 1 from terms where period_group = $1)`,
		name))
}
