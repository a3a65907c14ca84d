package app_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
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
	tables := []string{"person", "employment", "unit", "job", "task", "customer", "punch", "stint", "card", "card_act", "note", "shift", "rate", "pattern", "change", "person_tag", "pay_code", "place_seen", "job_open_to", "employment_job"}
	count := func() map[string]int {
		n := map[string]int{}
		for _, table := range tables {
			n[table] = dbtest.Get[int](t, w, `select count(*) from `+table)
		}
		return n
	}
	before := count()
	must(t, w.Do(ctx, mira, app.AddSamples{}))
	if r := refusal(t, w.Do(ctx, mira, app.AddSamples{})); !strings.Contains(r.Wrong, "samples already") {
		t.Errorf("added twice: %+v", r)
	}
	listed, err := w.People(ctx, mira, app.PeopleQuery{SheetFilter: store.SheetFilter{Text: "Sample"}})
	must(t, err)
	if listed.Total != 4 || listed.Sheets[0].Values["sample"] != "yes" {
		t.Fatalf("%d samples are listed", listed.Total)
	}
	consistent(t, w)

	// They can be used like others: changed, tagged, signed for and approved.
	ash := listed.Sheets[0]
	must(t, w.Do(ctx, mira, app.SetPerson{ID: newID(), Person: ash.Person, Field: "tags", Value: "First aid"}))
	must(t, w.Do(ctx, mira, app.PutPayCode{Owner: pay.ByPerson, ID: ash.Person, Pays: pay.PaysRegular, Code: "S"}))
	if r := refusal(t, w.Do(ctx, mira, app.GiveSignIn{Person: ash.Person, Token: app.NewSignInToken()})); !strings.Contains(r.Wrong, "is a sample") {
		t.Errorf("a sign-in: %+v", r)
	}
	must(t, w.Do(ctx, mira, app.SetCompany{Field: "sign_required", Value: "no"}))
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: when.NewDate(2026, 11, 8), To: when.NewDate(2026, 11, 12), Employment: ash.Employment})
	must(t, err)
	approved := 0
	for _, c := range cards {
		if c.Worked > 0 && c.State == card.Open {
			must(t, w.Do(ctx, mira, app.Approve{Card: app.CardRef{Employment: c.Employment, Date: c.Date}}))
			approved++
		}
	}
	if approved == 0 {
		t.Fatal("the samples have no hours to approve")
	}

	// No run and no file has them.
	sana := w.Person(t, "Sana Verity")
	page, err := w.PayRun(ctx, sana, uuid.Nil)
	must(t, err)
	for _, r := range page.Rows {
		if r.Family == "Sample" {
			t.Errorf("%s is in the run", r.Name())
		}
	}
	all, err := w.Exported(ctx, mira, store.SheetFilter{})
	must(t, err)
	for _, s := range all.Sheets {
		if s.Values["sample"] == "yes" {
			t.Errorf("%s is in the file of people", s.Name())
		}
	}
	rows, err := w.JobRows(ctx, mira, store.JobFilter{})
	must(t, err)
	for _, row := range rows {
		if row[0] == "S-1" {
			t.Error("the sample job is in the file of jobs")
		}
	}
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	approveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := closeOpenRun(t, w)
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line l join employment e on e.id = l.employment_id join person p on p.id = e.person_id where l.run_id = $1 and p.sample`, run); n != 0 {
		t.Errorf("%d lines of samples were paid", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card_act a join employment e on e.id = a.employment_id join person p on p.id = e.person_id where a.move = 'pay' and p.sample`); n != 0 {
		t.Errorf("%d cards of samples were paid", n)
	}

	// Real people can't become samples, and what they recorded stays.
	if _, err := w.DB.Exec(`update person set sample = true where family_name = 'Brandt'`); err == nil {
		t.Error("somebody with hours became a sample")
	}
	if _, err := w.DB.Exec(`delete from punch where employment_id = $1`, w.Person(t, "Tomasz Brandt").Employment); err == nil {
		t.Error("a real punch was deleted")
	}

	paid := dbtest.Get[int](t, w, `select count(*) from card_act`) - dbtest.Get[int](t, w, `select count(*) from card_act a join employment e on e.id = a.employment_id join person p on p.id = e.person_id where p.sample`)
	must(t, w.Do(ctx, mira, app.DropSamples{}))
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
	if r := refusal(t, w.Do(ctx, mira, app.DropSamples{})); !strings.Contains(r.Wrong, "no samples") {
		t.Errorf("dropped twice: %+v", r)
	}
	consistent(t, w)
}

// A sample job on which somebody real has hours stays; somebody real in the
// sample crew is moved first.
func TestSamplesLeaveRealHours(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	must(t, w.Do(ctx, mira, app.AddSamples{}))
	unit := func(name string) error {
		return w.Do(ctx, mira, app.SetPerson{ID: newID(), Person: viggo.ID, Field: "unit", Value: name})
	}
	must(t, unit("Sample crew"))
	viggo = w.Person(t, "Viggo Bexley")
	job := jobOf(t, w, "S-1")
	task := dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1`, job)
	if dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		must(t, w.Do(ctx, viggo, app.Punch{ID: newID(), Act: clock.Out}))
		w.Pass(time.Minute)
	}
	must(t, w.Do(ctx, viggo, app.Punch{ID: newID(), Act: clock.In, On: clock.Assignment{Job: job, Task: task}}))
	if r := refusal(t, w.Do(ctx, mira, app.DropSamples{})); !strings.Contains(r.Wrong, "Viggo Bexley is no sample") {
		t.Errorf("with somebody real in the crew: %+v", r)
	}
	must(t, unit("Plate shop"))
	must(t, w.Do(ctx, mira, app.DropSamples{}))
	if n := dbtest.Get[int](t, w, `select count(*) from job where number = 'S-1' and not sample`); n != 1 {
		t.Errorf("%d jobs with his hours are left", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from person where sample`); n != 0 {
		t.Errorf("%d samples are left", n)
	}
}
