package clock

import "slices"

// Point names where a punch came from.
type Point string

// The points that punches come from so far. A queue is a device's own that had
// no signal; by hand is by somebody else, or afterwards.
const (
	OwnPhone   Point = "phone"
	Browser    Point = "browser"
	HandEntry  Point = "hand"
	DelayQueue Point = "queue"
)

// Way is a way of clocking that people are given: what their settings name.
type Way string

// OwnDevice is clocking from one's own phone or browser.
const OwnDevice Way = "own phone or browser"

// Ways are the ways that people can be given.
var Ways = []Way{OwnDevice}

// Way is the way of clocking that a point belongs to, "" for what is no
// person's own: nobody is given entry by hand.
func (p Point) Way() Way {
	if slices.Contains([]Point{OwnPhone, Browser, DelayQueue}, p) {
		return OwnDevice
	}
	return ""
}
