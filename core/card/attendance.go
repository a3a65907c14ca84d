package card

import "manudex/core/when"

// Pattern is a working pattern in force from a date: the seconds expected on
// each weekday, Sunday first.
type Pattern struct {
	From    when.Date `json:"from"`
	Seconds [7]int64  `json:"seconds"`
}

// Expected gives the seconds expected of a date by the patterns of an
// employment, in any order: those of the last that has begun. A holiday asks
// for nothing, nor does a date before the first pattern. Leave is not yet
// taken off; see [Card.Due].
func Expected(d when.Date, patterns []Pattern, holiday bool) int64 {
	if holiday {
		return 0
	}
	var in *Pattern
	for i := range patterns {
		if p := &patterns[i]; p.From <= d && (in == nil || p.From > in.From) {
			in = p
		}
	}
	if in == nil {
		return 0
	}
	return in.Seconds[d.Weekday()]
}

// Attendance adds up days: what was expected of them, what was worked, and
// the difference. Over is the sum of the positive differences alone: an hour
// too many on Monday is not made undone by one too few on Friday. Seconds
// throughout.
type Attendance struct {
	Expected, Worked int64
	Over             int64
}

// Add adds a day.
func (a *Attendance) Add(c Card) {
	a.Expected += c.Due()
	a.Worked += c.Worked
	a.Over += max(0, c.Over())
}

// Balance gives worked less expected, signed.
func (a Attendance) Balance() int64 { return a.Worked - a.Expected }

// Attended adds up cards.
func Attended(cards ...Card) Attendance {
	var a Attendance
	for _, c := range cards {
		a.Add(c)
	}
	return a
}
