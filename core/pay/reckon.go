// Package pay turns hours into pay lines.
//
// [Reckon] is the whole of it, in steps that follow one another:
//
//	join      contiguous stretches of the same work become one
//	place     stretches are split at workdays and workweeks; breaks are judged
//	classify  hours beyond the weekly threshold become overtime
//	price     straight pay, regular rate, premiums, one line each
//
// Lengths are whole seconds and rates millionths; nothing is rounded before a
// line is, half away from zero, once. Totals are sums of lines.
package pay

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

// Override says that a stint's pay departs from what its kind implies.
type Override uint8

// The overrides.
const (
	ByKind    Override = iota
	AsWork             // counts as hours worked, whatever its kind: a meal worked through
	NotAsWork          // paid, and not hours worked (29 CFR 778.320)
)

// Stint is a stretch of time to be paid: [Start, End) at Rate per hour.
type Stint struct {
	ID                            string
	Start, End                    time.Time
	Kind                          clock.Kind
	Rate                          Rate
	PayCode, Job, Task, WorkClass string
	Paid                          Override
}

// Leave is paid absence on a date: Seconds at Rate. It is not hours worked
// and not in the regular rate.
type Leave struct {
	Date    when.Date
	Seconds int64
	Rate    Rate
	PayCode string
}

// Extra is a sum paid for the week that holds WeekOf.
type Extra struct {
	WeekOf        when.Date
	Amount        Rate
	PayCode       string
	InRegularRate bool
}

// Input is one person's time in one employment. The slices may be in any
// order and are left as they are.
type Input struct {
	Rules  Rules
	Stints []Stint
	Leave  []Leave
	Extras []Extra
}

// Class is the class of an hour worked.
type Class uint8

// The classes.
const (
	Regular Class = iota
	Overtime
	Double
)

func (c Class) String() string { return [...]string{"regular", "overtime", "double"}[c] }

// LineKind says what a line pays.
type LineKind string

// The kinds of line so far.
const (
	Straight        LineKind = "straight"
	OvertimePremium LineKind = "overtime_premium"
	LeavePay        LineKind = "leave"
	ExtraPay        LineKind = "extra"
	PaidNotWorked   LineKind = "paid_not_worked"
)

// Line is one line of pay. Stint is the index in [Result.Stints], -1 where no
// stint is behind it. Seconds counts only on straight lines; the others carry
// the time they were worked out on. An extra has no Rate.
type Line struct {
	Date    when.Date
	Week    when.Date // first date of the workweek it is reckoned in
	Stint   int
	Kind    LineKind
	Class   Class
	PayCode string
	Seconds int64
	Rate    Rate // a premium's is rounded for show; its amount is not worked out from it
	Amount  Amount
}

// Day adds up a workday, in seconds.
type Day struct {
	Date                      when.Date
	Worked, Regular, Overtime int64
}

// Week adds up a workweek: seconds, and the gross of its lines.
// RegularRate is rounded to Rate's six decimals for show and 0 where nothing
// was worked.
type Week struct {
	Start                     when.Date
	Worked, Regular, Overtime int64
	RegularRate               Rate
	Gross                     Amount
}

// Result is the answer. Stints are the input's after joining, in order.
type Result struct {
	Stints []Stint
	Lines  []Line
	Days   []Day
	Weeks  []Week
	Gross  Amount
	Worked int64
}

// Reckon works out one person's pay. The only errors are stints that end
// before they begin or overlap.
func Reckon(in Input) (Result, error) {
	stints, err := join(in.Stints)
	if err != nil {
		return Result{}, err
	}
	pieces := place(stints, in.Rules)
	pieces = classify(pieces, in.Rules)
	res := Result{Stints: stints, Days: days(pieces)}
	res.Weeks, res.Lines = price(pieces, stints, in)
	for _, w := range res.Weeks {
		res.Gross += w.Gross
		res.Worked += w.Worked
	}
	return res, nil
}

// join puts stints in order and makes one of those that meet and are alike in
// all that pay depends on.
func join(given []Stint) ([]Stint, error) {
	byTime := func(a, b Stint) int {
		return cmp.Or(a.Start.Compare(b.Start), a.End.Compare(b.End), cmp.Compare(a.ID, b.ID))
	}
	if !slices.IsSortedFunc(given, byTime) {
		given = slices.Clone(given)
		slices.SortFunc(given, byTime)
	}
	joined := make([]Stint, 0, len(given))
	for _, s := range given {
		if !s.End.After(s.Start) {
			return nil, fmt.Errorf("stint %s ends at or before its start %s", s.ID, s.Start.Format(time.RFC3339))
		}
		if n := len(joined); n > 0 {
			last := &joined[n-1]
			if s.Start.Before(last.End) {
				return nil, fmt.Errorf("stint %s starts at %s, before stint %s ends at %s", s.ID, s.Start.Format(time.RFC3339), last.ID, last.End.Format(time.RFC3339))
			}
			if s.Start.Equal(last.End) && alike(s, *last) {
				last.End = s.End
				continue
			}
		}
		joined = append(joined, s)
	}
	return joined, nil
}

func alike(a, b Stint) bool {
	return a.Kind == b.Kind && a.Rate == b.Rate && a.Paid == b.Paid && a.Job == b.Job &&
		a.Task == b.Task && a.WorkClass == b.WorkClass && a.PayCode == b.PayCode
}

// piece is a part of a stint within one workday and one workweek.
type piece struct {
	stint   int
	day     when.Date
	week    when.Date
	seconds int64
	class   Class
	worked  bool // counts as hours worked; otherwise it is paid all the same
}

// place splits stints at the edges of workdays and workweeks and leaves out
// breaks that are not paid. Breaks are judged whole, before they are split.
func place(stints []Stint, rules Rules) []piece {
	pieces := make([]piece, 0, len(stints)+4)
	var day, week when.Span
	for i, s := range stints {
		worked := s.Paid == AsWork || s.Paid == ByKind && rules.Breaks.Counts(s.Kind, int64(s.End.Sub(s.Start)/time.Second))
		if !worked && s.Paid != NotAsWork {
			continue
		}
		for from := s.Start; from.Before(s.End); {
			if !day.Holds(from) {
				day = rules.Week.Day(from)
			}
			if !week.Holds(from) {
				week = rules.Week.Week(from)
			}
			to := s.End
			if day.To.Before(to) {
				to = day.To
			}
			if week.To.Before(to) {
				to = week.To
			}
			pieces = append(pieces, piece{stint: i, day: day.Date, week: week.Date, seconds: int64(to.Sub(from) / time.Second), worked: worked})
			from = to
		}
	}
	return pieces
}

// classify makes overtime of the hours worked beyond the weekly threshold
// (29 CFR 778.101): the latest hours of the week. A piece that crosses the
// threshold is cut there.
func classify(pieces []piece, rules Rules) []piece {
	if rules.WeeklyOvertime < 0 {
		return pieces
	}
	out := pieces
	var week when.Date
	var sum int64
	for i := 0; i < len(out); i++ {
		p := &out[i]
		if !p.worked {
			continue
		}
		if i == 0 || p.week != week {
			week, sum = p.week, 0
		}
		before := sum
		sum += p.seconds
		switch {
		case sum <= rules.WeeklyOvertime:
		case before >= rules.WeeklyOvertime:
			p.class = Overtime
		default:
			rest := *p
			p.seconds = rules.WeeklyOvertime - before
			rest.seconds = sum - rules.WeeklyOvertime
			rest.class = Overtime
			out = slices.Insert(out, i+1, rest)
			i++
		}
	}
	return out
}

func days(pieces []piece) []Day {
	var out []Day
	for _, p := range pieces {
		if !p.worked {
			continue
		}
		if len(out) == 0 || out[len(out)-1].Date != p.day {
			out = append(out, Day{Date: p.day})
		}
		d := &out[len(out)-1]
		addHours(&d.Worked, &d.Regular, &d.Overtime, p)
	}
	return out
}

func addHours(worked, regular, overtime *int64, p piece) {
	*worked += p.seconds
	if p.class == Overtime {
		*overtime += p.seconds
	} else {
		*regular += p.seconds
	}
}
