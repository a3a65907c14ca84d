package draw

import (
	"strings"
	"testing"
)

// Bars are as high as their hours against the most; what still grows has a point.
func TestBars(t *testing.T) {
	got := string(Bars(nil, []Bar{{Seconds: 7200, Over: "2:00", Name: "1 Nov"}, {Name: "8 Nov"},
		{Seconds: 3600, Over: "1:00", Name: "15 Nov", Running: true}}, "weeks"))
	for _, want := range []string{`<rect class="clk" x="0.0" y="18.0" width="58.0" height="78.0"/>`,
		`d="M128.0 96.0V64.0L157.0 57.0L186.0 64.0V96.0Z"`, ">8 Nov<"} {
		if !strings.Contains(got, want) {
			t.Errorf("%s isn't in %s", want, got)
		}
	}
	if strings.Count(got, "<rect") != 1 || strings.Contains(got, ">0:00<") {
		t.Errorf("a week without hours is drawn: %s", got)
	}
	if none := string(Bars(nil, nil, "")); !strings.HasSuffix(none, "</svg>") {
		t.Errorf("no weeks: %s", none)
	}
}

func TestLeft(t *testing.T) {
	for name, c := range map[string]struct {
		used, of int64
		want     []string
	}{
		"half":   {50, 100, []string{`class="clk" x="1.0" y="5.0" width="309.0"`, `class="plan" x="1.0" y="5.0" width="618.0"`}},
		"passed": {200, 100, []string{`class="clk" x="1.0" y="5.0" width="309.0"`, `class="hand" x="310.0" y="5.0" width="309.0"`}},
		"none":   {0, 0, []string{`class="plan"`}},
	} {
		got := string(Left(nil, c.used, c.of, "x"))
		for _, want := range c.want {
			if !strings.Contains(got, want) {
				t.Errorf("%s: %s isn't in %s", name, want, got)
			}
		}
	}
}
