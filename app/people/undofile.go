package people

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/core/refusal"
	"manudex/store"
)

func init() { app.Undoes(bringin.TakeFile{Kind: bringin.PeopleFile}.Permission(), undoFile) }

// undoFile takes a file of people back: whom it brought in go, but for those of whom
// something was recorded since; settings that it changed, and that are as it made
// them, are what they were.
func undoFile(ctx context.Context, t *app.Turn, file uuid.UUID) (done app.Undone, found bool, err error) {
	if found, err = bringin.ToUndo(ctx, t, bringin.PeopleFile, file); err != nil || !found {
		return done, found, err
	}
	made, err := store.PeopleBroughtIn(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	changes, _, err := store.ChangesIn(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	var ids []uuid.UUID
	for _, m := range made {
		ids = append(ids, m.ID)
	}
	for _, c := range changes {
		ids = append(ids, c.Person)
	}
	lock, err := store.LockPersons(ctx, t, ids)
	if err != nil {
		return done, false, err
	}
	if made, err = store.PeopleBroughtIn(ctx, t, file); err != nil { // as it is now that nobody else writes
		return done, false, err
	}
	gone, left := bringin.Going(made, func(m store.BroughtIn) bool {
		return m.ID != t.Actor.ID && t.Actor.Reaches(t.Act, m.ID, store.IDOrNil(m.Unit))
	})
	if err := store.DropPeople(ctx, t, gone); err != nil {
		return done, false, err
	}
	for _, id := range gone {
		t.Record(store.Event{Person: id, Act: t.Act}, id, map[string]any{"person": "taken out with the file that brought them in"})
	}
	settings, stay, err := undoSettings(ctx, t, lock, changes)
	if err != nil {
		return done, false, err
	}
	if len(gone)+settings == 0 {
		return done, false, refusal.New("batch", "Nothing could be taken back: "+strings.Join(append(left, stay...), "; "),
			"Change it where it stands")
	}
	done = app.Undone{Words: app.Several(len(gone), "person", "people") + " brought in, " +
		app.Several(settings, "setting", "settings"), Left: append(left, stay...)}
	return done, true, store.ImportUndone(ctx, t, file, t.Now)
}

// undoSettings takes changes of settings back that nothing has changed since.
func undoSettings(ctx context.Context, t *app.Turn, lock store.Locked, changes []store.Change) (n int, left []string, err error) {
	if len(changes) == 0 {
		return 0, nil, nil
	}
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return 0, nil, err
	}
	back, left, err := takeBack(ctx, t, fields, lock, changes)
	if err != nil {
		return 0, nil, err
	}
	return len(back), left, putBack(ctx, t, fields, back)
}
