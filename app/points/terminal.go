package points

import (
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"crypto/x509"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/store"
)

// A shared terminal is a browser that holds a key of a clock point. Whoever stands before
// it types their number and their PIN, which leaves the browser sealed: neither a PIN nor
// what proves one is ever on the device. See docs/decisions/031.

// OpenTerminal finds the clock point of a shared terminal by its key; app.ErrNotFound
// where that opens none any more.
func OpenTerminal(ctx context.Context, a *app.App, key string) (Device, error) {
	d, err := Open(ctx, a, key)
	if err == nil && !d.Terminal {
		err = app.ErrNotFound
	}
	return d, err
}

var sealing struct {
	sync.Mutex
	key *rsa.PrivateKey
}

// SealKey is the secret to which terminals seal what is typed; it is made when first asked
// for, and one for all nodes.
func SealKey(ctx context.Context, a *app.App) (*rsa.PrivateKey, error) {
	private, err := store.TerminalSecret(ctx, a.DB, func() ([]byte, error) {
		key, err := rsa.GenerateKey(rand.Reader, 2048)
		if err != nil {
			return nil, err
		}
		return x509.MarshalPKCS8PrivateKey(key)
	}, a.Now())
	if err != nil {
		return nil, err
	}
	key, err := x509.ParsePKCS8PrivateKey(private)
	if err != nil {
		return nil, fmt.Errorf("read the secret of terminals: %w", err)
	}
	return key.(*rsa.PrivateKey), nil
}

// Typed is what was typed at a terminal: whose number, and the PIN as the browser sealed
// it (RSA-OAEP with SHA-256, in base64, of {"pin": …, "for": the id of what it is for}),
// so that it can be used for nothing else. The PIN is plain where a browser can't seal.
type Typed struct {
	Number, Sealed, PIN string
	For                 uuid.UUID
}

// pin gives the PIN that was typed; "" where nothing can be read.
func (y Typed) pin(ctx context.Context, a *app.App) (string, error) {
	if y.Sealed == "" {
		return y.PIN, nil
	}
	key, err := SealKey(ctx, a)
	if err != nil {
		return "", err
	}
	data, err := base64.StdEncoding.DecodeString(y.Sealed)
	if err != nil {
		return "", nil
	}
	plain, err := rsa.DecryptOAEP(sha256.New(), nil, key, data, nil)
	var said struct {
		PIN string    `json:"pin"`
		For uuid.UUID `json:"for"`
	}
	if err != nil || json.Unmarshal(plain, &said) != nil || said.For != y.For {
		return "", nil
	}
	return said.PIN, nil
}

// ErrPIN is a PIN that is not the one of whose number was typed, or that there is none.
var ErrPIN = errors.New("not the PIN of that number")

// WaitError is that somebody typed too many wrong PINs and waits.
type WaitError struct{ Until time.Time }

func (w WaitError) Error() string { return "too many wrong PINs; wait" }

// vouch makes sure that whoever typed a number is who they say: by their PIN, or where
// somebody watches, by that.
func (d Device) vouch(ctx context.Context, a *app.App, person uuid.UUID, y Typed) error {
	if d.Watcher != nil {
		return nil
	}
	pin, err := y.pin(ctx, a)
	if err != nil {
		return err
	}
	try, err := store.TryPIN(ctx, a.DB, person, d.ID, a.Now())
	if err != nil {
		return err
	}
	if try.Waits() {
		until := a.Now().Add(time.Minute)
		if try.WaitsUntil != nil {
			until = *try.WaitsUntil
		}
		return WaitError{until}
	}
	right, err := people.IsPIN(ctx, pin, try.Hash)
	switch {
	case err != nil:
		return err
	case !right:
		return ErrPIN
	}
	return store.RightPIN(ctx, a.DB, person)
}

// actor is somebody who acts at the terminal.
func (d Device) actor(ctx context.Context, a *app.App, who store.AtPoint) (app.Actor, error) {
	actor, err := a.ActorIn(ctx, who.Person, who.Employment)
	actor.Point, actor.At = clock.AtTerminal, d.ID
	if d.Watcher != nil {
		actor.Watched = *d.Watcher
	}
	return actor, err
}

// Standing is what somebody sees of themselves at the terminal, once it is known that it is
// they.
type Standing struct {
	Who    store.AtPoint
	Page   *hours.ClockPage
	Breaks int64       // seconds of breaks in the attendance
	Worked int64       // of work in it
	Crew   []uuid.UUID // positions of those there for whom they may act
}

// Look answers who typed their number and PIN. Its error is [ErrPIN], [WaitError], or
// app.ErrNotFound for whom the terminal doesn't serve.
func (d Device) Look(ctx context.Context, a *app.App, y Typed) (*Standing, error) {
	who, err := d.Person(ctx, a, y.Number)
	if err != nil {
		return nil, err
	}
	if err := d.vouch(ctx, a, who.Person, y); err != nil {
		return nil, err
	}
	actor, err := d.actor(ctx, a, who)
	if err != nil {
		return nil, err
	}
	s := &Standing{Who: who}
	if s.Page, err = hours.ReadClockPage(ctx, a, actor); err != nil {
		return nil, err
	}
	s.Worked, s.Breaks = s.Page.Attendance()
	others, err := d.People(ctx, a)
	for _, o := range others {
		if o.Person != actor.ID && actor.Reaches("clock.other", o.Person, o.Unit) {
			s.Crew = append(s.Crew, o.Employment)
		}
	}
	return s, err
}

// Pressed is one act at a terminal. For is whose hours it is about, zero for whoever typed
// their number: a lead stands beside them.
type Pressed struct {
	Typed
	Punch hours.Punch
	Other uuid.UUID
}

// Take records what was pressed at the terminal. A PIN that proves wrong when it arrives
// makes it a claim: nobody loses their hours over it, and nobody else's count by it.
func (d Device) Take(ctx context.Context, a *app.App, p Pressed) (out Outcome, err error) {
	who, err := d.Person(ctx, a, p.Number)
	if err != nil {
		return out, err
	}
	actor, err := d.actor(ctx, a, who)
	if err != nil {
		return out, err
	}
	p.Typed.For = p.Punch.ID
	p.Punch.Claimed = func(why string) { out = Outcome{true, why} }
	err = d.vouch(ctx, a, who.Person, p.Typed)
	var waits WaitError
	if doubt := errors.Is(err, ErrPIN) || errors.As(err, &waits); doubt && !p.Punch.Queued {
		return out, err
	} else if doubt {
		p.Punch.Doubted = "The PIN was not theirs"
	} else if err != nil {
		return out, err
	}
	if !d.takes(p.Punch.Act) {
		p.Punch.Doubted = "This terminal doesn't take that"
	}
	if p.Other != uuid.Nil {
		if p.Punch.Doubted != "" {
			return out, app.ErrForbidden
		}
		return out, a.Do(ctx, actor, hours.PunchOther{Employment: p.Other, Punch: p.Punch})
	}
	if p.Punch.On.Job == uuid.Nil && (p.Punch.Act == clock.In || p.Punch.Act == clock.Switch) {
		if p.Punch.On, err = d.work(ctx, a, who, Press{Act: p.Punch.Act}); err != nil {
			return out, err
		}
	}
	return out, a.Do(ctx, actor, p.Punch)
}

// takes says whether the terminal takes an act. What keeps somebody on the clock is no
// setting: clocking out is always taken.
func (d Device) takes(act clock.Act) bool {
	name := map[clock.Act]string{clock.In: "in", clock.Switch: "switch", clock.BreakStart: "break", clock.BreakEnd: "break"}[act]
	return name == "" || act == clock.BreakEnd || slices.Contains(field.SplitList(d.ClockPoint.Takes), name)
}

// AskNewPIN keeps that somebody at the terminal forgot their PIN.
func (d Device) AskNewPIN(ctx context.Context, a *app.App, number string) error {
	who, err := d.Person(ctx, a, number)
	if err != nil {
		return err
	}
	actor, err := d.actor(ctx, a, who)
	if err != nil {
		return err
	}
	return a.Do(ctx, actor, people.AskPIN{Point: d.ID})
}

// Unserved is somebody whom a terminal can't serve yet, and why.
type Unserved struct{ Name, Why string }

// WhomNot lists those of the site whom the terminal can't serve yet.
func (d Device) WhomNot(ctx context.Context, a *app.App) (found []Unserved, err error) {
	all, err := d.People(ctx, a)
	for _, p := range all {
		var why []string
		if !p.Terminal {
			why = append(why, "isn’t given shared terminals")
		}
		if d.Watcher == nil && !p.PIN {
			why = append(why, "has no PIN")
		}
		if len(why) > 0 {
			found = append(found, Unserved{p.Given + " " + p.Family, strings.Join(why, ", and ")})
		}
	}
	return found, err
}

// Rows are the days of those whom the terminal serves, to be drawn: who is on the clock,
// was, or is planned.
func (d Device) Rows(ctx context.Context, a *app.App) ([]hours.DayRow, error) {
	all, err := d.People(ctx, a)
	if err != nil {
		return nil, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(all))
	for i, p := range all {
		ids[i] = p.Employment
	}
	return hours.DaysOf(ctx, a, ids, place.Today(a.Now()))
}

// Choices lists what can be clocked to at the terminal, with the classifications of public
// work by job.
func (d Device) Choices(ctx context.Context, a *app.App) ([]store.JobAt, map[uuid.UUID][]store.ClassOf, error) {
	found, err := d.Jobs(ctx, a)
	if err != nil {
		return nil, nil, err
	}
	today, err := d.today(ctx, a)
	if err != nil {
		return nil, nil, err
	}
	var jobs []uuid.UUID
	for _, j := range found {
		if n := len(jobs); n == 0 || jobs[n-1] != j.Job {
			jobs = append(jobs, j.Job)
		}
	}
	classes, err := store.ClassesOf(ctx, a.DB, jobs, today)
	byJob := map[uuid.UUID][]store.ClassOf{}
	for _, c := range classes {
		byJob[c.Job] = append(byJob[c.Job], c)
	}
	return found, byJob, err
}

// Planned gives what each of those there is planned on now, by position.
func (d Device) Planned(ctx context.Context, a *app.App) (map[uuid.UUID]clock.Assignment, error) {
	return store.AllPlannedAt(ctx, a.DB, d.Site, a.Now())
}

// WithoutPIN lists those of a clock point's site who clock at shared terminals and have no
// PIN, as far as the actor may give them one.
func WithoutPIN(ctx context.Context, a *app.App, actor app.Actor, point uuid.UUID) ([]uuid.UUID, error) {
	p, err := store.GetClockPoint(ctx, a.DB, point)
	if store.NotFound(err) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	d := Device{store.KeyHolder{ClockPoint: p}}
	all, err := d.People(ctx, a)
	var ids []uuid.UUID
	for _, who := range all {
		if who.Terminal && !who.PIN && who.Person != actor.ID && actor.Reaches("people.change", who.Person, who.Unit) &&
			!slices.Contains(ids, who.Person) {
			ids = append(ids, who.Person)
		}
	}
	return ids, err
}

// PINTroubles lists who asks for a new PIN, or for whom too many wrong ones were typed,
// since yesterday, of those to whom the actor may give one.
func PINTroubles(ctx context.Context, a *app.App, actor app.Actor) ([]store.PINTrouble, error) {
	if !actor.May("people.change") {
		return nil, nil
	}
	found, err := store.PINTroubles(ctx, a.DB, a.Now().Add(-24*time.Hour))
	return slices.DeleteFunc(found, func(p store.PINTrouble) bool { return !actor.Reaches("people.change", p.Person, p.Unit) }), err
}
