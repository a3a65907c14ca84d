// Package job works out how jobs stand to their hours.
package job

// Pace is over how many days the pace of a job is taken.
const Pace = 14

// Budget is a job's hours: how many it has, 0 for none, how many were worked,
// and how many of those in the last [Pace] days. All are seconds.
type Budget struct{ Hours, Used, Lately int64 }

// Left is what is left of the hours; below zero they are passed.
func (b Budget) Left() int64 { return b.Hours - b.Used }

// Ends says in how many days the hours are used up at the pace of the last days,
// rounded down, 0 where they are already. It isn't known of a job without hours,
// nor of one on which nobody worked lately.
func (b Budget) Ends() (days int, known bool) {
	switch {
	case b.Hours <= 0:
		return 0, false
	case b.Left() <= 0:
		return 0, true
	case b.Lately <= 0:
		return 0, false
	}
	return int(b.Left() * Pace / b.Lately), true
}
