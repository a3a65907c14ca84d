// Package draw turns view values into SVG. It appends to byte slices, writes
// attributes and classes only, and names no colour: those are in the tokens.
package draw

import (
	"strconv"
	"time"
	"unicode/utf8"

	"manudex/core/clock"
)

// Axis is the hours a ribbon shares with those above and below it.
type Axis struct {
	From  time.Time
	Hours float64
	Width float64 // pixels
	Step  int     // hours between lines
}

// DayAxis is the axis of the desk: from the cut-over of a day, 26 hours on.
func DayAxis(from time.Time) Axis { return Axis{From: from, Hours: 26, Width: 620, Step: 2} }

func (a Axis) x(t time.Time) float64 {
	x := t.Sub(a.From).Hours() / a.Hours * a.Width
	return min(max(x, 0), a.Width)
}

// Block is one stint on a ribbon. Labels are what may stand in it, the
// longest first; the first that fits is written.
type Block struct {
	From, To time.Time
	Kind     clock.Kind
	Soft     [][2]time.Time // the parts of it that rest on what somebody said
	Ticks    []time.Time    // where the clock had an edge that was moved
	Running  bool
	Lost     bool // nobody ended it, and it doesn't count
	Labels   []string
	Title    string
}

// Day is what a ribbon draws.
type Day struct {
	Plans  [][2]time.Time
	Blocks []Block
	Leave  string // words in the leave band, "" for none
	Band   [2]time.Time
	Now    time.Time // a line at now, when it is on the axis
	Words  string    // the whole day in words, for those who can't see it
}

const (
	ribbonHeight = 40
	blockTop     = 13
	blockHeight  = 18
	tip          = 7 // length of the point of what is still running
)

// Ribbon appends the ribbon of a day.
func Ribbon(dst []byte, a Axis, d Day) []byte {
	s := svg{dst}
	s.open("rib", a.Width, ribbonHeight, d.Words)
	s.grid(a, 0, ribbonHeight)
	for _, p := range d.Plans {
		x1, x2 := a.x(p[0]), a.x(p[1])
		s.raw(`<path class="plan" d="M`).num(x1).raw(` 12V6H`).num(x2).raw(`V12"/>`)
	}
	if d.Leave != "" {
		x1, x2 := a.x(d.Band[0]), a.x(d.Band[1])
		s.rect("leave", x1, blockTop, x2-x1, blockHeight)
		s.text("lv", x1+6, 26, d.Leave)
	}
	for _, b := range d.Blocks {
		s.block(a, b)
	}
	if !d.Now.IsZero() && d.Now.After(a.From) {
		s.now(a, d.Now)
	}
	return s.raw(`</svg>`).b
}

// now draws the line at now, and says how it moves: a live page moves it.
func (s *svg) now(a Axis, now time.Time) {
	x := a.x(now)
	s.raw(`<line class="now" x1="`).num(x).raw(`" y1="2" x2="`).num(x).raw(`" y2="38" data-from="`).
		raw(strconv.FormatInt(a.From.Unix(), 10)).raw(`" data-per-hour="`).num(a.Width / a.Hours).raw(`"/>`)
}

func (s *svg) block(a Axis, b Block) {
	x1, x2 := a.x(b.From), a.x(b.To)
	if b.Kind != clock.Work {
		s.raw(`<g><title>`).esc(b.Title).raw(`</title>`)
		s.line("brk", x1, blockTop+blockHeight, x2, blockTop+blockHeight)
		s.raw(`</g>`)
		return
	}
	class, _ := b.classes()
	// A hairline of paper between neighbours.
	w := max(x2-x1-1, 1)
	s.raw(`<g><title>`).esc(b.Title).raw(`</title>`)
	if b.Running {
		from := max(x1, x2-tip)
		s.raw(`<path class="`).raw(class).raw(`" d="M`).num(x1).
			raw(` 13H`).num(from).raw(`L`).num(x2).raw(` 22L`).num(from).raw(` 31H`).num(x1).raw(`Z"/>`)
		w -= tip
	} else {
		s.rect(class, x1, blockTop, w, blockHeight)
	}
	s.soft(a, b, blockTop, blockHeight)
	s.inside(b, x1, w, 26)
	s.raw(`</g>`)
}

// fits gives what of a block's labels fits into a width, "" for none.
func (b Block) fits(width float64) string {
	for _, l := range b.Labels {
		if textWidth(l)+10 <= width {
			return l
		}
	}
	return ""
}

// inside writes what was worked on into its block.
func (s *svg) inside(b Block, x, width, y float64) {
	if l := b.fits(width); l != "" {
		_, label := b.classes()
		s.text(label, x+6, y, l)
	}
}

// classes are those of a block and of the label in it, which stands where it
// begins.
func (b Block) classes() (block, label string) {
	block, label = "clk", "lb"
	if b.Lost {
		return "lost", "lv"
	}
	for _, p := range b.Soft {
		if !p[0].After(b.From) {
			label = "lbh"
			if !p[1].Before(b.To) {
				block = "hand"
			}
		}
	}
	return block, label
}

// soft hatches the parts of a block that rest on what somebody said, and marks
// where the clock had the edges that were moved.
func (s *svg) soft(a Axis, b Block, top, height float64) {
	for _, p := range b.Soft {
		x1, x2 := a.x(p[0]), a.x(p[1])
		if p[0].After(b.From) || p[1].Before(b.To) {
			s.rect("hand", x1, top, max(x2-x1-1, 1), height)
		}
	}
	for _, t := range b.Ticks {
		s.line("tick", a.x(t), top+height-2, a.x(t), top+height+6)
	}
}

// textWidth is about how wide a label is in the narrow figures of the
// ribbon: 11.5 px at 82 % width.
func textWidth(s string) float64 { return float64(utf8.RuneCountInString(s)) * 5.25 }

// Hours appends the axis with its hours, for the head of a table.
func Hours(dst []byte, a Axis, loc *time.Location) []byte {
	s := svg{dst}
	s.raw(`<svg class="hours" viewBox="0 0 `).num(a.Width).raw(` 14" width="`).num(a.Width).raw(`" height="14" aria-hidden="true"`)
	s.raw(` data-from="`).raw(strconv.FormatInt(a.From.Unix(), 10)).raw(`" data-per-hour="`).num(a.Width / a.Hours).
		raw(`" data-zone="`).esc(loc.String()).raw(`">`)
	for h := a.Step; float64(h) < a.Hours; h += a.Step {
		t := a.From.Add(time.Duration(h) * time.Hour)
		s.text("ax", a.x(t), 11, t.In(loc).Format("15"))
	}
	return s.raw(`</svg>`).b
}

func (s *svg) grid(a Axis, y1, y2 float64) {
	s.raw(`<path class="g" d="`)
	for h := 0; float64(h) <= a.Hours; h += a.Step {
		x := float64(h) / a.Hours * a.Width
		s.raw(`M`).num(x).raw(` `).num(y1).raw(`V`).num(y2)
	}
	s.raw(`"/>`)
}

// svg appends elements.
type svg struct{ b []byte }

func (s *svg) raw(t string) *svg {
	s.b = append(s.b, t...)
	return s
}

func (s *svg) num(f float64) *svg {
	if f < 0 && f > -0.05 {
		f = 0 // not "-0.0"
	}
	s.b = strconv.AppendFloat(s.b, f, 'f', 1, 64)
	return s
}

func (s *svg) esc(t string) *svg {
	from := 0 // of what is taken as it is
	for i := 0; i < len(t); i++ {
		escaped := ""
		switch t[i] {
		case '<':
			escaped = "&lt;"
		case '>':
			escaped = "&gt;"
		case '&':
			escaped = "&amp;"
		case '"':
			escaped = "&quot;"
		default:
			continue
		}
		s.b = append(append(s.b, t[from:i]...), escaped...)
		from = i + 1
	}
	s.b = append(s.b, t[from:]...)
	return s
}

// open begins a picture; without words it is decoration and hidden from
// those who can't see it.
func (s *svg) open(class string, w, h float64, words string) {
	s.raw(`<svg class="`).raw(class).raw(`" viewBox="0 0 `).num(w).raw(` `).num(h).raw(`" width="`).num(w).raw(`" height="`).num(h)
	if words == "" {
		s.raw(`" aria-hidden="true">`)
		return
	}
	s.raw(`" role="img" aria-label="`).esc(words).raw(`">`)
}

func (s *svg) rect(class string, x, y, w, h float64) {
	s.raw(`<rect class="`).raw(class).raw(`" x="`).num(x).raw(`" y="`).num(y).raw(`" width="`).num(w).raw(`" height="`).num(h).raw(`"/>`)
}

func (s *svg) line(class string, x1, y1, x2, y2 float64) {
	s.raw(`<line class="`).raw(class).raw(`" x1="`).num(x1).raw(`" y1="`).num(y1).raw(`" x2="`).num(x2).raw(`" y2="`).num(y2).raw(`"/>`)
}

func (s *svg) text(class string, x, y float64, t string) {
	s.raw(`<text class="`).raw(class).raw(`" x="`).num(x).raw(`" y="`).num(y).raw(`">`).esc(t).raw(`</text>`)
}
