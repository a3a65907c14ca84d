// Package leave is time off: who asks for it, who decides, and what it makes of days. Leave
// that is approved is what cards, the roster and pay runs live from.
package leave

import "manudex/app"

// Acts lists the acts of this package, for the tests that hold the permission table and the
// routes against them.
var Acts = []app.Act{PutLeaveKind{}, AskLeave{}, DecideLeave{}, ReopenLeave{}, WithdrawLeave{},
	PutLeavePolicy{}, GiveLeavePolicy{}, AdjustLeave{}, BookDueLeave{}, PutWindow{}, DropWindow{}, PutLeast{}, GiveLeave{}, DecideGift{},
	TakeGiftBack{}, TellLosing{}}
