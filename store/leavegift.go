package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// LeaveGift is leave that somebody gives a colleague.
type LeaveGift struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"` // who gives
	To         uuid.UUID `db:"to_employment"`
	Kind       uuid.UUID `db:"kind_id"`
	KindName   string    `db:"kind_name"`
	InDays     bool      `db:"in_days"`
	Amount     string
	Note       string
	AskedAt    time.Time `db:"asked_at"`
	Does       string    // "" while nobody has decided it
	Why        string
	FromPerson uuid.UUID `db:"from_person"`
	FromUnit   uuid.UUID `db:"from_unit"`
	FromName   string    `db:"from_name"`
	ToPerson   uuid.UUID `db:"to_person"`
	ToName     string    `db:"to_name"`
}

const leaveGifts = `
	select g.id, g.employment_id, g.to_employment, g.kind_id, k.name as kind_name, k.in_days, g.amount::text as amount, g.note, g.asked_at,
	       coalesce(g.does, '') as does, g.why, e.person_id as from_person, e.unit_id as from_unit,
	       p.given_name || ' ' || p.family_name as from_name, t.person_id as to_person, q.given_name || ' ' || q.family_name as to_name
	from leave_gift g join leave_kind k on k.id = g.kind_id
	join employment e on e.id = g.employment_id join person p on p.id = e.person_id
	join employment t on t.id = g.to_employment join person q on q.id = t.person_id `

// InsertLeaveGift keeps that somebody offers it; offered again under its id it is the same.
func InsertLeaveGift(ctx context.Context, q Q, g LeaveGift) (bool, error) {
	return did(q.ExecContext(ctx, `insert into leave_gift (id, employment_id, to_employment, kind_id, amount, note, asked_at)
		values ($1, $2, $3, $4, $5, $6, $7) on conflict (id) do nothing`, g.ID, g.Employment, g.To, g.Kind, g.Amount, g.Note, g.AskedAt))
}

// GetLeaveGift reads one.
func GetLeaveGift(ctx context.Context, q Q, id uuid.UUID) (g LeaveGift, err error) {
	err = q.GetContext(ctx, &g, leaveGifts+`where g.id = $1`, id)
	return g, err
}

// OpenGifts lists those that nobody has decided, the oldest first; of some crews, of all with nil.
func OpenGifts(ctx context.Context, q Q, units []uuid.UUID) ([]LeaveGift, error) {
	w := among()
	w.plain(`g.does is null`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []LeaveGift
	if err := q.SelectContext(ctx, &found, leaveGifts+w.sql()+` order by g.asked_at, g.id limit 200`, w.args...); err != nil {
		return nil, fmt.Errorf("read what leave is given: %w", err)
	}
	return found, nil
}

// GiftsOf lists what somebody offers, or is decided of what they gave since a date.
func GiftsOf(ctx context.Context, q Q, employment uuid.UUID, since time.Time) ([]LeaveGift, error) {
	var found []LeaveGift
	if err := q.SelectContext(ctx, &found, leaveGifts+`where g.employment_id = $1 and (g.does is null or g.done_at >= $2)
		order by g.asked_at desc, g.id`, employment, since); err != nil {
		return nil, fmt.Errorf("read what leave somebody gives: %w", err)
	}
	return found, nil
}

// DecideLeaveGift keeps what becomes of one.
func DecideLeaveGift(ctx context.Context, q Q, id uuid.UUID, does, why string, on when.Date, by uuid.UUID, now time.Time) error {
	_, err := q.ExecContext(ctx, `update leave_gift set does = $2, why = $3, done_on = $4, done_by = $5, done_at = $6 where id = $1`,
		id, does,
		why, on.String(), by, now)
	return err
}
