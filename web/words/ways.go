package words

import (
	"fmt"

	"manudex/core/clock"
)

// Suits says which ways of clocking suit the people of a site, and why.
func Suits(h clock.Habits) []string {
	var said []string
	for _, s := range clock.Suits(h) {
		who := fmt.Sprintf("%d of %d", s.For, h.People)
		if s.For == h.People {
			who = "All"
		}
		said = append(said, map[clock.Reason]string{
			clock.TheyMove:     fmt.Sprintf("%s: their own phone. They move between sites, and it goes with them.", who),
			clock.NearlyAll:    fmt.Sprintf("%s: their own phone. They have one, so nothing has to be bought.", who),
			clock.SomeOfThem:   fmt.Sprintf("%s: their own phone, which they have.", who),
			clock.WithoutPhone: fmt.Sprintf("%s: a browser that stands there. No mobile of theirs is known.", who),
		}[s.Why])
	}
	return said
}

// Lacking says how many of the people of a site can't clock in by themselves, "" where
// all can.
func Lacking(h clock.Habits) string {
	if n := h.People - h.Given; n > 0 {
		return Plural(n, "person isn’t", "people aren’t") + " given it"
	}
	return ""
}
