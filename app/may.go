package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/core/when"
	"manudex/store"
)

// Scope is how far a permission reaches.
type Scope uint8

// The scopes, each holding the one before.
const (
	None Scope = iota
	Own        // one's own
	Crew       // one's own and the crews one leads
	All
)

func (s Scope) String() string { return [...]string{"none", "own", "crew", "all"}[s] }

// Levels, in the order of the table's columns.
var Levels = []string{"worker", "lead", "manager", "owner"}

// permissions is the one answer to "who may?". Every act and every read has a
// row; every route names one. What no row says nobody may. Nobody approves
// their own card, whatever stands here: see the acts.
var permissions = map[string][4]Scope{
	//                worker lead  manager owner
	"clock.see":       {Own, Own, Own, Own},
	"clock.punch":     {Own, Own, Own, Own},
	"note.add":        {Own, Own, Own, Own},
	"card.see":        {Own, Crew, All, All},
	"card.sign":       {Own, Crew, Own, Own},
	"card.approve":    {None, None, All, All},
	"card.take_back":  {None, None, All, All},
	"today.see":       {None, Crew, All, All},
	"timecards.see":   {None, Crew, All, All},
	"find":            {None, Crew, All, All},
	"live.follow":     {Own, Crew, All, All},
	"payrun.see":      {None, None, All, All},
	"payrun.close":    {None, None, All, All},
	"payrun.download": {None, None, All, All},
	"self":            {Own, Own, Own, Own}, // sign out, look, keys: what everybody has
}

// Permissions lists the names in the table.
func Permissions() []string {
	names := make([]string, 0, len(permissions))
	for n := range permissions {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// Acts lists every act there is, for the tests that hold the permission table
// and the routes against it.
var Acts = []Act{Punch{}, AddNote{}, Sign{}, SignClear{}, Approve{}, ApproveClear{}, TakeBack{}, CloseRun{}}

// Actor is somebody signed in.
type Actor struct{ store.Person }

// Scope says how far the actor may do or see what name stands for.
func (a Actor) Scope(name string) Scope {
	row, ok := permissions[name]
	i := slices.Index(Levels, a.Level)
	if !ok || i < 0 {
		return None
	}
	return row[i]
}

// May says whether the actor may at all.
func (a Actor) May(name string) bool { return a.Scope(name) != None }

// units gives the units a scope reaches, nil for all of them. A scope of Own
// reaches no unit.
func (a Actor) units(s Scope) []uuid.UUID {
	switch s {
	case All:
		return nil
	case Crew:
		return append([]uuid.UUID{}, a.LeadsUnits...)
	}
	return []uuid.UUID{}
}

// reaches says whether a scope reaches a person in a unit.
func (a Actor) reaches(s Scope, person, unit uuid.UUID) bool {
	switch s {
	case All:
		return true
	case Crew:
		return person == a.ID || slices.Contains(a.LeadsUnits, unit)
	case Own:
		return person == a.ID
	}
	return false
}

// Actor reads who is signed in. ErrNotFound when they left.
func (a *App) Actor(ctx context.Context, id uuid.UUID) (Actor, error) {
	place, err := a.Place(ctx)
	if err != nil {
		return Actor{}, err
	}
	p, err := store.GetPerson(ctx, a.DB, id, when.DateOf(a.Now(), place.Loc))
	if store.NotFound(err) {
		return Actor{}, ErrNotFound
	}
	return Actor{p}, err
}
