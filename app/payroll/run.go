// Package payroll turns approved hours into pay runs: who is in one, what it
// pays and under which codes, and closing it.
package payroll

import (
	"context"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"
	"golang.org/x/sync/errgroup"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// Payroll is what a run is worked out from: everything the database says, and
// nothing that depends on when it is asked.
type Payroll struct {
	Group   string // whose pay periods, "" for the company's
	Period  when.Period
	Rules   []store.RuleSet
	Zone    *time.Location
	Stints  []store.PayStint // by employment and time
	Leaves  []store.PayLeave // by employment and date
	Paid    []store.PayLine
	Rates   store.Rates
	Codes   []pay.DatedCodes
	Members map[uuid.UUID]bool          // who is in it: see store.Members
	Earlier []store.EmploymentWeek      // weeks before the period that have something new
	first   when.Date                   // first day of the week in which the period begins
	kinds   map[string][]store.KindFrom // of jobs
	persons map[string]string           // of employments
}

// Draft is what a run would pay: lines by employment, and what they add up
// to.
type Draft struct {
	Lines []store.PayLine
	Sums  map[uuid.UUID]*DraftSum
	Gross pay.Amount
}

// DraftSum is one employment's share of a run, in seconds and minor units.
type DraftSum struct {
	Regular, Overtime, Double, Leave int64
	Gross                            pay.Amount
	Earlier                          bool // something in it belongs to earlier periods
}

// readPayroll gathers what the run of a period is worked out from: the weeks
// the period touches, and earlier weeks in which a card was approved late or
// changed after it was paid.
func readPayroll(ctx context.Context, q store.Q, place *app.Company, group string, period when.Period) (*Payroll, error) {
	p := &Payroll{Group: group, Period: period, Rules: place.Rules, Zone: place.Loc}
	p.first = p.rulesOn(period.From).FirstDay(period.From)
	late, err := store.PayableCards(ctx, q, group, p.first-1)
	if err != nil {
		return nil, err
	}
	if p.Members, err = store.Members(ctx, q, group, p.first, period.To); err != nil {
		return nil, err
	}
	for _, c := range late {
		p.Members[c.Employment] = true
		// A card's hours can reach into the week after its worked date.
		for _, d := range []when.Date{c.Date, c.Date + 1} {
			w := weekOf(c.Employment, d, p.rulesOn(d))
			if w.Week < p.first && !slices.Contains(p.Earlier, w) {
				p.Earlier = append(p.Earlier, w)
			}
		}
	}
	scope := store.PayScope{Group: group, From: p.first, To: period.To, Earlier: p.Earlier}
	if p.Stints, err = store.PayStints(ctx, q, scope); err != nil {
		return nil, err
	}
	if p.Leaves, err = store.PayLeaves(ctx, q, scope); err != nil {
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
	p.Rates, err = store.GetRates(ctx, q)
	return p, err
}

// Past works out what the runs of periods long over paid, for a world that is
// loaded with its history: each line in the first run in which it was due.
type Past struct {
	Payroll
	periods []when.Period
}

// ReadPast reads what the hours of some periods, one after another, are paid
// by.
func ReadPast(ctx context.Context, q store.Q, place *app.Company, periods []when.Period) (*Past, error) {
	p := &Past{periods: periods}
	p.Rules, p.Zone, p.Period = place.Rules, place.Loc, when.Period{From: periods[0].From, To: periods[len(periods)-1].To}
	p.first = p.rulesOn(p.Period.From).FirstDay(p.Period.From)
	var err error
	if p.Codes, _, err = ReadCodes(ctx, q); err != nil {
		return nil, err
	}
	if p.kinds, err = store.KindsOfJobs(ctx, q); err != nil {
		return nil, err
	}
	p.Rates, err = store.GetRates(ctx, q)
	return p, err
}

// Lines gives the lines of each period for the hours and leave of one
// employment, in order of time.
func (p *Past) Lines(employment uuid.UUID, stints []store.PayStint, leaves []store.PayLeave) ([][]store.PayLine, error) {
	entries, err := p.workedOut(&pay.Reckoner{}, p.coder(), payShare{employment, stints, leaves}, nil)
	if err != nil {
		return nil, fmt.Errorf("work out %s: %w", employment, err)
	}
	lines := make([][]store.PayLine, len(p.periods))
	for _, e := range entries {
		i := slices.IndexFunc(p.periods, func(of when.Period) bool { return e.Date <= of.To && p.rulesOn(e.Week).Due(e.Key, of.To) })
		if i >= 0 {
			lines[i] = append(lines[i], store.PayLine{Employment: employment, Entry: e})
		}
	}
	return lines, nil
}

// weekOf gives the workweek, or overtime period, of an employment that holds
// a date.
func weekOf(employment uuid.UUID, d when.Date, rules pay.Rules) store.EmploymentWeek {
	first := rules.FirstDay(d)
	return store.EmploymentWeek{Employment: employment, Week: first, Last: first + rules.WeekDays() - 1}
}

// WorkOut makes the draft: per employment, what is worked out now less what
// earlier runs paid.
func (p *Payroll) WorkOut() (*Draft, error) {
	draft := &Draft{Sums: map[uuid.UUID]*DraftSum{}}
	paid := map[uuid.UUID][]pay.Entry{}
	for _, l := range p.Paid {
		paid[l.Employment] = append(paid[l.Employment], l.Entry)
	}
	earlier := map[store.EmploymentWeek]bool{}
	for _, w := range p.Earlier {
		earlier[w] = true
	}
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
	for i, s := range shares {
		draft.add(s.id, owed[i], p.Period)
	}
	return draft, nil
}

// input is one person's share as core wants it.
func (p *Payroll) input(s payShare) pay.Input {
	in := pay.Input{Stints: make([]pay.Stint, len(s.stints))}
	for i, st := range s.stints {
		cash, plan := p.Rates.Fringe(st.Date, st.Job, st.Class)
		in.Stints[i] = pay.Stint{FringeCash: cash, FringePlan: plan, Start: st.Start, End: st.End, Kind: st.Kind,
			Rate: p.Rates.Of(s.id, st.Date, st.Job, st.Class),
			Job:  st.Job, Task: st.Task, WorkClass: st.Class}
	}
	for _, l := range s.leaves {
		in.Leave = append(in.Leave, pay.Leave{Date: l.Date, Seconds: l.Seconds, Rate: p.Rates.Of(s.id, l.Date, "", ""), PayCode: l.PayCode})
	}
	return in
}

// workedOut gives the entries of the weeks that the run looks at, each week
// by the rule set in force on its first day.
func (p *Payroll) workedOut(reckoner *pay.Reckoner, coder *coder, share payShare, earlier map[store.EmploymentWeek]bool) ([]pay.Entry,
	error) {
	var all []pay.Entry
	in := p.input(share)
	for i, set := range p.rulesInUse() {
		in.Rules = set.Rules
		res, err := reckoner.Reckon(in)
		if err != nil {
			return nil, err
		}
		coder.code(&res, p.persons[share.id.String()])
		for _, e := range res.Entries() {
			wanted := e.Week >= p.first || earlier[weekOf(share.id, e.Week, set.Rules)]
			if wanted && p.inForce(e.Week) == i && set.Rules.Due(e.Key, p.Period.To) {
				all = append(all, e)
			}
		}
	}
	return all, nil
}

// rulesInUse lists the rule sets, or the defaults where a place has none.
func (p *Payroll) rulesInUse() []store.RuleSet {
	if len(p.Rules) == 0 {
		return []store.RuleSet{{Rules: pay.DefaultRules(p.Zone)}}
	}
	return p.Rules
}

func (p *Payroll) rulesOn(d when.Date) pay.Rules { return p.rulesInUse()[p.inForce(d)].Rules }

// inForce gives the index of the rule set of a week: the last that began by
// then, or the first of all.
func (p *Payroll) inForce(week when.Date) int {
	index := 0
	for i, r := range p.rulesInUse() {
		if r.From <= week {
			index = i
		}
	}
	return index
}

// payShare is one employment's part of a payroll.
type payShare struct {
	id     uuid.UUID
	stints []store.PayStint
	leaves []store.PayLeave
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
	for id := range paid {
		share(id)
	}
	slices.SortFunc(shares, func(a, b payShare) int { return slices.Compare(a.id[:], b.id[:]) })
	return shares
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

// PayRow is one person's line on the page of a run.
type PayRow struct {
	store.Payee
	Regular, Overtime, Double, Leave int64
	Gross                            string
	Earlier                          bool
	Waiting                          int   // cards not approved
	WaitingWorked                    int64 // the hours on them
	WaitingFrom                      when.Date
}

// RunPage is the page of a run, open or closed.
type RunPage struct {
	Loc          *time.Location      // of the place, for instants
	Group        string              // whose pay periods, "" for the company's
	Groups       []store.PeriodGroup // that have runs of their own
	Period       when.Period
	Closed       *store.Run
	Rows         []PayRow
	Total        PayRow
	CanClose     bool
	WhyNot       string // why the open run can't be closed yet
	ClosesFrom   time.Time
	WaitingCards int
	Runs         []store.Run // closed ones, the newest first
}

// PayRun reads the open run of the company's pay periods, or the closed one
// named.
func PayRun(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) (*RunPage, error) {
	return PayRunOf(ctx, a, actor, "", run)
}

// PayRunOf reads the open run of a group's pay periods, or the closed one
// named.
func PayRunOf(ctx context.Context, a *app.App, actor app.Actor, group string, run uuid.UUID) (*RunPage, error) {
	if actor.Scope("payrun.see") != app.All {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	page := &RunPage{Group: group, Loc: place.Loc}
	if page.Groups, err = store.PeriodGroups(ctx, a.DB); err != nil {
		return nil, err
	}
	if page.Runs, err = store.Runs(ctx, a.DB, 27); err != nil {
		return nil, err
	}
	if run != uuid.Nil {
		return page, closedRun(ctx, a, page, run, place)
	}
	return page, openRun(ctx, a, page, actor, place)
}

func closedRun(ctx context.Context, a *app.App, page *RunPage, id uuid.UUID, place *app.Company) error {
	r, err := store.GetRun(ctx, a.DB, id)
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	if err != nil {
		return err
	}
	sums, err := store.SumRun(ctx, a.DB, id)
	if err != nil {
		return err
	}
	page.Closed, page.Period, page.Group = &r, r.Period(), r.Group
	byID := map[uuid.UUID]store.RunSums{}
	for _, s := range sums {
		byID[s.Employment] = s
	}
	payees, err := store.Payees(ctx, a.DB, slices.Collect(maps.Keys(byID)))
	if err != nil {
		return err
	}
	for _, p := range payees {
		s := byID[p.Employment]
		page.add(PayRow{Payee: p, Regular: s.Regular, Overtime: s.Overtime, Double: s.Double, Leave: s.Leave,
			Gross: s.Gross.StringFixed(int32(place.CurrencyDecimals))})
	}
	page.Total.Gross = r.Gross.StringFixed(int32(place.CurrencyDecimals))
	return nil
}

func openRun(ctx context.Context, a *app.App, page *RunPage, actor app.Actor, place *app.Company) error {
	period, err := openPeriod(ctx, a.DB, place, page.Group, a.Now())
	if err != nil {
		return err
	}
	payroll, err := readPayroll(ctx, a.DB, place, page.Group, period)
	if err != nil {
		return err
	}
	draft, err := payroll.WorkOut()
	if err != nil {
		return err
	}
	page.Period = period
	waiting, err := store.NotApproved(ctx, a.DB, page.Group, min(period.To, place.Today(a.Now())-1))
	if err != nil {
		return err
	}
	waits := map[uuid.UUID]store.Waiting{}
	listed := slices.Collect(maps.Keys(draft.Sums))
	for _, w := range waiting {
		waits[w.Employment] = w
		listed = append(listed, w.Employment)
	}
	payees, err := store.Payees(ctx, a.DB, listed)
	if err != nil {
		return err
	}
	for _, p := range payees {
		sum, w := draft.Sums[p.Employment], waits[p.Employment]
		if sum == nil {
			sum = &DraftSum{}
		}
		page.add(PayRow{Payee: p, Regular: sum.Regular, Overtime: sum.Overtime, Double: sum.Double, Leave: sum.Leave,
			Gross:   sum.Gross.Decimal(place.CurrencyDecimals),
			Earlier: sum.Earlier, Waiting: w.Cards, WaitingWorked: w.Worked, WaitingFrom: w.First})
	}
	page.Total.Gross = draft.Gross.Decimal(place.CurrencyDecimals)
	page.ClosesFrom = app.ClosesFrom(place, period)
	if err := mayClose(actor, place, period, a.Now(), draft, payees); err != nil {
		page.WhyNot = err.Error()
	}
	page.CanClose = page.WhyNot == ""
	return nil
}

func (p *RunPage) add(r PayRow) {
	p.Rows = append(p.Rows, r)
	p.Total.Regular += r.Regular
	p.Total.Overtime += r.Overtime
	p.Total.Double += r.Double
	p.Total.Leave += r.Leave
	p.Total.Waiting += r.Waiting
	p.Total.WaitingWorked += r.WaitingWorked
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

// mayClose says why an actor can't close the run of a period now.
func mayClose(actor app.Actor, place *app.Company, period when.Period, now time.Time, draft *Draft, payees []store.Payee) error {
	if from := app.ClosesFrom(place, period); now.Before(from) {
		return refusal.New("run", "The pay period is still running",
			"It can be closed from "+from.In(place.Loc).Format("Mon 2 Jan, 15:04"))
	}
	var without []string
	for _, p := range payees {
		switch {
		case draft.Sums[p.Employment] == nil: // only its waiting cards are listed
		case p.Person == actor.ID:
			return refusal.New("run", "Your own pay is in this run", "Another manager or the owner closes it")
		case p.Coding == "required" && p.Account == "":
			without = append(without, p.Name())
		}
	}
	if len(without) > 0 {
		names := strings.Join(without[:min(3, len(without))], ", ")
		if len(without) > 3 {
			names += fmt.Sprintf(" and %d more", len(without)-3)
		}
		return refusal.New("run", "An account is required and missing for "+names,
			"Give them one on their pages, or for many at once under People")
	}
	return nil
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

// CloseRun closes the run of the open pay period: its lines are kept for
// ever, and the approved cards in it are paid. Seen is the gross that the
// person was shown, so that nothing is paid unseen.
type CloseRun struct {
	ID    uuid.UUID
	Group string // whose pay periods, "" for the company's
	Seen  string
}

// Permission is the act's name in the permission table.
func (CloseRun) Permission() string { return "payrun.close" }

func (c CloseRun) Do(ctx context.Context, t *app.Turn) error {
	if err := t.Proved("password"); err != nil {
		return err
	}
	if closed, err := c.closed(ctx, t); err != nil || closed {
		return err
	}
	period, err := openPeriod(ctx, t, t.Company, c.Group, t.Now)
	if err != nil {
		return err
	}
	payroll, err := readPayroll(ctx, t, t.Company, c.Group, period)
	if err != nil {
		return err
	}
	draft, err := payroll.WorkOut()
	if err != nil {
		return err
	}
	payees, err := store.Payees(ctx, t, slices.Collect(maps.Keys(draft.Sums)))
	if err != nil {
		return err
	}
	if err := mayClose(t.Actor, t.Company, period, t.Now, draft, payees); err != nil {
		return err
	}
	gross := draft.Gross.Decimal(t.Company.CurrencyDecimals)
	if c.Seen != period.From.String()+" "+gross {
		return refusal.New("run", "The run changed while you were looking", "It now pays "+gross+"; look at it and close it again")
	}
	draft.bookTo(payees)
	payable, err := store.PayableCards(ctx, t, c.Group, period.To)
	if err != nil {
		return err
	}
	run, acts := ClosedRun(c.ID, period, t.Actor.ID, t.Now, draft, payable, t.Company.CurrencyDecimals)
	run.Group = c.Group
	number, err := store.InsertRun(ctx, t.Tx, run, draft.Lines, acts, t.Company.CurrencyDecimals)
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: c.Permission()}, c.ID,
		map[string]any{"number": number, "from": period.From, "to": period.To, "gross": gross, "cards": len(payable)})
	return nil
}

// closed says whether the run was closed by this very act before, whose answer
// was lost on the way.
func (c CloseRun) closed(ctx context.Context, t *app.Turn) (bool, error) {
	r, err := store.GetRun(ctx, t, c.ID)
	switch {
	case store.NotFound(err):
		return false, nil
	case err != nil:
		return false, fmt.Errorf("read the run: %w", err)
	case r.ClosedBy != t.Actor.ID || r.Group != c.Group ||
		c.Seen != r.From.String()+" "+r.Gross.StringFixed(int32(t.Company.CurrencyDecimals)):
		return false, app.ErrConflict
	}
	return true, nil
}

// ClosedRun makes the rows of a run that is being closed: the run, the moves
// that mark its cards paid, and the run on its lines.
func ClosedRun(id uuid.UUID, period when.Period, by uuid.UUID, now time.Time, draft *Draft, payable []store.EmploymentDate,
	decimals int) (store.Run, []store.CardAct) {
	for i := range draft.Lines {
		draft.Lines[i].Run = id
	}
	acts := make([]store.CardAct, len(payable))
	for i, c := range payable {
		acts[i] = store.CardAct{ID: uuid.Must(uuid.NewV7()), Employment: c.Employment, Date: c.Date, Move: card.Pay, By: by,
			MadeAt: now, Batch: id, Run: &id}
	}
	return store.Run{ID: id, From: period.From, To: period.To, ClosedAt: now, ClosedBy: by,
		Gross: decimal.New(int64(draft.Gross), int32(-decimals))}, acts
}

// RunLines reads the lines of a closed run for a file.
func RunLines(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) ([]files.RunLine, store.Run, error) {
	if actor.Scope("payrun.download") != app.All {
		return nil, store.Run{}, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, store.Run{}, err
	}
	r, err := store.GetRun(ctx, a.DB, run)
	if store.NotFound(err) {
		return nil, r, app.ErrNotFound
	}
	if err != nil {
		return nil, r, err
	}
	rows, err := store.ExportLines(ctx, a.DB, run)
	lines := make([]files.RunLine, len(rows))
	for i, l := range rows {
		lines[i] = files.RunLine{Run: r.Number, From: r.From, To: r.To, Number: l.Number, Family: l.Family, Given: l.Given, Date: l.Date,
			Job: l.Job, JobName: l.JobName, Task: l.Task, CostCode: l.CostCode, WorkClass: l.WorkClass, PayCode: l.PayCode,
			Kind: l.Kind, Class: l.Class,
			Seconds: l.Seconds, Rate: TrimRate(l.Rate), Amount: l.Amount.StringFixed(int32(place.CurrencyDecimals)), Account: l.Account}
	}
	return lines, r, err
}

// TrimRate writes a stored rate with no more decimals than it needs.
func TrimRate(stored string) string {
	if r, err := pay.ParseRate(stored); err == nil {
		return r.String()
	}
	return stored
}
