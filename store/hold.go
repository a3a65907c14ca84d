package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// Hold is somebody looking at a card.
type Hold struct {
	EmploymentDate
	By     uuid.UUID `db:"by_person"`
	ByName string    `db:"by_name"`
	Since  time.Time
}

// HoldLasts is how long a hold lasts that nobody releases.
const HoldLasts = 25 * time.Minute

// TakeHold marks a card as looked at. A hold that is there is taken over.
func TakeHold(ctx context.Context, q Q, h Hold) error {
	if _, err := q.ExecContext(ctx, `insert into card_hold (employment_id, date, by_person, since) values ($1, $2, $3, $4)
		on conflict (employment_id, date) do update set by_person = excluded.by_person, since = excluded.since`,
		h.Employment, h.Date.String(), h.By, h.Since); err != nil {
		return fmt.Errorf("hold a card: %w", err)
	}
	return nil
}

// ReleaseHolds takes holds off cards.
func ReleaseHolds(ctx context.Context, q Q, cards []EmploymentDate) error {
	employments, on := cardArrays(cards)
	if _, err := q.ExecContext(ctx, `delete from card_hold h using `+ofCards+` where h.employment_id = w.employment_id and h.date = w.date`,
		employments, on); err != nil {
		return fmt.Errorf("release cards: %w", err)
	}
	return nil
}

// Holds lists the holds on some cards that have not lapsed.
func Holds(ctx context.Context, q Q, cards []EmploymentDate, now time.Time) ([]Hold, error) {
	employments, on := cardArrays(cards)
	var found []Hold
	if err := q.SelectContext(ctx, &found, `
		select h.employment_id, h.date, h.by_person, h.since, p.given_name || ' ' || p.family_name as by_name
		from `+ofCards+` join card_hold h on h.employment_id = w.employment_id and h.date = w.date
		join person p on p.id = h.by_person where h.since > $3 order by h.date`, employments, on, now.Add(-HoldLasts)); err != nil {
		return nil, fmt.Errorf("read who holds cards: %w", err)
	}
	return found, nil
}
