package draw

import "manudex/core/geo"

// Pin is a place marked on a map.
type Pin struct {
	At    geo.Point
	Kind  string // "site", "job", "punch", "off" for a punch outside its fence, "way" for a place along the way
	Label string
	Fence float64    // metres, 0 for none
	From  *geo.Point // of a punch outside: the place it should have been at
}

// Map appends a map: what lies beneath, fences, and pins with their labels.
// data is further attributes of the svg element, as name="value".
func Map(dst []byte, v geo.View, width float64, shapes []geo.Shape, pins []Pin, words, data string) []byte {
	height := width * v.High / v.Across
	s := svg{dst}
	at := func(p geo.Point) (x, y float64) {
		x, y = v.At(p)
		return x * width, y * height
	}
	s.raw(`<svg class="map" viewBox="0 0 `).num(width).raw(` `).num(height).
		raw(`" width="`).num(width).raw(`" height="`).num(height).raw(`" role="img" aria-label="`).esc(words).raw(`"`)
	if data != "" {
		s.raw(` `).raw(data)
	}
	s.raw(`>`)
	for _, area := range []bool{true, false} { // lines lie over areas
		for _, sh := range shapes {
			if sh.Area == area && shows(sh, v) {
				s.shape(sh, at)
			}
		}
	}
	scale := width / v.Across
	for _, p := range pins {
		if p.Fence > 0 {
			x, y := at(p.At)
			s.circle("fence", x, y, p.Fence*scale)
		}
	}
	for _, p := range pins {
		s.pin(p, at, width, height)
	}
	s.scale(v, width, height)
	return append(s.b, `</svg>`...)
}

// shows says whether a shape can be seen in a view, by the box around it.
func shows(sh geo.Shape, v geo.View) bool {
	left, top, right, bottom := 1.0, 1.0, 0.0, 0.0
	for _, line := range sh.Lines {
		for _, p := range line {
			x, y := v.At(p)
			left, right, top, bottom = min(left, x), max(right, x), min(top, y), max(bottom, y)
		}
	}
	return left < 1 && right > 0 && top < 1 && bottom > 0
}

func (s *svg) shape(sh geo.Shape, at func(geo.Point) (x, y float64)) {
	class := map[string]string{"water": "water", "land": "land", "road": "road", "river": "river"}[sh.Kind]
	if class == "" {
		class = map[bool]string{true: "land", false: "road"}[sh.Area]
	}
	s.raw(`<path class="`).raw(class).raw(`" d="`)
	for _, line := range sh.Lines {
		for i, p := range line {
			x, y := at(p)
			s.raw(map[bool]string{true: "M", false: "L"}[i == 0]).num(x).raw(" ").num(y)
		}
		if sh.Area {
			s.raw("z")
		}
	}
	s.raw(`"/>`)
}

func (s *svg) pin(p Pin, at func(geo.Point) (x, y float64), width, height float64) {
	x, y := at(p.At)
	if x < 0 || y < 0 || x > width || y > height {
		return
	}
	switch p.Kind {
	case "site":
		s.rect("pin", x-4, y-4, 8, 8)
	case "off":
		if p.From != nil {
			fx, fy := at(*p.From)
			s.line("lk h", fx, fy, x, y)
		}
		s.circle("dot h", x, y, 4.5)
	case "way":
		s.circle("way", x, y, 2.5)
	default:
		s.circle("dot", x, y, 4)
	}
	if p.Label == "" {
		return
	}
	above := y - 9
	if above < 12 {
		above = y + 17
	}
	s.text("tl", min(max(x, 6*float64(len(p.Label))/2+4), width-6*float64(len(p.Label))/2-4), above, p.Label)
}

// scale draws how long some round length is, at the lower left.
func (s *svg) scale(v geo.View, width, height float64) {
	length, words := 100.0, "100 m"
	for _, l := range []struct {
		metres float64
		words  string
	}{{500, "500 m"}, {1000, "1 km"}, {5000, "5 km"}, {10_000, "10 km"}, {50_000, "50 km"}} {
		if l.metres < v.Across/3 {
			length, words = l.metres, l.words
		}
	}
	x2 := 10 + length*width/v.Across
	s.line("plan", 10, height-10, x2, height-10)
	s.text("", x2+6, height-6, words)
}
