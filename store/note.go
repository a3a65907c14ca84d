package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Note is a remark on a card.
type Note struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	By         uuid.UUID `db:"by_person"`
	ByName     string    `db:"by_name"`
	MadeAt     time.Time `db:"made_at"`
	Body       string
}

// InsertNote writes a remark; sent again under the same id it stays one.
func InsertNote(ctx context.Context, q Q, n Note) error {
	_, err := q.ExecContext(ctx, `insert into note (id, employment_id, date, by_person, made_at, body) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do nothing`,
		n.ID, n.Employment, n.Date.String(), n.By, n.MadeAt, n.Body)
	return err
}

// Notes reads the remarks on a card in order.
func Notes(ctx context.Context, q Q, employment uuid.UUID, date when.Date) ([]Note, error) {
	var notes []Note
	err := q.SelectContext(ctx, &notes, `
		select n.id, n.employment_id, n.date, n.by_person, p.given_name || ' ' || p.family_name as by_name, n.made_at, n.body
		from note n join person p on p.id = n.by_person where n.employment_id = $1 and n.date = $2
		order by n.made_at, n.id`, employment, date.String())
	return notes, err
}
