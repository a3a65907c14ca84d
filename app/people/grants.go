package people

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// GrantRight gives a person a right beyond their level: for everyone, for a
// unit, or for the units of a site.
type GrantRight struct {
	ID         uuid.UUID
	Person     uuid.UUID
	What       string
	Unit, Site uuid.UUID
}

// TakeRight takes a grant away.
type TakeRight struct{ Grant uuid.UUID }

// Permission is the act's name in the permission table.
func (GrantRight) Permission() string { return "people.grant" }

// Permission is the act's name in the permission table.
func (TakeRight) Permission() string { return "people.grant" }

// rightOf gives the right of a name, or nil.
func rightOf(what string) *app.Right {
	for i := range app.Rights {
		if app.Rights[i].What == what {
			return &app.Rights[i]
		}
	}
	return nil
}

// payRights are passed on by owners alone.
var payRights = []string{"see_rates", "run_payroll"}

// mayGrant says whether somebody may give or take a right: only one whose
// every permission they have for everyone themselves.
func mayGrant(actor app.Actor, r app.Right) bool {
	if slices.Contains(payRights, r.What) && actor.Level != "owner" {
		return false
	}
	return !slices.ContainsFunc(r.Brings, func(name string) bool { return actor.Scope(name) != app.All })
}

func (g GrantRight) Do(ctx context.Context, t *app.Turn) error {
	if err := t.Proved("password"); err != nil {
		return err
	}
	if g.What == "run_payroll" && (g.Unit != uuid.Nil || g.Site != uuid.Nil) {
		return refusal.New("what", "A pay run is for everyone", "Grant it for everyone, or not at all")
	}
	sheet, err := grantee(ctx, t, g.Person, g.What)
	if err != nil {
		return err
	}
	if err := store.InsertGrant(ctx, t, g.ID, g.Person, g.What, g.Unit, g.Site, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: sheet.Person, Unit: sheet.Unit, Act: t.Act}, g.Person,
		map[string]any{"granted": g.What, "unit": g.Unit, "site": g.Site})
	return nil
}

func (r TakeRight) Do(ctx context.Context, t *app.Turn) error {
	if err := t.Proved("password"); err != nil {
		return err
	}
	person, what, err := store.GetGrant(ctx, t, r.Grant)
	if err != nil {
		return err
	}
	sheet, err := grantee(ctx, t, person, what)
	if err != nil {
		return err
	}
	if err := store.TakeGrant(ctx, t, r.Grant, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: sheet.Person, Unit: sheet.Unit, Act: t.Act}, person, map[string]any{"taken": what})
	return nil
}

// grantee reads who a right is given to or taken from: nobody's own, nobody's
// of a higher level, and no right that the actor couldn't give.
func grantee(ctx context.Context, t *app.Turn, person uuid.UUID, what string) (store.Sheet, error) {
	right := rightOf(what)
	if right == nil {
		return store.Sheet{}, app.ErrNotFound
	}
	sheet, err := app.LockSheet(ctx, t, person, uuid.Nil, 0)
	switch {
	case err != nil:
		return sheet, err
	case person == t.Actor.ID:
		return sheet, refusal.New("what", "Nobody changes their own rights", "Ask another manager or an owner")
	case !app.Outranks(t.Actor, sheet):
		return sheet, refusal.New("what", sheet.Name()+" is of a higher level than you", "Ask an owner")
	case !mayGrant(t.Actor, *right):
		return sheet, refusal.New("what", "You can't give what you don't have yourself, nor take it: to "+right.Name, "Ask an owner")
	}
	return sheet, nil
}
