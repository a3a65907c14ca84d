package clock

import "time"

// Breaks says which breaks count as hours worked. Defaults: a rest of at most
// 20 minutes counts (29 CFR 785.18); a meal of at least 30 does not (785.19).
type Breaks struct {
	PaidRestUpTo   time.Duration
	UnpaidMealFrom time.Duration
	OnlyExcess     bool // of a rest beyond PaidRestUpTo only what lies beyond doesn't count, and not the whole
}

// USBreaks are the figures of 29 CFR 785.18 and .19.
var USBreaks = Breaks{PaidRestUpTo: 20 * time.Minute, UnpaidMealFrom: 30 * time.Minute}

// Counted gives how many seconds of a stint of a kind and a length in seconds, from its begin and
// measured on raw time, count as hours worked.
func (b Breaks) Counted(kind Kind, seconds int64) int64 {
	upTo := int64(b.PaidRestUpTo / time.Second)
	switch {
	case kind == Rest && seconds > upTo && b.OnlyExcess:
		return upTo
	case kind == Rest && seconds > upTo, kind == Meal && seconds >= int64(b.UnpaidMealFrom/time.Second):
		return 0
	}
	return seconds
}

// Alike says whether a meal and a rest are the same: whatever their length, both count as
// hours worked, or neither does. Then there is one kind of break, recorded as a meal.
func (b Breaks) Alike() bool { return b.PaidRestUpTo <= 0 && b.UnpaidMealFrom <= 0 }
