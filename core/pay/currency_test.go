package pay

import "testing"

// The minor units of ISO 4217, list one: https://www.six-group.com/en/products-services/financial-information/data-standards.html
func TestCurrencies(t *testing.T) {
	for text, want := range map[string]struct {
		code     string
		decimals int
	}{"USD": {"USD", 2}, "eur": {"EUR", 2}, " cad ": {"CAD", 2}, "JPY": {"JPY", 0}, "KRW": {"KRW", 0}, "ISK": {"ISK", 0},
		"HUF": {"HUF", 2}, "IQD": {"IQD", 3}, "KWD": {"KWD", 3}, "TND": {"TND", 3}, "CLF": {"CLF", 4}, "UGX": {"UGX", 0}} {
		code, err := ParseCurrency(text)
		if err != nil || code != want.code || CurrencyDecimals(code) != want.decimals {
			t.Errorf("%q is %q with %d decimals: %v", text, code, CurrencyDecimals(code), err)
		}
	}
	for _, wrong := range []string{"", "US", "US$", "ZZQ", "12A", "dollar"} {
		if code, err := ParseCurrency(wrong); err == nil {
			t.Errorf("%q is taken as %s", wrong, code)
		}
	}
}
