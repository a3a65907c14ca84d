package people

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/store"
)

// Everything is all that is recorded of somebody: for themselves, and for whoever
// may erase them.
func Everything(ctx context.Context, a *app.App, actor app.Actor, person uuid.UUID) (*store.Everything, error) {
	if person != actor.ID && !actor.May("people.erase") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), store.SheetFilter{Person: person, State: "any"}, 0, 1)
	if err != nil {
		return nil, err
	}
	if len(sheets) == 0 {
		return nil, app.ErrNotFound
	}
	e, err := store.ReadEverything(ctx, a.DB, person)
	if err != nil {
		return nil, err
	}
	return e, Note(ctx, a, actor.ID, "people.everything", person, map[string]any{"number": sheets[0].Values["number"]})
}
