package pay

import (
	"math/rand/v2"
	"strings"
	"testing"

	"manudex/core/when"
)

// Salaries as the sections print them; where one prints no figures the name says so.
func TestSalaries(t *testing.T) {
	const long = "Mon 08:00-18:00 @99, Tue 08:00-18:00, Wed 08:00-18:00, Thu 08:00-18:00, Fri 08:00-18:00"
	for _, c := range []struct {
		name, salary, hours, regular, premium, gross string
	}{
		{"778.113(a) $350 for 35 h: 45 h are 350 + 5 × 10 + 5 × 15", "350 week hours 35", h45, "10.0000",
			"Sat 5:00 at 5.0000 = 25.00", "475.00"},
		{"778.113(a) $375 for 40 h is $9.38 an hour; the section rounds it", "375 week hours 40", h45, "9.3750",
			"Sat 5:00 at 4.6875 = 23.44", "445.32"},
		{"778.113(b) a month × 12 ÷ 52: $1,040 are $240 a week, $6 for each of 40 h (hours ours)", "1040 month hours 40", h44, "6.0000",
			"Sat 4:00 at 3.0000 = 12.00", "276.00"},
		{"778.113(b) half a month × 24 ÷ 52: $520 are the same", "520 half_month hours 40", h44, "6.0000",
			"Sat 4:00 at 3.0000 = 12.00", "276.00"},
		{"a salary for 45 h: half more beyond 40, and its rate beyond 45 (figures ours)", "450 week hours 45", h50, "10.0000",
			"Sat 5:00 at 5.0000 = 25.00; Sat 5:00 at 5.0000 = 25.00", "550.00"},
		{"a short week is paid in full (figures ours)", "350 week hours 35", "Mon 08:00-12:00 @20", "10.0000", "", "350.00"},
		{"778.114(b) 37.5 h", "600 week all_hours", h37, "16.0000", "", "600.00"},
		{"778.114(b) 44 h: $13.64; the section rounds it first and has $627.28", "600 week all_hours", h44, "13.6364",
			"Sat 4:00 at 6.8182 = 27.27", "627.27"},
		{"778.114(b) 50 h", "600 week all_hours", h50, "12.0000", "Sat 10:00 at 6.0000 = 60.00", "660.00"},
		{"778.114(b) 48 h", "600 week all_hours", h48, "12.5000", "Sat 8:00 at 6.2500 = 50.00", "650.00"},
		{"541.602(a) whatever the days or hours (figures ours)", "1000 week exempt", long, "0.0000", "", "1000.00"},
		{"541.602(a) part of a day lowers nothing", "1000 week exempt", "Mon 08:00-09:00 @99", "0.0000", "", "1000.00"},
		{"541.602(b)(1) a whole day away for one's own reasons", "1000 week exempt Wed=personal", long, "0.0000", "", "800.00"},
		{"541.602(b)(6) employed from Thursday on", "1000 week exempt Mon=first_or_last_week Tue=first_or_last_week Wed=first_or_last_week",
			"Thu 08:00-16:00 @99", "0.0000", "", "400.00"},
	} {
		rules := parsed(t, week)
		in := Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, at(c.hours, "99")), Salaries: []Salary{salaryText(t, c.salary)}}
		res := mustReckon(t, in)
		if got := res.Weeks[0].RegularRate.Decimals(4); got != c.regular {
			t.Errorf("%s: regular rate %s, want %s", c.name, got, c.regular)
		}
		if got := linesText(res, OvertimePremium, DoublePremium); got != c.premium {
			t.Errorf("%s: premium %q, want %q", c.name, got, c.premium)
		}
		if got := res.Gross.Decimal(2); got != c.gross {
			t.Errorf("%s: gross %s, want %s", c.name, got, c.gross)
		}
		e, err := new(Reckoner).Explain(in)
		if err != nil || !strings.Contains(e.Why[len(e.Why)-1].Text, "29 CFR 541.602") && !strings.Contains(e.Why[len(e.Why)-1].Text,
			"29 CFR 778.11") {
			t.Errorf("%s: it's explained as %q, %v", c.name, e.Why[len(e.Why)-1].Text, err)
		}
	}
	for per, want := range map[Per]string{"week": "1040.00", "two_weeks": "520.00", "half_month": "480.00", "month": "240.00",
		"year": "20.00"} {
		if got := Weekly(rate("1040"), per); got.String() != want {
			t.Errorf("1,040 a %s is %s a week, want %s (778.113(b))", per, got, want)
		}
	}
}

// 29 CFR 778.302: the days that lie in an old and a new week are counted where they come to more.
func TestAWorkweekThatBeginsOtherwise(t *testing.T) {
	mondays, sundays := parsed(t, week+`,"workweek_start":"Mon 07:00"`), parsed(t, week+`,"workweek_start":"Sun 07:00"`)
	sets := []DatedRules{{From: monday - 7, Rules: mondays}, {From: sunday + 7, Rules: sundays}}
	const (
		old = "Mon 08:00-16:00 @5, Tue 08:00-16:00, Wed 08:00-16:00, Thu 08:00-16:00, Fri 08:00-16:00"
		few = "Mon 08:00-16:00 @5"
	)
	for _, c := range []struct{ name, hours, gross, weeks string }{
		{"778.302(b) 40 h, 5 on the Sunday, 35 h: $237.50 and $175", old + ", Sun2 08:00-13:00, Mon2 08:00-15:00, Tue2 08:00-15:00, " +
			"Wed2 08:00-15:00, Thu2 08:00-15:00, Fri2 08:00-15:00", "412.50", "237.50 175.00"},
		{"the same the other way: 8 h, 5 on the Sunday, 40 h (figures ours)",
			few + ", Sun2 08:00-13:00, Mon2 08:00-16:00, Tue2 08:00-16:00, " +
				"Wed2 08:00-16:00, Thu2 08:00-16:00, Fri2 08:00-16:00", "277.50", "40.00 237.50"},
		{"nothing on the Sunday", old + ", Mon2 08:00-16:00", "240.00", "200.00 40.00"},
		{"a shift over both edges is cut at both (figures ours): 49 h and 1 h", old + ", Sun2 05:00-12:00, Mon2 05:00-08:00",
			"272.50", "267.50 5.00"},
	} {
		in := Input{Stints: timesheet(t, mondays.Week.Loc, c.hours)}
		res, err := new(Reckoner).ReckonDated(in, sets)
		if err != nil {
			t.Fatal(err)
		}
		var weeks []string
		for _, w := range res.Weeks {
			weeks = append(weeks, w.Gross.Decimal(2))
		}
		if got := strings.Join(weeks, " "); res.Gross.Decimal(2) != c.gross || got != c.weeks {
			t.Errorf("%s: %s in weeks of %s, want %s in %s", c.name, res.Gross.Decimal(2), got, c.gross, c.weeks)
		}
		var worked int64
		for _, s := range in.Stints {
			worked += int64(s.End.Sub(s.Start).Seconds())
		}
		if res.Worked != worked {
			t.Errorf("%s: %s worked, want %s: every hour once", c.name, hms(res.Worked), hms(worked))
		}
	}
}

// The same rules from a later workweek on change nothing, whatever the hours.
func TestRulesThatStayTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 302))
	for range 300 {
		in := randomInput(t, r)
		one := mustReckon(t, in)
		from := in.Rules.FirstDay(monday + when.Date(r.IntN(14)))
		two, err := new(Reckoner).ReckonDated(in, []DatedRules{{From: from - 700, Rules: in.Rules}, {From: from, Rules: in.Rules}})
		if err != nil {
			t.Fatal(err)
		}
		if one.Gross != two.Gross || one.Worked != two.Worked || len(one.Lines) != len(two.Lines) || len(one.Days) != len(two.Days) ||
			len(one.Weeks) != len(two.Weeks) || one.PlanContributions != two.PlanContributions {
			t.Fatalf("%d lines for %s became %d for %s", len(one.Lines), one.Gross.Decimal(2), len(two.Lines), two.Gross.Decimal(2))
		}
	}
}

// 29 CFR 778.209 (figures ours): $136 over 40, 46 and 50 hours are a dollar an hour, and half of it on
// 6 and 10 of overtime. Over regular hours alone the whole multiple is due.
func TestABonusOverWeeks(t *testing.T) {
	hours := at(h40, "12") + ", " + strings.NewReplacer("Mon", "Mon2", "Tue", "Tue2", "Wed", "Wed2", "Thu", "Thu2", "Fri", "Fri2",
		"Sat", "Sat2").
		Replace(at(h46, "12")) + ", " + strings.NewReplacer("Mon", "Mon3", "Tue", "Tue3", "Wed", "Wed3", "Thu", "Thu3", "Fri", "Fri3",
		"Sat", "Sat3").Replace(at(h50, "12"))
	for _, c := range []struct{ rules, want string }{
		{week, "2026-03-14 3.00, 2026-03-21 5.00"},
		// 136 ÷ 120 regular hours × 40 ÷ 40 × 1.5 on 6 and on 10
		{week + `,"flat_sum_over":"regular_hours"`, "2026-03-14 10.20, 2026-03-21 17.00"},
	} {
		rules := parsed(t, c.rules)
		in := Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, hours), Extras: []Extra{{WeekOf: monday + 14, Amount: rate("136"),
			PayCode: "BONUS", InRegularRate: true, FlatSum: true, Over: when.Period{From: sunday, To: sunday + 20}}}}
		res := mustReckon(t, in)
		var got []string
		for _, l := range res.Lines {
			if l.Kind == BonusPremium {
				got = append(got, l.Date.String()+" "+l.Amount.Decimal(2))
			}
		}
		if text := strings.Join(got, ", "); text != c.want || res.Weeks[2].RegularRate.String() != "12.00" {
			t.Errorf("%s: %s, want %s", c.rules, text, c.want)
		}
		in.Extras = nil
		if plain := mustReckon(t, in); res.Gross-plain.Gross-Amount(13600) != amountOf(got) {
			t.Errorf("%s: beside it %s became %s", c.rules, plain.Gross.Decimal(2), res.Gross.Decimal(2))
		}
	}
}

func amountOf(lines []string) (sum Amount) {
	for _, l := range lines {
		sum += rate(l[11:]).Minor(2)
	}
	return sum
}

// Laws on random input: what is deducted changes nothing, and on whose work a premium falls neither
// hours nor sums; a premium that is spread falls on every job by its hours.
func TestDeductionsAndWhereAPremiumFalls(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 209))
	for range 400 {
		in := randomInput(t, r)
		before := mustReckon(t, in)
		with := in
		with.Deductions = []Deduction{{Date: monday, Amount: rate("25.50"), PayCode: "TOOLS"}, {Date: monday + 3, Amount: rate("4"),
			PayCode: "FUND"}}
		with.Rules.PremiumOverWeek = true
		after := mustReckon(t, with)
		if before.Gross != after.Gross || before.Worked != after.Worked || after.Kept[0].Amount+after.Kept[1].Amount != 2950 {
			t.Fatalf("gross %s became %s", before.Gross.Decimal(2), after.Gross.Decimal(2))
		}
		type of struct {
			week when.Date
			kind LineKind
		}
		seconds, sums := map[of]int64{}, map[of]Amount{}
		for _, l := range before.Lines {
			seconds[of{l.Week, l.Kind}] += l.Seconds
			sums[of{l.Week, l.Kind}] += l.Amount
		}
		for _, l := range after.Lines {
			seconds[of{l.Week, l.Kind}] -= l.Seconds
			sums[of{l.Week, l.Kind}] -= l.Amount
		}
		for k, n := range seconds {
			if n != 0 || sums[k] != 0 {
				t.Fatalf("%s of %s: %d s and %s moved", k.kind, k.week, n, sums[k].Decimal(2))
			}
		}
	}
}

func TestApportion(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 3000 {
		weights := make([]int64, 1+r.IntN(7))
		var all int64
		for i := range weights {
			weights[i] = r.Int64N(2) * r.Int64N(1e12)
			all += weights[i]
		}
		whole := r.Int64N(2e12) - 1e12
		var sum int64
		for i, part := range Apportion(whole, weights) {
			sum += part
			if exact := float64(whole) * float64(weights[i]) / float64(max(all, 1)); all > 0 && (float64(part) < exact-1.01 ||
				float64(part) > exact+1.01) {
				t.Fatalf("%d by %v: part %d is %d, exactly %f", whole, weights, i, part, exact)
			}
		}
		if sum != whole {
			t.Fatalf("%d by %v comes to %d", whole, weights, sum)
		}
	}
}

// A differential of somebody's own days is paid on windows that begin on them.
func TestADifferentialOfSomeDays(t *testing.T) {
	rules := parsed(t,
		`"differentials":[{"name":"crane","from":"20:00","to":"04:00","per_hour":"2","first_day":"2026-03-03","last_day":"2026-03-03"}]`)
	res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, "Mon 20:00-04:00 @20, Tue 20:00-04:00, Wed 20:00-04:00")})
	if got := linesText(res, DifferentialPay); got != "Tue 4:00 at 2.0000 = 8.00; Wed 4:00 at 2.0000 = 8.00" {
		t.Errorf("paid %s", got)
	}
	own := Input{Rules: parsed(t, ""), Stints: timesheet(t, rules.Week.Loc, "Mon 20:00-22:00 @20"), Differentials: rules.Differentials}
	if res := mustReckon(t, own); len(res.Lines) != 1 {
		t.Errorf("out of its days: %d lines", len(res.Lines))
	}
	own.Differentials[0].Days = when.Period{From: monday, To: monday}
	if res := mustReckon(t, own); linesText(res, DifferentialPay) != "Mon 2:00 at 2.0000 = 4.00" {
		t.Errorf("one of their own: %s", linesText(res, DifferentialPay))
	}
}

func TestParseSalary(t *testing.T) {
	for text, want := range map[string]string{
		"52,000 a year, exempt (executive)": "52000.00 a year, exempt (executive)",
		"1040 per month for 40 hours":       "1040.00 a month for 40 h a week",
		"600 a week  for all hours":         "600.00 a week for all hours",
		"1,234.50 a two weeks for 37.5h":    "1234.50 a fortnight for 37.5 h a week",
	} {
		got, err := ParseSalary(text)
		if err != nil || got.String() != want {
			t.Errorf("%q is %q, %v; want %q", text, got, err, want)
		}
		if again, err := ParseSalary(got.String()); err != nil || again != got {
			t.Errorf("%q read again is %+v, %v", got, again, err)
		}
	}
	for _, text := range []string{"", "52000", "52000 a year", "52000 a year, exempt", "52000 a day for all hours",
		"0 a week for all hours",
		"1 a week for 169 h", "x a week for all hours"} {
		if got, err := ParseSalary(text); err == nil {
			t.Errorf("%q is taken for %+v", text, got)
		}
	}
}
