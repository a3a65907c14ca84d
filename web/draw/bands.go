package draw

import (
	"strconv"
	"time"

	"manudex/core/when"
)

// BandAxis is the days over which people's leave is drawn.
type BandAxis struct {
	Days  when.Period
	Each  float64 // how wide a day is
	Today when.Date
	Off   map[when.Date]bool // holidays
	Shut  []when.Period      // on which nobody takes leave
}

// Band is a stretch of days that somebody is away, or asks to be.
type Band struct {
	Days  when.Period
	Label string
	Asked bool
}

// BandCount is how many are left to work on a day; Expected 0 for a day on which nobody is.
type BandCount struct {
	Left, Expected int
	Short          bool // they are too few
}

const (
	bandHigh  = 24.0
	countHigh = 22.0
	headHigh  = 34.0
)

func (a BandAxis) width() float64 { return float64(a.Days.Days()) * a.Each }

func (a BandAxis) x(d when.Date) float64 { return float64(d-a.Days.From) * a.Each }

// BandHead appends the days above the rows: their number, and where weeks and months begin.
func BandHead(dst []byte, a BandAxis) []byte {
	s := svg{dst}
	s.open("bands", a.width(), headHigh, "")
	for i, d := range a.Days.Dates() {
		if i == 0 || d.Format("2") == "1" {
			s.text("ax first", a.x(d)+2, 11, d.Format("January 2006"))
		}
		class := "ax"
		if d == a.Today {
			class = "ax today"
		}
		s.text(class, a.x(d)+a.Each/2, 28, d.Format("2"))
	}
	s.ground(a, headHigh, 16)
	return s.raw(`</svg>`).b
}

// BandRow appends somebody's days.
func BandRow(dst []byte, a BandAxis, bands []Band, words string) []byte {
	s := svg{dst}
	s.open("bands", a.width(), bandHigh, words)
	s.ground(a, bandHigh, 0)
	for _, b := range bands {
		s.band(a, b, 3)
	}
	return s.raw(`</svg>`).b
}

// BandCounts appends how many are left to work, where they are too few marked.
func BandCounts(dst []byte, a BandAxis, counts []BandCount, words string) []byte {
	s := svg{dst}
	s.open("bands", a.width(), countHigh, words)
	s.ground(a, countHigh, 0)
	s.counts(a, counts, 0)
	return s.raw(`</svg>`).b
}

// BandsOf appends some people's days with their names, and beneath how many are left to work.
func BandsOf(dst []byte, a BandAxis, names []string, rows [][]Band, counts []BandCount, words string) []byte {
	const each, foot = 15.0, 12.0
	high := float64(len(rows))*each + countHigh + foot
	s := svg{dst}
	s.open("bands few", a.width()+bandNames, high, words)
	s.raw(`<g transform="translate(`).num(bandNames).raw(` 0)">`)
	s.ground(a, high-foot, 0)
	for i, row := range rows {
		for _, b := range row {
			b.Label = ""
			x, w := a.x(max(b.Days.From, a.Days.From)), a.x(min(b.Days.To, a.Days.To)+1)
			s.rect(bandClass(b), x+1, float64(i)*each+2, w-x-2, each-4)
		}
	}
	top := float64(len(rows)) * each
	s.counts(a, counts, top)
	for i, d := range a.Days.Dates() {
		if d.Weekday() == time.Monday || i == 0 {
			s.text("ax first", a.x(d)+1, high-2, d.Format("2 Jan"))
		}
	}
	s.raw(`</g>`)
	for i, name := range names {
		s.text("ax first", 0, float64(i)*each+11, name)
	}
	s.text("ax first", 0, top+15, "left to work")
	return s.raw(`</svg>`).b
}

const bandNames = 96.0

// ground draws days that aren't worked, days without leave, where weeks begin, and today.
func (s *svg) ground(a BandAxis, high, top float64) {
	for _, d := range a.Days.Dates() {
		day := d.Weekday()
		switch {
		case a.Off[d]:
			s.rect("dayoff holiday", a.x(d), top, a.Each, high-top)
		case day == time.Saturday || day == time.Sunday:
			s.rect("dayoff", a.x(d), top, a.Each, high-top)
		}
		if day == time.Monday {
			s.line("g", a.x(d), top, a.x(d), high)
		}
	}
	for _, p := range a.Shut {
		if p.To >= a.Days.From && p.From <= a.Days.To {
			from, to := a.x(max(p.From, a.Days.From)), a.x(min(p.To, a.Days.To)+1)
			s.line("shut", from, top+1, to, top+1)
		}
	}
	if a.Days.From <= a.Today && a.Today <= a.Days.To {
		s.line("now", a.x(a.Today)+a.Each/2, top, a.x(a.Today)+a.Each/2, high)
	}
}

func bandClass(b Band) string {
	if b.Asked {
		return "leave wished"
	}
	return "leave"
}

func (s *svg) band(a BandAxis, b Band, top float64) {
	from, to := max(b.Days.From, a.Days.From), min(b.Days.To, a.Days.To)
	x, w := a.x(from), a.x(to+1)-a.x(from)
	s.raw(`<g><title>`).esc(b.Label).raw(`</title>`)
	s.rect(bandClass(b), x+1, top, w-2, bandHigh-2*top)
	if textWidth(b.Label) <= w+6 {
		s.text("lv", x+5, top+13, b.Label)
	}
	s.raw(`</g>`)
}

func (s *svg) counts(a BandAxis, counts []BandCount, top float64) {
	for i, d := range a.Days.Dates() {
		if i >= len(counts) || counts[i].Expected == 0 {
			continue
		}
		class := "ax"
		if counts[i].Short {
			s.rect("toofew", a.x(d)+1, top+3, a.Each-2, 16)
			class = "ax toofew"
		}
		s.text(class, a.x(d)+a.Each/2, top+15, strconv.Itoa(counts[i].Left))
	}
}
