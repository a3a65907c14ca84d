package roster

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// MakeFeed gives the actor an address by which a calendar reads their shifts; the one before
// ends.
type MakeFeed struct{ Token string } // 128 random bits, of which a digest is kept

// DropFeed takes it back.
type DropFeed struct{}

// Permission is what the act takes: they are one's own shifts.
func (MakeFeed) Permission() string { return "clock.see" }

// Permission is what the act takes.
func (DropFeed) Permission() string { return "clock.see" }

func (m MakeFeed) Do(ctx context.Context, t *app.Turn) error {
	if len(m.Token) < 16 {
		return app.ErrNotFound
	}
	if err := store.PutPlanFeed(ctx, t, t.Actor.ID, app.TokenHash(m.Token), t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"calendar": "given an address"})
	return nil
}

func (DropFeed) Do(ctx context.Context, t *app.Turn) error {
	if err := store.DropPlanFeed(ctx, t, t.Actor.ID); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"calendar": "its address is taken back"})
	return nil
}

const (
	feedBack  = 30 // days before today that a calendar has
	feedAhead = 366
	offKept   = 30 * 24 * time.Hour // for how long what was called off stays in it
)

// Feed is the calendar of whoever an address is of.
func Feed(ctx context.Context, a *app.App, token string) ([]files.Event, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	person, err := store.ReadPlanFeed(ctx, a.DB, app.TokenHash(token), place.Today(a.Now()), a.Now())
	if store.NotFound(err) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return events(ctx, a, place, person)
}

// OwnFeed is the actor's calendar, to be kept as a file.
func OwnFeed(ctx context.Context, a *app.App, actor app.Actor) ([]files.Event, error) {
	if !actor.May("clock.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	return events(ctx, a, place, actor.ID)
}

// events are somebody's shifts as a calendar has them.
func events(ctx context.Context, a *app.App, place *app.Company, person uuid.UUID) ([]files.Event, error) {
	now := a.Now()
	today := place.Today(now)
	shifts, err := store.FeedShifts(ctx, a.DB, person, when.Period{From: today - feedBack, To: today + feedAhead}, now.Add(-offKept))
	if err != nil {
		return nil, err
	}
	events := make([]files.Event, len(shifts))
	for i, s := range shifts {
		e := files.Event{ID: s.ID.String() + "@manudex", From: s.Start, To: s.End, Summary: place.Name, Note: s.Note,
			Sequence: max(0, s.Told-1), Off: s.Off}
		if s.JobNumber != "" {
			e.Summary = s.JobNumber + " " + s.JobName
		}
		if s.Changed != nil {
			e.Changed = *s.Changed
		}
		events[i] = e
	}
	return events, nil
}
