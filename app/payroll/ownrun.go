package payroll

import (
	"context"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// PrepareRun prepares a run of its own for chosen people, up to a day: somebody's final pay, hours that were
// missed, a bonus. It pays what they're owed by then less what they were paid, and the period's own run
// pays the rest.
type PrepareRun struct {
	ID          uuid.UUID
	Group       string
	Employments []uuid.UUID
	To          string
	Final       bool // they have left: premiums are paid before their week ends
	Why         string
}

// GiveUpRun gives one up that was prepared.
type GiveUpRun struct{ ID uuid.UUID }

// Permission is the act's name in the permission table.
func (PrepareRun) Permission() string { return "payrun.close" }

// Permission is the act's name in the permission table.
func (GiveUpRun) Permission() string { return "payrun.close" }

// What will be paid is changed alone.
func (PrepareRun) Alone() {}

func (GiveUpRun) Alone() {}

func (p PrepareRun) Do(ctx context.Context, t *app.Turn) error {
	period, err := openPeriod(ctx, t, t.Company, p.Group, t.Now)
	if err != nil {
		return err
	}
	to, err := when.ParseDate(strings.TrimSpace(p.To))
	if err != nil {
		return refusal.New("to", "The day can't be “"+field.Shorten(p.To)+"”", "Write a date as YYYY-MM-DD")
	}
	why := strings.TrimSpace(p.Why)
	payees, err := payeesIn(ctx, t, p.Group, period, p.Employments...)
	switch {
	case err != nil:
		return err
	case len(p.Employments) == 0:
		return refusal.New("who", "Nobody is chosen", "Write numbers or names, apart by commas")
	case why == "" || utf8.RuneCountInString(why) > 200:
		return refusal.New("why", "Nobody says what it is for", "Write it: final pay, hours that were missed, …")
	case to > t.Company.Today(t.Now):
		return refusal.New("to", to.Format("2 January 2006")+" is to come", "Take a day up to today")
	case to < period.From:
		return refusal.New("to", "Runs are closed up to "+(period.From-1).Format("2 January 2006"),
			"Take a day from then on; what is late comes with it")
	}
	for _, of := range payees {
		if of.Person == t.Actor.ID {
			return refusal.New("who", "Your own pay would be in it", "Somebody else prepares it")
		}
	}
	if err := store.InsertPreparedRun(ctx, t, store.PreparedRun{ID: p.ID, Group: p.Group, To: to, Final: p.Final, Why: why, By: t.Actor.ID,
		MadeAt: t.Now, Of: p.Employments}); err != nil {
		return err
	}
	for _, of := range payees {
		t.Record(store.Event{Act: p.Permission()}, of.Person, map[string]any{"prepared": why, "to": to})
	}
	return nil
}

func (g GiveUpRun) Do(ctx context.Context, t *app.Turn) error {
	ended, err := store.EndPreparedRun(ctx, t, g.ID, nil, t.Now)
	if err != nil {
		return fmt.Errorf("give a run up: %w", err)
	}
	if !ended {
		return app.ErrNotFound
	}
	t.Record(store.Event{Act: g.Permission()}, g.ID, map[string]any{"given up": true})
	return nil
}

// Prepared lists the runs of their own that are prepared for a group's people.
func Prepared(ctx context.Context, a *app.App, actor app.Actor, group string) ([]store.PreparedRun, error) {
	if actor.Scope("payrun.see") != app.All {
		return nil, app.ErrForbidden
	}
	return store.PreparedRuns(ctx, a.DB, group)
}

// PreparedPage reads a run of its own as it would pay now.
func PreparedPage(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (*RunPage, error) {
	if actor.Scope("payrun.see") != app.All {
		return nil, app.ErrForbidden
	}
	own, err := store.GetPreparedRun(ctx, a.DB, id)
	if store.NotFound(err) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, fmt.Errorf("read a run that was prepared: %w", err)
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	page := &RunPage{Group: own.Group, Own: &own, Loc: place.Loc}
	return page, fillOpen(ctx, a, page, actor, place)
}
