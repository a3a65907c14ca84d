package people

import (
	"context"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// ChooseLanguage says in which language one reads one's own pages.
type ChooseLanguage struct{ Code string }

// Permission is what the act takes.
func (ChooseLanguage) Permission() string { return "self" }

func (c ChooseLanguage) Do(ctx context.Context, t *app.Turn) error {
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	kept, err := fields.Get("language").Normal(c.Code)
	if err != nil || c.Code == "" {
		return refusal.New("language", "There are no pages in that language", "Choose one of the list")
	}
	return store.SetPerson(ctx, t, t.Actor.ID, "language", kept)
}
