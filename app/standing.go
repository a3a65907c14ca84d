package app

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// LockSheet locks a person and reads their settings as they are on a date.
func LockSheet(ctx context.Context, t *Turn, person, employment uuid.UUID, on when.Date) (store.Sheet, error) {
	if on == 0 {
		on = t.Company.Today(t.Now)
	}
	lock, err := store.LockPersons(ctx, t, []uuid.UUID{person})
	if err != nil {
		return store.Sheet{}, err
	}
	sheets, _, err := store.Sheets(ctx, t, on, store.SheetFilter{Person: person, State: "any"}, 0, -1)
	if err != nil {
		return store.Sheet{}, err
	}
	for _, s := range sheets {
		if employment == uuid.Nil || s.Employment == employment {
			return s.Under(lock), nil
		}
	}
	return store.Sheet{}, ErrNotFound
}

// LockTheirs locks a person whom the act reaches and who is of no higher level
// than the actor, and not the actor; a refusal is for the field named.
func LockTheirs(ctx context.Context, t *Turn, person uuid.UUID, field string) (store.Sheet, error) {
	s, err := LockSheet(ctx, t, person, uuid.Nil, 0)
	if err != nil {
		return s, err
	}
	return s, MayDoTo(t, s, field)
}

// MayDoTo refuses an act on a person whom it doesn't reach, who is of a higher level
// than the actor, or the actor.
func MayDoTo(t *Turn, s store.Sheet, field string) error {
	switch {
	case !t.Actor.Reaches(t.Act, s.Person, s.Unit):
		return ErrNotFound
	case s.Person == t.Actor.ID:
		return refusal.New(field, "Nobody does this for themselves", "Ask another manager or an owner")
	case !Outranks(t.Actor, s):
		return refusal.New(field, s.Name()+" is of a higher level than you", "Ask an owner")
	}
	return nil
}

// Outranks says whether the actor's level is at least that of a person: a
// manager changes no owner.
func Outranks(actor Actor, s store.Sheet) bool {
	return RankOf(actor.Level) >= RankOf(s.Values["level"])
}

// Above says whether the actor stands above a person. Owners answer for each
// other, and workers have no power that one could take from another.
func Above(actor Actor, s store.Sheet) bool {
	level := s.Values["level"]
	return RankOf(actor.Level) > RankOf(level) || level == actor.Level && (level == "owner" || level == "worker")
}

// NotAbove is the refusal of who does not stand above a person.
func NotAbove(field string, s store.Sheet) error {
	return refusal.New(field, s.Name()+" is of a higher level than you, or of your own", "Ask an owner")
}
