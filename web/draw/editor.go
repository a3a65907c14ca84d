package draw

import (
	"strconv"
	"strings"
	"time"

	"manudex/core/clock"
)

// Piece is a stint on the ribbon where a day is changed, or a gap between
// stints.
type Piece struct {
	Block
	Href   string // picks it
	Words  string // for those who can't see it
	Picked bool
	Gap    bool
	Fixed  bool // a block that is running has no end to take hold of
	Ends   [2]string
}

// Bench is the ribbon on which a day is changed.
type Bench struct {
	Day
	Pieces []Piece
	Zone   string // in which its hours are read, an IANA name
	Second string // another zone whose hours stand beneath, "" for none
	Empty  bool   // nothing is on it: a stint is begun by drawing on it
	Narrow bool   // drawn for a phone
}

const (
	benchTop    = 34 // of the blocks
	benchHeight = 30
	benchAxis   = 84
)

// Bench appends the ribbon on which a day is changed: the plan above, the picked
// stint with its times at its own ends and its job inside, grips at the ends, and
// gaps that ask to be filled.
func (a Axis) Bench(dst []byte, d Bench, loc, second *time.Location) []byte {
	s := svg{dst}
	height := float64(benchAxis + 8)
	if second != nil {
		height += 16
	}
	class := "bench"
	if d.Narrow {
		class = "bench narrow"
	}
	s.raw(`<svg class="`).raw(class).raw(`" viewBox="0 0 `).num(a.Width).raw(` `).num(height)
	s.raw(`" width="`).num(a.Width).raw(`" height="`).num(height).raw(`" role="group" aria-label="`).esc(d.Words)
	s.raw(`" data-from="`).raw(strconv.FormatInt(a.From.Unix(), 10)).raw(`" data-per-hour="`).num(a.Width / a.Hours)
	s.raw(`" data-zone="`).esc(d.Zone).raw(`"`)
	if d.Empty {
		s.raw(` data-draw=""`)
	}
	s.raw(`>`)
	s.grid(a, benchTop-6, benchTop+benchHeight+8)
	for h := a.Step; float64(h) < a.Hours; h += a.Step {
		t := a.From.Add(time.Duration(h) * time.Hour)
		s.text("ax", a.x(t), benchAxis, t.In(loc).Format("15"))
		if second != nil {
			s.text("ax second", a.x(t), benchAxis+16, t.In(second).Format("15"))
		}
	}
	for _, p := range d.Plans {
		x1, x2 := a.x(p[0]), a.x(p[1])
		s.raw(`<path class="plan" d="M`).num(x1).raw(` 12V6H`).num(x2).raw(`V12"/>`)
	}
	if d.Leave != "" {
		x1, x2 := a.x(d.Band[0]), a.x(d.Band[1])
		s.rect("leave", x1, benchTop, x2-x1, benchHeight)
		s.text("lv", x1+6, benchTop+20, d.Leave)
	}
	for _, p := range d.Pieces {
		s.piece(a, p)
	}
	if !d.Now.IsZero() && d.Now.After(a.From) {
		s.line("now", a.x(d.Now), 2, a.x(d.Now), benchTop+benchHeight+8)
	}
	return append(s.b, `</svg>`...)
}

func (s *svg) piece(a Axis, p Piece) {
	x1, x2 := a.x(p.From), a.x(p.To)
	if p.Href != "" {
		s.raw(`<a href="`).esc(p.Href).raw(`" aria-label="`).esc(p.named(x2 - x1)).raw(`"`)
		if p.Picked {
			s.raw(` aria-current="true"`)
		}
		s.raw(`>`)
	} else {
		s.raw(`<g>`)
	}
	s.raw(`<title>`).esc(p.Title).raw(`</title>`)
	switch {
	case p.Gap:
		s.rect("gap", x1, benchTop, max(x2-x1-1, 1), benchHeight)
		if x2-x1 > 14 {
			s.text("mid", (x1+x2)/2, benchTop+20, "?")
		}
	case p.Kind != clock.Work:
		s.rect("free", x1, benchTop, max(x2-x1-1, 1), benchHeight)
		s.line("brk", x1, benchTop+benchHeight, x2, benchTop+benchHeight)
	default:
		class, _ := p.classes()
		s.rect(class, x1, benchTop, max(x2-x1-1, 1), benchHeight)
		s.soft(a, p.Block, benchTop, benchHeight)
		s.inside(p.Block, x1, x2-x1, benchTop+20)
	}
	if p.Picked {
		s.rect("pick", x1, benchTop-2, max(x2-x1-1, 1), benchHeight+4)
	}
	if p.Href != "" {
		s.raw(`</a>`)
	} else {
		s.raw(`</g>`)
	}
	if p.Picked {
		s.ends(p, x1, x2)
	}
}

// named says the piece in words. What is written in it is among them: whoever
// speaks to the page says what they see.
func (p Piece) named(width float64) string {
	if p.Gap || p.Kind != clock.Work {
		return p.Words
	}
	if l := p.fits(width); !strings.Contains(p.Words, l) {
		return l + ", " + p.Words
	}
	return p.Words
}

// ends writes the times of the picked piece at its own ends, with grips to take
// hold of where they can be moved.
func (s *svg) ends(p Piece, x1, x2 float64) {
	s.raw(`<text class="end from" x="`).num(x1).raw(`" y="28">`).esc(p.Ends[0]).raw(`</text>`)
	s.raw(`<text class="end to" x="`).num(max(x2, x1+64)).raw(`" y="28">`).esc(p.Ends[1]).raw(`</text>`)
	s.grip("start", p, x1, p.From)
	if !p.Fixed {
		s.grip("end", p, x2, p.To)
	}
}

func (s *svg) grip(edge string, p Piece, x float64, at time.Time) {
	i := 0
	name := "Begin"
	if edge == "end" {
		i, name = 1, "End"
	}
	s.raw(`<g class="grip" data-edge="`).raw(edge).raw(`" data-at="`).raw(strconv.FormatInt(at.Unix(), 10)).
		raw(`" role="slider" tabindex="0" aria-label="`).raw(name).raw(`" aria-valuetext="`).esc(p.Ends[i]).raw(`" aria-valuenow="`).
		raw(strconv.FormatInt(at.Unix(), 10)).raw(`">`)
	s.rect("reach", x-11, benchTop-10, 22, benchHeight+20)
	s.rect("hold", x-2.5, benchTop-5, 5, benchHeight+10)
	s.raw(`</g>`)
}
