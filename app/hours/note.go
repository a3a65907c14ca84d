package hours

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// AddNote puts a remark on the actor's own card: of the worked day they are on, or
// were last on, or of a day that is over.
type AddNote struct {
	ID   uuid.UUID
	Body string
	On   when.Date // zero for the day they are on
}

// Permission is the act's name in the permission table.
func (AddNote) Permission() string { return "note.add" }

const longestNote = 1000

func (n AddNote) Do(ctx context.Context, t *app.Turn) error {
	body := strings.TrimSpace(n.Body)
	switch {
	case body == "":
		return refusal.New("note", "The note is empty", "Write what the office should know")
	case utf8.RuneCountInString(body) > longestNote:
		return refusal.New("note", "The note is too long", "Keep it to 1,000 characters")
	}
	date, err := ownCard(ctx, t, "note", n.On)
	if err != nil {
		return err
	}
	err = store.InsertNote(ctx, t,
		store.Note{ID: n.ID, Employment: *t.Actor.Employment, Date: date, By: t.Actor.ID, MadeAt: t.Now, Body: body})
	if err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Unit: store.IDOrNil(t.Actor.Unit), Act: n.Permission()}, *t.Actor.Employment,
		map[string]any{"date": date})
	return nil
}
