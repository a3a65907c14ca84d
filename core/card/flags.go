package card

import (
	"fmt"
	"slices"
	"time"

	"manudex/core/clock"
)

// Code names a rule's finding.
type Code string

// The findings.
const (
	Missing  Code = "missing"   // planned, never clocked
	LongOpen Code = "long_open" // longer than the longest shift, and nobody said that it ended: it doesn't count
	PastPlan Code = "past_plan" // running well past the planned end
	Late     Code = "late"      // clocked in well after the shift began
	OverPlan Code = "over_plan" // worked well over the expected hours
	MealDue  Code = "meal_due"  // no meal began in time
	HandEdge Code = "by_hand"   // an edge rests on somebody's word
	OffSite  Code = "off_site"  // a punch outside the site's fence
	ClockOff Code = "clock_off" // a device's clock was wrong

	SentLater    Code = "sent_later"    // an edge rests on a punch that a device sent later
	ClocksDiffer Code = "clocks_differ" // the clocks of a device contradict each other on such a punch

	Reopened Code = "reopened"  // a punch reached the card after it was signed or approved
	AfterPay Code = "after_pay" // a punch reached the card after it was paid; the change waits
	OnLeave  Code = "on_leave"  // worked on a day of leave

	NoRoom   Code = "no_room"  // an amendment can't be laid over what was clocked later
	Asked    Code = "asked"    // somebody asks for a change
	Objected Code = "objected" // somebody objects to a change
)

// Flag is one finding, with the figure that goes with it: Seconds or Metres,
// or At.
type Flag struct {
	Code    Code       `json:"code"`
	Seconds int64      `json:"seconds,omitempty"`
	Metres  int64      `json:"metres,omitempty"`
	At      *time.Time `json:"at,omitempty"`
	Edge    string     `json:"edge,omitempty"` // "Start" or "End", for HandEdge
}

func (c Card) flags(stints []clock.Stint, hand, delayed bool, ev Evidence, lim Limits) []Flag {
	var found []Flag
	seconds := func(code Code, d time.Duration) {
		found = append(found, Flag{Code: code, Seconds: int64(d / time.Second)})
	}
	if !c.ShiftFrom.IsZero() && !c.First.IsZero() && c.First.Sub(c.ShiftFrom) > lim.LateAfter {
		seconds(Late, c.First.Sub(c.ShiftFrom))
	}
	if over := time.Duration(c.Over()) * time.Second; c.Expected > 0 && over > lim.OverPlan {
		seconds(OverPlan, over)
	}
	if due := c.mealDue(stints, lim); !due.IsZero() {
		found = append(found, Flag{Code: MealDue, At: &due})
	}
	if hand {
		found = append(found, Flag{Code: HandEdge, Edge: handEdge(stints)})
	}
	if delayed {
		found = append(found, Flag{Code: SentLater})
	}
	if ev.Doubt != 0 {
		seconds(ClocksDiffer, ev.Doubt)
	}
	if ev.OffSite > 0 {
		found = append(found, Flag{Code: OffSite, Metres: int64(ev.OffSite)})
	}
	if ev.Skew.Abs() > time.Minute {
		seconds(ClockOff, ev.Skew)
	}
	if c.Leave > 0 && c.Worked > 0 && c.Leave >= c.Expected {
		found = append(found, Flag{Code: OnLeave})
	}
	for _, s := range stints {
		if !s.Open() && !lim.Counted(s, s.End) {
			since := s.Start.UTC()
			found = append(found, Flag{Code: LongOpen, At: &since})
		}
	}
	if ev.Unlaid > 0 {
		found = append(found, Flag{Code: NoRoom})
	}
	return found
}

// PastPlanAfter is how long after the planned end what runs is flagged.
const PastPlanAfter = 2 * time.Hour

func handEdge(stints []clock.Stint) string {
	last := stints[len(stints)-1]
	switch {
	case last.EndBy == clock.ByHand && stints[0].StartBy == clock.ByHand:
		return "Hours"
	case last.EndBy == clock.ByHand:
		return "End"
	case stints[0].StartBy == clock.ByHand:
		return "Start"
	}
	return "Time"
}

// mealDue gives the time by which a meal should have begun and did not, zero
// when one did or none was due. A break between attendances of a day counts
// as well as a meal on the clock.
func (c Card) mealDue(stints []clock.Stint, lim Limits) time.Time {
	if lim.MealDueAfter == 0 || c.First.IsZero() || time.Duration(c.Worked)*time.Second <= lim.MealWaived {
		return time.Time{}
	}
	due := c.First.Add(lim.MealDueAfter).UTC()
	for i, s := range stints {
		meal := s.Kind == clock.Meal && !s.Start.After(due) && (s.Open() || s.End.Sub(s.Start) >= lim.Breaks.UnpaidMealFrom)
		gap := i > 0 && !stints[i-1].End.After(due) && s.Start.Sub(stints[i-1].End) >= lim.Breaks.UnpaidMealFrom
		if meal || gap {
			return time.Time{}
		}
	}
	return due
}

// FlagsAt gives the card's flags as they stand at now: those worked out, and
// those that time alone brings.
func (c Card) FlagsAt(now time.Time, lim Limits) []Flag {
	flags := slices.Clone(c.Flags)
	if c.MissingAt(now, lim) {
		flags = append(flags, Flag{Code: Missing})
	}
	if c.Requests > 0 {
		flags = append(flags, Flag{Code: Asked})
	}
	if c.Objections > 0 {
		flags = append(flags, Flag{Code: Objected})
	}
	switch {
	case !c.Running():
	case now.Sub(c.OpenSince) > lim.LongestShift:
		flags = append(flags, Flag{Code: LongOpen, At: &c.OpenSince})
	case !c.ShiftTo.IsZero() && now.Sub(c.ShiftTo) > PastPlanAfter:
		flags = append(flags, Flag{Code: PastPlan, At: &c.ShiftTo})
	}
	return flags
}

// MissingAt says whether a shift was planned, should have begun, and nobody
// clocked in or is on leave.
func (c Card) MissingAt(now time.Time, lim Limits) bool {
	return c.First.IsZero() && c.Leave == 0 && !c.ShiftFrom.IsZero() && now.Sub(c.ShiftFrom) > lim.MissingAfter
}

// Words says the flag as a person reads it, times in loc.
func (f Flag) Words(loc *time.Location) string {
	switch f.Code {
	case Missing:
		return "Planned, never clocked"
	case LongOpen:
		return "Since " + f.At.In(loc).Format("Mon 15:04") + ", not counted"
	case PastPlan:
		return "Running past " + f.At.In(loc).Format("15:04")
	case Late:
		return fmt.Sprintf("%d min late", f.Seconds/60)
	case OverPlan:
		return HoursMinutes(f.Seconds) + " over plan"
	case MealDue:
		return "Meal due by " + f.At.In(loc).Format("15:04")
	case HandEdge:
		return f.Edge + " by hand"
	case OffSite:
		if f.Metres < 1000 {
			return fmt.Sprintf("%d m off site", f.Metres)
		}
		return fmt.Sprintf("%d.%d km off site", f.Metres/1000, f.Metres%1000/100)
	case ClockOff:
		direction := "ahead"
		if f.Seconds < 0 {
			direction = "behind"
		}
		return fmt.Sprintf("Phone clock %d min %s", max(f.Seconds, -f.Seconds)/60, direction)
	case SentLater:
		return "Sent later"
	case ClocksDiffer:
		return fmt.Sprintf("Phone clocks differ by %d min", (max(f.Seconds, -f.Seconds)+59)/60)
	case Reopened:
		return "Changed after signing"
	case AfterPay:
		return "Changed after it was paid"
	case OnLeave:
		return "Worked on leave"
	case NoRoom:
		return "A correction no longer fits"
	case Asked:
		return "A change is asked for"
	case Objected:
		return "Objected to a change"
	}
	return string(f.Code)
}

// HoursMinutes writes seconds as hours and whole minutes, "8:15"; a rest of a
// minute is left off, so that what is shown was really reached.
func HoursMinutes(seconds int64) string {
	sign := ""
	if seconds < 0 {
		sign, seconds = "−", -seconds
	}
	return fmt.Sprintf("%s%d:%02d", sign, seconds/3600, seconds/60%60)
}
