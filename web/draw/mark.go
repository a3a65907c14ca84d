package draw

import "strings"

const (
	markWide = 24.0
	markHigh = 13.0
)

// OwnMark appends a company's own mark of somebody, a crew or a job: two letters on a texture,
// such as "KP dots". Of no mark nothing is appended.
func OwnMark(dst []byte, mark string) []byte {
	if mark == "" {
		return dst
	}
	s := svg{dst}
	s.open("markof", markWide+2, markHigh+2, mark)
	s.mark(1, 1, mark)
	return s.raw(`</svg>`).b
}

// mark draws one at a place.
func (s *svg) mark(x, y float64, mark string) {
	letters, texture, _ := strings.Cut(mark, " ")
	s.rect("mkbox", x, y, markWide, markHigh)
	s.raw(`<path class="mk" d="`)
	switch texture {
	case "bars":
		s.strokes(x, y, 3, true)
	case "lines":
		s.strokes(x, y, 3, false)
	case "checks":
		s.strokes(x, y, 4, true)
		s.strokes(x, y, 4, false)
	case "slant":
		for from := -markHigh + 4; from < markWide; from += 4 { // from the foot up to the right, within the box
			x1, x2 := max(from, 0), min(from+markHigh, markWide)
			s.raw(`M`).num(x + x1).raw(` `).num(y + markHigh - (x1 - from)).raw(`L`).num(x + x2).raw(` `).num(y + markHigh - (x2 - from))
		}
	case "dots":
		for row := 2.5; row < markHigh; row += 4 {
			for at := 2.0; at < markWide; at += 4 {
				s.raw(`M`).num(x + at).raw(` `).num(y + row).raw(`h1`)
			}
		}
	}
	s.raw(`"/>`)
	s.text("mkl", x+markWide/2, y+10, letters)
}

// strokes draws strokes through a mark, so far apart: upright, or level.
func (s *svg) strokes(x, y, apart float64, upright bool) {
	if upright {
		for at := apart; at < markWide; at += apart {
			s.raw(`M`).num(x + at).raw(` `).num(y).raw(`v`).num(markHigh)
		}
		return
	}
	for at := apart; at < markHigh; at += apart {
		s.raw(`M`).num(x).raw(` `).num(y + at).raw(`h`).num(markWide)
	}
}
