package payroll

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{CloseRun{}, TurnRun{}, TakeMoneyBack{}, PrepareRun{}, GiveUpRun{}, AnswerHours{},
	CheckRun{}, AddTask{}, DropTask{}, TickTask{}, PutAdjustments{},
	EndAdjustment{}, PutDifferential{}, EndDifferential{}, PutLayout{}, DropLayout{}, PutWay{}, DropWay{},
	PutAccount{}, PutDebtor{}, BringNet{}, MakeTransfers{},
	PutPayCode{},
	PutCodeOrder{}, PutCostCode{}, PutClass{}, PutPeriodGroup{},
	DropPeriodGroup{}}

func (PutPeriodGroup) Alone() {}

func (DropPeriodGroup) Alone() {}

func (PutPayCode) Alone() {}

func (PutCodeOrder) Alone() {}
