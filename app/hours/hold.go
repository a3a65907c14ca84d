package hours

import (
	"context"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Hold marks a signed card as looked at, so that nobody else changes it
// meanwhile; Release takes the mark off again. It lapses by itself.
type Hold struct{ Card CardRef }

// Release takes a hold off a card.
type Release struct{ Card CardRef }

// Permission is what the act takes.
func (Hold) Permission() string { return "card.approve" }

// Permission is what the act takes.
func (Release) Permission() string { return "card.approve" }

func (h Hold) Do(ctx context.Context, t *app.Turn) error {
	c, held, err := heldCard(ctx, t, h.Card)
	switch {
	case err != nil:
		return err
	case c.Person == t.Actor.ID:
		return refusal.New("card", "This is your own card", "Somebody else looks at it")
	case c.State != card.Signed:
		return refusal.New("card", "This card is not signed", "Only a signed card is held")
	case held != nil && held.By != t.Actor.ID:
		return heldBy(*held, t.Company.Loc)
	}
	t.Record(store.Event{Person: c.Person, Unit: c.Unit, Act: t.Act}, c.Employment, map[string]any{"date": c.Date, "hold": true})
	return store.TakeHold(ctx, t, store.Hold{EmploymentDate: store.EmploymentDate{Employment: c.Employment, Date: c.Date}, By: t.Actor.ID,
		Since: t.Now})
}

func (r Release) Do(ctx context.Context, t *app.Turn) error {
	c, held, err := heldCard(ctx, t, r.Card)
	switch {
	case err != nil:
		return err
	case held == nil:
		return nil // it has lapsed
	case held.By != t.Actor.ID && t.Actor.Level != "owner":
		return heldBy(*held, t.Company.Loc)
	}
	t.Record(store.Event{Person: c.Person, Unit: c.Unit, Act: t.Act}, c.Employment, map[string]any{"date": c.Date, "hold": false})
	return store.ReleaseHolds(ctx, t, []store.EmploymentDate{{Employment: c.Employment, Date: c.Date}})
}

// heldCard reads a card that the actor reaches, locked, and who holds it.
func heldCard(ctx context.Context, t *app.Turn, ref CardRef) (c store.Card, held *store.Hold, err error) {
	cards, err := lockCards(ctx, t, []CardRef{ref})
	switch {
	case err != nil:
		return c, nil, err
	case len(cards) == 0 || !t.Actor.Reaches(t.Act, cards[0].Person, cards[0].Unit):
		return c, nil, app.ErrNotFound
	}
	holds, err := store.Holds(ctx, t, cardsOf(ref.Employment, []when.Date{ref.Date}), t.Now)
	if err == nil && len(holds) > 0 {
		held = &holds[0]
	}
	return cards[0], held, err
}
