package company_test

import (
	"context"
	"log/slog"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// node is a second node on the same database, which hears nothing of others.
func node(w *dbtest.World) *app.App { return app.New(w.DB, w.At, slog.New(slog.DiscardHandler)) }

// A node that has not heard of a change acts by it all the same, and overwrites
// nothing.
func TestANodeThatHeardNothing(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	deaf := node(w)
	_, err := deaf.Company(ctx) // it keeps the settings from now on
	apptest.Must(t, err)

	apptest.Must(t, w.Do(ctx, mira, company.PutHoliday{Date: when.NewDate(2026, 11, 13), Title: "Sudden"}))
	apptest.Must(t, deaf.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	apptest.AllConsistent(t, w) // nothing is expected of the holiday's card

	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "late_after", Value: "20"}))
	apptest.Must(t, deaf.Do(ctx, mira, company.SetCompany{Field: "missing_after", Value: "25"}))
	late := dbtest.Get[int](t, w, `select late_after from figures order by starts_on desc limit 1`)
	missing := dbtest.Get[int](t, w, `select missing_after from figures order by starts_on desc limit 1`)
	if late != 20*60 || missing != 25*60 {
		t.Errorf("late after %d min, missing after %d min", late/60, missing/60)
	}
}

// What another node changes while a node's listening connection is lost is read
// once the connection is back, also when nothing else happens.
func TestAListenerThatWasLost(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	a := node(w)
	run, stop := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() { defer close(done); a.Run(run) }()
	pid := func() (n int) {
		apptest.Must(t, w.DB.Get(&n, `select coalesce(max(pid), 0) from pg_stat_activity where query = 'listen manudex'
			and datname = current_database()`))
		return n
	}
	for pid() == 0 {
		runtime.Gosched()
	}
	old := pid()
	if _, err := w.DB.Exec(`select pg_terminate_backend($1)`, old); err != nil {
		t.Fatal(err)
	}
	for pid() != 0 {
		runtime.Gosched()
	}
	_, err := a.Company(ctx) // a request in the gap
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "whom_to_ask", Value: "Ask Piet"}))
	for n := pid(); n == 0 || n == old; n = pid() {
		runtime.Gosched()
	}
	wait, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	for said := ""; said != "Ask Piet"; {
		p, err := a.Company(wait)
		if err != nil {
			t.Fatalf("the node still says %q: %v", said, err)
		}
		said = p.WhomToAsk
		runtime.Gosched()
	}
	if !a.Hears() {
		t.Error("the node doesn't know that it hears")
	}
	stop()
	<-done
}

// A change that no node was told of, as its own died first, is found all the
// same.
func TestAChangeThatNobodyTold(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	a := node(w)
	run, stop := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() { defer close(done); a.Run(run) }()
	defer func() { stop(); <-done }()
	for !a.Hears() {
		runtime.Gosched()
	}
	_, err := a.Company(ctx)
	apptest.Must(t, err)
	if _, err := w.DB.Exec(`update company set whom_to_ask = 'Ask Sana', version = version + 1`); err != nil {
		t.Fatal(err)
	}
	wait, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	for said := ""; said != "Ask Sana"; {
		p, err := a.Company(ctx)
		apptest.Must(t, err)
		if said = p.WhomToAsk; wait.Err() != nil {
			t.Fatalf("the node still says %q", said)
		}
		runtime.Gosched()
	}
}

// Two nodes change settings, punch, bring a file in and close a run at once:
// each thing is done whole, once, and what follows from it is consistent.
func TestTwoNodesAtOnce(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	nodes := []*app.App{w.App, node(w)}
	file := apptest.NewID()
	rows := [][]string{{"Number", "Working pattern"}}
	var numbers []string
	apptest.Must(t, w.DB.Select(&numbers, `select number from person p where exists (select 1 from employment where person_id = p.id)
		order by number limit 5`))
	for _, n := range numbers {
		rows = append(rows, []string{n, "0 9 9 9 9 9 0"})
	}
	apptest.Must(t, w.Do(ctx, mira, bringin.TakeFile{Kind: bringin.PeopleFile, ID: file, FileName: "x.csv", Rows: rows}))
	apptest.AnswerAll(t, w, store.LeftOut)
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	seen := page.Period.From.String() + " " + page.Total.Gross
	runs := dbtest.Get[int](t, w, `select count(*) from run`)
	workers := []string{"Dao Pham", "Viggo Bexley", "Kofi Larkin", "Tomasz Brandt"}
	var at sync.WaitGroup
	var mu sync.Mutex
	var unexpected []string
	do := func(n int, who app.Actor, act app.Act) {
		at.Add(1)
		go func() {
			defer at.Done()
			if err := nodes[n%2].Do(ctx, who, act); err != nil && !isRefusal(err) {
				mu.Lock()
				defer mu.Unlock()
				unexpected = append(unexpected, err.Error())
			}
		}()
	}
	for n := range 4 {
		if n < 2 {
			do(n, mira, company.PutHoliday{Date: when.NewDate(2026, 11, 26) + when.Date(n), Title: "Day"})
		}
		do(n, sana, payroll.CloseRun{ID: apptest.NewID(), Seen: seen})
		do(n, mira, company.SetCompany{Field: "late_after", Value: []string{"10", "20", "30", "40"}[n]})
		do(n, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: file})
		do(n, w.Person(t, workers[n]), hours.Punch{ID: apptest.NewID(), Act: clock.Out})
		do(n, mira, people.AddPerson{ID: apptest.NewID(),
			Values: map[string]string{"given_name": "N", "family_name": "E", "unit": "Plate shop", "starts_on": "2026-11-23"}})
	}
	at.Wait()
	if len(unexpected) > 0 {
		t.Errorf("%v", slices.Compact(unexpected))
	}
	if n := dbtest.Get[int](t, w, `select count(*) from run`); n != runs+1 {
		t.Errorf("%d runs were closed", n-runs)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from holiday where name = 'Day'`); n != 2 {
		t.Errorf("%d holidays of 2 are there", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from person where given_name = 'N'`); n != 4 {
		t.Errorf("%d of 4 people were added", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from change where batch_id = $1`, file); n == 0 || n > len(numbers) {
		t.Errorf("the file changed %d settings of %d people", n, len(numbers))
	}
	apptest.AllConsistent(t, w)
}

func isRefusal(err error) bool {
	_, ok := err.(*refusal.Refusal)
	return ok
}

// A file that changes working patterns waits for whoever holds a person's
// hours, as a change of one person does.
func TestAFileWaitsForWhoHoldsThePerson(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira,
		bringin.TakeFile{Kind: bringin.PeopleFile, ID: id, FileName: "x.csv",
			Rows: [][]string{{"Number", "Working pattern", "Title"}, {dao.Number, "0 9 9 9 9 9 0", "Keeper"}}}))
	tx, err := w.DB.BeginTxx(ctx, nil)
	apptest.Must(t, err)
	defer tx.Rollback()
	_, err = store.LockEmployment(ctx, tx, *dao.Employment)
	apptest.Must(t, err)
	_, err = tx.Exec(`update employment set title = 'Changed meanwhile' where id = $1`, *dao.Employment)
	apptest.Must(t, err)
	came := make(chan error, 1)
	go func() { came <- w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: id}) }()
	for dbtest.Get[int](t, w, `select count(*) from pg_locks where not granted`) == 0 {
		select {
		case err := <-came:
			t.Fatalf("the file didn't wait: %v", err)
		default:
			runtime.Gosched()
		}
	}
	apptest.Must(t, tx.Commit())
	if r := apptest.Refusal(t, <-came); !strings.Contains(r.Wrong, "changed meanwhile") {
		t.Errorf("what was changed meanwhile was overwritten: %v", r)
	}
}

// A second file that somebody sends while their first is brought in takes
// nothing away.
func TestASecondFileWhileTheFirstGoesIn(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	first, rows := apptest.NewID(), [][]string{{"Number", "Title"}, {dao.Number, "T1"}}
	apptest.Must(t, w.Do(ctx, mira, bringin.TakeFile{Kind: bringin.PeopleFile, ID: first, FileName: "a.csv", Rows: rows}))
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: first, Tell: func(int, int) {
		apptest.Must(t, w.Do(ctx, mira, bringin.TakeFile{Kind: bringin.PeopleFile, ID: apptest.NewID(), FileName: "b.csv", Rows: rows}))
	}}))
	im, err := bringin.ImportProgress(ctx, w.App, mira, bringin.PeopleFile, first)
	if err != nil || !im.Applied() {
		t.Errorf("the page of the file that is in: %v", err)
	}
}

// The short set-up judges pay periods as a whole, as Setup does.
func TestTheShortSetUpDoesNotCutIntoWhatWasPaid(t *testing.T) {
	db := dbtest.Empty(t)
	ctx := context.Background()
	now := func() time.Time { return time.Date(2026, 11, 13, 15, 0, 0, 0, time.UTC) }
	_, err := company.Begin(ctx, db, now(), company.First{Company: "X", Zone: "America/New_York", Currency: "USD", Given: "A", Family: "B"})
	apptest.Must(t, err)
	owner := uuid.Nil
	apptest.Must(t, db.Get(&owner, `select id from person`))
	for _, statement := range []string{`update company set period_kind = 'monthly', period_anchor = '2026-11-01', version = version + 1`,
		`insert into run (id, from_date, to_date, closed_at, closed_by, gross)
			select gen_random_uuid(), '2026-10-01', '2026-10-31', now(), id, 0 from person`} {
		_, err := db.Exec(statement)
		apptest.Must(t, err)
	}
	a := app.New(db, now, slog.New(slog.DiscardHandler))
	actor, err := a.Actor(ctx, owner)
	apptest.Must(t, err)
	step := func(kind, anchor string) error {
		return a.Do(ctx, actor, company.TakeStep{Step: "period", Values: map[string]string{"period_kind": kind, "period_anchor": anchor}})
	}
	if r := apptest.Refusal(t, step("weekly", "2026-11-02")); !strings.Contains(r.Wrong, "cut into what was paid") {
		t.Errorf("weeks from a Monday over a month that was paid to a Saturday: %v", r)
	}
	apptest.Must(t, step("weekly", "2026-11-01"))
	c, err := a.Company(ctx)
	apptest.Must(t, err)
	if p, err := c.Periods().Of(when.NewDate(2026, 11, 1)); err != nil || p.From != when.NewDate(2026, 11, 1) {
		t.Errorf("the period of 1 November is %v", p)
	}
}
