package bringin_test

import (
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/dbtest"
)

// A file of people is taken back whole: whom it brought in go, settings are what they
// were; who clocked or was changed since is named and stays. It is taken back once.
func TestUndoAFileOfPeople(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	orla := w.Person(t, "Orla Ebbwater")
	viggo := w.Person(t, "Viggo Bexley")
	p := apptest.TakeFile(t, w, orla, bringin.PeopleFile, [][]string{
		{"Number", "Given name", "Family name", "Crew or department", "Hired", "Rate an hour", "Working pattern", "Title", "Tags"},
		{"901", "Bo", "Lund", "Paint line", "2026-11-02", "21.50", "Mon–Fri 07:00–15:30 less 30", "Painter", "First aid"},
		{"902", "Ada", "Munro", "Paint line", "2026-11-02", "22", "Mon–Fri 8", "Painter", ""},
		{"903", "Pia", "Holt", "Paint line", "2026-11-02", "23", "", "", ""},
		{"2042", "", "", "", "", "", "", "Buoy keeper", ""},
	})
	apptest.Must(t, w.Do(ctx, orla, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID}))
	_, err := hours.KeepExpected(ctx, w.App) // cards of days on which they are expected
	apptest.Must(t, err)
	w.Pass(time.Minute)
	ada, pia := w.Person(t, "Ada Munro"), w.Person(t, "Pia Holt")
	job := dbtest.Get[uuid.UUID](t, w, `select id from job where state = 'open' and open_to_all and not public_work and starts_on is null
		and not exists (select 1 from task where job_id = job.id and state = 'open') order by number limit 1`)
	apptest.Must(t, w.Do(ctx, ada, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: job}}))
	apptest.Must(t, w.Do(ctx, orla, people.SetPerson{ID: apptest.NewID(), Person: pia.ID, Field: "title", Value: "Keeper"}))

	var done app.Undone
	undo := app.Undo{Batch: p.ID, Tell: func(d app.Undone) { done = d }}
	apptest.Must(t, w.Do(ctx, orla, undo))
	if done.Words != "1 person brought in, 1 setting" ||
		strings.Join(done.Left, "; ") != "Ada Munro has clocked; Pia Holt was changed since" {
		t.Errorf("taken back: %q, left: %q", done.Words, done.Left)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from person where number in ('901', '902', '903')`); n != 2 {
		t.Errorf("%d of the three are there", n)
	}
	if s := apptest.SheetOf(t, w, orla, viggo.ID); s.Values["title"] != "Beacon hand" {
		t.Errorf("the title is %q", s.Values["title"])
	}
	if r := apptest.Refusal(t, w.Do(ctx, orla, undo)); !strings.Contains(r.Wrong, "taken back already") {
		t.Errorf("twice: %+v", r)
	}
	apptest.AllConsistent(t, w)
}

// A file of jobs is taken back: jobs and tasks go but for those with hours, and what
// was changed is what it was unless it was changed again.
func TestUndoAFileOfJobs(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	p := apptest.TakeFile(t, w, mira, bringin.JobsFile, [][]string{
		{"Number", "Name", "Budget, hours", "Task", "Estimate, hours"},
		{"9001", "Mole lamps", "", "", ""},
		{"9001", "", "", "Fitting", "12"},
		{"9002", "Pier lamps", "", "", ""},
		{"2231", "Gantry over Route 9", "1500", "", ""},
		{"2231", "", "", "Sweeping", "3"},
	})
	if p.Count[bringin.RowWrong] > 0 {
		t.Fatalf("%+v", p.Rows)
	}
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.JobsFile, Import: p.ID}))
	w.Pass(time.Minute)
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Switch,
		On: clock.Assignment{Job: dbtest.Get[uuid.UUID](t, w, `select id from job where number = '9002'`)}}))
	_, err := w.DB.Exec(`update job set name = 'Gantry 9' where number = '2231'`)
	apptest.Must(t, err)
	budget := `select coalesce(budget_seconds, 0) from job where number = '2231'`
	if n := dbtest.Get[int](t, w, budget); n != 1500*3600 {
		t.Errorf("the budget is %d s", n)
	}
	var done app.Undone
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: p.ID, Tell: func(d app.Undone) { done = d }}))
	if done.Words != "1 job and 1 task brought in, 1 setting" ||
		strings.Join(done.Left, "; ") != "9002 Pier lamps has hours; 2231: Name was changed again since" {
		t.Errorf("taken back: %q, left: %q", done.Words, done.Left)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from task where name in ('Sweeping')`); n != 0 {
		t.Error("the task is still there")
	}
	if n := dbtest.Get[int](t, w, budget); n == 1500*3600 {
		t.Errorf("the budget is %d s", n)
	}
	if err := w.Do(ctx, dao, app.Undo{Batch: p.ID}); err == nil {
		t.Error("a worker takes a file back")
	}
}
