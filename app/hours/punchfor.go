package hours

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
)

// PunchOther records one act for somebody else, now: their lead stands beside them. It
// obeys the same laws as [Punch], and is recorded as by whoever presses. Which ways of
// clocking the person was given isn't asked.
type PunchOther struct {
	Employment uuid.UUID
	Punch
}

// Permission is the act's name in the permission table.
func (PunchOther) Permission() string { return "clock.other" }

// Ahead reads nothing on the way in: it is not the actor's own hours.
func (PunchOther) Ahead(*app.Turn) ([]store.Ask, any) { return nil, nil }

func (p PunchOther) Do(ctx context.Context, t *app.Turn) error {
	who, err := store.LockEmployment(ctx, t, p.Employment)
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	switch {
	case err != nil:
		return err
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return app.ErrNotFound
	case who.Person == t.Actor.ID:
		return refusal.New("employment", "These are your own hours", "Clock as yourself")
	}
	made := p.tidied().made(t)
	made.Place = nil // where a lead is says nothing of somebody else
	return punchFor(ctx, t, who, made, nil, nil, p.Claimed)
}

// tidied leaves out what the act of a punch has no use for.
func (p Punch) tidied() Punch {
	if p.Act != clock.In && p.Act != clock.Switch {
		p.On = clock.Assignment{}
	}
	if p.Act != clock.BreakStart {
		p.Break = ""
	}
	return p
}
