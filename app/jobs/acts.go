package jobs

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{SetJob{}, AddJob{}, AddTasks{}, WorkAs{}, SplitTask{}, CloseTask{}, SetTask{}, OpenJobTo{}, CloseJobTo{}, SetWage{},
	ShareHours{}, TakeShare{}, RenameCustomer{}}

// What changes the settings, or what was or will be paid, is done alone.
func (SetJob) Alone()  {}
func (SetWage) Alone() {}
