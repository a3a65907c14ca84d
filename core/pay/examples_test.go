package pay

import (
	"strings"
	"testing"
)

// example is a worked example: a timesheet and what a public source says
// comes of it.
type example struct {
	name, rules, stints string
	extras              []Extra
	regular             string // regular rate of the first week
	lines               string // overtime and double premiums, if given
	gross               string
}

func runExamples(t *testing.T, examples []example) {
	t.Helper()
	for _, c := range examples {
		rules := parsed(t, c.rules)
		res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, c.stints), Extras: c.extras})
		if got := res.Weeks[0].RegularRate.Decimals(4); got != c.regular {
			t.Errorf("%s: regular rate %s, want %s", c.name, got, c.regular)
		}
		if got := linesText(res, OvertimePremium, DoublePremium); c.lines != "" && got != c.lines {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.lines)
		}
		if got := res.Gross.Decimal(2); got != c.gross {
			t.Errorf("%s: gross %s, want %s", c.name, got, c.gross)
		}
	}
}

func in(amount, code string) Extra {
	return Extra{WeekOf: monday, Amount: rate(amount), PayCode: code, InRegularRate: true}
}

// Hours of a week that come to a total, eight a day from Monday.
const (
	h37   = "Mon 08:00-16:00 @R, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Fri 08:00-13:30"
	h40   = "Mon 08:00-16:00 @R, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Fri 08:00-16:00"
	h44   = h40 + ", Sat 08:00-12:00"
	h45   = h40 + ", Sat 08:00-13:00"
	h46   = h40 + ", Sat 08:00-14:00"
	h48   = h40 + ", Sat 08:00-16:00"
	h50   = h40 + ", Sat 08:00-18:00"
	week  = `"weekly_overtime_after":"40"`
	inEff = week + `,"overtime_rate":"rate_in_effect"`
)

func at(hours, r string) string { return strings.Replace(hours, "@R", "@"+r, 1) }

// 29 CFR part 778. Figures are those printed in the section; where it prints
// none, or rounds on the way, the name says so.
func TestFederalExamples(t *testing.T) {
	runExamples(t, []example{
		{name: "778.110(a) 46 h at $12: $588", rules: week, stints: at(h46, "12"), regular: "12.0000", gross: "588.00"},
		{name: "778.110(b) and a production bonus of $46: $13 an hour, $637", rules: week, stints: at(h46, "12"),
			extras: []Extra{in("46", "BONUS")}, regular: "13.0000", gross: "637.00"},
		{name: "778.111(a) piece work: $491 for 46 h and 4 h waiting at $8, $10.46 an hour, $575.30",
			rules: week, stints: at(h46, "0") + ", 14:00-18:00 @8 job=waiting", extras: []Extra{in("491", "PIECE")},
			regular: "10.4600", gross: "575.30"},
		{name: "778.115 two rates are weighted (figures ours): 28 h at $15 and 18 h at $12", rules: week,
			stints:  "Mon 08:00-18:00 @15, Tue 08:00-18:00, Wed 08:00-16:00, Thu 08:00-18:00 @12, Fri 08:00-16:00",
			regular: "13.8261", lines: "Fri 6:00 at 6.9130 = 41.48", gross: "677.48"},
		{name: "778.419 the same at the rate in effect (figures ours)", rules: inEff,
			stints:  "Mon 08:00-18:00 @15, Tue 08:00-18:00, Wed 08:00-16:00, Thu 08:00-18:00 @12, Fri 08:00-16:00",
			regular: "13.8261", lines: "Fri 6:00 at 6.0000 = 36.00", gross: "672.00"},
		{name: "778.419(b) extras add per hour worked (figures ours): $46 over 46 h", rules: inEff,
			stints: at(h46, "12"), extras: []Extra{in("46", "BONUS")}, regular: "13.0000",
			lines: "Sat 6:00 at 6.5000 = 39.00", gross: "637.00"},
		{name: "778.201 daily premium is creditable, not in the regular rate (figures ours)", rules: week + `,"daily_overtime_after":"8"`,
			stints:  "Mon 08:00-18:00 @20, Tue 08:00-16:00",
			regular: "20.0000", lines: "Mon 2:00 at 10.0000 = 20.00", gross: "380.00"},
		{name: "778.202 and all hours beyond 8 a day and 40 a week once (figures ours)", rules: week + `,"daily_overtime_after":"8"`,
			stints:  "Mon 08:00-18:00 @20, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Fri 08:00-16:00, Sat 08:00-12:00",
			regular: "20.0000", lines: "Mon 2:00 at 10.0000 = 20.00; Sat 4:00 at 10.0000 = 40.00", gross: "980.00"},
		{name: "778.203 a holiday at time and a half is creditable: once, not twice (figures ours)",
			rules: week + `,"holidays":[{"date":"2026-03-07","multiplier":"1.5"}]`, stints: at(h46, "12"),
			regular: "12.0000", gross: "588.00"},
		{name: "778.203 at double the larger is paid", rules: week + `,"holidays":[{"date":"2026-03-07","multiplier":"2"}]`,
			stints: at(h46, "12"), regular: "12.0000", gross: "624.00"},
		{name: "778.203 at less than half more it is in the regular rate: (552 + 18) ÷ 46",
			rules: week + `,"holidays":[{"date":"2026-03-07","multiplier":"1.25"}]`, stints: at(h46, "12"),
			regular: "12.3913", lines: "Sat 6:00 at 6.1957 = 37.17", gross: "607.17"},
		{name: "778.207 a night differential is in the regular rate (figures ours): (960 + 18) ÷ 48",
			rules:   week + `,"differentials":[{"name":"night","from":"20:00","to":"04:00","per_hour":"1.50"}]`,
			stints:  "Mon 08:00-16:00 @20, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Thu 20:00-04:00, Sat 00:00-08:00",
			regular: "20.3750", lines: "Sat 8:00 at 10.1875 = 81.50", gross: "1059.50"},
		{name: "half a cent goes away from zero: 1 h × 0.5 × 10.01", rules: `"daily_overtime_after":"8"`, stints: "Mon 08:00-17:00 @10.01",
			regular: "10.0100", lines: "Mon 1:00 at 5.0050 = 5.01", gross: "95.10"},
		{name: "778.208 a discretionary bonus stays out", rules: week,
			stints: at(h46, "12"), extras: []Extra{{WeekOf: monday, Amount: rate("46"), PayCode: "GIFT"}},
			regular: "12.0000", gross: "634.00"},
	})
}

// Rules of states and provinces. The sources print no figures that could be
// taken over whole; these follow from their words.
func TestStateAndProvinceExamples(t *testing.T) {
	const (
		california = `"weekly_overtime_after":"40","daily_overtime_after":"8","daily_double_after":"12",
			"seventh_day":{"overtime_hours":"8"},"flat_sum_over":"regular_hours"`
		alberta  = `"weekly_overtime_after":"44","daily_overtime_after":"8","combine":"greater_of","overtime_rate":"rate_in_effect"`
		columbia = `"weekly_overtime_after":"40","daily_overtime_after":"8","daily_double_after":"12"`
		seven    = "Sun 08:00-16:00 @20, Mon 08:00-16:00, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Fri 08:00-16:00, Sat " +
			"08:00-18:00"
		flat = "Mon 08:00-18:00 @20, Tue 08:00-16:00"
	)
	flatSum := func(amount string) []Extra {
		e := in(amount, "BONUS")
		e.FlatSum = true
		return []Extra{e}
	}
	runExamples(t, []example{
		{name: "California Labor Code 510: 14 h in a day", rules: california,
			stints: "Mon 06:00-20:00 @20", regular: "20.0000", lines: "Mon 4:00 at 10.0000 = 40.00; Mon 2:00 at 20.0000 = 40.00",
			gross: "360.00"},
		{name: "California Labor Code 510: seven days", rules: california, stints: seven, regular: "20.0000",
			lines: "Fri 8:00 at 10.0000 = 80.00; Sat 8:00 at 10.0000 = 80.00; Sat 2:00 at 20.0000 = 40.00", gross: "1360.00"},
		{name: "Alvarado (2018) 4 Cal.5th 542: a flat sum over regular hours, the full multiplier on it: 2 h × (10 + 1.5 × 16 ÷ 16)",
			rules: california, stints: flat, extras: flatSum("16"),
			regular: "21.0000", lines: "Mon 2:00 at 11.5000 = 23.00", gross: "399.00"},
		{name: "29 CFR 778.209 the same sum over all hours: 2 h × (20 + 16 ÷ 18) ÷ 2", rules: week + `,"daily_overtime_after":"8"`,
			stints: flat, extras: flatSum("16"),
			regular: "20.8889", lines: "Mon 2:00 at 10.4444 = 20.89", gross: "396.89"},
		{name: "Alaska Statutes 23.10.060: 8 a day", rules: week + `,"daily_overtime_after":"8"`, stints: "Mon 08:00-18:00 @20",
			regular: "20.0000", lines: "Mon 2:00 at 10.0000 = 20.00", gross: "220.00"},
		{name: "Colorado 7 CCR 1103-1 4.1.1: 12 a day", rules: week + `,"daily_overtime_after":"12","consecutive_overtime_after":"12"`,
			stints: "Mon 06:00-20:00 @20", regular: "20.0000", lines: "Mon 2:00 at 10.0000 = 20.00", gross: "300.00"},
		{name: "Colorado: 12 consecutive over midnight", rules: week + `,"daily_overtime_after":"12","consecutive_overtime_after":"12"`,
			stints: "Mon 18:00-08:00 @20", regular: "20.0000", lines: "Tue 2:00 at 10.0000 = 20.00", gross: "300.00"},
		{name: "Alberta: 8 a day is more than 44 a week", rules: alberta,
			stints: "Mon 06:00-18:00 @20, Tue 06:00-18:00, Wed 08:00-16:00", regular: "20.0000",
			lines: "Mon 4:00 at 10.0000 = 40.00; Tue 4:00 at 10.0000 = 40.00", gross: "720.00"},
		{name: "Alberta: 44 a week is more than 8 a day", rules: alberta, stints: at(h48, "20") + ", Sun 08:00-10:00", regular: "20.0000",
			lines: "Sat 6:00 at 10.0000 = 60.00", gross: "1060.00"},
		{name: "Ontario: 44 a week", rules: `"weekly_overtime_after":"44"`, stints: at(h48, "20"), regular: "20.0000",
			lines: "Sat 4:00 at 10.0000 = 40.00", gross: "1000.00"},
		{name: "British Columbia: only the first 8 of a day count towards 40",
			rules:   columbia,
			stints:  "Mon 06:00-19:00 @20, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Fri 08:00-16:00, Sat 08:00-10:00",
			regular: "20.0000", lines: "Mon 4:00 at 10.0000 = 40.00; Mon 1:00 at 20.0000 = 20.00; Sat 2:00 at 10.0000 = 20.00",
			gross: "1020.00"},
		{name: "29 CFR 778.601 8 and 80: the regular rate is the period's", rules: `"daily_overtime_after":"8",
			"overtime_period":{"days":14,"start":"2026-03-01","after":"80"}`,
			stints: at(h40, "20") + ", Mon2 08:00-18:00 @30, Tue2 08:00-16:00, Wed2 08:00-16:00, Thu2 08:00-16:00, Fri2 08:00-16:00",
			// 40 h at 20 and 42 h at 30 over 82 h
			regular: "25.1220", lines: "Mon 2:00 at 12.5610 = 25.12", gross: "2085.12"},
		{name: "a differential of 10 % in effect, on a stint of its own premium",
			rules:  inEff + `,"differentials":[{"name":"late","from":"14:00","to":"22:00","percent":"10"}]`,
			stints: at(h40, "20") + ", Sat 08:00-18:00 +1", regular: "20.7600", lines: "Sat 10:00 at 10.9000 = 109.00", gross: "1147.00"},
	})
}

// Prevailing wage: premium on the basic rate, fringe on every hour, in cash,
// into a plan, or partly both (29 CFR 5.31, 5.32; figures ours: a basic rate
// of $32.40 and $11.20 of fringe).
func TestPrevailingWage(t *testing.T) {
	for _, c := range []struct{ name, fringe, gross, plan string }{
		{"in cash", "cash=11.20", "2043.00", "0.00"},
		{"into a plan", "plan=11.20", "1539.00", "504.00"},
		{"mixed", "cash=4.20 plan=7", "1728.00", "315.00"},
	} {
		stints := strings.ReplaceAll(at(h45, "32.40"), ",", " "+c.fringe+",") + " " + c.fringe
		rules := parsed(t, week)
		res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, stints)})
		// 45 × 32.40 + 5 × 16.20 = 1,539.00, and 45 × 11.20 = 504.00 of fringe.
		if got := linesText(res, OvertimePremium); got != "Sat 5:00 at 16.2000 = 81.00" {
			t.Errorf("%s: premium %s", c.name, got)
		}
		if res.Gross.Decimal(2) != c.gross || res.PlanContributions.Decimal(2) != c.plan {
			t.Errorf("%s: gross %s plan %s, want %s and %s", c.name, res.Gross.Decimal(2), res.PlanContributions.Decimal(2), c.gross,
				c.plan)
		}
	}
}
