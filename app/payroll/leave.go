package payroll

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// Leave is paid at the rate that its kind names: that of its day, the regular rate of its week, or
// the average of so many weeks that were paid before the pay period it lies in. Those of the
// period itself aren't paid yet while its draft is looked at, and would be afterwards: the same
// leave would come to something else.

// lookedBack is for how many weeks back paid weeks are looked for (Employment Rights Act 1996,
// section 224).
const lookedBack = 104

// readLeaveRates reads the paid weeks of those whose leave is paid at an average.
func (p *Payroll) readLeaveRates(ctx context.Context, q store.Q) error {
	var of []uuid.UUID
	first := p.Period.From
	for _, l := range p.Leaves {
		if l.RateBy == string(pay.AtPaidWeeks) {
			of, first = append(of, l.Employment), min(first, l.Date)
		}
	}
	if len(of) == 0 {
		return nil
	}
	weeks, err := store.PaidWeeks(ctx, q, of, when.Period{From: first - 7*(lookedBack+8), To: p.Period.From})
	if err != nil {
		return err
	}
	p.weeks = map[uuid.UUID][]store.PaidWeek{}
	for _, w := range weeks {
		p.weeks[w.Employment] = append(p.weeks[w.Employment], w)
	}
	return nil
}

// leave is somebody's leave as core wants it.
func (p *Payroll) leave(employment uuid.UUID, l store.PayLeave) (pay.Leave, error) {
	leave := pay.Leave{Date: l.Date, Seconds: l.Seconds, Rate: p.Rates.Of(employment, l.Date, "", ""), PayCode: l.PayCode,
		By: pay.LeaveRate(l.RateBy)}
	if p.salariedOn(employment, l.Date) { // which goes on
		leave.Rate, leave.By = 0, pay.AtDayRate
	}
	if leave.By != pay.AtPaidWeeks {
		return leave, nil
	}
	period, err := p.periods.Of(l.Date)
	if err != nil {
		return leave, fmt.Errorf("the pay period of leave on %s: %w", l.Date, err)
	}
	var sum decimal.Decimal
	for _, w := range p.weeks[employment] {
		last := w.Week + p.rulesOn(w.Week).WeekDays() - 1
		if last >= period.From || w.Week < period.From-7*lookedBack || leave.PaidWeeks == l.RateWeeks {
			continue
		}
		leave.PaidWeeks++
		leave.PaidSeconds += w.Seconds
		sum = sum.Add(w.Amount)
	}
	leave.Paid = pay.Amount(sum.Shift(int32(p.rulesOn(l.Date).CurrencyDecimals)).IntPart())
	return leave, nil
}

// readBanks reads whose overtime is banked, where a rule set lets it.
func (p *Payroll) readBanks(ctx context.Context, q store.Q) error {
	lets := false
	for _, set := range p.Rules {
		lets = lets || set.Rules.Bank != pay.Bank{}
	}
	if !lets {
		return nil
	}
	all, err := store.WhoBanks(ctx, q)
	p.banks = map[uuid.UUID][]when.Period{}
	for _, b := range all {
		p.banks[b.Employment] = append(p.banks[b.Employment], when.Period{From: b.From, To: b.To})
	}
	return err
}
