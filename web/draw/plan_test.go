package draw

import (
	"strings"
	"testing"
	"time"
)

// A shift that was told is a whole bracket, one that wasn't is dashed; what speaks against
// one is said, what is gone is struck through, and names can't break the picture.
func TestPlan(t *testing.T) {
	a := PlanAxis{Width: 700, End: four.AddDate(0, 0, 7), Zone: time.UTC}
	for i := range 7 {
		a.Days = append(a.Days, PlanDay{From: four.AddDate(0, 0, i), Label: "Day", Today: i == 1})
	}
	row := PlanRow{Employment: "e", Words: `Dao <Pham> & "x"`, Now: four.AddDate(0, 0, 1).Add(6 * time.Hour),
		Shifts: []PlanShift{{ID: "a", Href: "/roster?pick=a&x", Label: "2231", From: at(8), To: at(16), Told: true},
			{ID: "b", Label: "2245", From: at(32), To: at(40), Against: "2245 is not open to them"}},
		Gone: []PlanShift{{From: at(56), To: at(64), Title: "gone"}}, Leave: []PlanBand{{at(80), at(90), "Vacation"}},
		Blocks: []Block{{From: at(8), To: at(12), Title: "worked"}}}
	text := wellFormed(t, Plan(nil, a, row))
	for _, want := range []string{`data-employment="e"`, `class="plan" d="M16.7 13.0V5.0H50.0V13.0"`, `class="plan new" d="M116.7`,
		`>2245 is not open to them<`, `class="strike"`, `>Vacation<`, `class="clk" x="16.7"`, `<use href="#plangrid"/>`,
		`class="now" x1="125.0"`,
		`Dao &lt;Pham&gt; &amp; &quot;x&quot;`, `viewBox="0 0 700.0 54.0"`} {
		if !strings.Contains(text, want) {
			t.Errorf("%s is not in %s", want, text)
		}
	}
	month := a
	month.Days = append(month.Days, PlanDay{From: a.End})
	if text := wellFormed(t, Plan(nil, month, row)); strings.Contains(text, `>2245 is not open`) || !strings.Contains(text, `class="bar"`) {
		t.Error("where there is no room, a bar says that something speaks against it, and no words")
	}
	row.Employment, row.Shifts = "", row.Shifts[:1]
	if text := wellFormed(t, Plan(nil, a, row)); strings.Contains(text, "data-employment") || !strings.Contains(text, `0 0 700.0 40.0`) {
		t.Errorf("a row that nobody plans, with nothing against it: %s", text)
	}
	head, counts := wellFormed(t, PlanHead(nil, a)), wellFormed(t, PlanCounts(nil, a, []PlanCount{{Text: "3"}, {"2 of 4", true}}))
	if strings.Count(head, `class="gd"`) != 14 || !strings.Contains(head, `class="picked" x="100.0"`) ||
		!strings.Contains(head, `<g id="plangrid">`) {
		t.Errorf("not seven days above and in the grid, with today: %s", head)
	}
	if strings.Count(counts, `class="gd"`) != 7 {
		t.Errorf("not seven days: %s", counts)
	}
}

// A day on which more are wanted than are planned has a bar, and the others none.
func TestPlanCounts(t *testing.T) {
	from := time.Date(2026, 11, 15, 9, 0, 0, 0, time.UTC)
	a := PlanAxis{Width: 700, Zone: time.UTC, End: from.AddDate(0, 0, 2), Days: []PlanDay{{From: from}, {From: from.AddDate(0, 0, 1)}}}
	text := wellFormed(t, PlanCounts(nil, a, []PlanCount{{Text: "4 of 4"}, {"2 of 4", true}}))
	if strings.Count(text, `class="bar"`) != 1 || !strings.Contains(text, `class="ct lacks" x="360.0"`) {
		t.Errorf("two lack on the second day: %s", text)
	}
}

// The shifts of a row in words: what isn't told says so, and what speaks against it stands there.
func TestPlanList(t *testing.T) {
	text := string(PlanList(nil, []PlanLine{{Href: "/roster?a=1&b=2", When: "Mon 16 07:00–15:30", On: "2231", Told: true},
		{When: "Tue 17 07:00–15:30", On: "<b>", Against: "planned twice"}}))
	if text != `<ul class="planlist"><li><a href="/roster?a=1&amp;b=2">Mon 16 07:00–15:30</a> 2231</li><li class="new">`+
		`Tue 17 07:00–15:30 &lt;b&gt; <i>not told</i> <span class="flag">planned twice</span></li></ul>` {
		t.Error(text)
	}
}

// Planned against worked: what was worked beyond the plan is hatched, and nothing of nothing
// is drawn.
func TestAgainst(t *testing.T) {
	for _, row := range []struct {
		planned, worked, most int64
		want, not             string
	}{
		{100, 50, 100, `class="clk" x="1.0" y="13.0" width="209.0"`, `class="hand"`},
		{50, 100, 100, `class="hand" x="210.0"`, ``},
		{0, 100, 100, `class="hand" x="1.0"`, `class="plan"`},
		{0, 0, 0, `class="clk" x="1.0" y="13.0" width="0.0"`, `class="plan"`},
	} {
		text := wellFormed(t, Against(nil, row.planned, row.worked, row.most))
		if !strings.Contains(text, row.want) || row.not != "" && strings.Contains(text, row.not) {
			t.Errorf("%d of %d: %s", row.worked, row.planned, text)
		}
	}
}
