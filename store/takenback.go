package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/when"
)

// TakenBack is what becomes of money that a correction takes back from somebody.
type TakenBack struct {
	ID         uuid.UUID // and that of the batch of adjustments that make up for it
	Group      string    `db:"period_group"`
	From       when.Date `db:"from_date"`
	Employment uuid.UUID `db:"employment_id"`
	Amount     decimal.Decimal
	How        string // "now", in so many "runs", or "not"
	Runs       int
	By         uuid.UUID `db:"by_person"`
	MadeAt     time.Time `db:"made_at"`
}

// InsertTakenBack keeps it, and takes out the adjustments of what was said before.
func InsertTakenBack(ctx context.Context, q Q, b TakenBack) error {
	if _, err := q.ExecContext(ctx, `
		update pay_adjustment set gone_at = $4 where gone_at is null and batch_id in (
			select id from run_taken_back where period_group = $1 and from_date = $2 and employment_id = $3)`, b.Group, b.From.String(),
		b.Employment, b.MadeAt); err != nil {
		return fmt.Errorf("take out what was said before: %w", err)
	}
	if _, err := q.ExecContext(ctx, `
		insert into run_taken_back (id, period_group, from_date, employment_id, amount, how, runs, by_person, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`, b.ID, b.Group, b.From.String(), b.Employment, b.Amount, b.How, b.Runs, b.By,
		b.MadeAt); err != nil {
		return fmt.Errorf("keep what becomes of money that is taken back: %w", err)
	}
	return nil
}

// TakenBacks reads what is said now, by employment, for the run of a group's period.
func TakenBacks(ctx context.Context, q Q, group string, from when.Date) (map[uuid.UUID]TakenBack, error) {
	var rows []TakenBack
	if err := q.SelectContext(ctx, &rows, `
		select distinct on (employment_id) id, period_group, from_date, employment_id, amount, how, runs, by_person, made_at
		from run_taken_back where period_group = $1 and from_date = $2 order by employment_id, seq desc`, group,
		from.String()); err != nil {
		return nil, fmt.Errorf("read what becomes of money that is taken back: %w", err)
	}
	found := make(map[uuid.UUID]TakenBack, len(rows))
	for _, r := range rows {
		found[r.Employment] = r
	}
	return found, nil
}
