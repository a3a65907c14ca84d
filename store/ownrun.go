package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// PreparedRun is a run for chosen people up to a day that isn't closed yet.
type PreparedRun struct {
	ID     uuid.UUID
	Group  string    `db:"period_group"`
	To     when.Date `db:"to_date"`
	Final  bool      // they have left: premiums are paid before their week ends
	Why    string
	By     uuid.UUID `db:"by_person"`
	ByName string    `db:"by_name"`
	MadeAt time.Time `db:"made_at"`
	Of     UUIDs     // employments
	People string    // their names
}

const preparedRuns = `
	select o.id, o.period_group, o.to_date, o.final, o.why, o.by_person, b.given_name || ' ' || b.family_name as by_name, o.made_at,
	       array_agg(x.employment_id order by x.employment_id)::text as of,
	       string_agg(p.given_name || ' ' || p.family_name, ', ' order by p.family_name, p.given_name) as people
	from own_run o join person b on b.id = o.by_person join own_run_person x on x.own_id = o.id
	join employment e on e.id = x.employment_id join person p on p.id = e.person_id
	where o.gone_at is null `

// PreparedRuns lists those of a group, the oldest first.
func PreparedRuns(ctx context.Context, q Q, group string) ([]PreparedRun, error) {
	var found []PreparedRun
	if err := q.SelectContext(ctx, &found, preparedRuns+`and o.period_group = $1 group by o.id, b.id order by o.made_at`,
		group); err != nil {
		return nil, fmt.Errorf("read runs that were prepared: %w", err)
	}
	return found, nil
}

// GetPreparedRun reads one.
func GetPreparedRun(ctx context.Context, q Q, id uuid.UUID) (o PreparedRun, err error) {
	err = q.GetContext(ctx, &o, preparedRuns+`and o.id = $1 group by o.id, b.id`, id)
	return o, err
}

// InsertPreparedRun keeps one.
func InsertPreparedRun(ctx context.Context, q Q, o PreparedRun) error {
	if _, err := q.ExecContext(ctx, `
		with made as (insert into own_run (id, period_group, to_date, final, why, by_person, made_at) values ($1, $2, $3, $4, $5, $6, $7))
		insert into own_run_person select $1, unnest($8::uuid[])`, o.ID, o.Group, o.To.String(), o.Final, o.Why, o.By, o.MadeAt,
		o.Of); err != nil {
		return fmt.Errorf("keep a run that was prepared: %w", err)
	}
	return nil
}

// EndPreparedRun says that one was closed as a run, or, without one, given up.
func EndPreparedRun(ctx context.Context, q Q, id uuid.UUID, run *uuid.UUID, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update own_run set gone_at = $2, run_id = $3 where id = $1 and gone_at is null`, id, at, run))
}
