package pay

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"manudex/core/when"
)

const rulesDoc = "../../docs/rules.md"

// gives writes what docs/rules.md says an example gives.
func gives(res Result) string {
	var days []string
	for _, d := range res.Days {
		s := fmt.Sprintf("%s %s regular", d.Date.Format("Mon"), hms(d.Regular))
		for n, class := range []int64{d.Overtime, d.Double} {
			if class > 0 {
				s += " " + hms(class) + " " + Class(n+1).String()
			}
		}
		days = append(days, s)
	}
	parts := []string{strings.Join(days, "; ")}
	for _, l := range res.Lines {
		switch l.Kind {
		case Straight:
		case ExtraPay, SalaryPay:
			parts = append(parts, fmt.Sprintf("%s %s %s", l.Kind, l.Date.Format("Mon"), l.Amount.Decimal(2)))
		default:
			parts = append(parts, fmt.Sprintf("%s %s", l.Kind, linesText(Result{Lines: []Line{l}}, l.Kind)))
		}
	}
	parts = append(parts, "regular rate "+res.Weeks[0].RegularRate.Decimals(4), "gross "+res.Gross.Decimal(2))
	if res.PlanContributions > 0 {
		parts = append(parts, "plan "+res.PlanContributions.Decimal(2))
	}
	for _, l := range res.Kept {
		parts = append(parts, fmt.Sprintf("%s %s %s", l.Kind, l.Date.Format("Mon"), l.Amount.Decimal(2)))
	}
	return strings.Join(parts, " | ")
}

// salaryText reads "350 week hours 35 Wed=personal": a salary for the timesheets' first week, with
// the days it isn't paid for behind.
func salaryText(t *testing.T, text string) Salary {
	t.Helper()
	words := strings.Fields(text)
	s := Salary{Days: when.Period{From: sunday, To: sunday + 6}, Of: "week", Amount: rate(words[0]), Per: Per(words[1]),
		By: SalaryBy(words[2]), PayCode: "SALARY", Workdays: 5}
	for _, w := range words[3:] {
		if hours, err := ParseRate(w); err == nil {
			s.Hours = int64(hours) * 3600 / rateScale
			continue
		}
		day, reason, _ := strings.Cut(w, "=")
		s.Docked = append(s.Docked, Docked{Date: when.DateOf(timesheet(t, zone(t, "America/New_York"), day+" 01:00-02:00")[0].Start,
			zone(t, "America/New_York")), Reason: reason})
	}
	return s
}

// Every example of docs/rules.md gives what it says, and every parameter has
// one.
func TestRulesDoc(t *testing.T) {
	text, err := os.ReadFile(rulesDoc)
	if err != nil {
		t.Fatal(err)
	}
	var all string
	for _, block := range strings.Split(string(text), "```example\n")[1:] {
		block, _, _ = strings.Cut(block, "```")
		fields := map[string]string{}
		for line := range strings.Lines(block) {
			name, value, _ := strings.Cut(strings.TrimSpace(line), ": ")
			fields[name] = value
		}
		rules := parsed(t, fields["rules"])
		in := Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, fields["hours"])}
		if amount, flat := strings.CutSuffix(fields["extra"], " flat"); amount != "" {
			in.Extras = []Extra{{WeekOf: monday, Amount: rate(amount), PayCode: "BONUS", InRegularRate: true, FlatSum: flat}}
		}
		if fields["banks"] != "" {
			in.Banks = []when.Period{{From: 0, To: 1 << 20}}
		}
		if text := fields["changed"]; text != "" {
			in.Changes = []Change{changed(t, rules.Week.Loc, text)}
		}
		if amount, over, _ := strings.Cut(fields["earned"], " over "); amount != "" {
			from, to, _ := strings.Cut(over, " to ")
			span := timesheet(t, rules.Week.Loc, from+" 00:00-01:00, "+to+" 00:00-01:00")
			in.Extras = []Extra{{WeekOf: monday, Amount: rate(amount), PayCode: "BONUS", InRegularRate: true,
				Over: when.Period{From: when.DateOf(span[0].Start, rules.Week.Loc), To: when.DateOf(span[1].Start, rules.Week.Loc)}}}
		}
		if fields["salary"] != "" {
			in.Salaries = []Salary{salaryText(t, fields["salary"])}
		}
		if fields["deducted"] != "" {
			in.Deductions = []Deduction{{Date: monday, Amount: rate(fields["deducted"]), PayCode: "TOOLS"}}
		}
		sets := []DatedRules{{From: 0, Rules: rules}}
		if from, later, changed := strings.Cut(fields["later"], ": "); changed {
			begin := timesheet(t, rules.Week.Loc, from+" 00:00-01:00")[0].Start
			sets = append(sets, DatedRules{From: when.DateOf(begin, rules.Week.Loc), Rules: parsed(t, later)})
		}
		res, err := new(Reckoner).ReckonDated(in, sets)
		if err != nil {
			t.Fatal(err)
		}
		if got := gives(res); got != fields["gives"] {
			t.Errorf("rules: %s\nhours: %s\n got %s\nwant %s", fields["rules"], fields["hours"], got, fields["gives"])
		}
		all += fields["rules"]
	}
	for _, name := range RuleNames() {
		if !strings.Contains(all, `"`+name+`"`) {
			t.Errorf("%s has no example", name)
		}
		if !strings.Contains(string(text), "**`"+name+"`**") {
			t.Errorf("%s isn't explained", name)
		}
	}
}
