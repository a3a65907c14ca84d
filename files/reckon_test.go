package files

import (
	"bytes"
	"encoding/json"
	"io"
	"reflect"
	"strings"
	"testing"

	"github.com/shopspring/decimal"

	"manudex/core/pay"
)

func reckon(t testing.TB, in string) (out, errs string, ok bool) {
	t.Helper()
	var o, e bytes.Buffer
	ok, err := Reckon(strings.NewReader(in), &o, &e, ReckonOptions{})
	if err != nil {
		t.Fatal(err)
	}
	return o.String(), e.String(), ok
}

// The example that the contract is written with.
const example = `{ "zone": "America/New_York", "rules": { "weekly_overtime_after": "40" },
  "stints": [{ "id": "s1", "start": "2026-03-02T07:00:00-05:00", "end": "2026-03-02T15:30:00-05:00", "kind": "work",
  "rate": "22.00", "pay_code": "REG", "job": "2231",
               "task": "", "classification": "", "premium_per_hour": "0", "fringe_cash": "0", "fringe_plan": "0",
               "paid": null, "callout": false }],
  "leave":  [{ "date": "2026-03-04", "seconds": 28800, "rate": "22.00", "pay_code": "PTO" }],
  "extras": [{ "week_of": "2026-03-02", "amount": "46.00", "pay_code": "BONUS", "in_regular_rate": true, "flat_sum": false }] }`

const answer = `{"lines":[{"date":"2026-03-02","stint":"s1","job":"2231","pay_code":"REG","kind":"straight","class":"regular",` +
	`"seconds":30600,"rate":"22.00","amount":"187.00"},` +
	`{"date":"2026-03-02","pay_code":"BONUS","kind":"extra","amount":"46.00"},` +
	`{"date":"2026-03-04","pay_code":"PTO","kind":"leave","on_seconds":28800,"rate":"22.00","amount":"176.00"}],` +
	`"days":[{"date":"2026-03-02","worked":30600,"regular":30600,"overtime":0,"double":0}],` +
	`"weeks":[{"start":"2026-03-01","worked":30600,"regular":30600,"overtime":0,"double":0,"regular_rate":"27.4118","gross":"409.00"}],` +
	`"gross":"409.00","plan_contributions":"0.00","worked":30600}` + "\n"

func TestReckonExample(t *testing.T) {
	out, errs, ok := reckon(t, example)
	if !ok || errs != "" || out != answer {
		t.Errorf("ok %v, errors %q\n got %s\nwant %s", ok, errs, out, answer)
	}
}

func TestReckonStream(t *testing.T) {
	var one bytes.Buffer
	if err := json.Compact(&one, []byte(example)); err != nil {
		t.Fatal(err)
	}
	out, errs, ok := reckon(t, one.String()+"\n"+`{"zone":"UTC"}`+"\n"+one.String()+"\n")
	if ok || out != answer+answer || errs != "object 2: stints: missing: this field is required\n" {
		t.Errorf("ok %v errors %q answers %d", ok, errs, strings.Count(out, "\n"))
	}
}

// What is not JSON costs only its own object.
func TestReckonStreamGoesOn(t *testing.T) {
	var one bytes.Buffer
	if err := json.Compact(&one, []byte(example)); err != nil {
		t.Fatal(err)
	}
	for name, broken := range map[string]string{
		"a broken line":             `{"zone":"UTC","stints":[}`,
		"a word":                    `hello`,
		"an object over some lines": "{\n  \"zone\": UTC,\n  \"stints\": []\n}",
		"a very long line":          `{"zone":` + strings.Repeat("x", 100_000),
	} {
		out, errs, ok := reckon(t, one.String()+"\n"+broken+"\n"+one.String()+"\n")
		if ok || out != answer+answer || !strings.HasPrefix(errs, "object 2: input: not JSON: ") || strings.Count(errs, "\n") != 1 {
			t.Errorf("%s: ok %v errors %q answers %d", name, ok, errs, strings.Count(out, "\n"))
		}
	}
}

// With explanations the answer is the same but for what is explained, and the
// text has a line for each line of pay.
func TestReckonExplain(t *testing.T) {
	var out, text bytes.Buffer
	ok, err := Reckon(strings.NewReader(everyRule), &out, io.Discard, ReckonOptions{Explain: true, Text: &text})
	if err != nil || !ok {
		t.Fatal(ok, err)
	}
	var explained, plain map[string]any
	if err := json.Unmarshal(out.Bytes(), &explained); err != nil {
		t.Fatal(err)
	}
	bare, _, _ := reckon(t, everyRule)
	if err := json.Unmarshal([]byte(bare), &plain); err != nil {
		t.Fatal(err)
	}
	lines := 0
	for _, list := range []string{"lines", "plan_lines", "weeks"} {
		for _, item := range explained[list].([]any) {
			o := item.(map[string]any)
			why, there := o["why"].(map[string]any)
			if !there || why["text"] == "" {
				t.Errorf("%s: no explanation of %v", list, o)
			}
			delete(o, "why")
			if list != "weeks" {
				lines++
			}
		}
	}
	if !reflect.DeepEqual(explained, plain) {
		t.Errorf("explained:\n%v\nplain:\n%v", explained, plain)
	}
	if got := strings.Count(text.String(), "\n"); got != lines || !strings.Contains(text.String(), "daily_overtime_after 8:00") {
		t.Errorf("%d lines of text for %d lines:\n%s", got, lines, text.String())
	}
}

// everyRule has a rule of every kind in force, and a line of nearly every
// kind in its answer.
const everyRule = `{"zone":"America/New_York","rules":{"workweek_start":"Mon 00:00","workday_start":"00:00",
	"split_at_boundary":true,"new_attendance_after":"3",
	"weekly_overtime_after":"40","weekly_double_after":"60","daily_overtime_after":"8","daily_double_after":"12",
	"consecutive_overtime_after":"12","seventh_day":{"overtime_hours":"8"},
	"combine":"no_pyramiding","overtime_period":null,"overtime_rate":"regular_rate","overtime_multiplier":"1.5",
	"double_multiplier":"2","flat_sum_over":"regular_hours",
	"paid_rest_up_to_minutes":20,"unpaid_meal_from_minutes":30,"rounding":{"minutes":15,"apply":"edge"},
	"automatic_meal":{"after_hours":"6","minutes":30},"minimum_callout_hours":"4",
	"show_up":{"part":"0.5","least_hours":"2","most_hours":"4"},"short_notice":{"days":14,"changed_hours":"1","lost_part":"0.5",
	"over_minutes":30},
	"differentials":[{"name":"night","from":"20:00","to":"04:00","per_hour":"1.50"},
	{"name":"late","from":"14:00","to":"22:00","percent":"5"}],
	"holidays":[{"date":"2026-03-04","multiplier":"1.5"},{"date":"2026-03-05","multiplier":"1.25"}],
	"meal_premium":{"first_before_hours":"5","second_before_hours":"10","minutes":30,"first_waived_up_to_hours":"6",
	"second_waived_up_to_hours":"12"}},
	"stints":[{"id":"a","start":"2026-03-02T06:58:00-05:00","end":"2026-03-02T21:07:00-05:00","kind":"work","rate":"32.40",
	"pay_code":"REG","job":"2231","task":"t","classification":"c","premium_per_hour":"1","fringe_cash":"4.20","fringe_plan":"7",
	"paid":null,"callout":false},
	{"id":"b","start":"2026-03-04T08:00:00-05:00","end":"2026-03-04T17:30:00-05:00","kind":"work","rate":"32.40","pay_code":"REG"},
	{"id":"c","start":"2026-03-05T08:00:00-05:00","end":"2026-03-05T12:00:00-05:00","kind":"work","rate":"32.40","pay_code":"REG"},
	{"id":"d","start":"2026-03-05T12:00:00-05:00","end":"2026-03-05T12:30:00-05:00","kind":"meal","rate":"32.40","pay_code":"REG",
	"paid":"not_as_work"},
	{"id":"e","start":"2026-03-06T19:00:00-05:00","end":"2026-03-06T20:30:00-05:00","kind":"work","rate":"30","pay_code":"CALL",
	"callout":true},
	{"id":"f","start":"2026-03-07T07:00:00-05:00","end":"2026-03-07T08:00:00-05:00","kind":"work","rate":"32.40","pay_code":"SHORT",
	"planned_seconds":28800}],
	"changes":[{"date":"2026-03-06","told":"2026-03-05T12:00:00-05:00","rate":"32.40","pay_code":"NOTICE","asked":false,
	"was":{"start":"2026-03-06T07:00:00-05:00","end":"2026-03-06T15:30:00-05:00","seconds":28800},"is":null}],
	"leave":[{"date":"2026-03-03","seconds":28800,"rate":"32.40","pay_code":"PTO"}],
	"extras":[{"week_of":"2026-03-02","amount":"80","pay_code":"BONUS","in_regular_rate":true,"flat_sum":true},
	{"week_of":"2026-03-02","amount":"-12.50","pay_code":"TOOLS","in_regular_rate":false,"flat_sum":false}]}`

// The answer has a line of every kind.
func TestReckonEveryKind(t *testing.T) {
	out, errs, ok := reckon(t, everyRule)
	if !ok {
		t.Fatal(errs)
	}
	for _, kind := range []pay.LineKind{pay.Straight, pay.OvertimePremium,
		pay.DoublePremium, pay.DifferentialPay, pay.HolidayPremium, pay.Fringe, pay.LeavePay, pay.ExtraPay, pay.CalloutPay,
		pay.MealPay, pay.PaidNotWorked} {
		if !strings.Contains(out, `"kind":"`+string(kind)+`"`) {
			t.Errorf("no line of kind %s in %s", kind, out)
		}
	}
	for _, line := range []string{`"pay_code":"SHORT","kind":"paid_not_worked","on_seconds":10800,"rate":"32.40","amount":"97.20"`,
		`"pay_code":"NOTICE","kind":"paid_not_worked","on_seconds":14400,"rate":"32.40","amount":"129.60"`} {
		if !strings.Contains(out, line) {
			t.Errorf("no line %s in %s", line, out)
		}
	}
	checkSums(t, out)
}

// checkSums holds that totals are sums of lines.
func checkSums(t *testing.T, out string) {
	t.Helper()
	for line := range strings.Lines(out) {
		var a struct {
			Lines, PlanLines []struct {
				Kind    string
				Seconds int64
				Amount  string
			}
			Weeks []struct {
				Worked int64
				Gross  string
			}
			Days                     []struct{ Worked, Regular, Overtime, Double int64 }
			Gross, PlanContributions string
			Worked                   int64
		}
		if err := json.Unmarshal([]byte(strings.NewReplacer("plan_lines", "planlines", "plan_contributions",
			"plancontributions").Replace(line)), &a); err != nil {
			t.Fatal(err)
		}
		var gross, weeks, plan decimal.Decimal
		var worked, inWeeks, inDays int64
		for _, l := range a.Lines {
			gross = gross.Add(decimal.RequireFromString(l.Amount))
			worked += l.Seconds
		}
		for _, l := range a.PlanLines {
			plan = plan.Add(decimal.RequireFromString(l.Amount))
		}
		for _, w := range a.Weeks {
			weeks = weeks.Add(decimal.RequireFromString(w.Gross))
			inWeeks += w.Worked
		}
		for _, d := range a.Days {
			inDays += d.Regular + d.Overtime + d.Double
		}
		total := decimal.RequireFromString(a.Gross)
		if !gross.Equal(total) || !weeks.Equal(total) || !plan.Equal(decimal.RequireFromString(a.PlanContributions)) {
			t.Fatalf("lines %s, weeks %s, gross %s; plan %s of %s", gross, weeks, a.Gross, plan, a.PlanContributions)
		}
		if worked != a.Worked || inWeeks != a.Worked || inDays != a.Worked {
			t.Fatalf("lines %d s, weeks %d, days %d, worked %d", worked, inWeeks, inDays, a.Worked)
		}
	}
}

func TestReckonErrors(t *testing.T) {
	stint := `{"id":"a","start":"2026-03-02T07:00:00-05:00","end":"2026-03-02T15:00:00-05:00","kind":"work","rate":"22"}`
	with := func(old, new string) string {
		return `{"zone":"America/New_York","stints":[` + strings.Replace(stint, old, new, 1) + `]}`
	}
	rules := func(r string) string {
		return `{"zone":"America/New_York","rules":{` + r + `},"stints":[` + stint + `]}`
	}
	for _, c := range []struct{ name, in, want string }{
		{"empty", "", "input: empty: write a JSON object with zone and stints"},
		{"not JSON", "{", "input: not JSON: unexpected EOF"},
		{"not an object", "[]", "input: []: write an object"},
		{"nothing required", "{}", "zone: missing: this field is required\nstints: missing: this field is required"},
		{"unknown zone", `{"zone":"Mars/Olympus","stints":[]}`, `zone: "Mars/Olympus": write an IANA zone such as "America/New_York"`},
		{"unknown field", `{"zone":"UTC","stints":[],"bonus":1}`, "bonus: 1: this field is unknown; take it out"},
		{"unknown rule", rules(`"weekend":true`), "rules.weekend: true: this rule is unknown; take it out"},
		{"rules not in force", rules(`"daily_overtime_after":null,"combine":"no_pyramiding","differentials":[],"split_at_boundary":true`),
			""},
		{"a rule within a rule", rules(`"differentials":[{"name":"night","from":"20:00"}]`),
			"rules.differentials[0].to: missing: this field is required"},
		{"rules that contradict", rules(`"daily_overtime_after":"8","daily_double_after":"6"`),
			`rules.daily_double_after: contradicts another rule: ` +
				`double time can't begin before daily_overtime_after; raise it or take it out`},
		{"threshold as a number", rules(`"weekly_overtime_after":40`),
			`rules.weekly_overtime_after: 40: write hours such as "8", at most 168, in whole seconds, or null`},
		{"multiplier", rules(`"overtime_multiplier":"0.5"`),
			`rules.overtime_multiplier: "0.5": write a multiplier such as "1.5", 1 to 10, with at most four decimals`},
		{"two at once", rules(`"workday_start":"9","workweek_start":null`),
			"rules.workday_start: \"9\": write a local time such as \"00:00\"\nrules.workweek_start: null: write a weekday and a local " +
				"time such as \"Sun 00:00\""},
		{"kind", with(`"work"`, `"nap"`), `stints[0].kind: "nap": write "work", "meal" or "rest"`},
		{"rate as a number", with(`"22"`, `22`),
			`stints[0].rate: 22: write a decimal in quotes such as "22.00", with at most six decimals and at most a million`},
		{"rate below zero", with(`"22"`, `"-22"`), `stints[0].rate: "-22": a rate is not below zero`},
		{"no offset", with(`15:00:00-05:00`, `15:00:00`),
			"stints[0].end: \"2026-03-02T15:00:00\": write an instant with offset and whole seconds such as 2026-03-02T07:00:00-05:00"},
		{"end before start", with(`03-02T15`, `03-01T15`), `stints[0].end: "2026-03-01T15:00:00-05:00": write an instant after start`},
		{"too long", with(`"2026-03-02T15`, `"2062-03-02T15`),
			`stints[0].end: "2062-03-02T15:00:00-05:00": write an instant at most 31 days after start`},
		{"fringe below zero", with(`"rate":"22"`, `"rate":"22","fringe_cash":"-4.10"`),
			`stints[0].fringe_cash: "-4.10": a rate is not below zero`},
		{"call-out", with(`"rate":"22"`, `"rate":"22","callout":"yes"`), `stints[0].callout: "yes": write true or false`},
		{"planned", with(`"rate":"22"`, `"rate":"22","planned_seconds":"8"`),
			`stints[0].planned_seconds: "8": write whole seconds, 0 to 86400`},
		{"a change of nothing", `{"zone":"UTC","stints":[],"changes":[{"date":"2026-03-02","told":"2026-03-01T12:00:00Z","rate":"1"}]}`,
			`changes[0]: {"date":"2026-03-02","told":"2026-03-01T12:00:00Z","rate"…: write what was planned, what is now, or both`},
		{"a plan that ends first", `{"zone":"UTC","stints":[],"changes":[{"date":"2026-03-02","told":"2026-03-01T12:00:00Z","rate":"1",
			"was":{"start":"2026-03-02T12:00:00Z","end":"2026-03-02T08:00:00Z","seconds":1}}]}`,
			`changes[0].was.end: "2026-03-02T08:00:00Z": write an instant after start`},
		{"paid", with(`"rate":"22"`, `"rate":"22","paid":"double"`), `stints[0].paid: "double": write "as_work", "not_as_work" or null`},
		{"the rate of leave", `{"zone":"UTC","stints":[],"leave":[{"date":"2026-03-01","seconds":1,"rate":"1","by":"best",
			"paid":{"amount":"5","seconds":0,"weeks":105}}]}`,
			"leave[0].by: \"best\": write \"regular_rate\", \"paid_weeks\" or null\n" +
				"leave[0].paid.seconds: 0: write whole seconds, 1 to those of 104 weeks\n" +
				"leave[0].paid.weeks: 105: write a whole number from 1 to 104"},
		{"what is banked", `{"zone":"UTC","stints":[],"banks":[{"from":"soon","to":"2026-03-07"}]}`,
			"banks[0].from: \"soon\": write a date as YYYY-MM-DD"},
		{"leave", `{"zone":"UTC","stints":[],"leave":[{"date":"2026-13-01","seconds":-1,"rate":"1"}]}`,
			"leave[0].date: \"2026-13-01\": write a date as YYYY-MM-DD\nleave[0].seconds: -1: write whole seconds, 0 to 86400"},
		{"overlap", `{"zone":"America/New_York","stints":[` + stint + `,` + strings.Replace(stint, `"a"`, `"b"`, 1) + `]}`,
			"stints: stint b starts at 2026-03-02T07:00:00-05:00, before stint a ends at 2026-03-02T15:00:00-05:00: stints must end " +
				"after they start and not overlap"},
	} {
		_, errs, ok := reckon(t, c.in)
		if strings.TrimSuffix(errs, "\n") != c.want || ok != (c.want == "") {
			t.Errorf("%s: ok %v\n got %s\nwant %s", c.name, ok, errs, c.want)
		}
	}
}

func FuzzReckon(f *testing.F) {
	f.Add(example)
	f.Add(`{"zone":"UTC","stints":[{"id":"a","start":"2026-03-07T22:00:00Z","end":"2026-03-08T09:00:00Z","kind":"rest","rate":"0.5",
	"paid":"not_as_work"}]}`)
	// A day that a country skipped: the days of a stint across it once never ended.
	f.Add(`{"zone":"Pacific/Apia","stints":[{"id":"a","start":"2011-12-29T12:00:00-10:00","end":"2011-12-31T12:00:00+14:00",
	"kind":"work","rate":"1"}]}`)
	f.Add(everyRule)
	f.Add(strings.NewReplacer(`"no_pyramiding"`, `"greater_of"`,
		`"regular_rate"`, `"rate_in_effect"`, `"edge"`, `"day"`, `"split_at_boundary":true`,
		`"split_at_boundary":false`).Replace(everyRule))
	f.Add(strings.NewReplacer(`"overtime_period":null`, `"overtime_period":{"days":14,"start":"2026-03-01","after":"80"}`,
		`"weekly_overtime_after":"40","weekly_double_after":"60",`, ``,
		`"seventh_day":{"overtime_hours":"8"},`, ``).Replace(everyRule))
	f.Fuzz(func(t *testing.T, in string) {
		out, errs, ok := reckon(t, in)
		checkSums(t, out)
		if explained, err := Reckon(strings.NewReader(in), io.Discard, io.Discard,
			ReckonOptions{Explain: true, Text: io.Discard}); err != nil || explained != ok {
			t.Fatalf("explained %v %v, plain %v", explained, err, ok)
		}
		if ok != (errs == "") {
			t.Fatalf("ok %v with errors %q", ok, errs)
		}
		if again, _, _ := reckon(t, in); again != out {
			t.Fatal("two answers to one question")
		}
	})
}

// Leave at an average and banked overtime, as the contract has them.
func TestReckonLeaveRatesAndBanks(t *testing.T) {
	out, errs, ok := reckon(t, `{"zone":"America/New_York","rules":{"daily_overtime_after":"8","bank_overtime":{"overtime":"1.5"}},
		"stints":[{"id":"s1","start":"2026-03-02T07:00:00-05:00","end":"2026-03-02T18:00:00-05:00","kind":"work","rate":"20"}],
		"leave":[{"date":"2026-03-04","seconds":28800,"rate":"20","by":"paid_weeks",
			"paid":{"amount":"10000","seconds":2520000,"weeks":12}}],
		"banks":[{"from":"2026-03-01","to":"2026-03-07"}]}`)
	for _, want := range []string{`"kind":"banked","on_seconds":10800,"rate":"1.50","amount":"0.00"`,
		`"kind":"leave","on_seconds":28800,"rate":"14.2857","amount":"114.29"`, `"gross":"274.29"`} {
		if !ok || errs != "" || !strings.Contains(out, want) {
			t.Errorf("no %s in %s%s", want, out, errs)
		}
	}
}

// Salaries, sums over weeks, deductions and rules that change, as the contract has them.
func TestReckonSalariesAndLaterRules(t *testing.T) {
	stint := func(id, day, from, to string) string {
		return `{"id":"` + id + `","start":"` + day + `T` + from + `:00-05:00","end":"` + day + `T` + to +
			`:00-05:00","kind":"work","rate":"20"}`
	}
	out, errs, ok := reckon(t, `{"zone":"America/New_York","rules":{"daily_overtime_after":"8","workweek_start":"Mon 00:00"},
		"later_rules":[{"from":"2026-03-15","rules":{"daily_overtime_after":"9"}}],
		"stints":[`+stint("a", "2026-03-02", "07:00", "17:00")+","+stint("b", "2026-03-17", "07:00", "17:00")+`],
		"extras":[{"week_of":"2026-03-17","amount":"20","pay_code":"BONUS","in_regular_rate":true,
			"over":{"from":"2026-03-01","to":"2026-03-21"}}],
		"deductions":[{"date":"2026-03-17","amount":"25","pay_code":"TOOLS"}]}`)
	for _, want := range []string{`"kind":"bonus_premium","class":"overtime","on_seconds":7200,"rate":"0.5000","amount":"1.00"`,
		`"on_seconds":3600,"rate":"10.0000","amount":"10.00"`,
		`"deductions":[{"date":"2026-03-17","pay_code":"TOOLS","kind":"deduction","amount":"25.00"}]`,
		`{"start":"2026-03-15","worked":36000,"regular":32400,"overtime":3600`} {
		if !ok || errs != "" || !strings.Contains(out, want) {
			t.Errorf("no %s in %s%s", want, out, errs)
		}
	}
	salaried := func(salary string) (string, string, bool) {
		return reckon(t, `{"zone":"America/New_York","rules":{"daily_overtime_after":"8"},"stints":[`+stint("a", "2026-03-02",
			"07:00", "17:00")+`],
			"salaries":[{"from":"2026-03-01","to":"2026-03-14","amount":"52000","per":"year","pays_per":"two_weeks",
				"pay_code":"SAL",`+salary+`}]}`)
	}
	if out, errs, ok = salaried(`"by":"exempt","workdays":10,"docked":[{"date":"2026-03-04","reason":"personal"}]`); !ok ||
		!strings.Contains(out, `{"date":"2026-03-14","pay_code":"SAL","kind":"salary","amount":"1800.00"}`) || !strings.Contains(out,
		`"gross":"1800.00"`) {
		t.Errorf("exempt: %s%s", out, errs)
	}
	if out, errs, ok = salaried(`"by":"hours","hours":"40"`); !ok || !strings.Contains(out, `"regular_rate":"25.0000","gross":"25.00"`) {
		t.Errorf("for 40 hours: %s%s", out, errs)
	}
	for salary, want := range map[string]string{
		`"by":"gratis"`: `salaries[0].by: "gratis": write "exempt", "hours" or "all_hours"`,
		`"by":"hours"`:  `salaries[0].hours: missing: write the hours of a week that it's meant for, such as "40"`,
		`"by":"exempt","docked":[{"date":"2026-03-04","reason":"late"}]`: `salaries[0].docked[0].reason: "late": write one ` +
			`of discipline, ` +
			`family_leave, first_or_last_week, personal, safety, sickness`,
	} {
		if _, errs, ok := salaried(salary); ok || !strings.Contains(errs, want) {
			t.Errorf("%s: %q, want %s", salary, errs, want)
		}
	}
	if _, errs, ok := reckon(t, `{"zone":"UTC","stints":[],"later_rules":[{"from":"2026-03-17","rules":{}}]}`); ok ||
		!strings.Contains(errs,
			`later_rules[0].from: "2026-03-17": write a day on which a workweek by these rules begins, such as 2026-03-22`) {
		t.Errorf("within a week: %q", errs)
	}
}
