package roster

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// LateChange is a change of a shift that somebody was told of with little notice.
type LateChange struct {
	store.LateTold
	Loc   *time.Location
	Words string
}

// Late are those of a span.
type Late struct {
	Today  when.Date
	Days   when.Period // on which the shifts are
	Notice int         // days
	List   []LateChange
	More   bool
}

// mostLate is how many of them the page lists.
const mostLate = 300

// ReadLate reads which shifts of a span were changed, or taken out, with less than so many
// days' notice: those of new shifts aren't changes.
func ReadLate(ctx context.Context, a *app.App, actor app.Actor, days when.Period, notice int) (*Late, error) {
	if !actor.May("roster.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	l := &Late{Today: place.Today(a.Now()), Days: days, Notice: notice}
	if l.Days == (when.Period{}) {
		l.Days = when.Period{From: l.Today - 28, To: l.Today + 28}
	}
	switch {
	case notice < 1 || notice > 60:
		return nil, refusal.New("notice", "That is no number of days", "Write 1 to 60")
	case l.Days.Days() < 1 || l.Days.Days() > mostWorked:
		return nil, refusal.New("days", "That is no span of days", "Choose at most a year")
	}
	found, err := store.ToldLate(ctx, a.DB, l.Days, int64(notice)*day, actor.Units("roster.see"), mostLate+1)
	if err != nil {
		return nil, err
	}
	if l.More = len(found) > mostLate; l.More {
		found = found[:mostLate]
	}
	for _, f := range found {
		c := LateChange{LateTold: f}
		if c.Loc, err = time.LoadLocation(f.Zone); err != nil {
			return nil, err
		}
		was, is, err := f.Both()
		if err != nil {
			return nil, err
		}
		c.Words = changeWords(roster.Change{Was: was, Is: is}, map[uuid.UUID]store.PlannedShift{}, c.Loc)
		l.List = append(l.List, c)
	}
	return l, nil
}
