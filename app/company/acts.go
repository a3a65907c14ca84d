package company

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{SetCompany{}, SetMark{}, SetMap{}, PutRules{}, DropRules{}, PutHoliday{}, DropHoliday{}, FillHolidays{}, PutSite{}, PutUnit{}, PutJobKind{}, AddSamples{}, DropSamples{}, TakeStep{}}
