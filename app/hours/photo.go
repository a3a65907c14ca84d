package hours

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// AddPhoto puts a photo on the actor's own card, of the worked day they are on or were
// last on, or of a day that is over.
type AddPhoto struct {
	ID    uuid.UUID
	Photo files.Photo
	On    when.Date // zero for the day they are on
}

// Permission is the act's name in the permission table.
func (AddPhoto) Permission() string { return "note.add" }

const mostPhotos = 20 // of a card

func (p AddPhoto) Do(ctx context.Context, t *app.Turn) error {
	date, err := ownCard(ctx, t, "photo", p.On)
	if err != nil {
		return err
	}
	if err := keepPhoto(ctx, t, p.ID, date, p.Photo, nil); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Unit: store.IDOrNil(t.Actor.Unit), Act: t.Act}, *t.Actor.Employment,
		map[string]any{"date": date, "photo": p.ID})
	return nil
}

// keepPhoto keeps a photo on the actor's own card, of an expense where one is named.
func keepPhoto(ctx context.Context, t *app.Turn, id uuid.UUID, date when.Date, p files.Photo, expense *uuid.UUID) error {
	n, err := store.CountPhotos(ctx, t, *t.Actor.Employment, date)
	if err != nil {
		return err
	}
	if n >= mostPhotos {
		return refusal.New("photo", fmt.Sprintf("The day has %d photos", n), "Tell the office in a note where the others are")
	}
	return store.InsertPhoto(ctx, t, store.Photo{ID: id, Employment: *t.Actor.Employment, Date: date, At: t.Now, Expense: expense,
		Width: p.Width, Height: p.Height, By: t.Actor.ID, MadeAt: t.Now}, p.JPEG)
}

// ownCard gives the worked day of the actor's that something is put on: the one named,
// where there is a card of it, else the one they are on or were last on.
func ownCard(ctx context.Context, t *app.Turn, field string, on when.Date) (when.Date, error) {
	if t.Actor.Employment == nil {
		return 0, refusal.New(field, "You have no timecard to put it on", "Tell your lead")
	}
	if on != 0 {
		cards, err := store.Cards(ctx, t, store.CardFilter{From: on, To: on, Employment: *t.Actor.Employment})
		if err == nil && (len(cards) == 0 || on > t.Company.Today(t.Now)) {
			err = app.ErrNotFound
		}
		return on, err
	}
	last, err := store.LastStint(ctx, t, *t.Actor.Employment)
	if err == nil && last != nil && last.Open() {
		return last.Date, nil
	}
	return t.Company.Today(t.Now), err
}

// ReadPhoto reads a photo on a card that the actor may see.
func ReadPhoto(ctx context.Context, a *app.App, actor app.Actor, ref CardRef, id uuid.UUID) ([]byte, error) {
	who, err := store.GetEmployment(ctx, a.DB, ref.Employment)
	if store.NotFound(err) || err == nil && !actor.Reaches("card.see", who.Person, who.Unit) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	jpeg, err := store.PhotoOf(ctx, a.DB, ref.Employment, ref.Date, id)
	if store.NotFound(err) {
		return nil, app.ErrNotFound
	}
	return jpeg, err
}
