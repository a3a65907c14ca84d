package card

import (
	"fmt"
	"slices"
	"strings"
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

	Early      Code = "early"         // clocked in well before the shift began
	LeftEarly  Code = "left_early"    // clocked out well before the shift ended
	LeftLate   Code = "left_late"     // clocked out well after the shift ended
	UnderPlan  Code = "under_plan"    // worked well less than expected
	OverDay    Code = "over_day"      // worked more than is allowed in a day
	ShortStint Code = "short_stint"   // a stint of hardly any length
	MealLate   Code = "meal_late"     // a meal began after it was due
	MealShort  Code = "meal_short"    // a meal was too short to be one
	NotPlanned Code = "not_planned"   // clocked on a day on which nothing was planned or expected
	NoneCame   Code = "none"          // expected, and nothing planned or clocked
	OnHoliday  Code = "on_holiday"    // worked on a holiday
	NoPlace    Code = "no_place"      // a punch without the place that is asked for
	NoClass    Code = "no_class"      // public work without a classification: it can't be approved
	ClosedJob  Code = "closed_job"    // hours were put on a job that is closed
	NotTheirs  Code = "not_their_job" // or on one that is not open to the person
	NoJob      Code = "no_job"        // hours on no job yet
	OutOfHours Code = "out_of_hours"  // hours on a job whose budget is used up
	OverWeek   Code = "over_week"     // worked more than is allowed in a week
	CalledIn   Code = "called_in"     // says that they were called in: the least that a call-out pays is paid
	Spent      Code = "expenses"      // something was spent on it
	NoMeal     Code = "no_meal"       // says that they had no meal: none is taken out by itself
)

// Flag is one finding, with the figure that goes with it: Seconds or Metres,
// or At.
type Flag struct {
	Code    Code       `json:"code"`
	Seconds int64      `json:"seconds,omitempty"`
	Metres  int64      `json:"metres,omitempty"`
	At      *time.Time `json:"at,omitempty"`
	Edge    string     `json:"edge,omitempty"`   // "Start" or "End", for HandEdge
	Second  bool       `json:"second,omitempty"` // the second meal of a day
}

func (c Card) flags(stints []clock.Stint, hand, delayed bool, ev Evidence, lim Limits) []Flag {
	found := c.againstPlan(lim)
	if !c.BroughtIn {
		found = append(found, c.mealFlags(stints, lim)...)
	}
	seconds := func(code Code, d time.Duration) {
		found = append(found, Flag{Code: code, Seconds: int64(d / time.Second)})
	}
	if hand {
		found = append(found, handEdge(stints))
	}
	if delayed {
		seconds(SentLater, ev.Delay)
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
	if ev.NoPlace {
		found = append(found, Flag{Code: NoPlace})
	}
	for _, s := range stints {
		if s.Marks.Has(clock.CalledIn) {
			found = append(found, Flag{Code: CalledIn})
		}
		if s.Marks.Has(clock.NoMeal) {
			found = append(found, Flag{Code: NoMeal})
		}
		length := s.End.Sub(s.Start)
		switch {
		case s.Open():
		case !lim.Counted(s, s.End):
			since := s.Start.UTC()
			found = append(found, Flag{Code: LongOpen, At: &since})
		case length < lim.ShortStint && s.Kind == clock.Work && !s.HoursOnly():
			seconds(ShortStint, length)
		}
	}
	for _, code := range ev.Odd {
		found = append(found, Flag{Code: code})
	}
	if ev.Unlaid > 0 {
		found = append(found, Flag{Code: NoRoom})
	}
	return found
}

// againstPlan holds the day against what was planned and expected of it, as far
// as time alone changes nothing about that.
func (c Card) againstPlan(lim Limits) (found []Flag) {
	over := func(code Code, d, after time.Duration) {
		if d > after {
			found = append(found, Flag{Code: code, Seconds: int64(d / time.Second)})
		}
	}
	planned := !c.ShiftFrom.IsZero() && !c.First.IsZero() && !c.BroughtIn
	if planned {
		over(Late, c.First.Sub(c.ShiftFrom), lim.LateAfter)
	}
	if planned && lim.EarlyAfter > 0 {
		over(Early, c.ShiftFrom.Sub(c.First), lim.EarlyAfter)
	}
	if planned && lim.LeftLate > 0 && !c.Running() {
		over(LeftLate, c.Last.Sub(c.ShiftTo), lim.LeftLate)
	}
	if c.Expected > 0 && !c.BroughtIn {
		over(OverPlan, time.Duration(c.Over())*time.Second, lim.OverPlan)
	}
	if lim.MostADay > 0 {
		over(OverDay, time.Duration(c.Worked)*time.Second, lim.MostADay)
	}
	switch worked := c.Worked > 0; {
	case worked && c.Leave > 0 && c.Leave >= c.Expected:
		found = append(found, Flag{Code: OnLeave})
	case worked && c.Holiday && c.ShiftFrom.IsZero():
		found = append(found, Flag{Code: OnHoliday})
	case !c.First.IsZero() && c.ShiftFrom.IsZero() && c.Expected == 0 && c.Leave == 0 && !c.BroughtIn:
		found = append(found, Flag{Code: NotPlanned})
	}
	return found
}

// PastPlanAfter is how long after the planned end what runs is flagged.
const PastPlanAfter = 2 * time.Hour

// handEdge says which edges of a day rest on somebody's word, and by how much
// they are off what was clocked, where anything was.
func handEdge(stints []clock.Stint) Flag {
	f := Flag{Code: HandEdge, Edge: "Time"}
	first, last := stints[0], stints[len(stints)-1]
	switch {
	case last.EndBy == clock.ByHand && first.StartBy == clock.ByHand:
		f.Edge = "Hours"
	case last.EndBy == clock.ByHand:
		f.Edge = "End"
		if !last.ClockedEnd.IsZero() {
			f.Seconds = int64(last.End.Sub(last.ClockedEnd) / time.Second)
		}
	case first.StartBy == clock.ByHand:
		f.Edge = "Start"
		if !first.ClockedStart.IsZero() {
			f.Seconds = int64(first.Start.Sub(first.ClockedStart) / time.Second)
		}
	}
	return f
}

// mealFlags says which meal was due and not taken in time, and what was taken in
// its place: one that began too late, one that was too short, or none.
func (c Card) mealFlags(stints []clock.Stint, lim Limits) []Flag {
	var day []clock.Worked
	for _, s := range stints {
		if s.Open() || !lim.Counted(s, s.End) {
			continue
		}
		if n := lim.Breaks.Counted(s.Kind, s.Length(s.End)); n > 0 {
			day = append(day, clock.Worked{From: s.Start.Unix(), To: s.Start.Unix() + n})
		}
	}
	m, missed := lim.Meals.Missed(day)
	if !missed {
		return nil
	}
	due := time.Unix(m.Due, 0).UTC()
	f := Flag{Code: MealDue, At: &due, Second: m.Second}
	for _, s := range stints {
		switch length := int64(s.End.Sub(s.Start) / time.Second); {
		case s.Kind != clock.Meal:
		case s.Open() && s.Start.After(due), !s.Open() && length >= lim.Meals.Length && s.Start.After(due):
			return []Flag{{Code: MealLate, At: &due, Seconds: int64(s.Start.Sub(due) / time.Second), Second: m.Second}}
		case !s.Open() && length < lim.Meals.Length && !s.Start.After(due):
			f = Flag{Code: MealShort, Seconds: length, Second: m.Second}
		}
	}
	return []Flag{f}
}

// FlagsAt gives the card's flags as they stand at now: those worked out, and
// those that time alone brings.
func (c Card) FlagsAt(now time.Time, lim Limits) []Flag {
	flags := slices.Clone(c.Flags)
	if c.MissingAt(now, lim) {
		flags = append(flags, Flag{Code: Missing})
	}
	if c.overBy(now, lim) {
		flags = append(flags, c.whenOver(lim)...)
	}
	flags = append(flags, c.around(lim)...)
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
	return slices.DeleteFunc(flags, func(f Flag) bool { return slices.Contains(c.Off, f.Code) })
}

// around gives the flags of what is known of the card when it is read.
func (c Card) around(lim Limits) (found []Flag) {
	for _, f := range []struct {
		is   bool
		code Code
	}{{c.NoClass, NoClass}, {c.NoJob, NoJob}, {c.OutOfHours, OutOfHours}, {c.Expenses, Spent}} {
		if f.is {
			found = append(found, Flag{Code: f.code})
		}
	}
	if lim.MostAWeek > 0 && c.Worked > 0 && c.WeekWorked > int64(lim.MostAWeek/time.Second) {
		found = append(found, Flag{Code: OverWeek, Seconds: c.WeekWorked})
	}
	return found
}

// overBy says whether a day's work is over at now, so that what lacks won't
// come: its shift has ended, or where none is planned, it is the next noon.
func (c Card) overBy(now time.Time, lim Limits) bool {
	if c.Running() {
		return false
	}
	if !c.ShiftTo.IsZero() {
		return now.After(c.ShiftTo)
	}
	loc := lim.Loc
	if loc == nil {
		loc = time.UTC
	}
	return now.After((c.Date + 1).At(12*time.Hour, loc))
}

// whenOver says what lacks of a day that is over.
func (c Card) whenOver(lim Limits) (found []Flag) {
	under := func(code Code, d, after time.Duration) {
		if after > 0 && d > after {
			found = append(found, Flag{Code: code, Seconds: int64(d / time.Second)})
		}
	}
	switch {
	case c.First.IsZero() && c.ShiftFrom.IsZero() && c.Due() > 0:
		return []Flag{{Code: NoneCame}}
	case c.First.IsZero(), c.BroughtIn:
		return nil
	case !c.ShiftTo.IsZero():
		under(LeftEarly, c.ShiftTo.Sub(c.Last), lim.LeftEarly)
	}
	under(UnderPlan, -time.Duration(c.Over())*time.Second, lim.UnderPlan)
	return found
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
		return "No " + strings.ToLower(f.meal()) + " by " + f.At.In(loc).Format("15:04")
	case MealLate:
		return f.meal() + " " + short(f.Seconds) + " late"
	case MealShort:
		return f.meal() + " of only " + short(f.Seconds)
	case HandEdge:
		switch {
		case f.Seconds > 0:
			return f.Edge + " by hand, " + short(f.Seconds) + " later"
		case f.Seconds < 0:
			return f.Edge + " by hand, " + short(-f.Seconds) + " earlier"
		}
		return f.Edge + " by hand"
	case Early:
		return short(f.Seconds) + " early"
	case LeftEarly:
		return "Left " + short(f.Seconds) + " early"
	case LeftLate:
		return "Left " + short(f.Seconds) + " late"
	case UnderPlan:
		return HoursMinutes(f.Seconds) + " under plan"
	case OverDay:
		return HoursMinutes(f.Seconds) + " in one day"
	case ShortStint:
		return "A stint of " + short(f.Seconds)
	case NotPlanned:
		return "Clocked, not planned"
	case NoneCame:
		return "Expected, nothing clocked"
	case OnHoliday:
		return "Worked on a holiday"
	case NoPlace:
		return "Location missing"
	case NoClass:
		return "No classification on public work"
	case NoJob:
		return "No job yet"
	case OutOfHours:
		return "Job out of hours"
	case CalledIn:
		return "Called in"
	case Spent:
		return "Expenses"
	case NoMeal:
		return "Had no meal, they say"
	case OverWeek:
		return HoursMinutes(f.Seconds) + " in one week"
	case ClosedJob:
		return "On a closed job"
	case NotTheirs:
		return "On a job not open to them"
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
		if f.Seconds > 0 {
			return "Sent " + short(f.Seconds) + " later"
		}
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

func (f Flag) meal() string {
	if f.Second {
		return "Second meal"
	}
	return "Meal"
}

// short writes a length as "12 min" or "2:21".
func short(seconds int64) string {
	if seconds < 3600 {
		return fmt.Sprintf("%d min", seconds/60)
	}
	return HoursMinutes(seconds)
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
