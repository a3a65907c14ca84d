package demo

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/store"
)

// policies are how leave is earned in the demo world.
var policies = map[string]struct{ name, policy, opening string }{
	"Annual leave": {"10 hours a month",
		`{"earn": {"every": "month", "day": 31, "amount": "10"}, "cap": "200", "reset": {"on": "01-01", "carry_over": "80"}}`, "64"},
	"Sick leave": {"An hour for every 30 worked", `{"earn": {"every": "hours_worked", "amount": "1", "per": "30"}, "use_limit": "40",
		"cap": "80"}`, "16"},
}

// loadLeave makes the kinds of leave, how they are earned, and who has how much for the last six weeks.
func (w *World) loadLeave(ctx context.Context, db *store.DB) error {
	r := w.rng("leave")
	today := w.Place.Today(w.Now)
	of, err := store.HereOn(ctx, db, nil, today, uuid.Nil)
	if err != nil {
		return err
	}
	var owner uuid.UUID
	if err := db.GetContext(ctx, &owner, `select id from person where level = 'owner' order by number limit 1`); err != nil {
		return fmt.Errorf("read who gives leave: %w", err)
	}
	for _, k := range []store.LeaveKind{{Name: "Annual leave", PayCode: "PTO"}, {Name: "Sick leave", PayCode: "SICK"}} {
		k.ID, k.Paid = r.id(w.start()), true
		if err := store.PutLeaveKind(ctx, db, k); err != nil {
			return fmt.Errorf("load kinds of leave: %w", err)
		}
		has := policies[k.Name]
		p := store.LeavePolicy{ID: r.id(w.start()), Kind: k.ID, Name: has.name, Policy: []byte(has.policy)}
		if _, err := store.InsertLeavePolicy(ctx, db, p, owner, w.start()); err != nil {
			return fmt.Errorf("load policies of leave: %w", err)
		}
		if err := store.GiveLeavePolicy(ctx, db, r.id(w.start()), p, of, today-43, has.opening, owner, w.start()); err != nil {
			return fmt.Errorf("load accounts of leave: %w", err)
		}
	}
	return nil
}
