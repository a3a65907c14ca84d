package pay

import (
	"fmt"
	"slices"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

// NotInForce is the value of a threshold that has no effect.
const NotInForce = -1

// Rules is a place's rule set: the parameters by which hours become pay. They
// are data, dated where they are kept; [ParseRules] reads them and refuses
// those that contradict each other. Lengths and thresholds are in seconds.
type Rules struct {
	Name                string         // what it is called where it is kept
	Week                when.Workweek  // Loc is the zone of the place
	Period              OvertimePeriod // replaces the workweek where it is set
	KeepWithAttendance  bool           // hours stay with the workday on which their attendance began
	NewAttendanceAfter  int64          // a gap this long begins a new attendance
	Breaks              clock.Breaks
	Rounding            Rounding
	AutomaticMeal       AutomaticMeal
	MinimumCallout      int64 // 0 is none
	ShowUp              ShowUp
	Bank                Bank
	ShortNotice         ShortNotice
	WeeklyOvertime      int64
	WeeklyDouble        int64
	DailyOvertime       int64
	DailyDouble         int64
	ConsecutiveOvertime int64
	SeventhDay          int64 // hours of the seventh day that are overtime, not yet double
	GreaterOf           bool  // the larger of daily and weekly overtime, instead of daily first and weekly on what is left
	RateInEffect        bool  // premium on the stint's own rate instead of the regular rate (29 CFR 778.419)
	OvertimeMultiple    Rate  // 1.5 as 1_500_000
	DoubleMultiple      Rate
	PremiumOverWeek     bool // a premium falls on all work of its week, by hours, and not on that of its own hours alone
	FlatSumOverRegular  bool // a flat sum is divided by the regular hours alone
	Differentials       []Differential
	Holidays            []Holiday // by date
	MealPremium         MealPremium
	CurrencyDecimals    int
}

// OvertimePeriod is a recurring stretch of Days from Start, over which
// overtime is counted instead of the workweek (29 CFR 778.601). Zero Days is
// none.
type OvertimePeriod struct {
	Days  int
	Start when.Date
	After int64 // seconds
}

// Rounding is to the nearest Every seconds of the local clock, a tie going
// later (29 CFR 785.48): each edge, or the whole day. Zero Every is none.
type Rounding struct {
	Every    int64
	WholeDay bool
}

// AutomaticMeal takes Length seconds out of an attendance of more than After
// worked in which no meal was recorded. Zero Length is none.
type AutomaticMeal struct{ After, Length int64 }

// ShowUp pays who came to a planned shift and was let go: who worked less than Part of what
// was planned is paid up to that part, of at least Least and at most Most seconds (29 CFR
// 778.220; California's wage orders, section 5). Zero Part is none; a Most of NotInForce is
// no limit.
type ShowUp struct {
	Part        Rate
	Least, Most int64
}

// due gives what is paid at least of an attendance for which so many seconds were planned
// and so many are paid.
func (s ShowUp) due(planned, paid int64) int64 {
	part := planned * int64(s.Part) / rateScale
	if planned == 0 || paid >= part {
		return 0
	}
	if s.Most != NotInForce {
		part = min(part, s.Most)
	}
	return max(part, s.Least)
}

// ShortNotice pays for a plan that was changed less than Days civil days before it begins,
// and by more than Over seconds: Changed seconds where no hours are lost, Lost of those that
// are (Oregon ORS 653.455). Zero Days is none.
type ShortNotice struct {
	Days          when.Date // how many
	Changed, Over int64
	Lost          Rate
}

// due gives the seconds that a change is paid.
func (s ShortNotice) due(c Change, loc *time.Location) int64 {
	begins := c.Was.Start
	if c.Was == (Planned{}) || c.Is != (Planned{}) && c.Is.Start.Before(begins) {
		begins = c.Is.Start
	}
	y, m, d := begins.In(loc).Date()
	hour, minute, second := begins.In(loc).Clock()
	if s.Days == 0 || c.Asked || !c.Told.After(time.Date(y, m, d-int(s.Days), hour, minute, second, 0, loc)) {
		return 0
	}
	by := max(c.Was.Seconds-c.Is.Seconds, c.Is.Seconds-c.Was.Seconds)
	if c.Was != (Planned{}) && c.Is != (Planned{}) { // it may have moved as a whole
		by = max(by, apart(c.Was.Start, c.Is.Start), apart(c.Was.End, c.Is.End))
	}
	switch lost := c.Was.Seconds - c.Is.Seconds; {
	case by <= s.Over:
		return 0
	case lost > 0:
		return lost * int64(s.Lost) / rateScale
	}
	return s.Changed
}

// apart is how far two instants are from one another, in seconds.
func apart(a, b time.Time) int64 { return int64(a.Sub(b).Abs() / time.Second) }

// Differential is paid on top for the hours inside a window of local time,
// over midnight where To is not after From. Either PerHour or Percent is set.
type Differential struct {
	Name     string
	From, To time.Duration // local time of day
	PerHour  Rate
	Percent  int64       // hundredths of a percent of the stint's rate
	Days     when.Period // on which its window begins, zero for all
	given    int         // how many of the two were read
}

// on says whether the window of a date counts.
func (d *Differential) on(date when.Date) bool {
	return d.Days == when.Period{} || d.Days.From <= date && date <= d.Days.To
}

// Holiday pays a premium of (Multiple − 1) × the stint's rate on hours worked
// on a date.
type Holiday struct {
	Date     when.Date
	Multiple Rate
}

// Creditable says whether the premium counts towards overtime and stays out
// of the regular rate: at one and a half times or more (29 CFR 778.203).
func (h Holiday) Creditable() bool { return h.Multiple >= 1_500_000 }

// MealPremium is one hour's pay for a workday in which a due meal did not
// begin in time (California Labor Code 226.7 and 512). A meal is due when
// more than Before was worked, unless no more than Waived was. Zero Length is
// none; a Second of NotInForce asks for one meal only.
// Bank lets overtime be banked as time off in the place of pay: an hour of it is credited as
// Overtime hours, one of double time as Double (29 CFR 553.20: at least one and a half, of public
// agencies alone). Zero is none.
type Bank struct{ Overtime, Double Rate }

// credit gives what an hour of a class is credited as, 0 for nothing.
func (b Bank) credit(c Class) Rate {
	switch c {
	case Overtime:
		return b.Overtime
	case Double:
		return b.Double
	}
	return 0
}

type MealPremium struct {
	First, Second             int64
	FirstWaived, SecondWaived int64
	Length                    int64 // a shorter one is no meal
}

// Meals says when meals are due by the rule: the card's flags and the premium are
// judged by the same.
func (m MealPremium) Meals() clock.Meals {
	meals := clock.Meals{First: m.First, FirstWaived: m.FirstWaived, Length: m.Length}
	if m.Second != NotInForce {
		meals.Second, meals.SecondWaived = m.Second, m.SecondWaived
	}
	return meals
}

// DefaultRules are what an empty rule set means: a civil week from Sunday, no
// overtime, breaks by 29 CFR 785.18 and .19, two decimals.
func DefaultRules(loc *time.Location) Rules {
	return Rules{
		Week: when.Workweek{Loc: loc, Weekday: time.Sunday}, NewAttendanceAfter: 4 * 3600, Breaks: clock.USBreaks,
		WeeklyOvertime: NotInForce, WeeklyDouble: NotInForce, DailyOvertime: NotInForce, DailyDouble: NotInForce,
		ConsecutiveOvertime: NotInForce, SeventhDay: NotInForce, ShowUp: ShowUp{Most: NotInForce},
		OvertimeMultiple: 1_500_000, DoubleMultiple: 2_000_000, CurrencyDecimals: 2,
	}
}

// FirstDay gives the first date of the workweek, or of the overtime period,
// that holds a date.
func (r Rules) FirstDay(d when.Date) when.Date {
	if n := when.Date(r.Period.Days); n > 0 {
		return d - ((d-r.Period.Start)%n+n)%n
	}
	return r.Week.FirstDay(d)
}

// WeekDays gives the length of the workweek, or of the overtime period.
func (r Rules) WeekDays() when.Date {
	if r.Period.Days > 0 {
		return when.Date(r.Period.Days)
	}
	return 7
}

// overtimeAfter is the threshold of the workweek or the overtime period.
func (r Rules) overtimeAfter() int64 {
	if r.Period.Days > 0 {
		return r.Period.After
	}
	return r.WeeklyOvertime
}

// holiday gives the holiday of a workday, or nil.
func (r Rules) holiday(d when.Date) *Holiday {
	i, found := slices.BinarySearchFunc(r.Holidays, d, func(h Holiday, d when.Date) int { return int(h.Date - d) })
	if !found {
		return nil
	}
	return &r.Holidays[i]
}

// contradictions lists the parameters that can't be meant together.
func (r Rules) contradictions() []FieldError {
	var errs []FieldError
	refuse := func(wrong bool, field, right string) {
		if wrong {
			errs = append(errs, FieldError{"rules." + field, "contradicts another rule", right})
		}
	}
	below := func(double, overtime int64) bool {
		return double != NotInForce && overtime != NotInForce && double < overtime
	}
	refuse(below(r.DailyDouble, r.DailyOvertime), "daily_double_after",
		"double time can't begin before daily_overtime_after; raise it or take it out")
	refuse(below(r.WeeklyDouble, r.WeeklyOvertime), "weekly_double_after",
		"double time can't begin before weekly_overtime_after; raise it or take it out")
	refuse(r.DoubleMultiple < r.OvertimeMultiple, "double_multiplier", "it can't be smaller than overtime_multiplier")
	if r.Period.Days > 0 {
		refuse(r.WeeklyOvertime != NotInForce, "weekly_overtime_after", "overtime_period replaces the workweek; take one of the two out")
		refuse(r.WeeklyDouble != NotInForce, "weekly_double_after", "overtime_period replaces the workweek; take one of the two out")
		refuse(r.SeventhDay != NotInForce, "seventh_day",
			"overtime_period replaces the workweek, which then has no seventh day; take one of the two out")
		refuse(r.Period.After > int64(r.Period.Days)*86400, "overtime_period.after", "the period has no more than 24 hours a day")
	}
	refuse(r.SeventhDay != NotInForce && r.Week.Start != r.Week.WorkdayStart, "seventh_day",
		"the seven workdays must fill the workweek; let workday_start be the time of day of workweek_start")
	unpaidFrom := int64(r.Breaks.UnpaidMealFrom / time.Second)
	refuse(r.AutomaticMeal.Length > 0 && r.AutomaticMeal.Length < unpaidFrom, "automatic_meal.minutes",
		fmt.Sprintf("a meal shorter than unpaid_meal_from_minutes, %d, counts as work and can't be taken out", unpaidFrom/60))
	if m := r.MealPremium; m.Length > 0 {
		refuse(m.FirstWaived != 0 && m.FirstWaived < m.First, "meal_premium.first_waived_up_to_hours",
			"it can't be less than first_before_hours, from which a meal is due")
		if m.Second != NotInForce {
			refuse(m.Second <= m.First, "meal_premium.second_before_hours", "the second meal can't be due before the first")
			refuse(m.SecondWaived != 0 && m.SecondWaived < m.Second, "meal_premium.second_waived_up_to_hours",
				"it can't be less than second_before_hours, from which a meal is due")
		} else {
			refuse(m.SecondWaived != 0, "meal_premium.second_waived_up_to_hours",
				"there is no second meal to waive; give second_before_hours or take it out")
		}
	}
	refuse(r.ShowUp.Most != NotInForce && r.ShowUp.Most < r.ShowUp.Least, "show_up.most_hours", "it can't be less than least_hours")
	for i, d := range r.Differentials {
		refuse(d.given != 1, fmt.Sprintf("differentials[%d]", i), "give either per_hour or percent, and not both")
		refuse(d.Days != when.Period{} && (d.Days.From == 0 || d.Days.To < d.Days.From), fmt.Sprintf("differentials[%d].last_day", i),
			"give first_day and last_day, which is not before it")
	}
	for i := 1; i < len(r.Holidays); i++ {
		refuse(r.Holidays[i].Date == r.Holidays[i-1].Date, "holidays", fmt.Sprintf("%s is there twice; keep one", r.Holidays[i].Date))
	}
	return errs
}
