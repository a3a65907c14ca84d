package app

import (
	"context"

	"manudex/store"
)

// Find finds people and jobs by any part of their names.
func (a *App) Find(ctx context.Context, actor Actor, text string) (people, jobs []store.Found, err error) {
	if !actor.May("find") {
		return nil, nil, ErrForbidden
	}
	place, err := a.Place(ctx)
	if err != nil {
		return nil, nil, err
	}
	if people, err = store.FindPeople(ctx, a.DB, text, actor.units("find"), place.Today(a.Now()), 8); err != nil {
		return nil, nil, err
	}
	jobs, err = store.FindJobs(ctx, a.DB, text, 8)
	return people, jobs, err
}
