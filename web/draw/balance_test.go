package draw

import (
	"strings"
	"testing"

	"manudex/core/when"
)

// The line steps where the balance changes, to heights that go by the amount, from before the
// first day on; what is asked for is a line of its own; what is lost is marked with how much;
// a limit lies across it; steps stand in the data, the last of a day.
func TestBalance(t *testing.T) {
	from := when.NewDate(2026, 11, 1)
	f := Forecast{From: from, Today: from + 10, To: from + 100, Unit: "h",
		Steps: []Step{{from - 30, 40}, {from + 50, 84}, {from + 50, 80}, {from + 75, -20}},
		Asked: []Step{{from - 30, 40}, {from + 20, 30}}, Lost: []Step{{from + 75, 100}}, Rules: []Rule{{60, "most 60"}, {900, "most 900"}}}
	got := string(Balance(nil, f, "Annual leave"))
	// From -20 to 84 over 126 units of height: 40 stands at 77.3, 0 at 125.8.
	for _, want := range []string{`class="balance" d="M0 77.3H170.0V28.8H255.0V150.0H340.0"`,
		`class="balance asked" d="M0 77.3H68.0V89.4H340.0"`,
		`class="g zero" x1="0.0" y1="125.8"`, `>most 60<`, `>−100.00 h<`, `class="nowline" x1="34.0"`, `>Dec<`, `>2027<`,
		`aria-label="Annual leave"`, `data-steps="20728:40.00 20808:80.00 20833:-20.00 "`, `aria-valuetext="11 Nov 2026: 40.00 h"`} {
		if !strings.Contains(got, want) {
			t.Errorf("no %s in %s", want, got)
		}
	}
	for _, not := range []string{">Nov<", "most 900"} {
		if strings.Contains(got, not) {
			t.Errorf("%s stands in %s", not, got)
		}
	}
	flat := string(Balance(nil, Forecast{From: from, Today: from, To: from + 10}, "<Leave>"))
	if !strings.Contains(flat, `d="M0 150.0H340.0"`) || !strings.Contains(flat, `aria-label="&lt;Leave&gt;"`) ||
		strings.Contains(flat, "asked") {
		t.Errorf("nothing at all: %s", flat)
	}
}
