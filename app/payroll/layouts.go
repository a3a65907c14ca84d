package payroll

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// PutLayout keeps a layout of payroll files under its name, from a day on.
type PutLayout struct {
	ID     uuid.UUID
	From   when.Date
	Layout files.Layout
}

// DropLayout takes one out. Files that were made by it stay.
type DropLayout struct{ ID uuid.UUID }

// PutWay adds a way of being paid, or gives it another layout.
type PutWay struct{ Title, Layout string }

// DropWay takes a way out that nobody is paid by.
type DropWay struct{ Title string }

// Permission is the act's name in the permission table.
func (PutLayout) Permission() string { return "payrun.layout" }

// Permission is the act's name in the permission table.
func (DropLayout) Permission() string { return "payrun.layout" }

// Permission is the act's name in the permission table.
func (PutWay) Permission() string { return "payrun.layout" }

// Permission is the act's name in the permission table.
func (DropWay) Permission() string { return "payrun.layout" }

func (p PutLayout) Do(ctx context.Context, t *app.Turn) error {
	p.Layout.Name = strings.TrimSpace(p.Layout.Name)
	if err := p.Layout.Check(); err != nil {
		return err
	}
	data, err := json.Marshal(p.Layout)
	if err != nil {
		return fmt.Errorf("write a layout: %w", err)
	}
	if err := store.PutPayLayout(ctx, t, store.PayLayout{ID: p.ID, Name: p.Layout.Name, StartsOn: p.From, Layout: data, MadeAt: t.Now},
		t.Actor.ID); err != nil {
		return err
	}
	t.Record(store.Event{Act: p.Permission()}, p.ID, map[string]any{"layout": p.Layout.Name, "from": p.From})
	return nil
}

func (d DropLayout) Do(ctx context.Context, t *app.Turn) error {
	dropped, err := store.DropPayLayout(ctx, t, d.ID, t.Now)
	if err != nil {
		return fmt.Errorf("take a layout out: %w", err)
	}
	if !dropped {
		return app.ErrNotFound
	}
	t.Record(store.Event{Act: d.Permission()}, d.ID, map[string]any{"layout": "taken out"})
	return nil
}

func (p PutWay) Do(ctx context.Context, t *app.Turn) error {
	title := strings.TrimSpace(p.Title)
	if title == "" || utf8.RuneCountInString(title) > 40 || strings.ContainsAny(title, ",;") {
		return refusal.New("title", "The way of being paid has no name", "Write one of at most 40 characters, without commas")
	}
	if p.Layout != "" {
		all, err := store.PayLayouts(ctx, t)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(all, func(l store.PayLayout) bool { return l.Name == p.Layout }) {
			return refusal.New("layout", "There is no such layout", "Choose one, or none")
		}
	}
	if err := store.PutPayWay(ctx, t, store.PayWay{Name: title, Layout: p.Layout}); err != nil {
		return fmt.Errorf("keep a way of being paid: %w", err)
	}
	t.Record(store.Event{Act: p.Permission()}, uuid.Nil, map[string]any{"way": title, "layout": p.Layout})
	return nil
}

func (d DropWay) Do(ctx context.Context, t *app.Turn) error {
	dropped, err := store.DropPayWay(ctx, t, d.Title, t.Now)
	if err != nil {
		return fmt.Errorf("take a way of being paid out: %w", err)
	}
	if !dropped {
		return refusal.New("title", "Somebody is paid by it, or there is no such way", "Let them be paid another way first")
	}
	t.Record(store.Event{Act: d.Permission()}, uuid.Nil, map[string]any{"way": d.Title, "taken out": true})
	return nil
}

// LayoutsPage is the page of layouts.
type LayoutsPage struct {
	Layouts []store.PayLayout
	Ways    []store.PayWay
	Runs    []store.Run // closed ones, for the preview
}

// ReadLayoutsPage reads it.
func ReadLayoutsPage(ctx context.Context, a *app.App, actor app.Actor) (*LayoutsPage, error) {
	if actor.Scope("payrun.layout") != app.All {
		return nil, app.ErrForbidden
	}
	p := &LayoutsPage{}
	var err error
	if p.Layouts, err = store.PayLayouts(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Ways, err = store.PayWays(ctx, a.DB); err != nil {
		return nil, err
	}
	p.Runs, err = store.Runs(ctx, a.DB, 13)
	return p, err
}

// ReadLayout reads one, and from when it holds.
func ReadLayout(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (l files.Layout, from when.Date, err error) {
	p, err := ReadLayoutsPage(ctx, a, actor)
	if err != nil {
		return l, 0, err
	}
	i := slices.IndexFunc(p.Layouts, func(l store.PayLayout) bool { return l.ID == id })
	if i < 0 {
		return l, 0, app.ErrNotFound
	}
	if err := json.Unmarshal(p.Layouts[i].Layout, &l); err != nil {
		return l, 0, fmt.Errorf("read a layout: %w", err)
	}
	return l, p.Layouts[i].StartsOn, nil
}

// TryLayout makes a closed run by a layout that isn't kept: its first file, and what it does to the run.
func TryLayout(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID, l files.Layout) ([]files.LayoutFile,
	files.LayoutReport, error) {
	if actor.Scope("payrun.layout") != app.All {
		return nil, files.LayoutReport{}, app.ErrForbidden
	}
	if err := l.Check(); err != nil {
		return nil, files.LayoutReport{}, err
	}
	lines, _, r, err := RunLines(ctx, a, actor, run)
	if err != nil {
		return nil, files.LayoutReport{}, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, files.LayoutReport{}, err
	}
	return l.Make(lines, place.PaidIn(r.Currency).CurrencyDecimals)
}
