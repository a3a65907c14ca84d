package payroll

import (
	"context"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/store"
)

// PayRow is one person's line on the page of a run.
type PayRow struct {
	store.Payee
	Regular, Overtime, Double, Leave int64
	Banked, Credited                 int64 // overtime banked, and what it comes to as time off
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
	Newcomers    []string    // with hours in it, of whom only the name is known
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
			Banked: s.Banked, Credited: s.Credited, Gross: s.Gross.StringFixed(int32(place.CurrencyDecimals))})
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
		if p.Incomplete {
			page.Newcomers = append(page.Newcomers, p.Name())
		}
		if sum == nil {
			sum = &DraftSum{}
		}
		page.add(PayRow{Payee: p, Regular: sum.Regular, Overtime: sum.Overtime, Double: sum.Double, Leave: sum.Leave,
			Banked: sum.Banked, Credited: sum.Credited,
			Gross:   sum.Gross.Decimal(place.CurrencyDecimals),
			Earlier: sum.Earlier, Waiting: w.Cards, WaitingWorked: w.Worked, WaitingFrom: w.First})
	}
	page.Total.Gross = draft.Gross.Decimal(place.CurrencyDecimals)
	page.ClosesFrom = app.ClosesFrom(place, period)
	ofJobs, err := store.JobAccounts(ctx, a.DB)
	if err != nil {
		return err
	}
	draft.bookTo(payees, ofJobs, place.NoAccount == "crew")
	if err := mayClose(actor, place, period, a.Now(), draft, payees); err != nil {
		page.WhyNot = err.Error()
	}
	page.CanClose = page.WhyNot == ""
	return nil
}
