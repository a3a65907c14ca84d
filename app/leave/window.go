package leave

import (
	"context"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// PutWindow says that nobody takes leave on some days, or that they are to be thought of.
type PutWindow struct {
	ID     uuid.UUID
	Name   string
	Days   when.Period
	Unit   uuid.UUID // zero for everybody
	Closed bool
}

// DropWindow takes that back.
type DropWindow struct{ Window uuid.UUID }

// PutLeast says how many of a crew, or at a site, have to be left to work; 0 for nothing.
type PutLeast struct {
	Of    uuid.UUID
	Site  bool
	Least int
}

// Permission is what the act takes.
func (PutWindow) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (DropWindow) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (PutLeast) Permission() string { return "setup.change" }

// Alone as all that changes settings.
func (PutWindow) Alone() {}

// Alone as all that changes settings.
func (DropWindow) Alone() {}

// Alone as all that changes settings.
func (PutLeast) Alone() {}

const mostLeast = 1000

func (p PutWindow) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(p.Name)
	switch {
	case name == "" || utf8.RuneCountInString(name) > 60:
		return refusal.New("name", "What is then isn’t said", "Write at most 60 characters, such as Stocktaking")
	case p.Days.To < p.Days.From || p.Days.Days() > mostDays:
		return refusal.New("days", "That is no span of days", "Choose at most a year, the last day not before the first")
	}
	w := store.LeaveWindow{ID: p.ID, Name: name, From: p.Days.From, To: p.Days.To, Closed: p.Closed}
	if p.Unit != uuid.Nil {
		w.Unit = &p.Unit
	}
	fresh, err := store.InsertLeaveWindow(ctx, t, w, t.Actor.ID, t.Now)
	switch {
	case store.Violates(err, "leave_window_unit_id_fkey"):
		return app.ErrNotFound
	case err != nil || !fresh:
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Days without leave", "to": fmt.Sprintf("%s, %s to %s", name, w.From, w.To)})
	return nil
}

func (d DropWindow) Do(ctx context.Context, t *app.Turn) error {
	name, err := store.DropLeaveWindow(ctx, t, d.Window)
	if err == nil {
		t.RecordSetting(d.Window, map[string]any{"field": "Days without leave", "from": name})
	}
	return err
}

func (p PutLeast) Do(ctx context.Context, t *app.Turn) error {
	if p.Least < 0 || p.Least > mostLeast {
		return refusal.New("least", "That is no number of people", "Write 1 to 1000, or nothing")
	}
	fresh, err := store.PutLeast(ctx, t, store.Least{ID: p.Of, Site: p.Site, Least: p.Least})
	switch {
	case err != nil:
		return err
	case !fresh:
		return app.ErrNotFound
	}
	t.RecordSetting(p.Of, map[string]any{"field": "Fewest left to work", "to": fmt.Sprint(p.Least)})
	return nil
}
