package bringin

import (
	"context"
	"errors"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// QueueBringIn has a file brought in by whichever node comes to it, while pages
// show how far it is. Pressed twice it is brought in once.
type QueueBringIn struct {
	Kind   FileKind
	Import uuid.UUID
	Wrong  int   // how many wrong rows were shown
	Out    []int // rows that stay out besides, by their index
}

// Permission is what the act takes.
func (b QueueBringIn) Permission() string { return b.Kind.act() }

func (b QueueBringIn) Do(ctx context.Context, t *app.Turn) error {
	im, err := ownImport(ctx, t, t.Actor, b.Kind, b.Import)
	if err != nil {
		return err
	}
	if im.Applied() {
		return refusal.New("file", "This file is in already", "Nothing was done twice")
	}
	if err := store.ImportProgress(ctx, t, b.Import, 0, len(im.Cells), ""); err != nil {
		return err
	}
	return t.Later(ctx, job{File: b.Kind, Import: b.Import, Wrong: b.Wrong, Out: b.Out, Person: t.Actor.ID})
}

// job is the work of bringing a file in, for whoever asked for it.
type job struct {
	File   FileKind  `json:"file"`
	Import uuid.UUID `json:"import"`
	Wrong  int       `json:"wrong"`
	Out    []int     `json:"out,omitempty"`
	Person uuid.UUID `json:"person"`
}

// Kind names the work in the queue.
func (job) Kind() string { return "bring_in" }

// worker brings files in.
type worker struct {
	river.WorkerDefaults[job]
	app *app.App
}

// AddWorkers registers what works the jobs of this package.
func AddWorkers(workers *river.Workers, a *app.App) { river.AddWorker(workers, &worker{app: a}) }

// Work brings a file in as whoever asked for it may do now. What is refused is
// said on the file's page and not tried again; what broke is.
func (w *worker) Work(ctx context.Context, j *river.Job[job]) error {
	err := w.bringIn(ctx, j.Args)
	var refused *refusal.Refusal
	switch {
	case err == nil:
		return nil
	case errors.As(err, &refused):
		return w.failed(ctx, j.Args.Import, refused.Error())
	case errors.Is(err, app.ErrForbidden), errors.Is(err, app.ErrNotFound):
		return w.failed(ctx, j.Args.Import, "Whoever asked for this may not bring files in any more")
	case j.Attempt >= j.MaxAttempts:
		return errors.Join(err, w.failed(ctx, j.Args.Import, "Something went wrong; nothing of the file is in"))
	}
	return err
}

func (w *worker) bringIn(ctx context.Context, j job) error {
	actor, err := w.app.Actor(ctx, j.Person)
	if err != nil {
		return err
	}
	im, err := ownImport(ctx, w.app.DB, actor, j.File, j.Import)
	if err != nil || im.Applied() { // in already: a node ended before it said so
		return err
	}
	act := BringIn{Kind: j.File, Import: j.Import, Wrong: j.Wrong, Out: j.Out, Tell: func(done, total int) {
		if err := store.ImportProgress(ctx, w.app.DB, j.Import, done, total, ""); err != nil {
			w.app.Log.Warn("tell how far a file is", "err", err)
		}
	}}
	if j.File == HolidaysFile {
		return w.app.Do(ctx, actor, BringInSettings{act})
	}
	return w.app.Do(ctx, actor, act)
}

func (w *worker) failed(ctx context.Context, id uuid.UUID, why string) error {
	return store.ImportProgress(ctx, w.app.DB, id, 0, 0, why)
}
