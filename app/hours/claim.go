package hours

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// A claim is a punch that counts only once somebody else has taken it: one that
// waited too long in a device's queue, or was refused there, or that lies before
// somebody's first day or after their last. It is never refused and never lost
// (29 CFR 785.11–.13). What somebody says of their own hours is asked for, see
// [AskChange].

// TakeClaim lets a claim count: as it is, or in part, at another time.
type TakeClaim struct {
	ID    uuid.UUID // of the punch that it makes
	Claim uuid.UUID
	At    time.Time // zero: as claimed
}

// DeclineClaim keeps a claim as one that does not count, with why.
type DeclineClaim struct {
	Claim uuid.UUID
	Why   string
}

// Permission is what the act takes.
func (TakeClaim) Permission() string { return "time.edit" }

// Permission is what the act takes.
func (DeclineClaim) Permission() string { return "time.edit" }

// claimOf says why a punch that was just received is a claim, "" where it is
// none.
func claimOf(t *app.Turn, who store.Employment, p clock.Punch) string {
	on := t.Company.Today(p.Claimed)
	switch {
	case p.Received.Sub(p.Claimed) > time.Duration(t.Company.QueueLimit)*time.Second:
		return "late"
	case on < who.StartsOn:
		return "before"
	case who.EndsOn != nil && on > *who.EndsOn:
		return "after"
	}
	return ""
}

// keepClaim keeps a punch as a claim, on its worked date. Sent again it stays
// one.
func keepClaim(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch, why, words string) error {
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	c := store.Claim{ID: p.ID, Employment: who.ID, Act: p.Act, By: t.Actor.ID, At: idOrNone(t.Actor.At), Claimed: p.Claimed,
		Received: p.Received, Why: why, Words: words, Marks: p.Marks,
		Job: idOrNone(p.On.Job), Task: idOrNone(p.On.Task), Class: idOrNone(p.On.Class),
		Date: when.WorkedDate(p.Claimed, loc, time.Duration(t.Company.CutOver)*time.Second)}
	if p.Break != "" {
		c.Break = &p.Break
	}
	if !p.Device.IsZero() {
		c.Device = &p.Device
	}
	before, err := store.GetClaim(ctx, t, p.ID)
	switch {
	case err == nil:
		if before.Employment != c.Employment || before.Act != c.Act || before.On() != p.On || before.Marks != p.Marks {
			return app.ErrConflict
		}
		return nil
	case !store.NotFound(err):
		return err
	}
	if err := store.InsertClaim(ctx, t, c); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, p.ID, map[string]any{"claim": p.Act, "at": p.Claimed})
	return nil
}

func idOrNone(id uuid.UUID) *uuid.UUID {
	if id == uuid.Nil {
		return nil
	}
	return &id
}

// openClaim reads a claim that the actor may answer, with its person locked.
func openClaim(ctx context.Context, t *app.Turn, id uuid.UUID) (store.Claim, store.Employment, error) {
	c, err := store.GetClaim(ctx, t, id)
	if err != nil {
		return c, store.Employment{}, err
	}
	who, err := store.LockEmployment(ctx, t, c.Employment)
	if err != nil {
		return c, who, err
	}
	if c, err = store.GetClaim(ctx, t, id); err != nil { // as it is now that nobody else answers
		return c, who, err
	}
	switch {
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return c, who, app.ErrNotFound
	case who.Person == t.Actor.ID:
		return c, who, refusal.New("claim", "This is your own claim", "Somebody else takes or declines it")
	case c.Answered():
		return c, who, refusal.New("claim", *c.AnsweredBy+" has answered this claim already", "Look at the list again")
	}
	return c, who, nil
}

func (a TakeClaim) Do(ctx context.Context, t *app.Turn) error {
	c, who, err := openClaim(ctx, t, a.Claim)
	if err != nil {
		return err
	}
	p := clock.Punch{ID: a.ID, Act: c.Act, On: c.On(), Marks: c.Marks, Point: clock.HandEntry, Claimed: c.Claimed}
	if c.Break != nil {
		p.Break = *c.Break
	}
	if !a.At.IsZero() {
		p.Claimed = a.At
	}
	if p.Claimed.After(t.Now) {
		return refusal.New("at", "That is still to come", "Write a time that is over")
	}
	if err := PunchFor(ctx, t, who, p, nil); err != nil {
		return err
	}
	tellAnswered(t, c.By, who, c.Date, "it counts")
	return store.AnswerClaim(ctx, t, c.ID, t.Actor.ID, t.Now, &a.ID, "")
}

func (a DeclineClaim) Do(ctx context.Context, t *app.Turn) error {
	c, who, err := openClaim(ctx, t, a.Claim)
	if err != nil {
		return err
	}
	why, err := reason("why", a.Why, "Say in a few words why it doesn't count")
	if err != nil {
		return err
	}
	if err := store.AnswerClaim(ctx, t, c.ID, t.Actor.ID, t.Now, nil, why); err != nil {
		return err
	}
	tellAnswered(t, c.By, who, c.Date, "“"+why+"”")
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, c.ID, map[string]any{"claim": "declined", "why": why})
	return nil
}

// ClaimsPage lists what counts only once somebody has taken it: claims, and
// changes that were asked for; those that wait, and those answered last.
type ClaimsPage struct {
	Open, Answered     []store.Claim
	Asked, AskedBefore []store.Request
}

// answeredShown is how many answered claims the page lists.
const answeredShown = 50

// Claims reads the claims of those whose time the actor may change.
func Claims(ctx context.Context, a *app.App, actor app.Actor) (*ClaimsPage, error) {
	if !actor.May("time.edit") {
		return nil, app.ErrForbidden
	}
	units := actor.Units("time.edit")
	p := &ClaimsPage{}
	var err error
	if p.Open, err = store.OpenClaims(ctx, a.DB, units); err != nil {
		return nil, err
	}
	if p.Answered, err = store.AnsweredClaims(ctx, a.DB, units, answeredShown); err != nil {
		return nil, err
	}
	if p.Asked, err = store.OpenRequests(ctx, a.DB, units); err != nil {
		return nil, err
	}
	p.AskedBefore, err = store.AnsweredRequests(ctx, a.DB, units, answeredShown)
	return p, err
}

// ReadClaim reads a claim that the actor may answer, and the zone it is in.
func ReadClaim(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (store.Claim, *time.Location, error) {
	c, err := store.GetClaim(ctx, a.DB, id)
	loc, err := answerable(actor, c.Person, c.Unit, c.Zone, err)
	return c, loc, err
}

// ReadRequest reads a request that the actor may answer, and the zone it is in.
func ReadRequest(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (store.Request, *time.Location, error) {
	q, err := store.GetRequest(ctx, a.DB, id)
	loc, err := answerable(actor, q.Person, q.Unit, q.Zone, err)
	return q, loc, err
}

// answerable says whether the actor may answer what was read of somebody.
func answerable(actor app.Actor, person, unit uuid.UUID, zone string, err error) (*time.Location, error) {
	if store.NotFound(err) || err == nil && !actor.Reaches("time.edit", person, unit) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return time.LoadLocation(zone)
}
