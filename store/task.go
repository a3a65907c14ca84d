package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Task is a task of a job. Estimate and Used are of itself alone.
type Task struct {
	ID       uuid.UUID
	Job      uuid.UUID `db:"job_id"`
	Name     string
	CostCode string `db:"cost_code"`
	Position int
	State    string
	Estimate *int64 `db:"estimate_seconds"`
	Billable bool
	Class    string
	Into     *uuid.UUID `db:"joined_into"`
	Used     int64
	Running  int

	CountedIn string `db:"counted_in"` // beside the hours, "" for nothing
	MeantFor  string `db:"meant_for"`  // the names of those it is meant for, with commas
}

// meantFor are the people a task is meant for: their names, or numbers where others are called
// the same.
const meantFor = `coalesce((select string_agg(distinct case when exists (select from person o where o.id <> p.id
		and (o.given_name, o.family_name) = (p.given_name, p.family_name)) then p.number
		else p.given_name || ' ' || p.family_name end, ', ')
	from task_person m join employment e on e.id = m.employment_id join person p on p.id = e.person_id
	where m.task_id = t.id), '') as meant_for`

// Tasks lists the tasks of a job in order.
func Tasks(ctx context.Context, q Q, job uuid.UUID) ([]Task, error) {
	var found []Task
	err := q.SelectContext(ctx, &found, `
		select t.id, t.job_id, t.name, t.cost_code, t.position, t.state, t.estimate_seconds, t.billable, coalesce(c.code, '') as class,
		t.joined_into, t.counted_in, `+meantFor+`,
		       coalesce((select sum(seconds) from hours where job_id = t.job_id and task_id = t.id and kind = 'work'), 0) as used,
		       (select count(*) from stint st where st.job_id = t.job_id and st.task_id = t.id and st.kind = 'work'
		       and st.end_at is null) as running
		from task t left join classification c on c.id = t.class_id where t.job_id = $1 order by t.position, t.name`, job)
	return found, err
}

// OnTask says how many are on the clock on a task.
func OnTask(ctx context.Context, q Q, task uuid.UUID) (int, error) {
	var n int
	err := q.GetContext(ctx, &n, `select count(*) from stint where task_id = $1 and kind = 'work' and end_at is null`, task)
	return n, err
}

// TasksOfJobs lists the tasks of many jobs, by job, without what was worked.
func TasksOfJobs(ctx context.Context, q Q, jobs []uuid.UUID) (map[uuid.UUID][]Task, error) {
	var found []Task
	err := q.SelectContext(ctx, &found, `
		select t.id, t.job_id, t.name, t.cost_code, t.position, t.state, t.estimate_seconds, t.billable, coalesce(c.code, '') as class,
		t.joined_into, t.counted_in, `+meantFor+`
		from task t left join classification c on c.id = t.class_id where t.job_id = any($1)
		order by t.job_id, t.position, t.name`, UUIDs(jobs))
	if err != nil {
		return nil, fmt.Errorf("read tasks: %w", err)
	}
	by := map[uuid.UUID][]Task{}
	for _, t := range found {
		by[t.Job] = append(by[t.Job], t)
	}
	return by, nil
}

// InsertTask adds an open task at the end of a job's.
func InsertTask(ctx context.Context, q Q, id, job uuid.UUID, name, code string, estimate *int64) error {
	_, err := q.ExecContext(ctx, `insert into task (id, job_id, name, cost_code, estimate_seconds, position)
		values ($1, $2, $3, $4, $5, (select coalesce(max(position), 0) + 1 from task where job_id = $2))`, id, job, name, code, estimate)
	return err
}

// SetTask sets one column; the column is one of ours and never what somebody
// typed.
func SetTask(ctx context.Context, q Q, id uuid.UUID, column string, value any) error {
	_, err := q.ExecContext(ctx, `update task set `+column+` = $2 where id = $1`, id, value)
	return err
}

// MeanTask says whom a task is meant for, by all their positions that aren't over.
func MeanTask(ctx context.Context, q Q, task uuid.UUID, people []uuid.UUID, today when.Date) error {
	if _, err := q.ExecContext(ctx, `delete from task_person where task_id = $1`, task); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into task_person (task_id, employment_id) select $1, id from employment
		where person_id = any($2) and coalesce(ends_on, 'infinity') >= $3`, task, UUIDs(people), today.String())
	return err
}

// DeleteTask takes out a task that nothing was ever recorded on; it says
// whether it could.
func DeleteTask(ctx context.Context, q Q, id uuid.UUID) (bool, error) {
	return did(q.ExecContext(ctx, `delete from task t where t.id = $1 and not exists (select 1 from punch where task_id = t.id)
		and not exists (select 1 from planned where task_id = t.id) and not exists (select 1 from shift where task_id = t.id)
		and not exists (select 1 from task x where x.joined_into = t.id)`, id))
}
