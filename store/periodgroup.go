package store

import (
	"context"
	"fmt"

	"manudex/core/when"
)

// PeriodGroup is a group of people with pay periods of their own.
type PeriodGroup struct {
	Name   string
	Kind   string
	Anchor when.Date
	People int // who are in it
}

// Periods is the row of its pay periods.
func (g PeriodGroup) Periods() when.PayPeriods {
	return when.PayPeriods{Kind: when.PeriodKind(g.Kind), Anchor: g.Anchor}
}

// PeriodGroups lists the groups by name.
func PeriodGroups(ctx context.Context, q Q) ([]PeriodGroup, error) {
	var found []PeriodGroup
	err := q.SelectContext(ctx, &found, `select g.name, g.kind, g.anchor,
		(select count(distinct t.employment_id) from terms t where t.period_group = g.name) as people from period_group g order by g.name`)
	if err != nil {
		return nil, fmt.Errorf("read groups of pay periods: %w", err)
	}
	return found, nil
}

// PutPeriodGroup adds a group or changes its pay periods.
func PutPeriodGroup(ctx context.Context, q Q, g PeriodGroup) error {
	_, err := q.ExecContext(ctx, `insert into period_group (name, kind, anchor) values ($1, $2, $3) on conflict (name) do update
		set kind = excluded.kind, anchor = excluded.anchor`, g.Name, g.Kind, g.Anchor.String())
	return err
}

// DropPeriodGroup takes out a group that nobody is in; it says whether it
// could.
func DropPeriodGroup(ctx context.Context, q Q, name string) (bool, error) {
	return did(q.ExecContext(ctx, `delete from period_group where name = $1 and not exists (select 1 from terms where period_group = $1)`,
		name))
}
