package roster

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// AgreeToChange says that one agrees to a change of one's plan, or where the planner says so
// that one asked for it. It is for what is to come: what is paid doesn't change afterwards.
type AgreeToChange struct{ Told uuid.UUID }

// Permission is what the act takes: it is one's own plan.
func (AgreeToChange) Permission() string { return "clock.see" }

func (a AgreeToChange) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return app.ErrNotFound
	}
	mine := *t.Actor.Employment
	told, err := store.GetChangeFor(ctx, t, a.Told, mine)
	if err != nil {
		return err
	}
	change, err := told.Change()
	if err != nil {
		return err
	}
	if !change.Begins().After(t.Now) {
		return refusal.New("change", "This shift has begun", "Talk to your lead")
	}
	fresh, err := store.AgreeToChange(ctx, t, a.Told, mine, t.Actor.ID, t.Now)
	if fresh {
		t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, a.Told, map[string]any{"agrees": change.Date()})
	}
	return err
}

// OwnChange is a change of one's plan that one may agree to.
type OwnChange struct {
	Told  uuid.UUID
	Words string
	Asked bool
}

// usualNotice is for how many days before a shift a change is at short notice, where no rule
// of pay says so.
const usualNotice = 7

// readChanges reads what changed at short notice and isn't agreed to.
func (o *OwnShifts) readChanges(ctx context.Context, a *app.App, place *app.Company, mine uuid.UUID) error {
	days := usualNotice
	if n := place.RulesOn(o.Today).ShortNotice.Days; n > 0 {
		days = int(n)
	}
	found, err := store.ChangesFor(ctx, a.DB, mine, o.Today, days)
	if err != nil {
		return err
	}
	names := map[uuid.UUID]store.PlannedShift{}
	for _, s := range o.Shifts {
		names[s.ID] = s
	}
	for _, c := range found {
		change, err := c.Change()
		if err != nil {
			return err
		}
		if change.Begins().After(o.Now) {
			o.Changes = append(o.Changes, OwnChange{Told: c.ID, Words: changeWords(change, names, o.Loc), Asked: c.Asked})
		}
	}
	return nil
}
