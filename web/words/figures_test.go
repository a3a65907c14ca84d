package words

import (
	"testing"
	"time"

	"manudex/core/when"
)

func TestFigures(t *testing.T) {
	d := when.NewDate(2026, 11, 8)
	for _, c := range []struct{ got, want string }{
		{Grouped("39378.67"), "39,378.67"}, {Grouped("999.00"), "999.00"}, {Grouped("-1234567.5"), "−1,234,567.5"},
		{Grouped("1000"), "1,000"},
		{Signed(36 * 60), "+0:36"}, {Signed(-8 * 3600), "−8:00"}, {Signed(59), "0:00"}, {Signed(-59), "0:00"},
		{Decimal(5400), "1.50"}, {Decimal(4226*3600 + 3132), "4,226.87"},
		{Span(when.Period{From: d, To: d + 13}), "8–21 Nov"}, {Span(when.Period{From: d - 14, To: d - 1}), "25 Oct – 7 Nov"},
		{Span(when.Period{From: d, To: d}), "Sun 8 Nov"},
		{Plural(1, "card", "cards"), "1 card"}, {Plural(0, "card", "cards"), "0 cards"},
		{At(time.Date(2026, 11, 14, 1, 5, 9, 0, time.UTC), newYork(t)).Moment(), "Fri 13 Nov 20:05"},
		{At(time.Date(2026, 11, 14, 1, 5, 9, 0, time.UTC), newYork(t)).Stamp(), "2026-11-13 20:05:09"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
}

func newYork(t *testing.T) *time.Location {
	t.Helper()
	loc, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	return loc
}
