package roster

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/when"
)

// Code names what speaks against a shift.
type Code string

// What can speak against one.
const (
	Twice      Code = "twice"      // at the same time as another
	OnLeave    Code = "leave"      // on a day of leave
	NoWorkday  Code = "no_workday" // no working day by their pattern
	OnHoliday  Code = "holiday"    // on a holiday
	TagLacks   Code = "tag"        // a tag that the job needs lacks on that day
	NotOpen    Code = "not_open"   // the job isn't open to them
	NotHere    Code = "not_here"   // before the first day or after the last
	ShortRest  Code = "rest"       // too soon after the shift before
	InARow     Code = "in_a_row"   // too many days in a row
	TooLong    Code = "too_long"   // longer than a shift may be
	OverWeekly Code = "week"       // more hours in the week than are allowed
)

// Does is what comes of a finding.
type Does string

// What comes of one.
const (
	Off     Does = "off"
	Warns   Does = "warn"
	Refuses Does = "refuse"
)

// Rule is one thing that is looked for. Figure is in Unit, and 0 where there is none.
type Rule struct {
	Code   Code
	Name   string // as a sentence goes on: "Planned twice at the same time"
	Unit   string // "hours" or "days", "" for a rule without a figure
	Figure int
	Does   Does
	Source string // where the figure comes from, "" where it is the company's own
	fixed  bool   // it can't be switched off
}

// Rules are those there are, with what holds where a company has said nothing.
var Rules = []Rule{
	{Code: Twice, Name: "Planned twice at the same time", Does: Refuses, fixed: true},
	{Code: NotHere, Name: "Planned before the first day or after the last", Does: Refuses, fixed: true},
	{Code: OnLeave, Name: "Planned on a day of leave", Does: Warns},
	{Code: NoWorkday, Name: "Planned on a day that is no working day of theirs", Does: Warns},
	{Code: OnHoliday, Name: "Planned on a holiday", Does: Warns},
	{Code: TagLacks, Name: "A tag that the job needs is missing, or ends before the day", Does: Warns},
	{Code: NotOpen, Name: "The job is not open to them", Does: Warns},
	{Code: ShortRest, Name: "Less time since the shift before than", Unit: "hours", Figure: 11, Does: Warns,
		Source: "Working Time Regulations 1998, reg. 10: 11 hours in each period of 24; Directive 2003/88/EC, art. 3"},
	{Code: InARow, Name: "More days in a row than", Unit: "days", Figure: 6, Does: Warns,
		Source: "California Labor Code 551, 552: one day of rest in seven; Directive 2003/88/EC, art. 5"},
	{Code: TooLong, Name: "A shift longer than", Unit: "hours", Figure: 12, Does: Warns},
	{Code: OverWeekly, Name: "More hours in one week than", Unit: "hours", Figure: 60, Does: Warns},
}

// Fixed says whether the rule can't be switched off.
func (r Rule) Fixed() bool { return r.fixed }

// Finding is what speaks against one shift.
type Finding struct {
	Shift   uuid.UUID
	Code    Code
	Does    Does
	Seconds int64  // for ShortRest, TooLong and OverWeekly
	Days    int    // for InARow: which day in a row it is
	What    string // for TagLacks the tag, for NotOpen the job, for OnLeave the kind of leave
	Until   when.Date
}

// Words says the finding as a planner reads it.
func (f Finding) Words() string {
	switch f.Code {
	case Twice:
		return "planned twice"
	case OnLeave:
		return "on leave: " + f.What
	case NoWorkday:
		return "no working day"
	case OnHoliday:
		return "a holiday"
	case TagLacks:
		if f.Until != 0 {
			return strings.ToLower(f.What) + " ends " + f.Until.Format("2 Jan")
		}
		return "no " + strings.ToLower(f.What)
	case NotOpen:
		return f.What + " is not open to them"
	case NotHere:
		return "doesn’t work here that day"
	case ShortRest:
		return "only " + card.HoursMinutes(f.Seconds) + " since the shift before"
	case InARow:
		return fmt.Sprintf("day %d in a row", f.Days)
	case TooLong:
		return card.HoursMinutes(f.Seconds) + " long"
	case OverWeekly:
		return card.HoursMinutes(f.Seconds) + " in the week"
	}
	return string(f.Code)
}

// Tag is a tag that somebody has, and its last day; 0 where it has none.
type Tag struct {
	Name  string
	Until when.Date
}

// Known is what is known of somebody who is planned. Days of a span are looked up by date;
// what is missing is nothing.
type Known struct {
	From, To when.Date            // when they work here; To is 0 for no end
	Leave    map[when.Date]string // the kind of leave of a day
	Workdays map[when.Date]bool   // which days are working days of theirs; nil where no pattern says so
	Holidays map[when.Date]bool
	Tags     []Tag
	Needs    map[uuid.UUID][]string // the tags that a job needs
	NotOpen  map[uuid.UUID]string   // jobs that aren't open to them, by what they are called
	WeekOf   func(when.Date) when.Date
}

// Against says what speaks against the shifts of one person. They come in any order, those
// of the days around the span among them: of these nothing is said, but they count.
func Against(k Known, shifts []Shift, rules []Rule, span when.Period) []Finding {
	shifts = slices.Clone(shifts)
	slices.SortFunc(shifts, func(a, b Shift) int {
		if n := a.Start.Compare(b.Start); n != 0 {
			return n
		}
		return slices.Compare(a.ID[:], b.ID[:])
	})
	on := map[Code]Rule{}
	for _, r := range rules {
		if r.Does != Off {
			on[r.Code] = r
		}
	}
	var found []Finding
	say := func(f Finding) {
		if r, is := on[f.Code]; is {
			f.Does = r.Does
			found = append(found, f)
		}
	}
	hours := func(c Code) int64 { return int64(on[c].Figure) * 3600 }
	rows, weeks := daysInARow(shifts), weeklySums(k, shifts)
	for i, s := range shifts {
		if !span.Holds(s.Date) {
			continue
		}
		for _, f := range k.ofDay(s) {
			say(f)
		}
		for j, o := range shifts {
			if i != j && o.Start.Before(s.End) && s.Start.Before(o.End) {
				say(Finding{Shift: s.ID, Code: Twice})
				break
			}
		}
		if rest, has := restBefore(shifts[:i], s); has && rest < hours(ShortRest) {
			say(Finding{Shift: s.ID, Code: ShortRest, Seconds: rest})
		}
		if n := rows[s.Date]; n > on[InARow].Figure {
			say(Finding{Shift: s.ID, Code: InARow, Days: n})
		}
		if long := int64(s.End.Sub(s.Start) / time.Second); long > hours(TooLong) {
			say(Finding{Shift: s.ID, Code: TooLong, Seconds: long})
		}
		if sum := weeks[s.ID]; sum > hours(OverWeekly) {
			say(Finding{Shift: s.ID, Code: OverWeekly, Seconds: sum})
		}
	}
	return found
}

// ofDay is what speaks against a shift by its day and job alone.
func (k Known) ofDay(s Shift) (found []Finding) {
	if s.Date < k.From || k.To != 0 && s.Date > k.To {
		found = append(found, Finding{Shift: s.ID, Code: NotHere})
	}
	if kind, is := k.Leave[s.Date]; is {
		found = append(found, Finding{Shift: s.ID, Code: OnLeave, What: kind})
	}
	switch {
	case k.Holidays[s.Date]:
		found = append(found, Finding{Shift: s.ID, Code: OnHoliday})
	case k.Workdays != nil && !k.Workdays[s.Date]:
		found = append(found, Finding{Shift: s.ID, Code: NoWorkday})
	}
	for _, name := range k.Needs[s.Job] {
		i := slices.IndexFunc(k.Tags, func(t Tag) bool { return strings.EqualFold(t.Name, name) })
		switch {
		case i < 0:
			found = append(found, Finding{Shift: s.ID, Code: TagLacks, What: name})
		case k.Tags[i].Until != 0 && k.Tags[i].Until < s.Date:
			found = append(found, Finding{Shift: s.ID, Code: TagLacks, What: name, Until: k.Tags[i].Until})
		}
	}
	if name, not := k.NotOpen[s.Job]; not {
		found = append(found, Finding{Shift: s.ID, Code: NotOpen, What: name})
	}
	return found
}

// restBefore is how long before a shift the last one of another day ended, in seconds. A
// second shift of the same day is no rest that is too short.
func restBefore(before []Shift, s Shift) (seconds int64, has bool) {
	var last time.Time
	for _, o := range before {
		if o.Date != s.Date && o.End.After(last) {
			last = o.End
		}
	}
	if last.IsZero() || last.After(s.Start) { // planned twice is said by itself
		return 0, false
	}
	for _, o := range before { // the day's first shift is what a rest ends with
		if o.Date == s.Date && o.Start.Before(s.Start) {
			return 0, false
		}
	}
	return int64(s.Start.Sub(last) / time.Second), true
}

// daysInARow says of each date which day in a row with a shift it is.
func daysInARow(shifts []Shift) map[when.Date]int {
	days := map[when.Date]bool{}
	var dates []when.Date
	for _, s := range shifts {
		if !days[s.Date] {
			days[s.Date] = true
			dates = append(dates, s.Date)
		}
	}
	slices.Sort(dates)
	rows := map[when.Date]int{}
	for _, d := range dates {
		rows[d] = rows[d-1] + 1
	}
	return rows
}

// weeklySums gives for each shift what is planned in its week up to its end, in seconds.
func weeklySums(k Known, shifts []Shift) map[uuid.UUID]int64 {
	if k.WeekOf == nil {
		return nil
	}
	sums, each := map[when.Date]int64{}, map[uuid.UUID]int64{}
	for _, s := range shifts {
		week := k.WeekOf(s.Date)
		sums[week] += s.Seconds()
		each[s.ID] = sums[week]
	}
	return each
}
