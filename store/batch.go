package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"manudex/core/when"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgtype"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
)

// Tx is the transaction of an act. Beside what any transaction does it sends
// several statements in one round trip: what it is asked together, and writes
// that were kept back until something is read.
type Tx struct {
	*sqlx.Tx
	conn   *sql.Conn
	kept   []Ask
	failed error // of what was kept back; the transaction is lost
}

// Ask is a statement to be sent together with others. Into reads its rows; it
// is nil for a write.
type Ask struct {
	SQL  string
	Args []any
	Into func(pgx.Rows) error
}

// one reads the row of a statement, if there is one, and says so.
func one[T any](found func(T)) func(pgx.Rows) error {
	return func(rows pgx.Rows) error {
		v, err := pgx.CollectOneRow(rows, pgx.RowToStructByNameLax[T])
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		if err == nil {
			found(v)
		}
		return err
	}
}

// Act runs f as [DB.Tx] does, in a transaction that can send statements
// together.
func (db *DB) Act(ctx context.Context, f func(tx *Tx) error) error {
	return db.tries(ctx, func() error {
		conn, err := db.Connx(ctx)
		if err != nil {
			return fmt.Errorf("begin: %w", err)
		}
		defer conn.Close()
		begun, err := conn.BeginTxx(ctx, nil)
		if err != nil {
			return fmt.Errorf("begin: %w", err)
		}
		defer begun.Rollback() // does nothing after a commit
		tx := &Tx{Tx: begun, conn: conn.Conn}
		if err := f(tx); err != nil {
			return err
		}
		if err := tx.Flush(ctx); err != nil {
			return err
		}
		if err := begun.Commit(); err != nil {
			return fmt.Errorf("commit: %w", err)
		}
		return nil
	})
}

// Send sends what was kept back and then the statements given, and reads their
// rows, all in one round trip.
func (tx *Tx) Send(ctx context.Context, asks ...Ask) error {
	asks = append(tx.kept, asks...)
	tx.kept = nil
	if len(asks) == 0 || tx.failed != nil {
		return tx.failed
	}
	var batch pgx.Batch
	for _, a := range asks {
		batch.Queue(a.SQL, a.Args...)
	}
	tx.failed = tx.conn.Raw(func(driver any) error {
		c, ok := driver.(*stdlib.Conn)
		if !ok {
			return fmt.Errorf("the database is reached through %T", driver)
		}
		return readAll(asks, c.Conn().SendBatch(ctx, &batch))
	})
	return tx.failed
}

func readAll(asks []Ask, results pgx.BatchResults) (err error) {
	defer func() { err = errors.Join(err, results.Close()) }()
	for _, a := range asks {
		if a.Into == nil {
			if _, err := results.Exec(); err != nil {
				return err
			}
			continue
		}
		rows, err := results.Query()
		if err == nil {
			err = a.Into(rows)
			rows.Close()
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Flush sends what was kept back.
func (tx *Tx) Flush(ctx context.Context) error { return tx.Send(ctx) }

// Together is the transaction with its writes kept back, to be sent together.
// How many rows they touch is not known.
func (tx *Tx) Together() Q { return together{tx} }

type together struct{ *Tx }

func (t together) ExecContext(_ context.Context, query string, args ...any) (sql.Result, error) {
	t.kept = append(t.kept, Ask{SQL: query, Args: args})
	return unknown{}, nil
}

// unknown is the result of a statement that was not sent yet.
type unknown struct{}

var errUnknown = errors.New("the statement was kept back: its result is not known")

func (unknown) LastInsertId() (int64, error) { return 0, errUnknown }

func (unknown) RowsAffected() (int64, error) { return 0, errUnknown }

// Whatever is read, or written at once, comes after what was kept back.

// ExecContext is that of sqlx.
func (tx *Tx) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	if err := tx.Flush(ctx); err != nil {
		return nil, err
	}
	res, err := tx.Tx.ExecContext(ctx, query, args...)
	return res, failed(err)
}

// QueryContext is that of sqlx.
func (tx *Tx) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	if err := tx.Flush(ctx); err != nil {
		return nil, err
	}
	rows, err := tx.Tx.QueryContext(ctx, query, args...)
	return rows, failed(err)
}

// QueryxContext is that of sqlx.
func (tx *Tx) QueryxContext(ctx context.Context, query string, args ...any) (*sqlx.Rows, error) {
	if err := tx.Flush(ctx); err != nil {
		return nil, err
	}
	rows, err := tx.Tx.QueryxContext(ctx, query, args...)
	return rows, failed(err)
}

// QueryRowxContext is that of sqlx. What was kept back and failed is said by the
// next statement, or by the end.
func (tx *Tx) QueryRowxContext(ctx context.Context, query string, args ...any) *sqlx.Row {
	_ = tx.Flush(ctx) // kept in failed
	return tx.Tx.QueryRowxContext(ctx, query, args...)
}

// GetContext is that of sqlx.
func (tx *Tx) GetContext(ctx context.Context, dest any, query string, args ...any) error {
	if err := tx.Flush(ctx); err != nil {
		return err
	}
	return failed(tx.Tx.GetContext(ctx, dest, query, args...))
}

// SelectContext is that of sqlx.
func (tx *Tx) SelectContext(ctx context.Context, dest any, query string, args ...any) error {
	if err := tx.Flush(ctx); err != nil {
		return err
	}
	return failed(tx.Tx.SelectContext(ctx, dest, query, args...))
}

// Copy writes rows into a table by COPY, for loading many at once.
func (db *DB) Copy(ctx context.Context, table string, columns []string, rows [][]any) error {
	if _, err := db.Pool.CopyFrom(ctx, pgx.Identifier{table}, columns, pgx.CopyFromRows(rows)); err != nil {
		return fmt.Errorf("copy into %s: %w", table, err)
	}
	return nil
}

// Bulk is a connection that loads a world of millions of rows. Where the
// database lets it, no trigger looks at each of them: the rows are the loader's
// own, and foreign keys hold among them.
type Bulk struct{ conn *pgxpool.Conn }

// Bulk opens one; Close gives its connection up.
func (db *DB) Bulk(ctx context.Context) (*Bulk, error) {
	conn, err := db.Pool.Acquire(ctx)
	if err != nil {
		return nil, fmt.Errorf("load: %w", err)
	}
	b := &Bulk{conn}
	for _, set := range []string{`set maintenance_work_mem = '512MB'`, `set synchronous_commit = off`} {
		if err := b.Exec(ctx, set); err != nil {
			b.Close()
			return nil, err
		}
	}
	var denied *pgconn.PgError
	if err := b.Exec(ctx, `set session_replication_role = replica`); err != nil && !errors.As(err, &denied) {
		b.Close()
		return nil, err
	}
	return b, nil
}

// Close ends the connection, which was set up otherwise than those of the pool.
func (b *Bulk) Close() { b.conn.Hijack().Close(context.Background()) }

// Exec runs a statement.
func (b *Bulk) Exec(ctx context.Context, statement string) error {
	if _, err := b.conn.Exec(ctx, statement); err != nil {
		return fmt.Errorf("load: %s: %w", statement, err)
	}
	return nil
}

// Copy writes rows by COPY. It changes the rows: ids and dates are made what
// goes over the wire as it is.
func (b *Bulk) Copy(ctx context.Context, table string, columns []string, rows [][]any) error {
	isDate := make([]bool, len(columns))
	for i, name := range columns {
		isDate[i] = name == "date" || name == "week" || strings.HasSuffix(name, "_date") || strings.HasSuffix(name, "_on")
	}
	for _, row := range rows {
		for i, value := range row {
			switch v := value.(type) {
			case uuid.UUID:
				row[i] = pgtype.UUID{Bytes: v, Valid: true}
			case *uuid.UUID:
				if v != nil {
					row[i] = pgtype.UUID{Bytes: *v, Valid: true}
				}
			case string:
				if d, err := when.ParseDate(v); isDate[i] && err == nil {
					row[i] = pgtype.Date{Time: d.At(0, time.UTC), Valid: true}
				}
			}
		}
	}
	if _, err := b.conn.CopyFrom(ctx, pgx.Identifier{table}, columns, pgx.CopyFromRows(rows)); err != nil {
		return fmt.Errorf("copy into %s: %w", table, err)
	}
	return nil
}

// WithoutIndexes takes the indexes of tables away that no key needs, and
// exclusion constraints, and gives the statements that make them again, by
// table. Made once over all rows they cost a part of what they cost row by row.
func (b *Bulk) WithoutIndexes(ctx context.Context, tables []string) (map[string][]string, error) {
	rows, err := b.conn.Query(ctx, `
		select c.conrelid::regclass::text as of, format('alter table %s drop constraint %I', c.conrelid::regclass, c.conname) as take,
		       format('alter table %s add constraint %I %s', c.conrelid::regclass, c.conname, pg_get_constraintdef(c.oid)) as make
		from pg_constraint c where c.contype = 'x' and c.conrelid::regclass::text = any($1)
		union all
		select i.tablename, format('drop index %I', i.indexname), i.indexdef
		from pg_indexes i where i.tablename = any($1) and i.schemaname = current_schema()
		    and not exists (select 1 from pg_constraint c where c.conname = i.indexname)`, tables)
	if err != nil {
		return nil, fmt.Errorf("load: find indexes: %w", err)
	}
	type index struct{ Of, Take, Make string }
	found, err := pgx.CollectRows(rows, pgx.RowToStructByName[index])
	if err != nil {
		return nil, fmt.Errorf("load: find indexes: %w", err)
	}
	again := map[string][]string{}
	for _, x := range found {
		if err := b.Exec(ctx, x.Take); err != nil {
			return nil, err
		}
		again[x.Of] = append(again[x.Of], x.Make)
	}
	return again, nil
}
