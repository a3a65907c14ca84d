package files

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
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
  "stints": [{ "id": "s1", "start": "2026-03-02T07:00:00-05:00", "end": "2026-03-02T15:30:00-05:00", "kind": "work", "rate": "22.00", "pay_code": "REG", "job": "2231",
               "task": "", "classification": "", "premium_per_hour": "0", "fringe_cash": "0", "fringe_plan": "0", "paid": null, "callout": false }],
  "leave":  [{ "date": "2026-03-04", "seconds": 28800, "rate": "22.00", "pay_code": "PTO" }],
  "extras": [{ "week_of": "2026-03-02", "amount": "46.00", "pay_code": "BONUS", "in_regular_rate": true, "flat_sum": false }] }`

const answer = `{"lines":[{"date":"2026-03-02","stint":"s1","job":"2231","pay_code":"REG","kind":"straight","class":"regular","seconds":30600,"rate":"22.00","amount":"187.00"},` +
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
		{"not JSON", "{", "input: object 1 is not JSON: unexpected EOF"},
		{"not an object", "[]", "input: []: write an object"},
		{"nothing required", "{}", "zone: missing: this field is required\nstints: missing: this field is required"},
		{"unknown zone", `{"zone":"Mars/Olympus","stints":[]}`, `zone: "Mars/Olympus": write an IANA zone such as "America/New_York"`},
		{"unknown field", `{"zone":"UTC","stints":[],"bonus":1}`, "bonus: 1: this field is unknown; take it out"},
		{"unknown rule", rules(`"weekend":true`), "rules.weekend: true: this rule is unknown; take it out"},
		{"rules not in force", rules(`"daily_overtime_after":null,"combine":"no_pyramiding","differentials":[],"split_at_boundary":true`), ""},
		{"a rule within a rule", rules(`"differentials":[{"name":"night","from":"20:00"}]`), "rules.differentials[0].to: missing: this field is required"},
		{"rules that contradict", rules(`"daily_overtime_after":"8","daily_double_after":"6"`), `rules.daily_double_after: contradicts another rule: double time can't begin before daily_overtime_after; raise it or take it out`},
		{"threshold as a number", rules(`"weekly_overtime_after":40`), `rules.weekly_overtime_after: 40: write hours such as "8", at most 168, in whole seconds, or null`},
		{"multiplier", rules(`"overtime_multiplier":"0.5"`), `rules.overtime_multiplier: "0.5": write a multiplier such as "1.5", 1 to 10, with at most four decimals`},
		{"two at once", rules(`"workday_start":"9","workweek_start":null`), "rules.workday_start: \"9\": write a local time such as \"00:00\"\nrules.workweek_start: null: write a weekday and a local time such as \"Sun 00:00\""},
		{"kind", with(`"work"`, `"nap"`), `stints[0].kind: "nap": write "work", "meal" or "rest"`},
		{"rate as a number", with(`"22"`, `22`), `stints[0].rate: 22: write a decimal in quotes such as "22.00", with at most six decimals and at most a million`},
		{"rate below zero", with(`"22"`, `"-22"`), `stints[0].rate: "-22": a rate is not below zero`},
		{"no offset", with(`15:00:00-05:00`, `15:00:00`), "stints[0].end: \"2026-03-02T15:00:00\": write an instant with offset and whole seconds such as 2026-03-02T07:00:00-05:00"},
		{"end before start", with(`03-02T15`, `03-01T15`), `stints[0].end: "2026-03-01T15:00:00-05:00": write an instant after start`},
		{"too long", with(`"2026-03-02T15`, `"2062-03-02T15`), `stints[0].end: "2062-03-02T15:00:00-05:00": write an instant at most 31 days after start`},
		{"fringe below zero", with(`"rate":"22"`, `"rate":"22","fringe_cash":"-4.10"`), `stints[0].fringe_cash: "-4.10": a rate is not below zero`},
		{"call-out", with(`"rate":"22"`, `"rate":"22","callout":"yes"`), `stints[0].callout: "yes": write true or false`},
		{"paid", with(`"rate":"22"`, `"rate":"22","paid":"double"`), `stints[0].paid: "double": write "as_work", "not_as_work" or null`},
		{"leave", `{"zone":"UTC","stints":[],"leave":[{"date":"2026-13-01","seconds":-1,"rate":"1"}]}`, "leave[0].date: \"2026-13-01\": write a date as YYYY-MM-DD\nleave[0].seconds: -1: write whole seconds, 0 to 86400"},
		{"overlap", `{"zone":"America/New_York","stints":[` + stint + `,` + strings.Replace(stint, `"a"`, `"b"`, 1) + `]}`,
			"stints: stint b starts at 2026-03-02T07:00:00-05:00, before stint a ends at 2026-03-02T15:00:00-05:00: stints must end after they start and not overlap"},
	} {
		_, errs, ok := reckon(t, c.in)
		if strings.TrimSuffix(errs, "\n") != c.want || ok != (c.want == "") {
			t.Errorf("%s: ok %v\n got %s\nwant %s", c.name, ok, errs, c.want)
		}
	}
}

func FuzzReckon(f *testing.F) {
	f.Add(example)
	f.Add(`{"zone":"UTC","stints":[{"id":"a","start":"2026-03-07T22:00:00Z","end":"2026-03-08T09:00:00Z","kind":"rest","rate":"0.5","paid":"not_as_work"}]}`)
	// A day that a country skipped: the days of a stint across it once never ended.
	f.Add(`{"zone":"Pacific/Apia","stints":[{"id":"a","start":"2011-12-29T12:00:00-10:00","end":"2011-12-31T12:00:00+14:00","kind":"work","rate":"1"}]}`)
	f.Fuzz(func(t *testing.T, in string) {
		out, errs, ok := reckon(t, in)
		if ok != (errs == "") {
			t.Fatalf("ok %v with errors %q", ok, errs)
		}
		if again, _, _ := reckon(t, in); again != out {
			t.Fatal("two answers to one question")
		}
	})
}
