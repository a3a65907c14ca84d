// Package roster holds the rules of the plan: what of it differs from what people were
// told, and what speaks against it.
package roster

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Shift is a planned stretch of somebody's work.
type Shift struct {
	ID         uuid.UUID
	Employment uuid.UUID
	Date       when.Date // the worked date
	Start, End time.Time
	Job, Task  uuid.UUID // zero for none
	Less       int       // seconds of unpaid breaks that are expected in it
	Note       string
	Series     uuid.UUID // that made it, zero for none; and of which date of it
	SeriesOn   when.Date
}

// Same says whether two shifts are the same to whom they are told.
func (s Shift) Same(o Shift) bool {
	return s.ID == o.ID && s.Employment == o.Employment && s.Date == o.Date && s.Start.Equal(o.Start) && s.End.Equal(o.End) &&
		s.Job == o.Job && s.Task == o.Task && s.Less == o.Less && s.Note == o.Note
}

// Seconds is how long it is, less the breaks in it.
func (s Shift) Seconds() int64 { return max(0, int64(s.End.Sub(s.Start)/time.Second)-int64(s.Less)) }

// Change is what of the plan somebody has not been told: Was is nil for what is new, Is for
// what is taken out.
type Change struct{ Was, Is *Shift }

// Of is whose change it is.
func (c Change) Of() uuid.UUID {
	if c.Is != nil {
		return c.Is.Employment
	}
	return c.Was.Employment
}

// ID is the shift's.
func (c Change) ID() uuid.UUID {
	if c.Is != nil {
		return c.Is.ID
	}
	return c.Was.ID
}

// Date is the day that it is about: the one it is on now.
func (c Change) Date() when.Date {
	if c.Is != nil {
		return c.Is.Date
	}
	return c.Was.Date
}

// Begins is when what changes begins: the earlier of what was and what is.
func (c Change) Begins() time.Time {
	switch {
	case c.Was == nil:
		return c.Is.Start
	case c.Is == nil || c.Was.Start.Before(c.Is.Start):
		return c.Was.Start
	}
	return c.Is.Start
}

// Differ gives what of a plan differs from what was told, by person, then by when it begins.
// A shift is always the same person's: what goes to another is another shift.
func Differ(told, planned []Shift) []Change {
	was := make(map[uuid.UUID]Shift, len(told))
	for _, s := range told {
		was[s.ID] = s
	}
	var changes []Change
	for _, s := range planned {
		before, known := was[s.ID]
		delete(was, s.ID)
		switch {
		case !known:
			changes = append(changes, Change{Is: &s})
		case before.Same(s):
		default:
			changes = append(changes, Change{Was: &before, Is: &s})
		}
	}
	for _, s := range was {
		changes = append(changes, Change{Was: &s})
	}
	slices.SortFunc(changes, func(a, b Change) int {
		ofA, ofB := a.Of(), b.Of()
		if n := slices.Compare(ofA[:], ofB[:]); n != 0 {
			return n
		}
		if n := a.Begins().Compare(b.Begins()); n != 0 {
			return n
		}
		idA, idB := a.ID(), b.ID()
		return slices.Compare(idA[:], idB[:])
	})
	return changes
}
