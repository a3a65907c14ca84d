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
	Twice      Code = "twice"       // at the same time as another
	OnLeave    Code = "leave"       // on a day of leave
	LeaveAsked Code = "leave_asked" // on a day for which leave is asked for
	NoWorkday  Code = "no_workday"  // no working day by their pattern
	OnHoliday  Code = "holiday"     // on a holiday
	TagLacks   Code = "tag"         // a tag that the job needs lacks on that day
	NotOpen    Code = "not_open"    // the job isn't open to them
	NotHere    Code = "not_here"    // before the first day or after the last
	ShortRest  Code = "rest"        // too soon after the shift before
	InARow     Code = "in_a_row"    // too many days in a row
	TooLong    Code = "too_long"    // longer than a shift may be
	OverWeekly Code = "week"        // more hours in the week than are allowed
	OnAverage  Code = "average"     // more hours a week on average
	YoungDay   Code = "young_day"   // of somebody young: more hours in a day,
	YoungWeek  Code = "young_week"  // in a week,
	YoungRest  Code = "young_rest"  // less rest,
	YoungNight Code = "young_late"  // or at night
)

// Does is what comes of a finding.
type Does string

// What comes of one.
const (
	Off     Does = "off"
	Warns   Does = "warn"
	Refuses Does = "refuse"
)

// Rule is one thing that is looked for. Figure is in Unit, and 0 where there is none; Span, in
// Spans, is the second figure of some.
type Rule struct {
	Code   Code
	Name   string // as a sentence goes on: "Planned twice at the same time"
	Unit   string // "hours" or "days", "" for a rule without a figure
	Figure int
	Spans  string // "weeks" or "until o’clock", "" for a rule without a second figure
	Span   int
	Does   Does
	Source string // where the figure comes from, "" where it is the company's own
	fixed  bool   // it can't be switched off
}

// Rules are those there are, with what holds where a company has said nothing.
var Rules = []Rule{
	{Code: Twice, Name: "Planned twice at the same time", Does: Refuses, fixed: true},
	{Code: NotHere, Name: "Planned before the first day or after the last", Does: Refuses, fixed: true},
	{Code: OnLeave, Name: "Planned on a day of leave", Does: Warns},
	{Code: LeaveAsked, Name: "Planned on a day for which they ask for leave", Does: Warns},
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
	{Code: OnAverage, Name: "More hours a week, on average over some weeks, than", Unit: "hours", Figure: 48, Spans: "weeks", Span: 17,
		Does: Off,
		Source: "Working Time Regulations 1998, reg. 4: 48 hours over 17 weeks, but for whom it says on their page since when they opted " +
			"out (reg. 5)"},
	{Code: YoungDay, Name: "Somebody young: more hours in a day than", Unit: "hours", Figure: 8, Does: Warns,
		Source: "Working Time Regulations 1998, reg. 5A; for whom it says on their page until when they are young"},
	{Code: YoungWeek, Name: "Somebody young: more hours in a week than", Unit: "hours", Figure: 40, Does: Warns,
		Source: "Working Time Regulations 1998, reg. 5A"},
	{Code: YoungRest, Name: "Somebody young: less time since the shift before than", Unit: "hours", Figure: 12, Does: Warns,
		Source: "Working Time Regulations 1998, reg. 10(2): 12 hours in each period of 24"},
	{Code: YoungNight, Name: "Somebody young at night", Unit: "from o’clock", Figure: 22, Spans: "until o’clock", Span: 6, Does: Warns,
		Source: "Working Time Regulations 1998, reg. 6A: between 22:00 and 06:00"},
}

// Fixed says whether the rule can't be switched off.
func (r Rule) Fixed() bool { return r.fixed }

// Finding is what speaks against one shift.
type Finding struct {
	Shift   uuid.UUID
	Code    Code
	Does    Does
	Seconds int64  // for those of hours
	Days    int    // for InARow: which day in a row it is
	What    string // for TagLacks the tag, for NotOpen the job, for OnLeave and LeaveAsked the kind of leave
	Until   when.Date
}

// Words says the finding as a planner reads it.
func (f Finding) Words() string {
	switch f.Code {
	case Twice:
		return "planned twice"
	case OnLeave:
		return "on leave: " + f.What
	case LeaveAsked:
		return "asks for leave: " + f.What
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
	case OnAverage:
		return card.HoursMinutes(f.Seconds) + " a week on average"
	case YoungDay:
		return "young: " + card.HoursMinutes(f.Seconds) + " that day"
	case YoungWeek:
		return "young: " + card.HoursMinutes(f.Seconds) + " in the week"
	case YoungRest:
		return "young: only " + card.HoursMinutes(f.Seconds) + " since the shift before"
	case YoungNight:
		return "young: at night"
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
	Asked    map[when.Date]string // the kind of leave that is asked for, and not decided
	Workdays map[when.Date]bool   // which days are working days of theirs; nil where no pattern says so
	Holidays map[when.Date]bool
	Tags     []Tag
	Needs    map[uuid.UUID][]string // the tags that a job needs
	NotOpen  map[uuid.UUID]string   // jobs that aren't open to them, by what they are called
	WeekOf   func(when.Date) when.Date

	Today  when.Date
	Hours  map[when.Date]int64 // worked before today; from today on planned, where it isn't among the shifts
	OptOut when.Date           // since when the weekly average doesn't hold for them, 0 for never
	Young  when.Date           // the last day on which they are young, 0 for never
	Loc    *time.Location      // of the hours at night
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
		if r, is := on[OnAverage]; is && (k.OptOut == 0 || s.Date < k.OptOut) {
			if average := k.average(shifts[:i+1], s, r.Span); average > hours(OnAverage) {
				say(Finding{Shift: s.ID, Code: OnAverage, Seconds: average})
			}
		}
		if k.Young != 0 && s.Date <= k.Young {
			for _, f := range k.ofYoung(shifts[:i+1], s, on, weeks[s.ID]) {
				say(f)
			}
		}
	}
	return found
}

// ofYoung is what speaks against a shift of somebody young: the last of those up to it, of a
// week that comes to so many seconds with it.
func (k Known) ofYoung(upTo []Shift, s Shift, on map[Code]Rule, week int64) (found []Finding) {
	hours := func(c Code) int64 { return int64(on[c].Figure) * 3600 }
	var day int64
	for _, o := range upTo {
		if o.Date == s.Date {
			day += o.Seconds()
		}
	}
	if day > hours(YoungDay) {
		found = append(found, Finding{Shift: s.ID, Code: YoungDay, Seconds: day})
	}
	if week > hours(YoungWeek) {
		found = append(found, Finding{Shift: s.ID, Code: YoungWeek, Seconds: week})
	}
	if rest, has := restBefore(upTo[:len(upTo)-1], s); has && rest < hours(YoungRest) {
		found = append(found, Finding{Shift: s.ID, Code: YoungRest, Seconds: rest})
	}
	if r := on[YoungNight]; k.Loc != nil && r.atNight(s, k.Loc) {
		found = append(found, Finding{Shift: s.ID, Code: YoungNight})
	}
	return found
}

// atNight says whether a shift lies in the hours of a rule from one o'clock to another, over
// midnight where the second isn't later.
func (r Rule) atNight(s Shift, loc *time.Location) bool {
	hour := func(d when.Date, h int) time.Time { return d.At(time.Duration(h)*time.Hour, loc) }
	for d := when.DateOf(s.Start, loc) - 1; d <= when.DateOf(s.End, loc); d++ {
		from, to := hour(d, r.Figure%24), hour(d, r.Span%24)
		if !to.After(from) {
			to = hour(d+1, r.Span%24)
		}
		if s.Start.Before(to) && from.Before(s.End) {
			return true
		}
	}
	return false
}

// average gives the hours a week, in seconds, of the weeks that end with a shift's, or of those
// since their first day (Working Time Regulations 1998, reg. 4): what was worked and is
// planned, with the shifts up to it, and for each day of leave in them that of a working day
// after them, over the number of weeks.
func (k Known) average(upTo []Shift, s Shift, weeks int) int64 {
	end := k.WeekOf(s.Date) + 6
	from := max(end-7*when.Date(weeks)+1, k.From)
	planned := map[when.Date]int64{}
	for _, o := range upTo {
		planned[o.Date] += o.Seconds()
	}
	hours := func(d when.Date) int64 {
		if d < k.Today {
			return k.Hours[d]
		}
		return k.Hours[d] + planned[d]
	}
	var sum int64
	away := 0
	for d := from; d <= end; d++ {
		sum += hours(d)
		if _, is := k.Leave[d]; is {
			away++
		}
	}
	for d := end + 1; away > 0 && d <= end+7*when.Date(weeks); d++ {
		if h := hours(d); h > 0 {
			sum, away = sum+h, away-1
		}
	}
	return sum * 7 / int64(end-from+1)
}

// ofDay is what speaks against a shift by its day and job alone.
func (k Known) ofDay(s Shift) (found []Finding) {
	if s.Date < k.From || k.To != 0 && s.Date > k.To {
		found = append(found, Finding{Shift: s.ID, Code: NotHere})
	}
	if kind, is := k.Leave[s.Date]; is {
		found = append(found, Finding{Shift: s.ID, Code: OnLeave, What: kind})
	}
	if kind, is := k.Asked[s.Date]; is {
		found = append(found, Finding{Shift: s.ID, Code: LeaveAsked, What: kind})
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
