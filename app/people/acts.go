package people

import (
	"manudex/app"
)

// Acts lists the acts of this package, for the tests that hold the
// permission table and the routes against them.
var Acts = []app.Act{PutColumns{}, SetPerson{}, AddPerson{}, AddPosition{}, EndPerson{}, BringBack{}, ErasePerson{}, GrantRight{},
	TakeRight{}, ChangeMany{}, GiveSignIn{}, TakeSignIn{}, SetPIN{},
	PutOwnField{}, DropOwnField{}, ChangePassword{}, EndMySessions{}, BeginCode{}, ConfirmCode{}, DropCode{}, ResetCode{}, AddAuditor{},
	ChooseLanguage{}, AskPIN{}, TellNewSignIn{}, GivePINs{}, LearnBadge{}, DropBadges{},
	AddNewcomer{}, CompletePerson{}, JoinPerson{}}
