package hours

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{Punch{}, PunchOther{}, Swipe{}, SeePlace{}, AddNote{}, AddPhoto{}, AddExpense{}, DropExpense{}, Sign{}, SignClear{},
	Approve{},
	ApproveClear{}, ApproveTicked{}, TakeBack{},
	SendBack{}, Remind{}, Hold{}, Release{},
	KeepFinding{}, DropFinding{}, Looked{},
	EndStint{}, Amend{}, AskChange{}, TakeRequest{}, DeclineRequest{}, Object{}, AnswerObjection{}, TakeClaim{}, DeclineClaim{},
	CrewPunches{}, Borrow{}, GiveBack{}, NotThere{}, CountWork{}, SignSheet{},
	ReportHours{}, ReportLike{}, SignReported{}, LayHours{},
	PutDayField{}, CloseDayField{}, SayOfDay{}}
