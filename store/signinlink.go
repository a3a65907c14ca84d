package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// InsertSignInLink keeps a link, by the hash of its token. Links that were
// given before end.
func InsertSignInLink(ctx context.Context, q Q, hash []byte, person, by uuid.UUID, at, expires time.Time) error {
	if err := EndSignInLinks(ctx, q, person, at); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into sign_in_link (token_hash, person_id, made_at, made_by, expires_at)
		values ($1, $2, $3, $4, $5)`, hash, person, at, by, expires)
	return err
}

// EndSignInLinks makes a person's unused links worthless.
func EndSignInLinks(ctx context.Context, q Q, person uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `update sign_in_link set expires_at = $2 where person_id = $1 and used_at is null and expires_at > $2`,
		person, at)
	return err
}

// LinkOf gives whose link it is, as long as it is unused and has not expired.
func LinkOf(ctx context.Context, q Q, hash []byte, now time.Time) (person uuid.UUID, name string, err error) {
	err = q.QueryRowxContext(ctx, `select p.id, p.given_name || ' ' || p.family_name from sign_in_link l join person p on p.id = l.person_id
		where l.token_hash = $1 and l.used_at is null and l.expires_at > $2`, hash, now).Scan(&person, &name)
	return person, name, err
}

// UseLink marks a link as used; it says whether it still could be.
func UseLink(ctx context.Context, q Q, hash []byte, now time.Time) (bool, error) {
	r, err := q.ExecContext(ctx, `update sign_in_link set used_at = $2 where token_hash = $1 and used_at is null and expires_at > $2`, hash,
		now)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}
