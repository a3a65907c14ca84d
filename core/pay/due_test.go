package pay

import (
	"testing"
	"time"

	"manudex/core/when"
)

// A premium is paid by the run of the period in which its week, or overtime
// period, ends: on the very last day already (29 CFR 778.106).
func TestDue(t *testing.T) {
	week := when.NewDate(2026, 11, 15) // a Sunday
	weekly, fortnight := DefaultRules(time.UTC), DefaultRules(time.UTC)
	fortnight.Period = OvertimePeriod{Days: 14, Start: week, After: 80 * 3600}
	for _, c := range []struct {
		name  string
		rules Rules
		kind  LineKind
		to    when.Date
		due   bool
	}{
		{"a premium on the day before its week ends", weekly, OvertimePremium, week + 5, false},
		{"on the day it ends", weekly, OvertimePremium, week + 6, true},
		{"on the day after", weekly, OvertimePremium, week + 7, true},
		{"straight pay at once", weekly, Straight, week, true},
		{"of a fortnight, when its first week ends", fortnight, OvertimePremium, week + 6, false},
		{"on the day before it ends", fortnight, OvertimePremium, week + 12, false},
		{"on the day it ends", fortnight, OvertimePremium, week + 13, true},
	} {
		if due := c.rules.Due(Key{Week: week, Kind: c.kind}, c.to); due != c.due {
			t.Errorf("%s: due %v", c.name, due)
		}
	}
}
