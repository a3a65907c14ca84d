package points

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
)

// Swipe is a card at a reader of a clock point, as its text or sealed by a terminal.
type Swipe struct {
	ID     uuid.UUID
	Card   Typed // of which the PIN is the text of the card
	Moment clock.Moment
	Queued bool
}

// Swiped is what became of it, said in large type.
type Swiped struct {
	hours.Swiped
	Given, Family string
	Worked        int64 // seconds today, up to then
	Loc           *time.Location
}

// Swipe records a swipe. Its error is a refusal for what is no card of anybody there:
// nothing of such a card is kept or repeated.
func (d Device) Swipe(ctx context.Context, a *app.App, s Swipe) (out Swiped, err error) {
	if !d.Punches {
		return out, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return out, err
	}
	s.Card.For = s.ID
	text, err := s.Card.pin(ctx, a)
	if err != nil {
		return out, err
	}
	card, err := people.ReadCard(place, text)
	if err != nil {
		return out, err
	}
	hash, err := store.BadgeHash(ctx, a.DB, card.Match)
	if err != nil {
		return out, err
	}
	holder, err := store.BadgeHolder(ctx, a.DB, hash)
	if store.NotFound(err) {
		return out, refusal.New("card", "Nobody’s card", "Type your number, or ask the office to learn the card")
	}
	if err != nil {
		return out, err
	}
	number, err := store.NumberOf(ctx, a.DB, holder)
	if err != nil {
		return out, err
	}
	who, err := d.Person(ctx, a, number)
	if err == app.ErrNotFound {
		return out, refusal.New("card", "That card is not served here", "Clock at your own site, or ask your lead")
	}
	if err != nil {
		return out, err
	}
	actor, err := d.actor(ctx, a, who)
	if err != nil {
		return out, err
	}
	if !d.Terminal {
		actor.Point = clock.AtPoint
	}
	out.Given, out.Family, out.Worked = who.Given, who.Family, who.Worked
	if who.Kind != nil && *who.Kind == clock.Work {
		out.Worked += int64(a.Now().Sub(*who.Since) / time.Second)
	}
	if out.Loc, err = time.LoadLocation(d.Zone); err != nil {
		return out, err
	}
	stands := clock.Assignment{Job: store.IDOrNil(d.ClockPoint.Job), Task: store.IDOrNil(d.ClockPoint.Task)}
	return out, a.Do(ctx, actor, hours.Swipe{ID: s.ID, Moment: s.Moment, Queued: s.Queued, Stands: stands,
		Tell: func(s hours.Swiped) { out.Swiped = s }})
}
