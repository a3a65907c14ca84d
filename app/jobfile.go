package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/core/clock"
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

func init() { registerKind(JobsFile, readJobFile) }

func readJobFile(ctx context.Context, q store.Q) (rowKind, error) {
	k := &jobFile{tasked: map[string]bool{}}
	var err error
	if k.jobs, err = jobFields(ctx, q); err != nil {
		return nil, err
	}
	k.tasks, err = taskFields(ctx, q)
	return k, err
}

func (k *jobFile) columns(Actor) []Column {
	var found []Column
	for _, f := range k.jobs {
		found = append(found, Column{f.Key, f.Label})
	}
	for _, f := range k.tasks {
		found = append(found, Column{f.Key, f.Label})
	}
	return found
}

// JobColumns lists the columns that a file of jobs can have.
func (a *App) JobColumns(ctx context.Context, actor Actor) ([]Column, error) {
	if !actor.May("jobs.see") {
		return nil, ErrForbidden
	}
	k, err := readJobFile(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	return k.columns(actor), nil
}

// JobRows gives the rows of a file of jobs that a filter picks, under the
// heads of [App.JobColumns]: each job, and after it its tasks.
func (a *App) JobRows(ctx context.Context, actor Actor, f store.JobFilter) ([][]string, error) {
	jobs, err := a.AllJobs(ctx, actor, f)
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
			row[i] = f.get(j)
		}
		rows = append(rows, row)
		for _, t := range tasks[j.ID] {
			row := make([]string, len(k.jobs)+len(k.tasks))
			row[0] = j.Number
			for i, f := range k.tasks {
				row[len(k.jobs)+i] = f.get(t)
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

func (k *jobFile) judge(ctx context.Context, q store.Q, _ Actor, _ *Place, _ when.Date, p *ImportPage) error {
	jobs, _, err := store.Jobs(ctx, q, store.JobFilter{State: "any"}, 0, -1)
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
	for _, need := range []struct{ key, label string }{{"number", "Number"}, {"name", "Name"}} {
		if !slices.Contains(p.Matched, need.key) {
			p.Missing = append(p.Missing, need.label)
		}
	}
	p.take(j.take)
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

func (j *jobJudge) take(r *ImportRow, given map[string]string) error {
	number, task := strings.TrimSpace(given["number"]), strings.TrimSpace(given["task"])
	r.Name = strings.TrimSpace(number + " " + given["name"])
	what := "Number " + number
	if task != "" {
		r.Name, what = number+", "+task, "Task "+task+" of "+number
	}
	if number == "" {
		return clock.Refuse("number", "The number is missing", "It says which job a row is about")
	}
	key := number + "\x00" + strings.ToLower(task)
	if before, twice := j.seen[key]; twice {
		return clock.Refuse("number", fmt.Sprintf("%s stands in line %d already", what, before), "Keep one of the two")
	}
	j.seen[key] = r.Line
	if task != "" {
		j.tasked[number] = true
		return j.takeTask(r, number, given)
	}
	return j.takeJob(r, number, given)
}

func (j *jobJudge) takeJob(r *ImportRow, number string, given map[string]string) error {
	for _, f := range j.jobFile.tasks {
		if strings.TrimSpace(given[f.Key]) != "" {
			return clock.Refuse(f.Key, f.Label+" is given, and no task", "Name the task in the column Task")
		}
	}
	job, there := j.known[number]
	values, words, err := differences(j.jobs, job, there, given)
	if err != nil {
		return err
	}
	if there && values["state"] == "closed" && job.Running > 0 {
		return clock.Refuse("state", fmt.Sprintf("%d on the clock on it now", job.Running), "Let them switch first; Today shows who")
	}
	r.values = values
	switch {
	case !there && r.values["name"] == "":
		return clock.Refuse("name", "The name is missing", "A new job needs it")
	case !there:
		j.fresh[number] = true
		r.State, r.What = RowNew, r.values["customer"]
	case len(words) > 0:
		r.State, r.What, r.job = RowChanged, strings.Join(words, "; "), job
	default:
		r.State = RowSame
	}
	return nil
}

func (j *jobJudge) takeTask(r *ImportRow, number string, given map[string]string) error {
	for _, f := range j.jobs {
		if f.Key != "number" && strings.TrimSpace(given[f.Key]) != "" {
			return clock.Refuse(f.Key, f.Label+" stands beside a task", "Give a job's settings in a line of its own, and its tasks in lines after it")
		}
	}
	job, there := j.known[number]
	if !there && !j.fresh[number] {
		return clock.Refuse("number", "There is no job "+number, "Add it in a line before its tasks")
	}
	r.job = job
	r.job.Number = number
	var task store.Task
	if i := slices.IndexFunc(j.tasks[job.ID], func(t store.Task) bool { return strings.EqualFold(t.Name, strings.TrimSpace(given["task"])) }); there && i >= 0 {
		task = j.tasks[job.ID][i]
		r.task = &task
	}
	var but []string
	if r.task != nil {
		but = []string{"task"} // it is known by its name, whatever its case
	}
	values, words, err := differences(j.jobFile.tasks, task, r.task != nil, given, but...)
	if err != nil {
		return err
	}
	r.values = values
	switch {
	case r.task == nil:
		r.State, r.What = RowNew, "task"
	case len(words) > 0:
		r.State, r.What = RowChanged, strings.Join(words, "; ")
	default:
		r.State = RowSame
	}
	return nil
}

func (k *jobFile) bringIn(ctx context.Context, t *Turn, p *ImportPage, rows []ImportRow) error {
	for i := range rows {
		r := &rows[i]
		if r.State != RowNew && r.State != RowChanged {
			continue
		}
		var err error
		if r.job.Number != "" && (r.task != nil || r.values["task"] != "") {
			err = k.bringTask(ctx, t, r)
		} else {
			err = k.bringJob(ctx, t, r)
		}
		if err != nil {
			return rowError(r, err)
		}
	}
	return nil
}

func (k *jobFile) bringJob(ctx context.Context, t *Turn, r *ImportRow) error {
	j := r.job
	if r.State == RowNew {
		j = store.Job{ID: uuid.Must(uuid.NewV7()), Number: r.values["number"]}
		if err := store.InsertJob(ctx, t, j.ID, j.Number, r.values["name"]); err != nil {
			return numberTaken(err, j.Number)
		}
		t.record(store.Event{Act: t.Act}, j.ID, map[string]any{"job": j.Number, "to": "added from a file"})
	} else if err := store.LockJob(ctx, t, j.ID); err != nil {
		return err
	}
	if kind := r.values["kind"]; r.State == RowNew && kind != "" && !k.tasked[j.Number] {
		if err := (AddJob{ID: j.ID, Kind: kind}).kindTasks(ctx, t); err != nil {
			return err
		}
	}
	for _, f := range k.jobs {
		value, has := r.values[f.Key]
		if !has || r.State == RowNew && (f.Key == "number" || f.Key == "name") {
			continue
		}
		if err := f.put(ctx, t, j.ID, value); err != nil {
			return numberTaken(err, value)
		}
		if r.State == RowChanged {
			t.record(store.Event{Act: t.Act}, j.ID, map[string]any{"field": f.Label, "job": j.Number, "from": f.get(j), "to": value})
		}
	}
	return nil
}

func (k *jobFile) bringTask(ctx context.Context, t *Turn, r *ImportRow) error {
	job, err := store.JobByNumber(ctx, t, r.job.Number) // an earlier line may have added it
	if err != nil {
		return err
	}
	if err := store.LockJob(ctx, t, job); err != nil {
		return err
	}
	task := uuid.Must(uuid.NewV7())
	var before store.Task
	if r.task != nil {
		task, before = r.task.ID, *r.task
	} else if err := store.InsertTask(ctx, t, task, job, r.values["task"], "", nil); err != nil {
		return taskTaken(err, r.values["task"])
	}
	for _, f := range k.tasks {
		value, has := r.values[f.Key]
		if !has || f.Key == "task" {
			continue
		}
		if err := f.put(ctx, t, task, value); err != nil {
			return err
		}
		if r.task != nil {
			t.record(store.Event{Act: t.Act}, job, map[string]any{"field": f.Label + " of " + before.Name, "job": r.job.Number, "from": f.get(before), "to": value})
		}
	}
	if r.task == nil {
		t.record(store.Event{Act: t.Act}, job, map[string]any{"tasks": 1, "job": r.job.Number, "to": r.values["task"] + " added from a file"})
	}
	return nil
}
