// Package app is the kernel of the acts and reads of Manudex: everything anyone
// can do or see, whatever way they come in. The acts and reads themselves are
// in the rooms beside it, a package for each area.
//
// [App.Do] is the one way to change anything. It asks the permission table
// who may, opens the transaction, lets the act do its work, writes the audit
// row and, once all is committed, tells the live pages. Reads are functions
// that take the App and the actor.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// App is the application on one node.
type App struct {
	DB  *store.DB
	Now func() time.Time
	Log *slog.Logger

	Post Post // how mail is sent

	Live     *Hub
	announce *announcer
	place    atomic.Pointer[Company]
}

// New makes the application. Now may be nil for the real time.
func New(db *store.DB, now func() time.Time, log *slog.Logger) *App {
	if now == nil {
		now = time.Now
	}
	a := &App{DB: db, Now: now, Log: log, Live: NewHub()}
	a.announce = newAnnouncer(db, log)
	return a
}

// Run keeps the node's live events flowing until the context ends.
func (a *App) Run(ctx context.Context) {
	done := make(chan struct{})
	go func() {
		defer close(done)
		a.announce.run(ctx)
	}()
	a.listen(ctx)
	<-done
}

// Company is what the company has set, ready for use.
type Company struct {
	store.Company
	Limits   card.Limits     // as they hold now
	Rules    []store.RuleSet // the oldest first
	Figures  []store.Figures // the oldest first; those of the company before
	Holidays []store.Holiday
	Map      []geo.Shape // drawn beneath maps
}

// LimitsOn gives the figures by which the cards of a worked date are judged.
func (p *Company) LimitsOn(d when.Date) card.Limits {
	figures, breaks := p.Company.Figures(), clock.USBreaks
	for _, f := range p.Figures {
		if f.StartsOn <= d {
			figures = f
		}
	}
	for i, r := range p.Rules {
		if r.From <= d || i == 0 {
			breaks = r.Rules.Breaks
		}
	}
	return figures.Limits(breaks, p.SignRequired)
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

// Company reads the company's settings; they are kept until an event says that
// they changed.
func (a *App) Company(ctx context.Context) (*Company, error) {
	kept := a.place.Load()
	if kept == nil {
		var err error
		if kept, err = ReadCompany(ctx, a.DB); err != nil {
			return nil, err
		}
		a.place.Store(kept)
	}
	p := *kept
	p.Limits = p.LimitsOn(p.Today(a.Now()))
	return &p, nil
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

// Act is something that can be done. An act is a small struct: what goes in.
type Act interface {
	// Name is the act's name in the permission table.
	Permission() string
	Do(ctx context.Context, t *Turn) error
}

// Turn is one act being done: its transaction, who does it and when.
type Turn struct {
	*sqlx.Tx
	Actor   Actor
	Act     string // its name in the permission table
	Now     time.Time
	Company *Company

	audit  []store.Audit
	events []store.Event
}

// Record notes what was done about what; it becomes an audit row and a live
// event.
func (t *Turn) Record(about store.Event, id uuid.UUID, detail any) {
	t.audit = append(t.audit, store.Audit{MadeAt: t.Now, Person: t.Actor.ID, Act: about.Act, About: id, Detail: detail})
	t.events = append(t.events, about)
}

// Errors that ways in turn into answers of their own. A *clock.Refusal is the
// third kind: what was asked can't be done, and why.
var (
	ErrForbidden = errors.New("you may not do this")
	ErrNotFound  = errors.New("there is no such thing here")
	ErrConflict  = errors.New("this was sent before with other content")
)

// Do does an act: all of it, or nothing.
func (a *App) Do(ctx context.Context, actor Actor, act Act) error {
	if !actor.May(act.Permission()) {
		return ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return err
	}
	t := &Turn{Actor: actor, Act: act.Permission(), Now: a.Now(), Company: place}
	err = a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		t.Tx = tx
		if err := act.Do(ctx, t); err != nil {
			return err
		}
		for _, row := range t.audit {
			if err := store.InsertAudit(ctx, tx, row); err != nil {
				return fmt.Errorf("audit: %w", err)
			}
		}
		return nil
	})
	switch {
	case store.NotFound(err):
		return ErrNotFound
	case store.Violates(err, "stint_no_overlap"), store.Violates(err, "stint_open"):
		return clock.Refuse("act", "You are on the clock in another position at that time", "Clock out there first")
	case err != nil:
		return err
	}
	for _, e := range t.events {
		if e.Act == "settings" {
			a.place.Store(nil) // this node knows at once; the others are told
		}
	}
	a.announce.tell(t.events)
	return nil
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

// NextWeek gives the first day of a workweek on or after a date.
func NextWeek(place *Company, d when.Date) when.Date {
	rules := pay.DefaultRules(place.Loc)
	if set := place.RuleSetOn(d); set != nil {
		rules = set.Rules
	}
	first := rules.FirstDay(d)
	if first < d {
		first += rules.WeekDays()
	}
	return first
}
