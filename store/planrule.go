package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/roster"
	"manudex/core/when"
)

// JobNeeds gives the tags that jobs need.
func JobNeeds(ctx context.Context, q Q, jobs []uuid.UUID) (map[uuid.UUID][]string, error) {
	var rows []struct {
		Job uuid.UUID `db:"job_id"`
		Tag string
	}
	if err := q.SelectContext(ctx, &rows, `select job_id, tag from job_tag where job_id = any($1) order by tag`, UUIDs(jobs)); err != nil {
		return nil, fmt.Errorf("read tags of jobs: %w", err)
	}
	needs := map[uuid.UUID][]string{}
	for _, r := range rows {
		needs[r.Job] = append(needs[r.Job], r.Tag)
	}
	return needs, nil
}

// PlanRules gives what the company said of the rules of the plan, by code.
func PlanRules(ctx context.Context, q Q) (map[roster.Code]roster.Rule, error) {
	var rows []struct {
		Code   roster.Code
		Does   roster.Does
		Figure int
		Span   int
	}
	if err := q.SelectContext(ctx, &rows, `select code, does, figure, span from plan_rule`); err != nil {
		return nil, fmt.Errorf("read the rules of the plan: %w", err)
	}
	said := map[roster.Code]roster.Rule{}
	for _, r := range rows {
		said[r.Code] = roster.Rule{Code: r.Code, Does: r.Does, Figure: r.Figure, Span: r.Span}
	}
	return said, nil
}

// PutPlanRule keeps what the company says of one.
func PutPlanRule(ctx context.Context, q Q, r roster.Rule) error {
	_, err := q.ExecContext(ctx, `insert into plan_rule (code, does, figure, span) values ($1, $2, $3, $4)
		on conflict (code) do update set does = excluded.does, figure = excluded.figure, span = excluded.span`, r.Code, r.Does, r.Figure,
		r.Span)
	return err
}

// PlannedByDay adds up the plan of some employments by day, in a span: seconds, less the
// breaks.
func PlannedByDay(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]WorkedDay, error) {
	var found []WorkedDay
	if err := q.SelectContext(ctx, &found, `select employment_id, date, sum(extract(epoch from end_at - start_at)::bigint - less) as seconds
		from planned where employment_id = any($1) and date between $2 and $3 group by employment_id, date`, UUIDs(employments),
		days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("add up the plan: %w", err)
	}
	return found, nil
}
