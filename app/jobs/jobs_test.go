package jobs_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/dbtest"
)

func TestSetJob(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	id := apptest.JobOf(t, w, "2252")
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: id, Field: "customer", Value: "Harbour board"}))
	for _, c := range []struct{ field, value, kept string }{
		{"name", "Works upkeep and repair", "Works upkeep and repair"},
		{"site", "ebbwater works", "Ebbwater works"}, {"budget", "120.5", "120.5"}, {"bill_rate", "61", "61.00"}, {"billable", "no", "no"},
		{"starts_on", "2026-01-05", "2026-01-05"}, {"ends_on", "", ""}, {"public_work", "no", "no"},
	} {
		apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: id, Field: c.field, Value: c.value}))
		p, err := jobs.ReadJobPage(ctx, w.App, mira, id)
		apptest.Must(t, err)
		for _, f := range p.Fields {
			if f.Key == c.field && f.Value != c.kept {
				t.Errorf("%s set to %q is %q", c.field, c.value, f.Value)
			}
		}
		if p.Customer != "Harbour board" {
			t.Errorf("customer %q", p.Customer)
		}
	}
	for _, c := range []struct{ field, value, wrong string }{
		{"number", "", "Number is missing"},
		{"number", "2231", "There is a job 2231 already"}, {"budget", "a lot", "Budget, hours can't be"},
		{"site", "Atlantis", "Site can't be"}, {"starts_on", "soon", "From can't be"},
	} {
		if r := apptest.Refusal(t,
			w.Do(ctx, mira, jobs.SetJob{Job: id, Field: c.field, Value: c.value})); !strings.Contains(r.Wrong, c.wrong) {
			t.Errorf("%s set to %q: %+v", c.field, c.value, r)
		}
	}
	if err := w.Do(ctx, w.Person(t, "Wren Halloran"), jobs.SetJob{Job: id, Field: "name", Value: "x"}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead sets a job: %v", err)
	}
}

// A restricted job is clocked to by those it is open to and nobody else, and
// the page says how many that are.
func TestWhoMayClockToAJob(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sven := w.Person(t, "Mira Castellane"), w.Person(t, "Kofi Larkin")
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, jobs.AddJob{ID: id, Number: "3001", Title: "Training"}))
	clockIn := func(who app.Actor) error {
		w.Pass(time.Minute)
		if dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, who.ID) {
			apptest.Must(t, w.Do(ctx, who, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
			w.Pass(time.Minute)
		}
		return w.Do(ctx, who, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: id}})
	}
	can := func() int {
		p, err := jobs.ReadJobPage(ctx, w.App, mira, id)
		apptest.Must(t, err)
		return p.CanClock
	}
	everyone := can()
	apptest.Must(t, clockIn(sven))
	plate := dbtest.Get[uuid.UUID](t, w, `select id from unit where name = 'Plate shop'`)
	apptest.Must(t, w.Do(ctx, mira, jobs.OpenJobTo{ID: apptest.NewID(), Job: id, Kind: "unit", Who: plate}))
	crew := dbtest.Get[int](t, w, `select count(*) from employment where unit_id = $1`, plate)
	if n := can(); n != crew || n >= everyone {
		t.Errorf("%d of %d can clock here, the crew has %d", n, everyone, crew)
	}
	if r := apptest.Refusal(t, clockIn(sven)); r.Field != "job" || !strings.Contains(r.Wrong, "not open to you") {
		t.Errorf("somebody it isn't open to: %+v", r)
	}
	if found, _, err := hours.SearchChoices(ctx, w.App, sven, "3001"); err != nil || len(found) != 0 {
		t.Errorf("it is found by who may not clock to it: %v, %v", found, err)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.OpenJobTo{ID: apptest.NewID(), Job: id, Kind: "person", Who: sven.ID}))
	apptest.Must(t, clockIn(sven))
	if n := can(); n != crew+1 {
		t.Errorf("%d can clock here, not %d", n, crew+1)
	}
	if found, _, err := hours.SearchChoices(ctx, w.App, sven, "3001"); err != nil || len(found) != 1 {
		t.Errorf("it isn't found by who may clock to it: %v, %v", found, err)
	}
	entry := dbtest.Get[uuid.UUID](t, w, `select id from job_open_to where person_id = $1`, sven.ID)
	apptest.Must(t, w.Do(ctx, mira, jobs.CloseJobTo{Entry: entry}))
	// A person can be kept to some jobs.
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: id, Field: "open_to_all", Value: "yes"}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: sven.ID, Field: "jobs", Value: "2240"}))
	if r := apptest.Refusal(t, clockIn(sven)); !strings.Contains(r.Wrong, "not open to you") {
		t.Errorf("a job that isn't among theirs: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: sven.ID, Field: "jobs", Value: "any"}))
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: id, Field: "starts_on", Value: "2027-01-01"}))
	if r := apptest.Refusal(t, clockIn(sven)); !strings.Contains(r.Wrong, "not open to you") {
		t.Errorf("before its first day: %+v", r)
	}
}

// Tasks worked as one: the estimate is the sum, the history keeps its detail,
// and they can be split again.
func TestJoiningTasks(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, jobs.AddJob{ID: id, Number: "3002", Title: "Sign faces"}))
	apptest.Must(t, w.Do(ctx, mira,
		jobs.AddTasks{Job: id, Tasks: []jobs.NewTask{{Title: "Cut", CostCode: "110", Hours: "10"},
			{Title: "Trim", CostCode: "110", Hours: "5.5"}, {Title: "Paint", CostCode: "120", Hours: ""},
			{Title: "Ship", CostCode: "130", Hours: "2"}}}))
	tasks := func() map[string]jobs.TaskRow {
		p, err := jobs.ReadJobPage(ctx, w.App, mira, id)
		apptest.Must(t, err)
		m := map[string]jobs.TaskRow{}
		for _, k := range p.Tasks {
			m[k.Name] = k
		}
		return m
	}
	before := tasks()
	if !before["Cut"].Proposed || !before["Trim"].Proposed || before["Paint"].Proposed {
		t.Error("tasks of one cost code aren't proposed to be joined")
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.WorkAs{Job: id, Into: before["Cut"].ID, Task: before["Trim"].ID}))
	paint := jobs.WorkAs{Job: id, Into: before["Cut"].ID, Task: before["Paint"].ID}
	if r := apptest.Refusal(t, w.Do(ctx, mira, paint)); r.Field != "recode" ||
		!strings.Contains(r.Error(), "Paint has cost code 120, Cut has cost code 110") {
		t.Errorf("the cost codes differ: %+v", r)
	}
	paint.Recode = true
	apptest.Must(t, w.Do(ctx, mira, paint))
	on := clock.Assignment{Job: id, Task: before["Trim"].ID}
	if r := apptest.Refusal(t,
		w.Do(ctx, w.Person(t, "Dao Pham"),
			hours.Punch{ID: apptest.NewID(), Act: clock.Switch, On: on})); !strings.Contains(r.Wrong,
		"is worked as “Cut”") {
		t.Errorf("clocking to a task that is worked as another: %+v", r)
	}
	cut := tasks()["Cut"]
	if len(tasks()) != 2 || len(cut.Joined) != 2 || cut.Sum == nil || *cut.Sum != 55800 {
		t.Errorf("joined: %+v", cut)
	}
	kofi := w.Person(t, "Kofi Larkin")
	w.Pass(time.Minute)
	if r := apptest.Refusal(t,
		w.Do(ctx, kofi, hours.Punch{ID: apptest.NewID(), Act: clock.In,
			On: clock.Assignment{Job: id, Task: before["Trim"].ID}})); !strings.Contains(r.Wrong, "is worked as “Cut”") {
		t.Errorf("clocking to a joined task: %+v", r)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, jobs.WorkAs{Job: id, Into: before["Trim"].ID, Task: cut.ID})); r.Field != "into" {
		t.Errorf("joining into a joined one: %+v", r)
	}
	// Joining the joined brings along what is under it.
	apptest.Must(t, w.Do(ctx, mira, jobs.WorkAs{Job: id, Into: before["Ship"].ID, Task: cut.ID, Recode: true}))
	if ship := tasks()["Ship"]; len(ship.Joined) != 3 || *ship.Sum != 63000 {
		t.Errorf("all in one: %+v", ship)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SplitTask{Job: id, Task: before["Trim"].ID}))
	if trim, ship := tasks()["Trim"], tasks()["Ship"]; trim.Sum == nil || *trim.Sum != 19800 || *ship.Sum != 43200 {
		t.Errorf("split again: %+v and %+v", trim, ship)
	}
	if r := apptest.Refusal(t, w.Do(ctx, mira, jobs.SplitTask{Job: id, Task: before["Trim"].ID})); r.Field != "task" {
		t.Errorf("split twice: %+v", r)
	}
	// A task without history goes; one with history is closed, and not while
	// somebody is on it.
	apptest.Must(t, w.Do(ctx, mira, jobs.CloseTask{Job: id, Task: before["Trim"].ID}))
	if _, there := tasks()["Trim"]; there {
		t.Error("a task nothing was recorded on is still there")
	}
	apptest.Must(t, w.Do(ctx, kofi,
		hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: id, Task: before["Ship"].ID}}))
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, jobs.CloseTask{Job: id, Task: before["Ship"].ID})); !strings.Contains(r.Wrong, "on the clock") {
		t.Errorf("closed under somebody: %+v", r)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, jobs.SetJob{Job: id, Field: "state", Value: "closed"})); !strings.Contains(r.Wrong, "on the clock on it now") {
		t.Errorf("a job closed under somebody: %+v", r)
	}
	w.Pass(time.Hour)
	apptest.Must(t, w.Do(ctx, kofi, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	apptest.Must(t, w.Do(ctx, mira, jobs.CloseTask{Job: id, Task: before["Ship"].ID}))
	if ship := tasks()["Ship"]; ship.State != "closed" || ship.Used != 3600 {
		t.Errorf("closed: %+v", ship)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.CloseTask{Job: id, Task: before["Ship"].ID, Open: true}))
	// A copy has the open tasks that are worked, and none of the hours.
	twin := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, jobs.AddJob{ID: twin, Number: "3003", Title: "Sign faces again", Like: id}))
	p, err := jobs.ReadJobPage(ctx, w.App, mira, twin)
	apptest.Must(t, err)
	if len(p.Tasks) != 1 || p.Tasks[0].Name != "Ship" || p.Used != 0 {
		t.Errorf("the copy: %+v", p.Tasks)
	}
}

func TestJobKindsAndWages(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	apptest.Must(t, w.Do(ctx, mira, company.PutJobKind{ID: apptest.NewID(), Title: "Gantry", Tasks: "110 Set up\n\n 120  Hang"}))
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, company.PutJobKind{ID: apptest.NewID(), Title: "Gantry", Tasks: "Hang"})); r.Field != "tasks" {
		t.Errorf("a task without a cost code: %+v", r)
	}
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, jobs.AddJob{ID: id, Number: "3004", Title: "Gantry, Fennick", Kind: "Gantry", Customer: "Coast roads"}))
	p, err := jobs.ReadJobPage(ctx, w.App, mira, id)
	apptest.Must(t, err)
	if len(p.Tasks) != 2 || p.Tasks[1].Name != "Hang" || p.Tasks[1].CostCode != "120" || p.Customer != "Coast roads" {
		t.Errorf("a job of a kind: %+v", p.Tasks)
	}
	class := p.Classes[0].ID
	apptest.Must(t, w.Do(ctx, mira, jobs.SetWage{Job: id, Class: class, Base: "32.4", Cash: "4.2"}))
	if p, err = jobs.ReadJobPage(ctx, w.App, mira, id); err != nil || len(p.Wages) != 1 || p.Wages[0].Base != "32.40" ||
		p.Wages[0].Cash != "4.20" || p.Wages[0].Plan != "0.00" {
		t.Errorf("wages %+v, %v", p.Wages, err)
	}
	if r := apptest.Refusal(t, w.Do(ctx, mira, jobs.SetWage{Job: id, Class: class, Base: "much"})); r.Field != "wage" {
		t.Errorf("a wage that is none: %+v", r)
	}
}

// A job is opened to one person by number or name; a name that two have is
// asked about.
func TestOpenJobToAPerson(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	job := apptest.JobOf(t, w, "2253")
	open := func(named string) error {
		return w.Do(ctx, mira, jobs.OpenJobTo{ID: apptest.NewID(), Job: job, Kind: "person", Named: named})
	}
	apptest.Must(t, open("dao pham"))
	apptest.Must(t, open(w.Person(t, "Tomasz Brandt").Number))
	p, err := jobs.ReadJobPage(ctx, w.App, mira, job)
	apptest.Must(t, err)
	if p.CanClock != 2 || len(p.OpenTo) != 2 {
		t.Errorf("%d people can clock here, open to %+v", p.CanClock, p.OpenTo)
	}
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPerson{ID: apptest.NewID(),
			Values: map[string]string{"given_name": "Dao", "family_name": "Pham", "unit": "Plate shop", "starts_on": "2026-11-02"}}))
	if r := apptest.Refusal(t, open("Dao Pham")); !strings.Contains(r.Wrong, "2 people are called") ||
		!strings.Contains(r.Right, dao.Number) {
		t.Errorf("a name that two have: %+v", r)
	}
	if r := apptest.Refusal(t, open("Nobody")); !strings.Contains(r.Wrong, "Nobody here") {
		t.Errorf("a name that nobody has: %+v", r)
	}
}

// Who is on a job now stands on its page, as far as the reader may see.
func TestWhoIsOnAJob(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	job := dbtest.Get[uuid.UUID](t, w, `select job_id from stint where end_at is null and kind = 'work' group by job_id
		order by count(*) desc limit 1`)
	p, err := jobs.ReadJobPage(ctx, w.App, w.Person(t, "Mira Castellane"), job)
	apptest.Must(t, err)
	if len(p.Now) != p.Running || p.Running < 2 {
		t.Errorf("%d are on it, %d are named", p.Running, len(p.Now))
	}
	for i, o := range p.Now {
		if i > 0 && o.Since.Before(p.Now[i-1].Since) {
			t.Errorf("%s stands after somebody who is on it longer", o.Name())
		}
	}
	lead := w.Person(t, "Marisol Quaye")
	if p, err = jobs.ReadJobPage(ctx, w.App, lead, job); err != nil {
		t.Fatal(err)
	}
	for _, o := range p.Now {
		if !lead.Reaches("today.see", o.Person, o.Unit) {
			t.Errorf("a lead of another crew sees %s", o.Name())
		}
	}
}

// Hours that were approved before a job became public work are said on its page: they
// have no classification, and would be paid at people's own rates.
func TestApprovedBeforeItWasPublicWork(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	id := dbtest.Get[uuid.UUID](t, w, `select s.job_id from stint s join card c on c.employment_id = s.employment_id and c.date = s.date
		join job j on j.id = s.job_id where c.state = 'approved' and not j.public_work and s.kind = 'work'
		group by 1 order by count(*) desc limit 1`)
	cards := dbtest.Get[int](t, w, `select count(distinct (c.employment_id, c.date)) from stint s
		join card c on c.employment_id = s.employment_id and c.date = s.date where c.state = 'approved' and s.job_id = $1`, id)
	unclassed := func() int {
		p, err := jobs.ReadJobPage(t.Context(), w.App, mira, id)
		apptest.Must(t, err)
		return p.Unclassed.Cards
	}
	if n := unclassed(); n != 0 {
		t.Errorf("of a job that is no public work %d cards are said", n)
	}
	apptest.Must(t, w.Do(t.Context(), mira, jobs.SetJob{Job: id, Field: "public_work", Value: "yes"}))
	if n := unclassed(); n != cards || n == 0 {
		t.Errorf("%d cards are said, of %d", n, cards)
	}
}
