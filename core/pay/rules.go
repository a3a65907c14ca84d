package pay

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

// Rules is a place's rule set: the parameters by which hours become pay. They
// are data, dated where they are kept; [ParseRules] reads them. Only weekly
// overtime is in force so far.
type Rules struct {
	Week             when.Workweek // Loc is the zone of the place
	Breaks           clock.Breaks
	WeeklyOvertime   int64 // seconds a week after which hours are overtime; negative when not in force
	RateInEffect     bool  // premium on the stint's own rate instead of the regular rate (29 CFR 778.419)
	OvertimeMultiple Rate  // 1.5 as 1_500_000
	CurrencyDecimals int
}

// DefaultRules are what an empty rule set means: a civil week from Sunday, no
// overtime, breaks by 29 CFR 785.18 and .19, two decimals.
func DefaultRules(loc *time.Location) Rules {
	return Rules{Week: when.Workweek{Loc: loc, Weekday: time.Sunday}, Breaks: clock.USBreaks,
		WeeklyOvertime: -1, OvertimeMultiple: 1_500_000, CurrencyDecimals: 2}
}

// FieldError names a field of the input, its value and what would be right.
type FieldError struct{ Field, Value, Right string }

func (e FieldError) Error() string {
	return fmt.Sprintf("%s: %s: %s", e.Field, e.Value, e.Right)
}

// notYet lists the parameters that are part of the contract and not supported
// yet, each with the values that mean "not in force".
var notYet = map[string][]string{
	"split_at_boundary":          {"true"},
	"new_attendance_after":       {`"4"`},
	"weekly_double_after":        nil,
	"daily_overtime_after":       nil,
	"daily_double_after":         nil,
	"consecutive_overtime_after": nil,
	"seventh_day":                nil,
	"combine":                    {`"no_pyramiding"`},
	"overtime_period":            nil,
	"double_multiplier":          {`"2"`},
	"flat_sum_over":              {`"all_hours"`},
	"rounding":                   nil,
	"automatic_meal":             nil,
	"minimum_callout_hours":      nil,
	"differentials":              {"[]"},
	"holidays":                   {"[]"},
	"meal_premium":               nil,
}

// ParseRules reads a rule set written as the "rules" object of the reckon
// contract. An absent or empty raw message means the defaults. Every field
// that is wrong gives an error; a rule that is not supported yet is refused
// by name, never ignored.
func ParseRules(raw json.RawMessage, loc *time.Location) (Rules, []FieldError) {
	r := DefaultRules(loc)
	var fields map[string]json.RawMessage
	if len(raw) == 0 {
		return r, nil
	}
	if err := json.Unmarshal(raw, &fields); err != nil {
		return r, []FieldError{{"rules", Brief(raw), "write an object"}}
	}
	p := ruleParser{}
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		p.name, p.raw = name, fields[name]
		p.field(&r)
	}
	return r, p.errs
}

type ruleParser struct {
	name string
	raw  json.RawMessage
	errs []FieldError
}

func (p *ruleParser) fail(right string) {
	p.errs = append(p.errs, FieldError{"rules." + p.name, Brief(p.raw), right})
}

// text reads a string field.
func (p *ruleParser) text(right string, take func(string) error) {
	var s string
	if json.Unmarshal(p.raw, &s) != nil || string(p.raw) == "null" || take(s) != nil {
		p.fail(right)
	}
}

// minutes reads a whole number of minutes.
func (p *ruleParser) minutes(into *time.Duration) {
	var n int
	if json.Unmarshal(p.raw, &n) != nil || string(p.raw) == "null" || n < 0 || n > 24*60 {
		p.fail("write whole minutes, 0 to 1440")
		return
	}
	*into = time.Duration(n) * time.Minute
}

func (p *ruleParser) field(r *Rules) {
	switch p.name {
	case "workweek_start":
		p.text(`write a weekday and a local time such as "Sun 00:00"`, func(s string) (err error) {
			r.Week.Weekday, r.Week.Start, err = when.ParseWeekStart(s)
			return err
		})
	case "workday_start":
		p.text(`write a local time such as "00:00"`, func(s string) (err error) {
			r.Week.WorkdayStart, err = when.ParseTimeOfDay(s)
			return err
		})
	case "weekly_overtime_after":
		if string(p.raw) == "null" {
			return
		}
		p.text(`write hours such as "40", at most 168, or null`, func(s string) error {
			hours, err := ParseRate(s)
			if err != nil || hours < 0 || hours > 168*rateScale {
				return fmt.Errorf("out of range")
			}
			r.WeeklyOvertime = int64(hours) * 3600 / rateScale
			return nil
		})
	case "overtime_rate":
		p.text(`write "regular_rate" or "rate_in_effect"`, func(s string) error {
			r.RateInEffect = s == "rate_in_effect"
			if !r.RateInEffect && s != "regular_rate" {
				return fmt.Errorf("unknown")
			}
			return nil
		})
	case "overtime_multiplier":
		p.text(`write a multiplier such as "1.5", 1 to 10, with at most four decimals`, func(s string) (err error) {
			m, err := ParseRate(s)
			if err != nil || m < rateScale || m > 10*rateScale || m%100 != 0 {
				return fmt.Errorf("out of range")
			}
			r.OvertimeMultiple = m
			return nil
		})
	case "paid_rest_up_to_minutes":
		p.minutes(&r.Breaks.PaidRestUpTo)
	case "unpaid_meal_from_minutes":
		p.minutes(&r.Breaks.UnpaidMealFrom)
	default:
		off, known := notYet[p.name]
		switch {
		case !known:
			p.fail("this rule is unknown; take it out")
		case string(p.raw) != "null" && !slices.Contains(off, string(p.raw)):
			p.fail("not supported yet; leave it out")
		}
	}
}

// Brief shortens a JSON value for an error message.
func Brief(raw json.RawMessage) string {
	if len(raw) > 60 {
		return string(raw[:57]) + "…"
	}
	return string(raw)
}
