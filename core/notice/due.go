package notice

import (
	"time"

	"manudex/core/when"
)

// Quiet are the hours in which somebody wants no message, in seconds of the local day;
// they may go past midnight. As long as both are the same there are none.
type Quiet struct{ From, To int }

// At says whether an instant is within them, and when they end.
func (q Quiet) At(now time.Time, loc *time.Location) (ends time.Time, within bool) {
	if q.From == q.To {
		return time.Time{}, false
	}
	from, to := time.Duration(q.From)*time.Second, time.Duration(q.To)*time.Second
	for day := when.DateOf(now, loc) - 1; day <= when.DateOf(now, loc); day++ {
		begin, end := day.At(from, loc), day.At(to, loc)
		if q.To < q.From {
			end = (day + 1).At(to, loc)
		}
		if !now.Before(begin) && now.Before(end) {
			return end, true
		}
	}
	return time.Time{}, false
}

// Gather is for how long after a message the next ones to the same person are gathered
// into one.
const Gather = 10 * time.Minute

// Waiting is one notice that is to go out.
type Waiting struct {
	About time.Time // when what it tells of happens, zero where that is no time: it can't wait past it
}

// Due says whether what waits for somebody goes out now, all of it in one message. Last is
// when their last one was made, zero for never. What tells of something that happens
// before they would hear of it goes at once, and takes the rest along.
func Due(now time.Time, quiet Quiet, loc *time.Location, last time.Time, waiting []Waiting) bool {
	if len(waiting) == 0 {
		return false
	}
	until := now
	if ends, within := quiet.At(now, loc); within {
		until = ends
	}
	if gathered := last.Add(Gather); !last.IsZero() && gathered.After(until) {
		until = gathered
	}
	if !until.After(now) {
		return true
	}
	for _, w := range waiting {
		if !w.About.IsZero() && w.About.Before(until) {
			return true
		}
	}
	return false
}
