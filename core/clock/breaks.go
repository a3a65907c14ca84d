package clock

import "time"

// Breaks says which breaks count as hours worked. Defaults: a rest of at most
// 20 minutes counts (29 CFR 785.18); a meal of at least 30 does not (785.19).
type Breaks struct {
	PaidRestUpTo   time.Duration
	UnpaidMealFrom time.Duration
}

// USBreaks are the figures of 29 CFR 785.18 and .19.
var USBreaks = Breaks{20 * time.Minute, 30 * time.Minute}

// Counts says whether a stint of a kind and a length in seconds, measured on
// raw time, counts as hours worked.
func (b Breaks) Counts(kind Kind, seconds int64) bool {
	switch kind {
	case Rest:
		return seconds <= int64(b.PaidRestUpTo/time.Second)
	case Meal:
		return seconds < int64(b.UnpaidMealFrom/time.Second)
	}
	return true
}

// Alike says whether a meal and a rest are the same: whatever their length, both count as
// hours worked, or neither does. Then there is one kind of break, recorded as a meal.
func (b Breaks) Alike() bool { return b.PaidRestUpTo <= 0 && b.UnpaidMealFrom <= 0 }
