package card

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
