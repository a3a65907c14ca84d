package card

// Kind is a kind of flag, with what it says.
type Kind struct {
	Code Code
	What string
}

// Offable lists the flags that a site can do without, with what each says. The
// others tell of something that nobody may overlook: hours that don't count, a
// change that waits for somebody, what blocks an approval.
var Offable = []Kind{
	{Late, "came late"},
	{Early, "came early"},
	{LeftEarly, "left early"},
	{LeftLate, "left late"},
	{Missing, "planned, and never clocked"},
	{NoneCame, "expected, and nothing planned or clocked"},
	{NotPlanned, "clocked, and not planned"},
	{PastPlan, "runs past its planned end"},
	{OverPlan, "worked more than expected"},
	{UnderPlan, "worked less than expected"},
	{OverDay, "worked more than is allowed in a day"},
	{OverWeek, "worked more than is allowed in a week"},
	{ShortStint, "a stint of hardly any length"},
	{MealDue, "a due meal was not taken"},
	{MealLate, "a meal began after it was due"},
	{MealShort, "a meal was too short"},
	{HandEdge, "a time by hand"},
	{SentLater, "a punch that was sent later"},
	{OffSite, "a punch off site"},
	{NoPlace, "a punch without its location"},
	{ClockOff, "a phone’s clock was wrong"},
	{NoJob, "hours on no job yet"},
	{OutOfHours, "hours on a job that is out of hours"},
	{Spent, "expenses on the day"},
	{ClosedJob, "hours on a closed job"},
	{NotTheirs, "hours on a job not open to them"},
	{OnLeave, "worked on leave"},
	{OnHoliday, "worked on a holiday"},
}
