package store

import (
	"context"
	"strings"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
)

// Limits are the figures as core wants them. Breaks are judged as in the rule
// set, and so are meals where it says when they are due; the caller knows it.
func (f Figures) Limits(breaks clock.Breaks, meals clock.Meals, signRequired bool) card.Limits {
	if meals.Length == 0 {
		meals = clock.Meals{First: int64(f.MealDueAfter), FirstWaived: int64(f.MealWaivedUpTo),
			Length: int64(breaks.UnpaidMealFrom.Seconds())}
	}
	return card.Limits{Breaks: breaks, Meals: meals, LongestShift: seconds(f.LongestShift), LateAfter: seconds(f.LateAfter),
		EarlyAfter: seconds(f.EarlyAfter), LeftEarly: seconds(f.LeftEarly), LeftLate: seconds(f.LeftLate),
		OverPlan: seconds(f.OverPlanAfter), UnderPlan: seconds(f.UnderPlan), MostADay: seconds(f.MostADay),
		ShortStint: seconds(f.ShortStint), MissingAfter: seconds(f.MissingAfter), SignRequired: signRequired}
}

// Figures are those by which cards are judged from a worked date on, in
// seconds; 0 for what is not flagged.
type Figures struct {
	StartsOn       when.Date `db:"starts_on"`
	LongestShift   int       `db:"longest_shift"`
	LateAfter      int       `db:"late_after"`
	EarlyAfter     int       `db:"early_after"`
	LeftEarly      int       `db:"left_early"`
	LeftLate       int       `db:"left_late"`
	OverPlanAfter  int       `db:"over_plan_after"`
	UnderPlan      int       `db:"under_plan"`
	MostADay       int       `db:"most_a_day"`
	ShortStint     int       `db:"short_stint"`
	MealDueAfter   int       `db:"meal_due_after"`
	MealWaivedUpTo int       `db:"meal_waived_up_to"`
	MissingAfter   int       `db:"missing_after"`
}

// figureColumns are the columns of figures, those of the company among them.
var figureColumns = []string{"longest_shift", "late_after", "early_after", "left_early", "left_late", "over_plan_after", "under_plan",
	"most_a_day", "short_stint", "meal_due_after", "meal_waived_up_to", "missing_after"}

// values gives the figures in the order of figureColumns.
func (f Figures) values() []any {
	return []any{f.LongestShift, f.LateAfter, f.EarlyAfter, f.LeftEarly, f.LeftLate, f.OverPlanAfter, f.UnderPlan, f.MostADay, f.ShortStint,
		f.MealDueAfter, f.MealWaivedUpTo, f.MissingAfter}
}

// DatedFigures reads all figures, the oldest first.
func DatedFigures(ctx context.Context, q Q) ([]Figures, error) {
	var found []Figures
	err := q.SelectContext(ctx, &found, `select starts_on, `+strings.Join(figureColumns, ", ")+` from figures order by starts_on`)
	return found, err
}

// PutFigures sets the figures from a date on.
func PutFigures(ctx context.Context, q Q, f Figures) error {
	columns := append([]string{"starts_on"}, figureColumns...)
	return insertRows(ctx, q, "figures", columns, replacing("starts_on", columns), 1, func(int) []any {
		return append([]any{f.StartsOn.String()}, f.values()...)
	})
}
