package store

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Class is a work classification.
type Class struct {
	ID         uuid.UUID
	Code, Name string
}

// AllClasses lists the work classifications by name.
func AllClasses(ctx context.Context, q Q) ([]Class, error) {
	var found []Class
	err := q.SelectContext(ctx, &found, `select id, code, name from classification order by name`)
	return found, err
}

// PutClass adds a work classification or changes what it is called.
func PutClass(ctx context.Context, q Q, id uuid.UUID, code, name string) error {
	_, err := q.ExecContext(ctx, `insert into classification (id, code, name) values ($1, $2, $3) on conflict (id) do update
		set code = excluded.code, name = excluded.name`, id, code, name)
	return err
}

// Classes lists the work classifications by code.
func Classes(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, code as name from classification order by code`)
}

// ClassNames lists the work classifications by name.
func ClassNames(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from classification order by name`)
}

// ClassOf is a work classification that a public work's determination knows.
type ClassOf struct {
	Job        uuid.UUID `db:"job_id"`
	ID         uuid.UUID
	Code, Name string
}

// ClassesOf lists the classifications that the jobs given know on a date.
func ClassesOf(ctx context.Context, q Q, jobs []uuid.UUID, on when.Date) ([]ClassOf, error) {
	var found []ClassOf
	err := q.SelectContext(ctx, &found, `
		select distinct w.job_id, c.id, c.code, c.name from job_wage w join classification c on c.id = w.class_id
		where w.job_id = any($1) and w.starts_on <= $2 order by c.name`, UUIDs(jobs), on.String())
	return found, err
}

// HasClass says whether a person holds a classification in any position, or
// has worked in it.
func HasClass(ctx context.Context, q Q, person, class uuid.UUID) (bool, error) {
	var has bool
	err := q.GetContext(ctx, &has, `
		select exists (select 1 from employment_class ec join employment e on e.id = ec.employment_id where e.person_id = $1
		and ec.class_id = $2)
		    or exists (select 1 from stint where person_id = $1 and class_id = $2)`, person, class)
	return has, err
}
