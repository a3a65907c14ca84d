package people

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/store"
)

// Whom somebody may change, lead, move, sign in for and grant to is one rule:
// nobody upwards, nobody beyond their own reach, nobody themselves. What makes
// somebody who they are to the sign-in (level, e-mail, mobile, number, PIN, a
// link) takes a level above theirs: else one could become one's equal.

// beyond refuses crews and departments that a permission doesn't reach.
func beyond(actor app.Actor, permission, key string, units []store.Named, names []string) error {
	for _, name := range names {
		if !actor.Reaches(permission, uuid.Nil, field.IdOf(units, name)) {
			return refusal.New(key, name+" is not yours", "Choose among your own crews, or ask the office")
		}
	}
	return nil
}

// changedOf lists what stands in one of two lists and not in both.
func changedOf(before, after string) []string {
	old, now := field.SplitList(before), field.SplitList(after)
	var found []string
	for _, name := range append(slices.Clone(old), now...) {
		if slices.Contains(old, name) != slices.Contains(now, name) {
			found = append(found, name)
		}
	}
	return found
}

// levelUpTo refuses a level above the giver's own.
func levelUpTo(actor app.Actor, _ string, _ store.Sheet, value string) error {
	if app.RankOf(value) > app.RankOf(actor.Level) {
		return refusal.New("level", "Nobody gives a higher level than their own", "Ask an owner")
	}
	return nil
}

// unitsWithin refuses crews to lead that are beyond the giver's reach.
func (f *PersonFields) unitsWithin(actor app.Actor, permission string, s store.Sheet, value string) error {
	return beyond(actor, permission, "leads", f.Units, changedOf(s.Values["leads"], value))
}

// unitWithin refuses a crew to be in that is.
func (f *PersonFields) unitWithin(actor app.Actor, permission string, _ store.Sheet, value string) error {
	return beyond(actor, permission, "unit", f.Units, []string{value})
}

// ofOneself refuses a change of one's own: of pay, hours, reach or standing.
func ofOneself(f *field.PersonField) error {
	return refusal.New(f.Key, "Nobody changes "+cmp.Or(f.Selfish, "this of themselves"), "Ask another manager or an owner")
}

// lowered is how long whoever was lowered keeps others from signing in for
// them: a demotion is no way to somebody's sign-in.
const lowered = 24 * time.Hour

// signInOf is whose sign-in is given or taken, and why it can't be by the actor.
type signInOf struct {
	store.Sheet
	Refused error
}

// signInsOf locks people and reads whose sign-in is given or taken, by id; nobody
// is left out of whom there is something. What is wrong is for a field.
func signInsOf(ctx context.Context, t *app.Turn, people []uuid.UUID, field string) (map[uuid.UUID]*signInOf, error) {
	lock, err := store.LockPersons(ctx, t, people)
	if err != nil {
		return nil, err
	}
	sheets, _, err := store.Sheets(ctx, t, t.Company.Today(t.Now), store.SheetFilter{Persons: people, State: "any"}, 0, -1)
	if err != nil {
		return nil, err
	}
	powers, err := store.PowersOf(ctx, t, people, t.Now.Add(-lowered))
	if err != nil {
		return nil, err
	}
	found := map[uuid.UUID]*signInOf{}
	for _, s := range sheets {
		if found[s.Person] == nil { // their first position stands for them
			found[s.Person] = &signInOf{Sheet: s.Under(lock), Refused: maySignInFor(t, s, powers[s.Person], field)}
		}
	}
	return found, nil
}

// maySignInFor refuses whoever would gain by giving or taking a sign-in. Whoever
// has the link is that person until they choose a password: it must not give the
// giver rights, or crews, that they don't have, nor had until a day ago.
func maySignInFor(t *app.Turn, s store.Sheet, had *store.Power, field string) error {
	if err := app.MayDoTo(t, s, field); err != nil {
		return err
	}
	switch {
	case s.Values["sample"] == "yes":
		return refusal.New(field, s.Name()+" is a sample, and doesn't sign in", "Add a person to try that with")
	case !app.Above(t.Actor, s):
		return app.NotAbove(field, s)
	}
	for _, unit := range had.Leads {
		if !t.Actor.Reaches(t.Act, uuid.Nil, unit.ID) {
			return refusal.New(field, s.Name()+" leads "+unit.Name+", which is not yours", "Ask the office")
		}
	}
	for _, level := range had.Levels {
		if !app.Above(t.Actor, store.Sheet{Values: map[string]string{"level": level}}) {
			return refusal.New(field, s.Name()+" was of a higher level until a moment ago", "Wait a day, or ask an owner")
		}
	}
	for _, what := range had.Rights {
		if right := rightOf(what); right != nil && !mayGrant(t.Actor, *right) {
			return refusal.New(field, s.Name()+" may "+right.Name+", and you may not", "Ask an owner to give the link")
		}
	}
	return nil
}

// signInFor is [signInsOf] one person, whose refusal is an error.
func signInFor(ctx context.Context, t *app.Turn, person uuid.UUID, field string) (store.Sheet, error) {
	found, err := signInsOf(ctx, t, []uuid.UUID{person}, field)
	if err != nil {
		return store.Sheet{}, err
	}
	if found[person] == nil {
		return store.Sheet{}, app.ErrNotFound
	}
	return found[person].Sheet, found[person].Refused
}
