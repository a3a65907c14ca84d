package roster

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// WorkedBy are the things that planned and worked hours are held against each other by.
var WorkedBy = []string{"person", "job", "crew", "site", "day", "week"}

// Worked is planned against worked hours of a span.
type Worked struct {
	Today   when.Date
	Days    when.Period
	By      string
	Rows    []store.PlannedWorked
	Planned int64
	Worked  int64
	Most    int64 // the most that is planned or worked in one row
}

// mostWorked is over how many days they are held against each other.
const mostWorked = 366

// ReadWorked reads them, of days that are over: what is to come isn't worked yet.
func ReadWorked(ctx context.Context, a *app.App, actor app.Actor, days when.Period, by string, unit uuid.UUID) (*Worked, error) {
	if !actor.May("roster.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	w := &Worked{Today: place.Today(a.Now()), Days: days, By: by}
	if w.Days == (when.Period{}) {
		w.Days = when.Period{From: w.Today - 14, To: w.Today - 1}
	}
	w.Days.To = min(w.Days.To, w.Today-1)
	switch {
	case !slices.Contains(WorkedBy, by):
		return nil, app.ErrNotFound
	case w.Days.Days() < 1 || w.Days.Days() > mostWorked:
		return nil, refusal.New("days", "That is no span of days that are over", "Choose at most a year, before today")
	}
	units := actor.Units("roster.see")
	if unit != uuid.Nil {
		if units != nil && !slices.Contains(units, unit) {
			return nil, app.ErrNotFound
		}
		units = []uuid.UUID{unit}
	}
	first := time.Sunday
	if set := place.RuleSetOn(w.Today); set != nil {
		first = set.Rules.FirstDay(w.Today).Weekday()
	}
	w.Rows, err = store.PlannedAgainstWorked(ctx, a.DB, by, w.Days, int(first), units)
	for _, r := range w.Rows {
		w.Planned, w.Worked, w.Most = w.Planned+r.Planned, w.Worked+r.Worked, max(w.Most, r.Planned, r.Worked)
	}
	return w, err
}
