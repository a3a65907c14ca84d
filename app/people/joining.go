package people

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/refusal"
	"manudex/store"
)

// CompletePerson says that nothing is missing any more of somebody who was added on the
// spot.
type CompletePerson struct{ Person uuid.UUID }

// JoinPerson says that somebody who was added on the spot is somebody who was there before:
// their hours become that one's, by amendments.
type JoinPerson struct {
	ID           uuid.UUID // of the batch of amendments
	Person, Into uuid.UUID
}

// Permission is the act's name in the permission table.
func (CompletePerson) Permission() string { return "people.change" }

// Permission is the act's name in the permission table.
func (JoinPerson) Permission() string { return "people.change" }

func (c CompletePerson) Do(ctx context.Context, t *app.Turn) error {
	sheet, err := app.LockTheirs(ctx, t, c.Person, "person")
	switch {
	case err != nil:
		return err
	case sheet.Values["incomplete"] != "yes":
		return nil
	case sheet.Values["number"] == "":
		return refusal.New("number", sheet.Name()+" has no number yet", "Give them one first")
	}
	if err := store.SetPerson(ctx, t, c.Person, "incomplete", false); err != nil {
		return err
	}
	t.Record(store.Event{Person: sheet.Person, Unit: sheet.Unit, Act: t.Act}, sheet.Person, map[string]any{"completed": true})
	return nil
}

func (j JoinPerson) Do(ctx context.Context, t *app.Turn) error {
	if j.Person == j.Into {
		return refusal.New("into", "That is the same person", "Choose who it is that was there before")
	}
	if _, err := store.LockPersons(ctx, t, []uuid.UUID{j.Person, j.Into}); err != nil {
		return err
	}
	sheet, err := app.LockTheirs(ctx, t, j.Person, "person")
	if err != nil {
		return err
	}
	into, err := app.LockTheirs(ctx, t, j.Into, "into")
	switch {
	case err != nil:
		return err
	case sheet.Values["incomplete"] != "yes" || sheet.Values["number"] != "":
		return refusal.New("person", sheet.Name()+" is somebody by themselves",
			"Only who was added on the spot, and has no number, is joined")
	case into.Values["incomplete"] == "yes":
		return refusal.New("into", into.Name()+" was added on the spot too", "Complete one of the two first")
	case into.Employment == uuid.Nil:
		return refusal.New("into", into.Name()+" has no position that hours could be in", "Add one first")
	case !t.Actor.Reaches("time.edit", into.Person, into.Unit):
		return app.ErrForbidden
	}
	if err := hours.MoveHours(ctx, t, sheet.Employment, into.Employment, j.ID, "recorded as "+sheet.Name()); err != nil {
		return err
	}
	if err := store.JoinInto(ctx, t, j.Person, j.Into, t.Company.Today(t.Now)); err != nil {
		return err
	}
	t.Record(store.Event{Person: sheet.Person, Unit: sheet.Unit, Act: t.Act}, sheet.Person, map[string]any{"into": j.Into})
	return nil
}

// MayBe lists whom somebody who was added on the spot may be: people of the same name, or
// of a name that is looked for.
func MayBe(ctx context.Context, a *app.App, actor app.Actor, person uuid.UUID, look string) ([]store.Sheet, error) {
	if !actor.May("people.change") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	fields, err := ReadFields(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	f, err := pick(actor, fields, store.SheetFilter{Text: look, State: "active"})
	if err != nil {
		return nil, err
	}
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), f, 0, 8)
	var found []store.Sheet
	for _, s := range sheets {
		if s.Person != person && s.Values["incomplete"] != "yes" {
			found = append(found, s)
		}
	}
	hideSheets(actor, fields, found)
	return found, err
}
