package clock

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"
)

func TestPlaceHours(t *testing.T) {
	stint := func(from, to string) Stint {
		s := Stint{Start: at(from)}
		if to != "" {
			s.End = at(to)
		}
		return s
	}
	for _, c := range []struct {
		name  string
		taken []Stint
		hours []float64
		want  string
	}{
		{"one after the other", nil, []float64{4, 3.5}, "07:00-11:00 11:00-14:30"},
		{"after what was clocked", []Stint{stint("06:00", "08:00")}, []float64{1}, "08:00-09:00"},
		{"before it", []Stint{stint("09:00", "10:00")}, []float64{2}, "07:00-09:00"},
		{"not cut by it", []Stint{stint("08:00", "10:00")}, []float64{2, 1}, "10:00-12:00 12:00-13:00"},
		{"past several", []Stint{stint("08:00", "09:00"), stint("10:00", "11:00")}, []float64{2}, "11:00-13:00"},
		{"not after what runs", []Stint{stint("08:00", "")}, []float64{2}, "none"},
		{"before what runs", []Stint{stint("09:00", "")}, []float64{2}, "07:00-09:00"},
	} {
		lengths := make([]time.Duration, len(c.hours))
		for i, h := range c.hours {
			lengths[i] = time.Duration(h * float64(time.Hour))
		}
		spans, ok := PlaceHours(at("07:00"), c.taken, lengths)
		var got []string
		for _, s := range spans {
			got = append(got, s.From.Format("15:04")+"-"+s.To.Format("15:04"))
		}
		if !ok {
			got = []string{"none"}
		}
		if fmt.Sprint(strings.Join(got, " ")) != c.want {
			t.Errorf("%s: %v, want %s", c.name, got, c.want)
		}
	}
}

// Whatever is taken, hours that are placed keep their length, follow on one another and lie
// over nothing.
func TestPlacedHoursLieOverNothing(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 15))
	for range 2000 {
		var taken []Stint
		for at := at("00:00"); rng.IntN(4) > 0; {
			at = at.Add(time.Duration(rng.IntN(180)) * time.Minute)
			s := Stint{Start: at, End: at.Add(time.Duration(1+rng.IntN(180)) * time.Minute)}
			taken, at = append(taken, s), s.End
		}
		lengths := make([]time.Duration, 1+rng.IntN(4))
		for i := range lengths {
			lengths[i] = time.Duration(1+rng.IntN(300)) * time.Minute
		}
		spans, ok := PlaceHours(at("06:00"), taken, lengths)
		if !ok || len(spans) != len(lengths) {
			t.Fatal("nothing runs, and they were not placed")
		}
		for i, s := range spans {
			if s.To.Sub(s.From) != lengths[i] || s.From.Before(at("06:00")) || i > 0 && s.From.Before(spans[i-1].To) {
				t.Fatalf("%v after %v, of %v", s, spans, lengths)
			}
			for _, o := range taken {
				if o.Start.Before(s.To) && o.End.After(s.From) {
					t.Fatalf("%v lies over %v to %v", s, o.Start, o.End)
				}
			}
		}
	}
}
