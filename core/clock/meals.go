package clock

import "time"

// Meals says when meals are due, in seconds of hours worked: the first by First,
// unless no more than FirstWaived is worked in all, and the second alike. Second
// is 0 where none is due. Any time off duty of at least Length is a meal, whether
// it was recorded as one or as clocking out and in again (California Labor Code
// 512).
type Meals struct {
	First, FirstWaived, Second, SecondWaived int64
	Length                                   int64
}

// Worked is a stretch of time that counts as worked: Unix seconds.
type Worked struct{ From, To int64 }

// Missed is a meal that was due and did not begin in time.
type Missed struct {
	Second bool
	Due    int64 // Unix time by which it had to begin
	During int   // the stretch that was worked then
}

// Missed judges the stretches of a day, in order of time: it gives the first meal
// that was due and did not begin in time. The card's flag, the worker's reminder
// and the premium read this answer.
func (m Meals) Missed(day []Worked) (Missed, bool) {
	var worked int64
	var taken []int64 // worked when each meal began
	for i, w := range day {
		if worked > 0 && w.From-day[i-1].To >= m.Length {
			taken = append(taken, worked)
		}
		worked += w.To - w.From
	}
	inTime := func(before int64) int {
		n := 0
		for n < len(taken) && taken[n] <= before {
			n++
		}
		return n
	}
	switch {
	case m.Length == 0 || m.First == 0:
		return Missed{}, false
	case worked > m.First && worked > m.FirstWaived && inTime(m.First) < 1:
		return dueIn(day, m.First, false), true
	case m.Second > 0 && worked > m.Second && worked > m.SecondWaived && inTime(m.Second) < 2:
		return dueIn(day, m.Second, true), true
	}
	return Missed{}, false
}

// dueIn finds the stretch during which so much of the day had been worked.
func dueIn(day []Worked, after int64, second bool) Missed {
	sum := int64(0)
	for i, w := range day {
		if n := w.To - w.From; sum+n >= after {
			return Missed{second, w.From + after - sum, i}
		} else {
			sum += n
		}
	}
	panic("clock: a meal was due after more than was worked")
}

// Unfed says from when on so much has been worked of an attendance that a meal is taken
// out of it by itself: zero where one was recorded, or where what runs is no work and not
// enough was. Its stints are in order of time; the last may be running.
func Unfed(attendance []Stint, after time.Duration, breaks Breaks) time.Time {
	left := after
	for _, s := range attendance {
		if s.Kind == Meal || s.Open() && s.Kind != Work {
			return time.Time{}
		}
		counted := time.Duration(breaks.Counted(s.Kind, int64(s.End.Sub(s.Start)/time.Second))) * time.Second
		if s.Open() || counted > left {
			return s.Start.Add(left)
		}
		left -= counted
	}
	return time.Time{}
}
