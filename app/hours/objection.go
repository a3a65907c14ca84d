package hours

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Object says something against a change that others made to one's hours, or
// against what was approved.
type Object struct {
	ID   uuid.UUID
	Card CardRef
	Body string
}

// AnswerObjection answers one. Who changed or approved the card doesn't.
type AnswerObjection struct {
	Objection uuid.UUID
	Body      string
}

// Permission is what the act takes: it is about one's own hours.
func (Object) Permission() string { return "card.object" }

// Permission is what the act takes.
func (AnswerObjection) Permission() string { return "card.approve" }

func (o Object) Do(ctx context.Context, t *app.Turn) error {
	body, err := reason("body", o.Body, "Say in a few words what is wrong")
	if err != nil {
		return err
	}
	who, err := store.LockEmployment(ctx, t, o.Card.Employment)
	if err != nil {
		return err
	}
	if who.Person != t.Actor.ID {
		return app.ErrNotFound
	}
	before, err := store.GetObjection(ctx, t, o.ID)
	switch {
	case err == nil && (before.Employment != who.ID || before.Date != o.Card.Date || before.Body != body):
		return app.ErrConflict
	case err == nil:
		return nil
	case !store.NotFound(err):
		return err
	}
	changed, err := changedBy(ctx, t, o.Card, t.Actor.ID)
	if err != nil {
		return err
	}
	if len(changed) == 0 {
		return refusal.New("body", "Nobody else has changed or approved this day", "Leave a note, or ask for a change")
	}
	if err := store.InsertObjection(ctx, t, store.Objection{ID: o.ID, Employment: who.ID, Date: o.Card.Date, By: t.Actor.ID, MadeAt: t.Now,
		Body: body}); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, map[string]any{"date": o.Card.Date, "objected": body})
	slices.SortFunc(changed, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	for _, by := range slices.Compact(changed) {
		t.Tell(app.Notice{Person: by, Kind: notice.ObjectionMade, Words: []string{t.Actor.Name(), dayWords(o.Card.Date), body},
			Link: cardLink(who.ID, o.Card.Date)})
	}
	if err := reopen(ctx, t, o.Card, "objected to: "+body); err != nil {
		return err
	}
	return waits(ctx, t, who, o.Card.Date)
}

// reopen opens an approved card again. A paid one stays as it was paid: nothing
// of it has changed yet.
func reopen(ctx context.Context, t *app.Turn, ref CardRef, why string) error {
	cards, err := lockCards(ctx, t, []CardRef{ref})
	if err != nil || len(cards) == 0 || cards[0].State != card.Approved && cards[0].State != card.Signed {
		return err
	}
	next, err := cards[0].Standing.Next(card.Reopen, false)
	if err != nil {
		return err
	}
	cards[0].Standing = next
	if err := store.InsertCardActs(ctx, t, []store.CardAct{cardAct(t, ref.Employment, ref.Date, card.Reopen, uuid.Must(uuid.NewV7()),
		why)}); err != nil {
		return err
	}
	return store.SetStandings(ctx, t, cards)
}

// changedBy lists who else than a person changed a card or approved it.
func changedBy(ctx context.Context, q store.Q, ref CardRef, but uuid.UUID) (by []uuid.UUID, err error) {
	amended, err := store.AmendmentsOn(ctx, q, ref.Employment, when.Period{From: ref.Date, To: ref.Date})
	if err != nil {
		return nil, err
	}
	for _, a := range amended {
		if a.By != but {
			by = append(by, a.By)
		}
	}
	acts, err := store.CardActs(ctx, q, ref.Employment, ref.Date)
	for _, a := range acts {
		if a.Move == card.Approve && a.By != but {
			by = append(by, a.By)
		}
	}
	return by, err
}

func (o AnswerObjection) Do(ctx context.Context, t *app.Turn) error {
	body, err := reason("body", o.Body, "Say in a few words what you found")
	if err != nil {
		return err
	}
	before, err := store.GetObjection(ctx, t, o.Objection)
	if err != nil {
		return err
	}
	who, err := store.LockEmployment(ctx, t, before.Employment)
	if err != nil {
		return err
	}
	if before, err = store.GetObjection(ctx, t, o.Objection); err != nil { // as it is now that nobody else answers
		return err
	}
	changed, err := changedBy(ctx, t, CardRef{before.Employment, before.Date}, uuid.Nil)
	switch {
	case err != nil:
		return err
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return app.ErrNotFound
	case who.Person == t.Actor.ID:
		return refusal.New("objection", "This is your own objection", "Somebody else answers it")
	case before.Answered():
		return refusal.New("objection", *before.AnsweredBy+" has answered this already", "Look at the card again")
	}
	for _, by := range changed {
		if by == t.Actor.ID {
			return refusal.New("objection", "You changed or approved this day yourself", "Somebody else answers it")
		}
	}
	if err := store.AnswerObjection(ctx, t, before.ID, t.Actor.ID, t.Now, body); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, map[string]any{"date": before.Date, "answered": body})
	t.Tell(app.Notice{Person: who.Person, Kind: notice.ObjectionClosed, Words: []string{t.Actor.Name(), dayWords(before.Date), body},
		Link: cardLink(who.ID, before.Date)})
	return waits(ctx, t, who, before.Date)
}
