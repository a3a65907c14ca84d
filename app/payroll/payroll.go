// Package payroll turns approved hours into pay runs: who is in one, what it
// pays and under which codes, and closing it.
package payroll

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

func (p *Payroll) coder() *coder {
	return &coder{codes: p.Codes, kinds: p.kinds, person: peopleName(p.Codes), found: map[codeQuestion]string{}}
}

// Payroll is what a run is worked out from: everything the database says, and
// nothing that depends on when it is asked.
type Payroll struct {
	Group  string // whose pay periods, "" for the company's
	Period when.Period
	Rules  []store.RuleSet
	Zone   *time.Location
	Stints []store.PayStint // by employment and time
	Leaves []store.PayLeave // by employment and date

	Expenses []store.PayExpense // too
	Paid     []store.PayLine
	Rates    store.Rates
	Codes    []pay.DatedCodes
	Members  map[uuid.UUID]bool             // who is in it: see store.Members
	Earlier  []store.EmploymentWeek         // weeks before the period that have something new
	first    when.Date                      // first day of the week in which the period begins
	from     when.Date                      // what is dated before was paid elsewhere
	kinds    map[string][]store.KindFrom    // of jobs
	persons  map[string]string              // of employments
	told     map[uuid.UUID][]told           // what people were told of their plan, where it is paid
	banks    map[uuid.UUID][]when.Period    // whose overtime is banked, and when
	weeks    map[uuid.UUID][]store.PaidWeek // of whose leave is paid at an average, the last first
	periods  when.PayPeriods                // of the group
	dated    []pay.DatedRules               // see sets
	adjusted map[uuid.UUID][]store.Adjustment
	named    map[uuid.UUID][]pay.Differential
	salaries map[uuid.UUID][]pay.Salary
	whole    when.Period // the open pay period: Period ends before where the run is one of its own
	final    bool        // premiums are paid before their week ends: there is no more of it
}

// WorkOut makes the draft: per employment, what is worked out now less what
// earlier runs paid.
func (p *Payroll) WorkOut() (*Draft, error) {
	draft := &Draft{Sums: map[uuid.UUID]*DraftSum{}}
	paid := map[uuid.UUID][]pay.Entry{}
	for _, l := range p.Paid {
		paid[l.Employment] = append(paid[l.Employment], l.Entry)
	}
	earlier := p.earlier()
	p.sets() // before they are read by several at once
	shares := p.byEmployment(paid)
	owed := make([][]pay.Entry, len(shares))
	var work errgroup.Group // one person's pay has nothing to do with another's
	work.SetLimit(runtime.GOMAXPROCS(0))
	const some = 64
	for from := 0; from < len(shares); from += some {
		work.Go(func() error {
			var reckoner pay.Reckoner
			coder := p.coder()
			for i := from; i < min(from+some, len(shares)); i++ {
				if !p.Members[shares[i].id] {
					continue
				}
				worked, err := p.workedOut(&reckoner, coder, shares[i], earlier)
				if err != nil {
					return fmt.Errorf("work out %s: %w", shares[i].id, err)
				}
				owed[i] = pay.Owed(worked, paid[shares[i].id])
			}
			return nil
		})
	}
	if err := work.Wait(); err != nil {
		return nil, err
	}
	spent := map[spending]bool{}
	for _, x := range p.Expenses {
		spent[spending{x.Employment, x.Date, x.PayCode}] = true
	}
	for i, s := range shares {
		draft.add(s.id, owed[i], p.Period, func(e pay.Entry) bool { return spent[spending{s.id, e.Date, e.PayCode}] })
	}
	return draft, nil
}

// spending is by what an entry is known as an expense.
type spending struct {
	employment uuid.UUID
	date       when.Date
	code       string
}

// input is one person's share as core wants it.
func (p *Payroll) input(s payShare) (pay.Input, error) {
	in := pay.Input{Stints: make([]pay.Stint, len(s.stints))}
	for i, st := range s.stints {
		cash, plan := p.Rates.Fringe(st.Date, st.Job, st.Class)
		in.Stints[i] = pay.Stint{FringeCash: cash, FringePlan: plan, Start: st.Start, End: st.End, Kind: st.Kind, HoursOnly: st.HoursOnly,
			Callout: st.Marks.Has(clock.CalledIn), NoMeal: st.Marks.Has(clock.NoMeal),
			Rate: p.Rates.Of(s.id, st.Date, st.Job, st.Class),
			Job:  st.Job, Task: st.Task, WorkClass: st.Class, Account: st.Account}
	}
	p.planned(s, in.Stints)
	in.Changes = p.changes(s)
	in.Banks = p.banks[s.id]
	for _, l := range s.leaves {
		leave, err := p.leave(s.id, l)
		if err != nil {
			return in, err
		}
		in.Leave = append(in.Leave, leave)
	}
	for _, x := range s.expenses {
		amount, err := pay.ParseRate(x.Amount)
		if err != nil {
			return in, fmt.Errorf("an expense of %s: %w", x.Date, err)
		}
		in.Extras = append(in.Extras, pay.Extra{WeekOf: x.Date, Amount: amount, PayCode: x.PayCode})
	}
	p.adjust(s.id, &in)
	in.Salaries = p.salaries[s.id]
	return in, nil
}

// workedOut gives the entries of the weeks that the run looks at, each week
// by the rule set in force on its first day.
func (p *Payroll) workedOut(reckoner *pay.Reckoner, coder *coder, share payShare, earlier map[uuid.UUID][]when.Date) ([]pay.Entry, error) {
	in, err := p.input(share)
	if err != nil {
		return nil, err
	}
	return p.entries(reckoner, coder, in, p.persons[share.id.String()], earlier[share.id])
}

// entries gives what is due of the weeks that the run looks at: from its first, and some before.
func (p *Payroll) entries(reckoner *pay.Reckoner, coder *coder, in pay.Input, person string, earlier []when.Date) ([]pay.Entry, error) {
	res, err := reckoner.ReckonDated(in, p.sets())
	if err != nil {
		return nil, err
	}
	coder.code(&res, person)
	return slices.DeleteFunc(res.Entries(), func(e pay.Entry) bool {
		return e.Week < p.first && !slices.Contains(earlier, e.Week) || e.Date < p.from || !p.due(e.Key)
	}), nil
}

// due says whether the run pays an entry yet.
func (p *Payroll) due(k pay.Key) bool {
	if k.Kind == pay.SalaryPay && k.Date > p.Period.To {
		return false // the period's own run pays it
	}
	return p.final || p.rulesOn(k.Week).Due(k, p.Period.To)
}

// earlier lists the weeks before the first that the run looks at, by employment.
func (p *Payroll) earlier() map[uuid.UUID][]when.Date {
	weeks := map[uuid.UUID][]when.Date{}
	for _, w := range p.Earlier {
		weeks[w.Employment] = append(weeks[w.Employment], w.Week)
	}
	return weeks
}

// sets lists the rule sets, or the defaults where a place has none.
func (p *Payroll) sets() []pay.DatedRules {
	if p.dated != nil {
		return p.dated
	}
	if len(p.Rules) == 0 {
		p.dated = []pay.DatedRules{{Rules: pay.DefaultRules(p.Zone)}}
	}
	for _, r := range p.Rules {
		p.dated = append(p.dated, pay.DatedRules{From: r.From, Rules: r.Rules})
	}
	return p.dated
}

// weeksAt gives the weeks of an employment that have to be looked at together for a day: the one
// that holds it, and where a workweek by new rules begins within one by the old, both.
func (p *Payroll) weeksAt(employment uuid.UUID, d when.Date) []store.EmploymentWeek {
	week := weekOf(employment, d, p.rulesOn(d))
	weeks := []store.EmploymentWeek{week}
	for _, shared := range pay.SharedWeeks(p.sets()) {
		switch week.Week {
		case shared.Old:
			weeks = append(weeks, weekOf(employment, shared.New, p.rulesOn(shared.New)))
		case shared.New:
			weeks = append(weeks, weekOf(employment, shared.Old, p.rulesOn(shared.Old)))
		}
	}
	return weeks
}

// rulesOn gives the rules of a day, or of a week by its first.
func (p *Payroll) rulesOn(d when.Date) pay.Rules {
	sets := p.sets()
	return sets[pay.InForce(sets, d)].Rules
}

// byEmployment cuts the payroll into shares, those with pay from earlier runs
// alone among them: a card taken out after paying must be taken back.
func (p *Payroll) byEmployment(paid map[uuid.UUID][]pay.Entry) []payShare {
	at := map[uuid.UUID]int{}
	var shares []payShare
	share := func(id uuid.UUID) *payShare {
		i, ok := at[id]
		if !ok {
			i = len(shares)
			at[id] = i
			shares = append(shares, payShare{id: id})
		}
		return &shares[i]
	}
	for from := 0; from < len(p.Stints); {
		to := from
		for to < len(p.Stints) && p.Stints[to].Employment == p.Stints[from].Employment {
			to++
		}
		share(p.Stints[from].Employment).stints = p.Stints[from:to]
		from = to
	}
	for _, l := range p.Leaves {
		s := share(l.Employment)
		s.leaves = append(s.leaves, l)
	}
	for _, x := range p.Expenses {
		s := share(x.Employment)
		s.expenses = append(s.expenses, x)
	}
	for id := range paid {
		share(id)
	}
	for id := range p.told {
		share(id)
	}
	for id := range p.adjusted {
		share(id)
	}
	for id := range p.salaries {
		share(id)
	}
	slices.SortFunc(shares, func(a, b payShare) int { return slices.Compare(a.id[:], b.id[:]) })
	return shares
}

// payrollAsk says which run is to be worked out.
type payrollAsk struct {
	group     string
	period    when.Period
	whole     when.Period // the open pay period that it lies in, zero where it's the same
	only      []uuid.UUID // some employments' hours and pay alone, of all with none
	weeks     []when.Date // of the one, earlier weeks too
	asClocked []uuid.UUID // of whom hours that nobody has approved are paid too
	final     bool
}

// readPayrollOf gathers what the run of a period is worked out from: the weeks
// the period touches, and earlier weeks in which a card was approved late or
// changed after it was paid.
func readPayrollOf(ctx context.Context, q store.Q, place *app.Company, ask payrollAsk) (*Payroll, error) {
	group, period := ask.group, ask.period
	p := &Payroll{Group: group, Period: period, Rules: place.Rules, Zone: place.Loc, final: ask.final, whole: ask.whole}
	if p.whole == (when.Period{}) {
		p.whole = period
	}
	p.first = p.firstDay(period.From)
	if place.PaysFrom != nil {
		p.from = *place.PaysFrom
	}
	var err error
	if p.periods, err = periodsOf(ctx, q, place, group); err != nil {
		return nil, err
	}
	late, err := store.PayableCards(ctx, q, group, p.first-1)
	if err != nil {
		return nil, err
	}
	clocked, err := store.ClockedCards(ctx, q, group, p.first-1, ask.asClocked)
	if err != nil {
		return nil, err
	}
	late = append(late, clocked...)
	if p.Members, err = store.Members(ctx, q, group, p.first, period.To); err != nil {
		return nil, err
	}
	owed, err := store.OwedLeave(ctx, q, group, p.first)
	if err != nil {
		return nil, err
	}
	for _, o := range owed {
		if o.Date >= p.from {
			late = append(late, o)
		}
	}
	for _, c := range late {
		if len(ask.only) > 0 && !slices.Contains(ask.only, c.Employment) {
			continue
		}
		p.Members[c.Employment] = true
		// A card's hours can reach into the week after its worked date.
		p.alsoAt(c.Employment, c.Date)
		p.alsoAt(c.Employment, c.Date+1)
	}
	for _, d := range ask.weeks {
		p.alsoAt(ask.only[0], d)
	}
	if err := p.readSpans(ctx, q); err != nil {
		return nil, err
	}
	scope := store.PayScope{Group: group, From: p.first, To: period.To, Earlier: p.Earlier, Only: ask.only, AsClocked: ask.asClocked}
	if p.Stints, err = store.PayStints(ctx, q, scope); err != nil {
		return nil, err
	}
	if p.Leaves, err = store.PayLeaves(ctx, q, scope); err != nil {
		return nil, err
	}
	if err = p.readLeaveRates(ctx, q); err != nil {
		return nil, err
	}
	if err = p.readBanks(ctx, q); err != nil {
		return nil, err
	}
	if p.Expenses, err = store.PayExpenses(ctx, q, scope); err != nil {
		return nil, err
	}
	if err = p.readAdjustments(ctx, q, scope); err != nil {
		return nil, err
	}
	if err = p.readSalaries(ctx, q, scope); err != nil {
		return nil, err
	}
	if err = p.readTold(ctx, q, scope); err != nil {
		return nil, err
	}
	if p.Paid, err = store.PaidLines(ctx, q, scope, place.CurrencyDecimals); err != nil {
		return nil, err
	}
	if p.Codes, _, err = ReadCodes(ctx, q); err != nil {
		return nil, err
	}
	if p.kinds, err = store.KindsOfJobs(ctx, q); err != nil {
		return nil, err
	}
	if peopleName(p.Codes) {
		if p.persons, err = store.PersonsOfEmployments(ctx, q); err != nil {
			return nil, err
		}
	}
	if p.Rates, err = store.GetRates(ctx, q); place.Elsewhere {
		p.Rates = p.Rates.WithoutDeterminations() // which are in the company's currency
	}
	return p, err
}

// alsoAt lets the run look at the earlier weeks of a day too.
func (p *Payroll) alsoAt(employment uuid.UUID, d when.Date) {
	for _, w := range p.weeksAt(employment, d) {
		if w.Week < p.first && !slices.Contains(p.Earlier, w) {
			p.Earlier = append(p.Earlier, w)
		}
	}
}

// firstDay is the first day of the weeks that a run from a day on looks at.
func (p *Payroll) firstDay(d when.Date) when.Date {
	weeks := p.weeksAt(uuid.Nil, d)
	return slices.MinFunc(weeks, func(a, b store.EmploymentWeek) int { return int(a.Week - b.Week) }).Week
}

// periodsOf is the row of pay periods of a group; ErrNotFound when there is no
// such group.
func periodsOf(ctx context.Context, q store.Q, place *app.Company, group string) (when.PayPeriods, error) {
	if group == "" {
		return place.Periods(), nil
	}
	groups, err := store.PeriodGroups(ctx, q)
	if err != nil {
		return when.PayPeriods{}, err
	}
	i := slices.IndexFunc(groups, func(g store.PeriodGroup) bool { return g.Name == group })
	if i < 0 {
		return when.PayPeriods{}, app.ErrNotFound
	}
	return groups[i].Periods(), nil
}

// openPeriod is the pay period after the last closed run of a group, or the
// one of the first card that isn't paid, or today's.
func openPeriod(ctx context.Context, q store.Q, place *app.Company, group string, now time.Time) (when.Period, error) {
	periods, err := periodsOf(ctx, q, place, group)
	if err != nil {
		return when.Period{}, err
	}
	d, ok, err := store.FirstOpenDay(ctx, q, group)
	if err != nil {
		return when.Period{}, err
	}
	if !ok {
		d = place.Today(now)
	}
	return periods.Of(d)
}

// weekOf gives the workweek, or overtime period, of an employment that holds
// a date.
func weekOf(employment uuid.UUID, d when.Date, rules pay.Rules) store.EmploymentWeek {
	first := rules.FirstDay(d)
	return store.EmploymentWeek{Employment: employment, Week: first, Last: first + rules.WeekDays() - 1}
}

// payShare is one employment's part of a payroll.
type payShare struct {
	id     uuid.UUID
	stints []store.PayStint
	leaves []store.PayLeave

	expenses []store.PayExpense
}
