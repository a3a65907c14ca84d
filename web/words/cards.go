// Package words says in English what the rooms of app name: states of cards,
// flags, moves, punches, pay codes. Pages say it, and whatever else is read by
// people.
package words

import (
	"strings"
	"time"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/store"
)

func Flags(flags []card.Flag, loc *time.Location) []string {
	words := make([]string, len(flags))
	for i, f := range flags {
		words[i] = f.Words(loc)
	}
	return words
}

// State says how far a card is.
func State(r hours.DayRow, signRequired bool) string {
	switch {
	case r.State == card.Approved:
		return "approved"
	case r.Pending():
		return "paid, a change waits"
	case r.State == card.Paid:
		return "paid"
	case r.Class == card.ToCome:
		return "to come"
	case r.Running():
		return "running"
	case r.Empty():
		return "nothing on it"
	case r.State == card.Signed && r.Class == card.Clear:
		return "signed, clear"
	case r.State == card.Signed:
		return "signed"
	case signRequired:
		return "not signed"
	case r.Class == card.Clear:
		return "clear"
	}
	return "open"
}

func Move(a store.CardAct) string {
	words := map[card.Move]string{card.Sign: "signed", card.SendBack: "sent back", card.Approve: "approved",
		card.TakeBack:     "approval taken back",
		card.PayAsClocked: "paid as clocked, to be looked at later", card.Unpay: "unpaid: the run was turned",
		card.UnpayChange: "the change unpaid: the run was turned",
		card.Pay:         "paid by closing the run", card.Reopen: "opened again", card.Adjust: "to be adjusted in the next run",
		card.Remind: "asked to be signed"}[a.Move]
	words += ", " + a.ByName
	if a.Reason != "" {
		words += ": " + strings.TrimSuffix(a.Reason, ".")
	}
	return words
}

// Presences are what the states of people on Today are called, those that want a
// decision first: the line above such a group, and in a sentence.
var Presences = []struct {
	Of          hours.Presence
	Group, Word string
}{
	{hours.MissingNow, "Planned and missing", "missing"},
	{hours.WorkingNow, "On the clock", "at work"},
	{hours.OnBreak, "On a break", "on a break"},
	{hours.DueLater, "Due later", "due later"},
	{hours.Gone, "Clocked out", "clocked out"},
	{hours.Away, "Not here", "on leave or off"},
}
