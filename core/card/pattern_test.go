package card

import (
	"testing"
	"time"

	"manudex/core/when"
)

// What a pattern with times plans: by day and by night, and on the days of both
// clock changes of 2026 (United States: 8 March and 1 November, at 02:00 local
// time; 15 U.S.C. 260a).
func TestUsualOn(t *testing.T) {
	zone, err := time.LoadLocation("America/Chicago")
	if err != nil {
		t.Fatal(err)
	}
	at := func(hours float64) *int64 { s := h(hours); return &s }
	pattern := Pattern{From: when.NewDate(2026, 3, 1)}
	for d := range 7 {
		pattern.Seconds[d], pattern.Starts[d], pattern.Ends[d] = h(8), at(7), at(15.5)
	}
	pattern.Starts[0], pattern.Ends[0] = at(2.5), at(11) // Sundays, when clocks change
	pattern.Starts[5], pattern.Ends[5] = at(22), at(6.5) // a night into Saturday
	pattern.Starts[6], pattern.Ends[6], pattern.Seconds[2] = nil, nil, 0
	for _, c := range []struct {
		name     string
		day      when.Date
		seconds  int64
		from, to string
	}{
		{"a day", when.NewDate(2026, 3, 4), h(8), "2026-03-04T07:00:00-06:00", "2026-03-04T15:30:00-06:00"},
		{"a night", when.NewDate(2026, 3, 6), h(8), "2026-03-06T22:00:00-06:00", "2026-03-07T06:30:00-06:00"},
		{"a time that is skipped", when.NewDate(2026, 3, 8), h(8), "2026-03-08T03:30:00-05:00", "2026-03-08T11:00:00-05:00"},
		{"after the clock went back", when.NewDate(2026, 11, 1), h(8), "2026-11-01T02:30:00-06:00", "2026-11-01T11:00:00-06:00"},
		{"a day without times", when.NewDate(2026, 3, 7), h(8), "", ""},
		{"times on a day without hours", when.NewDate(2026, 3, 3), 0, "", ""},
		{"before the pattern", when.NewDate(2026, 2, 25), 0, "", ""},
	} {
		got := UsualOn(c.day, []Pattern{pattern}, false, zone)
		text := func(t time.Time) string {
			if t.IsZero() {
				return ""
			}
			return t.Format(time.RFC3339)
		}
		if got.Seconds != c.seconds || text(got.From) != c.from || text(got.To) != c.to {
			t.Errorf("%s: %d from %s to %s", c.name, got.Seconds, text(got.From), text(got.To))
		}
		if u := UsualOn(c.day, []Pattern{pattern}, true, zone); u != (Usual{}) {
			t.Errorf("%s, a holiday: %+v", c.name, u)
		}
	}
}

// A shift that was planned by name stands before the usual one; who has leave isn't
// looked for.
func TestUsualIsPlanned(t *testing.T) {
	seven := time.Date(2026, 3, 4, 7, 0, 0, 0, time.UTC)
	usual := Usual{Seconds: h(8), From: seven, To: seven.Add(9 * time.Hour)}
	for _, c := range []struct {
		name     string
		named    Plan
		from     time.Time
		expected int64
	}{
		{"nothing else", Plan{}, seven, h(8)},
		{"a shift", Plan{ShiftFrom: seven.Add(time.Hour), ShiftTo: seven.Add(5 * time.Hour), Expected: h(4)}, seven.Add(time.Hour), h(4)},
		{"a shift and leave", Plan{ShiftFrom: seven, ShiftTo: seven.Add(5 * time.Hour), Expected: h(5), Leave: h(8)}, seven, h(5)},
		{"leave", Plan{Leave: h(8)}, time.Time{}, h(8)},
		{"half a day of leave", Plan{Leave: h(4)}, time.Time{}, h(8)},
	} {
		if got := usual.Planned(c.named); !got.ShiftFrom.Equal(c.from) || got.Expected != c.expected || got.Leave != c.named.Leave {
			t.Errorf("%s: %+v", c.name, got)
		}
	}
}
