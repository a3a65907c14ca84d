package payroll

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// readSalaries reads what salaries are due in the weeks that the run looks at: one for each pay period
// that ends in them, or the part of one in which somebody is employed by these terms.
func (p *Payroll) readSalaries(ctx context.Context, q store.Q, scope store.PayScope) error {
	from := scope.From
	for _, w := range scope.Earlier {
		from = min(from, w.Week)
	}
	// A week's hours go by the salary of its first day, which may lie in the period before.
	who, err := store.WhoIsSalaried(ctx, q, p.Group, when.Period{From: from - 62, To: p.Period.To})
	if err != nil || len(who) == 0 {
		return err
	}
	periods, err := store.PeriodsFrom(ctx, q, p.Group, from-31)
	if err != nil {
		return err
	}
	periods = append(periods, p.whole)
	var of []uuid.UUID
	for _, w := range who {
		of = append(of, w.Employment)
	}
	docked, err := store.DockedDays(ctx, q, of, when.Period{From: from - 31, To: p.Period.To})
	if err != nil {
		return err
	}
	p.salaries = map[uuid.UUID][]pay.Salary{}
	for _, w := range who {
		terms, err := pay.ParseSalary(w.Terms)
		if err != nil {
			return fmt.Errorf("the salary of %s: %w", w.Employment, err)
		}
		for _, period := range periods {
			days := when.Period{From: max(period.From, w.From, w.Hired), To: min(period.To, w.To, w.Left)}
			if days.From > days.To {
				continue
			}
			s := pay.Salary{Days: days, Of: p.periodLength(period), Amount: terms.Amount, Per: terms.Per, By: terms.By, Hours: terms.Hours,
				Workdays: workdays(period)}
			if days != period {
				if s.Part = workdays(days); s.Part == 0 {
					continue
				}
			}
			for _, d := range docked {
				if d.Employment == w.Employment && days.From <= d.Date && d.Date <= days.To {
					s.Docked = append(s.Docked, pay.Docked{Date: d.Date, Reason: d.Reason})
				}
			}
			p.salaries[w.Employment] = append(p.salaries[w.Employment], s)
		}
	}
	return nil
}

// periodLength says how long a pay period is, as salaries name it.
func (p *Payroll) periodLength(period when.Period) pay.Per {
	switch days := period.To - period.From + 1; {
	case days <= 7:
		return "week"
	case days == 14 && p.periods.Kind != when.TwiceMonth:
		return "two_weeks"
	case days <= 16:
		return "half_month"
	}
	return "month"
}

// workdays counts the Mondays to Fridays of some days, which a day's part of a salary is taken from.
func workdays(days when.Period) (n int) {
	for d := days.From; d <= days.To; d++ {
		if day := d.Weekday(); day != time.Saturday && day != time.Sunday {
			n++
		}
	}
	return n
}

// salariedOn says whether a salary pays somebody on a day.
func (p *Payroll) salariedOn(employment uuid.UUID, d when.Date) bool {
	for _, s := range p.salaries[employment] {
		if s.Days.From <= d && d <= s.Days.To {
			return true
		}
	}
	return false
}
