package web

import (
	"encoding/json"
	"net/url"
	"reflect"
	"strings"
	"testing"
	"time"

	"manudex/core/pay"
)

// formOf gives what a browser would send of the form as it is filled.
func formOf(groups []ruleGroup, more string) url.Values {
	form := url.Values{"more_differentials": {more}}
	for _, g := range groups {
		for _, in := range g.Inputs {
			form.Set(in.Name, in.Value)
		}
	}
	return form
}

// What the form shows of a rule set comes back from it as the same rules: for
// every ready-made set, and for one with every rule in it.
func TestRuleFormRoundTrip(t *testing.T) {
	sets := map[string]json.RawMessage{"every rule": json.RawMessage(`{"workweek_start":"Mon 06:00","workday_start":"06:00",
		"split_at_boundary":false,"new_attendance_after":"2.5",
		"weekly_overtime_after":"40","weekly_double_after":"60","daily_overtime_after":"8","daily_double_after":"12",
		"consecutive_overtime_after":"12","seventh_day":{"overtime_hours":"8"},
		"combine":"greater_of","overtime_rate":"rate_in_effect","overtime_multiplier":"1.25","double_multiplier":"2.5",
		"flat_sum_over":"regular_hours","paid_rest_up_to_minutes":15,
		"unpaid_meal_from_minutes":25,"rounding":{"minutes":6,"apply":"day"},"automatic_meal":{"after_hours":"5.5","minutes":45},
		"minimum_callout_hours":"3","show_up":{"part":"0.5","least_hours":"2","most_hours":"4"},
		"short_notice":{"days":14,"changed_hours":"1","lost_part":"0.25","over_minutes":30},
		"differentials":[{"name":"night","from":"20:00","to":"04:00","percent":"7.25"},{"name":"late","from":"14:00","to":"22:00",
		"per_hour":"1"}],
		"meal_premium":{"first_before_hours":"5","second_before_hours":"10","minutes":20,"first_waived_up_to_hours":"6",
		"second_waived_up_to_hours":"12"}}`)}
	for _, set := range pay.ReadySets() {
		sets[set.ID] = set.Versions[0].Rules
	}
	for name, raw := range sets {
		again, err := rulesJSON(formOf(filled(raw)))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		want, wrong1 := pay.ParseRules(raw, time.UTC)
		got, wrong2 := pay.ParseRules(again, time.UTC)
		if len(wrong1)+len(wrong2) > 0 || !reflect.DeepEqual(got, want) {
			t.Errorf("%s comes back as %s: %v %v\n got %+v\nwant %+v", name, again, wrong1, wrong2, got, want)
		}
	}
}

// What somebody types wrongly reaches the rules' own check, which says what
// would be right.
func TestRuleFormPassesOnWhatIsWrong(t *testing.T) {
	for typed, field := range map[string]string{"paid_rest_up_to_minutes": "rules.paid_rest_up_to_minutes",
		"overtime_period.days": "rules.overtime_period.days", "rounding.minutes": "rules.rounding.minutes",
		"weekly_overtime_after": "rules.weekly_overtime_after"} {
		raw, err := rulesJSON(url.Values{typed: {"a few"}})
		if err != nil {
			t.Fatal(err)
		}
		_, wrong := pay.ParseRules(raw, time.UTC)
		if len(wrong) == 0 || wrong[0].Field != field || wrong[0].Right == "" {
			t.Errorf("%s typed wrongly: %v", typed, wrong)
		}
	}
	if _, err := rulesJSON(url.Values{"differentials.name": {"n"}, "more_differentials": {"{"}}); err == nil {
		t.Error("differentials that were tampered with are taken")
	}
}

// Every parameter of the contract is on the form, but holidays, which Setup
// keeps.
func TestRuleFormIsWhole(t *testing.T) {
	onForm := map[string]bool{"holidays": true} // on Setup
	for _, g := range ruleForm() {
		for _, in := range g.Inputs {
			name, _, _ := strings.Cut(in.Name, ".")
			onForm[name] = true
		}
	}
	for _, name := range pay.RuleNames() {
		if !onForm[name] {
			t.Errorf("%s can't be set on the form", name)
		}
	}
}
