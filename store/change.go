package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Change is one setting of one person changed.
type Change struct {
	ID         uuid.UUID
	Batch      uuid.UUID  `db:"batch_id"`
	Person     uuid.UUID  `db:"person_id"`
	Employment *uuid.UUID `db:"employment_id"`
	Field      string
	Old        string     `db:"old_value"`
	New        string     `db:"new_value"`
	StartsOn   *when.Date `db:"starts_on"`
	MadeAt     time.Time  `db:"made_at"`
	By         uuid.UUID  `db:"made_by"`
	Undoes     *uuid.UUID
	ByName     string `db:"by_name"`
	Name       string
}

const changeColumns = `c.id, c.batch_id, c.person_id, c.employment_id, c.field, c.old_value, c.new_value, c.starts_on, c.made_at,
	c.made_by, c.undoes,
	b.given_name || ' ' || b.family_name as by_name, p.given_name || ' ' || p.family_name as name
	from change c join person b on b.id = c.made_by join person p on p.id = c.person_id`

// InsertChanges records changes. There is no update and no delete.
func InsertChanges(ctx context.Context, q Q, changes ...Change) error {
	columns := []string{"id", "batch_id", "person_id", "employment_id", "field", "old_value", "new_value", "starts_on", "made_at",
		"made_by", "undoes"}
	return insertRows(ctx, q, "change", columns, "", len(changes), func(i int) []any {
		c := changes[i]
		return []any{c.ID, c.Batch, c.Person, c.Employment, c.Field, c.Old, c.New, nullDate(c.StartsOn), c.MadeAt, c.By, c.Undoes}
	})
}

// ChangesOf lists what was changed of a person, the newest first.
func ChangesOf(ctx context.Context, q Q, person uuid.UUID, limit int) ([]Change, error) {
	var found []Change
	err := q.SelectContext(ctx, &found, `select `+changeColumns+` where c.person_id = $1 order by c.seq desc limit $2`, person, limit)
	return found, err
}

// ChangesIn lists the changes of a batch that nothing has undone, and counts all
// that it has.
func ChangesIn(ctx context.Context, q Q, batch uuid.UUID) (found []Change, all int, err error) {
	if err = q.SelectContext(ctx, &found, `select `+changeColumns+` where c.batch_id = $1
		and not exists (select 1 from change u where u.undoes = c.id) order by c.seq`, batch); err != nil {
		return nil, 0, fmt.Errorf("read a batch of changes: %w", err)
	}
	if err = q.GetContext(ctx, &all, `select count(*) from change where batch_id = $1`, batch); err != nil {
		return nil, 0, fmt.Errorf("count a batch of changes: %w", err)
	}
	return found, all, nil
}

func nullDate(d *when.Date) *string {
	if d == nil {
		return nil
	}
	s := d.String()
	return &s
}
