package company

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// PutAway puts a part of the product away that the place has no use for, or takes it up
// again.
type PutAway struct {
	Part string
	Away bool
}

// Permission is the act's name in the permission table.
func (PutAway) Permission() string { return "setup.change" }

func (p PutAway) Do(ctx context.Context, t *app.Turn) error {
	i := slices.IndexFunc(app.Parts, func(part app.Part) bool { return part.Key == p.Part })
	if i < 0 {
		return app.ErrNotFound
	}
	uses, err := store.PartUses(ctx, t)
	if err != nil {
		return err
	}
	var away []string
	for _, u := range uses {
		switch {
		case u.Key == p.Part && p.Away && u.Used:
			return refusal.New("part", app.Parts[i].Name+" are in use", "Take them from people, jobs and crews first")
		case u.Key == p.Part && p.Away, u.Key != p.Part && u.Away:
			away = append(away, u.Key)
		}
	}
	to := "on the pages"
	if p.Away {
		to = "put away"
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": app.Parts[i].Name, "to": to})
	return store.SetCompany(ctx, t, "parts_away", strings.Join(away, ","))
}

// PartStanding is a part that isn't used: put away, or on the pages.
type PartStanding struct {
	app.Part
	Away bool
}

// unusedParts lists the parts that nothing uses.
func unusedParts(ctx context.Context, q store.Q) (found []PartStanding, err error) {
	uses, err := store.PartUses(ctx, q)
	for _, u := range uses {
		i := slices.IndexFunc(app.Parts, func(p app.Part) bool { return p.Key == u.Key })
		if !u.Used && i >= 0 {
			found = append(found, PartStanding{app.Parts[i], u.Away})
		}
	}
	return found, err
}
