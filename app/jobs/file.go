package jobs

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// jobFile is a file of jobs: a row is a job, known by the number, or, where
// it names a task, a task of the job of that number.
type jobFile struct {
	jobs   []jobField
	tasks  []taskField
	tasked map[string]bool // numbers of jobs whose tasks the file names
}

func init() { bringin.Register(bringin.JobsFile, readJobFile) }

func readJobFile(ctx context.Context, q store.Q) (bringin.RowKind, error) {
	k := &jobFile{tasked: map[string]bool{}}
	var err error
	if k.jobs, err = jobFields(ctx, q); err != nil {
		return nil, err
	}
	k.tasks, err = taskFields(ctx, q)
	return k, err
}

func (k *jobFile) Columns(app.Actor) []bringin.Column {
	var found []bringin.Column
	for _, f := range k.jobs {
		found = append(found, columnOf(f.Field))
	}
	for _, f := range k.tasks {
		found = append(found, columnOf(f.Field))
	}
	return found
}

// usualHeads are what offices call the columns of a list of jobs, by key.
var usualHeads = map[string][]string{
	"number": {"#", "job#", "jobno", "jobnumber", "jobid", "order", "orderno",
		"workorder", "worksorder", "project#", "projectno", "docket"},
	"name":     {"jobname", "description", "project", "projectname", "title"},
	"customer": {"client", "customername", "billto"}, "site": {"location", "worksite"},
	"starts_on": {"startdate", "start"}, "ends_on": {"enddate", "end", "duedate", "due", "finish"},
	"budget": {"budgethours", "hours", "budgetedhours", "totalhours"}, "bill_rate": {"billrate", "billingrate", "chargerate"},
	"task": {"taskname", "activity", "operation"}, "cost_code": {"costcode", "code", "phase"},
	"estimate": {"estimatedhours", "esthours", "taskhours", "est"},
}

func columnOf(f field.Field) bringin.Column {
	c := bringin.Column{Key: f.Key, Label: f.Label, Heads: usualHeads[f.Key]}
	switch f.Kind {
	case field.DateField:
		c.Form = bringin.DateForm
	case field.NumberField:
		c.Form = bringin.NumberForm
	}
	return c
}

// JobColumns lists the columns that a file of jobs can have.
func JobColumns(ctx context.Context, a *app.App, actor app.Actor) ([]bringin.Column, error) {
	if !actor.May("jobs.see") {
		return nil, app.ErrForbidden
	}
	k, err := readJobFile(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	return k.Columns(actor), nil
}

// JobRows gives the rows of a file of jobs that a filter picks, under the
// heads of [App.JobColumns]: each job, and after it its tasks.
func JobRows(ctx context.Context, a *app.App, actor app.Actor, f store.JobFilter) ([][]string, error) {
	jobs, err := AllJobs(ctx, a, actor, f)
	if err != nil {
		return nil, err
	}
	kind, err := readJobFile(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	k := kind.(*jobFile)
	tasks, err := store.TasksOfJobs(ctx, a.DB, jobIDs(jobs))
	if err != nil {
		return nil, err
	}
	var rows [][]string
	for _, j := range jobs {
		row := make([]string, len(k.jobs)+len(k.tasks))
		for i, f := range k.jobs {
			row[i] = f.Get(j)
		}
		rows = append(rows, row)
		for _, t := range tasks[j.ID] {
			row := make([]string, len(k.jobs)+len(k.tasks))
			row[0] = j.Number
			for i, f := range k.tasks {
				row[len(k.jobs)+i] = f.Get(t)
			}
			rows = append(rows, row)
		}
	}
	return rows, nil
}

func jobIDs(jobs []store.Job) []uuid.UUID {
	ids := make([]uuid.UUID, len(jobs))
	for i, j := range jobs {
		ids[i] = j.ID
	}
	return ids
}

func (k *jobFile) Judge(ctx context.Context, q store.Q, _ app.Actor, _ *app.Company, _ when.Date, p *bringin.ImportPage) error {
	jobs, _, err := store.Jobs(ctx, q, store.JobFilter{State: "any", Sort: "number"}, 0, -1)
	if err != nil {
		return err
	}
	tasks, err := store.TasksOfJobs(ctx, q, jobIDs(jobs))
	if err != nil {
		return err
	}
	j := jobJudge{jobFile: k, known: map[string]store.Job{}, tasks: tasks, seen: map[string]int{}, fresh: map[string]bool{}}
	for _, job := range jobs {
		j.known[job.Number] = job
	}
	p.Need("number", "Number")
	p.Need("name", "Name", "task")
	p.Take(j.take)
	return nil
}

// jobJudge knows what stands, and what the rows before have claimed.
type jobJudge struct {
	*jobFile
	known map[string]store.Job // by number
	tasks map[uuid.UUID][]store.Task
	seen  map[string]int  // number, or number and task → line
	fresh map[string]bool // numbers of jobs that the file adds
}

func (j *jobJudge) take(r *bringin.ImportRow, given map[string]string) error {
	number, task := strings.TrimSpace(given["number"]), strings.TrimSpace(given["task"])
	r.Name = strings.TrimSpace(number + " " + given["name"])
	what := "Number " + number
	if task != "" {
		r.Name, what = number+", "+task, "Task "+task+" of "+number
	}
	if number == "" {
		return refusal.New("number", "The number is missing", "It says which job a row is about")
	}
	key := number + "\x00" + strings.ToLower(task)
	if before, twice := j.seen[key]; twice {
		return refusal.New("number", fmt.Sprintf("%s stands in line %d already", what, before), "Keep one of the two")
	}
	j.seen[key] = r.Line
	if task != "" {
		j.tasked[number] = true
		return j.takeTask(r, number, given)
	}
	return j.takeJob(r, number, given)
}

func (j *jobJudge) takeJob(r *bringin.ImportRow, number string, given map[string]string) error {
	for _, f := range j.jobFile.tasks {
		if strings.TrimSpace(given[f.Key]) != "" {
			return refusal.New(f.Key, f.Label+" is given, and no task", "Name the task in the column Task")
		}
	}
	job, there := j.known[number]
	values, words, err := field.Differences(j.jobs, job, there, given)
	if err != nil {
		return err
	}
	if there && values["state"] == "closed" && job.Running > 0 {
		return refusal.New("state", fmt.Sprintf("%d on the clock on it now", job.Running), "Let them switch first; Today shows who")
	}
	r.Values = values
	switch {
	case !there && r.Values["name"] == "":
		return refusal.New("name", "The name is missing", "A new job needs it")
	case !there:
		j.fresh[number] = true
		r.State, r.What = bringin.RowNew, r.Values["customer"]
	case len(words) > 0:
		r.State, r.What, r.Job = bringin.RowChanged, strings.Join(words, "; "), job
	default:
		r.State = bringin.RowSame
	}
	return nil
}

func (j *jobJudge) takeTask(r *bringin.ImportRow, number string, given map[string]string) error {
	for _, f := range j.jobs {
		if f.Key != "number" && strings.TrimSpace(given[f.Key]) != "" {
			return refusal.New(f.Key, f.Label+" stands beside a task",
				"Give a job's settings in a line of its own, and its tasks in lines after it")
		}
	}
	job, there := j.known[number]
	if !there && !j.fresh[number] {
		return refusal.New("number", "There is no job "+number, "Add it in a line before its tasks")
	}
	r.Job = job
	r.Job.Number = number
	var task store.Task
	if i := slices.IndexFunc(j.tasks[job.ID], func(t store.Task) bool {
		return strings.EqualFold(t.Name, strings.TrimSpace(given["task"]))
	}); there && i >= 0 {
		task = j.tasks[job.ID][i]
		r.Task = &task
	}
	var but []string
	if r.Task != nil {
		but = []string{"task"} // it is known by its name, whatever its case
	}
	values, words, err := field.Differences(j.jobFile.tasks, task, r.Task != nil, given, but...)
	if err != nil {
		return err
	}
	r.Values = values
	switch {
	case r.Task == nil:
		r.State, r.What = bringin.RowNew, "task"
	case len(words) > 0:
		r.State, r.What = bringin.RowChanged, strings.Join(words, "; ")
	default:
		r.State = bringin.RowSame
	}
	return nil
}

func (k *jobFile) BringIn(ctx context.Context, t *app.Turn, p *bringin.ImportPage, rows []bringin.ImportRow) error {
	for i := range rows {
		r := &rows[i]
		if !r.Does() {
			continue
		}
		var err error
		if r.Job.Number != "" && (r.Task != nil || r.Values["task"] != "") {
			err = k.bringTask(ctx, t, p, r)
		} else {
			err = k.bringJob(ctx, t, p, r)
		}
		if err != nil {
			return bringin.RowError(r, err)
		}
	}
	return nil
}

func (k *jobFile) bringJob(ctx context.Context, t *app.Turn, p *bringin.ImportPage, r *bringin.ImportRow) error {
	j := r.Job
	if r.State == bringin.RowNew {
		j = store.Job{ID: uuid.Must(uuid.NewV7()), Number: r.Values["number"]}
		if err := store.InsertJob(ctx, t, j.ID, j.Number, r.Values["name"]); err != nil {
			return numberTaken(err, j.Number)
		}
		if err := store.SetJob(ctx, t, j.ID, "brought_in", p.ID); err != nil {
			return err
		}
		t.Record(store.Event{Act: t.Act}, j.ID, map[string]any{"job": j.Number, "to": "added from a file"})
	} else if err := store.LockJob(ctx, t, j.ID); err != nil {
		return err
	}
	if kind := r.Values["kind"]; r.State == bringin.RowNew && kind != "" && !k.tasked[j.Number] {
		if err := (AddJob{ID: j.ID, Kind: kind}).kindTasks(ctx, t); err != nil {
			return err
		}
	}
	for _, f := range k.jobs {
		value, has := r.Values[f.Key]
		if !has || r.State == bringin.RowNew && (f.Key == "number" || f.Key == "name") {
			continue
		}
		if err := f.Put(ctx, t, j.ID, value); err != nil {
			return numberTaken(err, value)
		}
		if r.State == bringin.RowChanged {
			p.Was = append(p.Was, store.Was{Job: j.ID, Key: f.Key, Old: f.Get(j), New: value})
			t.Record(store.Event{Act: t.Act}, j.ID, map[string]any{"field": f.Label, "job": j.Number, "from": f.Get(j), "to": value})
		}
	}
	return nil
}

func (k *jobFile) bringTask(ctx context.Context, t *app.Turn, p *bringin.ImportPage, r *bringin.ImportRow) error {
	job, err := store.JobByNumber(ctx, t, r.Job.Number) // an earlier line may have added it
	if store.NotFound(err) {
		return refusal.New("number", "There is no job "+r.Job.Number+": its line was left out", "Leave its tasks out too")
	}
	if err != nil {
		return err
	}
	if err := store.LockJob(ctx, t, job); err != nil {
		return err
	}
	task := uuid.Must(uuid.NewV7())
	var before store.Task
	if r.Task != nil {
		task, before = r.Task.ID, *r.Task
	} else if err := store.InsertTask(ctx, t, task, job, r.Values["task"], "", nil); err != nil {
		return taskTaken(err, r.Values["task"])
	} else if err := store.SetTask(ctx, t, task, "brought_in", p.ID); err != nil {
		return err
	}
	for _, f := range k.tasks {
		value, has := r.Values[f.Key]
		if !has || f.Key == "task" {
			continue
		}
		if err := f.Put(ctx, t, task, value); err != nil {
			return err
		}
		if r.Task != nil {
			p.Was = append(p.Was, store.Was{Job: job, Task: task, Key: f.Key, Old: f.Get(before), New: value})
			t.Record(store.Event{Act: t.Act}, job,
				map[string]any{"field": f.Label + " of " + before.Name, "job": r.Job.Number, "from": f.Get(before), "to": value})
		}
	}
	if r.Task == nil {
		t.Record(store.Event{Act: t.Act}, job,
			map[string]any{"tasks": 1, "job": r.Job.Number, "to": r.Values["task"] + " added from a file"})
	}
	return nil
}

// estimateHeads are what the columns of an estimate are usually called, by key.
var estimateHeads = map[string][]string{
	"task":      {"task", "taskname", "name", "description", "activity", "operation", "item", "work"},
	"cost_code": {"costcode", "code", "phase", "costitem"},
	"estimate":  {"hours", "hrs", "estimate", "estimatehours", "estimatedhours", "esthours", "totalhours", "budgethours"},
}

// TakeEstimate is an estimate of a job on its way in: a file of jobs whose rows are all
// tasks of that job.
func TakeEstimate(ctx context.Context, a *app.App, actor app.Actor, job uuid.UUID, file bringin.TakeFile) (bringin.TakeFile, error) {
	if !actor.May("jobs.change") {
		return file, app.ErrForbidden
	}
	j, err := store.GetJob(ctx, a.DB, job)
	if store.NotFound(err) {
		return file, app.ErrNotFound
	}
	if err != nil {
		return file, err
	}
	file.Kind, file.As = bringin.JobsFile, []string{"number"}
	rows := make([][]string, len(file.Rows))
	for i, row := range file.Rows {
		first := j.Number
		if i == 0 {
			first = "Number"
			for _, head := range row {
				file.As = append(file.As, estimateKey(head, file.As))
			}
		}
		rows[i] = append([]string{first}, row...)
	}
	file.Rows = rows
	return file, nil
}

// estimateKey says what a column of an estimate is, "" for none of those that are not
// found yet.
func estimateKey(head string, found []string) string {
	for key, heads := range estimateHeads {
		if slices.Contains(heads, bringin.PlainHead(head)) && !slices.Contains(found, key) {
			return key
		}
	}
	return ""
}
