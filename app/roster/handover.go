package roster

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// HandOver opens a shift of one's own: to a colleague, or to all who may.
type HandOver struct {
	ID    uuid.UUID
	Shift uuid.UUID
	To    uuid.UUID // an employment of the same crew; zero for all who may
}

// SayingSick says that one can't come today: the lead is told, the shift is open, and that
// one doesn't come is noted.
type SayingSick struct {
	ID    uuid.UUID
	Shift uuid.UUID
}

// TakeOfferBack keeps a shift that one offered, as long as nobody has it.
type TakeOfferBack struct{ Shift uuid.UUID }

// Permission is what the act takes: it is one's own shift.
func (HandOver) Permission() string { return "clock.see" }

// Permission is what the act takes: it is one's own shift.
func (SayingSick) Permission() string { return "clock.see" }

// Permission is what the act takes: it is one's own shift.
func (TakeOfferBack) Permission() string { return "clock.see" }

// ownShift reads a shift that the actor was told of and that isn't over, locked with them.
func ownShift(ctx context.Context, t *app.Turn, id uuid.UUID) (store.PlannedShift, store.Employment, error) {
	if t.Actor.Employment == nil {
		return store.PlannedShift{}, store.Employment{}, app.ErrNotFound
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	if err != nil {
		return store.PlannedShift{}, who, err
	}
	s, err := store.ToldShift(ctx, t, id)
	switch {
	case err != nil:
		return s, who, err
	case s.Employment != who.ID:
		return s, who, app.ErrNotFound
	case !s.End.After(t.Now):
		return s, who, refusal.New("shift", "This shift is over", "Look at your shifts again")
	}
	return s, who, nil
}

// opening is what opens somebody's own shift.
func opening(id uuid.UUID, s store.PlannedShift, who store.Employment, t *app.Turn) store.OpenPlace {
	return store.OpenPlace{ID: id, Unit: who.Unit, UnitName: who.UnitName, Date: s.Date, Start: s.Start, End: s.End, Less: s.Less,
		Job:  s.Job,
		Task: s.Task, Note: s.Note, Wanted: 1, OfShift: &s.ID, From: &who.ID, MadeAt: t.Now, MadeBy: t.Actor.ID}
}

func (h HandOver) Do(ctx context.Context, t *app.Turn) error {
	s, who, err := ownShift(ctx, t, h.Shift)
	if err != nil {
		return err
	}
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	o := opening(h.ID, s, who, t)
	if !s.Start.After(t.Now) {
		return refusal.New("shift", "This shift has begun", "Talk to your lead")
	}
	words := spanWords(s.Rule(), loc)
	if h.To != uuid.Nil {
		to, err := store.GetEmployment(ctx, t, h.To)
		if err != nil {
			return err
		}
		if to.Unit != who.Unit || to.ID == who.ID {
			return app.ErrNotFound
		}
		o.To = &to.ID
		could, err := free(ctx, t, t.Company, t.Company.Today(t.Now), o)
		if err != nil {
			return err
		}
		if len(could) == 0 {
			return refusal.New("to", to.Name()+" can’t take it: they are planned, on leave, or lack what it needs", "Choose somebody else")
		}
		t.Tell(app.Notice{Person: to.Person, Kind: notice.ShiftOffered, Key: h.ID.String(), Words: []string{t.Actor.Name(), words},
			Link: "/shifts#open", About: s.Start})
	}
	if err := insertOwn(ctx, t, o); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, o.ID, map[string]any{"hands_over": s.Date})
	if h.To == uuid.Nil {
		return tellOpen(ctx, t, o, loc)
	}
	return nil
}

// insertOwn opens somebody's own shift, unless that was done.
func insertOwn(ctx context.Context, t *app.Turn, o store.OpenPlace) error {
	_, err := store.InsertOpening(ctx, t, o)
	if store.Violates(err, "opening_of") {
		return refusal.New("shift", "This shift is offered already", "Wait for an answer, or talk to your lead")
	}
	return err
}

func (k TakeOfferBack) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return app.ErrNotFound
	}
	o, err := store.LockOpeningOf(ctx, t, k.Shift)
	switch {
	case err != nil:
		return err
	case *o.From != *t.Actor.Employment:
		return app.ErrNotFound
	case o.Sick:
		return refusal.New("shift", "You said that you are sick", "Tell your lead that you come after all")
	}
	t.Record(store.Event{Person: t.Actor.ID, Unit: o.Unit, Act: t.Act}, o.ID, map[string]any{"keeps": o.Date})
	others := []uuid.UUID(nil)
	if o.To != nil { // whoever it was offered to knows as well
		to, err := store.GetEmployment(ctx, t, *o.To)
		if err != nil {
			return err
		}
		others = append(others, to.Person)
	}
	return closePlace(ctx, t, o, others)
}

func (h SayingSick) Do(ctx context.Context, t *app.Turn) error {
	s, who, err := ownShift(ctx, t, h.Shift)
	if err != nil {
		return err
	}
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	if s.Start.After(t.Now) && s.Date != when.WorkedDate(t.Now, loc, cutOver(t)) {
		return refusal.New("shift", "That is not today", "Hand the shift over instead")
	}
	o := opening(h.ID, s, who, t)
	o.Sick = true
	if err := insertOwn(ctx, t, o); err != nil {
		return err
	}
	if err := store.SayNotThere(ctx, t, h.ID, who.ID, s.Date, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, o.ID, map[string]any{"sick": s.Date})
	if err := tellOpen(ctx, t, o, loc); err != nil {
		return err
	}
	return tellPlanners(ctx, t, who.Unit, app.Notice{Kind: notice.SickToday, Key: h.ID.String(),
		Words: []string{t.Actor.Name(), s.Start.In(loc).Format("15:04")}, Link: rosterLink(s.Date), About: t.Now})
}
