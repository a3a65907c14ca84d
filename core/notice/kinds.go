// Package notice holds what people are told of, in which words, by which ways, and
// when: outside their quiet hours, and in one message instead of ten.
package notice

import (
	"slices"
	"strings"
)

// Way is how a notice reaches somebody.
type Way string

// The ways. What is told stands on a person's own page of notices, and besides goes out
// by mail or by text message.
const (
	Page Way = "page"
	Mail Way = "mail"
	Text Way = "text"
)

// Out are the ways that leave the house.
var Out = []Way{Mail, Text}

// Ways are several, "page, mail"; none at all is "".
type Ways string

// Has says whether a way is among them.
func (w Ways) Has(way Way) bool {
	return slices.Contains(strings.Split(strings.ReplaceAll(string(w), " ", ""), ","), string(way))
}

// Reaching are those of several ways that reach somebody, the page always among them; none
// of none.
func (w Ways) Reaching(mail, text bool) Ways {
	if w == "" {
		return w
	}
	reaching := Ways(Page)
	if mail && w.Has(Mail) {
		reaching += ", " + Ways(Mail)
	}
	if text && w.Has(Text) {
		reaching += ", " + Ways(Text)
	}
	return reaching
}

// Choices are the ways that somebody chooses between, in the order of the list.
var Choices = []Ways{"page", "page, mail", "page, text", "page, mail, text", ""}

// Choice reads one of them.
func Choice(text string) (Ways, bool) {
	w := Ways(text)
	return w, slices.Contains(Choices, w)
}

// Kind is something that people are told of.
type Kind struct {
	Key   string
	Name  string // as one chooses its ways
	Says  string // a sentence of the catalogue, with a place for each word
	Ways  Ways   // by which it comes where nobody chose others
	Needs string // the permission without which nobody is told of it, "" for everybody
	Never bool   // it can't be done without: it keeps its reader's sign-in safe
}

// The kinds. No sentence has a place for a figure of pay or the reason of leave: what
// goes out by mail or text says no more than the page does, and leads to it.
const (
	ShiftTold       = "shift_told"
	PlaceOpen       = "place_open"
	PlaceGiven      = "place_given"
	PlaceNotGiven   = "place_not_given"
	PlaceGone       = "place_gone"
	PlaceAsked      = "place_asked"
	ShiftOffered    = "shift_offered"
	HandedOver      = "handed_over"
	SickToday       = "sick_today"
	CardSentBack    = "card_sent_back"
	CardChanged     = "card_changed"
	SignAsked       = "sign_asked"
	Unsigned        = "unsigned"
	CrewUnsigned    = "crew_unsigned"
	Answered        = "answered"
	ObjectionMade   = "objected"
	ObjectionClosed = "objection_answered"
	Checking        = "checking"
	Claims          = "claims"
	RunDue          = "run_due"
	NewSignIn       = "new_sign_in"
	PINHelp         = "pin_help"
	TagEnds         = "tag_ends"
	Overtime        = "overtime"
	JobHours        = "job_hours"
	Question        = "question"
	LeaveAsked      = "leave_asked"
	LeaveDecided    = "leave_decided"
	LeaveGiven      = "leave_given"
	LeaveGift       = "leave_gift"
	LeaveLost       = "leave_lost"
	TakenBack       = "taken_back"
)

// Kinds lists them, in the order in which one chooses their ways.
var Kinds = []Kind{
	{Key: ShiftTold, Name: "Your shifts change", Ways: "page, text", Says: "Your shifts: %s."},
	{Key: PlaceOpen, Name: "A shift is open that you could have", Ways: "page", Says: "A shift is open: %s, %s"},
	{Key: PlaceGiven, Name: "You are given a shift that you asked for", Ways: "page, text", Says: "You have the shift of %s"},
	{Key: PlaceNotGiven, Name: "You are not given a shift that you asked for", Ways: "page", Says: "You don't have the shift of %s: %s"},
	{Key: PlaceGone, Name: "A shift that you asked for or offered is not open any more", Ways: "page",
		Says: "The shift of %s isn't open any more"},
	{Key: ShiftOffered, Name: "A colleague hands a shift over to you", Ways: "page, text", Says: "%s asks you to take their shift of %s"},
	{Key: HandedOver, Name: "A shift that you handed over is taken", Ways: "page, text", Says: "%s has your shift of %s"},
	{Key: PlaceAsked, Name: "Somebody asks for an open shift", Ways: "page", Needs: "roster.plan", Says: "%s asks for the shift of %s"},
	{Key: SickToday, Name: "Somebody is sick today", Ways: "page, text", Needs: "roster.plan",
		Says: "%s is sick today and can't come at %s"},
	{Key: CardSentBack, Name: "A card of yours is sent back", Ways: "page, text",
		Says: "%s sent your card of %s back: “%s”"},
	{Key: CardChanged, Name: "Somebody changes your hours", Ways: "page, text",
		Says: "%s changed your hours of %s: “%s”"},
	{Key: Answered, Name: "What you asked for is answered", Ways: "page",
		Says: "%s answered what you asked for of %s: %s"},
	{Key: ObjectionClosed, Name: "What you objected to is answered", Ways: "page",
		Says: "%s answered what you objected to of %s: “%s”"},
	{Key: SignAsked, Name: "Somebody asks you to sign", Ways: "page, text",
		Says: "%s asks you to sign your card of %s"},
	{Key: Unsigned, Name: "A card that you haven't signed", Ways: "page, text",
		Says: "Your card of %s isn't signed yet"},
	{Key: CrewUnsigned, Name: "Cards that your crew hasn't signed", Ways: "page", Needs: "sheet.sign",
		Says: "Cards of %s that nobody has signed: %s"},
	{Key: ObjectionMade, Name: "Somebody objects to what you changed or approved", Ways: "page", Needs: "card.approve",
		Says: "%s objects to their card of %s: “%s”"},
	{Key: Checking, Name: "Cards that wait for a checker", Ways: "page", Needs: "card.approve",
		Says: "Signed cards that wait since yesterday or longer: %s"},
	{Key: Claims, Name: "Claims and changes asked for that wait", Ways: "page", Needs: "time.edit",
		Says: "Claims and changes asked for that wait: %s"},
	{Key: LeaveAsked, Name: "Somebody asks for leave", Ways: "page", Needs: "leave.manage", Says: "%s asks for leave: %s"},
	{Key: LeaveDecided, Name: "Your leave is decided", Ways: "page, text", Says: "Your leave of %s is %s"},
	{Key: LeaveGiven, Name: "Somebody gives a colleague leave", Ways: "page", Needs: "leave.manage", Says: "%s gives leave to %s"},
	{Key: LeaveGift, Name: "Leave that you give or are given is decided", Ways: "page", Says: "Leave that %s gives to %s is %s"},
	{Key: LeaveLost, Name: "Leave of yours will be lost", Ways: "page, text",
		Says: "%s of your %s is lost on %s unless you take it before"},
	{Key: TakenBack, Name: "A correction of your pay takes money back", Ways: "page, text",
		Says: "A correction of what you were paid takes back %s: %s"},
	{Key: RunDue, Name: "A pay period that can be closed", Ways: "page, mail", Needs: "payrun.close",
		Says: "The pay period %s can be closed"},
	{Key: TagEnds, Name: "A tag that is about to end", Ways: "page, mail",
		Says: "The tag %s of %s ends on %s"},
	{Key: Overtime, Name: "Somebody's week is about to reach overtime", Ways: "page", Needs: "timecards.see",
		Says: "%s has %s this week; overtime begins at %s"},
	{Key: JobHours, Name: "The hours of a job are about to be used up", Ways: "page", Needs: "jobs.change",
		Says: "Of the hours of %s, %s of %s are used"},
	{Key: PINHelp, Name: "Somebody forgot their PIN", Ways: "page, text", Needs: "people.change",
		Says: "%s, number %s, forgot their PIN at %s"},
	{Key: Question, Name: "Somebody asks you a question", Ways: "page, mail",
		Says: "%s asks: “%s”"},
	{Key: NewSignIn, Name: "Somebody signs in as you from a new browser", Ways: "page", Never: true,
		Says: "You signed in on %s from a browser that was not used before: %s"},
}

// Of finds a kind by its key.
func Of(key string) (Kind, bool) {
	i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.Key == key })
	if i < 0 {
		return Kind{}, false
	}
	return Kinds[i], true
}

// Words is how many words its sentence takes.
func (k Kind) Words() int { return strings.Count(k.Says, "%s") }
