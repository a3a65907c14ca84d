package pay

import (
	"cmp"
	"fmt"
	"slices"
	"time"
)

// join puts stints in order and makes one of those that meet and are alike in
// all that pay depends on.
func join(given []Stint) ([]Stint, error) {
	byTime := func(a, b Stint) int {
		return cmp.Or(a.Start.Compare(b.Start), a.End.Compare(b.End), cmp.Compare(a.ID, b.ID))
	}
	if !slices.IsSortedFunc(given, byTime) {
		given = slices.Clone(given)
		slices.SortFunc(given, byTime)
	}
	meet := false
	for i := range given {
		s := &given[i]
		if !s.End.After(s.Start) {
			return nil, fmt.Errorf("stint %s ends at or before its start %s", s.ID, s.Start.Format(time.RFC3339))
		}
		if i == 0 {
			continue
		}
		last := &given[i-1]
		if s.Start.Before(last.End) {
			return nil, fmt.Errorf("stint %s starts at %s, before stint %s ends at %s", s.ID, s.Start.Format(time.RFC3339), last.ID,
				last.End.Format(time.RFC3339))
		}
		meet = meet || s.Start.Equal(last.End) && alike(s, last)
	}
	if !meet {
		return given, nil
	}
	joined := make([]Stint, 0, len(given))
	for _, s := range given {
		if n := len(joined); n > 0 && s.Start.Equal(joined[n-1].End) && alike(&s, &joined[n-1]) {
			joined[n-1].End, joined[n-1].NoMeal = s.End, joined[n-1].NoMeal || s.NoMeal
			continue
		}
		joined = append(joined, s)
	}
	return joined, nil
}

func alike(a, b *Stint) bool {
	return a.Kind == b.Kind && a.Rate == b.Rate && a.Paid == b.Paid && a.Job == b.Job &&
		a.Task == b.Task && a.WorkClass == b.WorkClass && a.HoursOnly == b.HoursOnly && a.Account == b.Account &&
		a.PayCode == b.PayCode && a.Callout == b.Callout &&
		a.PremiumPerHour == b.PremiumPerHour && a.FringeCash == b.FringeCash && a.FringePlan == b.FringePlan
}
