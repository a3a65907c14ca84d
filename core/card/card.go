// Package card works out day cards: one person's stints for one worked day,
// with totals, flags and the state that people's acts have brought it to.
package card

import (
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

// Limits are the figures of a place by which a card is judged. A zero length is
// not in force, but for LateAfter, OverPlan and MissingAfter.
type Limits struct {
	Breaks       clock.Breaks
	LongestShift time.Duration // a stint open longer doesn't count until somebody says when it ended
	LateAfter    time.Duration // clocked in this long after the shift began
	EarlyAfter   time.Duration // clocked in this long before the shift began
	LeftEarly    time.Duration // clocked out this long before the shift ended
	LeftLate     time.Duration // clocked out this long after the shift ended
	OverPlan     time.Duration // worked this much over the expected hours
	UnderPlan    time.Duration // worked this much less than expected
	MostADay     time.Duration // worked more than this in a day
	MostAWeek    time.Duration // worked more than this in a workweek
	ShortStint   time.Duration // a stint shorter than this
	Meals        clock.Meals   // when they are due
	MissingAfter time.Duration // planned and not clocked, this long after the shift began
	SignRequired bool
	Loc          *time.Location // of the place: a day without a shift is over the next noon there
}

// Plan is what was planned for the day: a shift, leave, expected time.
// Seconds throughout.
type Plan struct {
	ShiftFrom, ShiftTo time.Time // zero when no shift is planned
	Expected           int64     // by the shifts, else by the working pattern, leave not yet taken off
	Leave              int64
	LeaveName          string
	Holiday            bool
}

// Card is the worked-out day: what its stints and plan add up to. It holds
// nothing that depends on when it is looked at; see [Card.FlagsAt].
type Card struct {
	Plan
	Date        when.Date
	Worked      int64      // closed stints that count as hours worked, seconds
	Break       int64      // breaks that don't count, seconds
	OpenSince   time.Time  // start of the stint that is running, if one is
	OpenKind    clock.Kind // what is running
	First, Last time.Time  // begin of the first stint, end of the last closed one
	Flags       []Flag
	BroughtIn   bool // some of it was recorded elsewhere: of such a day only the hours are known
	Around
}

// Around is what else is known of a card when it is read, beyond what its own
// stints make it.
type Around struct {
	Expenses   bool   // something was spent on it
	NoClass    bool   // hours on public work without a classification
	NoJob      bool   // hours on no job, where there are jobs
	OutOfHours bool   // hours on a job whose budget of hours was used up that day, or before
	WeekWorked int64  // seconds worked in the workweek up to this day, where a week's limit is in force
	Off        []Code // flags that are not raised where the person works
	Requests   int    // changes that somebody asks for and nobody has answered
	Objections int    // to changes that were made, that nobody has answered
}

// Counted says whether a stint counts at now: neither while it runs past the
// longest shift nor when it was only ended by what began after that, for then
// nobody has said when it ended.
func (l Limits) Counted(s clock.Stint, now time.Time) bool {
	return l.LongestShift == 0 || !s.Open() && !s.Implied || s.Length(now) <= int64(l.LongestShift/time.Second)
}

// Evidence is what the punches of a day say beyond their stints.
type Evidence struct {
	OffSite float64       // metres from the site of the punch farthest outside its fence; 0 when none is
	Doubt   time.Duration // the largest contradiction of a device's clocks with each other
	Skew    time.Duration // the largest difference of a device's clock from the server's on a punch sent at once
	Unlaid  int           // amendments that what was clocked later leaves no room for
	Delay   time.Duration // by how much a punch was sent later, at most
	NoPlace bool          // a punch from the person's own device came without the place that is asked for
	Odd     []Code        // what is odd about the jobs that hours were put on: [ClosedJob], [NotTheirs]
}

// Work adds up the stints of one day, which are in order of time.
func Work(date when.Date, stints []clock.Stint, plan Plan, ev Evidence, lim Limits) Card {
	c := Card{Plan: plan, Date: date}
	var hand, delayed, brought bool
	for _, s := range stints {
		if c.First.IsZero() {
			c.First = s.Start
		}
		hand = hand || s.StartBy == clock.ByHand || s.EndBy == clock.ByHand
		brought = brought || s.HoursOnly()
		delayed = delayed || s.StartBy == clock.Delayed || s.EndBy == clock.Delayed
		if s.Open() {
			c.OpenSince, c.OpenKind = s.Start, s.Kind
			continue
		}
		c.Last = s.End
		if !lim.Counted(s, s.End) {
			continue
		}
		length := s.Length(s.End)
		counted := lim.Breaks.Counted(s.Kind, length)
		c.Worked, c.Break = c.Worked+counted, c.Break+length-counted
	}
	c.BroughtIn = brought
	c.Flags = c.flags(stints, hand, delayed, ev, lim)
	return c
}

// Running says whether somebody is on the clock on this card.
func (c Card) Running() bool { return !c.OpenSince.IsZero() }

// Due gives the seconds expected of the day: the pattern's, less leave, never
// below zero.
func (c Card) Due() int64 { return max(0, c.Expected-c.Leave) }

// Over gives worked less expected, signed: the "± day".
func (c Card) Over() int64 { return c.Worked - c.Due() }

// Empty says whether nothing is planned, expected or recorded.
func (c Card) Empty() bool {
	return c.First.IsZero() && c.ShiftFrom.IsZero() && c.Expected == 0 && c.Leave == 0
}
