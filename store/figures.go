package store

import (
	"context"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
)

// Limits are the figures as core wants them. Breaks are judged as in the rule
// set, which the caller knows.
func (f Figures) Limits(breaks clock.Breaks, signRequired bool) card.Limits {
	return card.Limits{Breaks: breaks, LongestShift: seconds(f.LongestShift), LateAfter: seconds(f.LateAfter),
		OverPlan: seconds(f.OverPlanAfter), MealDueAfter: seconds(f.MealDueAfter), MealWaived: seconds(f.MealWaivedUpTo),
		MissingAfter: seconds(f.MissingAfter), SignRequired: signRequired}
}

// Figures are those by which cards are judged from a worked date on, in
// seconds.
type Figures struct {
	StartsOn       when.Date `db:"starts_on"`
	LongestShift   int       `db:"longest_shift"`
	LateAfter      int       `db:"late_after"`
	OverPlanAfter  int       `db:"over_plan_after"`
	MealDueAfter   int       `db:"meal_due_after"`
	MealWaivedUpTo int       `db:"meal_waived_up_to"`
	MissingAfter   int       `db:"missing_after"`
}

// DatedFigures reads all figures, the oldest first.
func DatedFigures(ctx context.Context, q Q) ([]Figures, error) {
	var found []Figures
	err := q.SelectContext(ctx, &found, `select starts_on, longest_shift, late_after, over_plan_after, meal_due_after, meal_waived_up_to,
		missing_after from figures order by starts_on`)
	return found, err
}

// PutFigures sets the figures from a date on.
func PutFigures(ctx context.Context, q Q, f Figures) error {
	_, err := q.ExecContext(ctx, `insert into figures (starts_on, longest_shift, late_after, over_plan_after, meal_due_after,
		meal_waived_up_to, missing_after) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict (starts_on) do update set longest_shift = excluded.longest_shift, late_after = excluded.late_after,
		over_plan_after = excluded.over_plan_after,
		    meal_due_after = excluded.meal_due_after, meal_waived_up_to = excluded.meal_waived_up_to,
		    missing_after = excluded.missing_after`,
		f.StartsOn.String(), f.LongestShift, f.LateAfter, f.OverPlanAfter, f.MealDueAfter, f.MealWaivedUpTo, f.MissingAfter)
	return err
}
