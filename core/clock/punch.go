// Package clock turns punches into stints.
//
// A punch is one recorded act at a clock point and is never changed. A stint
// is one unbroken stretch of a person's time on one job and task, or on one
// break. [Derive] is the only way from one to the other and takes any
// sequence of punches: what makes no sense in its place is left out and
// reported, never lost. [Check] says beforehand whether a punch made now
// would make sense.
package clock

import (
	"cmp"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/geo"
)

// Act is what a punch does.
type Act string

// The acts a clock point can record.
const (
	In         Act = "in"
	Out        Act = "out"
	Switch     Act = "switch"
	BreakStart Act = "break_start"
	BreakEnd   Act = "break_end"
)

// Kind is what a stint is.
type Kind string

// The kinds of stint.
const (
	Work Kind = "work"
	Meal Kind = "meal"
	Rest Kind = "rest"
)

// Assignment is what a person works on. The zero UUID stands for "none". Account is that
// to which these hours are booked, where somebody said one for them.
type Assignment struct {
	Job, Task, Class uuid.UUID
	Account          string
}

// Punch is one recorded act. Claimed is what the person says, in whole
// seconds; Device is what the device's own clock said (zero when it said
// nothing); Received is when the server wrote it down.
type Punch struct {
	ID                        uuid.UUID
	Act                       Act
	Break                     Kind // Meal or Rest, for BreakStart
	On                        Assignment
	Marks                     Marks // those that its act can set
	Point                     Point
	Place                     *geo.Point
	Ahead                     bool          // claimed a time that had not come; stored at Received
	Doubt                     time.Duration // how far the device's clocks contradict each other; see [Moment.At]
	Claimed, Device, Received time.Time

	said bool // no punch, but an amendment that says when what was running ended
}

// Provenance says what an edge of a stint rests on.
type Provenance string

// The provenances of an edge.
const (
	Clocked Provenance = "clocked" // claimed and recorded within a minute
	Delayed Provenance = "delayed" // a device recorded it then and sent it later
	ByHand  Provenance = "hand"    // somebody said so afterwards

	BroughtIn Provenance = "brought_in" // worked before the place came, and told of by a file
	Reported  Provenance = "reported"   // somebody said how long, and not from when to when
	ByPlan    Provenance = "by_plan"    // the plan, as nothing else was reported
)

const sameMoment = 60 * time.Second

// Provenance of the edge that a punch makes.
func (p Punch) Provenance() Provenance {
	switch {
	case p.said:
		return ByHand
	case p.Received.Sub(p.Claimed).Abs() <= sameMoment:
		return Clocked
	case p.Point.Queued():
		return Delayed
	case !p.Device.IsZero() && p.Device.Sub(p.Claimed).Abs() <= sameMoment:
		return Delayed
	}
	return ByHand
}

// Settle fixes the claimed instant of a punch received at now: whole seconds,
// and never in the future. A punch that claims nothing claims now.
func (p Punch) Settle(now time.Time) Punch {
	p.Received = now
	if p.Claimed.IsZero() {
		p.Claimed = now
	}
	if p.Claimed.After(now) {
		p.Ahead = p.Claimed.Sub(now) > time.Second
		p.Claimed = now
	}
	p.Claimed = p.Claimed.Truncate(time.Second)
	return p
}

// Same says whether a punch sent again under one id is the act that is stored
// already. What the server adds (Received) and what a second sending may
// change (the device's clock) don't count, and a claimed instant counts only
// when the sender names one and the stored one is not the server's own.
func (p Punch) Same(again Punch) bool {
	if !again.Claimed.IsZero() && !p.Ahead && !again.Claimed.Truncate(time.Second).Equal(p.Claimed) {
		return false
	}
	return p.Act == again.Act && p.Break == again.Break && p.On == again.On && p.Marks.same(again.Marks)
}

// SortPunches puts punches into the order in which they count.
func SortPunches(ps []Punch) {
	slices.SortFunc(ps, func(a, b Punch) int {
		return cmp.Or(a.Claimed.Compare(b.Claimed), a.Received.Compare(b.Received), slices.Compare(a.ID[:], b.ID[:]))
	})
}
