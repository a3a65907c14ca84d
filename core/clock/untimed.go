package clock

import "time"

// Span is a stretch of time [From, To).
type Span struct{ From, To time.Time }

// PlaceHours places lengths of time one after the other, from an instant on, where none of
// some stints in order of time lies: hours of which nobody says the times, for what needs
// one. None is cut; each that would meet a stint begins where that ends. What runs has no
// end, and nothing is placed after it: ok is false then.
func PlaceHours(from time.Time, taken []Stint, lengths []time.Duration) (spans []Span, ok bool) {
	at := from
	for _, length := range lengths {
		span := Span{at, at.Add(length)}
		for _, s := range taken {
			if !s.Start.Before(span.To) || !s.Open() && !s.End.After(span.From) {
				continue
			}
			if s.Open() {
				return nil, false
			}
			span = Span{s.End, s.End.Add(length)}
		}
		spans, at = append(spans, span), span.To
	}
	return spans, true
}
