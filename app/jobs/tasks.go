package jobs

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/payroll"
	"manudex/core/refusal"
	"manudex/store"
)

// TaskRow is a task as the page of its job shows it: with what is joined into
// it, whose estimate and hours are in its sums.
type TaskRow struct {
	store.Task
	Joined   []store.Task
	Sum      *int64 // estimate of all of them; nil when none has one
	SumUsed  int64
	Proposed bool // another open task has the same cost code
}

// Left gives what is left of the estimate, nil without one.
func (t TaskRow) Left() *int64 {
	if t.Sum == nil {
		return nil
	}
	left := *t.Sum - t.SumUsed
	return &left
}

// underOne puts joined tasks under the one they are worked as.
func underOne(tasks []store.Task) []TaskRow {
	var shown []TaskRow
	at := map[uuid.UUID]int{}
	add := func(t *TaskRow, of store.Task) {
		t.SumUsed += of.Used
		if of.Estimate != nil {
			if t.Sum == nil {
				t.Sum = new(int64)
			}
			*t.Sum += *of.Estimate
		}
	}
	for _, t := range tasks {
		if t.Into == nil {
			at[t.ID] = len(shown)
			jt := TaskRow{Task: t}
			add(&jt, t)
			shown = append(shown, jt)
		}
	}
	for _, t := range tasks {
		if t.Into != nil {
			into := &shown[at[*t.Into]]
			into.Joined = append(into.Joined, t)
			add(into, t)
		}
	}
	for i := range shown {
		shown[i].Proposed = shown[i].State == "open" && shown[i].CostCode != "" && slices.ContainsFunc(shown, func(o TaskRow) bool {
			return o.ID != shown[i].ID && o.State == "open" && o.CostCode == shown[i].CostCode
		})
	}
	return shown
}

// taskField is one setting of a task.
type taskField = field.Of[store.Task]

// taskFields are the settings of tasks, with what their values may name.
func taskFields(ctx context.Context, q store.Q) ([]taskField, error) {
	classes, err := store.Classes(ctx, q)
	if err != nil {
		return nil, err
	}
	codes, err := store.CostCodes(ctx, q)
	if err != nil {
		return nil, err
	}
	var proposals []string
	for _, c := range codes {
		if !c.Closed {
			proposals = append(proposals, c.Code)
		}
	}
	column := func(name string, of func(string) any) func(context.Context, *app.Turn, uuid.UUID, string) error {
		return func(ctx context.Context, t *app.Turn, task uuid.UUID, value string) error {
			return store.SetTask(ctx, t, task, name, of(value))
		}
	}
	as := func(v string) any { return v }
	fields := []taskField{
		{Field: field.Field{Key: "task", Label: "Task", Required: true, Check: field.Text(120)},
			Put: column("name", as), Get: func(t store.Task) string { return t.Name }},
		{Field: field.Field{Key: "cost_code", Label: "Cost code", List: proposals, Check: func(v string) (string, error) {
			if utf8.RuneCountInString(v) > 20 {
				return "", fmt.Errorf("write at most 20 characters")
			}
			return v, payroll.KnownCostCode(codes, v)
		}},
			Put: column("cost_code", as), Get: func(t store.Task) string { return t.CostCode }},
		{Field: field.Field{Key: "estimate", Label: "Estimate, hours", Kind: field.NumberField, Check: hoursValue},
			Put: column("estimate_seconds", secondsOrNull), Get: func(t store.Task) string { return hoursText(t.Estimate) }},
		{Field: field.Field{Key: "task_billable", Label: "Task billable", Kind: field.ChoiceField, Choices: field.YesNo},
			Put: column("billable", func(v string) any {
				return v == "yes"
			}), Get: func(t store.Task) string { return field.Yes(t.Billable) }},
		{Field: field.Field{Key: "class", Label: "Classification",
			Kind: field.ChoiceField, Choices: append(field.Choices("", "none"), field.NamesOf(classes)...),
			Help: "On public work it is chosen first at the clock"},
			Put: column("class_id", func(v string) any {
				return idOrNull(field.IdOf(classes, v))
			}), Get: func(t store.Task) string { return t.Class }},
		{Field: field.Field{Key: "task_counted_in", Label: "Counted beside the hours, in", Check: field.Text(20),
			Help: "Such as signs or m: crew sheets ask how many were done on a day"},
			Put: column("counted_in", as), Get: func(t store.Task) string { return t.CountedIn }},
		{Field: field.Field{Key: "task_people", Label: "Meant for", Check: field.Text(1000),
			Help: "Numbers or names apart by commas: it stands first on their clock page"},
			Put: meanTask, Get: func(t store.Task) string { return t.MeantFor }},
		{Field: field.Field{Key: "task_state", Label: "Task state", Kind: field.ChoiceField,
			Choices: field.Choices("open", "open", "closed", "closed")},
			Put: closeTask, Get: func(t store.Task) string { return t.State }},
	}
	return field.Completed(fields), nil
}

// TaskValues reads the settings of a task of a job, its name first.
func TaskValues(ctx context.Context, a *app.App, actor app.Actor, job, task uuid.UUID) ([]field.Value, error) {
	if !actor.May("jobs.see") {
		return nil, app.ErrForbidden
	}
	tasks, err := store.TasksOfJobs(ctx, a.DB, []uuid.UUID{job})
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(tasks[job], func(t store.Task) bool { return t.ID == task })
	if i < 0 {
		return nil, app.ErrNotFound
	}
	away, err := app.ReadAway(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	fields, err := taskFields(ctx, a.DB)
	fields = slices.DeleteFunc(fields, func(f taskField) bool { return away.Hides(f.Key) })
	return field.ValuesIn(fields, tasks[job][i]), err
}

// meanTask says whom a task is meant for.
func meanTask(ctx context.Context, t *app.Turn, task uuid.UUID, value string) error {
	var people []uuid.UUID
	for _, text := range field.SplitList(value) {
		id, err := PersonNamed(ctx, t, text)
		if err != nil {
			return err
		}
		people = append(people, id)
	}
	return store.MeanTask(ctx, t, task, people, t.Company.Today(t.Now))
}

// closeTask closes a task or opens it again. One that somebody is on is not
// closed: what runs is shown first.
func closeTask(ctx context.Context, t *app.Turn, task uuid.UUID, value string) error {
	if value == "closed" {
		running, err := store.OnTask(ctx, t, task)
		if err != nil {
			return err
		}
		if running > 0 {
			return refusal.New("task", fmt.Sprintf("%d on the clock on it now", running), "Let them switch first; Today shows who")
		}
	}
	return store.SetTask(ctx, t, task, "state", value)
}

// SetTask changes one setting of a task.
type SetTask struct {
	Job, Task    uuid.UUID
	Field, Value string
}

// Permission is the act's name in the permission table.
func (SetTask) Permission() string { return "jobs.change" }

func (s SetTask) Do(ctx context.Context, t *app.Turn) error {
	task, _, err := taskOf(ctx, t, s.Job, s.Task)
	if err != nil {
		return err
	}
	fields, err := taskFields(ctx, t)
	if err != nil {
		return err
	}
	f, value, err := field.Changed(fields, s.Field, s.Value)
	if err != nil || value == f.Get(task) {
		return err
	}
	if err := f.Put(ctx, t, s.Task, value); err != nil {
		return taskTaken(err, value)
	}
	t.Record(store.Event{Act: t.Act}, s.Job, map[string]any{"field": f.Label + " of " + task.Name, "from": f.Get(task), "to": value})
	return nil
}

// taskTaken makes a refusal of an error that says that a name is taken.
func taskTaken(err error, name string) error {
	if store.Violates(err, "task_job_id_name_key") {
		return refusal.New("task", "There is a task “"+name+"” already", "Choose another name")
	}
	return err
}

// AddTasks adds tasks to a job: one typed, or the rows chosen of an estimate.
type AddTasks struct {
	Job   uuid.UUID
	Tasks []NewTask
}

// NewTask is a task to be added. Hours may be empty.
type NewTask struct{ Title, CostCode, Hours string }

// Permission is the act's name in the permission table.
func (AddTasks) Permission() string { return "jobs.change" }

func (a AddTasks) Do(ctx context.Context, t *app.Turn) error {
	if err := store.LockJob(ctx, t, a.Job); err != nil {
		return err
	}
	if len(a.Tasks) == 0 {
		return refusal.New("title", "No task was chosen", "Choose at least one")
	}
	known, err := store.CostCodes(ctx, t)
	if err != nil {
		return err
	}
	for _, n := range a.Tasks {
		name, code := strings.TrimSpace(n.Title), strings.TrimSpace(n.CostCode)
		hours := strings.TrimSpace(n.Hours)
		if name == "" || utf8.RuneCountInString(name) > 120 || utf8.RuneCountInString(code) > 20 {
			return refusal.New("title", "A task needs a name", "Write one of at most 120 characters, and a cost code of at most 20")
		}
		if err := payroll.KnownCostCode(known, code); err != nil {
			return err
		}
		var estimate *int64
		if hours != "" {
			if _, err := hoursValue(hours); err != nil {
				return refusal.New("hours", fmt.Sprintf("The hours of %s can't be “%s”", name, field.Shorten(hours)),
					"Write hours such as 120 or 7.5")
			}
			s := secondsOrNull(hours).(int64)
			estimate = &s
		}
		err = store.InsertTask(ctx, t, uuid.Must(uuid.NewV7()), a.Job, name, code, estimate)
		if err != nil {
			return taskTaken(err, name)
		}
	}
	t.Record(store.Event{Act: t.Act}, a.Job, map[string]any{"field": "Tasks", "to": fmt.Sprintf("%d added", len(a.Tasks))})
	return nil
}

// WorkAs makes a task be worked as another: Into. The estimate of that is the
// sum; what was recorded on the task stays its own. Where the cost codes of the two
// differ, hours get another code from then on, which takes a word more: Recode.
type WorkAs struct {
	Job, Task, Into uuid.UUID
	Recode          bool
}

// SplitTask makes a joined task be worked by itself again.
type SplitTask struct{ Job, Task uuid.UUID }

// CloseTask closes a task or opens it again; one that nothing was ever
// recorded on is taken out.
type CloseTask struct {
	Job, Task uuid.UUID
	Open      bool
}

// Permission is the act's name in the permission table.
func (WorkAs) Permission() string { return "jobs.change" }

// Permission is the act's name in the permission table.
func (SplitTask) Permission() string { return "jobs.change" }

// Permission is the act's name in the permission table.
func (CloseTask) Permission() string { return "jobs.change" }

// taskOf finds a task of a locked job.
func taskOf(ctx context.Context, t *app.Turn, job, task uuid.UUID) (store.Task, []store.Task, error) {
	if err := store.LockJob(ctx, t, job); err != nil {
		return store.Task{}, nil, err
	}
	tasks, err := store.Tasks(ctx, t, job)
	if err != nil {
		return store.Task{}, nil, err
	}
	i := slices.IndexFunc(tasks, func(k store.Task) bool { return k.ID == task })
	if i < 0 {
		return store.Task{}, nil, app.ErrNotFound
	}
	return tasks[i], tasks, nil
}

func (j WorkAs) Do(ctx context.Context, t *app.Turn) error {
	task, tasks, err := taskOf(ctx, t, j.Job, j.Task)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(tasks, func(k store.Task) bool { return k.ID == j.Into })
	if i < 0 {
		return app.ErrNotFound
	}
	into := tasks[i]
	switch {
	case into.Into != nil || into.State != "open":
		return refusal.New("into", into.Name+" is not worked by itself", "Choose an open task that is")
	case into.ID == task.ID:
		return refusal.New("into", task.Name+" is worked as itself already", "Choose another task")
	case task.Running > 0:
		return refusal.New("tasks", fmt.Sprintf("%d on the clock on %s now", task.Running, task.Name),
			"Let them switch first; Today shows who")
	case into.CostCode != task.CostCode && !j.Recode:
		return RecodeQuestion(task, into)
	}
	for _, k := range tasks { // what is worked as the task comes along
		if k.ID == task.ID || k.Into != nil && *k.Into == task.ID {
			if err := store.SetTask(ctx, t, k.ID, "joined_into", into.ID); err != nil {
				return err
			}
		}
	}
	t.Record(store.Event{Act: t.Act}, j.Job, map[string]any{"field": "Tasks", "to": task.Name + " worked as " + into.Name})
	return nil
}

// RecodeQuestion asks whether the hours of a task shall get the cost code of the
// one that it is worked as.
func RecodeQuestion(task, into store.Task) *refusal.Refusal {
	return &refusal.Refusal{Field: "recode",
		Wrong: fmt.Sprintf("%s has %s, %s has %s", task.Name, codeWords(task), into.Name, codeWords(into)),
		Right: fmt.Sprintf("Say that new hours on %s go to %s", task.Name, codeWords(into))}
}

func codeWords(t store.Task) string {
	if t.CostCode == "" {
		return "no cost code"
	}
	return "cost code " + t.CostCode
}

func (s SplitTask) Do(ctx context.Context, t *app.Turn) error {
	task, _, err := taskOf(ctx, t, s.Job, s.Task)
	switch {
	case err != nil:
		return err
	case task.Into == nil:
		return refusal.New("task", task.Name+" is worked by itself already", "There is nothing to split")
	}
	t.Record(store.Event{Act: t.Act}, s.Job, map[string]any{"field": "Tasks", "to": task.Name + " worked by itself again"})
	return store.SetTask(ctx, t, task.ID, "joined_into", nil)
}

func (c CloseTask) Do(ctx context.Context, t *app.Turn) error {
	task, _, err := taskOf(ctx, t, c.Job, c.Task)
	switch {
	case err != nil:
		return err
	case c.Open:
		t.Record(store.Event{Act: t.Act}, c.Job, map[string]any{"field": "Tasks", "to": task.Name + " open again"})
		return closeTask(ctx, t, task.ID, "open")
	}
	gone, err := store.DeleteTask(ctx, t, task.ID)
	if err != nil {
		return err
	}
	words := " closed"
	if gone {
		words = " taken out: nothing was recorded on it"
	} else if err := closeTask(ctx, t, task.ID, "closed"); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, c.Job, map[string]any{"field": "Tasks", "to": task.Name + words})
	return nil
}
