package app

import (
	"context"
	"strconv"

	"github.com/google/uuid"
)

// Undo takes back what one act did to one or to many, named by its batch. It
// has three answers: done; done but for what changed since, which is told; or a
// refusal, where nothing is left that could be taken back.
type Undo struct {
	Batch uuid.UUID
	Tell  func(Undone) // where it isn't nil, is told what was done
}

// Undone is what became of an undo.
type Undone struct {
	Words string   // what was taken back: "2 approvals"
	Left  []string // what stays, and why: "Dao Pham, 12 November: paid meanwhile"
}

// Several counts things: "1 setting", "2 settings".
func Several(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + many
}

// Permission is what the act takes; what the batch did takes its own.
func (Undo) Permission() string { return "undo" }

// Do asks the rooms whose batch it is.
func (u Undo) Do(ctx context.Context, t *Turn) error {
	return u.of(ctx, t, undoes)
}

// UndoSettings is an undo of what changed the company's settings.
type UndoSettings struct{ Undo }

// Alone as all that changes them.
func (UndoSettings) Alone() {}

// Do asks the rooms whose settings they are.
func (u UndoSettings) Do(ctx context.Context, t *Turn) error { return u.of(ctx, t, settingsUndoes) }

func (u Undo) of(ctx context.Context, t *Turn, rooms []undoing) error {
	for _, k := range rooms {
		done, found, err := k.take(ctx, t.as(k.permission), u.Batch)
		switch {
		case err != nil:
			return err
		case found:
			if u.Tell != nil {
				u.Tell(done)
			}
			return nil
		}
	}
	return ErrNotFound
}

// undoes say how batches are taken back; the rooms whose they are register them.
var undoes, settingsUndoes []undoing

type undoing struct {
	permission string
	take       func(ctx context.Context, t *Turn, batch uuid.UUID) (done Undone, found bool, err error)
}

// Undoes registers how a kind of batch is taken back, and what permission that
// takes. It is called while packages are initialised.
func Undoes(permission string, take func(ctx context.Context, t *Turn, batch uuid.UUID) (Undone, bool, error)) {
	undoes = append(undoes, undoing{permission, take})
}

// UndoesSettings is [Undoes] of a kind of batch that changed the company's settings.
func UndoesSettings(permission string, take func(ctx context.Context, t *Turn, batch uuid.UUID) (Undone, bool, error)) {
	settingsUndoes = append(settingsUndoes, undoing{permission, take})
}

// as lets what follows in the turn be asked for under a permission.
func (t *Turn) as(permission string) *Turn {
	t.Act = permission
	return t
}
