package store

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
)

// BadgeHash is what is kept of the text of a card: a hash under a key that never leaves
// the company's records (HMAC-SHA256, RFC 2104).
func BadgeHash(ctx context.Context, q Q, text string) ([]byte, error) {
	var secret []byte
	if err := q.GetContext(ctx, &secret, `select secret from badge_secret`); err != nil {
		return nil, fmt.Errorf("read the key of badges: %w", err)
	}
	h := hmac.New(sha256.New, secret)
	h.Write([]byte(text))
	return h.Sum(nil), nil
}

// BadgeHolder gives whose card has a hash; its error is [NotFound] for nobody's.
func BadgeHolder(ctx context.Context, q Q, hash []byte) (person uuid.UUID, err error) {
	err = q.GetContext(ctx, &person, `select person_id from badge where card_hash = $1`, hash)
	return person, err
}

// LearnBadge keeps a card of somebody by its hash; one that is learnt again stays theirs.
func LearnBadge(ctx context.Context, q Q, person uuid.UUID, hash []byte, by uuid.UUID, at time.Time) error {
	if _, err := q.ExecContext(ctx, `insert into badge (card_hash, person_id, learnt_at, learnt_by) values ($1, $2, $3, $4)
		on conflict (card_hash) do update set learnt_at = excluded.learnt_at, learnt_by = excluded.learnt_by`,
		hash, person, at, by); err != nil {
		return fmt.Errorf("learn a card: %w", err)
	}
	return nil
}

// DropBadges takes all cards of somebody away and gives how many they had.
func DropBadges(ctx context.Context, q Q, person uuid.UUID) (int, error) {
	res, err := q.ExecContext(ctx, `delete from badge where person_id = $1`, person)
	if err != nil {
		return 0, fmt.Errorf("take cards away: %w", err)
	}
	n, err := res.RowsAffected()
	return int(n), err
}

// LastPunch is the latest punch of an employment at an instant; nil for none.
func LastPunch(ctx context.Context, q Q, employment uuid.UUID, at time.Time) (*Punch, error) {
	var r punchRow
	err := q.GetContext(ctx, &r, `select `+punchColumns+` from punch where employment_id = $1 and claimed_at <= $2
		order by claimed_at desc, received_at desc limit 1`, employment, at)
	if NotFound(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the last punch: %w", err)
	}
	p := r.punch()
	return &p, nil
}

// LastWorkAt gives what somebody worked on last at a clock point, of what is open; the
// zero assignment for nothing.
func LastWorkAt(ctx context.Context, q Q, employment, point uuid.UUID) (on clock.Assignment, err error) {
	return workOf(ctx, q, `p.clock_point_id = $2`, employment, point)
}

// LastClass gives the classification in which somebody worked last on a job; the zero id
// for none.
func LastClass(ctx context.Context, q Q, employment, job uuid.UUID) (uuid.UUID, error) {
	on, err := workOf(ctx, q, `p.job_id = $2`, employment, job)
	return on.Class, err
}

func workOf(ctx context.Context, q Q, where string, args ...any) (on clock.Assignment, err error) {
	var row struct {
		Job   uuid.UUID  `db:"job_id"`
		Task  *uuid.UUID `db:"task_id"`
		Class *uuid.UUID `db:"class_id"`
	}
	err = q.GetContext(ctx, &row, `
		select p.job_id, p.task_id, p.class_id from punch p join job j on j.id = p.job_id and j.state = 'open'
		left join task t on t.id = p.task_id
		where p.employment_id = $1 and `+where+` and p.act in ('in', 'switch') and (t.id is null or t.state = 'open')
		order by p.claimed_at desc limit 1`, args...)
	if NotFound(err) {
		return on, nil
	}
	if err != nil {
		return on, fmt.Errorf("read what somebody worked on: %w", err)
	}
	return clock.Assignment{Job: row.Job, Task: IDOrNil(row.Task), Class: IDOrNil(row.Class)}, nil
}
