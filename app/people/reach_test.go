package people_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/jobs"
	"manudex/app/people"
	"manudex/core/refusal"
	"manudex/dbtest"
)

// Managing the people of one crew leads nowhere beyond it: neither upwards nor
// sideways, and not by one's own hand on oneself.
func TestManagingPeopleStaysWithinReach(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla, mira, piet, sana := w.Person(t, "Orla Ebbwater"), w.Person(t, "Mira Castellane"),
		w.Person(t, "Piet Donoghue"), w.Person(t, "Sana Verity")
	wren, tomasz, dao := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt"), w.Person(t, "Dao Pham")
	lead := dbtest.Get[uuid.UUID](t, w, `select person_id from unit_lead where unit_id = $1 limit 1`, *dao.Unit)
	for _, g := range []struct{ person, unit uuid.UUID }{{wren.ID, *wren.Unit}, {dao.ID, *dao.Unit}} {
		apptest.Must(t, w.Do(ctx, orla, people.GrantRight{ID: apptest.NewID(), Person: g.person, What: "manage_people", Unit: g.unit}))
	}
	wren, dao = w.Person(t, "Wren Halloran"), w.Person(t, "Dao Pham")
	set := func(person uuid.UUID, field, value string) app.Act {
		return people.SetPerson{ID: apptest.NewID(), Person: person, Field: field, Value: value}
	}
	unit := dbtest.Get[uuid.UUID](t, w, `select id from unit where name = 'Plate shop'`)
	class := dbtest.Get[uuid.UUID](t, w, `select class_id from stint where class_id is not null limit 1`)
	job := dbtest.Get[uuid.UUID](t, w, `select id from job where public_work limit 1`)
	holder := dbtest.Get[uuid.UUID](t, w, `select person_id from stint where class_id = $1 limit 1`, class)
	if _, err := w.DB.Exec(`update person set level = 'owner' where id = $1`, holder); err != nil {
		t.Fatal(err)
	}
	owner, err := w.Actor(ctx, holder)
	apptest.Must(t, err)
	for name, c := range map[string]struct {
		as  app.Actor
		act app.Act
	}{
		"one's own crews":                  {wren, set(wren.ID, "leads", "Gantry crew B, Plate shop")},
		"one's own crew":                   {wren, set(wren.ID, "unit", "Plate shop")},
		"one's own clock points":           {wren, set(wren.ID, "clock_points", "")},
		"another's crews beyond one's own": {wren, set(tomasz.ID, "leads", "Plate shop")},
		"moving somebody out of reach":     {wren, set(tomasz.ID, "unit", "Plate shop")},
		"a new lead of crews beyond": {wren,
			people.AddPerson{ID: apptest.NewID(),
				Values: map[string]string{"given_name": "N", "family_name": "E", "unit": "Gantry crew B",
					"starts_on": "2026-11-13", "leads": "Plate shop"}}},
		"a position beyond": {wren,
			people.AddPosition{ID: apptest.NewID(), Person: tomasz.ID, Unit: "Plate shop", Title: "Second", StartsOn: "2026-11-13"}},
		"the lead's e-mail":         {dao, set(lead, "email", "x@y.example")},
		"the lead's level":          {dao, set(lead, "level", "worker")},
		"the lead's PIN":            {dao, people.SetPIN{Person: lead, PIN: "8261"}},
		"the lead's sign-in":        {dao, people.LinkFor(lead, app.NewSignInToken())},
		"an equal's level":          {piet, set(sana.ID, "level", "worker")},
		"an equal's e-mail":         {piet, set(sana.ID, "email", "x@y.example")},
		"an equal's sign-in":        {piet, people.LinkFor(mira.ID, app.NewSignInToken())},
		"taking an equal's sign-in": {mira, people.TakeSignIn{Person: piet.ID}},
		"a pay right passed on":     {mira, people.GrantRight{ID: apptest.NewID(), Person: tomasz.ID, What: "run_payroll"}},
		"a pay right taken": {piet, people.TakeRight{Grant: dbtest.Get[uuid.UUID](t, w, `select id from grant_given
			where person_id = $1 and what = 'run_payroll'`, sana.ID)}},
		"a wage without the right to pay":  {piet, jobs.SetWage{Job: job, Class: class, Base: "480"}},
		"a wage of one's own":              {owner, jobs.SetWage{Job: job, Class: class, Base: "480"}},
		"an owner's own rate":              {owner, set(owner.ID, "rate", "99")},
		"an owner's own way of being paid": {owner, set(owner.ID, "paid_by", "salary")},
		"one's own position": {mira,
			people.AddPosition{ID: apptest.NewID(), Person: mira.ID, Unit: "Plate shop", Title: "Second", StartsOn: "2026-11-13"}},
	} {
		var refused *refusal.Refusal
		if err := w.Do(ctx, c.as, c.act); !errors.As(err, &refused) && !errors.Is(err, app.ErrForbidden) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if w.Person(t, "Wren Halloran").Reaches("card.sign", uuid.New(), unit) {
		t.Error("she reaches the plate shop")
	}
	// Within reach it works, and oneself may be renamed.
	for name, act := range map[string]app.Act{"a title": set(tomasz.ID, "title", "Rigger"),
		"a worker's sign-in": people.LinkFor(tomasz.ID, app.NewSignInToken()),
		"one's own name":     set(wren.ID, "given_name", "Renate")} {
		if err := w.Do(ctx, wren, act); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A demotion is no way to somebody's sign-in: for a day it is kept from whoever
// stood below them.
func TestADemotionIsNoWayToASignIn(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla, piet, sana := w.Person(t, "Orla Ebbwater"), w.Person(t, "Piet Donoghue"), w.Person(t, "Sana Verity")
	apptest.Must(t, w.Do(ctx, orla, people.SetPerson{ID: apptest.NewID(), Person: sana.ID, Field: "level", Value: "worker"}))
	for _, grant := range []string{"see_rates", "run_payroll"} {
		id := dbtest.Get[*uuid.UUID](t, w, `select (select id from grant_given where person_id = $1 and what = $2)`, sana.ID, grant)
		if id != nil {
			apptest.Must(t, w.Do(ctx, orla, people.TakeRight{Grant: *id}))
		}
	}
	link := people.LinkFor(sana.ID, app.NewSignInToken())
	apptest.Refusal(t, w.Do(ctx, piet, link))
	w.Pass(25 * time.Hour)
	apptest.Must(t, w.Do(ctx, piet, link))
}
