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
	if d := (Fence{Point: Point{43, -70}}).Outside(Point{0, 0}); d != 0 {
		t.Errorf("a site without a fence has an outside: %v", d)
	}
}
