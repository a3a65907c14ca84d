package pay

import (
	"math/rand/v2"
	"testing"
	"time"
)

// Every rule that makes overtime or double time, one by one and together.
func TestClasses(t *testing.T) {
	const five = "Mon 07:00-17:00, Tue 07:00-17:00, Wed 07:00-17:00, Thu 07:00-17:00, Fri 07:00-17:00"
	for _, c := range []struct{ name, rules, stints, want string }{
		{"no rule, no overtime", ``, five, "Mon 10:00, Tue 10:00, Wed 10:00, Thu 10:00, Fri 10:00"},
		{"weekly: the latest hours", `"weekly_overtime_after":"40"`, five, "Mon 10:00, Tue 10:00, Wed 10:00, Thu 10:00, Fri 0:00 10:00"},
		{"weekly double counts all hours", `"weekly_overtime_after":"40","weekly_double_after":"45"`, five,
			"Mon 10:00, Tue 10:00, Wed 10:00, Thu 10:00, Fri 0:00 5:00 5:00"},
		{"weekly double alone", `"weekly_double_after":"48"`, five, "Mon 10:00, Tue 10:00, Wed 10:00, Thu 10:00, Fri 8:00 0:00 2:00"},
		{"daily", `"daily_overtime_after":"8"`, "Mon 07:00-12:00, 13:00-18:30", "Mon 8:00 2:30"},
		{"daily double", `"daily_overtime_after":"8","daily_double_after":"12"`, "Mon 06:00-20:00", "Mon 8:00 4:00 2:00"},
		{"daily double without overtime", `"daily_double_after":"12"`, "Mon 06:00-20:00", "Mon 12:00 0:00 2:00"},
		{"a day is a workday: midnight splits", `"daily_overtime_after":"8"`, "Mon 18:00-06:00", "Mon 6:00, Tue 6:00"},
		{"a workday may begin at another hour", `"daily_overtime_after":"8","workday_start":"06:00"`, "Mon 18:00-06:00", "Mon 8:00 4:00"},
		{"kept with the attendance", `"daily_overtime_after":"8","split_at_boundary":false`, "Mon 18:00-06:00", "Mon 8:00 4:00"},
		{"kept, a gap under 4 h included", `"daily_overtime_after":"8","split_at_boundary":false`,
			"Mon 18:00-23:00, Tue 02:00-06:00", "Mon 8:00 1:00"},
		{"kept, a gap of 4 h begins anew", `"daily_overtime_after":"8","split_at_boundary":false`,
			"Mon 18:00-23:00, Tue 03:00-07:00", "Mon 5:00, Tue 4:00"},
		{"kept, a shorter gap begins anew", `"split_at_boundary":false,"new_attendance_after":"2"`,
			"Mon 18:00-23:00, Tue 02:00-06:00", "Mon 5:00, Tue 4:00"},
		// clocks went forward that night
		{"a workweek's edge always splits", `"daily_overtime_after":"8","split_at_boundary":false`,
			"Sat 18:00-06:00", "Sat 6:00, Sun 5:00"},
		{"no pyramiding: weekly on what is left", `"weekly_overtime_after":"40","daily_overtime_after":"8"`, five,
			"Mon 8:00 2:00, Tue 8:00 2:00, Wed 8:00 2:00, Thu 8:00 2:00, Fri 8:00 2:00"},
		{"no pyramiding: the sixth day", `"weekly_overtime_after":"40","daily_overtime_after":"8"`, five + ", Sat 07:00-12:00",
			"Mon 8:00 2:00, Tue 8:00 2:00, Wed 8:00 2:00, Thu 8:00 2:00, Fri 8:00 2:00, Sat 0:00 5:00"},
		{"greater of: a tie goes to the days", `"weekly_overtime_after":"40","daily_overtime_after":"8","combine":"greater_of"`, five,
			"Mon 8:00 2:00, Tue 8:00 2:00, Wed 8:00 2:00, Thu 8:00 2:00, Fri 8:00 2:00"},
		{"greater of: the week's is larger", `"weekly_overtime_after":"40","daily_overtime_after":"8","combine":"greater_of"`,
			five + ", Sat 07:00-12:00", "Mon 10:00, Tue 10:00, Wed 10:00, Thu 10:00, Fri 0:00 10:00, Sat 0:00 5:00"},
		{"greater of: the days' is larger", `"weekly_overtime_after":"44","daily_overtime_after":"8","combine":"greater_of"`,
			"Mon 07:00-19:00, Tue 07:00-19:00, Wed 07:00-19:00", "Mon 8:00 4:00, Tue 8:00 4:00, Wed 8:00 4:00"},
		{"seventh day", `"weekly_overtime_after":"40","daily_overtime_after":"8","seventh_day":{"overtime_hours":"8"}`,
			"Sun 08:00-12:00, Mon 08:00-12:00, Tue 08:00-12:00, Wed 08:00-12:00, Thu 08:00-12:00, Fri 08:00-12:00, Sat 08:00-18:00",
			"Sun 4:00, Mon 4:00, Tue 4:00, Wed 4:00, Thu 4:00, Fri 4:00, Sat 0:00 8:00 2:00"},
		{"a day off: no seventh day", `"seventh_day":{"overtime_hours":"8"}`,
			"Sun 08:00-12:00, Mon 08:00-12:00, Tue 08:00-12:00, Thu 08:00-12:00, Fri 08:00-12:00, Sat 08:00-18:00",
			"Sun 4:00, Mon 4:00, Tue 4:00, Thu 4:00, Fri 4:00, Sat 10:00"},
		{"seven days over two workweeks are none", `"seventh_day":{"overtime_hours":"8"}`,
			"Mon 08:00-12:00, Tue 08:00-12:00, Wed 08:00-12:00, Thu 08:00-12:00, Fri 08:00-12:00, Sat 08:00-12:00, Sun2 08:00-12:00",
			"Mon 4:00, Tue 4:00, Wed 4:00, Thu 4:00, Fri 4:00, Sat 4:00, Sun 4:00"},
		{"consecutive hours, over midnight", `"consecutive_overtime_after":"12"`, "Mon 18:00-08:00", "Mon 6:00, Tue 6:00 2:00"},
		{"an unpaid meal is no gap", `"consecutive_overtime_after":"12"`, "Mon 06:00-12:00, meal 12:00-12:30, 12:30-20:00",
			"Mon 12:00 1:30"},
		{"clocking out is a gap", `"consecutive_overtime_after":"12"`, "Mon 06:00-12:00, 12:30-20:00", "Mon 13:30"},
		{"clocking out for half a minute is a gap", `"consecutive_overtime_after":"12"`, "Mon 06:00-12:00, 12:00:30-20:00", "Mon 13:59:30"},
		{"a long rest is a gap", `"consecutive_overtime_after":"12"`, "Mon 06:00-12:00, rest 12:00-12:30, 12:30-20:00", "Mon 13:30"},
		{"a short rest is work", `"consecutive_overtime_after":"12"`, "Mon 06:00-12:00, rest 12:00-12:15, 12:15-20:00", "Mon 12:00 2:00"},
		{"Colorado: 12 a day or 12 consecutive", `"weekly_overtime_after":"40","daily_overtime_after":"12",
			"consecutive_overtime_after":"12"`,
			"Mon 20:00-10:00, Tue 12:00-23:00", "Mon 4:00, Tue 10:00 11:00"},
		{"8 and 80 (29 CFR 778.601)", `"daily_overtime_after":"8","overtime_period":{"days":14,"start":"2026-03-01","after":"80"}`,
			five + ", Sat 07:00-15:00, Mon2 07:00-15:00, Tue2 07:00-15:00, Wed2 07:00-15:00, Thu2 07:00-15:00, Fri2 07:00-11:00",
			"Mon 8:00 2:00, Tue 8:00 2:00, Wed 8:00 2:00, Thu 8:00 2:00, Fri 8:00 2:00, Sat 8:00, Mon 8:00, Tue 8:00, Wed 8:00, Thu " +
				"8:00, Fri 0:00 4:00"},
		{"averaging over two weeks", `"overtime_period":{"days":14,"start":"2026-03-01","after":"88"}`,
			five + ", Mon2 07:00-17:00, Tue2 07:00-17:00, Wed2 07:00-17:00, Thu2 07:00-17:00",
			"Mon 10:00, Tue 10:00, Wed 10:00, Thu 10:00, Fri 10:00, Mon 10:00, Tue 10:00, Wed 10:00, Thu 8:00 2:00"},
		{"periods go back from their start too", `"overtime_period":{"days":7,"start":"2026-03-12","after":"9"}`,
			"Wed 07:00-17:00, Thu 07:00-15:00", "Wed 9:00 1:00, Thu 8:00"},
		{"what is paid and not worked counts nowhere", `"daily_overtime_after":"8"`,
			"Mon 07:00-12:00, meal 12:00-13:00 not_as_work, 13:00-16:00", "Mon 8:00"},
		{"a meal worked through counts", `"daily_overtime_after":"8"`, "Mon 07:00-12:00, meal 12:00-13:00 as_work, 13:00-16:00",
			"Mon 8:00 1:00"},
	} {
		rules := parsed(t, c.rules)
		if got := byDays(mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, c.stints)}).Days); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
	}
}

// literal classifies every minute of a person's hours worked by reading the
// rules word for word, minute by minute: slow, and written without a look at
// the steps of the core.
func literal(pieces []piece, rules Rules) [3]int64 {
	type minute struct {
		day, week, run int32
		class          Class
	}
	var all []minute
	for _, p := range pieces {
		if !p.paidOnly {
			for range p.seconds / 60 {
				all = append(all, minute{int32(p.day), int32(p.week), p.run, Regular})
			}
		}
	}
	limit := func(seconds int64) int {
		if seconds == NotInForce {
			return 1 << 40
		}
		return int(seconds / 60)
	}
	// Daily classes.
	dayCount, runCount := map[int32]int{}, map[int32]int{}
	daysOfWeek := map[int32]map[int32]bool{}
	for _, m := range all {
		if daysOfWeek[m.week] == nil {
			daysOfWeek[m.week] = map[int32]bool{}
		}
		daysOfWeek[m.week][m.day] = true
	}
	for i := range all {
		m := &all[i]
		dayCount[m.day]++
		runCount[m.run]++
		n := dayCount[m.day]
		if n > limit(rules.DailyOvertime) || runCount[m.run] > limit(rules.ConsecutiveOvertime) {
			m.class = Overtime
		}
		if n > limit(rules.DailyDouble) {
			m.class = Double
		}
		if rules.SeventhDay != NotInForce && len(daysOfWeek[m.week]) == 7 && m.day == m.week+6 {
			m.class = max(m.class, Overtime)
			if n > limit(rules.SeventhDay) {
				m.class = Double
			}
		}
	}
	// Weekly classes, week by week.
	weeks := map[int32][]int{}
	for i, m := range all {
		weeks[m.week] = append(weeks[m.week], i)
	}
	after := limit(rules.overtimeAfter())
	for _, week := range weeks {
		byDays, regular := 0, 0
		for n, i := range week {
			if all[i].class != Regular || n >= limit(rules.WeeklyDouble) {
				byDays++
			}
		}
		weekly := len(week)-after > byDays
		for n, i := range week {
			m := &all[i]
			switch {
			case rules.GreaterOf && weekly:
				m.class = Regular
				if n >= after {
					m.class = Overtime
				}
			case !rules.GreaterOf && m.class == Regular:
				if regular++; regular > after {
					m.class = Overtime
				}
			}
			if n >= limit(rules.WeeklyDouble) {
				m.class = Double
			}
		}
	}
	var sums [3]int64
	for _, m := range all {
		sums[m.class] += 60
	}
	return sums
}

// The steps agree with the rules read literally, on random hours and rules.
func TestClassesAgainstTheLetter(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	for range 800 {
		in := randomInput(t, r)
		for i := range in.Stints { // whole minutes, which the letter counts
			s := &in.Stints[i]
			length := s.End.Sub(s.Start).Truncate(time.Minute) + time.Minute
			s.Start = s.Start.Truncate(time.Minute)
			if i > 0 && s.Start.Before(in.Stints[i-1].End) {
				s.Start = in.Stints[i-1].End
			}
			s.End = s.Start.Add(length)
		}
		in.Rules.Rounding.WholeDay = false
		var reckoner Reckoner
		w, err := reckoner.work(in)
		if err != nil {
			t.Fatal(err)
		}
		var got [3]int64
		for _, d := range w.Days {
			got[Regular] += d.Regular
			got[Overtime] += d.Overtime
			got[Double] += d.Double
		}
		bare := w.pieces
		for i := range bare {
			bare[i].class = Regular
		}
		if want := literal(bare, in.Rules); got != want {
			t.Fatalf("classes %v, by the letter %v, with %+v", got, want, in.Rules)
		}
	}
}

// Raising a threshold never raises overtime and double hours together.
func TestRaisingAThreshold(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 24))
	beyond := func(in Input) (sum int64) {
		for _, w := range mustReckon(t, in).Weeks {
			sum += w.Overtime + w.Double
		}
		return sum
	}
	for range 800 {
		in := randomInput(t, r)
		before := beyond(in)
		for name, threshold := range map[string]func(*Rules) *int64{
			"daily_overtime_after":       func(r *Rules) *int64 { return &r.DailyOvertime },
			"daily_double_after":         func(r *Rules) *int64 { return &r.DailyDouble },
			"weekly_overtime_after":      func(r *Rules) *int64 { return &r.WeeklyOvertime },
			"weekly_double_after":        func(r *Rules) *int64 { return &r.WeeklyDouble },
			"consecutive_overtime_after": func(r *Rules) *int64 { return &r.ConsecutiveOvertime },
			"seventh_day":                func(r *Rules) *int64 { return &r.SeventhDay },
			"overtime_period":            func(r *Rules) *int64 { return &r.Period.After },
		} {
			more := in
			if at := threshold(&more.Rules); *at != NotInForce {
				*at += r.Int64N(4 * 3600)
				if len(more.Rules.contradictions()) > 0 {
					continue // raised past the double time that follows it
				}
				if after := beyond(more); after > before {
					t.Fatalf("raising %s raised overtime and double time from %d to %d s with %+v", name, before, after, in.Rules)
				}
			}
		}
	}
}
