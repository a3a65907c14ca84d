package store

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/when"
)

// OpenTo is one of those a restricted job is open to.
type OpenTo struct {
	ID   uuid.UUID
	Kind string // "site", "unit", "class" or "person"
	Name string
}

// OpenTos lists whom a job is open to.
func OpenTos(ctx context.Context, q Q, job uuid.UUID) ([]OpenTo, error) {
	var found []OpenTo
	err := q.SelectContext(ctx, &found, `
		select o.id, case when o.site_id is not null then 'site' when o.unit_id is not null then 'unit' when o.class_id is not null
		then 'class' else 'person' end as kind,
		       coalesce(s.name, u.name, c.name, p.given_name || ' ' || p.family_name) as name
		from job_open_to o left join site s on s.id = o.site_id left join unit u on u.id = o.unit_id
		left join classification c on c.id = o.class_id left join person p on p.id = o.person_id
		where o.job_id = $1 order by 2, 3`, job)
	return found, err
}

// InsertOpenTo opens a job to one more; kind names the column.
func InsertOpenTo(ctx context.Context, q Q, id, job uuid.UUID, kind string, who uuid.UUID) error {
	column := map[string]string{"site": "site_id", "unit": "unit_id", "class": "class_id", "person": "person_id"}[kind]
	_, err := q.ExecContext(ctx, `insert into job_open_to (id, job_id, `+column+`) values ($1, $2, $3) on conflict do nothing`, id, job,
		who)
	return err
}

// DeleteOpenTo closes a job to one of them; it gives the job.
func DeleteOpenTo(ctx context.Context, q Q, id uuid.UUID) (uuid.UUID, error) {
	var job uuid.UUID
	err := q.GetContext(ctx, &job, `delete from job_open_to where id = $1 returning job_id`, id)
	return job, err
}

// openTo says whether an employment e may clock to a job j on a date, $N.
func openTo(on string) string {
	return `(j.starts_on is null or j.starts_on <= ` + on + `) and (j.ends_on is null or j.ends_on >= ` + on + `)
		and (j.open_to_all or exists (select 1 from job_open_to o where o.job_id = j.id
		and (o.site_id = e.site_id or o.unit_id = e.unit_id or o.person_id = e.person_id
		     or o.class_id in (select class_id from employment_class where employment_id = e.id))))
		and (e.every_job or exists (select 1 from employment_job ej where ej.employment_id = e.id and ej.job_id = j.id))`
}

// CountOpenTo says how many people can clock to a job on a date.
func CountOpenTo(ctx context.Context, q Q, job uuid.UUID, on when.Date) (int, error) {
	var n int
	err := q.GetContext(ctx, &n, `select count(distinct e.person_id) from employment e cross join job j where j.id = $1 and `+
		termOn(TermHourly, "e.id", "$2")+` and e.starts_on <= $2 and coalesce(e.ends_on, 'infinity') >= $2 and `+openTo("$2"), job,
		on.String())
	return n, err
}
