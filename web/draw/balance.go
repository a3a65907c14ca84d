package draw

import (
	"strconv"
	"time"

	"manudex/core/when"
)

// Step is that a balance comes to some hours on a day.
type Step struct {
	On    when.Date
	Hours float64
}

// Forecast is how a balance goes on from a day to another: Now holds at the end of From.
type Forecast struct {
	From, To when.Date
	Now      float64
	Steps    []Step // by date
}

// Balance appends a forecast as a line that steps, over a line for none; the months stand under
// it, the highest and the lowest on the line.
func Balance(dst []byte, f Forecast, words string) []byte {
	const width, top, base, foot = 340.0, 18.0, 88.0, 106.0 // as wide as a phone
	low, high := min(0, f.Now), max(1, f.Now)
	for _, p := range f.Steps {
		low, high = min(low, p.Hours), max(high, p.Hours)
	}
	x := func(d when.Date) float64 { return float64(d-f.From) / float64(max(f.To-f.From, 1)) * width }
	y := func(hours float64) float64 { return base - (hours-low)/(high-low)*(base-top) }
	s := svg{dst}
	s.open("bars", width, foot, words)
	month := func(i int) when.Date { return when.NewDate(f.From.Year(), time.January+time.Month(i), 1) }
	for i := 0; month(i) <= f.To; i++ {
		d, end := month(i), month(i+1)
		if d <= f.From {
			continue
		}
		s.line("g", x(d), top, x(d), base)
		if x(end)-x(d) > 34 || i%2 == 0 { // where it is narrow, every other
			s.text("ax", (x(d)+x(min(end, f.To+1)))/2, foot-4, d.Format("Jan"))
		}
	}
	s.line("g", 0, y(0), width, y(0))
	s.raw(`<path class="balance" d="M0 `).num(y(f.Now))
	for _, p := range f.Steps {
		s.raw(`H`).num(x(p.On)).raw(`V`).num(y(p.Hours))
	}
	s.raw(`H`).num(width).raw(`"/>`)
	s.text("ax first", 2, y(high)-5, strconv.FormatFloat(high, 'f', 2, 64)+" h")
	return s.raw(`</svg>`).b
}
