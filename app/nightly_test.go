package app

import (
	"testing"
	"time"
)

// The check is due at three by the clocks of the place, once a night, also in
// those in which they are changed (America/Halifax: 2026-03-08 and 2026-11-01
// at two).
func TestTheCheckIsDueEachNight(t *testing.T) {
	halifax, err := time.LoadLocation("America/Halifax")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ after, due string }{
		{"2026-11-13T10:00:00-04:00", "2026-11-14T03:00:00-04:00"},
		{"2026-11-14T02:59:59-04:00", "2026-11-14T03:00:00-04:00"},
		{"2026-11-14T03:00:00-04:00", "2026-11-15T03:00:00-04:00"},
		{"2026-11-01T01:30:00-03:00", "2026-11-01T03:00:00-04:00"}, // 1:30 comes twice
		{"2026-03-07T12:00:00-04:00", "2026-03-08T03:00:00-03:00"},
	} {
		after, err := time.Parse(time.RFC3339, c.after)
		if err != nil {
			t.Fatal(err)
		}
		if got := nextAt(after, 3*time.Hour, halifax).Format(time.RFC3339); got != c.due {
			t.Errorf("after %s: %s, want %s", c.after, got, c.due)
		}
	}
}
