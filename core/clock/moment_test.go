package clock

import (
	"testing"
	"time"
)

func TestMoment(t *testing.T) {
	now := time.Date(2026, 11, 13, 15, 0, 0, 0, time.UTC)
	ago := func(d time.Duration) time.Time { return now.Add(-d) }
	// A device whose clock is 7 minutes fast.
	fast := func(d time.Duration) time.Time { return ago(d).Add(7 * time.Minute) }
	for _, c := range []struct {
		name      string
		m         Moment
		at, doubt time.Duration // at: before now
	}{
		{"nothing is said", Moment{}, 0, 0},
		{"on its way for a second", Moment{Seen: ago(time.Hour), Since: time.Hour - time.Second}, 0, 0},
		{"it slept for two hours and was pressed",
			Moment{Seen: ago(2 * time.Hour), SeenWall: ago(2 * time.Hour), Since: 5 * time.Second, Pressed: ago(0), Sent: now}, 0, 0},
		{"a time that has not come", Moment{Seen: ago(-time.Hour), Since: 0}, -time.Hour, 0},
		{"pressed again after half a minute",
			Moment{Seen: ago(time.Hour), Since: time.Hour - 31*time.Second, Pressed: ago(31 * time.Second), Sent: now}, 31 * time.Second,
			0},
		{"without signal for two hours",
			Moment{Seen: ago(3 * time.Hour), SeenWall: ago(3 * time.Hour), Since: time.Hour, Pressed: ago(2 * time.Hour), Sent: now},
			2 * time.Hour, 0},
		{"the same on a clock that is off",
			Moment{Seen: ago(3 * time.Hour), SeenWall: fast(3 * time.Hour), Since: time.Hour, Pressed: fast(2 * time.Hour), Sent: fast(0)},
			2 * time.Hour, 0},
		{"after a reload, by the wall clock",
			Moment{Seen: ago(3 * time.Hour), SeenWall: fast(3 * time.Hour), Since: -1, Pressed: fast(2 * time.Hour), Sent: fast(0)},
			2 * time.Hour, 0},
		{"the wall clock was set back meanwhile",
			Moment{Seen: ago(3 * time.Hour), SeenWall: ago(3 * time.Hour), Since: -1, Pressed: ago(2 * time.Hour),
				Sent: ago(30 * time.Minute)}, 90 * time.Minute, 30 * time.Minute},
		{"pressed at a wall time that is not so",
			Moment{Seen: ago(3 * time.Hour), SeenWall: ago(3 * time.Hour), Since: time.Hour, Pressed: ago(4 * time.Hour), Sent: now},
			2 * time.Hour, -2 * time.Hour},
		{"the clocks differ by a minute",
			Moment{Seen: ago(3 * time.Hour), Since: time.Hour, Pressed: ago(2*time.Hour + time.Minute), Sent: now}, 2 * time.Hour, 0},
		{"and by a second more", Moment{Seen: ago(3 * time.Hour), Since: time.Hour, Pressed: ago(2*time.Hour + 61*time.Second), Sent: now},
			2 * time.Hour, -61 * time.Second},
	} {
		at, doubt := c.m.At(now)
		if !at.Equal(now.Add(-c.at)) || doubt != c.doubt {
			t.Errorf("%s: %s before now, doubt %s; want %s and %s", c.name, now.Sub(at), doubt, c.at, c.doubt)
		}
	}
}
