package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// Sealable is a row of the audit list as it is sealed, with what may be erased of
// it.
type Sealable struct {
	Seq    int64
	MadeAt time.Time  `db:"made_at"`
	Person *uuid.UUID `db:"person_id"`
	Act    string
	Name   string
	About  *uuid.UUID
	Detail string
	Old    string `db:"old_value"`
	New    string `db:"new_value"`
	Batch  int64  // of a sealed one
	Salt   []byte // nil: what may be erased was
	Digest []byte // of it, as it was sealed
}

// Seal is a sealed batch.
type Seal struct {
	Batch  int64
	MadeAt time.Time `db:"made_at"`
	Rows   int
	Digest []byte
}

const sealable = `a.seq, a.made_at, a.person_id, a.act, a.name, a.about, a.detail::text as detail,
	coalesce(c.old_value, '') as old_value, coalesce(c.new_value, '') as new_value`

// sealing is the advisory lock of who seals.
const sealing = 0x6d616e77

// LockSealing has one transaction at a time seal.
func LockSealing(ctx context.Context, q Q) error {
	_, err := q.ExecContext(ctx, `select pg_advisory_xact_lock($1)`, sealing)
	return err
}

// Unsealed reads rows that are not sealed yet, of transactions that are finished,
// in order, and up to which transaction they reach. Transactions of a server
// that the database was restored from are finished, whatever their numbers.
func Unsealed(ctx context.Context, q Q, limit int) (rows []Sealable, upto string, err error) {
	if err = q.GetContext(ctx, &upto, `select pg_snapshot_xmin(pg_current_snapshot())::text`); err != nil {
		return nil, "", fmt.Errorf("read which transactions are finished: %w", err)
	}
	err = q.SelectContext(ctx, &rows, `
		with done as (select coalesce((select upto from audit_seal order by batch desc limit 1), '0'::xid8) as upto,
		                     pg_snapshot_xmax(pg_current_snapshot()) as next)
		select `+sealable+` from done, audit a left join change c on c.id = (a.detail ->> 'change')::uuid
		where (a.txid >= done.upto or done.upto > done.next) and (a.txid < $1::xid8 or a.txid >= done.next)
		  and not exists (select 1 from audit_leaf l where l.seq = a.seq)
		order by a.seq limit $2`, upto, limit)
	if err != nil {
		return nil, "", fmt.Errorf("read what is not sealed: %w", err)
	}
	return rows, upto, nil
}

// LastSeal reads the newest seal, a zero one where there is none.
func LastSeal(ctx context.Context, q Q) (Seal, error) {
	var s Seal
	err := q.GetContext(ctx, &s, `select batch, made_at, rows, digest from audit_seal order by batch desc limit 1`)
	if NotFound(err) {
		return Seal{}, nil
	}
	return s, err
}

// SealOf reads the seal of a digest.
func SealOf(ctx context.Context, q Q, digest []byte) (Seal, error) {
	var s Seal
	err := q.GetContext(ctx, &s, `select batch, made_at, rows, digest from audit_seal where digest = $1`, digest)
	return s, err
}

// PutSeal keeps a seal with the digests of its rows. Where upto is "", rows of
// finished transactions are left.
func PutSeal(ctx context.Context, q Q, s Seal, upto string, seqs []int64, salts, digests [][]byte) error {
	if _, err := q.ExecContext(ctx, `insert into audit_seal (batch, made_at, rows, digest, upto) values ($1, $2, $3, $4,
		case when $5 = '' then coalesce((select upto from audit_seal order by batch desc limit 1), '0'::xid8) else $5::xid8 end)`,
		s.Batch, s.MadeAt, s.Rows, s.Digest, upto); err != nil {
		return fmt.Errorf("keep a seal: %w", err)
	}
	if _, err := q.ExecContext(ctx, `insert into audit_leaf (seq, batch, salt, digest)
		select x.seq, $4, x.salt, x.digest from unnest($1::bigint[], $2::bytea[], $3::bytea[]) x(seq, salt, digest)`,
		seqs, salts, digests, s.Batch); err != nil {
		return fmt.Errorf("keep what was sealed: %w", err)
	}
	return nil
}

// Seals reads the seals in order.
func Seals(ctx context.Context, q Q) ([]Seal, error) {
	var found []Seal
	if err := q.SelectContext(ctx, &found, `select batch, made_at, rows, digest from audit_seal order by batch`); err != nil {
		return nil, fmt.Errorf("read seals: %w", err)
	}
	return found, nil
}

// Sealed reads the rows of some batches, in order.
func Sealed(ctx context.Context, q Q, from, to int64) ([]Sealable, error) {
	var found []Sealable
	if err := q.SelectContext(ctx, &found, `
		select l.seq, coalesce(a.made_at, 'epoch') as made_at, a.person_id, coalesce(a.act, '') as act, coalesce(a.name, '') as name,
			a.about,
		       coalesce(a.detail::text, '') as detail, coalesce(c.old_value, '') as old_value, coalesce(c.new_value, '') as new_value,
		       l.batch, l.salt, l.digest
		from audit_leaf l left join audit a on a.seq = l.seq left join change c on c.id = (a.detail ->> 'change')::uuid
		where l.batch between $1 and $2 order by l.batch, l.seq`, from, to); err != nil {
		return nil, fmt.Errorf("read what was sealed: %w", err)
	}
	return found, nil
}

// eraseAudit erases what names somebody in the rows about them.
const eraseAudit = `update audit set detail = '{"erased": true}' where $2::timestamptz is not null
	and about in (select $1::uuid union select id from employment where person_id = $1)
	and detail ?| array['from', 'to', 'why', 'objected', 'answered', 'name', 'words']`

// unsalt takes the salts off what was sealed about somebody: nobody can try any
// more what it was.
const unsalt = `update audit_leaf l set salt = null from audit a where a.seq = l.seq and $2::timestamptz is not null and l.salt is not null
	and a.about in (select $1::uuid union select id from employment where person_id = $1)`
