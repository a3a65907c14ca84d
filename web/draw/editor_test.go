package draw

import (
	"strings"
	"testing"
	"time"

	"manudex/core/clock"
)

// The picked stint has its times at its own ends and grips to take hold of; what
// is running has none at its end; a gap asks; ticks stand where the clock had an
// edge; the second zone has its own hours.
func TestBench(t *testing.T) {
	d := Bench{Zone: "UTC", Empty: false, Pieces: []Piece{
		{Block: Block{From: at(6), To: at(10), Kind: clock.Work, Labels: []string{"2231 Gantry"}, Soft: [][2]time.Time{{at(9), at(10)}},
			Ticks: []time.Time{at(9)}}, Href: "/x?pick=1", Words: "06:00–10:00 2231, Erecting", Picked: true,
			Ends: [2]string{"06:00", "10:00"}},
		{Block: Block{From: at(10), To: at(11)}, Href: "/x?gap=1", Words: "nothing from 10:00 to 11:00", Gap: true},
		{Block: Block{From: at(11), To: at(12), Kind: clock.Work, Running: true}, Fixed: true, Picked: true,
			Ends: [2]string{"11:00", "12:00"}},
	}}
	d.Plans = [][2]time.Time{{at(6), at(14)}}
	a := Axis{From: at(5), Hours: 10, Width: 1000, Step: 1}
	svg := wellFormed(t, a.Bench(nil, d, time.UTC, time.FixedZone("there", 3*3600)))
	for what, want := range map[string]string{
		"the times at its ends":      `<text class="end from" x="100.0" y="28">06:00</text>`,
		"a grip at its end":          `data-edge="end" data-at="`,
		"what rests on a word":       `class="hand"`,
		"where the clock had it":     `<line class="tick" x1="400.0"`,
		"what stands in it, named":   `<a href="/x?pick=1" aria-label="2231 Gantry, 06:00–10:00 2231, Erecting"`,
		"a gap that can be followed": `<a href="/x?gap=1" aria-label="nothing from 10:00 to 11:00">`,
		"which is picked":            `aria-current="true"`,
		"the plan":                   `<path class="plan" d="M100.0 12V6H900.0V12"/>`,
		"the other zone":             `<text class="ax second" x="100.0" y="100.0">09</text>`,
		"its job inside":             `2231 Gantry</text>`,
	} {
		if !strings.Contains(svg, want) {
			t.Errorf("%s: no %s in %s", what, want, svg)
		}
	}
	if n := strings.Count(svg, `role="slider"`); n != 3 {
		t.Errorf("%d grips, want two of the one and one of what runs", n)
	}
	if strings.Contains(svg, "data-draw") {
		t.Error("a day with stints is drawn on")
	}
	d.Pieces, d.Empty, d.Narrow = nil, true, true
	if svg := wellFormed(t, a.Bench(nil, d, time.UTC, nil)); !strings.Contains(svg, "data-draw") ||
		!strings.Contains(svg, `class="bench narrow"`) ||
		strings.Contains(svg, "second") {
		t.Errorf("an empty day on a phone: %s", svg)
	}
}
