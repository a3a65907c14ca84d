package company_test

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/dbtest"
)

// From an empty database to the first punch: the company, its owner, a crew,
// a person, a job, and hours on the clock.
func TestBegin(t *testing.T) {
	db := dbtest.Empty(t)
	ctx := context.Background()
	apptest.Must(t, db.Migrate(ctx))
	now := dbtest.Now
	first := company.First{Company: "Lantern works", Zone: "America/Halifax", Currency: "cad", Given: "Ada", Family: "Munro",
		Email: "ada@lantern.example"}
	for name, f := range map[string]func(*company.First){"no name": func(f *company.First) {
		f.Company = ""
	}, "no zone": func(f *company.First) {
		f.Zone = "Nowhere"
	}, "no currency": func(f *company.First) { f.Currency = "dollars" }, "no address": func(f *company.First) { f.Email = "ada" }} {
		wrong := first
		f(&wrong)
		if _, err := company.Begin(ctx, db, now, wrong); err == nil {
			t.Errorf("%s: taken", name)
		}
	}
	token, err := company.Begin(ctx, db, now, first)
	apptest.Must(t, err)
	if _, err := company.Begin(ctx, db, now, first); err == nil {
		t.Error("a second company was begun over the first")
	}
	a := app.New(db, func() time.Time { return now }, slog.New(slog.DiscardHandler))
	id, err := people.ChoosePassword(ctx, a, token, "seven small lanterns", "")
	apptest.Must(t, err)
	owner, err := a.Actor(ctx, id)
	apptest.Must(t, err)
	page, err := company.SetUp(ctx, a, owner)
	apptest.Must(t, err)
	if page.Next == nil || page.Next.Name != "The place" {
		t.Errorf("an empty company needs first: %+v", page.Next)
	}
	for _, act := range []app.Act{
		company.TakeStep{Step: "place",
			Values: map[string]string{"name": "Lantern works, Halifax", "zone": "America/Halifax", "currency": "CAD"}},
		company.TakeStep{Step: "period", Values: map[string]string{"period_kind": "weekly", "period_anchor": "2026-11-09"}},
		company.TakeStep{Step: "clock",
			Values: map[string]string{"new_clock_points": "shared terminal,own phone or browser",
				"new_location": "off", "sign_required": "no"}},
	} {
		apptest.Must(t, a.Do(ctx, owner, act))
	}
	if page, err = company.SetUp(ctx, a, owner); err != nil || page.Next == nil ||
		page.Next.Name != "Overtime rules" || page.Place.Name != "Lantern works, Halifax" ||
		page.Place.PeriodKind != "weekly" || page.Place.SignRequired {
		t.Errorf("after three steps: %+v, %+v, %v", page.Next, page.Place.Company, err)
	}
	site, crew, worker, job := apptest.NewID(), apptest.NewID(), apptest.NewID(), apptest.NewID()
	for _, act := range []app.Act{
		company.TakeStep{Step: "rules", Ready: "us-federal", Week: "Mon"},
		company.PutSite{ID: site, Title: "The works"}, company.PutUnit{ID: crew, Kind: "crew", Title: "Bench", Site: site},
		people.AddPerson{ID: worker,
			Values: map[string]string{"given_name": "Bo", "family_name": "Lund", "unit": "Bench", "starts_on": "2026-11-01", "rate": "21",
				"pattern": "0 8 8 8 8 8 0", "level": "lead", "leads": "Bench"}},
		jobs.AddJob{ID: job, Number: "1", Title: "Lanterns"},
	} {
		apptest.Must(t, a.Do(ctx, owner, act))
	}
	bo, err := a.Actor(ctx, worker)
	apptest.Must(t, err)
	if got := dbtest.Get[string](t, &dbtest.World{App: a},
		`select location || ', ' || clock_points from employment`); got != "off, own phone or browser, shared terminal" {
		t.Errorf("a new person clocks by %q", got)
	}
	if got := dbtest.Get[string](t, &dbtest.World{App: a},
		`select starts_on || ' ' || rules::text from rule_set`); got !=
		`2026-11-09 {"workweek_start": "Mon 00:00", "weekly_overtime_after": "40"}` {
		t.Errorf("the rules are %s", got)
	}
	apptest.Must(t, a.Do(ctx, bo, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: job}}))
	if page, err = company.SetUp(ctx, a, owner); err != nil || page.Next != nil {
		t.Errorf("after the first punch still needs %+v, %v", page.Next, err)
	}
	for _, bad := range []company.TakeStep{{Step: "rules", Ready: "moon"},
		{Step: "place", Values: map[string]string{"name": ""}}, {Step: "period", Values: map[string]string{"period_anchor": "soon"}},
		{Step: "rules", Ready: "us-federal", Week: "Fun"},
		{Step: "clock", Values: map[string]string{"new_clock_points": "carrier pigeon"}},
		{Step: "place", Values: map[string]string{"zone": "America/New_York"}}} {
		apptest.Refusal(t, a.Do(ctx, owner, bad))
	}
	if _, err := payroll.PayRun(ctx, a, owner, apptest.NewID()); err == nil {
		t.Error("a run that isn't there")
	}
}
