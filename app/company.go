package app

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// Company is what the company has set, ready for use.
type Company struct {
	store.Company
	Limits   card.Limits     // as they hold now
	Rules    []store.RuleSet // the oldest first
	Figures  []store.Figures // the oldest first; those of the company before
	Holidays []store.Holiday
	Map      []geo.Shape // drawn beneath maps
	// Elsewhere says that it is the place as [Company.PaidIn] gives it, for people paid in another currency than
	// its own.
	Elsewhere bool
}

// LimitsOn gives the figures by which the cards of a worked date are judged.
func (p *Company) LimitsOn(d when.Date) card.Limits {
	figures := p.Company.Figures()
	for _, f := range p.Figures {
		if f.StartsOn <= d {
			figures = f
		}
	}
	breaks, meals := clock.USBreaks, clock.Meals{}
	if rules := p.RulesOn(d); len(p.Rules) > 0 {
		breaks = rules.Breaks
		if rules.MealPremium.Length > 0 {
			meals = rules.MealPremium.Meals()
		}
	}
	lim := figures.Limits(breaks, meals, p.SignRequired)
	lim.Loc, lim.MostAWeek = p.Loc, time.Duration(p.MostAWeek)*time.Second
	return lim
}

// RulesOn gives the pay rules of a worked day; the zero rules where there are none.
func (p *Company) RulesOn(d when.Date) (rules pay.Rules) {
	for i, r := range p.Rules {
		if r.From <= d || i == 0 {
			rules = r.Rules
		}
	}
	return rules
}

// Holiday says whether a date is a holiday of the place.
func (p *Company) Holiday(d when.Date) bool {
	_, found := slices.BinarySearchFunc(p.Holidays, d, func(h store.Holiday, d when.Date) int { return int(h.Date - d) })
	return found
}

// Today is the worked date at now.
func (p *Company) Today(now time.Time) when.Date {
	return when.WorkedDate(now, p.Loc, time.Duration(p.CutOver)*time.Second)
}

// SignatureDue is when the signature of a worked day's card is overdue: at the place's time
// of the next working day.
func (p *Company) SignatureDue(d when.Date, loc *time.Location) time.Time {
	next := d + 1
	for next.Weekday() == time.Saturday || next.Weekday() == time.Sunday || p.Holiday(next) {
		next++
	}
	return next.At(time.Duration(p.UnsignedAt)*time.Second, loc)
}

// Company reads the company's settings for a page; they are kept until an
// event says that they changed, or the node finds so by itself. An act goes by
// those of its [Turn].
func (a *App) Company(ctx context.Context) (*Company, error) {
	c, err := a.companyAt(ctx, nil, 0)
	if err != nil {
		return nil, err
	}
	return c, nil
}

// companyAt gives the settings of a version as a transaction sees them, or,
// without one, as they are kept. What is read while they change elsewhere isn't
// kept.
func (a *App) companyAt(ctx context.Context, tx store.Q, version int64) (*Company, error) {
	kept, forgotten := a.place.Load(), a.forgotten.Load()
	if kept == nil || tx != nil && kept.Version != version {
		read := func(q store.Q) (err error) { kept, err = ReadCompany(ctx, q); return err }
		var err error
		if tx != nil {
			err = read(tx)
		} else {
			err = a.DB.Snapshot(ctx, func(tx *sqlx.Tx) error { return read(tx) })
		}
		if err != nil {
			return nil, err
		}
		if a.forgotten.Load() == forgotten {
			a.place.Store(kept)
		}
	}
	c := *kept
	c.Limits = c.LimitsOn(c.Today(a.Now()))
	return &c, nil
}

// forget forgets the settings, after which they are read anew.
func (a *App) forget() {
	a.forgotten.Add(1)
	a.place.Store(nil)
}

// ReadCompany reads the company's settings, figures, holidays and rule sets.
func ReadCompany(ctx context.Context, q store.Q) (*Company, error) {
	c, err := store.GetCompany(ctx, q)
	if err != nil {
		return nil, err
	}
	p := &Company{Company: c}
	if p.Rules, err = store.RuleSets(ctx, q, c); err != nil {
		return nil, err
	}
	if p.Figures, err = store.DatedFigures(ctx, q); err != nil {
		return nil, fmt.Errorf("read figures: %w", err)
	}
	if p.Holidays, err = store.Holidays(ctx, q); err != nil {
		return nil, fmt.Errorf("read holidays: %w", err)
	}
	data, err := store.CompanyMap(ctx, q)
	if err != nil {
		return nil, fmt.Errorf("read the map: %w", err)
	}
	if len(data) > 0 {
		if p.Map, err = files.ReadMap(data); err != nil {
			return nil, fmt.Errorf("read the map: %w", err)
		}
	}
	return p, nil
}

// NewestFigures are those that begin last, be it tomorrow.
func (p *Company) NewestFigures() store.Figures {
	if n := len(p.Figures); n > 0 {
		return p.Figures[n-1]
	}
	return p.Company.Figures()
}

// RuleSetOn gives the rule set in force on a date, nil where there is none.
func (p *Company) RuleSetOn(d when.Date) *store.RuleSet {
	var in *store.RuleSet
	for i := range p.Rules {
		if p.Rules[i].From <= d || in == nil {
			in = &p.Rules[i]
		}
	}
	return in
}

// rulesOn gives the pay rules in force on a date, the simplest where there are none.
func (p *Company) rulesOn(d when.Date) pay.Rules {
	if set := p.RuleSetOn(d); set != nil {
		return set.Rules
	}
	return pay.DefaultRules(p.Loc)
}

// WeekOf gives the first day of the workweek of a date.
func (p *Company) WeekOf(d when.Date) when.Date { return p.rulesOn(d).FirstDay(d) }

// NextWeek gives the first day of a workweek on or after a date.
func NextWeek(place *Company, d when.Date) when.Date {
	rules := place.rulesOn(d)
	first := rules.FirstDay(d)
	if first < d {
		first += rules.WeekDays()
	}
	return first
}
