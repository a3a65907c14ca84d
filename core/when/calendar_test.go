package when

import (
	"math/rand/v2"
	"testing"
	"time"
)

// The calendar agrees with Workweek.Day on random instants, in zones with
// clock changes, odd offsets and skipped days.
func TestCalendarAgreesWithWorkweek(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, name := range []string{"UTC", "America/New_York", "Asia/Kathmandu", "Pacific/Apia", "Pacific/Kiritimati",
		"Australia/Lord_Howe", "America/Sao_Paulo"} {
		loc, err := time.LoadLocation(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, start := range []time.Duration{0, 4 * time.Hour, 23*time.Hour + 30*time.Minute} {
			c := NewCalendar(loc, start)
			week := Workweek{Loc: loc, WorkdayStart: start}
			from, to := time.Date(2011, 12, 20, 0, 0, 0, 0, time.UTC).Unix(), time.Date(2013, 1, 5, 0, 0, 0, 0, time.UTC).Unix()
			for range 3000 {
				at := time.Unix(from+r.Int64N(to-from), 0)
				want := week.Day(at)
				if got := c.Day(at.Unix()); got != want.Date || c.Begin(got) != want.From.Unix() {
					t.Fatalf("%s, days from %v: %v is on %v, want %v", name, start, at, got, want.Date)
				}
			}
		}
	}
	if c := NewCalendar(time.UTC, 0); c.Day(-1) != -1 || c.Day(0) != 0 || c.Begin(0) != 0 {
		t.Error("days around the epoch")
	}
}
