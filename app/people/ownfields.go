package people

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/store"
)

// ownKinds are what a field of the company's own can hold.
var ownKinds = field.Choices(string(field.TextField), "text", string(field.NumberField), "number", string(field.DateField), "date",
	string(field.ChoiceField), "one of a list")

// OwnKinds lists them.
func OwnKinds() []field.Choice { return ownKinds }

// PutOwnField adds a field of the company's own to what is kept of people, or
// changes its name and choices. What it holds stays as it was made.
type PutOwnField struct {
	ID          uuid.UUID
	Title, Kind string
	Choices     string // one a line, for one of a list
}

// DropOwnField takes a field out that nobody has a value in.
type DropOwnField struct{ ID uuid.UUID }

// Permission is the act's name in the permission table.
func (PutOwnField) Permission() string { return "setup.change" }

// Permission is the act's name in the permission table.
func (DropOwnField) Permission() string { return "setup.change" }

func (p PutOwnField) Do(ctx context.Context, t *app.Turn) error {
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	f := store.OwnField{ID: p.ID, Name: strings.TrimSpace(p.Title), Kind: p.Kind}
	if old := fields.Get(p.ID.String()); old != nil {
		f.Kind = string(old.Kind)
	}
	switch i := slices.IndexFunc(fields.All, func(o field.PersonField) bool {
		return strings.EqualFold(o.Label, f.Name) && o.Key != p.ID.String()
	}); {
	case f.Name == "" || len([]rune(f.Name)) > 40:
		return refusal.New("title", "The field has no name", "Write one of at most 40 characters")
	case i >= 0:
		return refusal.New("title", "There is a setting “"+fields.All[i].Label+"” already", "Choose another name")
	case !slices.ContainsFunc(ownKinds, func(c field.Choice) bool { return c.Value == f.Kind }):
		return app.ErrNotFound
	}
	if f.Kind == string(field.ChoiceField) {
		if f.Choices, err = field.ChoiceLines(p.Choices); err != nil {
			return err
		}
		if err := keepsUsed(ctx, t, f); err != nil {
			return err
		}
	}
	if err := store.PutOwnField(ctx, t, f); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, p.ID, map[string]any{"field": "Field of people", "to": f.Name})
	return nil
}

// keepsUsed refuses to take out a choice that somebody has.
func keepsUsed(ctx context.Context, t *app.Turn, f store.OwnField) error {
	used, err := store.OwnValues(ctx, t, f.ID)
	if err != nil {
		return err
	}
	for _, u := range used {
		if !slices.Contains(strings.Split(f.Choices, "\n"), u.Name) {
			return refusal.New("choices", fmt.Sprintf("%d people have “%s”", u.N, field.Shorten(u.Name)),
				"Give them another first, or keep it")
		}
	}
	return nil
}

func (d DropOwnField) Do(ctx context.Context, t *app.Turn) error {
	n, err := store.OwnFieldUsed(ctx, t, d.ID)
	if err != nil {
		return err
	}
	if n > 0 {
		return refusal.New("field", fmt.Sprintf("%d people have a value in it", n),
			"Empty it for them first: People can change one setting for many")
	}
	name, err := store.DropOwnField(ctx, t, d.ID)
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, d.ID, map[string]any{"field": "Field of people", "from": name, "to": "taken out"})
	return nil
}
