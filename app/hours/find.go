package hours

import (
	"context"

	"manudex/app"
	"manudex/store"
)

// Find finds people and jobs by any part of their names.
func Find(ctx context.Context, a *app.App, actor app.Actor, text string) (people, jobs []store.Found, err error) {
	if !actor.May("find") {
		return nil, nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, nil, err
	}
	if people, err = store.FindPeople(ctx, a.DB, text, actor.Units("find"), place.Today(a.Now()), 8); err != nil {
		return nil, nil, err
	}
	jobs, err = store.FindJobs(ctx, a.DB, text, 8)
	return people, jobs, err
}
