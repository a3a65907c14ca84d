package card

import (
	"fmt"
	"time"

	"manudex/core/refusal"
)

// State is how far people have brought a card.
type State string

// The states.
const (
	Open     State = "open"
	Signed   State = "signed"
	Approved State = "approved"
	Paid     State = "paid"
)

// Move is an act on a card. Moves are kept for ever; the state is what they
// add up to.
type Move string

// The moves. Reopen is made by a punch that reaches a card signed or
// approved, Adjust by one that reaches a card already paid.
const (
	Sign     Move = "sign"
	SendBack Move = "send_back"
	Approve  Move = "approve"
	TakeBack Move = "take_back"
	Pay      Move = "pay"
	Reopen   Move = "reopen"
	Adjust   Move = "adjust"
	Remind   Move = "remind" // to sign it: it stands where it stood

	PayAsClocked Move = "pay_as_clocked" // paid before anybody approved it: what is approved later changes the next run
	Unpay        Move = "unpay"          // the run that paid it was turned
	UnpayChange  Move = "unpay_change"   // the run that paid its change was turned, and not the one that paid it first
)

// Standing is where a card is and whether it was signed on the way there,
// which taking back an approval needs to know.
type Standing struct {
	State  State
	Signed bool
	Adjust bool // changed after it was paid; approved, the next run takes the difference
	Late   bool // a change came after signing, approving or paying, and nobody has approved it
}

// Pending says whether a change of a paid card waits for somebody's approval.
// Until then runs go by the card as it was.
func (s Standing) Pending() bool { return s.State == Paid && s.Adjust && s.Late }

// Start is where every card begins.
var Start = Standing{State: Open}

// Next gives the standing after a move, or a *refusal.Refusal that says why the
// move can't be made from here.
func (s Standing) Next(m Move, signRequired bool) (Standing, error) {
	from := func(states ...State) bool {
		for _, st := range states {
			if s.State == st {
				return true
			}
		}
		return false
	}
	switch m {
	case Sign:
		if from(Open) {
			return Standing{State: Signed, Signed: true, Late: s.Late}, nil
		}
	case Remind:
		if from(Open) {
			return s, nil
		}
	case SendBack:
		if from(Signed) {
			return Standing{State: Open, Late: s.Late}, nil
		}
	case Approve:
		if from(Open) && signRequired {
			return s, refusal.New("card", "This card is not signed yet",
				"The person or the crew lead signs it first, or say why it is approved without")
		}
		if from(Open, Signed) {
			return Standing{State: Approved, Signed: s.Signed}, nil
		}
		if s.Pending() {
			return Standing{State: Paid, Signed: s.Signed, Adjust: true}, nil
		}
	case TakeBack:
		if from(Approved) {
			state := Open
			if s.Signed {
				state = Signed
			}
			return Standing{State: state, Signed: s.Signed}, nil
		}
		if from(Paid) && s.Adjust && !s.Late {
			return Standing{State: Paid, Signed: s.Signed, Adjust: true, Late: true}, nil
		}
	case Pay:
		if from(Approved) || from(Paid) && s.Adjust && !s.Late {
			return Standing{State: Paid, Signed: s.Signed}, nil
		}
	case PayAsClocked:
		if from(Open, Signed) {
			return Standing{State: Paid, Signed: s.Signed, Adjust: true, Late: true}, nil
		}
	case Unpay:
		if s.Pending() {
			return Standing{State: Open, Late: true}, nil
		}
		if from(Paid) {
			return Standing{State: Approved, Signed: s.Signed}, nil
		}
	case UnpayChange:
		if from(Paid) {
			return Standing{State: Paid, Signed: s.Signed, Adjust: true, Late: s.Late}, nil
		}
	case Reopen:
		if from(Signed, Approved) {
			return Standing{State: Open, Late: true}, nil
		}
	case Adjust:
		if from(Paid) {
			return Standing{State: Paid, Signed: s.Signed, Adjust: true, Late: true}, nil
		}
	}
	return s, refusal.New("card", fmt.Sprintf("This card is %s", s.State), moveNeeds[m])
}

var moveNeeds = map[Move]string{
	Sign:     "Only an open card can be signed",
	Remind:   "Only an open card wants a signature",
	SendBack: "Only a signed card can be sent back",
	Approve:  "Only an open or signed card can be approved",
	TakeBack: "Only an approval that is not paid yet can be taken back",
	Pay:      "Only approved cards are paid",
	Reopen:   "Only a signed or approved card is reopened",
	Adjust:   "Only a paid card is adjusted",

	PayAsClocked: "Only a card that nobody has approved is paid as clocked",
	Unpay:        "Only a paid card can be unpaid",
	UnpayChange:  "Only a paid card can be unpaid",
}

// Replay gives the standing that a row of moves leads to. A move that could
// not have been made is passed over.
func Replay(moves []Move) Standing {
	s := Start
	for _, m := range moves {
		if next, err := s.Next(m, false); err == nil {
			s = next
		}
	}
	return s
}

// Class sorts cards by what they want from a checker.
type Class string

// The classes, the most urgent first.
const (
	Flagged   Class = "flagged"
	Running   Class = "running"
	NotSigned Class = "not_signed"
	Clear     Class = "clear"
	Done      Class = "done"    // approved or paid, or nothing is left on it
	ToCome    Class = "to_come" // of a day that has not begun
)

// ClassAt says what a card wants at now. A card is clear when it has no open
// flag, nothing running, its day is over or its work done, and it is signed
// where that is required. Approving a card answers its flags.
func (c Card) ClassAt(s Standing, now time.Time, lim Limits) Class {
	switch {
	case s.State == Approved || s.State == Paid && !s.Pending():
		return Done
	case s.Late || len(c.FlagsAt(now, lim)) > 0:
		return Flagged
	case c.Running():
		return Running
	case c.Empty():
		return Done
	case lim.SignRequired && s.State != Signed:
		return NotSigned
	}
	return Clear
}
