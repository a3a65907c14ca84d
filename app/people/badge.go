package people

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/badge"
	"manudex/core/refusal"
	"manudex/store"
)

// LearnBadge learns a card of somebody by its text, as a reader types it. Of the text only
// a keyed hash is kept; of one that is refused, nothing.
type LearnBadge struct {
	Person uuid.UUID
	Text   string
}

// DropBadges takes all cards of somebody away.
type DropBadges struct{ Person uuid.UUID }

// Permission is the act's name in the permission table.
func (LearnBadge) Permission() string { return "people.change" }

// Permission is the act's name in the permission table.
func (DropBadges) Permission() string { return "people.change" }

// ReadCard reads the text of a card as the company takes cards; its error is a refusal
// that repeats nothing of it.
func ReadCard(place *app.Company, text string) (badge.Card, error) {
	card, err := badge.Read(text, field.SplitList(place.OwnCards))
	switch err {
	case nil:
		return card, nil
	case badge.PaymentCard:
		return card, refusal.New("card", "That is a payment card: nothing of it is kept", "Swipe a card that is for clocking in")
	}
	return card, refusal.New("card", "The card could not be read", "Swipe it again, at one stroke")
}

func (l LearnBadge) Do(ctx context.Context, t *app.Turn) error {
	card, err := ReadCard(t.Company, l.Text)
	if err != nil {
		return err
	}
	who, err := signInFor(ctx, t, l.Person, "badges")
	if err != nil {
		return err
	}
	hash, err := store.BadgeHash(ctx, t, card.Match)
	if err != nil {
		return err
	}
	switch holder, err := store.BadgeHolder(ctx, t, hash); {
	case err == nil && holder != l.Person:
		return refusal.New("card", "That is the card of somebody else", "Take it from them first, or swipe another")
	case err != nil && !store.NotFound(err):
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.Person,
		map[string]any{"field": "Badges", "to": "learnt a card"})
	return store.LearnBadge(ctx, t, l.Person, hash, t.Actor.ID, t.Now)
}

func (d DropBadges) Do(ctx context.Context, t *app.Turn) error {
	who, err := signInFor(ctx, t, d.Person, "badges")
	if err != nil {
		return err
	}
	n, err := store.DropBadges(ctx, t, d.Person)
	if err == nil && n == 0 {
		return refusal.New("card", "They have no card", "Swipe one to learn it")
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.Person,
		map[string]any{"field": "Badges", "to": "taken away"})
	return err
}
