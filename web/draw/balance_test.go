package draw

import (
	"strings"
	"testing"

	"manudex/core/when"
)

// The line steps where the balance changes, to heights that go by the hours; the months that
// begin stand under it.
func TestBalance(t *testing.T) {
	from := when.NewDate(2026, 11, 1)
	got := string(Balance(nil, Forecast{From: from, To: from + 100, Now: 40, Steps: []Step{{from + 50, 80}, {from + 75, -20}}},
		"Annual leave"))
	// From -20 to 80 hours over 70 units of height: 40 stands at 46, 0 at 74.
	for _, want := range []string{
		`d="M0 46.0H170.0V18.0H255.0V88.0H340.0"`, `y1="74.0" x2="340.0" y2="74.0"`, `>80.00 h<`, `>Dec<`, `>Jan<`,
		`aria-label="Annual leave"`} {
		if !strings.Contains(got, want) {
			t.Errorf("no %s in %s", want, got)
		}
	}
	if strings.Contains(got, ">Nov<") {
		t.Error("a month that doesn't begin within it has its name")
	}
	flat := string(Balance(nil, Forecast{From: from, To: from + 10}, ""))
	if !strings.Contains(flat, `d="M0 88.0H340.0"`) {
		t.Errorf("nothing at all: %s", flat)
	}
}
