package jobs_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/jobs"
	"manudex/dbtest"
	"manudex/store"
)

// A file of jobs and their tasks: what each row would do, and what it did.
func TestBringJobsIn(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	take := func(rows [][]string) *bringin.ImportPage { return apptest.TakeFile(t, w, mira, bringin.JobsFile, rows) }
	rows := [][]string{
		{"Number", "Name", "Customer", "Kind", "Budget, hours", "Task", "Cost code", "Estimate, hours", "Billable", "Task billable"},
		{"4001", "Mole lamps", "Ebbwater Harbour Trust", "", "400", "", "", "", "no", ""},
		{"4001", "", "", "", "", "Fitting", "320", "120", "", "no"},
		{"4001", "", "", "", "", "Erecting", "520", "80.5"},
		{"4002", "Town signs, Fennick", "Fennick Roads", "Signs", "", "", "", ""},
		{"2231", "", "", "", "900", "", "", ""},
		{"2231", "", "", "", "", "erecting", "", "300"},
		{"4003", "", "Fennick Roads", "", "", "", "", ""},
		{"4009", "", "", "", "", "Fitting", "320", ""},
		{"4002", "", "", "", "", "", "", "12"},
		{"4001", "", "", "", "", "Fitting", "320", "1"},
		{"2240", "", "", "", "", "Closing", "888", ""},
		{"2224", "", "", "Moon work", "", "", "", ""},
		{"2224", "Beacon", "", "", "", "Testing", "", ""},
		{"", "Nothing", "", "", "", "", "", ""},
	}
	p := take(rows)
	if got := apptest.RowCounts(p); got != "4 2 0 8" {
		t.Errorf("new, changed, same, wrong: %s", got)
	}
	for line, what := range map[int]string{8: "The name is missing",
		9: "There is no job 4009", 10: "stands in line 5 already", 11: "Task Fitting of 4001 stands in line 3 already",
		12: "“888” is not in the list",
		13: "Kind can't be “Moon work”", 14: "Name stands beside a task", 15: "The number is missing", 6: "Budget, hours: nothing → 900",
		7: "Estimate, hours: nothing → 300"} {
		if r := p.Rows[line-2]; !strings.Contains(r.What, what) {
			t.Errorf("line %d: %s %q, want %q", line, r.State, r.What, what)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.JobsFile, Import: p.ID, Wrong: 8}))
	page, err := jobs.ReadJobPage(ctx, w.App, mira, apptest.JobOf(t, w, "4001"))
	apptest.Must(t, err)
	if page.Billable || page.Tasks[0].Billable || !page.Tasks[1].Billable || page.Customer != "Ebbwater Harbour Trust" ||
		len(page.Tasks) != 2 || page.Tasks[1].Name != "Erecting" || page.Tasks[1].CostCode != "520" ||
		*page.Tasks[1].Estimate != 80*3600+1800 {
		t.Errorf("the new job is %+v with %+v", page.Job, page.Tasks)
	}
	if page, err = jobs.ReadJobPage(ctx, w.App, mira, apptest.JobOf(t, w, "4002")); err != nil || len(page.Tasks) != 6 {
		t.Errorf("a new job of a kind has %d tasks, want the kind's six: %v", len(page.Tasks), err)
	}
	if n := dbtest.Get[int](t, w, `select estimate_seconds from task t join job j on j.id = t.job_id where j.number = '2231'
		and t.name = 'Erecting'`); n != 300*3600 {
		t.Errorf("the estimate of a task that was there is %d s", n)
	}
	// The same file again changes nothing.
	if got := apptest.RowCounts(take(rows)); got != "0 0 6 8" {
		t.Errorf("the same file again: %s", got)
	}
	// Somebody's file of jobs is no file of people.
	if _, err := bringin.ReadImportPage(ctx, w.App, mira, bringin.PeopleFile, p.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a file of jobs read as people: %v", err)
	}
	if err := w.Do(ctx, w.Person(t, "Wren Halloran"),
		bringin.TakeFile{Kind: bringin.JobsFile, ID: apptest.NewID(), Rows: rows}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead brings jobs: %v", err)
	}
}

// What is written out can be brought in again, and changes nothing.
func TestJobsOutAndIn(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	columns, err := jobs.JobColumns(ctx, w.App, mira)
	apptest.Must(t, err)
	rows, err := jobs.JobRows(ctx, w.App, mira, store.JobFilter{State: "any"})
	apptest.Must(t, err)
	head := make([]string, len(columns))
	for i, c := range columns {
		head[i] = c.Label
	}
	p := apptest.TakeFile(t, w, mira, bringin.JobsFile, append([][]string{head}, rows...))
	if p.Count[bringin.RowSame] != len(rows) || len(rows) < 100 {
		for _, r := range p.Rows {
			if r.State != bringin.RowSame {
				t.Errorf("line %d: %s %q", r.Line, r.State, r.What)
			}
		}
		t.Errorf("%d of %d rows are the same", p.Count[bringin.RowSame], len(rows))
	}
}

// A task's settings, and what they can't be.
func TestSetTask(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	job := apptest.JobOf(t, w, "2231")
	page, err := jobs.ReadJobPage(ctx, w.App, mira, job)
	apptest.Must(t, err)
	task := page.Tasks[2]
	for _, c := range []struct{ field, value, wrong string }{
		{"estimate", "120", ""}, {"cost_code", "530", ""}, {"class", "ELE", ""}, {"task_billable", "no", ""}, {"task", "Setting up", ""},
		{"task_people", "Dao Pham, Wren Halloran", ""}, {"task_people", "Dao Pham, Nobody Here", "Nobody here has"},
		{"estimate", "lots", "Estimate, hours can't be"},
		{"cost_code", "999", "not in the list"}, {"class", "WIZ", "Classification can't be"}, {"task", page.Tasks[0].Name, "already"},
		{"colour", "red", "no such thing"},
	} {
		err := w.Do(ctx, mira, jobs.SetTask{Job: job, Task: task.ID, Field: c.field, Value: c.value})
		if c.wrong == "" {
			apptest.Must(t, err)
		} else if err == nil || !strings.Contains(err.Error(), c.wrong) {
			t.Errorf("%s set to %q: %v, want %q", c.field, c.value, err, c.wrong)
		}
	}
	values, err := jobs.TaskValues(ctx, w.App, mira, job, task.ID)
	apptest.Must(t, err)
	var got []string
	for _, v := range values {
		got = append(got, v.Value)
	}
	if strings.Join(got, " | ") != "Setting up | 530 | 120 | no | ELE |  | Dao Pham, Wren Halloran | open" {
		t.Errorf("the task is %q", got)
	}
	if err := w.Do(ctx, mira,
		jobs.SetTask{Job: apptest.JobOf(t, w, "2240"), Task: task.ID, Field: "task", Value: "x"}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a task of another job: %v", err)
	}
}

// An estimate is read as its makers write it: its own heads, lengths in several ways, a
// row that can't be beside those that can; rows that shall be no task are left out, and
// it is taken back as one.
func TestAnEstimate(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	job := apptest.JobOf(t, w, "2252")
	rows := [][]string{{"Item", "Phase", "Hrs", "Remark"}, {"Templates", "110", "1,204.50", "by hand"}, {"Edging", "110", "40 h", ""},
		{"Crating", "", "", ""}, {"Shipping", "", "a lot", ""}}
	take, err := jobs.TakeEstimate(ctx, w.App, mira, job, bringin.TakeFile{ID: apptest.NewID(), FileName: "estimate.csv", Rows: rows})
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, mira, take))
	p, err := bringin.ReadImportPage(ctx, w.App, mira, bringin.JobsFile, take.ID)
	apptest.Must(t, err)
	if got := apptest.RowCounts(p); got != "3 0 0 1" || len(p.Missing) > 0 {
		t.Fatalf("new, changed, same, wrong: %s, missing %v: %+v", got, p.Missing, p.Rows)
	}
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.JobsFile, Import: take.ID, Wrong: 1, Out: []int{2, 3, 9, -1}}))
	tasks := func() string {
		return dbtest.Get[string](t, w,
			`select coalesce(string_agg(name || ' ' || cost_code || ' ' || coalesce(estimate_seconds / 1800, 0), ', '
			order by position), '') from task where job_id = $1 and brought_in is not null`, job)
	}
	if got := tasks(); got != "Templates 110 2409, Edging 110 80" {
		t.Errorf("the tasks are %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: take.ID}))
	if got := tasks(); got != "" {
		t.Errorf("taken back, and %s are left", got)
	}
	if _, err := jobs.TakeEstimate(ctx, w.App, w.Person(t, "Dao Pham"), job, take); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("by a worker: %v", err)
	}
	if _, err := jobs.TakeEstimate(ctx, w.App, mira, apptest.NewID(), take); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("of no job: %v", err)
	}
}

// A job whose line is left out gets no tasks.
func TestATaskWhoseJobIsLeftOut(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	p := apptest.TakeFile(t, w, mira, bringin.JobsFile, [][]string{{"Number", "Name", "Task"}, {"4101", "Lamps", ""}, {"4101", "",
		"Fitting"}})
	r := apptest.Refusal(t, w.Do(t.Context(), mira, bringin.BringIn{Kind: bringin.JobsFile, Import: p.ID, Out: []int{0}}))
	if !strings.Contains(r.Wrong, "its line was left out") {
		t.Errorf("%+v", r)
	}
}
