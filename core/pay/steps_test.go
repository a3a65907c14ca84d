package pay

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
)

// spansOf runs the first steps, up to automatic meals.
func spansOf(t *testing.T, rules Rules, stints []Stint) ([]span, []Meal) {
	t.Helper()
	joined, err := join(stints)
	if err != nil {
		t.Fatal(err)
	}
	var cal calendars
	spans, attendances := attend(nil, nil, joined, &rules)
	round(spans, attendances, cal.of(&rules))
	var meals []Meal
	if rules.AutomaticMeal.Length > 0 {
		spans, meals = automaticMeals(nil, spans, attendances, rules.AutomaticMeal)
	}
	return spans, meals
}

// spansText writes spans as "07:00-12:00 work", leaving out those of no
// length.
func spansText(spans []span, loc *time.Location) string {
	var out []string
	for _, s := range spans {
		if s.length() > 0 {
			how := [...]string{"unpaid", "work", "paid"}[s.how]
			out = append(out, fmt.Sprintf("%s-%s %s", clockText(s.from, loc), clockText(s.to, loc), how))
		}
	}
	return strings.Join(out, ", ")
}

func clockText(at int64, loc *time.Location) string {
	return strings.TrimSuffix(time.Unix(at, 0).In(loc).Format("15:04:05"), ":00")
}

// 29 CFR 785.48: to the nearest minutes of the local clock, a tie later;
// breaks are judged on raw time.
func TestRounding(t *testing.T) {
	edge := func(n int) string { return fmt.Sprintf(`"rounding":{"minutes":%d,"apply":"edge"}`, n) }
	const day = `"rounding":{"minutes":15,"apply":"day"}`
	for _, c := range []struct{ name, zone, rules, stints, want string }{
		{"edges to a quarter", "", edge(15), "Mon 07:08-15:37", "07:15-15:30 work"},
		{"seven minutes go back", "", edge(15), "Mon 07:07-15:22", "07:00-15:15 work"},
		{"a tie goes later", "", edge(15), "Mon 07:07:30-15:22:30", "07:15-15:30 work"},
		{"to five minutes", "", edge(5), "Mon 07:02-15:33", "07:00-15:35 work"},
		{"to a tenth of an hour, a tie later", "", edge(6), "Mon 07:03-15:32:59", "07:06-15:30 work"},
		{"a switch's edge is one edge", "", edge(15), "Mon 07:02-11:08, 11:08-15:30 job=b", "07:00-11:15 work, 11:15-15:30 work"},
		{"a meal of 28 minutes counts as work though it rounds to 30", "", edge(15), "Mon 07:00-12:01, meal 12:01-12:29, 12:29-15:30",
			"07:00-12:00 work, 12:00-12:30 work, 12:30-15:30 work"},
		{"of a long rest the first twenty minutes count", "", `"rest_beyond":"excess"`, "Mon 07:00-10:00, rest 10:00-10:25, 10:25-12:00",
			"07:00-10:00 work, 10:00-10:20 work, 10:20-10:25 unpaid, 10:25-12:00 work"},
		{"they stay twenty whatever is rounded", "", edge(15) + `,"rest_beyond":"excess"`, "Mon 07:00-10:00, rest 10:05-10:50, 10:50-12:00",
			"07:00-10:00 work, 10:00-10:20 work, 10:20-10:45 unpaid, 10:45-12:00 work"},
		{"a meal of 31 rounds to 30 and stays a meal", "", edge(15), "Mon 07:00-12:01, meal 12:01-12:32, 12:32-15:30",
			"07:00-12:00 work, 12:00-12:30 unpaid, 12:30-15:30 work"},
		{"a stint may round away", "", edge(15), "Mon 07:01-07:05", ""},
		{"the local clock of a zone 45 minutes off", "Asia/Kathmandu", edge(6), "Mon 07:02-15:33", "07:00-15:36 work"},
		{"the whole day: the last work takes the difference", "", day, "Mon 07:02-12:00, meal 12:00-12:31, 12:31-15:35",
			"07:02-12:00 work, 12:00-12:31 unpaid, 12:31-15:33 work"},
		{"the whole day, up", "", day, "Mon 07:00-12:00, 13:00-16:08", "07:00-12:00 work, 13:00-16:15 work"},
		{"the whole day, a tie up", "", day, "Mon 07:00-15:07:30", "07:00-15:15 work"},
		{"the whole day, the last work shorter than the difference", "", day, "Mon 07:00-15:05, 16:00-16:01", "07:00-15:00 work"},
		{"the whole day is that of the attendance", "", day, "Mon 20:00-04:06", "20:00-04:00 work"},
		{"two attendances of a day are one day", "", day, "Mon 05:00-08:05, Mon 14:00-17:05", "05:00-08:05 work, 14:00-17:10 work"},
	} {
		if c.zone == "" {
			c.zone = "America/New_York"
		}
		rules := parsedIn(t, c.zone, c.rules)
		spans, _ := spansOf(t, rules, timesheet(t, rules.Week.Loc, c.stints))
		if got := spansText(spans, rules.Week.Loc); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
}

// Rounding that closes a gap makes the hours consecutive; a long rest stays a
// gap.
func TestRoundingAndConsecutiveHours(t *testing.T) {
	rules := parsed(t, `"rounding":{"minutes":15,"apply":"edge"}`)
	for stints, want := range map[string]string{
		"Mon 07:00-12:02, 12:06-16:00":                                "0 0",
		"Mon 07:00-12:00, 12:20-16:00":                                "0 1",
		"Mon 07:00-12:02, 12:06-16:00, 17:00-18:00":                   "0 0 1",
		"Mon 07:00-12:02, rest 12:02-12:40, 12:40-16:00":              "0 0 1",
		"Mon 07:00-12:02, meal 12:06-12:40, 12:41-16:00":              "0 0 0",
		"Mon 07:00-12:02, rest 12:02-12:40, 12:44-16:00, 16:01-17:00": "0 0 2 2",
	} {
		spans, _ := spansOf(t, rules, timesheet(t, rules.Week.Loc, stints))
		var runs []string
		for _, s := range spans {
			runs = append(runs, fmt.Sprint(s.run))
		}
		if got := strings.Join(runs, " "); got != want {
			t.Errorf("%s: runs %s, want %s", stints, got, want)
		}
	}
}

func TestAutomaticMeal(t *testing.T) {
	const rule = `"automatic_meal":{"after_hours":"6","minutes":30}`
	for _, c := range []struct{ name, rules, stints, want string }{
		{"out of the stint running at six hours", rule, "Mon 07:00-15:30", "07:00-13:00 work, 13:30-15:30 work"},
		{"six hours need none", rule, "Mon 07:00-13:00", "07:00-13:00 work"},
		{"never below six hours", rule, "Mon 07:00-13:10", "07:00-13:00 work"},
		{"a meal was recorded", rule, "Mon 07:00-11:00, meal 11:00-11:30, 11:30-18:00",
			"07:00-11:00 work, 11:00-11:30 unpaid, 11:30-18:00 work"},
		{"a short meal was recorded", rule, "Mon 07:00-11:00, meal 11:00-11:10, 11:10-18:00",
			"07:00-11:00 work, 11:00-11:10 work, 11:10-18:00 work"},
		{"the second stint is running", rule, "Mon 07:00-11:00, 11:00-16:00 job=b", "07:00-11:00 work, 11:00-13:00 work, 13:30-16:00 work"},
		{"six hours reached at a switch", rule, "Mon 07:00-13:00, 13:00-16:00 job=b", "07:00-13:00 work, 13:30-16:00 work"},
		{"the running stint ends too soon: it comes out of its end", rule, "Mon 07:00-13:10, 13:10-16:00 job=b",
			"07:00-12:40 work, 13:10-16:00 work"},
		{"the running stint is too short: the next gives the rest", rule, "Mon 07:00-12:55, 12:55-13:10 job=b, 13:10-16:00 job=c",
			"07:00-12:55 work, 13:25-16:00 work"},
		{"a gap doesn't count", rule, "Mon 07:00-12:00, 13:00-16:00", "07:00-12:00 work, 13:00-14:00 work, 14:30-16:00 work"},
		{"each attendance for itself", rule, "Mon 00:00-04:00, 08:00-12:00", "00:00-04:00 work, 08:00-12:00 work"},
		{"after rounding", rule + `,"rounding":{"minutes":15,"apply":"edge"}`, "Mon 07:05-13:05", "07:00-13:00 work"},
	} {
		rules := parsed(t, c.rules)
		spans, meals := spansOf(t, rules, timesheet(t, rules.Week.Loc, c.stints))
		if got := spansText(spans, rules.Week.Loc); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
		var total, out int64
		for _, s := range spans {
			if s.how == workTime {
				total += s.length()
			}
		}
		for _, m := range meals {
			out += m.Seconds
		}
		if out > 1800 || out > 0 && total < 6*3600 {
			t.Errorf("%s: %d s taken out, %d s left", c.name, out, total)
		}
	}
	// Who says that they had no meal loses none, be it of a day of several stints.
	none := parsed(t, rule)
	stints := timesheet(t, none.Week.Loc, "Mon 07:00-11:00, 11:00-13:00, 13:00-16:00 job=b")
	for i := range stints {
		said := slices.Clone(stints)
		said[i].NoMeal = true
		if got := mustReckon(t, Input{Rules: none, Stints: said}).Worked; got != 9*3600 {
			t.Errorf("had no meal, said with stint %d: %d s worked", i, got)
		}
	}
	// What is taken out is no gap for consecutive hours.
	rules := parsed(t, rule+`,"consecutive_overtime_after":"12"`)
	if got := byDays(mustReckon(t,
		Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, "Mon 06:00-20:00")}).Days); got != "Mon 12:00 1:30" {
		t.Errorf("consecutive hours with an automatic meal: %s", got)
	}
}

// 29 CFR 778.220: what is missing to the minimum is paid, and not worked.
func TestCallout(t *testing.T) {
	const rule = `"minimum_callout_hours":"4"`
	for _, c := range []struct{ name, rules, stints, want string }{
		{"an hour and a half of four", rule, "Mon 19:00-20:30 @22 callout", "Mon 2:30 at 22.0000 = 55.00"},
		{"four hours need nothing", rule, "Mon 19:00-23:00 callout", ""},
		{"not called out", rule, "Mon 19:00-20:30", ""},
		{"no minimum", "", "Mon 19:00-20:30 callout", ""},
		{"at the last stint's rate", rule, "Mon 19:00-20:00 @22 callout, 20:00-20:30 @30 job=b", "Mon 2:30 at 30.0000 = 75.00"},
		{"soon after the day's work, an attendance of its own", rule, "Mon 07:00-15:30 @20, 18:00-19:00 callout",
			"Mon 3:00 at 20.0000 = 60.00"},
		{"up to the next attendance", rule, "Tue 01:00-01:30 callout, 05:30-14:00", "Tue 3:30 at 20.0000 = 70.00"},
		{"up to the next attendance, sooner", rule + `,"new_attendance_after":"1"`, "Tue 04:00-04:30 callout, 06:00-14:00",
			"Tue 1:30 at 20.0000 = 30.00"},
		{"two call-outs", rule, "Mon 19:00-19:30 callout, 21:00-21:30 callout", "Mon 1:30 at 20.0000 = 30.00; Mon 3:30 at 20.0000 = 70.00"},
		{"two marked stints in a row are one call-out", rule, "Mon 19:00-19:30 callout, 19:30-20:00 job=b callout",
			"Mon 3:00 at 20.0000 = 60.00"},
		{"marked where it goes on from work that isn't", rule, "Mon 18:00-19:00, 19:00-20:00 callout", "Mon 3:00 at 20.0000 = 60.00"},
		{"a paid meal counts as paid", rule, "Mon 19:00-20:00 callout, meal 20:00-21:00 not_as_work, 21:00-22:00",
			"Mon 1:00 at 20.0000 = 20.00"},
		{"over midnight it is of the last workday", rule, "Mon 23:00-01:00 callout", "Tue 2:00 at 20.0000 = 40.00"},
		{"rounded away it is due all the same", rule + `,"rounding":{"minutes":15,"apply":"edge"}`, "Mon 19:00-19:05 callout",
			"Mon 4:00 at 20.0000 = 80.00"},
	} {
		rules := parsed(t, c.rules)
		res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, c.stints)})
		if got := linesText(res, CalloutPay); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
	// It is in no threshold and not in the regular rate.
	rules := parsed(t, rule+`,"weekly_overtime_after":"1"`)
	res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, "Mon 19:00-21:00 @20 callout")})
	if w := res.Weeks[0]; w.Worked != 7200 || w.Overtime != 3600 || w.RegularRate != rate("20") || w.Gross != 9000 {
		t.Errorf("week with a call-out: %+v", w)
	}
}

// California's wage orders, section 5, with the labour commissioner's own example: eight hours
// planned and one worked pay one and three more. Ontario's Employment Standards Act, section
// 21.2: three hours to whom less is given of a longer shift.
func TestShowUp(t *testing.T) {
	const half, three = `"show_up":{"part":"0.5","least_hours":"2","most_hours":"4"}`,
		`"show_up":{"part":"1","least_hours":"3","most_hours":"3"}`
	for _, c := range []struct{ name, rules, stints, want string }{
		{"one hour of eight", half, "Mon 07:00-08:00 @20 planned=8:00", "Mon 3:00 at 20.0000 = 60.00"},
		{"half of it is enough", half, "Mon 07:00-11:00 planned=8:00", ""},
		{"never less than two", half, "Mon 07:00-08:00 planned=3:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"half of a short one is enough", half, "Mon 07:00-08:30 planned=3:00", ""},
		{"never more than four", half, "Mon 07:00-10:00 planned=12:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"more than four, less than half", half, "Mon 07:00-11:30 planned=10:00", ""},
		{"nothing was planned", half, "Mon 07:00-08:00", ""},
		{"the rule isn't in force", "", "Mon 07:00-08:00 planned=8:00", ""},
		{"three hours", three, "Mon 07:00-08:00 planned=8:00", "Mon 2:00 at 20.0000 = 40.00"},
		{"three hours were worked", three, "Mon 07:00-10:00 planned=8:00", ""},
		{"no limit", `"show_up":{"part":"0.75"}`, "Mon 07:00-08:00 planned=8:00", "Mon 5:00 at 20.0000 = 100.00"},
		{"sent home and called back within the attendance", half, "Mon 07:00-08:00 planned=8:00, 09:00-10:00",
			"Mon 2:00 at 20.0000 = 40.00"},
		{"only what the first stint carries", half, "Mon 07:00-08:00, 09:00-10:00 planned=8:00", ""},
		{"at the last stint's rate", half, "Mon 07:00-08:00 @20 planned=8:00, 08:00-08:30 @30 job=b", "Mon 2:30 at 30.0000 = 75.00"},
		{"a paid meal counts as paid", half, "Mon 07:00-08:00 planned=8:00, meal 08:00-09:00 not_as_work",
			"Mon 2:00 at 20.0000 = 40.00"},
		{"beside a call-out's minimum only what is more", half + `,"minimum_callout_hours":"3"`, "Mon 07:00-08:00 callout planned=8:00",
			"Mon 1:00 at 20.0000 = 20.00"},
		{"each attendance by itself", half, "Mon 06:00-07:00 planned=4:00, 14:00-15:00 planned=4:00",
			"Mon 1:00 at 20.0000 = 20.00; Mon 1:00 at 20.0000 = 20.00"},
		{"rounded away", half + `,"rounding":{"minutes":15,"apply":"edge"}`, "Mon 07:00-07:05 planned=8:00",
			"Mon 4:00 at 20.0000 = 80.00"},
	} {
		rules := parsed(t, c.rules)
		res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, c.stints)})
		var lines []Line
		for _, l := range res.Lines {
			if l.why == forShowUp {
				lines = append(lines, l)
			}
		}
		if got := linesText(Result{Lines: lines, Stints: res.Stints}, PaidNotWorked); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
	rules := parsed(t, half+`,"weekly_overtime_after":"2"`) // in no threshold, not in the regular rate
	res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, "Mon 07:00-08:00 @20 planned=8:00")})
	if w := res.Weeks[0]; w.Worked != 3600 || w.Overtime != 0 || w.RegularRate != rate("20") || w.Gross != 8000 {
		t.Errorf("week with a show-up: %+v", w)
	}
}

// Oregon ORS 653.455: an hour for a change that takes none, half of those it takes; nothing
// within 30 minutes, with 14 days' notice, or for whom asked.
func TestShortNotice(t *testing.T) {
	const rule = `"short_notice":{"days":14,"changed_hours":"1","lost_part":"0.5","over_minutes":30}`
	for _, c := range []struct{ name, rules, change, want string }{
		{"two hours less", rule, "Mon 07:00-15:00 to 07:00-13:00, told Sun 12:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"called off", rule, "Mon 07:00-15:00 to none, told Sun 12:00", "Mon 4:00 at 20.0000 = 80.00"},
		{"an hour more", rule, "Mon 07:00-15:00 to 07:00-16:00, told Sun 12:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"moved as a whole", rule, "Mon 07:00-15:00 to 09:00-17:00, told Sun 12:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"one more shift", rule, "Mon none to 07:00-15:00, told Sun 12:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"half an hour is no change", rule, "Mon 07:00-15:00 to 07:00-14:30, told Sun 12:00", ""},
		{"moved by half an hour", rule, "Mon 07:00-15:00 to 07:30-15:30, told Sun 12:00", ""},
		{"they asked for it", rule, "Mon 07:00-15:00 to none, told Sun 12:00 asked", ""},
		{"in time", rule, "Mon3 07:00-15:00 to none, told Mon 07:00", ""},
		{"a minute late", rule, "Mon3 07:00-15:00 to none, told Mon 07:01", "Mon 4:00 at 20.0000 = 80.00"},
		{"counted from the earlier of the two", rule, "Mon3 09:00-17:00 to 06:00-14:00, told Mon 07:00", "Mon 1:00 at 20.0000 = 20.00"},
		{"not in force", "", "Mon 07:00-15:00 to none, told Sun 12:00", ""},
		{"nothing for what is lost", `"short_notice":{"days":14,"changed_hours":"1"}`, "Mon 07:00-15:00 to none, told Sun 12:00", ""},
	} {
		rules := parsed(t, c.rules)
		res := mustReckon(t, Input{Rules: rules, Changes: []Change{changed(t, rules.Week.Loc, c.change)}})
		if got := linesText(res, PaidNotWorked); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
		if res.Worked != 0 || len(res.Weeks) != len(res.Lines) {
			t.Errorf("%s: %d worked, %d weeks", c.name, res.Worked, len(res.Weeks))
		}
		var r Reckoner
		in := Input{Rules: rules, Changes: []Change{changed(t, rules.Week.Loc, c.change)}}
		if e, err := r.Explain(in); err != nil || c.want != "" && !strings.Contains(e.Why[0].Text, "short_notice") {
			t.Errorf("%s isn't explained: %v %+v", c.name, err, e.Why)
		}
	}
}

// California Labor Code 512 and 226.7; Brinker v. Superior Court (2012) 53
// Cal.4th 1004 on when a meal is due; Donohue v. AMN (2021) 11 Cal.5th 58:
// meals aren't rounded into being in time.
func TestMealPremium(t *testing.T) {
	const rule = `"meal_premium":{"first_before_hours":"5","second_before_hours":"10","minutes":30,"first_waived_up_to_hours":"6",
		"second_waived_up_to_hours":"12"}`
	const hour = "Mon 1:00 at 20.0000 = 20.00"
	for _, c := range []struct{ name, rules, stints, want string }{
		{"no meal in eight hours", rule, "Mon 08:00-16:00", hour},
		{"in time", rule, "Mon 08:00-12:30, meal 12:30-13:00, 13:00-16:30", ""},
		{"at the end of the fifth hour is in time", rule, "Mon 08:00-13:00, meal 13:00-13:30, 13:30-16:30", ""},
		{"a minute late", rule, "Mon 08:00-13:01, meal 13:01-13:31, 13:31-16:30", hour},
		{"too short", rule, "Mon 08:00-12:00, meal 12:00-12:29, 12:29-16:30", hour},
		{"waived up to six hours", rule, "Mon 08:00-14:00", ""},
		{"six hours and a minute", rule, "Mon 08:00-14:01", hour},
		{"not waived", `"meal_premium":{"first_before_hours":"5"}`, "Mon 08:00-13:01", hour},
		{"five hours need none", `"meal_premium":{"first_before_hours":"5"}`, "Mon 08:00-13:00", ""},
		{"clocking out is a meal too", rule, "Mon 08:00-12:30, 13:00-16:30", ""},
		{"a meal worked through is none", rule, "Mon 08:00-12:00, meal 12:00-12:30 as_work, 12:30-16:30", hour},
		{"the second waived up to twelve", rule, "Mon 06:00-10:00, meal 10:00-10:30, 10:30-18:30", ""},
		{"the second missed", rule, "Mon 06:00-10:00, meal 10:00-10:30, 10:30-18:31", hour},
		{"the second in time", rule, "Mon 06:00-10:00, meal 10:00-10:30, 10:30-16:30, meal 16:30-17:00, 17:00-19:30", ""},
		{"both missed is one hour", rule, "Mon 06:00-18:31", hour},
		{"not rounded into being in time", rule + `,"rounding":{"minutes":15,"apply":"edge"}`,
			"Mon 08:00-13:05, meal 13:05-13:35, 13:35-16:30", hour},
		{"an automatic meal is no record of one", rule + `,"automatic_meal":{"after_hours":"5","minutes":30}`, "Mon 08:00-16:00", hour},
		{"each workday", rule, "Mon 08:00-16:00, Tue 08:00-16:00", hour + "; Tue 1:00 at 20.0000 = 20.00"},
		{"at the week's regular rate: (160 + 8 × 1) ÷ 8", rule, "Mon 08:00-16:00 +1", "Mon 1:00 at 21.0000 = 21.00"},
	} {
		rules := parsed(t, c.rules)
		res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, c.stints)})
		if got := linesText(res, MealPay); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
}

// Windows of local time: over midnight, across clock changes, around the
// clock, and on a date that a country skipped.
func TestDifferentialWindows(t *testing.T) {
	for _, c := range []struct{ name, zone, from, to, start, end, want string }{
		{"inside", "America/New_York", "20:00", "04:00", "2026-03-02T21:00:00-05:00", "2026-03-02T23:00:00-05:00", "2:00"},
		{"over midnight", "America/New_York", "20:00", "04:00", "2026-03-02T18:00:00-05:00", "2026-03-03T06:00:00-05:00", "8:00"},
		{"outside", "America/New_York", "20:00", "04:00", "2026-03-02T04:00:00-05:00", "2026-03-02T20:00:00-05:00", ""},
		{"two nights", "America/New_York", "20:00", "04:00", "2026-03-02T18:00:00-05:00", "2026-03-04T00:00:00-05:00", "12:00"},
		{"by day", "America/New_York", "09:00", "12:00", "2026-03-02T00:00:00-05:00", "2026-03-03T10:00:00-05:00", "4:00"},
		{"around the clock", "America/New_York", "06:00", "06:00", "2026-03-02T18:00:00-05:00", "2026-03-03T08:30:00-05:00", "14:30"},
		{"clocks go forward", "America/New_York", "20:00", "04:00", "2026-03-07T18:00:00-05:00", "2026-03-08T06:00:00-04:00", "7:00"},
		{"clocks go back", "America/New_York", "20:00", "04:00", "2026-10-31T18:00:00-04:00", "2026-11-01T06:00:00-05:00", "9:00"},
		{"a skipped date", "Pacific/Apia", "08:00", "16:00", "2011-12-29T07:00:00-10:00", "2011-12-31T17:00:00+14:00", "16:00"},
	} {
		rules := parsedIn(t, c.zone, fmt.Sprintf(`"differentials":[{"name":"late","from":%q,"to":%q,"per_hour":"1"}]`, c.from, c.to))
		start, _ := time.Parse(time.RFC3339, c.start)
		end, _ := time.Parse(time.RFC3339, c.end)
		res := mustReckon(t, Input{Rules: rules, Stints: []Stint{{Start: start, End: end, Kind: "work", Rate: rate("20")}}})
		var sum int64
		for _, l := range res.Lines {
			if l.Kind == DifferentialPay {
				sum += l.Seconds
			}
		}
		if got := hms(sum); got != c.want && (sum > 0 || c.want != "") {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}

// Of hours that were recorded elsewhere only the length is known: they are paid as they
// came, by whatever rule of rounding and meals.
func TestHoursOnly(t *testing.T) {
	for _, rules := range []string{`"rounding":{"minutes":15,"apply":"edge"}`, `"rounding":{"minutes":15,"apply":"day"}`,
		`"automatic_meal":{"after_hours":"5","minutes":30}`, `"meal_premium":{"first_before_hours":"5"}`} {
		r := parsed(t, rules)
		stints := timesheet(t, r.Week.Loc, "Mon 07:03-12:04, 12:04-15:41 job=b, Tue 07:03-12:00, 12:00-12:10, Wed 07:00-15:08")
		for i := range stints[:4] {
			stints[i].HoursOnly = true
		}
		res := mustReckon(t, Input{Rules: r, Stints: stints})
		if mon, tue := res.Days[0].Worked, res.Days[1].Worked; mon != 8*3600+38*60 || tue != 5*3600+7*60 {
			t.Errorf("%s: %d s and %d s are paid", rules, mon, tue)
		}
		premiums := linesText(res, MealPay)
		if wed := res.Days[2].Worked; wed == 8*3600+8*60 && premiums != "Wed 1:00 at 20.0000 = 20.00" {
			t.Errorf("%s: what was clocked on Wednesday is paid as %d s, premiums %q", rules, wed, premiums)
		}
	}
}
