package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/when"
)

// CardAct is one move on a card, with who made it.
type CardAct struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Move       card.Move
	By         uuid.UUID `db:"by_person"`
	ByName     string    `db:"by_name"`
	MadeAt     time.Time `db:"made_at"`
	Batch      uuid.UUID `db:"batch_id"`
	Reason     string
	Run        *uuid.UUID `db:"run_id"`
}

// Values gives the act in the order of [CardActColumns].
func (a CardAct) Values() []any {
	return []any{a.ID, a.Employment, a.Date.String(), string(a.Move), a.By, a.MadeAt, a.Batch, a.Reason, a.Run}
}

// CardActColumns are the columns of [CardAct.Values], for bulk loading.
var CardActColumns = []string{"id", "employment_id", "date", "move", "by_person", "made_at", "batch_id", "reason", "run_id"}

// InsertCardActs writes moves. There is no update and no delete.
func InsertCardActs(ctx context.Context, q Q, acts []CardAct) error {
	return insertRows(ctx, q, "card_act", CardActColumns, "", len(acts), func(i int) []any { return acts[i].Values() })
}

const cardActs = `select a.id, a.employment_id, a.date, a.move, a.by_person, p.given_name || ' ' || p.family_name as by_name, a.made_at,
	a.batch_id, a.reason, a.run_id
		from card_act a join person p on p.id = a.by_person`

// CardActs reads the moves on a card in order.
func CardActs(ctx context.Context, q Q, employment uuid.UUID, date when.Date) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.employment_id = $1 and a.date = $2 order by a.seq`, employment, date.String())
	return acts, err
}

// CardActsOf reads all moves on the cards of employments from a worked date on,
// in order.
func CardActsOf(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.employment_id = any($1) and a.date >= $2 order by a.seq`, UUIDs(employments),
		from.String())
	return acts, err
}

// UnsignedApprovals reads the approvals since a date of cards of an employment
// that nobody had signed, the newest first.
func UnsignedApprovals(ctx context.Context, q Q, employment uuid.UUID, since when.Date) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` join card c on c.employment_id = a.employment_id and c.date = a.date and not c.signed
		and c.state in ('approved', 'paid')
		where a.employment_id = $1 and a.date >= $2 and a.move = 'approve' and a.reason <> '' order by a.seq desc`,
		employment, since.String())
	return acts, err
}

// Reminders reads, by date, who last asked for the signatures of an employment
// since a date.
func Reminders(ctx context.Context, q Q, employment uuid.UUID, since when.Date) (map[when.Date]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.employment_id = $1 and a.date >= $2 and a.move = 'remind' order by a.seq`,
		employment, since.String())
	last := make(map[when.Date]CardAct, len(acts))
	for _, a := range acts {
		last[a.Date] = a
	}
	return last, err
}

// CardActsBatch reads the moves that were made by one act.
func CardActsBatch(ctx context.Context, q Q, batch uuid.UUID) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.batch_id = $1 order by a.seq`, batch)
	return acts, err
}
