package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// KindFrom is the kind of a job from a date on, ids as text; "" for none.
type KindFrom struct {
	From when.Date
	Kind string
}

// KindsOfJobs gives the kinds that every job is and was of, the oldest first.
func KindsOfJobs(ctx context.Context, q Q) (map[string][]KindFrom, error) {
	var rows []struct {
		Job   string     `db:"job_id"`
		Until *when.Date // nil: its present kind
		Kind  string
	}
	err := q.SelectContext(ctx, &rows, `
		select job_id::text, until, coalesce(kind_id::text, '') as kind from job_kind_was
		union all select id::text, null, coalesce(kind_id::text, '') from job where kind_id is not null
		or id in (select job_id from job_kind_was)
		order by 1, 2 nulls last`)
	if err != nil {
		return nil, fmt.Errorf("read kinds of jobs: %w", err)
	}
	kinds := map[string][]KindFrom{}
	from := when.NewDate(1, 1, 1)
	for i, r := range rows {
		if i > 0 && rows[i-1].Job != r.Job {
			from = when.NewDate(1, 1, 1)
		}
		kinds[r.Job] = append(kinds[r.Job], KindFrom{from, r.Kind})
		if r.Until != nil {
			from = *r.Until
		}
	}
	return kinds, nil
}

// PutKindWas keeps of which kind a job was up to a date; the first of several
// changes before it stands.
func PutKindWas(ctx context.Context, q Q, job uuid.UUID, until when.Date) error {
	_, err := q.ExecContext(ctx, `insert into job_kind_was (job_id, until, kind_id) select id, $2, kind_id from job where id = $1
		on conflict do nothing`, job, until.String())
	return err
}

// JobKinds lists the kinds of job by name.
func JobKinds(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from job_kind order by name`)
}

// Kind is a kind of job with the tasks that every such job gets.
type Kind struct {
	ID          uuid.UUID
	Name, Tasks string
	OwnWork     bool `db:"own_work"`
}

// AllKinds lists the kinds of job by name.
func AllKinds(ctx context.Context, q Q) ([]Kind, error) {
	var found []Kind
	err := q.SelectContext(ctx, &found, `select id, name, tasks, own_work from job_kind order by name`)
	return found, err
}

// PutJobKind adds a kind of job or changes its tasks.
func PutJobKind(ctx context.Context, q Q, id uuid.UUID, name, tasks string, own bool) error {
	_, err := q.ExecContext(ctx, `insert into job_kind (id, name, tasks, own_work) values ($1, $2, $3, $4) on conflict (name) do update
		set tasks = excluded.tasks, own_work = excluded.own_work`, id, name, tasks, own)
	return err
}

// KindTasks gives the tasks that every job of a kind gets.
func KindTasks(ctx context.Context, q Q, kind uuid.UUID) (string, error) {
	var tasks string
	err := q.GetContext(ctx, &tasks, `select tasks from job_kind where id = $1`, kind)
	return tasks, err
}
