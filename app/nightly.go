package app

import (
	"context"
	"time"

	"github.com/riverqueue/river"
)

// EachNight is when clocks in the company's zone show a time of day.
func EachNight(a *App, of time.Duration) river.PeriodicSchedule { return nightly{a, of} }

type nightly struct {
	app *App
	of  time.Duration
}

// Next gives when it is due after an instant.
func (n nightly) Next(after time.Time) time.Time {
	loc := time.UTC
	if c, err := n.app.Company(context.Background()); err == nil {
		loc = c.Loc
	}
	return nextAt(after, n.of, loc)
}

// nextAt gives the next instant after another at which clocks in a zone show a
// time of day.
func nextAt(after time.Time, of time.Duration, loc *time.Location) time.Time {
	y, m, d := after.In(loc).Date()
	for ; ; d++ {
		if at := time.Date(y, m, d, 0, int(of.Minutes()), 0, 0, loc); at.After(after) {
			return at
		}
	}
}
