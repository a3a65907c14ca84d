package app

// acts_payroll lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var acts_payroll = []Act{CloseRun{}, PutPayCode{}, PutCodeOrder{}, PutCostCode{}, PutClass{}, PutPeriodGroup{}, DropPeriodGroup{}}
