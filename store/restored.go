package store

import (
	"context"
	"fmt"
	"path"
	"strconv"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
)

// SchemaVersion reads which version the database has.
func SchemaVersion(ctx context.Context, q Q) (v int64, err error) {
	err = q.GetContext(ctx, &v, `select coalesce(max(version_id), 0) from goose_db_version where is_applied`)
	return v, err
}

// NewestSchema is the version that [DB.Migrate] brings a database to.
func NewestSchema() (newest int64) {
	files, err := migrations.ReadDir("migrations")
	if err != nil {
		return 0
	}
	for _, f := range files {
		number, _, _ := strings.Cut(path.Base(f.Name()), "_")
		if v, err := strconv.ParseInt(number, 10, 64); err == nil {
			newest = max(newest, v)
		}
	}
	return newest
}

// IsEmpty says whether a database has no table.
func IsEmpty(ctx context.Context, q Q) (empty bool, err error) {
	err = q.GetContext(ctx, &empty, `select not exists (select 1 from pg_tables where schemaname = 'public')`)
	return empty, err
}

// EndAllWaysIn makes every session, link and known browser worthless, after the
// database was brought back from a copy: what was taken away since the copy was made
// must not work again. Passwords stay.
func EndAllWaysIn(ctx context.Context, db *DB, now, made time.Time) error {
	return db.Tx(ctx, func(tx *sqlx.Tx) error {
		for _, statement := range []string{
			`delete from sessions where $1::timestamptz is not null`,
			`update person set session_epoch = session_epoch + 1 where $1::timestamptz is not null`,
			`update sign_in_link set expires_at = least(expires_at, $1)`,
			`update customer_link set taken_at = $1 where taken_at is null`,
			`delete from device where $1::timestamptz is not null`,
		} {
			if _, err := tx.ExecContext(ctx, statement, now); err != nil {
				return fmt.Errorf("end the ways in: %w", err)
			}
		}
		return InsertAudits(ctx, tx, Audit{MadeAt: now, Act: "self",
			Detail: map[string]any{"restored": "from the backup of " + made.UTC().Format("2006-01-02 15:04 MST")}})
	})
}
