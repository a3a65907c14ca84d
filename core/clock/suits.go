package clock

// Habits are what is known of the people of a site, for choosing how they clock.
type Habits struct {
	People int     // who clock
	Phones int     // of them, who have a number of their own
	Given  int     // of them, who were given the way that is asked about
	Days   int     // that somebody worked, of the last weeks; what was seen rests on them
	Moves  float64 // from site to site, of one of them on one of those days
}

// Reason says why a way suits people.
type Reason string

// The reasons.
const (
	TheyMove     Reason = "move"   // between sites: what stands at one doesn't see them
	NearlyAll    Reason = "nearly" // have a phone: nothing has to be bought
	SomeOfThem   Reason = "some"   // have one
	WithoutPhone Reason = "none"   // have none: a shared terminal, or somebody writes their hours
)

// Suit is a way that suits some of the people of a site, and why.
type Suit struct {
	Way Way
	For int
	Why Reason
}

const (
	oftenMove = 0.5 // moves a day, from which on people are said to move
	nearlyAll = 0.8 // of people, from which on it is nearly all
)

// Suits proposes how the people of a site clock, by what is known of them: only ways
// that people can be given.
func Suits(h Habits) []Suit {
	var found []Suit
	why := SomeOfThem
	switch {
	case h.Days > 0 && h.Moves >= oftenMove:
		why = TheyMove
	case float64(h.Phones) >= nearlyAll*float64(h.People):
		why = NearlyAll
	}
	if h.Phones > 0 {
		found = append(found, Suit{OwnDevice, h.Phones, why})
	}
	if without := h.People - h.Phones; without > 0 {
		found = append(found, Suit{Terminal, without, WithoutPhone})
	}
	return found
}
