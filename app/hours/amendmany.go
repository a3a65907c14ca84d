package hours

import (
	"cmp"
	"context"
	"slices"
	"time"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// SameChange is the same change of several cards, its times of day those of
// each card's site.
type SameChange struct {
	Does      clock.AmendAct // EndRunning, AddStint, MoveStart of the first stint, MoveEnd of the last, or Reassign of all work
	At, Until time.Duration  // since midnight
	Kind      clock.Kind
	On        clock.Assignment
}

// Of lists what the change is on each of some cards, and the cards on which
// there is nothing that it could change.
func (c SameChange) Of(rows []DayRow) (changes []Change, none []DayRow) {
	for _, r := range rows {
		of := c.on(r)
		if len(of) == 0 {
			none = append(none, r)
		}
		changes = append(changes, of...)
	}
	return changes, none
}

func (c SameChange) on(r DayRow) []Change {
	one := Change{Employment: r.Employment, Does: c.Does, Kind: c.Kind, On: c.On}
	n := len(r.Stints)
	switch c.Does {
	case clock.AddStint:
		one.At = r.Date.At(c.At, r.Loc)
		one.Until = after(one.At, r.Date, c.Until, r.Loc)
		return []Change{one}
	case clock.EndRunning:
		for i := range r.Stints {
			if s := &r.Stints[i]; s.Open() || !s.Counted {
				one.Of, one.At = s.ID, after(s.Start, r.Date, c.At, r.Loc)
				return []Change{one}
			}
		}
	case clock.MoveStart:
		if n > 0 {
			one.Of, one.At = r.Stints[0].ID, r.Date.At(c.At, r.Loc)
			return []Change{one}
		}
	case clock.MoveEnd:
		if n > 0 && !r.Stints[n-1].Open() {
			one.Of, one.At = r.Stints[n-1].ID, after(r.Stints[0].Start, r.Date, c.At, r.Loc)
			return []Change{one}
		}
	case clock.Reassign:
		var all []Change
		for _, s := range r.Stints {
			if s.Kind == clock.Work && s.On != c.On {
				one.Of, one.Kind = s.ID, clock.Work
				all = append(all, one)
			}
		}
		return all
	}
	return nil
}

// after gives the first instant after another at which clocks show a time of
// day, no earlier than on a date.
func after(at time.Time, d when.Date, of time.Duration, loc *time.Location) time.Time {
	t := d.At(of, loc)
	for !t.After(at) {
		d++
		t = d.At(of, loc)
	}
	return t
}

// ReadRows reads some cards that a permission reaches, with their stints, in the
// order of the desk.
func ReadRows(ctx context.Context, a *app.App, actor app.Actor, permission string, refs []CardRef) ([]DayRow, error) {
	if !actor.May(permission) {
		return nil, app.ErrForbidden
	}
	if len(refs) == 0 {
		return nil, nil
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	f := store.CardFilter{From: refs[0].Date, To: refs[0].Date, Units: actor.Units(permission)}
	wanted := map[CardRef]bool{}
	for _, r := range refs {
		wanted[r] = true
		f.Among, f.On = append(f.Among, r.Employment), append(f.On, r.Date)
		f.From, f.To = min(f.From, r.Date), max(f.To, r.Date)
	}
	cards, err := store.Cards(ctx, a.DB, f)
	if err != nil {
		return nil, err
	}
	rows := rowsOf(pickCards(cards, func(c store.Card) bool { return wanted[CardRef{c.Employment, c.Date}] }))
	if err := judge(rows, actor, place, a.Now()); err != nil {
		return nil, err
	}
	return rows, fill(ctx, a, rows)
}

// WorkedOnDays lists what the stints and shifts of some cards are on, to put
// others on.
func WorkedOnDays(rows []DayRow) (found []store.ClockOption) {
	for _, r := range rows {
		for _, s := range r.Stints {
			c := store.ClockOption{Job: s.On.Job, Task: idOrNone(s.On.Task), Number: s.JobNumber, Name: s.JobName, TaskName: s.TaskName}
			if s.Kind == clock.Work && !slices.ContainsFunc(found, func(o store.ClockOption) bool {
				return o.Job == c.Job && store.IDOrNil(o.Task) == store.IDOrNil(c.Task)
			}) {
				found = append(found, c)
			}
		}
	}
	slices.SortFunc(found, func(a, b store.ClockOption) int {
		return cmp.Or(cmp.Compare(a.Number, b.Number), cmp.Compare(a.TaskName, b.TaskName))
	})
	return found
}
