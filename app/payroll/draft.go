package payroll

import (
	"cmp"
	"slices"

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

// Sums of somebody's pay beside the hours, in the order in which they are shown.
const (
	Holiday      = iota // what holidays add to hours worked on them
	Differential        // too
	Extra               // bonuses, allowances
	Expense             // what they spent
	Fringe              // in cash and into plans
	besides
)

// besideNames are what they are called.
var besideNames = [besides]string{"Holiday", "Differentials", "Extras", "Expenses", "Fringe"}

// besideOf says to which of them an entry belongs; false for none.
func besideOf(e pay.Entry, spent bool) (int, bool) {
	switch e.Kind {
	case pay.HolidayPremium:
		return Holiday, true
	case pay.DifferentialPay:
		return Differential, true
	case pay.ExtraPay:
		if spent {
			return Expense, true
		}
		return Extra, true
	case pay.Fringe, pay.FringePlan:
		return Fringe, true
	}
	return 0, false
}

func (d *Draft) add(employment uuid.UUID, owed []pay.Entry, period when.Period, spent func(pay.Entry) bool) {
	if len(owed) == 0 {
		return
	}
	sum := &DraftSum{}
	d.Sums[employment] = sum
	for _, e := range owed {
		switch {
		case e.Kind == pay.LeavePay:
			sum.Leave += e.Seconds
		case e.Kind == pay.Banked:
			sum.Banked, sum.Credited = sum.Banked+e.Seconds, sum.Credited+e.Credited()
		case e.Kind == pay.Straight && e.Class == pay.Regular:
			sum.Regular += e.Seconds
		case e.Kind == pay.Straight && e.Class == pay.Overtime:
			sum.Overtime += e.Seconds
		case e.Kind == pay.Straight:
			sum.Double += e.Seconds
		}
		if i, is := besideOf(e, spent(e)); is {
			sum.Beside[i] += e.Amount
		}
		if e.Kind == pay.Deducted {
			sum.Deducted += e.Amount
		}
		if !slices.Contains(sum.Codes, e.PayCode) {
			sum.Codes = append(sum.Codes, e.PayCode)
		}
		sum.Earlier = sum.Earlier || e.Date < period.From
		if e.Key.Gross() {
			sum.Gross += e.Amount
			d.Gross += e.Amount
		}
		d.Lines = append(d.Lines, store.PayLine{Position: len(d.Lines) + 1, Employment: employment, Entry: e})
	}
}

// bookTo puts an account on each line: that which somebody said for the hours, else that of
// the job, of the person, or, where the place has it so, of their crew. Of whom none is
// wanted there is none.
func (d *Draft) bookTo(payees []store.Payee, ofJobs map[string]string, crews bool) {
	of := map[uuid.UUID]store.Payee{}
	for _, p := range payees {
		of[p.Employment] = p
	}
	for i := range d.Lines {
		l, p := &d.Lines[i], of[d.Lines[i].Employment]
		if p.Coding == "absent" {
			continue
		}
		l.Account = cmp.Or(l.Entry.Account, ofJobs[l.Job], p.Account)
		if l.Account == "" && crews {
			l.Account = p.OfCrew
		}
	}
}

// lacking lists whose lines have no account where one is required.
func (d *Draft) lacking(payees []store.Payee) (names []string) {
	without := map[uuid.UUID]bool{}
	for _, l := range d.Lines {
		without[l.Employment] = without[l.Employment] || l.Account == ""
	}
	for _, p := range payees {
		if p.Coding == "required" && without[p.Employment] {
			names = append(names, p.Name())
		}
	}
	return names
}

// DraftSum is one employment's share of a run, in seconds and minor units.
type DraftSum struct {
	Regular, Overtime, Double, Leave int64
	Banked, Credited                 int64 // overtime banked, and what it comes to as time off
	Gross, Deducted                  pay.Amount
	Beside                           [besides]pay.Amount
	Codes                            []string
	Earlier                          bool // something in it belongs to earlier periods
}
