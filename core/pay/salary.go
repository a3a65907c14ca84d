package pay

import (
	"fmt"
	"math/big"
	"slices"

	"manudex/core/when"
)

// Salary is what somebody is paid for a pay period whatever the hours, and what these are then
// paid besides. Its Days are the whole period, and no two salaries share one. Overtime of a week
// goes by the salary that holds its first day.
type Salary struct {
	Days     when.Period
	Of       Per  // how long such a period is: a month's salary is paid in two half months
	Amount   Rate // for the length Per
	Per      Per  // a year's, and so on
	By       SalaryBy
	Hours    int64 // a week's hours it is meant for, in seconds; [ForHours]
	PayCode  string
	Workdays int      // of the period, which a day's part of it is taken from
	Part     int      // of them, those within Days, 0 for all: it began, changed or ended within the period
	Docked   []Docked // whole days that it isn't paid for

	elsewhere bool // its line is made by other rules; see [Reckoner.ReckonDated]
}

// SalaryBy is what a salary is paid for.
type SalaryBy string

// What salaries are paid for.
const (
	Exempt   SalaryBy = "exempt"    // no overtime (29 CFR 541.602)
	ForHours SalaryBy = "hours"     // so many hours a week; those beyond are paid (29 CFR 778.113)
	AllHours SalaryBy = "all_hours" // all hours, however many; overtime adds its premium (29 CFR 778.114)
)

// Per is a length of time that salaries are named for.
type Per string

// perYear says how many of each a year has, as 29 CFR 778.113(b) counts them.
var perYear = map[Per]int64{"week": 52, "two_weeks": 26, "half_month": 24, "month": 12, "year": 1}

// ParsePer reads a length that a salary is named for.
func ParsePer(s string) (Per, error) {
	if perYear[Per(s)] == 0 {
		return "", fmt.Errorf(`write "week", "two_weeks", "half_month", "month" or "year"`)
	}
	return Per(s), nil
}

// Docked is a whole day that a salary isn't paid for, and why.
type Docked struct {
	Date   when.Date
	Reason string
}

// DockReasons are why a salary may be lowered by a whole day (29 CFR 541.602(b)), in words.
var DockReasons = map[string]string{
	"personal":           "personal reasons, 29 CFR 541.602(b)(1)",
	"sickness":           "sickness, under a plan that pays for it, 541.602(b)(2)",
	"safety":             "a safety rule of major significance, 541.602(b)(4)",
	"discipline":         "a suspension under a written policy, 541.602(b)(5)",
	"first_or_last_week": "not employed yet, or no longer, 541.602(b)(6)",
	"family_leave":       "unpaid family leave, 541.602(b)(7)",
}

// weekly gives what the salary comes to for a workweek (29 CFR 778.113(b): a month × 12 ÷ 52),
// rounded to a millionth.
func (s Salary) weekly() Rate {
	return Rate(ratio{int64(s.Amount), perYear[s.Per], 1, 52}.scaled(1))
}

// Weekly gives what a salary of an amount comes to for a workweek, rounded to a millionth.
func Weekly(amount Rate, per Per) Rate { return Salary{Amount: amount, Per: per}.weekly() }

// hourly gives the regular rate of a salary for so many hours a week, rounded to a millionth.
func (s Salary) hourly() Rate {
	return Rate(ratio{int64(s.Amount) * perYear[s.Per], 3600, 1, 52 * s.Hours}.scaled(1))
}

// days gives for how many of the period's days it's paid.
func (s Salary) days() (paid, of int64) {
	of = int64(max(s.Workdays, 1))
	paid = of
	if s.Part > 0 {
		paid = int64(s.Part)
	}
	return max(0, paid-int64(len(s.Docked))), of
}

// salaryOf finds the salary of a week by its first day, nil for none.
func (in *Input) salaryOf(week when.Date) *Salary {
	for i := range in.Salaries {
		if s := &in.Salaries[i]; s.Days.From <= week && week <= s.Days.To {
			return s
		}
	}
	return nil
}

// salaried puts what salaries pay an hour with on the stints of their weeks, in a copy of them.
func (in *Input) salaried(stints []Stint) []Stint {
	if len(in.Salaries) == 0 {
		return stints
	}
	stints = slices.Clone(stints)
	for i := range stints {
		s := in.salaryOf(in.Rules.FirstDay(when.DateOf(stints[i].Start, in.Rules.Week.Loc)))
		if s == nil {
			continue
		}
		stints[i].Rate = 0
		if s.By == ForHours {
			stints[i].Rate = s.hourly()
		}
	}
	return stints
}

// withinSalary marks the hours that salaries pay, cutting a piece where a week's hours they are
// meant for end. Of an exempt salary no hour is overtime.
func (w *working) withinSalary(pieces []piece) []piece {
	if len(w.input.Salaries) == 0 {
		return pieces
	}
	out := make([]piece, 0, len(pieces)+2)
	weeksOf(pieces, func(week []piece) {
		s := w.input.salaryOf(week[0].week)
		if s == nil {
			out = append(out, week...)
			return
		}
		var sum int64
		for _, p := range week {
			p.salaried = true
			if s.By == Exempt {
				p.class, p.because = Regular, NoReason
			}
			if p.paidOnly || s.By != ForHours || sum+p.seconds <= s.Hours {
				if !p.paidOnly {
					sum += p.seconds
				}
				out = append(out, p)
				continue
			}
			within, beyond := p, p
			within.seconds = max(0, s.Hours-sum)
			beyond.from, beyond.seconds, beyond.salaried = p.from+within.seconds, p.seconds-within.seconds, false
			sum += p.seconds
			if within.seconds > 0 {
				out = append(out, within)
			}
			out = append(out, beyond)
		}
	})
	return out
}

// salaries adds a line for each salary, dated the last day of its period.
func (m *lineMaker) salaries() {
	for i, s := range m.input.Salaries {
		if s.elsewhere {
			continue
		}
		paid, of := s.days()
		f := &m.f
		f.num.Mul(f.product(int64(s.Amount), perYear[s.Per]*fineScale), f.factor.SetInt64(paid))
		f.den.Mul(f.den.SetInt64(perYear[s.Of]), f.factor.SetInt64(of))
		m.lines = append(m.lines, Line{Date: s.Days.To, Week: m.civil.rules.FirstDay(s.Days.To), Stint: -1, Kind: SalaryPay,
			PayCode: s.PayCode, Amount: f.minor(m.decimals), from: int32(i)})
	}
}

// addSalary puts a salary for all hours into the regular rate of a week.
func (w *working) addSalary(s *weekSum) {
	if salary := w.input.salaryOf(s.Start); salary != nil && salary.By == AllHours && s.Worked > 0 {
		s.extras += salary.weekly()
	}
}

// text says what a salary comes to and why.
func (s Salary) text(amount string) string {
	paid, of := s.days()
	whole := new(big.Rat).SetFrac64(int64(s.Amount)*perYear[s.Per], rateScale*perYear[s.Of])
	text := fmt.Sprintf("Salary of %s a %s: %s for the pay period", s.Amount, s.Per.word(), whole.FloatString(2))
	if paid < of {
		text += fmt.Sprintf(", of which %d of %d working days are paid = %s", paid, of, amount)
		if len(s.Docked) > 0 {
			text += "; not paid:"
		}
		for i, d := range s.Docked {
			if i > 0 {
				text += ","
			}
			text += fmt.Sprintf(" %s (%s)", day(d.Date), DockReasons[d.Reason])
		}
	}
	switch s.By {
	case Exempt:
		return text + ". No overtime, and never less for part of a day (29 CFR 541.602)."
	case ForHours:
		return text + fmt.Sprintf(". It is meant for %s a week, %s an hour; hours beyond are paid (29 CFR 778.113).", hms(s.Hours),
			s.hourly())
	}
	return text + fmt.Sprintf(". It pays all hours; %s a week are in the regular rate, and overtime adds its premium (29 CFR 778.114).",
		s.weekly())
}

// word is the length as it's said.
func (p Per) word() string {
	switch p {
	case "two_weeks":
		return "fortnight"
	case "half_month":
		return "half month"
	}
	return string(p)
}
