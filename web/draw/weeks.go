package draw

// Bar is one of several that stand beside each other: its length in seconds, the
// words above and under it, and whether it still grows.
type Bar struct {
	Seconds    int64
	Over, Name string
	Running    bool
}

// Bars appends bars on one axis, the highest as high as there is room; what still
// grows ends in a point.
func Bars(dst []byte, bars []Bar, words string) []byte {
	const width, height, top, base = 620.0, 116.0, 18.0, 96.0
	var most int64 = 1
	for _, b := range bars {
		most = max(most, b.Seconds)
	}
	s := svg{dst}
	s.open("bars", width, height, words)
	s.line("g", 0, base, width, base)
	step := min(width/float64(max(len(bars), 1)), 64)
	for i, b := range bars {
		x, w := float64(i)*step, step-6
		high := float64(b.Seconds) / float64(most) * (base - top)
		switch {
		case b.Seconds == 0:
		case b.Running:
			point := min(high, 7)
			s.raw(`<path class="clk" d="M`).num(x).raw(` `).num(base).raw(`V`).num(base - high + point).raw(`L`).num(x + w/2).raw(` `).
				num(base - high).raw(`L`).num(x + w).raw(` `).num(base - high + point).raw(`V`).num(base).raw(`Z"/>`)
		default:
			s.rect("clk", x, base-high, w, high)
		}
		if b.Seconds > 0 {
			s.text("ax", x+w/2, base-high-4, b.Over)
		}
		s.text("ax", x+w/2, base+14, b.Name)
	}
	return s.raw(`</svg>`).b
}

// Left appends what is used of hours as one bar, in seconds: solid up to what was
// worked, an open frame for what is left, hatched where the hours are passed.
func Left(dst []byte, used, of int64, words string) []byte {
	const width, height = 620.0, 26.0
	s := svg{dst}
	s.open("bars", width, height, words)
	most := float64(max(used, of, 1))
	solid := float64(min(used, of)) / most * (width - 2)
	s.rect("clk", 1, 5, solid, 16)
	if used > of {
		s.rect("hand", 1+solid, 5, width-2-solid, 16)
		s.line("brk", 1+solid, 1, 1+solid, 25)
	} else {
		s.rect("plan", 1, 5, width-2, 16)
	}
	return s.raw(`</svg>`).b
}
