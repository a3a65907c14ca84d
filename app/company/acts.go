package company

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{SetCompany{}, SetMark{}, SetMap{}, PutRules{}, DropRules{}, PutHoliday{}, DropHoliday{}, FillHolidays{}, PutSite{},
	PutFlagsOff{}, PutAway{}, PutAsk{}, DropAsk{},
	PutUnit{}, PutJobKind{}, AddSamples{}, DropSamples{}, TakeStep{}}

// What changes the settings, or what was or will be paid, is done alone.
func (SetCompany) Alone()   {}
func (SetMark) Alone()      {}
func (PutAsk) Alone()       {}
func (DropAsk) Alone()      {}
func (SetMap) Alone()       {}
func (PutRules) Alone()     {}
func (DropRules) Alone()    {}
func (PutHoliday) Alone()   {}
func (DropHoliday) Alone()  {}
func (FillHolidays) Alone() {}
func (PutSite) Alone()      {}
func (PutFlagsOff) Alone()  {}
func (PutAway) Alone()      {}
func (PutUnit) Alone()      {}
func (PutJobKind) Alone()   {}
func (AddSamples) Alone()   {}
func (DropSamples) Alone()  {}
func (TakeStep) Alone()     {}
