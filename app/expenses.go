package app

import (
	"strings"
	"unicode/utf8"

	"manudex/core/refusal"
)

// ExpenseKind is what somebody may spend at work, with the pay code by which it is paid.
type ExpenseKind struct{ Name, Code string }

// Expenses are the kinds of expenses there are here; none, and nobody is asked for any.
func (p *Company) Expenses() []ExpenseKind {
	kinds, _ := readExpenseKinds(p.ExpenseKinds) // they were read when they were set
	return kinds
}

// ExpenseKindsValue reads kinds of expenses, such as "Fuel = FUEL, Parking = PARK".
func ExpenseKindsValue(text string) (string, error) {
	kinds, err := readExpenseKinds(text)
	var parts []string
	for _, k := range kinds {
		parts = append(parts, k.Name+" = "+k.Code)
	}
	return strings.Join(parts, ", "), err
}

func readExpenseKinds(text string) (kinds []ExpenseKind, err error) {
	for part := range strings.SplitSeq(text, ",") {
		if strings.TrimSpace(part) == "" {
			continue
		}
		name, code, found := strings.Cut(part, "=")
		k := ExpenseKind{strings.TrimSpace(name), strings.TrimSpace(code)}
		switch {
		case !found || k.Name == "" || k.Code == "":
			return kinds, refusal.New("expense_kinds", "“"+strings.TrimSpace(part)+"” has no pay code", "Write Fuel = FUEL, Parking = PARK")
		case utf8.RuneCountInString(k.Name) > 40 || len(k.Code) > 20 || strings.ContainsAny(k.Code, " \t"):
			return kinds, refusal.New("expense_kinds", "“"+strings.TrimSpace(part)+"” is too long, or its code has a space",
				"A kind has at most 40 letters, a code at most 20")
		}
		kinds = append(kinds, k)
	}
	return kinds, nil
}
