package demo

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/core/roster"
	"manudex/store"
)

// loadDraft plans what nobody is told of yet: a Saturday of a crew, and a longer day of one
// of them next week.
func (w *World) loadDraft(ctx context.Context, db *store.DB) error {
	if w.atOnce {
		return nil
	}
	saturday := w.Place.Today(w.Now)
	for saturday.Weekday() != time.Saturday {
		saturday++
	}
	var changes []roster.Change
	for _, e := range w.people {
		if e.who.UnitName != "Gantry crew B" || len(changes) == 3 {
			continue
		}
		r := w.rng("draft" + e.number)
		if len(changes) < 2 {
			s := w.shift(e, saturday, r)
			s.Start, s.End, s.Less = w.minute(e, saturday, 420), w.minute(e, saturday, 780), 0
			changes = append(changes, roster.Change{Is: &roster.Shift{ID: r.id(w.Now), Employment: e.who.ID, Date: saturday, Start: s.Start,
				End: s.End, Job: store.IDOrNil(s.Job), Task: store.IDOrNil(s.Task)}})
			continue
		}
		ids := []uuid.UUID{}
		if err := db.SelectContext(ctx, &ids, `select id from planned where employment_id = $1 and date > $2 order by date limit 1`,
			e.who.ID, saturday.String()); err != nil {
			return err
		}
		planned, err := store.PlannedByID(ctx, db, ids)
		if err != nil {
			return err
		}
		for _, was := range planned {
			is := was
			is.End = is.End.Add(90 * time.Minute)
			changes = append(changes, roster.Change{Was: &was, Is: &is})
		}
	}
	return store.ChangePlan(ctx, db, w.rng("draft").id(w.Now), w.office[1].id, w.Now, changes)
}
