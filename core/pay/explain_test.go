package pay

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

func explained(t *testing.T, rules, stints string, extras ...Extra) Explained {
	t.Helper()
	r := parsed(t, rules)
	var reckoner Reckoner
	e, err := reckoner.Explain(Input{Rules: r, Stints: timesheet(t, r.Week.Loc, stints), Extras: extras})
	if err != nil {
		t.Fatal(err)
	}
	return e
}

// why gives the explanation of the first line of a kind.
func why(t *testing.T, e Explained, kind LineKind) Explanation {
	t.Helper()
	for i, l := range e.Lines {
		if l.Kind == kind && (kind != Straight || l.Class != Regular) {
			return e.Why[i]
		}
	}
	t.Fatalf("no line of kind %s", kind)
	return Explanation{}
}

// Why 6.25 hours? The threshold, when it was crossed, what counted towards
// it, and the regular rate term by term.
func TestExplainOvertime(t *testing.T) {
	e := explained(t, `"weekly_overtime_after":"40"`,
		"Mon 07:00-17:00 @12, Tue 07:00-17:00, Wed 07:00-17:00, Thu 07:00-15:15, Fri 07:00-15:00", in("46", "BONUS"))
	x := why(t, e, OvertimePremium)
	if len(x.Because) != 1 {
		t.Fatalf("causes %+v", x.Because)
	}
	c := x.Because[0]
	if c.Rule != "weekly_overtime_after" || c.After != 40*3600 || c.Seconds != 22500 || c.Crossed.Format("Mon 15:04") != "Fri 08:45" {
		t.Errorf("cause %+v", c)
	}
	var counted []string
	for _, n := range c.Counted {
		counted = append(counted, n.Date.Format("Mon")+" "+hms(n.Seconds))
	}
	if got := strings.Join(counted, ", "); got != "Mon 10:00, Tue 10:00, Wed 10:00, Thu 8:15, Fri 1:45" {
		t.Errorf("counted %s", got)
	}
	for _, want := range []string{"6:15 × (1.5 − 1) × the premium rate", "weekly_overtime_after 40:00", "29 CFR 778.101",
		"(straight pay 46:15 at 12.00 = 555.00 + BONUS 46.00) ÷ 46:15 = 12.9946"} {
		if !strings.Contains(x.Text, want) {
			t.Errorf("%q isn't in %q", want, x.Text)
		}
	}
	if o := e.Rates[0]; len(o.Terms) != 2 || o.Terms[0].Amount != "555.00" || o.Terms[1].What != "BONUS" || o.Worked != 166500 {
		t.Errorf("terms %+v", o)
	}
}

// Each rule is named on the lines it made.
func TestExplainNamesTheRule(t *testing.T) {
	for _, c := range []struct {
		rules, stints string
		kind          LineKind
		want          []string
	}{
		{`"daily_overtime_after":"8"`, "Mon 07:00-12:00, 12:30-17:00", OvertimePremium,
			[]string{"daily_overtime_after 8:00", "after s1 5:00, s2 3:00", "Mon 2026-03-02 15:30:00 EST"}},
		{`"daily_double_after":"12"`, "Mon 06:00-20:00", DoublePremium, []string{"Double time by daily_double_after 12:00", "(2 − 1)"}},
		{`"seventh_day":{"overtime_hours":"2"}`,
			"Sun 08:00-09:00, Mon 08:00-09:00, Tue 08:00-09:00, Wed 08:00-09:00, Thu 08:00-09:00, Fri 08:00-09:00, Sat 08:00-12:00",
			OvertimePremium, []string{"seventh_day 0:00"}},
		{`"consecutive_overtime_after":"12"`,
			"Mon 18:00-08:00", OvertimePremium, []string{"consecutive_overtime_after 12:00", "Tue 2026-03-03 06:00:00 EST after s1 12:00"}},
		{`"weekly_double_after":"10"`, "Mon 06:00-20:00", DoublePremium, []string{"weekly_double_after 10:00"}},
		{`"overtime_period":{"days":14,"start":"2026-03-01","after":"10"}`,
			"Mon 06:00-20:00", OvertimePremium, []string{"overtime_period 10:00", "29 CFR 778.601", "Regular rate of the overtime period"}},
		{`"weekly_overtime_after":"10","daily_overtime_after":"13","combine":"greater_of"`, "Mon 06:00-20:00", OvertimePremium,
			[]string{"combine greater_of"}},
		{`"weekly_overtime_after":"10","overtime_rate":"rate_in_effect"`, "Mon 06:00-20:00 +1",
			OvertimePremium,
			[]string{"29 CFR 778.419", "In effect: straight pay 4:00 at 20.00 = 80.00 + stint premium 4:00 at 1.00 = 4.00"}},
		{`"rounding":{"minutes":15,"apply":"edge"},"daily_overtime_after":"1"`, "Mon 07:02-15:30", Straight,
			[]string{"Clocked Mon 2026-03-02 07:02:00 EST", "rounded to 15 minutes", "29 CFR 785.48"}},
		{`"automatic_meal":{"after_hours":"6","minutes":30},"daily_overtime_after":"1"`, "Mon 07:00-15:30", Straight,
			[]string{"automatic meal of 0:30", "13:00:00"}},
		{`"differentials":[{"name":"night","from":"20:00","to":"04:00","percent":"10"}]`, "Mon 18:00-23:00", DifferentialPay,
			[]string{"Differential night: 3:00 between 20:00 and 04:00", "at 2.00 = 6.00"}},
		{``, "Mon 18:00-23:00 +1.5", DifferentialPay, []string{"stint's own premium: 5:00 at 1.50"}},
		{`"holidays":[{"date":"2026-03-02","multiplier":"1.5"}]`, "Mon 08:00-12:00", HolidayPremium,
			[]string{"Holiday Mon 2026-03-02", "outside the regular rate"}},
		{`"holidays":[{"date":"2026-03-02","multiplier":"1.25"}]`, "Mon 08:00-12:00", HolidayPremium,
			[]string{"in the regular rate, and overtime comes on top"}},
		{`"meal_premium":{"first_before_hours":"5"}`, "Mon 08:00-16:00", MealPay,
			[]string{"the first meal", "begin by Mon 2026-03-02 13:00:00 EST", "226.7"}},
		{`"minimum_callout_hours":"4"`, "Mon 08:00-09:00 callout", CalloutPay, []string{"at least 4:00", "3:00 were missing"}},
		{`"show_up":{"part":"0.5","least_hours":"2","most_hours":"4"}`, "Mon 08:00-09:00 planned=8:00", PaidNotWorked,
			[]string{"worked less than 0.5 of it", "at least 2:00, at most 4:00", "3:00 were missing", "778.220"}},
		{``, "Mon 08:00-09:00 cash=4.10", Fringe, []string{"Fringe of 4.10"}},
		{``, "Mon 08:00-09:00, meal 09:00-10:00 not_as_work", PaidNotWorked, []string{"778.320"}},
	} {
		text := why(t, explained(t, c.rules, c.stints), c.kind).Text
		for _, want := range c.want {
			if !strings.Contains(text, want) {
				t.Errorf("%s on %s: %q isn't in\n%s", c.rules, c.stints, want, text)
			}
		}
	}
	flat := in("16", "BONUS")
	flat.FlatSum = true
	e := explained(t, `"daily_overtime_after":"8","flat_sum_over":"regular_hours"`, "Mon 08:00-18:00, Tue 08:00-16:00", flat)
	if text := why(t, e,
		OvertimePremium).Text; !strings.Contains(text, "On the flat sum 16.00 ÷ 16:00 regular hours the full 1.5 is due, not 0.5") ||
		!strings.Contains(text, "BONUS 16.00 ÷ 16:00 regular hours") {
		t.Errorf("flat sum: %s", text)
	}
}

// Explaining changes no answer; every line says something; causes account for
// the overtime and double hours of their line, and what counted towards a
// threshold comes to it, where nothing of a day was taken by another rule.
func TestExplainIsTrue(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	var reckoner Reckoner
	for range 400 {
		in := randomInput(t, r)
		e, err := reckoner.Explain(in)
		if err != nil {
			t.Fatal(err)
		}
		if want := mustReckon(t, in); !slices.Equal(e.Lines, want.Lines) || !slices.Equal(e.Weeks, want.Weeks) {
			t.Fatal("explaining changed the answer")
		}
		for i, l := range e.Lines {
			x := e.Why[i]
			if x.Text == "" {
				t.Fatalf("no explanation of %+v", l)
			}
			var sum int64
			for _, c := range x.Because {
				sum += c.Seconds
				var counted int64
				for _, n := range c.Counted {
					counted += n.Seconds
				}
				simple := in.Rules.ConsecutiveOvertime == NotInForce &&
					in.Rules.SeventhDay == NotInForce && in.Rules.DailyDouble == NotInForce && in.Rules.WeeklyDouble == NotInForce &&
					in.Rules.DailyOvertime == NotInForce
				if simple && counted != c.After {
					t.Fatalf("%s of %s: %s counted", c.Rule, hms(c.After), hms(counted))
				}
			}
			if l.Class != Regular && sum != l.Seconds {
				t.Fatalf("causes account for %s of %s", hms(sum), hms(l.Seconds))
			}
		}
	}
}
