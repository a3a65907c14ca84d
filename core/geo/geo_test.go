package geo

import (
	"math"
	"testing"
)

func TestMetres(t *testing.T) {
	for _, c := range []struct {
		name string
		a, b Point
		want float64
	}{
		{"same place", Point{43.1, -70.2}, Point{43.1, -70.2}, 0},
		{"a minute of latitude is a nautical mile", Point{43, -70}, Point{43 + 1.0/60, -70}, 1853.2},
		{"a quarter of the equator", Point{0, 0}, Point{0, 90}, 10007557},
		{"opposite sides", Point{0, 0}, Point{0, 180}, 20015115},
	} {
		if got := Metres(c.a, c.b); math.Abs(got-c.want) > 1 {
			t.Errorf("%s: %v m, want %v", c.name, got, c.want)
		}
	}
}

func TestFence(t *testing.T) {
	f := Fence{Point{43, -70}, 200}
	if d := f.Outside(Point{43.001, -70}); d != 0 {
		t.Errorf("111 m from the centre of a 200 m fence counts as %v m outside", d)
	}
	if d := f.Outside(Point{43.028, -70}); math.Abs(d-3113) > 5 {
		t.Errorf("distance from the centre is %v, want about 3113", d)
	}
	on := Point{43.001, -70}
	if d := (Fence{Point: Point{43, -70}, Radius: Metres(Point{43, -70}, on)}).Outside(on); d != 0 {
		t.Errorf("a point on the fence counts as %v m outside", d)
	}
	if d := (Fence{Point: Point{43, -70}}).Outside(Point{0, 0}); d != 0 {
		t.Errorf("a site without a fence has an outside: %v", d)
	}
}

// A view's At and Point are inverse, and agree with distances on the ground.
func TestView(t *testing.T) {
	v := View{Centre: Point{Lat: 40.118, Lon: -50.221}, Across: 4000, High: 2000}
	if x, y := v.At(v.Centre); x != 0.5 || y != 0.5 {
		t.Errorf("the middle is at %v, %v", x, y)
	}
	for _, at := range [][2]float64{{0, 0}, {1, 1}, {0.25, 0.9}, {0.5, 0}} {
		p := v.Point(at[0], at[1])
		if x, y := v.At(p); math.Abs(x-at[0]) > 1e-9 || math.Abs(y-at[1]) > 1e-9 {
			t.Errorf("%v became %v, %v", at, x, y)
		}
		flat := math.Hypot((at[0]-0.5)*v.Across, (at[1]-0.5)*v.High)
		if d := Metres(v.Centre, p); math.Abs(d-flat) > flat*0.001 {
			t.Errorf("%v is %v m from the middle, drawn at %v m", at, d, flat)
		}
	}
	far := []Point{{40.118, -50.221}, {40.2065, -50.148}, {40.041, -50.0905}}
	v = ViewOf(far, 500, 0.5)
	for _, p := range far {
		if x, y := v.At(p); x < 0 || x > 1 || y < 0 || y > 1 {
			t.Errorf("%v lies outside, at %v, %v", p, x, y)
		}
	}
	if v.High != v.Across/2 || ViewOf(far[:1], 500, 0.5).Across != 500 || ViewOf(nil, 500, 0.5).Across != 500 {
		t.Errorf("proportions %v", v)
	}
}
