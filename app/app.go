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
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"reflect"
	"slices"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/core/refusal"
	"manudex/store"
)

// App is the application on one node.
type App struct {
	DB  *store.DB
	Now func() time.Time
	Log *slog.Logger

	Post    Post    // how mail is sent
	Texts   Texts   // how text messages are
	Keys    Keyring // by which account numbers are encrypted
	Address string  // where people reach the server, for links in both: https://hours.example

	Live     *Hub
	announce *announcer
	queue    *river.Client[*sql.Tx] // puts jobs in, and works none
	place    atomic.Pointer[Company]

	forgotten atomic.Int64 // how often the settings were
	heard     atomic.Int64 // when the listening connection was last alive, in Unix nanoseconds
}

// New makes the application. Now may be nil for the real time.
func New(db *store.DB, now func() time.Time, log *slog.Logger) *App {
	if now == nil {
		now = time.Now
	}
	a := &App{DB: db, Now: now, Log: log, Live: NewHub()}
	a.announce = newAnnouncer(db, log)
	var err error
	if a.queue, err = newQueue(db); err != nil {
		panic(err) // its configuration is written here, and right
	}
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

// Act is something that can be done. An act is a small struct: what goes in.
type Act interface {
	// Permission is what the act takes, by its name in the permission table.
	Permission() string
	Do(ctx context.Context, t *Turn) error
}

// NameOf is what an act is called: its type.
func NameOf(act Act) string { return reflect.TypeOf(act).Name() }

// Alone is an act during which no other is done: one that changes the
// company's settings, or what was or will be paid.
type Alone interface {
	Act
	Alone()
}

// Ahead is an act that says what it is going to read, so that this comes with
// the first round trip. The statements read into something that the act keeps
// in the turn.
type Ahead interface {
	Act
	Ahead(t *Turn) (asks []store.Ask, keep any)
}

// Ahead is what the act kept, nil where it must read by itself.
func (t *Turn) Ahead() any { return t.ahead }

// Turn is one act being done: its transaction, who does it and when.
type Turn struct {
	*store.Tx
	Actor   Actor
	Act     string // its name in the permission table
	Now     time.Time
	Company *Company // as the transaction finds it

	ahead  any // what the act read on the way in
	queue  *river.Client[*sql.Tx]
	audit  []store.Audit
	events []store.Event
	told   []Notice
}

// Record notes what was done about what; it becomes an audit row and a live
// event.
func (t *Turn) Record(about store.Event, id uuid.UUID, detail any) {
	t.audit = append(t.audit, store.Audit{MadeAt: t.Now, Person: t.Actor.ID, Act: about.Act, About: id, Detail: detail})
	t.events = append(t.events, about)
}

// Proved is nil where the actor has just typed their password, or holds nothing
// that asks for it. Its refusal is for the field named.
func (t *Turn) Proved(field string) error {
	if t.Actor.Proved || !t.Actor.HoldsPay() {
		return nil
	}
	return refusal.New(field, "Your password is needed for this", "Type it once more")
}

// settings is the event that makes nodes read the company's settings anew.
const settings = "settings"

// RecordSetting notes that something of the company's settings was set.
func (t *Turn) RecordSetting(about uuid.UUID, detail any) {
	t.Record(store.Event{Act: settings}, about, detail)
}

// Refresh reads the settings anew, after the act has changed some of them.
func (t *Turn) Refresh(ctx context.Context) error {
	c, err := ReadCompany(ctx, t.Tx)
	if err != nil {
		return err
	}
	c.Limits = c.LimitsOn(c.Today(t.Now))
	t.Company = c
	return nil
}

// Errors that ways in turn into answers of their own. A *refusal.Refusal is the
// third kind: what was asked can't be done, and why.
var (
	ErrForbidden = errors.New("you may not do this")
	ErrNotFound  = errors.New("there is no such thing here")
	ErrBusy      = errors.New("too much is asked at once")
	ErrConflict  = errors.New("this was sent before with other content")
)

// Do does an act: all of it, or nothing.
func (a *App) Do(ctx context.Context, actor Actor, act Act) error {
	if !actor.May(act.Permission()) {
		return ErrForbidden
	}
	var t *Turn
	err := a.DB.Act(ctx, func(tx *store.Tx) error {
		t = &Turn{Tx: tx, queue: a.queue, Actor: actor, Act: act.Permission(), Now: a.Now()}
		return a.turn(ctx, t, act)
	})
	switch {
	case store.NotFound(err):
		return ErrNotFound
	case store.Violates(err, "stint_no_overlap"), store.Violates(err, "stint_open"):
		return refusal.New("act", "You are on the clock in another position at that time", "Clock out there first")
	case err != nil:
		return err
	}
	if t.set() {
		a.forget() // this node knows at once; the others are told
	}
	a.announce.tell(t.events)
	return nil
}

// ByTime does what time alone brings, asked for by nobody: a job calls it, and no request.
// The act finds no actor in its turn.
func (a *App) ByTime(ctx context.Context, act Act) error {
	var t *Turn
	err := a.DB.Act(ctx, func(tx *store.Tx) error {
		t = &Turn{Tx: tx, queue: a.queue, Act: act.Permission(), Now: a.Now()}
		return a.turn(ctx, t, act)
	})
	if err == nil {
		a.announce.tell(t.events)
	}
	return err
}

// enter passes the gate, and reads what the act will need along with that.
func (a *App) enter(ctx context.Context, t *Turn, act Act, alone bool) error {
	var version int64
	asks := []store.Ask{store.Enter(alone, &version)}
	before := a.place.Load() // perhaps a moment old, and none after a change
	if act, ok := act.(Ahead); ok && before != nil {
		t.Company = before
		more, keep := act.Ahead(t)
		asks, t.ahead = append(asks, more...), keep
	}
	if err := t.Send(ctx, asks...); err != nil {
		return fmt.Errorf("begin an act: %w", err)
	}
	var err error
	if t.Company, err = a.companyAt(ctx, t.Tx, version); err != nil {
		return err
	}
	if before == nil || t.Company.Version != before.Version {
		t.ahead = nil // it was asked by other settings
	}
	return nil
}

// turn does an act in its transaction.
func (a *App) turn(ctx context.Context, t *Turn, act Act) error {
	_, alone := act.(Alone)
	if err := a.enter(ctx, t, act, alone); err != nil {
		return err
	}
	if err := act.Do(ctx, t); err != nil {
		return err
	}
	if err := t.writeNotices(ctx, a.waysOut()); err != nil {
		return err
	}
	for i := range t.audit {
		t.audit[i].Name = NameOf(act)
	}
	if err := store.InsertAudits(ctx, t.Together(), t.audit...); err != nil {
		return err
	}
	switch {
	case !t.set():
		return nil
	case !alone:
		return fmt.Errorf("%T changes the settings and isn't alone", act)
	}
	return store.SettingsChanged(ctx, t.Tx)
}

// set says whether the turn changed the company's settings.
func (t *Turn) set() bool {
	return slices.ContainsFunc(t.events, func(e store.Event) bool { return e.Act == settings })
}
