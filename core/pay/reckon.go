// Package pay turns hours into pay lines.
//
// [Reckon] is the whole of it, in steps that follow one another, each in a
// file of its own:
//
//	join            contiguous stints of the same work become one
//	attend          stints are gathered into attendances, breaks judged on raw time
//	round           to the nearest minutes of the local clock
//	automaticMeals  come out of long attendances without a meal
//	place           what is paid is split at workdays and workweeks
//	classify        every hour worked is regular, overtime or double
//	remunerate      what a week's regular rate is made of
//	lines           straight pay, premiums, differentials, one line each
//
// Lengths are whole seconds. Nothing is rounded before a line is, half away
// from zero, once. Totals are sums of lines. docs/rules.md explains every
// parameter with its source.
package pay

import (
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

// Stint is a stretch of time to be paid: [Start, End) at Rate per hour. On
// public work Rate is the basic rate actually paid, and fringe comes on every
// hour worked, in cash or into a plan. Callout marks the begin of an
// attendance that pays a minimum.
type Stint struct {
	ID                                           string
	Start, End                                   time.Time
	Kind                                         clock.Kind
	Rate, PremiumPerHour, FringeCash, FringePlan Rate
	PayCode, Job, Task, WorkClass                string
	Account                                      string // to which somebody said that it is booked
	Paid                                         Override
	Callout                                      bool
	Planned                                      int64 // seconds that were planned of the attendance it begins; see [ShowUp]
	NoMeal                                       bool  // they say that they had no meal: none is taken out of its attendance
	HoursOnly                                    bool  // its breaks aren't known: no meal is taken out of it, and none is missed
}

// Leave is paid absence on a date: Seconds at Rate, or at what By says. It is not hours worked
// and not in the regular rate.
type Leave struct {
	Date        when.Date
	Seconds     int64
	Rate        Rate // of the day: also where By finds nothing to go by
	PayCode     string
	By          LeaveRate
	Paid        Amount // of paid weeks: what was paid in them, in minor units,
	PaidSeconds int64  // for how long was worked,
	PaidWeeks   int    // and how many they were
}

// LeaveRate is at which rate leave is paid.
type LeaveRate string

// The rates of leave.
const (
	AtDayRate     LeaveRate = ""             // that of the day
	AtRegularRate LeaveRate = "regular_rate" // the regular rate of its week
	AtPaidWeeks   LeaveRate = "paid_weeks"   // the average of weeks before, by hours worked
)

// Change is that somebody's plan was changed, and when they were told: Was and Is are what was
// planned before and after. It is paid where [Rules.ShortNotice] says so.
type Change struct {
	Date    when.Date // of what is planned now, or of what was
	Told    time.Time
	Was, Is Planned // zero for what is new, and for what is called off
	Asked   bool    // they asked for it themselves
	Rate    Rate
	PayCode string
}

// Planned is a planned shift: Seconds of it are work.
type Planned struct {
	Start, End time.Time
	Seconds    int64
}

// Extra is a sum paid for the week that holds WeekOf. A FlatSum doesn't grow
// with the hours worked; see Rules.FlatSumOverRegular. One in the regular rate that was earned
// over several weeks is spread over them by hours worked, and what their overtime is owed for it
// comes as lines of its own.
type Extra struct {
	WeekOf                 when.Date
	Amount                 Rate
	PayCode                string
	InRegularRate, FlatSum bool
	Over                   when.Period // days it was earned over (29 CFR 778.209), zero for its week
}

// Deduction is a sum kept from somebody's pay, not below zero. It changes neither gross nor hours
// nor any rate.
type Deduction struct {
	Date    when.Date
	Amount  Rate
	PayCode string
}

// Input is one person's time in one employment. The slices may be in any
// order and are left as they are.
type Input struct {
	Rules   Rules
	Stints  []Stint
	Leave   []Leave
	Extras  []Extra
	Changes []Change
	Banks   []when.Period // days whose overtime is banked, where [Rules.Bank] lets it

	Differentials []Differential // theirs, besides those of the rules
	Salaries      []Salary
	Deductions    []Deduction
}

// Class is the class of an hour worked.
type Class uint8

// The classes, in ascending order.
const (
	Regular Class = iota
	Overtime
	Double
)

func (c Class) String() string { return [...]string{"regular", "overtime", "double"}[c] }

// LineKind says what a line pays.
type LineKind string

// The kinds of line.
const (
	Straight        LineKind = "straight"
	PaidNotWorked   LineKind = "paid_not_worked"
	OvertimePremium LineKind = "overtime_premium"
	DoublePremium   LineKind = "double_premium"
	DifferentialPay LineKind = "differential"
	HolidayPremium  LineKind = "holiday_premium"
	Fringe          LineKind = "fringe"
	CalloutPay      LineKind = "callout"
	MealPay         LineKind = "meal_premium"
	LeavePay        LineKind = "leave"
	ExtraPay        LineKind = "extra"
	Banked          LineKind = "banked"
	BonusPremium    LineKind = "bonus_premium"
	SalaryPay       LineKind = "salary"
	Deducted        LineKind = "deduction" // no part of gross

	// FringePlan is the kind of an entry of a run that goes into a plan; among
	// a result's lines it is Fringe in Plan.
	FringePlan LineKind = "fringe_plan"
)

// Line is one line of pay. Stint is the index in [Result.Stints], -1 where no
// stint is behind it. Seconds counts only on straight lines; the others carry
// the time they were worked out on. An extra has no Rate. The Rate of an
// overtime, double or meal premium, of a percentage and of leave at an average is
// rounded for show; the amount is not worked out from it. A line of what is banked
// pays nothing: its Rate is what an hour is credited as.
type Line struct {
	Date     when.Date
	Week     when.Date // first date of the workweek, or overtime period, it is reckoned in
	Stint    int
	Kind     LineKind
	Class    Class
	PayCode  string
	Seconds  int64
	Rate     Rate
	Amount   Amount
	from, to int32 // pieces behind it; of an extra, a change or a meal premium, from is its index
	why      reasonPaid
	inSalary bool // its hours are paid by a salary
	spread   bool // a part of a premium that falls on the work of the whole week
}

// reasonPaid says why what wasn't worked is paid.
type reasonPaid uint8

const (
	byOverride reasonPaid = iota // as its stint says
	forShowUp
	forShortNotice
)

// Day adds up a workday, in seconds.
type Day struct {
	Date                              when.Date
	Worked, Regular, Overtime, Double int64
}

// Week adds up a workweek, or an overtime period: seconds, and the gross of
// its lines. RegularRate is rounded to four decimals for show and 0 where
// nothing was worked.
type Week struct {
	Start                             when.Date
	Worked, Regular, Overtime, Double int64
	RegularRate                       Rate
	Gross                             Amount
}

// Meal is an automatic meal: Seconds taken out of a stint at an instant.
type Meal struct {
	Stint   int
	At      time.Time
	Seconds int64
}

// Result is the answer. Stints are the input's after joining, in order; where
// nothing was joined they are the input's own. Plan lists what is paid into a
// plan and not to the person, Kept what is deducted; neither is part of Gross.
type Result struct {
	Stints            []Stint
	Lines, Plan, Kept []Line
	Days              []Day
	Weeks             []Week
	Meals             []Meal
	Gross             Amount
	PlanContributions Amount
	Worked            int64
}

// Reckon works out one person's pay. The only errors are stints that end
// before they begin or overlap.
func Reckon(in Input) (Result, error) {
	var r Reckoner
	return r.Reckon(in)
}

// Reckoner works out many people's pay, using again what doesn't depend on
// the person: when days begin, and its working space. The zero value is
// ready. It is not safe for use by several goroutines at once; results are
// independent of it.
type Reckoner struct {
	calendars     calendars
	spans, cut    []span
	attendances   []attendance
	pieces, spare []piece
	inside        []int64
}

// Reckon works out one person's pay as [Reckon] does.
func (r *Reckoner) Reckon(in Input) (Result, error) {
	w, err := r.work(in)
	return w.Result, err
}

// working is a result with what it was worked out from.
type working struct {
	Result
	input       Input
	attendances []attendance
	pieces      []piece
	inside      []int64 // seconds of each piece inside each differential's window
	weeks       []weekSum
	missed      []missedMeal
	bonuses     []bonusPremium
}

func (r *Reckoner) work(in Input) (working, error) {
	w := working{input: in}
	rules := &w.input.Rules
	var err error
	if len(in.Differentials) > 0 {
		rules.Differentials = append(slices.Clip(rules.Differentials), in.Differentials...)
	}
	if w.Stints, err = join(in.salaried(in.Stints)); err != nil {
		return w, err
	}
	civil := r.calendars.of(rules)
	r.spans, r.attendances = attend(r.spans[:0], r.attendances[:0], w.Stints, rules)
	if rules.MealPremium.Length > 0 { // on raw time: a meal isn't rounded into being in time
		r.pieces = place(r.pieces[:0], r.spans, r.attendances, civil)
		w.missed = missedMeals(r.pieces, w.Stints, rules.MealPremium)
	}
	round(r.spans, r.attendances, civil)
	if rules.AutomaticMeal.Length > 0 {
		r.cut, w.Meals = automaticMeals(r.cut[:0], r.spans, r.attendances, rules.AutomaticMeal)
		r.spans, r.cut = r.cut, r.spans
	}
	r.pieces = place(r.pieces[:0], r.spans, r.attendances, civil)
	r.pieces, r.spare = classify(r.pieces, r.spare, rules)
	r.pieces = w.withinSalary(r.pieces)
	r.inside = insideWindows(r.inside[:0], r.pieces, civil)
	w.attendances, w.pieces, w.inside = r.attendances, r.pieces, r.inside
	w.Days = days(r.pieces)
	w.weeks = remunerate(&w, civil)
	w.Lines, w.Plan = lines(&w, civil)
	w.total()
	return w, nil
}

// total adds up weeks and the whole from the lines.
func (w *working) total() {
	w.Weeks = make([]Week, len(w.weeks))
	for i, sum := range w.weeks {
		w.Weeks[i] = sum.Week
		w.Worked += sum.Worked
	}
	i := 0
	for _, l := range w.Lines {
		for w.Weeks[i].Start < l.Week {
			i++
		}
		w.Weeks[i].Gross += l.Amount
		w.Gross += l.Amount
	}
	for _, l := range w.Plan {
		w.PlanContributions += l.Amount
	}
}
