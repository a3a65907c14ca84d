package company_test

import (
	"slices"
	"strings"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/jobs"
	"manudex/app/people"
	"manudex/dbtest"
	"manudex/store"
)

// A part that nothing uses is put away: its settings stand on no page. It comes back when
// it is asked for, or used; one in use isn't put away.
func TestPartsPutAway(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	const tagged = `delete from person_tag; delete from job_tag`
	r := apptest.Refusal(t, w.Do(ctx, mira, company.PutAway{Part: "tags", Away: true}))
	if r.Wrong != "Tags are in use" {
		t.Errorf("what is in use: %+v", r)
	}
	if _, err := w.DB.ExecContext(ctx, tagged); err != nil {
		t.Fatal(err)
	}
	job := apptest.JobOf(t, w, "2231")
	shown := func() (onPerson, onJob, inSetup bool) {
		fields, err := people.ReadFields(ctx, w.DB)
		apptest.Must(t, err)
		p, err := jobs.ReadJobPage(ctx, w.App, mira, job)
		apptest.Must(t, err)
		page, err := company.SetUp(ctx, w.App, mira)
		apptest.Must(t, err)
		for _, v := range p.Fields {
			onJob = onJob || v.Key == "tags"
		}
		return !fields.Get("tags").Later, onJob, slices.ContainsFunc(page.Unused,
			func(p company.PartStanding) bool { return p.Key == "tags" })
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutAway{Part: "tags", Away: true}))
	if person, job, setup := shown(); person || job || !setup {
		t.Errorf("put away: on a person %v, on a job %v, in Setup %v", person, job, setup)
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutAway{Part: "tags"}))
	if person, job, setup := shown(); !person || !job || !setup {
		t.Errorf("taken up: on a person %v, on a job %v, in Setup %v", person, job, setup)
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutAway{Part: "tags", Away: true}))
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "tags", Value: "First aid"})) // as a file would
	if person, job, setup := shown(); !person || !job || setup {
		t.Errorf("used: on a person %v, on a job %v, in Setup %v", person, job, setup)
	}
}

// A part is known to the database by the name it has in Setup, and everything that one
// hides is a setting that there is.
func TestEveryPart(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	uses, err := store.PartUses(ctx, w.DB)
	apptest.Must(t, err)
	var keys []string
	for _, u := range uses {
		keys = append(keys, u.Key)
	}
	var parts []string
	for _, p := range app.Parts {
		parts = append(parts, p.Key)
	}
	if !slices.Equal(keys, parts) || strings.Join(parts, ",") != store.AllPartsAway() {
		t.Errorf("the database knows %v, Setup %v", keys, parts)
	}
	fields, err := people.ReadFields(ctx, w.DB)
	apptest.Must(t, err)
	known := map[string]bool{}
	for _, f := range fields.All {
		known[f.Key] = true
	}
	columns, err := jobs.JobColumns(ctx, w.App, w.Person(t, "Mira Castellane"))
	apptest.Must(t, err)
	for _, c := range columns {
		known[c.Key] = true
	}
	page, err := company.SetUp(ctx, w.App, w.Person(t, "Mira Castellane"))
	apptest.Must(t, err)
	for _, v := range page.Values {
		known[v.Key] = true
	}
	for _, p := range app.Parts {
		for _, key := range p.Settings {
			if !known[key] {
				t.Errorf("%s hides %s, and there is no such setting", p.Name, key)
			}
		}
	}
}
