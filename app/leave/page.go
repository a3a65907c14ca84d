package leave

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Own is somebody's own leave.
type Own struct {
	Now      time.Time
	Today    when.Date
	Loc      *time.Location
	Kinds    []store.LeaveKind // that can be asked for
	Requests []store.LeaveRequest
	Costs    []Cost // of the days that are asked about, nil where none are
	Total    int64  // seconds
	Accounts []Account
}

// ownBack is for how many days back somebody sees their leave.
const ownBack = 60

// ReadOwn reads one's own leave, and what the days of a span would cost; of none with a zero
// span.
func ReadOwn(ctx context.Context, a *app.App, actor app.Actor, days when.Period, each int64) (*Own, error) {
	if !actor.May("leave.ask") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	o := &Own{Now: a.Now(), Today: place.Today(a.Now()), Loc: place.Loc}
	if o.Kinds, err = openKinds(ctx, a.DB); err != nil || actor.Employment == nil {
		return o, err
	}
	if actor.Zone != nil {
		if o.Loc, err = time.LoadLocation(*actor.Zone); err != nil {
			return nil, err
		}
	}
	if o.Requests, err = store.LeaveOf(ctx, a.DB, *actor.Employment, o.Today-ownBack); err != nil {
		return nil, err
	}
	of, err := accounts(ctx, a.DB, []uuid.UUID{*actor.Employment}, o.Today)
	if err != nil {
		return nil, err
	}
	o.Accounts = of[*actor.Employment]
	if days == (when.Period{}) || days.To < days.From || days.Days() > mostDays {
		return o, nil
	}
	o.Costs, err = costs(ctx, a.DB, place, *actor.Employment, days, each)
	for _, c := range o.Costs {
		o.Total += c.Seconds
	}
	return o, err
}

// openKinds lists the kinds that can be asked for.
func openKinds(ctx context.Context, q store.Q) ([]store.LeaveKind, error) {
	kinds, err := store.LeaveKinds(ctx, q)
	return slices.DeleteFunc(kinds, func(k store.LeaveKind) bool { return k.Closed }), err
}

// Asked is what waits to be decided.
type Asked struct {
	Now   time.Time
	Kinds []store.LeaveKind
	List  []AskedFor
	More  bool
}

// AskedFor is one request of it.
type AskedFor struct {
	store.LeaveRequest
	Own  bool
	Away int // most of the crew on leave on one of its days, as it is booked
}

// mostAsked is how many of them are listed.
const mostAsked = 200

// ReadAsked reads what waits to be decided by the actor, the oldest first.
func ReadAsked(ctx context.Context, a *app.App, actor app.Actor) (*Asked, error) {
	if !actor.May("leave.manage") {
		return nil, app.ErrForbidden
	}
	p := &Asked{Now: a.Now()}
	var err error
	if p.Kinds, err = openKinds(ctx, a.DB); err != nil {
		return nil, err
	}
	open, err := store.OpenLeave(ctx, a.DB, actor.Units("leave.manage"), mostAsked+1)
	if err != nil || len(open) == 0 {
		return p, err
	}
	if p.More = len(open) > mostAsked; p.More {
		open = open[:mostAsked]
	}
	span := when.Period{From: open[0].First, To: open[0].Last}
	var units []uuid.UUID
	for _, r := range open {
		span.From, span.To, units = min(span.From, r.First), max(span.To, r.Last), append(units, r.Unit)
	}
	away, err := store.AwayByUnit(ctx, a.DB, units, span)
	for _, r := range open {
		f := AskedFor{LeaveRequest: r, Own: r.Person == actor.ID}
		for _, w := range away {
			if w.Unit == r.Unit && r.First <= w.Date && w.Date <= r.Last {
				f.Away = max(f.Away, w.People)
			}
		}
		p.List = append(p.List, f)
	}
	return p, err
}

// Named finds the one position that a number or name stands for, of those whose leave the actor
// manages.
func Named(ctx context.Context, a *app.App, actor app.Actor, text string) (uuid.UUID, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	text = strings.TrimSpace(text)
	found, err := store.EmploymentsNamed(ctx, a.DB, text, actor.Units("leave.manage"), place.Today(a.Now()))
	switch {
	case err != nil:
		return uuid.Nil, err
	case len(found) == 0:
		return uuid.Nil, refusal.New("who", "Nobody here has that number or name", "Write the personnel number, or given and family name")
	case len(found) > 1:
		return uuid.Nil, refusal.New("who", "Several are called so", "Write the personnel number, such as "+found[0].Name)
	}
	return found[0].ID, nil
}
