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

	AtTerminal    Point = "terminal"       // a browser that stands at a site, where several clock
	TerminalQueue Point = "terminal queue" // that had no signal

	AtLine Point = "line" // a phone line, by keys

	OnSheet    Point = "sheet"       // a crew's sheet, by whoever leads it
	SheetQueue Point = "sheet queue" // that had no signal
)

// Way is a way of clocking that people are given: what their settings name.
type Way string

// OwnDevice is clocking from one's own phone or browser.
const OwnDevice Way = "own phone or browser"

// Device is clocking at a device of the company's, at one's site.
const Device Way = "device at the site"

// Terminal is clocking at a shared terminal, by number and PIN.
const Terminal Way = "shared terminal"

// PhoneLine is clocking by a call.
const PhoneLine Way = "phone line"

// Reporting is no clocking: they write down how long they were at work.
const Reporting Way = "hours by hand"

// Ways are the ways that people can be given.
var Ways = []Way{OwnDevice, Terminal, Device, PhoneLine, Reporting}

// Queued says whether what came from the point had waited there: it can't be pressed
// again.
func (p Point) Queued() bool {
	return p == DelayQueue || p == PointQueue || p == TerminalQueue || p == SheetQueue
}

// Stands says whether the point is the company's and stands somewhere: whoever pressed
// there has walked away before anything can be asked.
func (p Point) Stands() bool {
	return p == AtPoint || p == AtTerminal || p == PointQueue || p == TerminalQueue || p == AtLine
}

// Jobless says whether who clocks in at the point may be on no job yet: nobody is turned
// away there over it.
func (p Point) Jobless() bool { return p.Stands() || p == OnSheet || p == SheetQueue }

// Way is the way of clocking that a point belongs to, "" for what is no
// person's own: nobody is given entry by hand.
func (p Point) Way() Way {
	if slices.Contains([]Point{OwnPhone, Browser, DelayQueue}, p) {
		return OwnDevice
	}
	if p == AtPoint || p == PointQueue {
		return Device
	}
	if p == AtTerminal || p == TerminalQueue {
		return Terminal
	}
	if p == AtLine {
		return PhoneLine
	}
	return ""
}
