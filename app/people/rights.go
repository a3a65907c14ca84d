package people

import (
	"context"
	"net/mail"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// RightsPage lists who may do more than a worker, as it stood on a day.
type RightsPage struct {
	On         when.Date
	Today      when.Date
	Rows       []store.RightRow
	MayAuditor bool // the actor can add an auditor
}

// Rights reads who might what at the end of a day; the zero day is today.
func Rights(ctx context.Context, a *app.App, actor app.Actor, on when.Date) (*RightsPage, error) {
	if !actor.May("audit.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &RightsPage{On: on, Today: place.Today(a.Now()), MayAuditor: actor.Level == "owner"}
	if p.On == 0 {
		p.On = p.Today
	}
	p.Rows, err = store.RightsOn(ctx, a.DB, (p.On+1).At(0, place.Loc), p.On)
	return p, err
}

// AddAuditor adds somebody who sees everything and changes nothing, until a
// day. They are given a sign-in like others.
type AddAuditor struct {
	ID                   uuid.UUID
	Given, Family, Email string
	Last                 when.Date
}

// Permission is what the act takes; an owner it takes, too.
func (AddAuditor) Permission() string { return "people.grant" }

// auditLasts is how long an auditor is added for at most, in days.
const auditLasts = 366

func (a AddAuditor) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Level != "owner" {
		return app.ErrForbidden
	}
	if err := t.Proved("password"); err != nil {
		return err
	}
	today := t.Company.Today(t.Now)
	a.Given, a.Family, a.Email = strings.TrimSpace(a.Given), strings.TrimSpace(a.Family), strings.TrimSpace(a.Email)
	switch {
	case a.Given == "" || a.Family == "" || len([]rune(a.Given+a.Family)) > 160:
		return refusal.New("given_name", "The name is missing", "Write given name and family name")
	case a.Last < today || a.Last > today+auditLasts:
		return refusal.New("last", "An audit ends on a day", "Choose one from today on, within a year")
	}
	if a.Email != "" {
		if at, err := mail.ParseAddress(a.Email); err != nil || at.Address != a.Email {
			return refusal.New("email", "This is no e-mail address", "Write one such as name@company.example, or none")
		}
	}
	number, err := store.NextNumber(ctx, t)
	if err != nil {
		return err
	}
	if err := store.InsertAuditor(ctx, t, a.ID, number, a.Given, a.Family, a.Email, a.Last, t.Now, t.Actor.ID); err != nil {
		if store.Violates(err, "person_email") {
			return refusal.New("email", "That address belongs to somebody else already", "Write another, or none")
		}
		if store.Violates(err, "person_pkey") {
			return app.ErrConflict
		}
		return err
	}
	t.Record(store.Event{Person: a.ID, Act: t.Act}, a.ID, map[string]any{"auditor": "until " + a.Last.String()})
	return nil
}
