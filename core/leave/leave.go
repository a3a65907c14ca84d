// Package leave works out leave: what is earned, capped, limited, carried over, taken and
// lost, from an opening balance on, day by day, past and to come.
//
// A balance is the sum of a ledger. Within a day what has expired goes first, then the
// yearly reset, then what is earned and granted, then what is taken. What is taken comes out
// of the oldest lot; what is taken beyond all lots is a debt, which what is earned next pays.
package leave

import (
	"fmt"
	"slices"
	"time"

	"manudex/core/when"
)

// Every says for what an amount is earned.
type Every string

// What it can be earned for.
const (
	Never        Every = ""
	Week         Every = "week"
	TwoWeeks     Every = "two_weeks"
	HalfMonth    Every = "half_month"
	Month        Every = "month"
	StartOfMonth Every = "start_of_month"
	Year         Every = "year"
	HoursWorked  Every = "hours_worked"
	Overtime     Every = "overtime_hours"
)

// Periods are those that come by the calendar; the others are earned by hours.
var Periods = []Every{Week, TwoWeeks, HalfMonth, Month, StartOfMonth, Year}

// Earn is how leave is earned.
type Earn struct {
	Every      Every
	Amount     Amount
	Day        int       // of the month on which it is earned, 31 for its last
	Start      when.Date // a date on which a week or two weeks end; of years the first day of one
	Per        Amount    // hours for one Amount
	Percent    Amount    // of hours, in the place of Amount and Per; 0 for none
	LastOfYear *Amount   // in the last full period of a leave year, nil as in the others
}

// Round is how what is earned is rounded: the sum of the leave year, or by percent each time.
type Round struct {
	To Amount // 0 for none
	Up bool   // else to the nearest
}

// Step is an amount that takes the place of the policy's after so many months of service.
type Step struct {
	AfterMonths int
	Amount      Amount
}

// Reset is what of a balance is carried over at the begin of each leave year.
type Reset struct {
	Month time.Month
	Day   int
	All   bool
	Carry Amount // where not all is
}

// Policy is how leave of a kind is earned and kept. Nil limits aren't in force.
type Policy struct {
	Earn         Earn
	Round        Round
	WaitingUntil when.Date // before which nothing can be taken, 0 for none
	Cap          *Amount   // what would pass it isn't earned
	EarnLimit    *Amount   // most that is earned in a leave year
	UseLimit     *Amount   // most that is taken in one
	Steps        []Step    // by months, the fewest first
	Reset        *Reset
	ExpiresAfter int    // months after which a lot expires, 0 for never
	Floor        Amount // lowest balance that taking may reach
	PaidOut      bool   // what is left when somebody leaves is owed to them
}

// Kind is what an event, or a line of the ledger, is.
type Kind string

// The kinds.
const (
	Opening     Kind = "opening"
	Earned      Kind = "earn"
	LostToCap   Kind = "lost_to_cap"
	Taken       Kind = "take"
	Granted     Kind = "grant"
	Adjusted    Kind = "adjust"
	Given       Kind = "give"
	Received    Kind = "receive"
	LostAtReset Kind = "lost_at_reset"
	Expired     Kind = "expire"
	PaidOut     Kind = "paid_out" // owed to somebody who leaves

	Worked         Kind = "worked"   // of events alone: hours by which leave is earned,
	WorkedOvertime Kind = "overtime" // or overtime hours
)

// Event is what happens beside what the policy itself does. Amounts are positive but those of
// adjustments.
type Event struct {
	Date    when.Date
	Kind    Kind
	Amount  Amount
	Lot     string    // what a grant is called, "" for its date
	LastDay when.Date // of a grant, 0 for what the policy says
}

// Input is what an account is worked out from.
type Input struct {
	Policy  Policy
	Hired   when.Date // from which service counts, 0 where it isn't known
	From    when.Date // at whose end the opening balance holds
	Opening Amount
	Events  []Event   // in any order
	Ends    when.Date // the last day of employment, 0 for none: nothing happens after it
}

// Line is a line of the ledger: Amount is signed, Balance what it comes to with it.
type Line struct {
	Date    when.Date
	Kind    Kind
	Amount  Amount
	Balance Amount
}

// Lot is what was earned or granted at once.
type Lot struct {
	Name    string
	Earned  when.Date
	Amount  Amount
	Left    Amount
	LastDay when.Date // 0 for none
}

// State is an account at the end of a day.
type State struct {
	Date    when.Date
	Balance Amount
	Usable  Amount // of it that can be taken that day
	Lots    []Lot  // those with something left
}

// Account is an account as it is worked out.
type Account struct {
	Ledger  []Line
	States  []State // those that were asked for
	Limited []Line  // what the limit of the leave year kept from being earned: no part of the balance
}

// Work works an account out until a date, and says how it stands at the end of some.
func Work(in Input, until when.Date, asOf ...when.Date) Account {
	w := newWorking(in, until)
	asked := slices.Clone(asOf)
	slices.Sort(asked)
	for _, d := range asked {
		w.to(d)
		w.account.States = append(w.account.States, w.state(d))
	}
	w.to(until)
	return w.account
}

// working is an account on its way.
type working struct {
	in      Input
	account Account
	lots    []Lot // with something left, the oldest first
	debt    Amount
	earns   []when.Date // dates of the calendar on which something is earned
	events  []Event
	next    when.Date // the first day that isn't worked out
	year    when.Date // the first day of the leave year that it stands in

	earned Amount // in that year
	summed Amount // in that year, before it is rounded
	used   Amount
	hours  Amount // by which leave was earned, of all years
	byHour Amount // what was earned by them, unrounded
}

func newWorking(in Input, until when.Date) *working {
	w := &working{in: in, next: in.From + 1, events: slices.Clone(in.Events)}
	slices.SortStableFunc(w.events, func(a, b Event) int { return int(a.Date - b.Date) })
	w.year = in.Policy.YearOf(in.From)
	w.earns = in.Policy.Earn.dates(when.Period{From: in.From + 1, To: until}, in.Policy)
	w.line(in.From, Opening, in.Opening)
	if in.Opening > 0 {
		w.lots = append(w.lots, Lot{Name: string(Opening), Earned: in.From, Amount: in.Opening, Left: in.Opening,
			LastDay: in.Policy.lastDay(in.From)})
	} else {
		w.debt = -in.Opening
	}
	for len(w.events) > 0 && w.events[0].Date <= in.From { // of the first day: after the opening
		w.event(w.events[0])
		w.events = w.events[1:]
	}
	return w
}

// to works out all days up to one.
func (w *working) to(until when.Date) {
	if w.in.Ends != 0 {
		until = min(until, w.in.Ends)
	}
	for w.next <= until {
		d := w.nextDay(until)
		if d > until {
			break
		}
		w.day(d)
		w.next = d + 1
	}
	w.next = max(w.next, until+1)
}

// nextDay is the first on which something happens.
func (w *working) nextDay(until when.Date) when.Date {
	d := min(until+1, w.in.Policy.nextYear(w.year))
	if len(w.earns) > 0 {
		d = min(d, w.earns[0])
	}
	if len(w.events) > 0 {
		d = min(d, w.events[0].Date)
	}
	for _, l := range w.lots {
		if l.LastDay != 0 {
			d = min(d, l.LastDay+1)
		}
	}
	if w.in.Policy.PaidOut && w.in.Ends >= w.next {
		d = min(d, w.in.Ends)
	}
	return max(d, w.next)
}

// day works one out: expire, reset, earn, take, and on the last what is owed.
func (w *working) day(d when.Date) {
	over := func(l Lot) bool { return l.LastDay != 0 && l.LastDay < d }
	for i := slices.IndexFunc(w.lots, over); i >= 0; i = slices.IndexFunc(w.lots, over) {
		w.line(d, Expired, -w.lots[i].Left)
		w.lots = slices.Delete(w.lots, i, i+1)
	}
	if year := w.in.Policy.YearOf(d); year != w.year {
		w.year, w.earned, w.summed, w.used = year, 0, 0, 0
		if r := w.in.Policy.Reset; r != nil && !r.All && w.balance() > r.Carry {
			lost := w.balance() - r.Carry
			w.line(d, LostAtReset, -lost)
			w.take(lost)
		}
	}
	for len(w.earns) > 0 && w.earns[0] <= d {
		w.period(d)
		w.earns = w.earns[1:]
	}
	n := 0
	for n < len(w.events) && w.events[n].Date <= d {
		n++
	}
	today := w.events[:n]
	w.events = w.events[n:]
	for _, takes := range []bool{false, true} {
		for _, e := range today {
			if (e.Kind == Taken || e.Kind == Given) == takes {
				w.event(e)
			}
		}
	}
	if owed := w.balance(); w.in.Policy.PaidOut && d == w.in.Ends && owed > 0 {
		w.line(d, PaidOut, -owed)
		w.take(owed)
	}
}

// period earns what a period of the calendar that is up gives.
func (w *working) period(d when.Date) {
	p := &w.in.Policy
	from := p.Earn.began(d, *p)
	amount := p.amountAt(w.in.Hired, from)
	if p.Earn.LastOfYear != nil && p.YearOf(from) == p.YearOf(d) && p.YearOf(p.Earn.after(d, *p)) != p.YearOf(d) {
		amount = *p.Earn.LastOfYear
	}
	w.earn(d, amount, false)
}

// event does what one says.
func (w *working) event(e Event) {
	p := &w.in.Policy
	switch e.Kind {
	case Worked, WorkedOvertime:
		if e.Kind == Worked && p.Earn.Every != HoursWorked || e.Kind == WorkedOvertime && p.Earn.Every != Overtime {
			return
		}
		if p.Earn.Percent != 0 {
			w.earn(e.Date, e.Amount.of(p.Earn.Percent, 100*scale), true)
			return
		}
		// Of all hours together, so that thirds add up to wholes.
		amount := p.amountAt(w.in.Hired, e.Date)
		whole := (w.hours + e.Amount).of(amount, p.Earn.Per)
		before := w.hours.of(amount, p.Earn.Per)
		w.hours += e.Amount
		w.earn(e.Date, whole-before, false)
	case Granted, Received:
		name, last := e.Lot, e.LastDay
		if name == "" {
			name = e.Date.String()
		}
		if last == 0 {
			last = p.lastDay(e.Date)
		}
		w.line(e.Date, e.Kind, e.Amount)
		w.put(Lot{Name: name, Earned: e.Date, Amount: e.Amount, LastDay: last})
	case Adjusted:
		w.line(e.Date, Adjusted, e.Amount)
		if e.Amount > 0 {
			w.put(Lot{Name: e.Date.String(), Earned: e.Date, Amount: e.Amount, LastDay: p.lastDay(e.Date)})
		} else {
			w.take(-e.Amount)
		}
	case Taken, Given:
		if e.Kind == Taken {
			w.used += e.Amount
		}
		w.line(e.Date, e.Kind, -e.Amount)
		w.take(e.Amount)
	}
}

// earn earns an amount: rounded, and within the year's limit. What of it passes the cap is lost
// at once, in a line of its own.
func (w *working) earn(d when.Date, amount Amount, each bool) {
	p := &w.in.Policy
	if each {
		amount = amount.to(p.Round.To, p.Round.Up)
	} else {
		before := w.summed.to(p.Round.To, p.Round.Up)
		w.summed += amount
		amount = w.summed.to(p.Round.To, p.Round.Up) - before
	}
	if p.EarnLimit != nil {
		within := min(amount, max(0, *p.EarnLimit-w.earned))
		if within < amount {
			w.account.Limited = append(w.account.Limited, Line{Date: d, Kind: Earned, Amount: amount - within, Balance: w.balance()})
		}
		amount = within
	}
	if amount <= 0 {
		return
	}
	kept := amount
	if p.Cap != nil {
		kept = min(amount, max(0, *p.Cap-w.balance()))
	}
	w.earned += kept
	w.line(d, Earned, amount)
	if kept < amount {
		w.line(d, LostToCap, kept-amount)
	}
	if kept > 0 {
		w.put(Lot{Name: d.String(), Earned: d, Amount: kept, LastDay: p.lastDay(d)})
	}
}

// put adds a lot; a debt is paid out of it first.
func (w *working) put(l Lot) {
	l.Left = l.Amount
	paid := min(w.debt, l.Left)
	w.debt, l.Left = w.debt-paid, l.Left-paid
	if l.Left > 0 {
		w.lots = append(w.lots, l)
	}
}

// take takes an amount out of the oldest lots; what they lack is a debt.
func (w *working) take(amount Amount) {
	for i := range w.lots {
		n := min(amount, w.lots[i].Left)
		w.lots[i].Left, amount = w.lots[i].Left-n, amount-n
	}
	w.lots = slices.DeleteFunc(w.lots, func(l Lot) bool { return l.Left == 0 })
	w.debt += amount
}

// line adds a line to the ledger.
func (w *working) line(d when.Date, kind Kind, amount Amount) {
	balance := amount
	if n := len(w.account.Ledger); n > 0 {
		balance += w.account.Ledger[n-1].Balance
	}
	w.account.Ledger = append(w.account.Ledger, Line{d, kind, amount, balance})
}

func (w *working) balance() Amount { return w.account.Ledger[len(w.account.Ledger)-1].Balance }

// state is how it stands at the end of a day.
func (w *working) state(d when.Date) State {
	s := State{Date: d, Balance: w.balance(), Lots: slices.Clone(w.lots)}
	p := &w.in.Policy
	if d < p.WaitingUntil {
		return s
	}
	s.Usable = max(0, s.Balance)
	if p.UseLimit != nil {
		s.Usable = min(s.Usable, max(0, *p.UseLimit-w.used))
	}
	return s
}

// Asked is what becomes of a request.
type Asked struct {
	Accepted bool
	After    Amount    // the balance at the end of its last day
	Lowest   Line      // the lowest balance from its first day until the horizon, and its day
	Why      string    // why it isn't accepted
	By       Barrier   // "" where it is
	On       when.Date // the day of it, or of what is booked after it, for which it isn't
	Would    Amount    // what it would come to that day: the balance, or what is taken in the year
	Bound    Amount    // and what it may come to
}

// Barrier is why a request isn't accepted.
type Barrier string

// The barriers.
const (
	Waiting    Barrier = "waiting"     // nothing can be taken yet
	Used       Barrier = "use_limit"   // too much would be taken in a leave year
	TooLow     Barrier = "floor"       // the balance would be too low
	SinksLater Barrier = "sinks_later" // by what is booked later it would be
)

// Ask says what becomes of a request to take an amount on a day, with what is booked after it
// until a horizon. One that would sink what is booked below the floor isn't accepted.
func Ask(in Input, on when.Date, amount Amount, horizon when.Date) Asked {
	return AskDays(in, []Event{{Date: on, Kind: Taken, Amount: amount}}, horizon)
}

// AskDays is [Ask] for several days at once, in their order.
func AskDays(in Input, days []Event, horizon when.Date) Asked {
	p, first, last := &in.Policy, days[0].Date, days[len(days)-1].Date
	in.Events = append(slices.Clone(in.Events), days...)
	account := Work(in, max(last, horizon))
	a := Asked{Lowest: lowestFrom(account.Ledger, first)}
	var used, most Amount // in a leave year that the request is in
	var year, over when.Date
	var sunk Line // the first that is taken and may not be
	for _, l := range account.Ledger {
		if l.Date <= last {
			a.After = l.Balance
		}
		if l.Kind != Taken {
			continue
		}
		if y := p.YearOf(l.Date); y != year {
			year, used = y, 0
		}
		used -= l.Amount
		if p.UseLimit != nil && used > *p.UseLimit && over == 0 && year >= p.YearOf(first) && year <= p.YearOf(last) {
			over = l.Date
		}
		if year == p.YearOf(max(over, first)) {
			most = used
		}
		if l.Date >= first && l.Balance < p.Floor && sunk.Date == 0 {
			sunk = l
		}
	}
	asked := slices.ContainsFunc(days, func(e Event) bool { return e.Date == sunk.Date })
	switch {
	case first < p.WaitingUntil:
		a.By, a.On = Waiting, p.WaitingUntil
		a.Why = "nothing can be taken before " + p.WaitingUntil.String()
	case over != 0:
		a.By, a.On, a.Would, a.Bound = Used, over, most, *p.UseLimit
		a.Why = fmt.Sprintf("%s would be taken in the leave year from %s, and %s can be", most, p.YearOf(over), a.Bound)
	case asked:
		a.By, a.On, a.Would, a.Bound = TooLow, sunk.Date, sunk.Balance, p.Floor
		a.Why = fmt.Sprintf("the balance would be %s, and may not be below %s", a.Would, a.Bound)
	case sunk.Date != 0:
		a.By, a.On, a.Would, a.Bound = SinksLater, sunk.Date, sunk.Balance, p.Floor
		a.Why = fmt.Sprintf("leave booked on %s would bring the balance to %s, and it may not be below %s", a.On, a.Would, a.Bound)
	}
	a.Accepted = a.By == ""
	return a
}

// lowestFrom is the lowest balance at the end of a day, from one on.
func lowestFrom(ledger []Line, from when.Date) (lowest Line) {
	for i, l := range ledger {
		if l.Date < from || i+1 < len(ledger) && ledger[i+1].Date == l.Date {
			continue
		}
		if lowest.Date == 0 || l.Balance < lowest.Balance {
			lowest = l
		}
	}
	return lowest
}
