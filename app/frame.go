package app

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"manudex/core/when"
	"manudex/store"
)

// Frame is what the page around every screen shows.
type Frame struct {
	Company  string
	AskWhom  string
	Word     JobWord
	Running  int // people on the clock
	Claims   int // and changes asked for, that wait, of those whose time the actor may change
	Period   when.Period
	Days     []store.RailDay // of the period, one for each date
	Today    when.Date
	Picked   when.Period
	ClosesAt time.Time
	Calendar []PayDates // of the days, where groups have pay periods of their own and the actor sees pay runs
}

// ReadFrame reads the rail and the count for a screen on which days are
// picked. A zero period picks today.
func (a *App) ReadFrame(ctx context.Context, actor Actor, picked when.Period) (*Frame, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	f := &Frame{Company: place.Name, AskWhom: place.WhomToAsk, Word: JobWord(place.JobWord), Today: place.Today(a.Now()), Picked: picked}
	if picked == (when.Period{}) {
		f.Picked = when.Period{From: f.Today, To: f.Today}
	}
	if f.Period, err = place.Periods().Of(f.Picked.From); err != nil {
		return nil, err
	}
	f.ClosesAt = ClosesFrom(place, f.Period)
	if !actor.May("timecards.see") {
		return f, nil
	}
	if actor.May("time.edit") {
		claims, err := store.CountOpenClaims(ctx, a.DB, actor.Units("time.edit"))
		if err != nil {
			return nil, err
		}
		asked, err := store.CountOpenRequests(ctx, a.DB, actor.Units("time.edit"))
		if err != nil {
			return nil, err
		}
		f.Claims = claims + asked
	}
	units := actor.Units("timecards.see")
	if f.Running, err = store.CountRunning(ctx, a.DB, units); err != nil {
		return nil, err
	}
	days, err := store.Rail(ctx, a.DB, f.Period, units)
	if err != nil {
		return nil, fmt.Errorf("read the rail: %w", err)
	}
	for _, d := range f.Period.Dates() {
		day := store.RailDay{Date: d}
		if i, ok := slices.BinarySearchFunc(days, d, func(r store.RailDay, d when.Date) int { return cmp.Compare(r.Date, d) }); ok {
			day = days[i]
		}
		f.Days = append(f.Days, day)
	}
	if actor.May("payrun.see") {
		f.Calendar, err = PayCalendar(ctx, a.DB, place, f.Period)
	}
	return f, err
}
