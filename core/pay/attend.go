package pay

import "manudex/core/clock"

// treatment says how a stretch of time is paid.
type treatment uint8

const (
	unpaidTime treatment = iota
	workTime             // hours worked
	paidTime             // paid, and not hours worked
)

// span is a stint, or a part of one, on its way to being paid. Times are Unix
// seconds.
type span struct {
	from, to   int64
	stint      int32
	attendance int32
	run        int32 // hours worked without a gap other than unpaid meals
	how        treatment
	meal       bool
	whole      bool // its length stands; see [Stint.HoursOnly]
	counted    bool // the part of a long rest that counts as hours worked: its length stands, whatever its begin is rounded to
}

func (s span) length() int64 { return s.to - s.from }

// attendance is a run of spans with short gaps: spans[first:last].
type attendance struct {
	begin, end  int64
	first, last int32
	planned     int64 // seconds
	callout     bool
	meal        bool // a meal was recorded in it, they say that they had none, or its breaks aren't known
}

// attend judges breaks on raw time and gathers the stints into attendances. A
// stint marked as a call-out begins one, unless it goes on from a call-out
// without a gap.
func attend(spans []span, attendances []attendance, stints []Stint, rules *Rules) ([]span, []attendance) {
	var run int32
	for i := range stints {
		s := &stints[i]
		from, to := s.Start.Unix(), s.End.Unix()
		gap := int64(0)
		if i > 0 {
			gap = from - spans[len(spans)-1].to
		}
		n := len(attendances)
		if i == 0 || gap >= rules.NewAttendanceAfter || s.Callout && (gap > 0 || !attendances[n-1].callout) {
			attendances = append(attendances, attendance{begin: from, first: int32(len(spans)), callout: s.Callout, planned: s.Planned})
			n++
		}
		a := &attendances[n-1]
		a.end, a.meal = to, a.meal || s.Kind == clock.Meal || s.HoursOnly || s.NoMeal
		how := treat(s, to-from, rules.Breaks)
		if gap > 0 {
			run++
		}
		one := span{from: from, to: to, stint: int32(i), attendance: int32(n - 1), run: run, how: how, meal: s.Kind == clock.Meal,
			whole: s.HoursOnly}
		if counted := rules.Breaks.Counted(s.Kind, to-from); how == unpaidTime && counted > 0 { // of a long rest only the excess is unpaid
			within := one
			within.to, within.how, within.counted = from+counted, workTime, true
			one.from = within.to
			spans = append(spans, within)
		}
		spans = append(spans, one)
		a.last = int32(len(spans))
		if how != workTime && s.Kind != clock.Meal {
			run++ // a long rest ends the run, a meal doesn't
		}
	}
	return spans, attendances
}

// treat says how a stint of a raw length is paid: by its kind and length (29
// CFR 785.18, 785.19), or as its override says.
func treat(s *Stint, seconds int64, breaks clock.Breaks) treatment {
	switch {
	case s.Paid == AsWork, s.Paid == ByKind && breaks.Counted(s.Kind, seconds) == seconds:
		return workTime
	case s.Paid == NotAsWork:
		return paidTime
	}
	return unpaidTime
}
