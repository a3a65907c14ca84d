package payroll

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/store"
)

// OwnPay is what closed runs paid somebody who looks at it themselves.
type OwnPay struct {
	Runs []store.OwnRunSum
}

// ReadOwnPay lists what closed runs paid the actor, where the place lets people see it.
func ReadOwnPay(ctx context.Context, a *app.App, actor app.Actor) (*OwnPay, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	if !place.OwnPay || !actor.May("pay.own") {
		return nil, app.ErrForbidden
	}
	runs, err := store.RunsOfPerson(ctx, a.DB, actor.ID, 53)
	for i := range runs {
		runs[i].Currency = place.PaidIn(runs[i].Currency).Currency
	}
	return &OwnPay{runs}, err
}

// ReadOwnRun reads what a closed run paid the actor by one of their employments, line by line with why.
func ReadOwnRun(ctx context.Context, a *app.App, actor app.Actor, run, employment uuid.UUID) (*PersonPay, error) {
	own, err := ReadOwnPay(ctx, a, actor)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(own.Runs, func(r store.OwnRunSum) bool { return r.ID == run && r.Employment == employment }) {
		return nil, app.ErrNotFound
	}
	return readPersonPay(ctx, a, "", run, employment)
}
