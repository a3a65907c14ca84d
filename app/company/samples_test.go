package company_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// Samples have hours and cards like others, are in no run and no file, and go
// with one act, whatever was done to them.
func TestSamples(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	tables := []string{"person", "employment", "unit", "job", "task", "customer", "punch", "stint",
		"card", "card_act", "note", "shift", "rate", "pattern", "change", "person_tag", "pay_code", "place_seen",
		"job_open_to", "employment_job"}
	count := func() map[string]int {
		n := map[string]int{}
		for _, table := range tables {
			n[table] = dbtest.Get[int](t, w, `select count(*) from `+table)
		}
		return n
	}
	before := count()
	apptest.Must(t, w.Do(ctx, mira, company.AddSamples{}))
	if r := apptest.Refusal(t, w.Do(ctx, mira, company.AddSamples{})); !strings.Contains(r.Wrong, "samples already") {
		t.Errorf("added twice: %+v", r)
	}
	listed, err := people.ReadPeople(ctx, w.App, mira, people.PeopleQuery{SheetFilter: store.SheetFilter{Text: "Sample"}})
	apptest.Must(t, err)
	if listed.Total != 4 || listed.Sheets[0].Values["sample"] != "yes" {
		t.Fatalf("%d samples are listed", listed.Total)
	}
	apptest.AllConsistent(t, w)

	// They can be used like others: changed, tagged, signed for and approved.
	ash := listed.Sheets[0]
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: ash.Person, Field: "tags", Value: "First aid"}))
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPayCode{Owner: pay.ByPerson, ID: ash.Person, Pays: pay.PaysRegular, Code: "S"}))
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, people.LinkFor(ash.Person, app.NewSignInToken()))); !strings.Contains(r.Wrong, "is a sample") {
		t.Errorf("a sign-in: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "sign_required", Value: "no"}))
	cards, err := store.Cards(ctx, w.DB,
		store.CardFilter{From: when.NewDate(2026, 11, 8), To: when.NewDate(2026, 11, 12), Employment: ash.Employment})
	apptest.Must(t, err)
	approved := 0
	for _, c := range cards {
		if c.Worked > 0 && c.State == card.Open {
			apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: hours.CardRef{Employment: c.Employment, Date: c.Date}}))
			approved++
		}
	}
	if approved == 0 {
		t.Fatal("the samples have no hours to approve")
	}

	// No run and no file has them.
	sana := w.Person(t, "Sana Verity")
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	for _, r := range page.Rows {
		if r.Family == "Sample" {
			t.Errorf("%s is in the run", r.Name())
		}
	}
	all, err := people.Exported(ctx, w.App, mira, store.SheetFilter{}, "")
	apptest.Must(t, err)
	for _, s := range all.Sheets {
		if s.Values["sample"] == "yes" {
			t.Errorf("%s is in the file of people", s.Name())
		}
	}
	rows, err := jobs.JobRows(ctx, w.App, mira, store.JobFilter{})
	apptest.Must(t, err)
	for _, row := range rows {
		if row[0] == "S-1" {
			t.Error("the sample job is in the file of jobs")
		}
	}
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line l join employment e on e.id = l.employment_id
		join person p on p.id = e.person_id where l.run_id = $1 and p.sample`, run); n != 0 {
		t.Errorf("%d lines of samples were paid", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card_act a join employment e on e.id = a.employment_id
		join person p on p.id = e.person_id where a.move = 'pay' and p.sample`); n != 0 {
		t.Errorf("%d cards of samples were paid", n)
	}

	// Real people can't become samples, and what they recorded stays.
	if _, err := w.DB.Exec(`update person set sample = true where family_name = 'Brandt'`); err == nil {
		t.Error("somebody with hours became a sample")
	}
	if _, err := w.DB.Exec(`delete from punch where employment_id = $1`, w.Person(t, "Tomasz Brandt").Employment); err == nil {
		t.Error("a real punch was deleted")
	}

	paid := dbtest.Get[int](t, w, `select count(*) from card_act`) - dbtest.Get[int](t, w, `select count(*) from card_act a
		join employment e on e.id = a.employment_id join person p on p.id = e.person_id where p.sample`)
	apptest.Must(t, w.Do(ctx, mira, company.DropSamples{}))
	after := count()
	for _, table := range tables {
		switch table {
		case "card_act":
			if after[table] != paid {
				t.Errorf("%d card acts are left, want %d", after[table], paid)
			}
		case "card": // approving made none
			if after[table] != before[table] {
				t.Errorf("%s: %d rows, %d before", table, after[table], before[table])
			}
		default:
			if after[table] != before[table] {
				t.Errorf("%s: %d rows, %d before", table, after[table], before[table])
			}
		}
	}
	if r := apptest.Refusal(t, w.Do(ctx, mira, company.DropSamples{})); !strings.Contains(r.Wrong, "no samples") {
		t.Errorf("dropped twice: %+v", r)
	}
	apptest.AllConsistent(t, w)
}

// A sample job on which somebody real has hours stays; somebody real in the
// sample crew is moved first.
func TestSamplesLeaveRealHours(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	apptest.Must(t, w.Do(ctx, mira, company.AddSamples{}))
	unit := func(name string) error {
		return w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: "unit", Value: name})
	}
	apptest.Must(t, unit("Sample crew"))
	viggo = w.Person(t, "Viggo Bexley")
	job := apptest.JobOf(t, w, "S-1")
	task := dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1`, job)
	if dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		apptest.Must(t, w.Do(ctx, viggo, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
		w.Pass(time.Minute)
	}
	apptest.Must(t, w.Do(ctx, viggo, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: job, Task: task}}))
	if r := apptest.Refusal(t, w.Do(ctx, mira, company.DropSamples{})); !strings.Contains(r.Wrong, "Viggo Bexley is no sample") {
		t.Errorf("with somebody real in the crew: %+v", r)
	}
	apptest.Must(t, unit("Plate shop"))
	apptest.Must(t, w.Do(ctx, mira, company.DropSamples{}))
	if n := dbtest.Get[int](t, w, `select count(*) from job where number = 'S-1' and not sample`); n != 1 {
		t.Errorf("%d jobs with his hours are left", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from person where sample`); n != 0 {
		t.Errorf("%d samples are left", n)
	}
}
