package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Erasure is what was erased one night because it was due.
type Erasure struct {
	ID     uuid.UUID
	MadeAt time.Time `db:"made_at"`
	Kind   string    // "people", "places", "files" or "links"
	N      int
	Upto   when.Date // what is older than this
}

// PutErasure keeps what was erased.
func PutErasure(ctx context.Context, q Q, e Erasure) error {
	_, err := q.ExecContext(ctx, `insert into erasure (id, made_at, kind, n, upto) values ($1, $2, $3, $4, $5)`,
		e.ID, e.MadeAt, e.Kind, e.N, e.Upto.String())
	return err
}

// Erasures lists what was erased last, the newest first.
func Erasures(ctx context.Context, q Q, most int) ([]Erasure, error) {
	var found []Erasure
	if err := q.SelectContext(ctx, &found, `select * from erasure order by made_at desc, kind limit $1`, most); err != nil {
		return nil, fmt.Errorf("read what was erased: %w", err)
	}
	return found, nil
}

// duePlaces are the conditions of a place of an employment and an instant (columns
// named in it) that is due: its day is in a run closed before $1 and nothing of it
// waits to be approved or paid, or it is older than $2 in any case.
func duePlaces(employment, at string) string {
	return ` ((` + at + ` at time zone (select zone from company))::date < $2 or exists (
		select 1 from run r where (` + at + ` at time zone (select zone from company))::date between r.from_date and r.to_date
		and r.closed_at < $1) and not exists (
		select 1 from card c where c.employment_id = ` + employment + ` and c.state <> 'paid' and c.worked > 0
		and c.date between (` + at + ` at time zone (select zone from company))::date - 1
		and (` + at + ` at time zone (select zone from company))::date)) `
}

// ErasePlaces takes away where people were, as far as it is due: of days in runs
// closed before an instant, and of all days before a date; at most so many rows of
// each table. It gives how many rows lost their place.
func ErasePlaces(ctx context.Context, q Q, closed time.Time, before when.Date, most int) (n int, err error) {
	if _, err := q.ExecContext(ctx, `select set_config('manudex.erasing', 'due', true)`); err != nil {
		return 0, fmt.Errorf("erase places: %w", err)
	}
	for _, statement := range []string{
		`delete from place_seen where id in (select id from place_seen p where ` + duePlaces("p.employment_id", "p.at") + ` limit $3)`,
		`update punch set lat = null, lon = null where id in (select id from punch p where p.lat is not null and ` +
			duePlaces("p.employment_id", "p.claimed_at") + ` limit $3)`,
	} {
		res, err := q.ExecContext(ctx, statement, closed, before.String(), most)
		if err != nil {
			return 0, fmt.Errorf("erase places: %w", err)
		}
		some, err := res.RowsAffected()
		if err != nil {
			return 0, err
		}
		n += int(some)
	}
	_, err = q.ExecContext(ctx, `select set_config('manudex.erasing', '', true)`)
	return n, err
}

// LeftBefore lists those whose last day was before a date and who are not erased
// yet, the longest gone first.
func LeftBefore(ctx context.Context, q Q, date when.Date, most int) ([]uuid.UUID, error) {
	ids := []uuid.UUID{}
	if err := q.SelectContext(ctx, &ids, `
		select p.id from person p left join lateral (
			select max(coalesce(ends_on, 'infinity')) as last from employment where person_id = p.id) e on true
		where p.erased_at is null and not p.sample and least(p.ended_on, e.last) < $1
		order by least(p.ended_on, e.last) limit $2`, date.String(), most); err != nil {
		return nil, fmt.Errorf("read who left long ago: %w", err)
	}
	return ids, nil
}

// EraseFiles takes away the rows of files that were brought in before an instant,
// links to sign in that ended before it, and what people were told before it. What came in
// by them stays.
func EraseFiles(ctx context.Context, q Q, before time.Time) (files, links int, err error) {
	var notices, messages int
	for statement, n := range map[string]*int{
		`delete from notice where made_at < $1`: &notices,
		`delete from message where made_at < $1 and not exists (select from notice_way w where w.message_id = message.id)`: &messages,
		`delete from import where made_at < $1`:                                                 &files,
		`delete from sign_in_link where coalesce(used_at, expires_at) < $1 and expires_at < $1`: &links,
	} {
		res, err := q.ExecContext(ctx, statement, before)
		if err != nil {
			return 0, 0, fmt.Errorf("erase files: %w", err)
		}
		some, err := res.RowsAffected()
		if err != nil {
			return 0, 0, err
		}
		*n = int(some)
	}
	return files, links, nil
}
