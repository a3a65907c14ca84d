package pay

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"manudex/core/when"
)

// FieldError names a field of the input, its value and what would be right.
type FieldError struct{ Field, Value, Right string }

func (e FieldError) Error() string {
	return fmt.Sprintf("%s: %s: %s", e.Field, e.Value, e.Right)
}

// Limits of what a rule set may hold, so that working out stays linear in the
// stints.
const (
	maxDifferentials = 24
	maxHolidays      = 400
	maxPeriodDays    = 371 // 53 weeks
)

// ParseRules reads a rule set written as the "rules" object of the reckon
// contract (docs/rules.md). An absent or empty raw message means the
// defaults. Every field that is wrong gives an error, and so do rules that
// contradict each other.
func ParseRules(raw json.RawMessage, loc *time.Location) (Rules, []FieldError) {
	r := DefaultRules(loc)
	if len(raw) == 0 {
		return r, nil
	}
	var errs []FieldError
	fields := ruleFields{at: "rules", errs: &errs}
	if !fields.open(raw) {
		return r, errs
	}
	fields.read(r.readers())
	slices.SortStableFunc(r.Holidays, func(a, b Holiday) int { return cmp.Compare(a.Date, b.Date) })
	if len(errs) == 0 {
		errs = r.contradictions()
	}
	return r, errs
}

// ruleFields is an object of the rule set and where it stands in it.
type ruleFields struct {
	at     string
	values map[string]json.RawMessage
	errs   *[]FieldError
}

func (f *ruleFields) fail(name string, raw json.RawMessage, right string) {
	at := f.at
	if name != "" {
		at += "." + name
	}
	*f.errs = append(*f.errs, FieldError{at, Brief(raw), right})
}

func (f *ruleFields) open(raw json.RawMessage) bool {
	if err := json.Unmarshal(raw, &f.values); err != nil || f.values == nil {
		f.fail("", raw, "write an object")
		return false
	}
	return true
}

// fieldReader takes a value into the rules; its error says what would be
// right.
type fieldReader func(raw json.RawMessage) error

// read hands each field to its reader, refuses those that have none and tells
// of the required ones that are absent.
func (f *ruleFields) read(readers map[string]fieldReader, required ...string) {
	for _, name := range slices.Sorted(maps.Keys(f.values)) {
		read, known := readers[name]
		if !known {
			f.fail(name, f.values[name], "this rule is unknown; take it out")
			continue
		}
		var within nested
		if err := read(f.values[name]); errors.As(err, &within) {
			for _, e := range within {
				e.Field = f.at + "." + name + e.Field
				*f.errs = append(*f.errs, e)
			}
		} else if err != nil {
			f.fail(name, f.values[name], err.Error())
		}
	}
	for _, name := range required {
		if _, there := f.values[name]; !there {
			f.fail(name, []byte("missing"), "this field is required")
		}
	}
}

// nested carries the errors of the fields of an object inside the rules.
type nested []FieldError

func (n nested) Error() string { return "see its fields" }

// object reads a nested object.
func object(raw json.RawMessage, readers map[string]fieldReader, required ...string) error {
	var errs []FieldError
	f := ruleFields{errs: &errs}
	if f.open(raw) {
		f.read(readers, required...)
	}
	if len(errs) > 0 {
		return nested(errs)
	}
	return nil
}

// list reads a list of objects of one kind.
func list[T any](into *[]T, most int, readers func(*T) (map[string]fieldReader, []string)) fieldReader {
	return func(raw json.RawMessage) error {
		var items []json.RawMessage
		if json.Unmarshal(raw, &items) != nil || items == nil || len(items) > most {
			return fmt.Errorf("write a list of at most %d", most)
		}
		*into = make([]T, len(items))
		var errs nested
		for i, item := range items {
			fields, required := readers(&(*into)[i])
			var within nested
			if errors.As(object(item, fields, required...), &within) {
				for _, e := range within {
					e.Field = fmt.Sprintf("[%d]%s", i, e.Field)
					errs = append(errs, e)
				}
			}
		}
		if len(errs) > 0 {
			return errs
		}
		return nil
	}
}

// text reads a string, which null is not.
func text(right string, take func(string) error) fieldReader {
	return func(raw json.RawMessage) error {
		var s string
		if json.Unmarshal(raw, &s) != nil || isNull(raw) || take(s) != nil {
			return errors.New(right)
		}
		return nil
	}
}

// choice reads one of two words; the second sets the flag.
func choice(into *bool, off, on string) fieldReader {
	return text(fmt.Sprintf("write %q or %q", off, on), func(s string) error {
		*into = s == on
		if s != off && s != on {
			return errors.New("unknown")
		}
		return nil
	})
}

// optional lets null mean that a rule is not in force.
func optional(read fieldReader) fieldReader {
	return func(raw json.RawMessage) error {
		if isNull(raw) {
			return nil
		}
		if err := read(raw); err != nil {
			var within nested
			if errors.As(err, &within) {
				return err
			}
			return fmt.Errorf("%w, or null", err)
		}
		return nil
	}
}

func isNull(raw json.RawMessage) bool { return string(raw) == "null" }

// hours reads a decimal of hours that comes to whole seconds.
func hours(into *int64, least, most int64) fieldReader {
	right := fmt.Sprintf(`write hours such as "8", at most %d`, most)
	if least > 0 {
		right += " and more than 0"
	}
	return text(right+", in whole seconds", func(s string) error {
		h, err := ParseRate(s)
		seconds := int64(h) * 3600 / rateScale
		if err != nil || seconds*rateScale != int64(h)*3600 || seconds < least || seconds > most*3600 {
			return errors.New("out of range")
		}
		*into = seconds
		return nil
	})
}

// minutes reads a whole number of minutes.
func minutes(least, most int, take func(int)) fieldReader {
	return func(raw json.RawMessage) error {
		var n int
		if json.Unmarshal(raw, &n) != nil || isNull(raw) || n < least || n > most {
			return fmt.Errorf("write whole minutes, %d to %d", least, most)
		}
		take(n)
		return nil
	}
}

func multiple(into *Rate) fieldReader {
	return text(`write a multiplier such as "1.5", 1 to 10, with at most four decimals`, func(s string) error {
		m, err := ParseRate(s)
		if err != nil || m < rateScale || m > 10*rateScale || m%100 != 0 {
			return errors.New("out of range")
		}
		*into = m
		return nil
	})
}

// part reads a part of a whole.
func part(into *Rate) fieldReader {
	return text(`write a part such as "0.5", more than 0 and at most 1, with at most four decimals`, func(s string) error {
		p, err := ParseRate(s)
		if err != nil || p <= 0 || p > rateScale || p%100 != 0 {
			return errors.New("out of range")
		}
		*into = p
		return nil
	})
}

func timeOfDay(into *time.Duration) fieldReader {
	return text(`write a local time such as "00:00"`, func(s string) (err error) {
		*into, err = when.ParseTimeOfDay(s)
		return err
	})
}

func civilDate(into *when.Date) fieldReader {
	return text("write a date as YYYY-MM-DD", func(s string) (err error) {
		*into, err = when.ParseDate(s)
		return err
	})
}

// RuleNames lists the parameters of a rule set by name.
func RuleNames() []string { return slices.Sorted(maps.Keys(new(Rules).readers())) }

// readers is the contract: every field of "rules" and how it is read.
func (r *Rules) readers() map[string]fieldReader {
	return map[string]fieldReader{
		"workweek_start": text(`write a weekday and a local time such as "Sun 00:00"`, func(s string) (err error) {
			r.Week.Weekday, r.Week.Start, err = when.ParseWeekStart(s)
			return err
		}),
		"workday_start":              timeOfDay(&r.Week.WorkdayStart),
		"split_at_boundary":          r.readSplit,
		"new_attendance_after":       hours(&r.NewAttendanceAfter, 1, 24),
		"weekly_overtime_after":      optional(hours(&r.WeeklyOvertime, 0, 168)),
		"weekly_double_after":        optional(hours(&r.WeeklyDouble, 0, 168)),
		"daily_overtime_after":       optional(hours(&r.DailyOvertime, 0, 24)),
		"daily_double_after":         optional(hours(&r.DailyDouble, 0, 24)),
		"consecutive_overtime_after": optional(hours(&r.ConsecutiveOvertime, 0, 168)),
		"seventh_day": optional(func(raw json.RawMessage) error {
			return object(raw, map[string]fieldReader{"overtime_hours": hours(&r.SeventhDay, 0, 24)}, "overtime_hours")
		}),
		"combine":                 choice(&r.GreaterOf, "no_pyramiding", "greater_of"),
		"overtime_period":         optional(r.readPeriod),
		"overtime_rate":           choice(&r.RateInEffect, "regular_rate", "rate_in_effect"),
		"premium_job":             choice(&r.PremiumOverWeek, "overtime_hours", "week_hours"),
		"overtime_multiplier":     multiple(&r.OvertimeMultiple),
		"double_multiplier":       multiple(&r.DoubleMultiple),
		"flat_sum_over":           choice(&r.FlatSumOverRegular, "all_hours", "regular_hours"),
		"paid_rest_up_to_minutes": minutes(0, 1440, func(n int) { r.Breaks.PaidRestUpTo = time.Duration(n) * time.Minute }),
		"rest_beyond":             choice(&r.Breaks.OnlyExcess, "whole", "excess"),
		"unpaid_meal_from_minutes": minutes(0, 1440, func(n int) {
			r.Breaks.UnpaidMealFrom = time.Duration(n) * time.Minute
		}),
		"rounding": optional(r.readRounding),
		"automatic_meal": optional(func(raw json.RawMessage) error {
			return object(raw, map[string]fieldReader{
				"after_hours": hours(&r.AutomaticMeal.After, 0, 24),
				"minutes":     minutes(1, 240, func(n int) { r.AutomaticMeal.Length = int64(n) * 60 }),
			}, "after_hours", "minutes")
		}),
		"minimum_callout_hours": optional(hours(&r.MinimumCallout, 0, 24)),
		"show_up": optional(func(raw json.RawMessage) error {
			return object(raw, map[string]fieldReader{
				"part":        part(&r.ShowUp.Part),
				"least_hours": optional(hours(&r.ShowUp.Least, 0, 24)),
				"most_hours":  optional(hours(&r.ShowUp.Most, 0, 24)),
			}, "part")
		}),
		"bank_overtime": optional(func(raw json.RawMessage) error {
			return object(raw, map[string]fieldReader{"overtime": multiple(&r.Bank.Overtime), "double": multiple(&r.Bank.Double)},
				"overtime")
		}),
		"short_notice":  optional(r.readShortNotice),
		"differentials": list(&r.Differentials, maxDifferentials, (*Differential).readers),
		"holidays":      list(&r.Holidays, maxHolidays, (*Holiday).readers),
		"meal_premium":  optional(r.readMealPremium),
	}
}

func (r *Rules) readSplit(raw json.RawMessage) error {
	var split bool
	if json.Unmarshal(raw, &split) != nil || isNull(raw) {
		return errors.New("write true or false")
	}
	r.KeepWithAttendance = !split
	return nil
}

func (r *Rules) readPeriod(raw json.RawMessage) error {
	return object(raw, map[string]fieldReader{
		"days": func(raw json.RawMessage) error {
			if json.Unmarshal(raw, &r.Period.Days) != nil || isNull(raw) || r.Period.Days < 1 || r.Period.Days > maxPeriodDays {
				r.Period.Days = 0
				return fmt.Errorf("write whole days, 1 to %d", maxPeriodDays)
			}
			return nil
		},
		"start": civilDate(&r.Period.Start),
		"after": hours(&r.Period.After, 0, maxPeriodDays*24),
	}, "days", "start", "after")
}

func (r *Rules) readRounding(raw json.RawMessage) error {
	return object(raw, map[string]fieldReader{
		"minutes": func(raw json.RawMessage) error {
			var n int64
			if json.Unmarshal(raw, &n) != nil || n != 5 && n != 6 && n != 15 {
				return errors.New("write 5, 6 or 15")
			}
			r.Rounding.Every = n * 60
			return nil
		},
		"apply": choice(&r.Rounding.WholeDay, "edge", "day"),
	}, "minutes", "apply")
}

func (r *Rules) readShortNotice(raw json.RawMessage) error {
	n, days := &r.ShortNotice, 0
	return object(raw, map[string]fieldReader{
		"days": func(raw json.RawMessage) error {
			if json.Unmarshal(raw, &days) != nil || isNull(raw) || days < 1 || days > 60 {
				return errors.New("write whole days, 1 to 60")
			}
			n.Days = when.Date(days)
			return nil
		},
		"changed_hours": optional(hours(&n.Changed, 0, 24)),
		"lost_part":     optional(part(&n.Lost)),
		"over_minutes":  minutes(0, 240, func(m int) { n.Over = int64(m) * 60 }),
	}, "days")
}

func (r *Rules) readMealPremium(raw json.RawMessage) error {
	m := &r.MealPremium
	m.Length, m.Second = 30*60, NotInForce
	return object(raw, map[string]fieldReader{
		"first_before_hours":        hours(&m.First, 1, 24),
		"second_before_hours":       optional(hours(&m.Second, 1, 24)),
		"minutes":                   minutes(1, 240, func(n int) { m.Length = int64(n) * 60 }),
		"first_waived_up_to_hours":  optional(hours(&m.FirstWaived, 0, 24)),
		"second_waived_up_to_hours": optional(hours(&m.SecondWaived, 0, 24)),
	}, "first_before_hours")
}

func (d *Differential) readers() (map[string]fieldReader, []string) {
	sum := func(right string, most, step Rate, take func(Rate)) fieldReader {
		return optional(text(right, func(s string) error {
			v, err := ParseRate(s)
			if err != nil || v < 0 || v > most || v%step != 0 {
				return errors.New("out of range")
			}
			d.given++
			take(v)
			return nil
		}))
	}
	const basisPoint = rateScale / 100 // of a percentage
	return map[string]fieldReader{
		"name": text("write what the differential is called, at most 60 characters", func(s string) error {
			d.Name = s
			if s == "" || len(s) > 60 {
				return errors.New("length")
			}
			return nil
		}),
		"from":     timeOfDay(&d.From),
		"to":       timeOfDay(&d.To),
		"per_hour": sum(`write a decimal such as "1.50", not below zero`, maxRate, 1, func(v Rate) { d.PerHour = v }),
		"percent": sum(`write a percentage such as "10", at most 1000, with at most two decimals`, 1000*rateScale, basisPoint,
			func(v Rate) { d.Percent = int64(v) / basisPoint }),
		"first_day": civilDate(&d.Days.From),
		"last_day":  civilDate(&d.Days.To),
	}, []string{"name", "from", "to"}
}

func (h *Holiday) readers() (map[string]fieldReader, []string) {
	return map[string]fieldReader{"date": civilDate(&h.Date), "multiplier": multiple(&h.Multiple)}, []string{"date", "multiplier"}
}

// Brief shortens a JSON value for an error message.
func Brief(raw json.RawMessage) string {
	if len(raw) > 60 {
		return string(raw[:57]) + "…"
	}
	return string(raw)
}
