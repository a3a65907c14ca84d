package bringin

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// ToUndo says whether a batch is a file of a kind that is in, which the actor may
// take back, and locks it. One that was taken back is refused.
func ToUndo(ctx context.Context, t *app.Turn, kind FileKind, batch uuid.UUID) (bool, error) {
	im, err := store.ImportState(ctx, t, batch)
	switch {
	case store.NotFound(err), err == nil && (im.Kind != string(kind) || !im.Applied()):
		return false, nil
	case err != nil:
		return false, err
	case !t.Actor.May(kind.act()):
		return false, app.ErrForbidden
	}
	if err := store.LockImport(ctx, t, batch); err != nil {
		return false, err
	}
	if im, err = store.ImportState(ctx, t, batch); err == nil && im.Undone() {
		err = refusal.New("batch", "This file was taken back already", "Nothing was done twice")
	}
	return err == nil, err
}

// Going tells what a file brought in and can be taken out from what stays, and why;
// may, where it isn't nil, says whether it is the actor's to take out.
func Going(made []store.BroughtIn, may func(store.BroughtIn) bool) (gone []uuid.UUID, left []string) {
	for _, m := range made {
		switch {
		case m.Why != "":
			left = append(left, m.Name+" "+m.Why)
		case may != nil && !may(m):
			left = append(left, m.Name+" isn't yours to take out")
		default:
			gone = append(gone, m.ID)
		}
	}
	return gone, left
}
