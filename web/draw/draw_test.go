package draw

import (
	"encoding/xml"
	"io"
	"strings"
	"testing"
	"time"

	"manudex/core/clock"
)

var four = time.Date(2026, 11, 12, 4, 0, 0, 0, time.UTC)

func at(h float64) time.Time { return four.Add(time.Duration((h - 4) * float64(time.Hour))) }

// wellFormed parses the picture and gives its elements as text.
func wellFormed(t *testing.T, svg []byte) string {
	t.Helper()
	d := xml.NewDecoder(strings.NewReader(string(svg)))
	for {
		if _, err := d.Token(); err == io.EOF {
			return string(svg)
		} else if err != nil {
			t.Fatalf("%v in %s", err, svg)
		}
	}
}

func TestRibbon(t *testing.T) {
	day := Day{Words: `planned & "clocked"`, Plans: [][2]time.Time{{at(6), at(14.5)}}, Now: at(13), Blocks: []Block{
		{From: at(6), To: at(10), Kind: clock.Work, Labels: []string{"2207 Route signs, Fennick · Cutting", "2207 Cutting", "2207"},
			Title: "06:00–10:00 <2207>"},
		{From: at(10), To: at(10.5), Kind: clock.Meal},
		{From: at(10.5), To: at(10.75), Kind: clock.Work, Labels: []string{"2207"}},
		{From: at(10.75), To: at(12), Kind: clock.Work, Soft: [][2]time.Time{{at(10.75), at(12)}}},
		{From: at(12), To: at(13), Kind: clock.Work, Running: true},
	}}
	svg := wellFormed(t, Ribbon(nil, DayAxis(four), day))
	for what, want := range map[string]string{
		"the plan is a bracket above":           `<path class="plan" d="M47.7 12V6H250.4V12"/>`,
		"clocked time is a solid block":         `<rect class="clk" x="47.7" y="13.0" width="94.4" height="18.0"/>`,
		"a break drops to a thin stroke":        `<line class="brk" x1="143.1" y1="31.0" x2="155.0" y2="31.0"/>`,
		"a hand-set edge is hatched":            `<rect class="hand"`,
		"what runs ends in a point":             `L214.6 22L`,
		"now is a line":                         `<line class="now" x1="214.6"`,
		"the longest label that fits is chosen": `>2207 Cutting</text>`,
		"words are escaped":                     `aria-label="planned &amp; &quot;clocked&quot;"`,
		"titles are escaped":                    `<title>06:00–10:00 &lt;2207&gt;</title>`,
	} {
		if !strings.Contains(svg, want) {
			t.Errorf("%s: no %s in\n%s", what, want, svg)
		}
	}
	if strings.Count(svg, ">2207</text>") != 0 {
		t.Error("a label stands in a block too narrow for it")
	}
	if strings.Contains(svg, "style=") || strings.Contains(svg, "#") {
		t.Error("a style attribute or a colour")
	}
}

func TestRibbonStaysOnItsAxis(t *testing.T) {
	svg := wellFormed(t, Ribbon(nil, DayAxis(four), Day{Leave: "Annual leave", Band: [2]time.Time{at(-10), at(60)},
		Blocks: []Block{{From: at(-5), To: at(1), Kind: clock.Work}, {From: at(40), To: at(50), Kind: clock.Work, Running: true}}}))
	if strings.Contains(svg, `="-`) || strings.Contains(svg, "M-") {
		t.Errorf("something is drawn left of the axis: %s", svg)
	}
	if !strings.Contains(svg, `<rect class="leave" x="0.0" y="13.0" width="620.0"`) {
		t.Errorf("the band is not cut at the axis: %s", svg)
	}
}

func TestStrokes(t *testing.T) {
	for _, c := range []struct {
		name                   string
		worked, approved, most int64
		done, todo             int
	}{
		{"nothing", 0, 0, 100, 0, 0},
		{"the fullest day, all approved", 100, 100, 100, 7, 0},
		{"half approved", 100, 50, 100, 3, 4},
		{"a little work shows", 1, 0, 100, 0, 1},
	} {
		svg := wellFormed(t, Strokes(nil, c.worked, c.approved, c.most))
		if d, n := strings.Count(svg, "done"), strings.Count(svg, "todo"); d != c.done || n != c.todo {
			t.Errorf("%s: %d done, %d to do; want %d, %d", c.name, d, n, c.done, c.todo)
		}
	}
}

// Words of punches close together stand on rows of their own.
func TestRecordWordsDontCover(t *testing.T) {
	marks := []Mark{{Claimed: at(7), Device: at(7), Received: at(7), Words: "in 07:00"},
		{Claimed: at(7.02), Device: at(7.02), Received: at(7.02), Words: "meal 07:01"},
		{Claimed: at(12), Received: at(12), Hand: true, Words: "out 12:00, keyed 12:00"}}
	svg := wellFormed(t, Record(nil, Axis{From: at(6), Hours: 10, Width: 720, Step: 1}, nil, marks,
		[3]string{"claimed", "device", "received"}, "record"))
	if !strings.Contains(svg, `y="115.0">in 07:00`) || !strings.Contains(svg, `y="130.0">meal 07:01`) ||
		!strings.Contains(svg, `y="115.0">out 12:00`) {
		t.Errorf("rows of words: %s", svg)
	}
	if !strings.Contains(svg, `class="dot h"`) || !strings.Contains(svg, `class="lk h"`) {
		t.Error("a punch by hand looks like any other")
	}
}
