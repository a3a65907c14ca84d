package company

// actNames says what each act did, for the audit list. Acts that leave no row
// in it have none.
var actNames = map[string]string{
	"Punch": "clocked", "SeePlace": "was seen at a place", "AddNote": "wrote a note", "AddPhoto": "added a photo",
	"AddExpense": "put an expense on a card", "DropExpense": "took an expense back", "Sign": "signed a card",
	"SignClear": "signed finished cards", "Approve": "approved a card", "ApproveClear": "approved clear cards",
	"ApproveTicked": "approved ticked cards",
	"TakeBack":      "took approvals back", "EndStint": "said when somebody left", "TakeClaim": "took a claim",
	"DeclineClaim": "declined a claim", "Amend": "changed hours", "AskChange": "asked for a change of hours",
	"TakeRequest": "made a change that was asked for", "DeclineRequest": "declined a change that was asked for",
	"Object": "objected to a change", "AnswerObjection": "answered an objection", "SendBack": "sent a card back",
	"Remind":      "asked for a signature",
	"KeepFinding": "kept what they look for", "DropFinding": "dropped what they looked for", "Looked": "looked at what changed",
	"Hold": "looked at a card", "Release": "released a card",

	"CloseRun": "closed a pay run", "PutPayCode": "named a pay code", "PutCodeOrder": "put those who name pay codes in order",
	"PutCostCode": "set a cost code", "PutClass": "set a classification", "PutPeriodGroup": "set a group of pay periods",
	"DropPeriodGroup": "took a group of pay periods out",

	"SetPerson": "changed a person", "AddPerson": "added a person", "AddPosition": "added a position", "EndPerson": "set a last day",
	"BringBack": "brought somebody back", "ErasePerson": "erased personal data", "GrantRight": "gave a right", "TakeRight": "took a right",
	"ChangeMany": "changed many people", "Undo": "took back what was done", "UndoSettings": "took settings back",
	"GiveSignIn": "gave a sign-in",
	"TakeSignIn": "took a sign-in away", "Swipe": "swiped a card", "LearnBadge": "learnt a card", "DropBadges": "took cards away",
	"GivePINs": "gave new PINs", "AskPIN": "asked for a new PIN",
	"PunchOther": "clocked for somebody else", "CrewPunches": "clocked on a crew’s sheet", "Borrow": "put somebody on a crew’s sheet",
	"GiveBack": "took somebody off a crew’s sheet", "NotThere": "said whether somebody came", "CountWork": "counted what was done",
	"SignSheet": "signed a crew’s sheet", "AddNewcomer": "added somebody on the spot", "CompletePerson": "completed somebody",
	"ReportHours": "wrote hours by hand", "ReportLike": "began a period as the one before", "SignReported": "signed days",
	"PutDayField": "asked something of days", "CloseDayField": "asked something no more", "SayOfDay": "said something of a day",
	"LayHours":   "filled days that are over",
	"JoinPerson": "joined a newcomer to somebody",
	"SetPIN":     "set a PIN", "PutOwnField": "set a field of people",
	"DropOwnField": "took a field of people out", "ChangePassword": "changed their password", "EndMySessions": "ended their sessions",
	"BeginCode": "began one-time codes", "ConfirmCode": "confirmed one-time codes", "DropCode": "took one-time codes away",
	"ResetCode": "took somebody's one-time codes away", "AddAuditor": "added an auditor",

	"AddJob": "added a job", "SetJob": "changed a job", "AddTasks": "added tasks", "SetTask": "changed a task",
	"WorkAs":    "worked a task as another",
	"SplitTask": "let a task be worked by itself", "CloseTask": "closed or opened a task", "OpenJobTo": "opened a job to somebody",
	"CloseJobTo": "closed a job to somebody", "SetWage": "set a wage", "ShareHours": "showed hours outside",
	"TakeShare": "took hours shown outside back", "RenameCustomer": "renamed a customer",

	"SetCompany": "set something of the place", "SetMark": "set the mark", "SetMap": "set the map", "PutRules": "set overtime rules",
	"DropRules": "took overtime rules out", "PutHoliday": "set a holiday", "DropHoliday": "took a holiday out",
	"FillHolidays": "filled holidays in", "PutSite": "set a site", "PutFlagsOff": "said which flags a site raises",
	"ChooseLanguage": "chose their language",
	"PutPoint":       "set a clock point", "ClosePoint": "closed or opened a clock point",
	"GiveKey": "gave a device a key", "EndKey": "took a device's key back",
	"PutAway": "put a part away or took it up", "PutAsk": "said whom to ask", "DropAsk": "took out whom to ask",
	"PutUnit": "set a crew or department", "PutJobKind": "set a kind of job",
	"AddSamples": "added samples", "DropSamples": "took samples out", "TakeStep": "took a step of the short set-up",

	"TakeFile": "sent a file", "ReadColumnAs": "said how a column is written", "PutRight": "put a row right",
	"BringIn": "brought a file in", "BringInSettings": "brought a file of settings in", "QueueBringIn": "asked to bring a file in",
	"RetryWork": "ran work again",
}
