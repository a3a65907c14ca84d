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

	AtPoint    Point = "point"       // a device of the company's at a site
	PointQueue Point = "point queue" // that had no signal
)

// Way is a way of clocking that people are given: what their settings name.
type Way string

// OwnDevice is clocking from one's own phone or browser.
const OwnDevice Way = "own phone or browser"

// Device is clocking at a device of the company's, at one's site.
const Device Way = "device at the site"

// Ways are the ways that people can be given.
var Ways = []Way{OwnDevice, Device}

// Queued says whether what came from the point had waited there: it can't be pressed
// again.
func (p Point) Queued() bool { return p == DelayQueue || p == PointQueue }

// Way is the way of clocking that a point belongs to, "" for what is no
// person's own: nobody is given entry by hand.
func (p Point) Way() Way {
	if slices.Contains([]Point{OwnPhone, Browser, DelayQueue}, p) {
		return OwnDevice
	}
	if p == AtPoint || p == PointQueue {
		return Device
	}
	return ""
}
