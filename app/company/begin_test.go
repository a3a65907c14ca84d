package company_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
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
	"manudex/core/pay"
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
	for name, f := range map[string]func(*company.First){"no zone": func(f *company.First) {
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
	id, err := people.ChoosePassword(ctx, a, token, people.Chosen{Password: "seven small lanterns"})
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
			Values: map[string]string{"new_pattern": "Mon–Thu 6–16:30 less 30", "new_location": "off", "sign_required": "no"}},
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
		`select location || ', ' || clock_points from employment`); got != "off, own phone or browser" {
		t.Errorf("a new person clocks by %q", got)
	}
	if got := dbtest.Get[string](t, &dbtest.World{App: a},
		`select starts_on || ' ' || rules::text from rule_set`); got !=
		`2026-11-09 {"workweek_start": "Mon 00:00", "weekly_overtime_after": "40"}` {
		t.Errorf("the rules are %s", got)
	}
	apptest.Must(t, a.Do(ctx, bo, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: job}}))
	var needs []string
	page, err = company.SetUp(ctx, a, owner)
	apptest.Must(t, err)
	for _, s := range page.Steps {
		if !s.Done {
			needs = append(needs, s.Name)
		}
	}
	if fmt.Sprint(needs) != "[Pay codes Passwords A second owner]" {
		t.Errorf("after the first punch it still needs %v", needs)
	}
	for _, bad := range []company.TakeStep{{Step: "rules", Ready: "moon"},
		{Step: "place", Values: map[string]string{"name": ""}}, {Step: "period", Values: map[string]string{"period_anchor": "soon"}},
		{Step: "rules", Ready: "us-federal", Week: "Fun"},
		{Step: "clock", Values: map[string]string{"new_pattern": "now and then"}},
		{Step: "place", Values: map[string]string{"zone": "America/New_York"}}} {
		apptest.Refusal(t, a.Do(ctx, owner, bad))
	}
	if _, err := payroll.PayRun(ctx, a, owner, apptest.NewID()); err == nil {
		t.Error("a run that isn't there")
	}
}

// A company is begun with nothing at all: its owner says who they are by the link,
// which can be had anew until a password is chosen.
func TestBeginWithNothing(t *testing.T) {
	db := dbtest.Empty(t)
	ctx := context.Background()
	now := dbtest.Now
	a := app.New(db, func() time.Time { return now }, slog.New(slog.DiscardHandler))
	lost, err := company.Begin(ctx, db, now, company.First{Currency: "USD"})
	apptest.Must(t, err)
	now = now.Add(time.Minute)
	token, err := company.OwnersLink(ctx, db, now)
	apptest.Must(t, err)
	if _, err := people.Welcome(ctx, a, lost); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the link that was lost: %v", err)
	}
	if name, err := people.Welcome(ctx, a, token); err != nil || name != "" {
		t.Errorf("the owner is called %q, %v", name, err)
	}
	chosen := people.Chosen{Password: "seven small lanterns", Given: " Ada ", Family: "Munro", Email: "ada@lantern.example"}
	for name, bad := range map[string]func(*people.Chosen){"given_name": func(c *people.Chosen) { c.Given = " " },
		"family_name": func(c *people.Chosen) { c.Family = "" }, "email": func(c *people.Chosen) { c.Email = "ada" },
		"password": func(c *people.Chosen) { c.Password = "munromunro" }} {
		wrong := chosen
		bad(&wrong)
		if _, err := people.ChoosePassword(ctx, a, token, wrong); apptest.Refusal(t, err).Field != name {
			t.Errorf("a wrong %s: %v", name, err)
		}
	}
	id, err := people.ChoosePassword(ctx, a, token, chosen)
	apptest.Must(t, err)
	if again, err := company.OwnersLink(ctx, db, now); err != nil || again != "" {
		t.Errorf("a link once somebody can sign in: %q, %v", again, err)
	}
	if in, err := people.SignIn(ctx, a, "ada@lantern.example", "seven small lanterns"); err != nil || in != id {
		t.Errorf("signing in: %v", err)
	}
	owner, err := a.Actor(ctx, id)
	apptest.Must(t, err)
	bo := apptest.NewID()
	first := company.TakeStep{Step: "people",
		First: company.FirstPerson{ID: bo, Given: "Bo", Family: "Lund", Crew: "Day crew", Job: "Lamps"}}
	if r := apptest.Refusal(t, a.Do(ctx, owner, first)); r.Field != "crew" {
		t.Errorf("without a site: %+v", r)
	}
	apptest.Must(t, a.Do(ctx, owner, company.TakeStep{Step: "place", Site: "The quay",
		Values: map[string]string{"name": "Lantern works", "zone": "America/Halifax", "currency": "CAD"}}))
	if page, err := company.SetUp(ctx, a, owner); err != nil || page.Next.Name == "The place" {
		t.Errorf("next: %+v, %v", page.Next, err)
	}
	none := first
	none.First.Job = ""
	if r := apptest.Refusal(t, a.Do(ctx, owner, none)); r.Field != "job" {
		t.Errorf("without a job: %+v", r)
	}
	apptest.Must(t, a.Do(ctx, owner, first))
	w := &dbtest.World{App: a}
	if got := dbtest.Get[string](t, w, `
		select p.given_name || ', ' || u.name || ', ' || s.name || ', ' || j.name || ', ' || e.clock_points
		from person p join employment e on e.person_id = p.id join unit u on u.id = e.unit_id join site s on s.id = e.site_id,
		job j`); got != "Bo, Day crew, The quay, Lamps, own phone or browser" {
		t.Errorf("there is %s", got)
	}
	// New people get the usual pattern, but for the salaried.
	apptest.Must(t, a.Do(ctx, owner, people.AddPerson{ID: apptest.NewID(), Values: map[string]string{"given_name": "Pia",
		"family_name": "Holt", "unit": "Day crew", "starts_on": "2026-11-01", "paid_by": "salary"}}))
	if got := dbtest.Get[string](t, w, `select string_agg(p.given_name || ' ' || h.seconds[2], ', ') from pattern h
		join employment e on e.id = h.employment_id join person p on p.id = e.person_id`); got != "Bo 28800" {
		t.Errorf("patterns: %s", got)
	}
	skip := company.TakeStep{Step: "people", Skip: true}
	apptest.Must(t, a.Do(ctx, owner, skip))
	spaced := company.TakeStep{Step: "rules", Ready: "us-federal", Codes: map[pay.Pays]string{pay.PaysOvertime: "O T"}}
	if r := apptest.Refusal(t, a.Do(ctx, owner, spaced)); !strings.Contains(r.Wrong, "pay code") {
		t.Errorf("a code with a space: %+v", r)
	}
	apptest.Must(t, a.Do(ctx, owner, company.TakeStep{Step: "rules", Ready: "us-federal",
		Codes: map[pay.Pays]string{pay.PaysRegular: "REG", pay.PaysOvertime: "OT", pay.PaysDouble: "DT"}}))
	if got := dbtest.Get[string](t, w, `select rules ->> 'workweek_start' from rule_set`); got != "Sun 00:00" {
		t.Errorf("the workweek begins %s, not with the pay period", got)
	}
	// The step shows the codes that there are, and keeping them changes nothing.
	apptest.Must(t, a.Do(ctx, owner, payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysOvertime, Code: "150"}))
	page, err := company.ReadFirstStepPage(ctx, a, owner, "rules")
	if err != nil || page.Codes[pay.PaysOvertime] != "150" || page.Codes[pay.PaysDouble] != "DT" {
		t.Errorf("the codes are %v, %v", page.Codes, err)
	}
	rows := `select count(*) from audit where detail::text like '%Pay code%'`
	before := dbtest.Get[int](t, w, rows)
	apptest.Must(t, a.Do(ctx, owner, company.TakeStep{Step: "rules", Codes: page.Codes}))
	if after := dbtest.Get[int](t, w, rows); after != before {
		t.Errorf("%d codes were changed by keeping them", after-before)
	}
}
