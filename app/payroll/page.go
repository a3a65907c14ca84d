package payroll

import (
	"context"
	"encoding/hex"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// PayRow is one person's line on the page of a run.
type PayRow struct {
	store.Payee
	Regular, Overtime, Double, Leave int64
	Banked, Credited                 int64 // overtime banked, and what it comes to as time off
	Gross                            string
	Codes                            []string        // pay codes
	ByHand                           int64           // seconds that rest on an edge nobody clocked
	Compared                         *Compared       // nil where nothing stands out
	Beside                           [besides]string // "" for nothing
	Deducted                         string          // too
	Earlier                          bool
	Waiting                          int   // cards not approved
	WaitingWorked                    int64 // the hours on them
	WaitingFrom                      when.Date
	Asked                            bool             // somebody says what becomes of them before the run is closed
	Answer                           *store.RunAnswer // nil for nothing yet
}

// RunPage is the page of a run, open or closed.
type RunPage struct {
	Loc           *time.Location // of the place, for instants
	Group         string         // whose pay periods, "" for the company's
	Groups        []OpenPeriod   // of the company and of groups that have runs of their own, none where none has
	Currency      string         // of all its sums
	Period        when.Period
	Closed        *store.Run
	Rows          []PayRow
	Total         PayRow
	CanClose      bool
	Lines         string // the digest of what the open run pays, line by line
	WhyNot        string // why the open run can't be closed yet
	ClosesFrom    time.Time
	WaitingCards  int
	Runs          []store.Run        // closed ones, the newest first
	Own           *store.PreparedRun // a run of its own that was prepared, nil for that of the period
	Newcomers     []string           // with hours in it, of whom only the name is known
	TakesBack     []TakesBack        // from whom corrections take money back
	Unknown       []string           // layouts with pay codes of the run that they don't know
	NoCode        []string           // with hours in it that nobody names a pay code for
	NoHours       []string           // with nothing in it at all
	Claims        int                // that wait for somebody
	NoRate        []string           // with hours in it at no rate
	BelowLeast    []Below            // with an hour in it below the least wage of its site and day,
	BelowSalary   []Below            // by an exempt salary below the least,
	BelowDeducted []Below            // or left with less than the least wage after deductions
	Check         *store.RunCheck
	Lapsed        bool      // the run isn't any more what was checked
	Differs       []Differs // of whom
	SecondCheck   bool      // one is wanted before it's closed
	MayCheck      bool
	Tasks         []store.RunTask
	Against       *store.Run    // the run that it's compared with
	Over          int           // what differs by more percent stands out
	Besides       []Besides     // sums beside hours that somebody has in it
	Deducted      string        // by all, "" for nothing
	Answered      []AnsweredRow // of a closed run: whose hours nobody had approved
}

// How far a run is.
const (
	StateDraft   = "draft"   // it follows the cards
	StateChecked = "checked" // somebody else looked it over, and it is still what they saw
	StateClosed  = "closed"
)

// State says how far it is.
func (p *RunPage) State() string {
	switch {
	case p.Closed != nil:
		return StateClosed
	case p.Check != nil && !p.Lapsed:
		return StateChecked
	}
	return StateDraft
}

// OpenPeriod is the pay period of a group whose run is open.
type OpenPeriod struct {
	app.PayDates
	People int  // who are in the group, 0 for the company's
	Due    bool // it can be closed
}

// openPeriods reads that of the company and of each group, none where no group has pay periods of its own.
func openPeriods(ctx context.Context, q store.Q, place *app.Company, now time.Time) ([]OpenPeriod, error) {
	groups, err := store.PeriodGroups(ctx, q)
	if err != nil || len(groups) == 0 {
		return nil, err
	}
	var open []OpenPeriod
	for _, g := range append([]store.PeriodGroup{{}}, groups...) {
		period, err := openPeriod(ctx, q, place, g.Name, now)
		if err != nil {
			return nil, err
		}
		from := app.ClosesFrom(place, period)
		open = append(open, OpenPeriod{app.PayDates{Group: g.Name, Period: period, Closes: from}, g.People, !now.Before(from)})
	}
	return open, nil
}

// TakesBack is somebody from whom a correction takes money back.
type TakesBack struct {
	store.Payee
	Amount string
	How    string // what was said becomes of it, "" for nothing yet
	Runs   int
}

// Besides are sums beside hours that are in a run.
type Besides struct {
	Of          int // of [PayRow.Beside]
	Name, Total string
}

// AnsweredRow is somebody whose hours nobody had approved when a run was closed.
type AnsweredRow struct {
	store.Payee
	store.RunPerson
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

// sums adds up what the rows have beside hours, and what is deducted.
func (p *RunPage) sums(decimals int) {
	total := func(of func(PayRow) string) (sum decimal.Decimal, some bool) {
		for _, r := range p.Rows {
			if text := of(r); text != "" {
				sum, some = sum.Add(decimal.RequireFromString(text)), true
			}
		}
		return sum, some
	}
	for i, name := range besideNames {
		if sum, some := total(func(r PayRow) string { return r.Beside[i] }); some {
			p.Besides = append(p.Besides, Besides{Of: i, Name: name, Total: sum.StringFixed(int32(decimals))})
		}
	}
	if sum, some := total(func(r PayRow) string { return r.Deducted }); some {
		p.Deducted = sum.StringFixed(int32(decimals))
	}
}

// orNone writes a sum, "" for nothing.
func orNone(a pay.Amount, decimals int) string {
	if a == 0 {
		return ""
	}
	return a.Decimal(decimals)
}

// PayRun reads the open run of the company's pay periods, or the closed one
// named.
func PayRun(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) (*RunPage, error) {
	return PayRunOf(ctx, a, actor, "", run)
}

// PayRunOf reads the open run of a group's pay periods, or the closed one
// named.
func PayRunOf(ctx context.Context, a *app.App, actor app.Actor, group string, run uuid.UUID) (*RunPage, error) {
	return ComparedRun(ctx, a, actor, group, run, uuid.Nil, 0)
}

// ComparedRun is [PayRunOf] beside another closed run, where one is named: what differs by more than some percent
// stands out, with why.
func ComparedRun(ctx context.Context, a *app.App, actor app.Actor, group string, run, against uuid.UUID, over int) (*RunPage, error) {
	if actor.Scope("payrun.see") != app.All {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	page := &RunPage{Group: group, Loc: place.Loc}
	if page.Groups, err = openPeriods(ctx, a.DB, place, a.Now()); err != nil {
		return nil, err
	}
	if page.Runs, err = store.Runs(ctx, a.DB, 27); err != nil {
		return nil, err
	}
	if run != uuid.Nil {
		err = closedRun(ctx, a, page, run, place)
	} else {
		err = fillOpen(ctx, a, page, actor, place)
	}
	if err != nil || against == uuid.Nil {
		return page, err
	}
	i := slices.IndexFunc(page.Runs, func(r store.Run) bool { return r.ID == against })
	if i < 0 || place.PaidIn(page.Runs[i].Currency).Currency != page.Currency { // sums of two currencies aren't held against one another
		return nil, app.ErrNotFound
	}
	return page, page.compare(ctx, a.DB, page.Runs[i], over, place.PaidIn(page.Currency).CurrencyDecimals)
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
	place = place.PaidIn(r.Currency)
	page.Closed, page.Period, page.Group, page.Currency = &r, r.Period(), r.Group, place.Currency
	if r.Check != nil {
		check, err := store.GetRunCheck(ctx, a.DB, *r.Check)
		if err != nil {
			return err
		}
		page.Check = &check
	}
	byID := map[uuid.UUID]store.RunSums{}
	for _, s := range sums {
		byID[s.Employment] = s
	}
	payees, err := store.Payees(ctx, a.DB, slices.Collect(maps.Keys(byID)))
	if err != nil {
		return err
	}
	some := func(d decimal.Decimal) string {
		return orNone(pay.Amount(d.Shift(int32(place.CurrencyDecimals)).IntPart()), place.CurrencyDecimals)
	}
	for _, p := range payees {
		s := byID[p.Employment]
		page.add(PayRow{Payee: p, Regular: s.Regular, Overtime: s.Overtime, Double: s.Double, Leave: s.Leave,
			Codes: s.Codes, Banked: s.Banked, Credited: s.Credited, Gross: s.Gross.StringFixed(int32(place.CurrencyDecimals)),
			Beside:   [besides]string{some(s.Holiday), some(s.Added), some(s.Extra), some(s.Expense), some(s.Fringe)},
			Deducted: some(s.Deducted)})
	}
	page.sums(place.CurrencyDecimals)
	page.Total.Gross = r.Gross.StringFixed(int32(place.CurrencyDecimals))
	answered, err := store.RunAnswered(ctx, a.DB, id)
	if err != nil {
		return err
	}
	var of []uuid.UUID
	for _, p := range answered {
		of = append(of, p.Employment)
	}
	whose, err := store.Payees(ctx, a.DB, of)
	if err != nil {
		return err
	}
	for _, p := range whose {
		i := slices.IndexFunc(answered, func(r store.RunPerson) bool { return r.Employment == p.Employment })
		page.Answered = append(page.Answered, AnsweredRow{p, answered[i]})
	}
	return nil
}

func fillOpen(ctx context.Context, a *app.App, page *RunPage, actor app.Actor, place *app.Company) error {
	r, err := readRun(ctx, a.DB, place, page.Group, page.Own, a.Now())
	if err != nil {
		return err
	}
	place = r.place
	page.Period, page.Currency, page.Lines = r.period, place.Currency, hex.EncodeToString(r.digest)
	byHand, err := store.HoursByHand(ctx, a.DB, r.period, slices.Collect(maps.Keys(r.draft.Sums)))
	if err != nil {
		return err
	}
	if page.Unknown, err = r.unknownCodes(ctx, a.DB); err != nil {
		return err
	}
	for _, p := range r.payees {
		sum, w := r.draft.Sums[p.Employment], r.waits[p.Employment]
		if p.Incomplete {
			page.Newcomers = append(page.Newcomers, p.Name())
		}
		if sum == nil {
			sum = &DraftSum{}
		}
		row := PayRow{Payee: p, Regular: sum.Regular, Overtime: sum.Overtime, Double: sum.Double, Leave: sum.Leave,
			Codes: sum.Codes, Banked: sum.Banked, Credited: sum.Credited, Gross: sum.Gross.Decimal(place.CurrencyDecimals),
			Deducted: orNone(sum.Deducted, place.CurrencyDecimals), Earlier: sum.Earlier, Waiting: w.Cards, WaitingWorked: w.Worked,
			WaitingFrom: w.First}
		for i, amount := range sum.Beside {
			row.Beside[i] = orNone(amount, place.CurrencyDecimals)
		}
		row.Asked, row.ByHand = w.Asked, byHand[p.Employment]
		if sum, is := r.back[p.Employment]; is {
			back := TakesBack{Payee: p, Amount: sum.Decimal(place.CurrencyDecimals)}
			if said, is := r.taken[p.Employment]; is && r.decided(p.Employment, sum) {
				back.How, back.Runs = said.How, said.Runs
			}
			page.TakesBack = append(page.TakesBack, back)
		}
		if answer, is := r.answers[p.Employment]; is && w.Asked {
			row.Answer = &answer
		}
		page.add(row)
	}
	page.sums(place.CurrencyDecimals)
	page.Total.Gross = r.draft.Gross.Decimal(place.CurrencyDecimals)
	page.ClosesFrom = app.ClosesFrom(place, r.period)
	page.NoRate, page.NoCode = r.withoutRate(), r.withoutCode()
	if page.Own == nil {
		if page.NoHours, err = r.withoutHours(ctx, a.DB); err != nil {
			return err
		}
	}
	if page.Claims, err = store.CountOpenClaims(ctx, a.DB, nil); err != nil {
		return err
	}
	page.BelowLeast, page.BelowDeducted, page.BelowSalary = r.below()
	page.Check, page.SecondCheck, page.MayCheck = r.check, place.SecondCheck, actor.May("payrun.check") && !r.pays(actor.ID)
	if page.Differs, err = r.differs(ctx, a.DB); err != nil {
		return err
	}
	page.Lapsed = r.lapsed()
	if page.Tasks, err = store.RunTasks(ctx, a.DB, page.Group, r.period.From); err != nil {
		return err
	}
	if err := r.mayClose(actor); err != nil {
		page.WhyNot = err.Error()
	}
	page.CanClose = page.WhyNot == ""
	return nil
}
