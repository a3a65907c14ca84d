package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// BroughtIn is somebody, or a job or task, who came in by a file.
type BroughtIn struct {
	ID   uuid.UUID
	Name string
	Unit *uuid.UUID // of a person
	Job  *uuid.UUID // of a task
	Why  string     // why it can't be taken out any more, "" where it can
}

// PeopleBroughtIn lists whom a file brought in, by name, and why who stays does.
func PeopleBroughtIn(ctx context.Context, q Q, file uuid.UUID) ([]BroughtIn, error) {
	var found []BroughtIn
	err := q.SelectContext(ctx, &found, `
		select p.id, p.given_name || ' ' || p.family_name as name, min(e.unit_id::text)::uuid as unit,
		       case when bool_or(exists (select 1 from punch where employment_id = e.id)) then 'has clocked'
		            when bool_or(exists (select 1 from pay_line where employment_id = e.id)) then 'was paid'
		            when bool_or(exists (select 1 from card_act where employment_id = e.id)
		                 or exists (select 1 from note where employment_id = e.id)
		                 or exists (select 1 from request where employment_id = e.id)
		                 or exists (select 1 from claim where employment_id = e.id)
		                 or exists (select 1 from amendment where employment_id = e.id)) then 'has a card that was worked on'
		            when bool_or(exists (select 1 from shift where employment_id = e.id)
		                 or exists (select 1 from planned_change where employment_id = e.id)
		                 or exists (select 1 from leave_day where employment_id = e.id)) then 'is planned'
		            when p.password_hash is not null or exists (select 1 from audit where person_id = p.id) then 'signs in'
		            when exists (select 1 from change where person_id = p.id or made_by = p.id)
		                 or exists (select 1 from grant_given where person_id = p.id) then 'was changed since'
		            when count(*) > 1 then 'has another position' else '' end as why
		from person p join employment e on e.person_id = p.id where p.brought_in = $1 group by p.id order by 2`, file)
	if err != nil {
		return nil, fmt.Errorf("read whom a file brought in: %w", err)
	}
	return found, nil
}

// DropPeople deletes people of whom nothing was recorded, with all that was set of
// them and worked out from it.
func DropPeople(ctx context.Context, q Q, people []uuid.UUID) error {
	ids := UUIDs(people)
	for _, table := range []string{"place_seen", "card_hold", "card", "hours", "rate", "pattern", "terms", "employment_class",
		"employment_job", "looked"} {
		where := `employment_id in (select id from employment where person_id = any($1))`
		if table == "looked" {
			where = `person_id = any($1)`
		}
		if _, err := q.ExecContext(ctx, `delete from `+table+` where `+where, ids); err != nil {
			return fmt.Errorf("take people out of %s: %w", table, err)
		}
	}
	for _, table := range []string{"notice_way", "notice", "message", "notice_choice", "plan_feed", "ask", "person_tag",
		"own_value", "badge", "unit_lead", "sign_in_link", "list_view", "pay_code",
		"job_open_to", "device", "recovery_code", "employment"} {
		if _, err := q.ExecContext(ctx, `delete from `+table+` where person_id = any($1)`, ids); err != nil {
			return fmt.Errorf("take people out of %s: %w", table, err)
		}
	}
	_, err := q.ExecContext(ctx, `delete from person where id = any($1)`, ids)
	return err
}

// JobsBroughtIn lists the jobs that a file brought in, by number, and the tasks that
// it brought to other jobs; and why what stays does.
func JobsBroughtIn(ctx context.Context, q Q, file uuid.UUID) (jobs, tasks []BroughtIn, err error) {
	if err = q.SelectContext(ctx, &jobs, `
		select j.id, j.number || ' ' || j.name as name,
		       case when exists (select 1 from punch where job_id = j.id) or exists (select 1 from amendment where job_id = j.id)
		                 or exists (select 1 from request where job_id = j.id) then 'has hours'
		            when exists (select 1 from planned where job_id = j.id)
		                 or exists (select 1 from shift where job_id = j.id) then 'is planned'
		            when exists (select 1 from audit a where a.about = j.id and a.made_at > i.applied_at) then 'was changed since'
		            else '' end as why
		from job j join import i on i.id = $1 where j.brought_in = $1 order by j.number`, file); err != nil {
		return nil, nil, fmt.Errorf("read which jobs a file brought in: %w", err)
	}
	if err = q.SelectContext(ctx, &tasks, `
		select t.id, j.number || ', ' || t.name as name, t.job_id as job,
		       case when exists (select 1 from punch where task_id = t.id) or exists (select 1 from amendment where task_id = t.id)
		                 or exists (select 1 from request where task_id = t.id) then 'has hours'
		            when exists (select 1 from planned where task_id = t.id)
		                 or exists (select 1 from shift where task_id = t.id) then 'is planned'
		            when t.joined_into is not null or exists (select 1 from task where joined_into = t.id)
		                 or exists (select 1 from audit a where a.about = j.id and a.made_at > i.applied_at) then 'was changed since'
		            else '' end as why
		from task t join job j on j.id = t.job_id join import i on i.id = $1
		where t.brought_in = $1 and j.brought_in is distinct from $1 order by 2`, file); err != nil {
		return nil, nil, fmt.Errorf("read which tasks a file brought in: %w", err)
	}
	return jobs, tasks, nil
}

// DropJobs deletes jobs with their tasks, and tasks, on which nothing was recorded.
func DropJobs(ctx context.Context, q Q, jobs, tasks []uuid.UUID) error {
	for _, table := range []string{"job_kind_was", "job_tag", "job_wage", "job_open_to", "pay_code", "employment_job", "task"} {
		if _, err := q.ExecContext(ctx, `delete from `+table+` where job_id = any($1)`, UUIDs(jobs)); err != nil {
			return fmt.Errorf("take jobs out of %s: %w", table, err)
		}
	}
	if _, err := q.ExecContext(ctx, `delete from task where id = any($1)`, UUIDs(tasks)); err != nil {
		return fmt.Errorf("take tasks out: %w", err)
	}
	_, err := q.ExecContext(ctx, `delete from job where id = any($1)`, UUIDs(jobs))
	return err
}

// ImportUndone says that a file was taken back.
func ImportUndone(ctx context.Context, q Q, file uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `update import set undone_at = $2 where id = $1`, file, at)
	return err
}
