// Package roster is the plan: who works when and on what. A plan is a draft until people are
// told of it; only what they were told of is expected of them, and stands on their cards.
package roster

import "manudex/app"

// Acts lists the acts of this package, for the tests that hold the permission table and
// the routes against them.
var Acts = []app.Act{PlanShift{}, ChangeShift{}, DropShifts{}, CopyDays{}, KeepUsual{}, LayUsual{}, DropUsual{}, Tell{}, PutRule{}, Want{},
	OpenPlace{}, ClosePlace{}, AskForPlace{}, GivePlace{}, DeclineAsk{}, HandOver{}, TakeOfferBack{}, SayingSick{}, AgreeToChange{},
	PlanSeries{}, ChangeSeries{}, EndSeries{}, MakeShifts{}, TellPlace{}, MakeFeed{}, DropFeed{}}
