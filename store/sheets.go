package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// SignedCard is who signed a card last, and when.
type SignedCard struct {
	Employment uuid.UUID `db:"employment_id"`
	ByName     string    `db:"by_name"`
	MadeAt     time.Time `db:"made_at"`
}

// SignedOn gives who signed each card of a date that is signed, by employment.
func SignedOn(ctx context.Context, q Q, date when.Date) (map[uuid.UUID]SignedCard, error) {
	var rows []SignedCard
	if err := q.SelectContext(ctx, &rows, `
		select distinct on (a.employment_id) a.employment_id, p.given_name || ' ' || p.family_name as by_name, a.made_at
		from card c join card_act a on a.employment_id = c.employment_id and a.date = c.date and a.move = 'sign'
		join person p on p.id = a.by_person where c.date = $1 and c.signed order by a.employment_id,
			a.seq desc`, date.String()); err != nil {
		return nil, fmt.Errorf("read who signed: %w", err)
	}
	signed := make(map[uuid.UUID]SignedCard, len(rows))
	for _, r := range rows {
		signed[r.Employment] = r
	}
	return signed, nil
}

// TaskUse is a task with what was used of its estimate, in seconds; an estimate
// of 0 is none.
type TaskUse struct {
	ID             uuid.UUID
	Name           string
	Estimate, Used int64
}

// TaskUses reads what was used of some tasks.
func TaskUses(ctx context.Context, q Q, ids []uuid.UUID) (map[uuid.UUID]TaskUse, error) {
	var rows []TaskUse
	if err := q.SelectContext(ctx, &rows, `
		select t.id, t.name, coalesce(t.estimate_seconds, 0) as estimate,
		       coalesce((select sum(h.seconds) from hours h where h.job_id = t.job_id and h.task_id = t.id and h.kind = 'work'), 0) as used
		from task t where t.id = any($1)`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read what is left of tasks: %w", err)
	}
	uses := make(map[uuid.UUID]TaskUse, len(rows))
	for _, r := range rows {
		uses[r.ID] = r
	}
	return uses, nil
}
