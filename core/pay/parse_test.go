package pay

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"manudex/core/when"
)

// Every parameter is taken into the rules as it is meant.
func TestParseRules(t *testing.T) {
	r := parsed(t, `"workweek_start":"Mon 06:00","workday_start":"06:00","split_at_boundary":false,"new_attendance_after":"2.5",
		"weekly_overtime_after":"40","weekly_double_after":"60","daily_overtime_after":"8","daily_double_after":"12",
		"consecutive_overtime_after":"12",
		"seventh_day":{"overtime_hours":"8"},"combine":"greater_of","overtime_rate":"rate_in_effect","overtime_multiplier":"1.25",
		"double_multiplier":"2.5",
		"flat_sum_over":"regular_hours","paid_rest_up_to_minutes":15,"unpaid_meal_from_minutes":25,"rounding":{"minutes":6,"apply":"day"},
		"automatic_meal":{"after_hours":"5.5","minutes":45},"minimum_callout_hours":"3","show_up":{"part":"0.5",
		"least_hours":"2","most_hours":"4"},"short_notice":{"days":14,"changed_hours":"1","lost_part":"0.25","over_minutes":30},
		"differentials":[{"name":"n","from":"20:00",
		"to":"04:00","percent":"7.25"}],
		"holidays":[{"date":"2026-12-25","multiplier":"2"},{"date":"2026-07-03","multiplier":"1.5"}],
		"meal_premium":{"first_before_hours":"5","second_before_hours":"10","minutes":20,"first_waived_up_to_hours":"6",
		"second_waived_up_to_hours":"12"}`)
	want := DefaultRules(r.Week.Loc)
	want.Week.Weekday, want.Week.Start, want.Week.WorkdayStart = time.Monday, 6*time.Hour, 6*time.Hour
	want.KeepWithAttendance, want.NewAttendanceAfter = true, 9000
	want.WeeklyOvertime, want.WeeklyDouble, want.DailyOvertime, want.DailyDouble, want.ConsecutiveOvertime = 40*3600,
		60*3600, 8*3600, 12*3600, 12*3600
	want.SeventhDay, want.GreaterOf, want.RateInEffect, want.FlatSumOverRegular = 8*3600, true, true, true
	want.OvertimeMultiple, want.DoubleMultiple = rate("1.25"), rate("2.5")
	want.Breaks.PaidRestUpTo, want.Breaks.UnpaidMealFrom = 15*time.Minute, 25*time.Minute
	want.Rounding, want.AutomaticMeal, want.MinimumCallout = Rounding{360, true}, AutomaticMeal{19800, 2700}, 3*3600
	want.ShowUp, want.ShortNotice = ShowUp{rate("0.5"), 7200, 14400}, ShortNotice{14, 3600, 1800, rate("0.25")}
	want.Differentials = []Differential{{Name: "n", From: 20 * time.Hour, To: 4 * time.Hour, Percent: 725, given: 1}}
	want.Holidays = []Holiday{{when.NewDate(2026, 7, 3), rate("1.5")}, {when.NewDate(2026, 12, 25), rate("2")}}
	want.MealPremium = MealPremium{First: 5 * 3600, Second: 10 * 3600, FirstWaived: 6 * 3600, SecondWaived: 12 * 3600, Length: 1200}
	if got, want := asText(r), asText(want); got != want {
		t.Errorf("rules:\n got %s\nwant %s", got, want)
	}
	p := parsed(t, `"overtime_period":{"days":14,"start":"2026-03-01","after":"80"},"weekly_overtime_after":null,"meal_premium":null`)
	if p.Period != (OvertimePeriod{14, sunday, 80 * 3600}) || p.WeekDays() != 14 || p.FirstDay(sunday+13) != sunday ||
		p.FirstDay(sunday-1) != sunday-14 {
		t.Errorf("overtime period: %+v", p.Period)
	}
}

// asText writes rules so that two can be compared, their zone aside.
func asText(r Rules) string {
	r.Week.Loc = nil
	b, err := json.Marshal(r)
	if err != nil {
		return err.Error()
	}
	return string(b)
}

// Values that are wrong name field, value and what would be right; rules that
// contradict each other are refused with the reason.
func TestParseRulesRefuses(t *testing.T) {
	for _, c := range []struct{ rules, want string }{
		{`"weekly_overtime_after":"169"`,
			`rules.weekly_overtime_after: "169": write hours such as "8", at most 168, in whole seconds, or null`},
		{`"daily_overtime_after":"7.9999"`,
			`rules.daily_overtime_after: "7.9999": write hours such as "8", at most 24, in whole seconds, or null`},
		{`"new_attendance_after":"0"`,
			`rules.new_attendance_after: "0": write hours such as "8", at most 24 and more than 0, in whole seconds`},
		{`"seventh_day":{}`, `rules.seventh_day.overtime_hours: missing: this field is required`},
		{`"seventh_day":8`, `rules.seventh_day: 8: write an object`},
		{`"combine":"lesser_of"`, `rules.combine: "lesser_of": write "no_pyramiding" or "greater_of"`},
		{`"split_at_boundary":"no"`, `rules.split_at_boundary: "no": write true or false`},
		{`"overtime_period":{"days":0,"start":"2026-03-01","after":"80"}`, `rules.overtime_period.days: 0: write whole days, 1 to 371`},
		{`"overtime_period":{"days":14,"after":"80","begin":1}`,
			"rules.overtime_period.begin: 1: this rule is unknown; take it out\nrules.overtime_period.start: missing: this field " +
				"is required"},
		{`"rounding":{"minutes":10,"apply":"edge"}`, `rules.rounding.minutes: 10: write 5, 6 or 15`},
		{`"rounding":{"minutes":15}`, `rules.rounding.apply: missing: this field is required`},
		{`"automatic_meal":{"after_hours":"6","minutes":30.5}`, `rules.automatic_meal.minutes: 30.5: write whole minutes, 1 to 240`},
		{`"differentials":{}`, `rules.differentials: {}: write a list of at most 24`},
		{`"differentials":[{"name":"","from":"20:00","to":"24:00","per_hour":"-1"}]`,
			"rules.differentials[0].name: \"\": write what the differential is called, at most 60 characters\n" +
				`rules.differentials[0].per_hour: "-1": write a decimal such as "1.50", not below zero, or null` + "\n" +
				`rules.differentials[0].to: "24:00": write a local time such as "00:00"`},
		{`"differentials":[1]`, `rules.differentials[0]: 1: write an object`},
		{`"differentials":[{"name":"n","from":"20:00","to":"04:00","percent":"7.255"}]`,
			`rules.differentials[0].percent: "7.255": write a percentage such as "10", at most 1000, with at most two decimals, or null`},
		{`"differentials":[{"name":"n","from":"20:00","to":"04:00"}]`,
			`rules.differentials[0]: contradicts another rule: give either per_hour or percent, and not both`},
		{`"differentials":[{"name":"n","from":"20:00","to":"04:00","per_hour":"1","percent":"5"}]`,
			`rules.differentials[0]: contradicts another rule: give either per_hour or percent, and not both`},
		{`"holidays":[{"date":"2026-02-30","multiplier":"0.5"}]`,
			"rules.holidays[0].date: \"2026-02-30\": write a date as YYYY-MM-DD\nrules.holidays[0].multiplier: \"0.5\": write a " +
				"multiplier such as \"1.5\", 1 to 10, with at most four decimals"},
		{`"holidays":[{"date":"2026-07-03","multiplier":"2"},{"date":"2026-07-03","multiplier":"1.5"}]`,
			`rules.holidays: contradicts another rule: 2026-07-03 is there twice; keep one`},
		{`"daily_overtime_after":"8","daily_double_after":"6"`,
			`rules.daily_double_after: contradicts another rule: ` +
				`double time can't begin before daily_overtime_after; raise it or take it out`},
		{`"weekly_overtime_after":"40","weekly_double_after":"39"`,
			`rules.weekly_double_after: contradicts another rule: ` +
				`double time can't begin before weekly_overtime_after; raise it or take it out`},
		{`"double_multiplier":"1.25"`, `rules.double_multiplier: contradicts another rule: it can't be smaller than overtime_multiplier`},
		{`"weekly_overtime_after":"40","overtime_period":{"days":14,"start":"2026-03-01","after":"80"}`,
			`rules.weekly_overtime_after: contradicts another rule: overtime_period replaces the workweek; take one of the two out`},
		{`"seventh_day":{"overtime_hours":"8"},"overtime_period":{"days":14,"start":"2026-03-01","after":"80"}`,
			`rules.seventh_day: contradicts another rule: overtime_period replaces the workweek, ` +
				`which then has no seventh day; take one of the two out`},
		{`"overtime_period":{"days":1,"start":"2026-03-01","after":"25"}`,
			`rules.overtime_period.after: contradicts another rule: the period has no more than 24 hours a day`},
		{`"seventh_day":{"overtime_hours":"8"},"workday_start":"06:00"`,
			`rules.seventh_day: contradicts another rule: the seven workdays must fill the workweek; ` +
				`let workday_start be the time of day of workweek_start`},
		{`"automatic_meal":{"after_hours":"6","minutes":20}`,
			`rules.automatic_meal.minutes: contradicts another rule: a meal shorter than unpaid_meal_from_minutes, 30, ` +
				`counts as work and can't be taken out`},
		{`"show_up":{"part":"1.5"},"short_notice":{"days":0,"lost_part":"0","over_minutes":-1}`,
			"rules.short_notice.days: 0: write whole days, 1 to 60\n" +
				"rules.short_notice.lost_part: \"0\": write a part such as \"0.5\", more than 0 and at most 1, with " +
				"at most four decimals, " +
				"or null\nrules.short_notice.over_minutes: -1: write whole minutes, 0 to 240\n" +
				"rules.show_up.part: \"1.5\": write a part such as \"0.5\", more than 0 and at most 1, with at most four decimals"},
		{`"show_up":{"part":"0.5","least_hours":"4","most_hours":"2"}`,
			`rules.show_up.most_hours: contradicts another rule: it can't be less than least_hours`},
		{`"meal_premium":{"first_before_hours":"5","second_before_hours":"4"}`,
			`rules.meal_premium.second_before_hours: contradicts another rule: the second meal can't be due before the first`},
		{`"meal_premium":{"first_before_hours":"5","first_waived_up_to_hours":"4","second_waived_up_to_hours":"12"}`,
			"rules.meal_premium.first_waived_up_to_hours: contradicts another rule: it can't be less than first_before_hours, from " +
				"which a meal is due\n" +
				"rules.meal_premium.second_waived_up_to_hours: contradicts another rule: there is no second meal to waive; give " +
				"second_before_hours or take it out"},
	} {
		_, wrong := ParseRules(json.RawMessage("{"+c.rules+"}"), time.UTC)
		var got []string
		for _, e := range wrong {
			got = append(got, e.Error())
		}
		if s := strings.Join(got, "\n"); s != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.rules, s, c.want)
		}
	}
}

// Every ready-made rule set reads without error, on any day since it holds,
// and the ones a place may pick are all there.
func TestReadySets(t *testing.T) {
	want := "us-federal daily-8-12-seventh-day daily-8 daily-12 greater-of-8-44 weekly-44 daily-8-12 8-and-80 no-overtime"
	var ids []string
	for _, set := range ReadySets() {
		ids = append(ids, set.ID)
		if set.Name == "" || set.About == "" {
			t.Errorf("%s doesn't say what it is", set.ID)
		}
		for _, v := range set.Versions {
			if _, wrong := ParseRules(v.Rules, time.UTC); len(wrong) > 0 {
				t.Errorf("%s from %s: %v", set.ID, v.From, wrong)
			}
			if rules, ok := set.On(v.From); !ok || string(rules) != string(v.Rules) {
				t.Errorf("%s isn't found on %s", set.ID, v.From)
			}
		}
		if _, ok := set.On(set.Versions[0].From - 1); ok {
			t.Errorf("%s holds before its first version", set.ID)
		}
	}
	if got := strings.Join(ids, " "); got != want {
		t.Errorf("ready-made rule sets %s, want %s", got, want)
	}
}
