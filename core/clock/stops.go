package clock

import (
	"slices"
	"strings"
	"time"
)

// Stay is somebody's time at a place; one that goes on has no end.
type Stay struct {
	From, To time.Time
	Place    string
	Planned  bool // not yet come
}

// Stop is where a crew was from an instant on: where most of it worked.
type Stop struct {
	At      time.Time
	Place   string
	Planned bool
}

// Stops makes one line of where a crew is, was and goes next, of the stays of all
// its people: a stop begins when more of them work at another place than at the
// one before. While nobody works, as on a meal, they are where they were. Planned
// stays come after what was worked, by their begin.
func Stops(stays []Stay) []Stop {
	var at []time.Time
	for _, s := range stays {
		if !s.Planned {
			at = append(at, s.From, s.To)
		}
	}
	at = slices.DeleteFunc(at, time.Time.IsZero)
	slices.SortFunc(at, time.Time.Compare)
	var line []Stop
	last := ""
	for _, t := range slices.CompactFunc(at, time.Time.Equal) {
		if place := mostly(stays, t, last); place != last {
			line, last = append(line, Stop{At: t, Place: place}), place
		}
	}
	planned := slices.DeleteFunc(slices.Clone(stays), func(s Stay) bool { return !s.Planned })
	slices.SortStableFunc(planned, func(a, b Stay) int { return a.From.Compare(b.From) })
	for _, s := range planned {
		if s.Place != last {
			line, last = append(line, Stop{s.From, s.Place, true}), s.Place
		}
	}
	return line
}

// mostly gives the place at which most work at an instant: the one before where
// as many do, and where nobody works; of others the first by name.
func mostly(stays []Stay, t time.Time, before string) string {
	count := map[string]int{}
	for _, s := range stays {
		if !s.Planned && !s.From.After(t) && (s.To.IsZero() || s.To.After(t)) {
			count[s.Place]++
		}
	}
	best := before
	for place, n := range count {
		if n > count[best] || n == count[best] && best != before && strings.Compare(place, best) < 0 {
			best = place
		}
	}
	return best
}
