package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Photo is a picture on a card. Bytes is how large it is; the picture itself is read by
// [PhotoOf].
type Photo struct {
	ID            uuid.UUID
	Employment    uuid.UUID `db:"employment_id"`
	Date          when.Date
	At            time.Time
	Expense       *uuid.UUID `db:"expense_id"` // whose receipt it is
	Width, Height int
	Bytes         int
	By            uuid.UUID `db:"by_person"`
	ByName        string    `db:"by_name"`
	MadeAt        time.Time `db:"made_at"`
}

// InsertPhoto keeps a picture; sent again under the same id it stays one.
func InsertPhoto(ctx context.Context, q Q, p Photo, jpeg []byte) error {
	if _, err := q.ExecContext(ctx, `
		insert into photo (id, employment_id, date, at, expense_id, width, height, jpeg, by_person, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict (id) do nothing`,
		p.ID, p.Employment, p.Date.String(), p.At, p.Expense, p.Width, p.Height, jpeg, p.By, p.MadeAt); err != nil {
		return fmt.Errorf("keep a photo: %w", err)
	}
	return nil
}

// Photos lists the pictures on a card in order.
func Photos(ctx context.Context, q Q, employment uuid.UUID, date when.Date) ([]Photo, error) {
	var found []Photo
	if err := q.SelectContext(ctx, &found, `
		select f.id, f.employment_id, f.date, f.at, f.expense_id, f.width, f.height, length(f.jpeg) as bytes, f.by_person, f.made_at,
		       p.given_name || ' ' || p.family_name as by_name
		from photo f join person p on p.id = f.by_person where f.employment_id = $1 and f.date = $2 order by f.made_at, f.id`,
		employment, date.String()); err != nil {
		return nil, fmt.Errorf("read photos: %w", err)
	}
	return found, nil
}

// CountPhotos counts the pictures on a card.
func CountPhotos(ctx context.Context, q Q, employment uuid.UUID, date when.Date) (n int, err error) {
	if err = q.GetContext(ctx, &n, `select count(*) from photo where employment_id = $1 and date = $2`, employment,
		date.String()); err != nil {
		return 0, fmt.Errorf("count photos: %w", err)
	}
	return n, nil
}

// PhotoOf reads a picture on a card.
func PhotoOf(ctx context.Context, q Q, employment uuid.UUID, date when.Date, id uuid.UUID) (jpeg []byte, err error) {
	err = q.GetContext(ctx, &jpeg, `select jpeg from photo where id = $1 and employment_id = $2 and date = $3`, id, employment,
		date.String())
	return jpeg, err
}
