package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// PaidIn gives the place as it is for people who are paid in a currency, "" for its own. Sums that the place
// names in its own currency aren't theirs: what differentials add to an hour, and the least wage and salary.
func (p *Company) PaidIn(currency string) *Company {
	if currency == "" || currency == p.Currency {
		return p
	}
	other := *p
	other.Currency, other.CurrencyDecimals, other.Elsewhere = currency, pay.CurrencyDecimals(currency), true
	other.LeastWages, other.LeastSalary = "", ""
	other.Rules = slices.Clone(p.Rules)
	for i := range other.Rules {
		rules := &other.Rules[i].Rules
		rules.CurrencyDecimals = other.CurrencyDecimals
		rules.Differentials = slices.DeleteFunc(slices.Clone(rules.Differentials), func(d pay.Differential) bool { return d.PerHour != 0 })
	}
	return &other
}

// OfGroup gives the place as it is for a group of pay periods, "" for the company's.
func (p *Company) OfGroup(ctx context.Context, q store.Q, group string) (*Company, error) {
	if group == "" {
		return p, nil
	}
	currency, err := store.CurrencyOfGroup(ctx, q, group)
	return p.PaidIn(currency), err
}

// For gives the place as it is for somebody on a day, by the group that they are paid in.
func (p *Company) For(ctx context.Context, q store.Q, employment uuid.UUID, on when.Date) (*Company, error) {
	currency, err := store.CurrencyOf(ctx, q, employment, on)
	return p.PaidIn(currency), err
}
