package clock

import (
	"fmt"
	"time"

	"manudex/core/refusal"
)

// Check says whether a punch made now makes sense after the last stint so
// far, nil when the person never clocked. loc is for the times it mentions.
func Check(last *Stint, p Punch, loc *time.Location) error {
	on := last != nil && last.Open()
	var kind Kind
	if on {
		kind = last.Kind
	}
	if p.Act == BreakStart && p.Break != Meal && p.Break != Rest {
		return refusal.New("break", fmt.Sprintf("A break of kind %q is not known", p.Break), "Choose meal or rest")
	}
	reason := misplaced(on, kind, p)
	if reason == "" {
		return nil
	}
	right := "Clock in first"
	switch {
	case !on && last != nil:
		right = fmt.Sprintf("You clocked out at %s; clock in to go on", last.End.In(loc).Format("15:04"))
	case on && p.Act == BreakStart:
		right = fmt.Sprintf("Your break began at %s; end it first", last.Start.In(loc).Format("15:04"))
	case on && p.Act == BreakEnd:
		right = "You are at work; start a break first"
	}
	wrong := map[Act]string{
		Switch: "You are not on the clock", Out: "You are not on the clock",
		BreakStart: "You are not on the clock", BreakEnd: "You are not on a break",
	}[p.Act]
	if p.Act == BreakStart && on {
		wrong = "You are on a break already"
	}
	if wrong == "" {
		wrong, right = fmt.Sprintf("%q is not something a clock knows", p.Act), "Choose in, out, switch, break_start or break_end"
	}
	return refusal.New("act", wrong, right)
}
