package files

import (
	"bytes"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"manudex/core/leave"
)

func accrue(t *testing.T, in string) (out, errs string, ok bool) {
	t.Helper()
	var o, e bytes.Buffer
	ok, err := Accrue(strings.NewReader(in), &o, &e)
	if err != nil {
		t.Fatal(err)
	}
	return o.String(), e.String(), ok
}

// The example of docs/leave.md gives what it says.
func TestAccrueExample(t *testing.T) {
	text, err := os.ReadFile("../docs/leave.md")
	if err != nil {
		t.Fatal(err)
	}
	blocks := strings.Split(string(text), "```json\n")
	if len(blocks) != 3 {
		t.Fatalf("%d blocks", len(blocks))
	}
	question, _, _ := strings.Cut(blocks[1], "```")
	answer, _, _ := strings.Cut(blocks[2], "```")
	out, errs, ok := accrue(t, question)
	var got, want any
	if !ok || json.Unmarshal([]byte(out), &got) != nil || json.Unmarshal([]byte(answer), &want) != nil {
		t.Fatalf("%v %s %s", ok, errs, out)
	}
	a, _ := json.Marshal(got)
	b, _ := json.Marshal(want)
	if !bytes.Equal(a, b) {
		t.Errorf("\n got %s\nwant %s", a, b)
	}
}

// Every parameter at once, in an answer of every kind of line.
func TestAccrueEverything(t *testing.T) {
	out, errs, ok := accrue(t, `{"unit":"days","hired":"2020-05-04","from":"2024-01-31","opening":"30","policy":{
		"earn":{"every":"half_month","amount":"1.25","day":31,"last_of_year":"2.5","start":null,"per":null,"percent":null},
		"round":{"to":"0.5","how":"nearest"},"waiting_until":"2024-02-10","cap":"31","earn_limit":"25","use_limit":"20",
		"steps":[{"after_months":60,"amount":"2"},{"after_months":12,"amount":"1.5"}],"reset":{"on":"02-29","carry_over":"10.5"},
		"expires_after_months":6,"floor":"-2"},
		"events":[{"date":"2024-02-05","kind":"take","amount":"1"},{"date":"2024-02-06","kind":"give","amount":"1"},
		{"date":"2024-02-07","kind":"receive","amount":"1"},{"date":"2024-02-08","kind":"adjust","amount":"-0.5"},
		{"date":"2024-02-09","kind":"grant","amount":"2","lot":"B","last_day":"2024-03-15"},
		{"date":"2024-02-09","kind":"worked","amount":"8"},{"date":"2024-02-09","kind":"overtime","amount":"2"}],
		"as_of":["2024-02-09","2024-12-31"],"request":{"date":"2024-03-01","amount":"3"},"horizon":"2025-01-31"}`)
	if !ok {
		t.Fatal(errs)
	}
	for _, want := range []string{`"opening"`, `"earn"`, `"lost_to_cap"`, `"take"`, `"grant"`, `"adjust"`, `"give"`, `"receive"`,
		`"lost_at_reset"`, `"expire"`, `"as_of":"2024-02-09","balance":"30.50","usable":"0.00"`, `"lot":"B"`, `"last_day":"2024-03-15"`,
		`"request":{"accepted":`} {
		if !strings.Contains(out, want) {
			t.Errorf("no %s in %s", want, out)
		}
	}
}

// Every ready-made policy reads without error.
func TestReadyPolicies(t *testing.T) {
	for _, r := range leave.Ready() {
		p, wrong := ParseLeavePolicy(r.Policy)
		if len(wrong) > 0 || p.Earn.Every == leave.Never || r.Name == "" {
			t.Errorf("%s: %v", r.Name, wrong)
		}
	}
}

// What is wrong is told with its field, its value and what would be right; the rest goes on.
func TestAccrueErrors(t *testing.T) {
	with := func(policy, more string) string {
		return `{"unit":"hours","from":"2024-01-01","policy":{` + policy + `}` + more + `}`
	}
	month := `"earn":{"every":"month","amount":"8"}`
	for _, row := range []struct{ name, in, want string }{
		{"nothing", ``, "input: empty: write a JSON object with unit, policy and from"},
		{"no fields", `{}`, "unit: missing: this field is required\npolicy: missing: this field is required\n" +
			"from: missing: this field is required"},
		{"fine", with(month, ""), ""},
		{"unit", `{"unit":"weeks","from":"2024-01-01","policy":{}}`, `unit: "weeks": write "hours" or "days"`},
		{"unknown", with(`"accrue":1`, ""), "policy.accrue: 1: this field is unknown; take it out"},
		{"every", with(`"earn":{"every":"fortnight","amount":"1"}`, ""), `policy.earn.every: "fortnight": write one of week, two_weeks, ` +
			"half_month, month, year, hours_worked, overtime_hours, start_of_month"},
		{"an amount as a number", with(`"earn":{"every":"month","amount":8}`, ""),
			`policy.earn.amount: 8: write a decimal in quotes such as "8.00", with at most six decimals and at most a million`},
		{"paid out", with(month+`,"paid_out":"perhaps"`, ""), `policy.paid_out: "perhaps": write true or false`},
		{"ends before", with(month, `,"ends":"2023-12-31"`), `ends: "2023-12-31": write a date on or after from`},
		{"no amount", with(`"earn":{"every":"month"}`, ""), "policy.earn.amount: missing: this field is required"},
		{"no start", with(`"earn":{"every":"two_weeks","amount":"4"}`, ""),
			"policy.earn.start: missing: give a date on which a period ends"},
		{"per and percent", with(`"earn":{"every":"hours_worked","amount":"1","per":"30","percent":"12.07"}`, ""),
			`policy.earn.per: {"every":"hours_worked","amount":"1","per":"30","percent"…: give either per, the hours for one ` +
				`amount, or percent`},
		{"per of a month", with(`"earn":{"every":"month","amount":"1","per":"30"}`, ""),
			`policy.earn.per: {"every":"month","amount":"1","per":"30"}: only what is earned by hours has per or percent`},
		{"day", with(`"earn":{"every":"month","amount":"1","day":32}`, ""), "policy.earn.day: 32: write a whole number from 1 to 31"},
		{"cap below zero", with(month+`,"cap":"-1"`, ""), `policy.cap: "-1": write an amount that is not below zero`},
		{"round", with(month+`,"round":{"to":"0","how":"down"}`, ""),
			`policy.round.to: "0": write an amount above zero` + "\n" + `policy.round.how: "down": write "up" or "nearest"`},
		{"reset", with(month+`,"reset":{"on":"13-01","carry_over":"some"}`, ""),
			`policy.reset.on: "13-01": write a month and day such as 01-01` + "\n" +
				`policy.reset.carry_over: "some": write a decimal in quotes such as "8.00", with at most six decimals and at most ` +
				`a million`},
		{"events", with(month,
			`,"events":[{"date":"2023-12-31","kind":"holiday","amount":"-1"},{"date":"2024-02-30","kind":"take","amount":"1"},
			{"date":"2024-02-01","kind":"take","amount":"1","lot":"B"},
			{"date":"2024-02-01","kind":"grant","amount":"1","last_day":"2024-01-31"}]`),
			`events[0].date: "2023-12-31": write a date on or after from` + "\n" +
				`events[0].kind: "holiday": write one of take, grant, adjust, give, receive, worked, overtime` + "\n" +
				`events[0].amount: "-1": write an amount above zero; only adjust may be below` + "\n" +
				`events[1].date: "2024-02-30": write a date as YYYY-MM-DD` + "\n" +
				`events[2].lot: {"date":"2024-02-01","kind":"take","amount":"1","lot":"B"}: only grant and receive make a lot` + "\n" +
				`events[3].last_day: "2024-01-31": write a day on or after date`},
		{"as of before", with(month, `,"as_of":["2023-12-31","2200-01-01"]`),
			`as_of[0]: "2023-12-31": write a date on or after from` + "\n" +
				`as_of[1]: "2200-01-01": write a date at most a hundred years after from`},
		{"request", with(month, `,"request":{"date":"2024-02-01","amount":"0"}`), `request.amount: "0": write an amount above zero`},
	} {
		_, errs, ok := accrue(t, row.in)
		if strings.TrimSuffix(errs, "\n") != row.want || ok != (row.want == "") {
			t.Errorf("%s: ok %v\n got %s\nwant %s", row.name, ok, errs, row.want)
		}
	}
	out, errs, ok := accrue(t, with(month, "")+"\n{\n"+with(month, "")+"\n"+with(month, ""))
	if ok || strings.Count(out, "\n") != 3 || !strings.Contains(errs, "object 2: ") {
		t.Errorf("one wrong among others: %v, %q, %q", ok, out, errs)
	}
}

func FuzzAccrue(f *testing.F) {
	f.Add(`{"unit":"hours","from":"2024-01-01","policy":{"earn":{"every":"week","amount":"1","start":"2024-01-06"}},
		"as_of":["2024-03-01"]}`)
	f.Add(`{"unit":"days","from":"2024-02-29","policy":{"earn":{"every":"year","amount":"20"},"reset":{"on":"02-29","carry_over":"none"}},
		"request":{"date":"2026-01-01","amount":"1"},"horizon":"2027-01-01"}`)
	f.Fuzz(func(t *testing.T, in string) {
		if len(in) > 4096 {
			return
		}
		var o, e bytes.Buffer
		ok, err := Accrue(strings.NewReader(in), &o, &e)
		if err == nil && ok != (e.Len() == 0) {
			t.Errorf("%q: ok %v, and it says %q", in, ok, e.String())
		}
	})
}
