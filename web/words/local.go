package words

import "time"

// Local is an instant and the zone in which it is shown. Pages are given
// instants as this alone: one without a zone doesn't say when it was.
type Local struct{ t time.Time }

// At gives an instant for those who read it in a zone.
func At(t time.Time, loc *time.Location) Local { return Local{t.In(loc)} }

// Clock is the time of day, "15:04".
func (l Local) Clock() string { return l.t.Format("15:04") }

// Moment is the day and the time of it, "Mon 2 Jan 15:04".
func (l Local) Moment() string { return l.t.Format("Mon 2 Jan 15:04") }

// Day is the day alone, "2 Jan".
func (l Local) Day() string { return l.t.Format("2 Jan") }

// Whole is the day with its year and the time of it, "2 Jan 2006, 15:04".
func (l Local) Whole() string { return l.t.Format("2 Jan 2006, 15:04") }

// Stamp is that to the second, "2006-01-02 15:04:05".
func (l Local) Stamp() string { return l.t.Format("2006-01-02 15:04:05") }

// By is when something is due, "Mon 2 Jan, 15:04".
func (l Local) By() string { return l.t.Format("Mon 2 Jan, 15:04") }
