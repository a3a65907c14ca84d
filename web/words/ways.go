package words

import (
	"fmt"
	"slices"
	"strings"

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
			clock.WithoutPhone: fmt.Sprintf("%s: a shared terminal. No mobile of theirs is known.", who),
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

// lost is what somebody lacks without a way of clocking, and what they gain by not having it.
var lost = map[clock.Way][2]string{
	clock.OwnDevice: {"clocks in nowhere but at the site, and not without signal; where they are is no longer taken",
		"needs no phone for it, and nobody asks where they are"},
	clock.Terminal:  {"doesn’t clock in at shared terminals", "has no PIN to remember, and waits behind nobody"},
	clock.PhoneLine: {"doesn’t clock in by a call", "has no number to call, and no keys to remember"},
	clock.Reporting: {"doesn’t write hours down any more", "has nothing to write: what is clocked counts"},
	clock.Device:    {"doesn’t clock in at what stands at the site", "clocks by their own phone alone, wherever they work"},
}

// WaysTaken says what somebody lacks, and what they gain, by ways of clocking that are
// taken from them; "" where none is.
func WaysTaken(given string, was, is []string) (wrong, right string) {
	var lacks, gains []string
	for _, way := range clock.Ways {
		if slices.Contains(was, string(way)) && !slices.Contains(is, string(way)) {
			lacks, gains = append(lacks, lost[way][0]), append(gains, lost[way][1])
		}
	}
	switch {
	case len(lacks) == 0:
		return "", ""
	case len(is) == 0:
		return given + " then can’t clock in by themselves at all", "Somebody else writes their hours. What they see of them stays"
	}
	return given + " then " + strings.Join(lacks, ", and "), "In return " + given + " " + strings.Join(gains, ", and ") +
		". Breaks, switching and clocking out are never refused"
}
