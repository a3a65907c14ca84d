package payroll

import (
	"cmp"
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// PersonPay is what a run pays somebody, line by line, each with where it came from.
type PersonPay struct {
	store.Payee
	Company  string
	Group    string
	Period   when.Period
	Closed   *store.Run // nil for the open run
	Weeks    []PersonWeek
	Gross    string // what the run pays them
	Currency string
	Decimals int
	Lost     bool // some lines of a closed run aren't explained: hours, rates or rules have changed since
}

// PersonWeek is a workweek, or overtime period, of it.
type PersonWeek struct {
	Days   when.Period
	Worked int64
	Rate   string // the regular rate and where it came from, "" for none
	Lines  []PersonLine
	Before string // what earlier runs paid of the week, "" for nothing
	Sum    string // what this run pays of it
	sum    pay.Amount
	before pay.Amount
}

// Apart says whether the line is paid into a plan, or kept from the pay: no part of what is paid.
func (l PersonLine) Apart() bool { return !l.key.Gross() }

// PersonLine is a line of pay.
type PersonLine struct {
	Date         when.Date
	Job          string // number and name, "" for none
	Task         string // its name, too
	Kind         pay.LineKind
	Class        pay.Class
	PayCode      string
	Seconds      int64
	Rate, Amount string
	Why          string
	Because      []pay.Cause
	amount       pay.Amount
	key          pay.Key
}

// ReadPersonPay reads what a run pays an employment, the open run of a group where none is named.
func ReadPersonPay(ctx context.Context, a *app.App, actor app.Actor, group string, run, employment uuid.UUID) (*PersonPay, error) {
	if actor.Scope("payrun.see") != app.All || actor.Scope("rates.see") != app.All {
		return nil, app.ErrForbidden
	}
	return readPersonPay(ctx, a, group, run, employment)
}

func readPersonPay(ctx context.Context, a *app.App, group string, run, employment uuid.UUID) (*PersonPay, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	payees, err := store.Payees(ctx, a.DB, []uuid.UUID{employment})
	if err != nil {
		return nil, err
	}
	if len(payees) == 0 {
		return nil, app.ErrNotFound
	}
	p := &PersonPay{Payee: payees[0], Company: place.Name, Group: group}
	if run == uuid.Nil {
		if place, err = place.OfGroup(ctx, a.DB, group); err != nil {
			return nil, err
		}
		if p.Period, err = openPeriod(ctx, a.DB, place, group, a.Now()); err != nil {
			return nil, err
		}
	} else {
		r, err := store.GetRun(ctx, a.DB, run)
		if store.NotFound(err) {
			return nil, app.ErrNotFound
		}
		if err != nil {
			return nil, err
		}
		p.Closed, p.Group, p.Period = &r, r.Group, r.Period()
		place = place.PaidIn(r.Currency)
	}
	p.Currency, p.Decimals = place.Currency, place.CurrencyDecimals
	if p.Closed != nil {
		err = p.readClosed(ctx, a.DB, place)
	} else {
		err = p.readOpen(ctx, a.DB, place)
	}
	if err != nil {
		return nil, err
	}
	return p, p.name(ctx, a.DB)
}

// readOpen explains what the open run pays.
func (p *PersonPay) readOpen(ctx context.Context, q store.Q, place *app.Company) error {
	asClocked, err := clockedIn(ctx, q, p.Group, p.Period.From)
	if err != nil {
		return err
	}
	payroll, err := readPayrollOf(ctx, q, place, payrollAsk{group: p.Group, period: p.Period, only: []uuid.UUID{p.Employment},
		asClocked: asClocked})
	if err != nil {
		return err
	}
	weeks, err := payroll.explained(p.Employment)
	if err != nil {
		return err
	}
	p.subtracted(payroll, weeks)
	return nil
}

// readClosed explains what a closed run paid by what was kept with it. A run closed before that was
// kept is worked out anew from what is known now.
func (p *PersonPay) readClosed(ctx context.Context, q store.Q, place *app.Company) error {
	lines, err := store.RunLinesOf(ctx, q, p.Closed.ID, p.Employment, p.Decimals)
	if err != nil {
		return err
	}
	payroll, of, err := readKept(ctx, q, *p.Closed, p.Employment, p.Decimals)
	if err != nil {
		return err
	}
	if payroll == nil {
		return p.readOlder(ctx, q, place, lines)
	}
	weeks, err := payroll.explain(of.input(payroll.Zone), of.Person, of.Earlier)
	if err != nil {
		return err
	}
	p.subtracted(payroll, weeks)
	var paid pay.Amount
	for _, l := range lines {
		if l.Gross() {
			paid += l.Amount
		}
	}
	if p.Gross != paid.Decimal(p.Decimals) {
		p.kept(payroll, weeks, lines)
	}
	return nil
}

// readOlder says what a closed run paid, with the reasons that still hold.
func (p *PersonPay) readOlder(ctx context.Context, q store.Q, place *app.Company, lines []store.PayLine) error {
	ask := payrollAsk{group: p.Group, period: p.Period, only: []uuid.UUID{p.Employment}}
	for _, l := range lines {
		ask.weeks = append(ask.weeks, l.Week)
	}
	payroll, err := readPayrollOf(ctx, q, place, ask)
	if err != nil {
		return err
	}
	var now []PersonWeek
	if p.Closed.Kind != store.ReversalRun {
		if now, err = payroll.explained(p.Employment); err != nil {
			return err
		}
	}
	p.kept(payroll, now, lines)
	p.Lost = p.Lost && p.Closed.Kind != store.ReversalRun // its reason is the run it turns
	return nil
}

// subtracted fills in what is worked out less what earlier runs paid.
func (p *PersonPay) subtracted(payroll *Payroll, weeks []PersonWeek) {
	for _, l := range payroll.Paid {
		if l.Employment != p.Employment {
			continue
		}
		w := weekIn(&weeks, l.Week, payroll.rulesOn(l.Week))
		if l.Gross() {
			w.before += l.Amount
		}
	}
	var gross pay.Amount
	for i := range weeks {
		w := &weeks[i]
		if w.before != 0 {
			w.Before = w.before.Decimal(p.Decimals)
		}
		w.Sum = (w.sum - w.before).Decimal(p.Decimals)
		gross += w.sum - w.before
	}
	p.Weeks, p.Gross = weeks, gross.Decimal(p.Decimals)
}

// kept fills in what a closed run paid, with the explanations that still hold.
func (p *PersonPay) kept(payroll *Payroll, now []PersonWeek, lines []store.PayLine) {
	why := map[pay.Key]PersonLine{} // those of one key together, as runs keep them
	for _, w := range now {
		for _, l := range w.Lines {
			if before, is := why[l.key]; is {
				l.Seconds, l.amount = l.Seconds+before.Seconds, l.amount+before.amount
				l.Why, l.Because = before.Why+" "+l.Why, append(before.Because, l.Because...)
			}
			why[l.key] = l
		}
	}
	var weeks []PersonWeek
	var gross pay.Amount
	for _, l := range lines {
		w := weekIn(&weeks, l.Week, payroll.rulesOn(l.Week))
		line := PersonLine{Date: l.Date, Kind: l.Kind, Class: l.Class, PayCode: l.PayCode, Seconds: l.Seconds, Rate: l.Rate.String(),
			Amount: l.Amount.Decimal(p.Decimals), key: l.Key}
		if of, is := why[l.Key]; is && of.Seconds == l.Seconds && of.amount == l.Amount {
			line.Why, line.Because = of.Why, of.Because
		} else {
			p.Lost = true
		}
		w.Lines = append(w.Lines, line)
		if l.Gross() {
			w.sum, gross = w.sum+l.Amount, gross+l.Amount
		}
	}
	for i := range weeks {
		w := &weeks[i]
		w.Sum = w.sum.Decimal(p.Decimals)
		for _, n := range now {
			if n.Days == w.Days {
				w.Worked, w.Rate = n.Worked, n.Rate
			}
		}
	}
	p.Weeks, p.Gross = weeks, gross.Decimal(p.Decimals)
}

// weekIn finds the week that begins on a date, in their order, or makes it.
func weekIn(weeks *[]PersonWeek, first when.Date, rules pay.Rules) *PersonWeek {
	i, found := slices.BinarySearchFunc(*weeks, first, func(w PersonWeek, d when.Date) int { return int(w.Days.From - d) })
	if !found {
		*weeks = slices.Insert(*weeks, i, PersonWeek{Days: when.Period{From: first, To: first + rules.WeekDays() - 1}})
	}
	return &(*weeks)[i]
}

// explained works out somebody's weeks of the run as [Payroll.WorkOut] does, with where each line
// came from.
func (p *Payroll) explained(employment uuid.UUID) ([]PersonWeek, error) {
	paid := map[uuid.UUID][]pay.Entry{}
	shares := p.byEmployment(paid)
	i := slices.IndexFunc(shares, func(s payShare) bool { return s.id == employment })
	if i < 0 || !p.Members[employment] {
		return nil, nil
	}
	in, err := p.input(shares[i])
	if err != nil {
		return nil, err
	}
	return p.explain(in, p.persons[employment.String()], p.earlier()[employment])
}

// explain works out what comes of one person's hours, and of the weeks before the first that are
// looked at too, with where each line came from.
func (p *Payroll) explain(in pay.Input, person string, earlier []when.Date) ([]PersonWeek, error) {
	var reckoner pay.Reckoner
	res, err := reckoner.ExplainDated(in, p.sets())
	if err != nil {
		return nil, err
	}
	p.coder().code(&res.Result, person)
	var weeks []PersonWeek
	for _, part := range []struct {
		lines []pay.Line
		why   []pay.Explanation
		kind  pay.LineKind // instead of the line's own
	}{{res.Lines, res.Why, ""}, {res.Plan, res.WhyPlan, pay.FringePlan}, {res.Kept, res.WhyKept, ""}} {
		for n, l := range part.lines {
			rules := p.rulesOn(l.Week)
			if l.Week < p.first && !slices.Contains(earlier, l.Week) || l.Date < p.from || !p.due(pay.Key{Week: l.Week, Kind: l.Kind}) {
				continue
			}
			l.Kind = cmp.Or(part.kind, l.Kind)
			w := weekIn(&weeks, l.Week, rules)
			line := personLine(res.Result, l, part.why[n], rules.CurrencyDecimals)
			w.add(line, rules.CurrencyDecimals)
			if line.key.Gross() {
				w.sum += l.Amount
			}
		}
	}
	for n, week := range res.Weeks {
		if at, found := slices.BinarySearchFunc(weeks, week.Start, func(w PersonWeek,
			d when.Date) int {
			return int(w.Days.From - d)
		}); found {
			weeks[at].Worked, weeks[at].Rate = week.Worked, res.Rates[n].Text
		}
	}
	return weeks, nil
}

// add puts a line into the week: hours of one day and kind of work at their rate, of which there is nothing to
// explain, are one line however often they were interrupted.
func (w *PersonWeek) add(line PersonLine, decimals int) {
	plain := func(l PersonLine) bool {
		return l.Kind == pay.Straight && l.Class == pay.Regular && len(l.Because) == 0
	}
	i := slices.IndexFunc(w.Lines, func(l PersonLine) bool { return plain(l) && l.key == line.key })
	if i < 0 || !plain(line) {
		w.Lines = append(w.Lines, line)
		return
	}
	of := &w.Lines[i]
	of.Seconds, of.amount, of.Why = of.Seconds+line.Seconds, of.amount+line.amount, of.Why+" "+line.Why
	of.Amount = of.amount.Decimal(decimals)
}

// personLine is a line with where it came from.
func personLine(res pay.Result, l pay.Line, why pay.Explanation, decimals int) PersonLine {
	line := PersonLine{Date: l.Date, Kind: l.Kind, Class: l.Class, PayCode: l.PayCode, Seconds: l.Seconds,
		Amount: l.Amount.Decimal(decimals),
		amount: l.Amount, Why: why.Text, Because: why.Because}
	if l.Rate != 0 {
		line.Rate = l.Rate.String()
	}
	line.key = pay.Key{Week: l.Week, Date: l.Date, PayCode: l.PayCode, Kind: l.Kind, Class: l.Class, Rate: l.Rate}
	if l.Stint >= 0 {
		s := res.Stints[l.Stint]
		line.key.Job, line.key.Task, line.key.WorkClass, line.key.Account = s.Job, s.Task, s.WorkClass, s.Account
	}
	return line
}

// name says what the jobs and tasks of lines are called.
func (p *PersonPay) name(ctx context.Context, q store.Q) error {
	var ids []uuid.UUID
	for _, w := range p.Weeks {
		for _, l := range w.Lines {
			for _, text := range []string{l.key.Job, l.key.Task} {
				if id, err := uuid.Parse(text); err == nil {
					ids = append(ids, id)
				}
			}
		}
	}
	names, err := store.WorkNames(ctx, q, ids)
	if err != nil {
		return err
	}
	for _, w := range p.Weeks {
		for i := range w.Lines {
			l := &w.Lines[i]
			if id, err := uuid.Parse(l.key.Job); err == nil {
				l.Job = names[id]
			}
			if id, err := uuid.Parse(l.key.Task); err == nil {
				l.Task = names[id]
			}
		}
	}
	return nil
}
