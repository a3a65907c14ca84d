package payroll

import (
	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// Draft is what a run would pay: lines by employment, and what they add up
// to.
type Draft struct {
	Lines []store.PayLine
	Sums  map[uuid.UUID]*DraftSum
	Gross pay.Amount
}

func (d *Draft) add(employment uuid.UUID, owed []pay.Entry, period when.Period) {
	if len(owed) == 0 {
		return
	}
	sum := &DraftSum{}
	d.Sums[employment] = sum
	for _, e := range owed {
		switch {
		case e.Kind == pay.LeavePay:
			sum.Leave += e.Seconds
		case e.Kind == pay.Straight && e.Class == pay.Regular:
			sum.Regular += e.Seconds
		case e.Kind == pay.Straight && e.Class == pay.Overtime:
			sum.Overtime += e.Seconds
		case e.Kind == pay.Straight:
			sum.Double += e.Seconds
		}
		sum.Earlier = sum.Earlier || e.Date < period.From
		if e.Kind != pay.FringePlan { // that is not paid to the person
			sum.Gross += e.Amount
			d.Gross += e.Amount
		}
		d.Lines = append(d.Lines, store.PayLine{Position: len(d.Lines) + 1, Employment: employment, Entry: e})
	}
}

// bookTo puts the account of each person on their lines.
func (d *Draft) bookTo(payees []store.Payee) {
	accounts := map[uuid.UUID]string{}
	for _, p := range payees {
		accounts[p.Employment] = p.Account
	}
	for i := range d.Lines {
		d.Lines[i].Account = accounts[d.Lines[i].Employment]
	}
}

// DraftSum is one employment's share of a run, in seconds and minor units.
type DraftSum struct {
	Regular, Overtime, Double, Leave int64
	Gross                            pay.Amount
	Earlier                          bool // something in it belongs to earlier periods
}
