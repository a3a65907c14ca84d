package card

import (
	"time"

	"manudex/core/when"
)

// Pattern is a working pattern in force from a date: the seconds expected on
// each weekday, Sunday first, and where they have a time, from when to when one
// is there, in seconds of the local day. An end not after its start is on the
// day after.
type Pattern struct {
	From         when.Date `json:"from"`
	Seconds      [7]int64  `json:"seconds"`
	Starts, Ends [7]*int64
}

// Usual is what a working pattern says of one date.
type Usual struct {
	Seconds  int64     // expected to be worked
	From, To time.Time // from when to when, zero where the pattern has no times
}

// UsualOn gives what the patterns of an employment, in any order, say of a date
// in a zone: the last that has begun does. A holiday asks for nothing, nor does a
// date before the first pattern. Local times that a clock change skips or repeats
// are taken as [when.Date.At] does. Leave is not yet taken off; see [Card.Due].
func UsualOn(d when.Date, patterns []Pattern, holiday bool, loc *time.Location) Usual {
	if holiday {
		return Usual{}
	}
	var in *Pattern
	for i := range patterns {
		if p := &patterns[i]; p.From <= d && (in == nil || p.From > in.From) {
			in = p
		}
	}
	if in == nil {
		return Usual{}
	}
	day := d.Weekday()
	u := Usual{Seconds: in.Seconds[day]}
	if from, to := in.Starts[day], in.Ends[day]; u.Seconds > 0 && from != nil && to != nil {
		ends := d
		if *to <= *from {
			ends++
		}
		u.From, u.To = d.At(time.Duration(*from)*time.Second, loc), ends.At(time.Duration(*to)*time.Second, loc)
	}
	return u
}

// Planned gives the plan of a day on which this is usual. Where shifts are planned by name
// they stay what is expected; where none is, who has leave that day isn't looked for at a
// time.
func (u Usual) Planned(p Plan) Plan {
	if !p.ShiftFrom.IsZero() {
		return p
	}
	p.Expected = u.Seconds
	if p.Leave == 0 {
		p.ShiftFrom, p.ShiftTo = u.From, u.To
	}
	return p
}
