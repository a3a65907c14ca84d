package clock

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// staysOf reads "07:00-12:00 Yard, 12:30- Quay, 15:00-16:00 ?Yard"; a ? is
// planned.
func staysOf(t *testing.T, text string) (stays []Stay) {
	t.Helper()
	at := func(s string) time.Time {
		if s == "" {
			return time.Time{}
		}
		of, err := time.Parse("15:04", s)
		if err != nil {
			t.Fatal(err)
		}
		return of
	}
	for part := range strings.SplitSeq(text, ", ") {
		span, place, _ := strings.Cut(part, " ")
		from, to, _ := strings.Cut(span, "-")
		name, planned := strings.CutPrefix(place, "?")
		stays = append(stays, Stay{at(from), at(to), name, planned})
	}
	return stays
}

func TestStops(t *testing.T) {
	for name, c := range map[string]struct{ stays, want string }{
		"one place":             {"07:00-12:00 Yard, 12:30-15:00 Yard", "07:00 Yard"},
		"a meal between":        {"07:00-12:00 Yard, 12:30-15:00 Quay", "07:00 Yard → 12:30 Quay"},
		"the first comes early": {"06:54- Yard, 07:00- Yard", "06:54 Yard"},
		"one goes ahead": {"07:00-11:30 Yard, 07:00-12:00 Yard, 07:00-12:10 Yard, 11:30- Quay, 12:00- Quay, 12:10- Quay",
			"07:00 Yard → 12:00 Quay"},
		"half and half stay":    {"07:00-12:00 Yard, 07:00- Yard, 12:00- Quay", "07:00 Yard"},
		"two begin apart":       {"07:00- Quay, 07:00- Anchorage", "07:00 Anchorage"},
		"there and back":        {"07:00-09:00 Yard, 09:00-10:00 Quay, 10:00- Yard", "07:00 Yard → 09:00 Quay → 10:00 Yard"},
		"what is to come":       {"07:00- Yard, 12:00-15:00 ?Quay, 12:05-15:00 ?Quay, 11:00-12:00 ?Yard", "07:00 Yard → (12:00 Quay)"},
		"only what is to come":  {"12:00-15:00 ?Quay", "(12:00 Quay)"},
		"all left, and then on": {"07:00-09:00 Yard, 13:00-15:00 ?Yard", "07:00 Yard"},
		"in whatever order":     {"09:00-10:00 Quay, 07:00-09:00 Yard", "07:00 Yard → 09:00 Quay"},
	} {
		var got []string
		for _, s := range Stops(staysOf(t, c.stays)) {
			text := fmt.Sprintf("%s %s", s.At.Format("15:04"), s.Place)
			if s.Planned {
				text = "(" + text + ")"
			}
			got = append(got, text)
		}
		if line := strings.Join(got, " → "); line != c.want {
			t.Errorf("%s: %s, want %s", name, line, c.want)
		}
	}
	if len(Stops(nil)) != 0 {
		t.Error("stops of nobody")
	}
}
