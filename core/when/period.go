package when

import "fmt"

// Period is a run of civil dates, both ends included.
type Period struct{ From, To Date }

// Holds says whether the date lies in the period.
func (p Period) Holds(d Date) bool { return p.From <= d && d <= p.To }

// Days gives the number of dates in the period.
func (p Period) Days() int { return int(p.To-p.From) + 1 }

// Dates lists them in order.
func (p Period) Dates() []Date {
	dates := make([]Date, 0, p.Days())
	for d := p.From; d <= p.To; d++ {
		dates = append(dates, d)
	}
	return dates
}

// PeriodKind is how often a place pays.
type PeriodKind string

// The kinds of pay period.
const (
	Weekly     PeriodKind = "weekly"
	Fortnight  PeriodKind = "fortnight"
	TwiceMonth PeriodKind = "twice_a_month" // 1st to 15th, 16th to the last
	Monthly    PeriodKind = "monthly"
)

// PayPeriods is a place's endless row of pay periods. Anchor is any date on
// which a weekly or two-week period begins; the other kinds don't use it.
type PayPeriods struct {
	Kind   PeriodKind
	Anchor Date
}

// Of gives the pay period that holds a date.
func (p PayPeriods) Of(d Date) (Period, error) {
	switch p.Kind {
	case Weekly, Fortnight:
		n := Date(7)
		if p.Kind == Fortnight {
			n = 14
		}
		from := d - ((d-p.Anchor)%n+n)%n
		return Period{from, from + n - 1}, nil
	case TwiceMonth:
		y, m, day := d.parts()
		if day <= 15 {
			return Period{NewDate(y, m, 1), NewDate(y, m, 15)}, nil
		}
		return Period{NewDate(y, m, 16), NewDate(y, m+1, 0)}, nil
	case Monthly:
		y, m, _ := d.parts()
		return Period{NewDate(y, m, 1), NewDate(y, m+1, 0)}, nil
	}
	return Period{}, fmt.Errorf("pay period kind %q is unknown; use %s, %s, %s or %s", p.Kind, Weekly, Fortnight, TwiceMonth, Monthly)
}
