package clock

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Difference is what becomes of stints when something is recorded.
type Difference struct {
	Gone  []uuid.UUID // that are no more
	Put   []Stint     // as they are now, those that are new or changed
	Dates []when.Date // of those, before and now
	// From and To span all that the stints that changed rest on, before and now,
	// what was clocked included; both zero where none changed.
	From, To time.Time
}

// Compare says what became of stints. What is running lasts to now.
func Compare(was, is []Stint, now time.Time) (d Difference) {
	for _, s := range was {
		i := slices.IndexFunc(is, func(n Stint) bool { return n.ID == s.ID })
		if i < 0 {
			d.Gone = append(d.Gone, s.ID)
		}
		if i < 0 || is[i] != s {
			d.touch(s, now)
		}
	}
	for _, s := range is {
		if !slices.Contains(was, s) {
			d.Put = append(d.Put, s)
			d.touch(s, now)
		}
	}
	return d
}

// Touch counts a date among those that changed.
func (d *Difference) Touch(date when.Date) {
	if !slices.Contains(d.Dates, date) {
		d.Dates = append(d.Dates, date)
	}
}

func (d *Difference) touch(s Stint, now time.Time) {
	d.Touch(s.Date)
	for _, at := range []time.Time{s.Start, s.ClockedStart, s.End, s.ClockedEnd} {
		d.span(at)
	}
	if s.Open() {
		d.span(now)
	}
}

func (d *Difference) span(at time.Time) {
	if at.IsZero() {
		return
	}
	if d.From.IsZero() || at.Before(d.From) {
		d.From = at
	}
	if at.After(d.To) {
		d.To = at
	}
}
