package jobs

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/core/refusal"
	"manudex/store"
)

func init() { app.Undoes(bringin.TakeFile{Kind: bringin.JobsFile}.Permission(), undoFile) }

// undoFile takes a file of jobs back: jobs and tasks that it brought in go, but for
// those with hours, or that were changed since; settings that it changed, and that
// are as it made them, are what they were.
func undoFile(ctx context.Context, t *app.Turn, file uuid.UUID) (done app.Undone, found bool, err error) {
	if found, err = bringin.ToUndo(ctx, t, bringin.JobsFile, file); err != nil || !found {
		return done, found, err
	}
	im, err := store.ImportState(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	jobs, tasks, err := store.JobsBroughtIn(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	if err := lockAll(ctx, t, jobs, tasks, im.Was); err != nil {
		return done, false, err
	}
	if jobs, tasks, err = store.JobsBroughtIn(ctx, t, file); err != nil { // as it is now that nobody else writes
		return done, false, err
	}
	goneJobs, left := bringin.Going(jobs, nil)
	goneTasks, stay := bringin.Going(tasks, nil)
	if err := store.DropJobs(ctx, t, goneJobs, goneTasks); err != nil {
		return done, false, err
	}
	settings, kept, err := undoSettings(ctx, t, im.Was)
	if err != nil {
		return done, false, err
	}
	left = slices.Concat(left, stay, kept)
	if len(goneJobs)+len(goneTasks)+settings == 0 {
		return done, false, refusal.New("batch", "Nothing could be taken back: "+strings.Join(left, "; "), "Change it where it stands")
	}
	t.Record(store.Event{Act: t.Act}, file, map[string]any{"file": im.FileName, "jobs": len(goneJobs), "tasks": len(goneTasks),
		"settings": settings, "to": "taken back"})
	done = app.Undone{Words: app.Several(len(goneJobs), "job", "jobs") + " and " + app.Several(len(goneTasks), "task", "tasks") +
		" brought in, " + app.Several(settings, "setting", "settings"), Left: left}
	return done, true, store.ImportUndone(ctx, t, file, t.Now)
}

// lockAll locks the jobs that a file touched, in their order.
func lockAll(ctx context.Context, t *app.Turn, jobs, tasks []store.BroughtIn, was []store.Was) error {
	var ids []uuid.UUID
	for _, j := range jobs {
		ids = append(ids, j.ID)
	}
	for _, task := range tasks {
		ids = append(ids, *task.Job)
	}
	for _, w := range was {
		ids = append(ids, w.Job)
	}
	slices.SortFunc(ids, func(a, b uuid.UUID) int { return strings.Compare(a.String(), b.String()) })
	for _, id := range slices.Compact(ids) {
		if err := store.LockJob(ctx, t, id); err != nil {
			return err
		}
	}
	return nil
}

// undoSettings puts settings back that are still what the file made them.
func undoSettings(ctx context.Context, t *app.Turn, was []store.Was) (n int, left []string, err error) {
	jobFields, err := jobFields(ctx, t)
	if err != nil {
		return 0, nil, err
	}
	taskFields, err := taskFields(ctx, t)
	if err != nil {
		return 0, nil, err
	}
	for i := len(was) - 1; i >= 0; i-- {
		w := was[i]
		job, err := store.GetJob(ctx, t, w.Job)
		if store.NotFound(err) {
			continue
		}
		if err != nil {
			return 0, nil, err
		}
		name, label, now := job.Number, "", ""
		var put func(string) error
		if w.Task == uuid.Nil {
			f := jobFields[slices.IndexFunc(jobFields, func(f jobField) bool { return f.Key == w.Key })]
			label, now = f.Label, f.Get(job)
			put = func(value string) error { return f.Put(ctx, t, w.Job, value) }
		} else {
			tasks, err := store.Tasks(ctx, t, w.Job)
			if err != nil {
				return 0, nil, err
			}
			k := slices.IndexFunc(tasks, func(task store.Task) bool { return task.ID == w.Task })
			if k < 0 {
				continue
			}
			f := taskFields[slices.IndexFunc(taskFields, func(f taskField) bool { return f.Key == w.Key })]
			name, label, now = job.Number+", "+tasks[k].Name, f.Label, f.Get(tasks[k])
			put = func(value string) error { return f.Put(ctx, t, w.Task, value) }
		}
		if now != w.New {
			left = append(left, name+": "+label+" was changed again since")
			continue
		}
		if err := put(w.Old); err != nil {
			return 0, nil, err
		}
		n++
	}
	return n, left, nil
}
