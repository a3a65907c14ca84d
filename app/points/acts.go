// Package points holds the clock points of the company: the devices at its sites, the
// keys by which they act, and what they ask and send.
package points

import "manudex/app"

// Acts lists the acts of this package, for the tests that hold the permission table and
// the routes against them.
var Acts = []app.Act{PutPoint{}, ClosePoint{}, GiveKey{}, EndKey{}}
