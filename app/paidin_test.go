package app_test

import (
	"testing"

	"manudex/app"
	"manudex/core/pay"
	"manudex/store"
)

// What a place names in its own currency isn't for people who are paid in another; the place itself stays as it is.
func TestPaidIn(t *testing.T) {
	place := &app.Company{Company: store.Company{Currency: "USD", CurrencyDecimals: 2, LeastWages: "15.00", LeastSalary: "684"},
		Rules: []store.RuleSet{{Rules: pay.Rules{CurrencyDecimals: 2, Differentials: []pay.Differential{{Name: "crane", PerHour: 2_000_000},
			{Name: "night", Percent: 1000}}}}}}
	for _, own := range []string{"", "USD"} {
		if place.PaidIn(own) != place {
			t.Errorf("in %q it is another", own)
		}
	}
	yen := place.PaidIn("JPY")
	rules := yen.Rules[0].Rules
	if !yen.Elsewhere || yen.Currency != "JPY" || yen.CurrencyDecimals != 0 || yen.LeastWages != "" || yen.LeastSalary != "" ||
		rules.CurrencyDecimals != 0 || len(rules.Differentials) != 1 || rules.Differentials[0].Name != "night" {
		t.Errorf("in yen: %+v", yen)
	}
	if place.Elsewhere || place.Rules[0].Rules.CurrencyDecimals != 2 || len(place.Rules[0].Rules.Differentials) != 2 ||
		place.LeastWages == "" {
		t.Errorf("the place is changed by it: %+v", place)
	}
}
