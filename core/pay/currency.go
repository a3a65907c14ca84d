package pay

import (
	"fmt"
	"slices"
	"strings"

	"golang.org/x/text/currency"
)

// Minor units of currencies that have other than two decimals (ISO 4217, list one). Unicode's own list leaves
// out decimals that nobody has coins for, which payroll and banks still write.
var (
	noDecimals = []string{"BIF", "CLP", "DJF", "GNF", "ISK", "JPY", "KMF", "KRW", "PYG", "RWF", "UGX", "UYI", "VND", "VUV", "XAF", "XOF",
		"XPF"}
	threeDecimals = []string{"BHD", "IQD", "JOD", "KWD", "LYD", "OMR", "TND"}
	fourDecimals  = []string{"CLF"}
)

// CurrencyDecimals gives how many decimals sums in a currency have, by its three letters (ISO 4217).
func CurrencyDecimals(code string) int {
	switch {
	case slices.Contains(noDecimals, code):
		return 0
	case slices.Contains(threeDecimals, code):
		return 3
	case slices.Contains(fourDecimals, code):
		return 4
	}
	return 2
}

// ParseCurrency reads the three letters of a currency, however they are written; an error says what to write.
func ParseCurrency(text string) (code string, err error) {
	unit, err := currency.ParseISO(strings.TrimSpace(text))
	if err != nil {
		return "", fmt.Errorf("write the three letters of a currency by ISO 4217, such as USD")
	}
	return unit.String(), nil
}
