package draw

import (
	"strconv"
	"time"

	"manudex/core/when"
)

// Step is that a balance comes to some hours, or days, on a day.
type Step struct {
	On     when.Date
	Amount float64
}

// Rule is a height that something may not pass, or what is carried over.
type Rule struct {
	Amount float64
	Label  string
}

// Forecast is how a balance was and goes on, from a day to another.
type Forecast struct {
	From, Today, To when.Date
	Steps           []Step // by date, the first on or before From
	Asked           []Step // with what is asked for besides, nil where nothing is
	Lost            []Step // by date: what is lost then, positive
	Rules           []Rule
	Unit            string  // "h" or "d"
	Width           float64 // 0 for that of a phone
}

const (
	phoneWidth                          = 340.0
	balanceTop, balanceBase, balanceEnd = 24.0, 150.0, 168.0
)

// Balance appends a forecast as a line that steps, what is asked for dashed; what has to be
// looked at lies across it, what is lost is marked, and the months stand under it. Its steps
// stand in the picture's data, by days since 1970, so that a hand along it can read any day.
func Balance(dst []byte, f Forecast, words string) []byte {
	if f.Width == 0 {
		f.Width = phoneWidth
	}
	low, high := 0.0, 1.0
	for _, steps := range [][]Step{f.Steps, f.Asked} {
		for _, p := range steps {
			low, high = min(low, p.Amount), max(high, p.Amount)
		}
	}
	for _, r := range f.Rules {
		if r.Amount <= 1.6*high { // one far above would flatten all
			high = max(high, r.Amount)
		}
	}
	x := func(d when.Date) float64 {
		return float64(min(max(d, f.From), f.To)-f.From) / float64(max(f.To-f.From, 1)) * f.Width
	}
	y := func(amount float64) float64 { return balanceBase - (amount-low)/(high-low)*(balanceBase-balanceTop) }
	s := svg{dst}
	s.raw(`<svg class="balanceline" viewBox="0 0 `).num(f.Width).raw(` `).num(balanceEnd).raw(`" tabindex="0" role="slider"`)
	s.raw(` aria-label="`).esc(words).raw(`" aria-valuemin="`).raw(strconv.Itoa(int(f.From))).raw(`" aria-valuemax="`)
	s.raw(strconv.Itoa(int(f.To))).raw(`" aria-valuenow="`).raw(strconv.Itoa(int(f.Today))).raw(`" aria-valuetext="`)
	s.esc(f.Today.Format("2 Jan 2006") + ": " +
		fixed(amountAt(f.Steps, f.Today)) + " " + f.Unit).raw(`"`)
	s.steps("steps", f.Steps)
	s.steps("asked", f.Asked)
	s.raw(`>`)
	s.months(f, x)
	s.line("g zero", 0, y(0), f.Width, y(0))
	for _, r := range f.Rules {
		if r.Amount <= high {
			s.line("limit", 0, y(r.Amount), f.Width, y(r.Amount))
			s.text("ax first", 2, y(r.Amount)-3, r.Label)
		}
	}
	s.line("nowline", x(f.Today), balanceTop-8, x(f.Today), balanceBase)
	if f.Asked != nil {
		s.stepLine("balance asked", f.Asked, f, x, y)
	}
	s.stepLine("balance", f.Steps, f, x, y)
	for _, l := range f.Lost {
		s.lost(f, x(l.On), y(amountAt(f.Steps, l.On-1)), l)
	}
	s.line("readline", x(f.Today), balanceTop-8, x(f.Today), balanceBase)
	return s.raw(`</svg>`).b
}

// amountAt is what steps come to at the end of a day.
func amountAt(steps []Step, d when.Date) (amount float64) {
	for _, p := range steps {
		if p.On > d {
			break
		}
		amount = p.Amount
	}
	return amount
}

func fixed(f float64) string { return strconv.FormatFloat(f, 'f', 2, 64) }

// steps writes steps as data: the last of each day.
func (s *svg) steps(name string, steps []Step) {
	if steps == nil {
		return
	}
	s.raw(` data-`).raw(name).raw(`="`)
	for i, p := range steps {
		if i+1 < len(steps) && steps[i+1].On == p.On {
			continue
		}
		s.raw(strconv.Itoa(int(p.On))).raw(`:`).raw(fixed(p.Amount)).raw(` `)
	}
	s.raw(`"`)
}

// stepLine draws steps.
func (s *svg) stepLine(class string, steps []Step, f Forecast, x func(when.Date) float64, y func(float64) float64) {
	s.raw(`<path class="`).raw(class).raw(`" d="M0 `).num(y(amountAt(steps, f.From)))
	for i, p := range steps {
		if p.On > f.From && p.On <= f.To && (i+1 == len(steps) || steps[i+1].On != p.On) {
			s.raw(`H`).num(x(p.On)).raw(`V`).num(y(p.Amount))
		}
	}
	s.raw(`H`).num(f.Width).raw(`"/>`)
}

// lost marks what is lost on a day.
func (s *svg) lost(f Forecast, x, y float64, l Step) {
	s.raw(`<path class="lostmark" d="M`).num(x - 4).raw(` `).num(y - 9).raw(`h8l-4 7z"/>`)
	s.text("ax lostword", min(max(x, 26), f.Width-30), max(y-12, 9), "−"+fixed(l.Amount)+" "+f.Unit)
}

// months draws where months begin, with the names of those that have room, and the years.
func (s *svg) months(f Forecast, x func(when.Date) float64) {
	every := 1
	for float64(f.To-f.From)/30/float64(every) > 9*f.Width/phoneWidth {
		every++
	}
	for i := 0; ; i++ {
		d := when.NewDate(f.From.Year(), time.January+time.Month(i), 1)
		if d > f.To {
			return
		}
		if d <= f.From {
			continue
		}
		class := "g"
		if i%12 == 0 {
			class = "g year"
		}
		s.line(class, x(d), balanceTop, x(d), balanceBase)
		if i%12%every != 0 || x(d) > f.Width-16 {
			continue
		}
		name := d.Format("Jan")
		if i%12 == 0 {
			name = d.Format("2006")
		}
		s.text("ax", max(x(d), 13), balanceEnd-4, name)
	}
}
