package draw

import (
	"strconv"
	"time"
)

// PlanAxis is the days that a roster's rows share: where each begins, and where the last
// ends.
type PlanAxis struct {
	Days  []PlanDay
	End   time.Time
	Width float64 // pixels
	Zone  *time.Location
}

// PlanDay is one day of it.
type PlanDay struct {
	From  time.Time
	Label string // "Mon 9"
	Today bool
}

func (a PlanAxis) x(t time.Time) float64 {
	from := a.Days[0].From
	x := t.Sub(from).Seconds() / a.End.Sub(from).Seconds() * a.Width
	return min(max(x, 0), a.Width)
}

// end is where a day of it ends.
func (a PlanAxis) end(i int) time.Time {
	if i+1 < len(a.Days) {
		return a.Days[i+1].From
	}
	return a.End
}

// hours are those of a day at which there are lines.
func (a PlanAxis) hours() []int {
	if len(a.Days) == 1 {
		return []int{6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26}
	}
	return []int{8, 12, 16, 20}
}

// at is a local hour of a day.
func (a PlanAxis) at(d PlanDay, hour int) time.Time {
	y, m, day := d.From.In(a.Zone).Date()
	return time.Date(y, m, day, hour, 0, 0, 0, a.Zone)
}

// PlanShift is one shift on a row.
type PlanShift struct {
	ID, Href, Label, Title string
	From, To               time.Time
	Told                   bool // as it stands; dashed where it isn't
	Picked                 bool
	Mark                   string // of what it is on, "" where none is shown
	Against                string // what speaks against it, "" for nothing
	Seen                   time.Time
}

// PlanRow is one person's plan: brackets, the worked blocks beneath, leave as bands, and
// what was told and isn't planned any more struck through.
type PlanRow struct {
	Employment string // whom shifts are drawn for, "" where none are
	Name       string
	On         string // the job that what is drawn is on, "" for that of the shift before
	Words      string
	Shifts     []PlanShift
	Gone       []PlanShift
	Blocks     []Block
	Leave      []PlanBand
	Now        time.Time
}

// PlanBand is a day of leave.
type PlanBand struct {
	From, To time.Time
	Label    string
}

const (
	planTop    = 5.0
	planFoot   = 13.0
	workTop    = 21.0
	workHeight = 9.0
	planHigh   = 40.0
	planSays   = 14.0 // more, where something speaks against a shift
)

// Plan appends a row of a roster.
func Plan(dst []byte, a PlanAxis, r PlanRow) []byte {
	s := svg{dst}
	high := planHigh
	for _, sh := range r.Shifts {
		if sh.Against != "" {
			high = planHigh + planSays
		}
	}
	s.raw(`<svg class="planrow" viewBox="0 0 `).num(a.Width).raw(` `).num(high).raw(`" role="group" aria-label="`).esc(r.Words).raw(`"`)
	if r.Employment != "" {
		if r.On != "" {
			s.raw(` data-on="`).esc(r.On).raw(`"`)
		}
		s.raw(` data-employment="`).esc(r.Employment).raw(`" data-name="`).esc(r.Name).
			raw(`" data-from="`).raw(unix(a.Days[0].From)).raw(`" data-to="`).raw(unix(a.End)).
			raw(`" data-zone="`).esc(a.Zone.String()).raw(`"`)
	}
	s.raw(`>`)
	s.raw(`<use href="#plangrid"/>`)
	for _, l := range r.Leave {
		x := a.x(l.From)
		w := a.x(l.To) - x
		s.raw(`<g><title>`).esc(l.Label).raw(`</title>`)
		s.rect("leave", x, planTop, w, 25)
		if textWidth(l.Label) <= w+10 {
			s.text("lv", x+4, 22, l.Label)
		}
		s.raw(`</g>`)
	}
	for _, b := range r.Blocks {
		x := a.x(b.From)
		w := max(a.x(b.To)-x-0.5, 0.5)
		s.raw(`<g><title>`).esc(b.Title).raw(`</title>`)
		s.rect("clk", x, workTop, w, workHeight)
		s.raw(`</g>`)
	}
	for _, sh := range r.Gone {
		x1, x2 := a.x(sh.From), a.x(sh.To)
		s.raw(`<g class="gone"><title>`).esc(sh.Title).raw(`</title>`)
		s.bracket("plan new", x1, x2)
		s.line("strike", x1, planFoot+2, x2, planTop-1)
		s.raw(`</g>`)
	}
	for _, sh := range r.Shifts {
		s.shift(a, sh)
	}
	if !r.Now.IsZero() && r.Now.After(a.Days[0].From) && r.Now.Before(a.End) {
		x := a.x(r.Now)
		s.line("now", x, 0, x, high)
	}
	return s.raw(`</svg>`).b
}

// PlanLine is a shift of a row in words.
type PlanLine struct {
	Href, When, On, Against string
	Told                    bool
}

// PlanList appends the shifts of a row in words, for where there is no room to draw, and for
// paper.
func PlanList(dst []byte, lines []PlanLine) []byte {
	s := svg{dst}
	s.raw(`<ul class="planlist">`)
	for _, l := range lines {
		s.raw(`<li`)
		if !l.Told {
			s.raw(` class="new"`)
		}
		s.raw(`>`)
		if l.Href != "" {
			s.raw(`<a href="`).esc(l.Href).raw(`">`).esc(l.When).raw(`</a> `)
		} else {
			s.esc(l.When).raw(` `)
		}
		s.esc(l.On)
		if !l.Told {
			s.raw(` <i>not told</i>`)
		}
		if l.Against != "" {
			s.raw(` <span class="flag">`).esc(l.Against).raw(`</span>`)
		}
		s.raw(`</li>`)
	}
	return s.raw(`</ul>`).b
}

func unix(t time.Time) string { return strconv.FormatInt(t.Unix(), 10) }

// days draws where days begin, and quarters of them: once, and each row uses it.
func (s *svg) days(a PlanAxis) {
	const high = planHigh + planSays
	s.raw(`<defs><g id="plangrid">`)
	for i, d := range a.Days {
		x, end := a.x(d.From), a.x(a.end(i))
		if d.Today {
			s.rect("picked", x, 0, end-x, high)
		}
		s.line("gd", x, 0, x, high)
		if len(a.Days) > 14 {
			continue
		}
		s.raw(`<path class="g" d="`)
		for _, h := range a.hours() {
			s.raw(`M`).num(a.x(a.at(d, h))).raw(` 0V`).num(high)
		}
		s.raw(`"/>`)
	}
	s.raw(`</g></defs>`)
}

func (s *svg) bracket(class string, x1, x2 float64) {
	s.raw(`<path class="`).raw(class).raw(`" d="M`).num(x1).raw(` `).num(planFoot).raw(`V`).num(planTop).raw(`H`).num(x2).raw(`V`).
		num(planFoot).raw(`"/>`)
}

func (s *svg) shift(a PlanAxis, sh PlanShift) {
	x1, x2 := a.x(sh.From), a.x(sh.To)
	class, group := "plan", "shift"
	if !sh.Told {
		class += " new"
	}
	if sh.Picked {
		group += " on"
	}
	s.raw(`<a class="`).raw(group).raw(`" href="`).esc(sh.Href).raw(`" data-id="`).esc(sh.ID).raw(`" data-start="`).raw(unix(sh.From)).
		raw(`" data-end="`).raw(unix(sh.To)).raw(`" data-seen="`).raw(strconv.FormatInt(sh.Seen.UnixMicro(), 10)).
		raw(`" aria-label="`).esc(sh.Title).raw(`"><title>`).esc(sh.Title).raw(`</title>`)
	s.rect("hit", x1-2, 0, max(x2-x1+4, 6), workTop)
	s.bracket(class, x1, x2)
	if sh.Mark != "" && x2-x1 >= markWide+4 {
		s.mark(x1+3, planTop+3, sh.Mark)
		if x := x1 + markWide + 4; textWidth(sh.Label) <= x2-x+8 {
			s.text("pl", x+2, 17, sh.Label)
		}
	} else if textWidth(sh.Label)+2 <= x2-x1+8 {
		s.text("pl", x1+3, 17, sh.Label)
	}
	s.raw(`</a>`)
	if sh.Against != "" {
		s.rect("bar", x1, planHigh-1, 3, 12)
		if len(a.Days) <= 7 { // else the words of one day would lie on those of the next
			s.text("ag", x1+6, planHigh+8.5, sh.Against)
		}
	}
}

// PlanHead appends the days above the rows, and the grid that they use: a page of rows has one.
func PlanHead(dst []byte, a PlanAxis) []byte {
	s := svg{dst}
	s.open("planhead", a.Width, 30, "")
	s.days(a)
	for i, d := range a.Days {
		x := a.x(d.From)
		s.line("gd", x, 0, x, 30)
		if len(a.Days) <= 14 || i%7 == 0 {
			s.text("dy", x+5, 13, d.Label)
		}
		if len(a.Days) > 7 {
			continue
		}
		for _, h := range a.hours() {
			at := a.at(d, h)
			s.text("ax", a.x(at), 27, at.In(a.Zone).Format("15"))
		}
	}
	return s.raw(`</svg>`).b
}

// PlanCount is what stands above the rows of a group for a day.
type PlanCount struct {
	Text  string
	Lacks bool // fewer are planned than are wanted
}

// PlanCounts appends how many are planned each day, above the rows of a group.
func PlanCounts(dst []byte, a PlanAxis, each []PlanCount) []byte {
	s := svg{dst}
	s.open("plancount", a.Width, 24, "")
	for i, d := range a.Days {
		x := a.x(d.From)
		s.line("gd", x, 0, x, 24)
		if i >= len(each) || len(a.Days) > 14 {
			continue
		}
		class := "ct"
		if each[i].Lacks {
			s.rect("bar", x+3, 5, 3, 14)
			x, class = x+5, "ct lacks"
		}
		s.text(class, x+5, 16, each[i].Text)
	}
	return s.raw(`</svg>`).b
}

// Against appends what was planned as a bracket over what was worked as a block, in seconds,
// on one scale; what was worked beyond the plan is hatched.
func Against(dst []byte, planned, worked, most int64) []byte {
	const width, height = 420.0, 26.0
	x := func(seconds int64) float64 { return float64(seconds) / float64(max(most, 1)) * (width - 2) }
	s := svg{dst}
	s.open("bars", width, height, "")
	if planned > 0 {
		s.raw(`<path class="plan" d="M1 12V5H`).num(1 + x(planned)).raw(`V12"/>`)
	}
	s.rect("clk", 1, 13, x(min(planned, worked)), 10)
	if worked > planned {
		s.rect("hand", 1+x(planned), 13, x(worked)-x(planned), 10)
	}
	return s.raw(`</svg>`).b
}
