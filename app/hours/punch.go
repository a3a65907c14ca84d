// Package hours holds what is recorded of people's hours and what is worked
// out from it: punches, stints and day cards, the acts on cards, and the
// screens on which they are seen.
package hours

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/refusal"
	"manudex/store"
)

// Punch records one act at a clock point for the actor's own employment. Sent
// again under the same id it is answered as before; with other content it is
// ErrConflict.
type Punch struct {
	ID     uuid.UUID
	Act    clock.Act
	Break  clock.Kind
	On     clock.Assignment
	Marks  clock.Marks // those that its act can set count
	Place  *geo.Point
	Queued bool         // it waited at the device
	Moment clock.Moment // when the device was pressed, as it says; zero for now

	// Claimed, where it isn't nil, is told that the punch is kept as a claim, and why.
	Claimed func(why string)

	// Doubted says why the punch is kept as a claim, whatever it is; "" where it is to be
	// recorded.
	Doubted string
}

// Permission is the act's name in the permission table.
func (Punch) Permission() string { return "clock.punch" }

func (p Punch) Do(ctx context.Context, t *app.Turn) error {
	p = p.tidied()
	if t.Actor.Employment == nil {
		return noPosition()
	}
	read, err := p.read(ctx, t)
	if err != nil {
		return err
	}
	who, made := read.who, p.made(t)
	if who.Location == "off" {
		made.Place = nil
	}
	if p.Doubted != "" {
		if p.Claimed != nil {
			p.Claimed(p.Doubted)
		}
		return keepClaim(ctx, t, who, made, "refused", p.Doubted)
	}
	return punchFor(ctx, t, who, made, mayClockIn, read, p.Claimed)
}

// PunchLater records a punch that waited at somebody's own device. Where its id was
// used for something else, it is a claim under another, and still ErrConflict: its
// device keeps it to be seen.
func PunchLater(ctx context.Context, a *app.App, actor app.Actor, p Punch) error {
	p.Queued = true
	err := a.Do(ctx, actor, p)
	if !errors.Is(err, app.ErrConflict) {
		return err
	}
	p.ID = uuid.NewSHA1(p.ID, fmt.Appendf(nil, "%s %s %s %s", actor.ID, p.Act, p.Break, p.On))
	p.Doubted = "Another punch came under the same id"
	if err := a.Do(ctx, actor, p); err != nil {
		return err
	}
	return app.ErrConflict
}

// made is the punch as it counts when it arrives, by the point that the actor
// acts through.
func (p Punch) made(t *app.Turn) clock.Punch {
	now := t.Now
	made := clock.Punch{ID: p.ID, Act: p.Act, Break: p.Break, On: p.On, Marks: p.Act.With(p.Marks), Point: t.Actor.Point, Place: p.Place,
		Device: p.Moment.Pressed}
	made.Claimed, made.Doubt = p.Moment.At(now)
	if made = made.Settle(now); p.Queued || now.Sub(made.Claimed) > time.Minute {
		switch t.Actor.Point {
		case clock.AtPoint:
			made.Point = clock.PointQueue
		case clock.AtLine: // a line has no queue
		case clock.AtTerminal:
			made.Point = clock.TerminalQueue
		default:
			made.Point = clock.DelayQueue
		}
	}
	return made
}

// reading is what a punch goes by, read in one go.
type reading struct {
	who     store.Employment
	around  []store.Punch
	amended []store.Amendment // around it
	same    *store.Punch      // the very punch, where it was sent before
	job     *store.Clockable
}

// Ahead reads it on the way in.
func (p Punch) Ahead(t *app.Turn) ([]store.Ask, any) {
	if t.Actor.Employment == nil {
		return nil, nil
	}
	made, of := p.made(t), *t.Actor.Employment
	r := &reading{}
	asks := []store.Ask{store.AskEmployment(of, &r.who),
		store.AskPunchesAround(of, made.Claimed, made.ID, func(around []store.Punch, same *store.Punch) {
			r.around, r.same = around, same
		}),
		store.AskAmendmentsAround(of, made.Claimed, &r.amended)}
	if p.On.Job != uuid.Nil {
		asks = append(asks, store.AskClockable(p.On.Job, p.On.Task, p.On.Class, of, t.Company.Today(made.Claimed), &r.job))
	}
	return asks, r
}

// read gives what was read on the way in, or the employment alone.
func (p Punch) read(ctx context.Context, t *app.Turn) (*reading, error) {
	if r, ok := t.Ahead().(*reading); ok && r.who.ID != uuid.Nil {
		return r, nil
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	return &reading{who: who}, err
}

func noPosition() error {
	return refusal.New("act", "You have no hourly position here today", "Ask the office to add one")
}

// mayClockIn refuses a punch from a clock point that isn't the person's, and,
// from their own device, one without the location it needs. Only who is off
// the clock is asked: a setting never keeps anybody on it (29 CFR 785.11).
func mayClockIn(who store.Employment, p clock.Punch) error {
	own := p.Point.Way() == clock.OwnDevice
	switch {
	case p.Point.Way() == clock.Terminal && !slices.Contains(field.SplitList(who.Points), string(clock.Terminal)):
		return refusal.New("point", "They don't clock in at shared terminals",
			"Clock at: "+field.OrNothing(who.Points)+". The office can open this to them")
	case p.Point.Way() == clock.PhoneLine && !slices.Contains(field.SplitList(who.Points), string(clock.PhoneLine)):
		return refusal.New("point", "They don't clock in by phone",
			"Clock at: "+field.OrNothing(who.Points)+". The office can open this to them")
	case p.Point.Way() == clock.Device && !slices.Contains(field.SplitList(who.Points), string(clock.Device)):
		return refusal.New("point", "They don't clock in at a device of the site",
			"Clock at: "+field.OrNothing(who.Points)+". The office can open this to them")
	case own && !slices.Contains(field.SplitList(who.Points), string(clock.OwnDevice)):
		return refusal.New("point", "You don't clock in from your own phone or browser",
			"Clock at: "+field.OrNothing(who.Points)+". The office can open this to you")
	case own && p.Place == nil && who.Needed && who.Location != "off":
		return refusal.New("place", "Your punches need a location, and none came along",
			"Let this page see where you are, in the settings of your browser, or ask your lead")
	}
	return nil
}

// SeePlace keeps where the actor is along the way, while on the clock: no
// more often than the company says, and only after moving.
type SeePlace struct {
	ID    uuid.UUID
	Place geo.Point
}

// Permission is the act's name in the permission table.
func (SeePlace) Permission() string { return "clock.punch" }

func (s SeePlace) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return app.ErrNotFound
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	if err != nil {
		return err
	}
	last, err := store.LastStint(ctx, t, who.ID)
	if err != nil {
		return err
	}
	if who.Location != "along" || last == nil || !last.Open() || last.Kind == clock.Meal {
		return refusal.New("place", "Where you are is not taken now", "Nothing was kept")
	}
	before, err := store.LastTrackPoint(ctx, t, who.ID, last.Start)
	if err != nil {
		return err
	}
	if before != nil && (t.Now.Sub(before.At) < time.Duration(t.Company.LocationInterval)*time.Second ||
		geo.Metres(before.Point, s.Place) < float64(t.Company.LocationMoved)) {
		return nil // too soon, or too near
	}
	return store.InsertTrackPoint(ctx, t, store.TrackPoint{ID: s.ID, Employment: who.ID, At: t.Now, Point: s.Place})
}

// PunchFor records a punch of a locked employment and rebuilds what follows
// from it. Sent again it is answered as before, whatever became of settings
// since; allow, which may be nil, is asked of who is off the clock.
func PunchFor(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch,
	allow func(store.Employment, clock.Punch) error) error {
	return punchFor(ctx, t, who, p, allow, nil, nil)
}

// punchFor is [PunchFor], with what was read before, if anything was; claimed, which may be
// nil, is told that it is kept as a claim. What was pressed at a device of the company's or
// waited in a queue can't be pressed again: refused, it is a claim.
func punchFor(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch,
	allow func(store.Employment, clock.Punch) error, read *reading, claimed func(why string)) error {
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	made := p.Settle(t.Now)
	if read == nil || t.Ahead() == nil {
		read = &reading{}
		if read.around, read.same, err = store.PunchesAround(ctx, t, who.ID, made.Claimed, p.ID); err != nil {
			return err
		}
		if read.amended, err = store.AmendmentsAroundAll(ctx, t, []store.At{{Employment: who.ID, At: made.Claimed}}); err != nil {
			return err
		}
	}
	if before := read.same; before != nil {
		asked := clock.Punch{Act: p.Act, Break: p.Break, On: p.On, Marks: p.Marks}
		if before.Employment != who.ID || !before.Punch.Same(asked) {
			return app.ErrConflict
		}
		return nil
	}
	claim := func(why, words string) error {
		if claimed != nil {
			claimed(cmp.Or(words, why))
		}
		return keepClaim(ctx, t, who, made, why, words)
	}
	if why := claimOf(t, who, made); why != "" && made.Point.Queued() {
		return claim(why, "")
	}
	var refused *refusal.Refusal
	err = recordPunch(ctx, t, who, loc, read, made, allow)
	if errors.As(err, &refused) && (made.Point.Queued() || made.Point.Stands() || errors.Is(err, errNotLetIn)) {
		return claim("refused", refused.Error())
	}
	return err
}

// errNotLetIn marks what the place chose to refuse to who clocks in: that they tried is
// kept, with its time, for somebody else to let it count (29 CFR 785.11 to .13).
var errNotLetIn = errors.New("not let in")

// recordPunch records a punch that was not recorded before.
func recordPunch(ctx context.Context, t *app.Turn, who store.Employment, loc *time.Location, read *reading, made clock.Punch,
	allow func(store.Employment, clock.Punch) error) (err error) {
	book := NewDayBook(who, loc, t.Company, read.around, read.amended)
	begins := made.Act == clock.In || made.Act == clock.Switch
	if last := book.last(); allow != nil && begins && (last == nil || !last.Open()) {
		if err := allow(who, made); err != nil {
			return errors.Join(err, errNotLetIn)
		}
	}
	if made.Provenance() == clock.Clocked {
		if err := clock.Check(book.last(), made, loc); err != nil {
			return err
		}
	}
	punch := store.Punch{Employment: who.ID, By: t.Actor.ID, At: t.Actor.At, Watched: t.Actor.Watched,
		NoPlace: who.Needed && who.Location != "off" && made.Place == nil && made.Point.Way() == clock.OwnDevice}
	if punch.OffSite, err = checkJob(ctx, t, who, &made, read.job); err != nil {
		return err
	}
	punch.Punch = made
	if err := KeepPunch(ctx, t, book, punch); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, made.ID, map[string]any{"act": made.Act})
	return nil
}

// KeepPunch writes a punch and what follows from it.
func KeepPunch(ctx context.Context, t *app.Turn, book *dayBook, punch store.Punch) error {
	return write(ctx, t, book.punch(t.Now, punch))
}

// jobOf gives what a punch is to be clocked to, read before or now.
func jobOf(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch, known *store.Clockable) (store.Clockable, error) {
	if known != nil {
		return *known, nil
	}
	return store.GetClockable(ctx, t, p.On.Job, p.On.Task, p.On.Class, who.ID, t.Company.Today(p.Claimed))
}

// checkJob refuses a job, task or class that can't be clocked to, and says
// how far outside the fence the punch was made. Of a job that doesn't ask whether it is
// billed, nothing is taken of that.
func checkJob(ctx context.Context, t *app.Turn, who store.Employment, p *clock.Punch, known *store.Clockable) (offSite float64, err error) {
	fence, word := who.SiteFence(), t.Company.JobWord
	if p.Act == clock.In || p.Act == clock.Switch {
		if p.On.Job == uuid.Nil && p.Point.Jobless() && p.On == (clock.Assignment{}) {
			return 0, nil // no job yet: nobody is turned away over it
		}
		if p.On.Job == uuid.Nil {
			return 0, refusal.New("job", "No "+word+" was chosen", "Choose the "+word+" you are starting on")
		}
		j, err := jobOf(ctx, t, who, *p, known)
		if store.NotFound(err) {
			return 0, refusal.New("job", "There is no such "+word, "Choose one from the list")
		}
		if err != nil {
			return 0, err
		}
		if err := clockable(word, j, p.On); err != nil {
			return 0, err
		}
		if !j.AskBilling {
			p.Marks &^= p.Marks.Billing()
		}
		if f := j.SiteFence(); f.Radius > 0 {
			fence = f
		}
	}
	if p.Place == nil {
		return 0, nil
	}
	return fence.Outside(*p.Place), nil
}

func clockable(word string, j store.Clockable, on clock.Assignment) error {
	name := j.Number + " " + j.Name
	switch {
	case j.State != "open":
		return refusal.New("job", name+" was closed", "Choose another "+word+", or ask the office to open it again")
	case !j.Open:
		return refusal.New("job", name+" is not open to you", "Choose another "+word+", or ask the office to open it to you")
	case j.Into != nil:
		return refusal.New("task", "That task of "+name+" is worked as “"+*j.Into+"”", "Choose that one")
	case on.Task != uuid.Nil && j.TaskState == nil:
		return refusal.New("task", name+" has no such task", "Choose one of its tasks")
	case on.Task != uuid.Nil && *j.TaskState != "open":
		return refusal.New("task", "That task of "+name+" was closed", "Choose another task")
	case on.Task == uuid.Nil && j.HasTasks:
		return refusal.New("task", "No task of "+name+" was chosen", "Choose the task you are starting on")
	case j.PublicWork && on.Class == uuid.Nil:
		return refusal.New("class", name+" is public work", "Choose the classification you work in")
	case j.PublicWork && !j.HasClass:
		return refusal.New("class", name+" has no wage for that classification", "Choose one of its classifications")
	case !j.PublicWork && on.Class != uuid.Nil:
		return refusal.New("class", name+" is not public work", "Leave the classification out")
	}
	return nil
}
