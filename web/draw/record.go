package draw

import (
	"time"

	"manudex/core/clock"
)

// Mark is one punch on the record of a card: its three times and a word.
type Mark struct {
	Claimed, Device, Received time.Time
	Hand                      bool
	Words                     string
}

// Record appends the record of a card: three lanes for the three times a
// punch carries, with their names, and a line through them. A straight line is one on which they agree.
func Record(dst []byte, a Axis, blocks []Block, marks []Mark, lanes [3]string, words string) []byte {
	const left, claimedY, deviceY, receivedY, words1 = 66, 24, 68, 97, 115
	inner := a
	inner.Width = a.Width - left - 24
	x := func(t time.Time) float64 { return left + inner.x(t) }
	rows := labelRows(marks, x)
	height := float64(words1 + 15*rows.count)
	s := svg{dst}
	s.open("record", a.Width, height, words)
	for h := 0; float64(h) <= a.Hours; h += a.Step {
		t := a.From.Add(time.Duration(h) * time.Hour)
		s.line("g", x(t), 18, x(t), 104)
		s.text("ax", x(t), 10, t.Format("15"))
	}
	for _, b := range blocks {
		x1, x2 := x(b.From), x(b.To)
		switch {
		case b.Kind != clock.Work:
			s.line("brk", x1, claimedY+16, x2, claimedY+16)
		default:
			s.rect("clk", x1, claimedY, max(x2-x1, 1), 16)
			for _, p := range b.Soft {
				s.rect("hand", x(p[0]), claimedY, max(x(p[1])-x(p[0]), 1), 16)
			}
		}
	}
	for i, m := range marks {
		link, dot := "lk", "dot"
		if m.Hand {
			link, dot = "lk h", "dot h"
		}
		c, d, r := x(m.Claimed), x(m.Received), x(m.Received)
		if !m.Device.IsZero() {
			d = x(m.Device)
		}
		s.bend(link, c, claimedY+18, d, deviceY-2)
		s.bend(link, d, deviceY+2, r, receivedY-3)
		s.circle(dot, d, deviceY, 3.4)
		s.circle(dot, r, receivedY, 3.4)
		s.text("tl", rows.x[i], float64(words1+15*rows.row[i]), m.Words)
	}
	s.text("ln", 0, 36, lanes[0])
	s.text("ln", 0, 71, lanes[1])
	s.text("ln", 0, 100, lanes[2])
	return s.raw(`</svg>`).b
}

type labels struct {
	row   []int
	x     []float64
	count int
}

// labelRows puts the words of marks on as many rows as they need so that none
// covers another.
func labelRows(marks []Mark, x func(time.Time) float64) labels {
	l := labels{row: make([]int, len(marks)), x: make([]float64, len(marks))}
	var ends []float64
	for i, m := range marks {
		at, half := x(m.Received), textWidth(m.Words)/2
		row := 0
		for row < len(ends) && ends[row] > at-half-6 {
			row++
		}
		if row == len(ends) {
			ends = append(ends, 0)
		}
		ends[row] = at + half
		l.row[i], l.x[i] = row, at
	}
	l.count = len(ends)
	return l
}

func (s *svg) bend(class string, x1, y1, x2, y2 float64) {
	mid := (y1 + y2) / 2
	s.raw(`<path class="`).raw(class).raw(`" d="M`).num(x1).raw(` `).num(y1).
		raw(`C`).num(x1).raw(` `).num(mid).raw(` `).num(x2).raw(` `).num(mid).raw(` `).num(x2).raw(` `).num(y2).raw(`"/>`)
}

func (s *svg) circle(class string, x, y, r float64) {
	s.raw(`<circle class="`).raw(class).raw(`" cx="`).num(x).raw(`" cy="`).num(y).raw(`" r="`).num(r).raw(`"/>`)
}
