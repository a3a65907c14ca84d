package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// How many wrong PINs somebody may type, anywhere, before they wait, and how long.
const (
	mostWrongPINs = 5
	pinWait       = time.Minute
)

// PINTry is what is known of the PINs that were typed for somebody.
type PINTry struct {
	Hash       string     // of the right one, "" where they have none
	Wrong      int        // this one counted, until it proves right
	WaitsUntil *time.Time `db:"waits_until"`
}

// Waits says whether they must wait: this one isn't looked at.
func (p PINTry) Waits() bool { return p.Wrong > mostWrongPINs }

// TryPIN counts a PIN that is typed for somebody as wrong, before it is looked at: however
// many are tried at once, five are, and then none for a minute.
func TryPIN(ctx context.Context, q Q, person, point uuid.UUID, now time.Time) (PINTry, error) {
	var try PINTry
	err := q.GetContext(ctx, &try, `
		with counted as (
			insert into pin_try as t (person_id, wrong, point_id, at) values ($1, 1, $2, $3)
			on conflict (person_id) do update set point_id = $2, at = $3,
				wrong = case when t.waits_until <= $3 then 1 else t.wrong + 1 end,
				waits_until = case when t.waits_until <= $3 then null
				                   when t.wrong + 1 = $4 then $3::timestamptz + $5::interval else t.waits_until end
			returning wrong, waits_until)
		select coalesce(p.pin_hash, '') as hash, c.wrong, c.waits_until from counted c, person p where p.id = $1`,
		person, point, now, mostWrongPINs, pinWait.String())
	if err != nil {
		return try, fmt.Errorf("count a PIN: %w", err)
	}
	return try, nil
}

// RightPIN forgets what was typed wrong for somebody.
func RightPIN(ctx context.Context, q Q, person uuid.UUID) error {
	_, err := q.ExecContext(ctx, `delete from pin_try where person_id = $1`, person)
	return err
}

// AskPIN keeps that somebody asks for a new PIN, and where.
func AskPIN(ctx context.Context, q Q, person, point uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `insert into pin_ask (person_id, point_id, asked_at) values ($1, $2, $3)
		on conflict (person_id) do update set point_id = excluded.point_id, asked_at = excluded.asked_at`, person, point, at)
	return err
}

// PINTrouble is somebody who asks for a new PIN, or for whom wrong ones were typed.
type PINTrouble struct {
	Person    uuid.UUID `db:"person_id"`
	Unit      uuid.UUID `db:"unit_id"`
	Given     string    `db:"given_name"`
	Family    string    `db:"family_name"`
	PointName string    `db:"point_name"`
	Zone      string
	Asks      bool
	At        time.Time
}

// PINTroubles lists them since an instant, the newest first.
func PINTroubles(ctx context.Context, q Q, since time.Time) ([]PINTrouble, error) {
	var found []PINTrouble
	if err := q.SelectContext(ctx, &found, `
		select x.person_id, e.unit_id, p.given_name, p.family_name, c.name as point_name, s.zone, x.asks, x.at
		from (select person_id, point_id, true as asks, asked_at as at from pin_ask
		      union all
		      select person_id, point_id, false, at from pin_try where waits_until is not null and point_id is not null) x
		join person p on p.id = x.person_id join clock_point c on c.id = x.point_id join site s on s.id = c.site_id
		join lateral (select unit_id from employment where person_id = p.id order by ends_on is not null, starts_on desc limit 1) e on true
		where x.at > $1 order by x.at desc, p.family_name limit 20`, since); err != nil {
		return nil, fmt.Errorf("read who has trouble with their PIN: %w", err)
	}
	return found, nil
}

// EndPINTroubles forgets them of some people, who were given new PINs.
func EndPINTroubles(ctx context.Context, q Q, people []uuid.UUID) error {
	for _, table := range []string{"pin_ask", "pin_try"} {
		if _, err := q.ExecContext(ctx, `delete from `+table+` where person_id = any($1)`, UUIDs(people)); err != nil {
			return fmt.Errorf("end trouble with PINs: %w", err)
		}
	}
	return nil
}

// PutPINs keeps the PINs of people by their hashes, in the same order.
func PutPINs(ctx context.Context, q Q, people []uuid.UUID, hashes []string) error {
	if _, err := q.ExecContext(ctx, `update person p set pin_hash = w.hash
		from unnest($1::uuid[], $2::text[]) w(id, hash) where w.id = p.id`, UUIDs(people), hashes); err != nil {
		return fmt.Errorf("keep PINs: %w", err)
	}
	return nil
}

// TerminalSecret gives what is typed at terminals is sealed to, as PKCS #8: made is kept
// where there is none yet.
func TerminalSecret(ctx context.Context, q Q, made func() ([]byte, error), at time.Time) (private []byte, err error) {
	err = q.GetContext(ctx, &private, `select private from terminal_secret`)
	if !NotFound(err) {
		return private, err
	}
	fresh, err := made()
	if err != nil {
		return nil, err
	}
	if _, err := q.ExecContext(ctx, `insert into terminal_secret (private, made_at) values ($1, $2) on conflict do nothing`, fresh,
		at); err != nil {
		return nil, fmt.Errorf("keep the secret of terminals: %w", err)
	}
	err = q.GetContext(ctx, &private, `select private from terminal_secret`) // another node may have been first
	return private, err
}
