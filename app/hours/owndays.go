package hours

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
)

// OwnDays is a pay period of the actor's own: its days by workweek, the newest first,
// and what was worked on which job.
type OwnDays struct {
	Period        when.Period
	Before, After when.Date // a day of the periods beside it; After is zero in the present one
	Weeks         []OwnWeek
	Jobs          []store.JobHours
	Worked        int64 // seconds, running ones counted till now
	Expected      int64 // of the days up to today
	Rests         int64 // that count as worked, on no job
	Signed        bool  // cards are signed here
	Year          store.YearSum
	YearOf        string
}

// OwnWeek is a workweek, as far as the period holds it.
type OwnWeek struct {
	From   when.Date
	Days   []DayRow
	Worked int64
}

// ReadOwnDays reads the actor's own days of the pay period that holds a date, zero
// for the present one: those there is something to say of, none still to come.
func ReadOwnDays(ctx context.Context, a *app.App, actor app.Actor, on when.Date) (*OwnDays, error) {
	place, who, loc, err := ownPosition(ctx, a, actor)
	if err != nil {
		return nil, err
	}
	now := a.Now()
	today := when.DateOf(now, loc)
	if on == 0 || on > today {
		on = today
	}
	d := &OwnDays{Signed: place.SignRequired}
	if d.Period, err = place.Periods().Of(on); err != nil {
		return nil, err
	}
	d.Before = d.Period.From - 1
	if d.Period.To < today {
		d.After = d.Period.To + 1
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: d.Period.From, To: min(d.Period.To, today), Employment: who.ID})
	if err != nil {
		return nil, fmt.Errorf("read own cards: %w", err)
	}
	rows := make([]DayRow, 0, len(cards))
	for i := len(cards) - 1; i >= 0; i-- { // they come by date
		if c := cards[i]; c.Worked > 0 || c.Running() || c.Due() > 0 || c.Leave > 0 || c.State != card.Open {
			rows = append(rows, DayRow{Card: c, Loc: loc, Own: true})
		}
	}
	if err := fill(ctx, a, rows); err != nil {
		return nil, err
	}
	for _, r := range rows {
		from := place.WeekOf(r.Date)
		if n := len(d.Weeks); n == 0 || d.Weeks[n-1].From != from {
			d.Weeks = append(d.Weeks, OwnWeek{From: from})
		}
		w := &d.Weeks[len(d.Weeks)-1]
		live := r.Live(now, place.Limits)
		w.Days, w.Worked = append(w.Days, r), w.Worked+live
		d.Worked += live
		d.Expected += r.Due()
	}
	for _, c := range cards {
		d.Rests += c.Worked
	}
	d.YearOf = strconv.Itoa(today.Year())
	if d.Year, err = store.SumYear(ctx, a.DB, who.ID, today); err != nil {
		return nil, err
	}
	d.Jobs, err = store.HoursByJob(ctx, a.DB, who.ID, d.Period)
	for _, j := range d.Jobs {
		d.Rests -= j.Seconds
	}
	return d, err
}

// ownPosition gives the company, the position in which the actor clocks, and its zone.
func ownPosition(ctx context.Context, a *app.App, actor app.Actor) (place *app.Company, who store.Employment, loc *time.Location,
	err error) {
	if actor.Scope("clock.see") == app.None || actor.Employment == nil {
		return nil, who, nil, app.ErrForbidden
	}
	if place, err = a.Company(ctx); err != nil {
		return nil, who, nil, err
	}
	if who, err = store.GetEmployment(ctx, a.DB, *actor.Employment); err != nil {
		return nil, who, nil, err
	}
	loc, err = who.Loc()
	return place, who, loc, err
}
