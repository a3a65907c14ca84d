package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// InsertSignInLinks keeps links, by the hashes of their tokens, each of a person.
// Links that were given before end.
func InsertSignInLinks(ctx context.Context, q Q, hashes [][]byte, people []uuid.UUID, by uuid.UUID, at, expires time.Time) error {
	if err := EndSignInLinks(ctx, q, people, at); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into sign_in_link (token_hash, person_id, made_at, made_by, expires_at)
		select x.hash, x.person, $3, $4, $5 from unnest($1::bytea[], $2::uuid[]) x(hash, person)`,
		hashes, UUIDs(people), at, by, expires)
	return err
}

// InsertSignInLink keeps the link of one person, as [InsertSignInLinks] does.
func InsertSignInLink(ctx context.Context, q Q, hash []byte, person, by uuid.UUID, at, expires time.Time) error {
	return InsertSignInLinks(ctx, q, [][]byte{hash}, []uuid.UUID{person}, by, at, expires)
}

// EndSignInLinks makes people's unused links worthless.
func EndSignInLinks(ctx context.Context, q Q, people []uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `update sign_in_link set expires_at = $2
		where person_id = any($1) and used_at is null and expires_at > $2`, UUIDs(people), at)
	return err
}

// LinkOf gives whose link it is, as long as it is unused and has not expired.
func LinkOf(ctx context.Context, q Q, hash []byte, now time.Time) (person uuid.UUID, name string, err error) {
	err = q.QueryRowxContext(ctx, `select p.id, p.given_name || ' ' || p.family_name from sign_in_link l join person p on p.id = l.person_id
		where l.token_hash = $1 and l.used_at is null and l.expires_at > $2`, hash, now).Scan(&person, &name)
	return person, name, err
}

// LinksThatHold says whose unused links are among those of some hashes.
func LinksThatHold(ctx context.Context, q Q, hashes [][]byte, now time.Time) (map[uuid.UUID]bool, error) {
	var people []uuid.UUID
	err := q.SelectContext(ctx, &people, `select person_id from sign_in_link
		where token_hash = any($1) and used_at is null and expires_at > $2`, hashes, now)
	holds := map[uuid.UUID]bool{}
	for _, p := range people {
		holds[p] = true
	}
	return holds, err
}

// GivenLink is a link that was given to somebody.
type GivenLink struct {
	MadeAt  time.Time  `db:"made_at"`
	Expires time.Time  `db:"expires_at"`
	UsedAt  *time.Time `db:"used_at"`
}

// LastLink reads the link that a person was given last, nil for none.
func LastLink(ctx context.Context, q Q, person uuid.UUID) (*GivenLink, error) {
	var l GivenLink
	err := q.GetContext(ctx, &l, `select made_at, expires_at, used_at from sign_in_link where person_id = $1
		order by made_at desc, used_at is null desc, expires_at desc limit 1`, person)
	if NotFound(err) {
		return nil, nil
	}
	return &l, err
}

// UseLink marks a link as used; it says whether it still could be.
func UseLink(ctx context.Context, q Q, hash []byte, now time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update sign_in_link set used_at = $2 where token_hash = $1 and used_at is null and expires_at > $2`,
		hash, now))
}
