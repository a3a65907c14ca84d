package draw

import (
	"strings"
	"testing"

	"manudex/core/when"
)

// A band lies over its days and not beyond the span; what is only asked for looks otherwise; a
// day with fewer left than there have to be is marked, and one on which nobody works says nothing.
func TestBands(t *testing.T) {
	mon := when.NewDate(2026, 11, 16)
	a := BandAxis{Days: when.Period{From: mon, To: mon + 6}, Each: 20, Today: mon + 1, Off: map[when.Date]bool{mon + 3: true},
		Shut: []when.Period{{From: mon + 4, To: mon + 9}}}
	row := string(BandRow(nil, a, []Band{{when.Period{From: mon - 3, To: mon + 1}, "Away", false},
		{when.Period{From: mon + 2, To: mon + 2}, "Annual <leave>", true}}, "away Mon to Tue"))
	for _, want := range []string{`<rect class="leave" x="1.0" y="3.0" width="38.0"`,
		`<rect class="leave wished" x="41.0" y="3.0" width="18.0"`,
		`<title>Annual &lt;leave&gt;</title>`, `aria-label="away Mon to Tue"`, `<rect class="dayoff holiday" x="60.0"`,
		`<rect class="dayoff" x="100.0"`, `class="shut" x1="80.0" y1="1.0" x2="140.0"`, `>Away</text>`} {
		if !strings.Contains(row, want) {
			t.Errorf("no %s in %s", want, row)
		}
	}
	if strings.Contains(row, ">Annual &lt;leave&gt;</text>") {
		t.Error("a name stands where it has no room")
	}
	counts := []BandCount{{3, 4, true}, {4, 4, false}, {}, {}, {1, 2, true}}
	left := string(BandCounts(nil, a, counts, "left"))
	if strings.Count(left, `<rect class="toofew"`) != 2 || !strings.Contains(left, `<text class="ax" x="30.0" y="15.0">4<`) ||
		strings.Count(left, "<text") != 3 {
		t.Errorf("how many are left: %s", left)
	}
	few := wellFormed(t, BandsOf(nil, a, []string{"Ann"}, [][]Band{{{when.Period{From: mon, To: mon}, "Away", false}}}, counts, "words"))
	for _, want := range []string{`>Ann<`, `>left to work<`, `>16 Nov<`, `<rect class="leave" x="1.0" y="2.0" width="18.0"`} {
		if !strings.Contains(few, want) {
			t.Errorf("no %s in %s", want, few)
		}
	}
	if head := string(BandHead(nil, a)); !strings.Contains(head, "November 2026") || !strings.Contains(head, `class="ax today" x="30.0"`) {
		t.Errorf("the days above: %s", head)
	}
}
