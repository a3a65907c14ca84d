// Package store keeps Manudex's records in PostgreSQL. One file per
// aggregate, SQL written as SQL; rows go in and out as the values of core.
//
// Functions take a [Q], which a database and a transaction both are, so the
// caller decides what belongs together.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jackc/puddle/v2"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// DB is the database: one pool of connections, seen through sqlx for the
// application and directly for LISTEN, COPY and the session store.
type DB struct {
	*sqlx.DB
	Pool *pgxpool.Pool
}

// Q is a database or a transaction.
type Q interface {
	sqlx.ExtContext
	GetContext(ctx context.Context, dest any, query string, args ...any) error
	SelectContext(ctx context.Context, dest any, query string, args ...any) error
}

// Opening says how connections are opened; the zero value is right for tools.
type Opening struct {
	Tracer    pgx.QueryTracer // is told of every statement
	Statement time.Duration   // the longest that a statement may take; 0 for any
}

// Open connects to the server of dsn, a PostgreSQL connection string.
func Open(ctx context.Context, dsn string) (*DB, error) { return OpenWith(ctx, dsn, Opening{}) }

// OpenWith connects as [Open] does, in a way of its own.
func OpenWith(ctx context.Context, dsn string, o Opening) (*DB, error) {
	cfg, err := pgxpool.ParseConfig(dsn)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	cfg.ConnConfig.RuntimeParams["timezone"] = "UTC"
	cfg.ConnConfig.RuntimeParams["application_name"] = "manudex"
	cfg.ConnConfig.Tracer = o.Tracer
	if o.Statement > 0 {
		limit := fmt.Sprint(o.Statement.Milliseconds())
		cfg.ConnConfig.RuntimeParams["statement_timeout"] = limit
		cfg.ConnConfig.RuntimeParams["idle_in_transaction_session_timeout"] = limit
	}
	if !strings.Contains(dsn, "pool_max_conns") {
		// A punch waits for the disk most of its time: a connection for each
		// core, the pool's own default, leaves the server idle.
		cfg.MaxConns = 20
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("reach the database: %w; is the server running and MANUDEX_DATABASE right?", err)
	}
	db := stdlib.OpenDBFromPool(pool)
	return &DB{DB: sqlx.NewDb(db, "pgx"), Pool: pool}, nil
}

// Close ends all connections.
func (db *DB) Close() {
	db.DB.Close()
	db.Pool.Close()
}

// Migrate brings the schema to the newest version.
func (db *DB) Migrate(ctx context.Context) error {
	return db.migrate(func() error { return goose.UpContext(ctx, db.DB.DB, "migrations") })
}

// MigrateTo takes the schema back to a version.
func (db *DB) MigrateTo(ctx context.Context, version int64) error {
	return db.migrate(func() error { return goose.DownToContext(ctx, db.DB.DB, "migrations", version) })
}

func (db *DB) migrate(how func() error) error {
	goose.SetBaseFS(migrations)
	goose.SetLogger(gooseLog{})
	if err := goose.SetDialect("postgres"); err != nil {
		return err
	}
	if err := how(); err != nil {
		return fmt.Errorf("migrate the database: %w", err)
	}
	return nil
}

type gooseLog struct{}

func (gooseLog) Printf(format string, v ...any) { slog.Debug(fmt.Sprintf(format, v...)) }

func (gooseLog) Fatalf(format string, v ...any) { slog.Error(fmt.Sprintf(format, v...)) }

// tries is how often a transaction is begun that others kept from ending.
const tries = 4

// Tx runs f in a transaction: committed when f returns nil, else rolled back.
// Where it met another transaction in a deadlock, or can't be put in a row with
// others, it is run again: f must leave nothing behind but what it wrote.
func (db *DB) Tx(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	return db.tries(ctx, func() error { return db.tx(ctx, f) })
}

func (db *DB) tries(ctx context.Context, f func() error) error {
	for try := 1; ; try++ {
		err := f()
		if err == nil || try == tries || !again(err) || ctx.Err() != nil {
			return err
		}
	}
}

// again says whether a transaction that failed may succeed when it is run
// again: 40001 is serialization_failure, 40P01 deadlock_detected.
func again(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && (pg.Code == "40001" || pg.Code == "40P01")
}

func (db *DB) tx(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	tx, err := db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	defer tx.Rollback() // does nothing after a commit
	if err := f(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("commit: %w", err)
	}
	return nil
}

// Snapshot runs f in a transaction that reads what was committed before it
// began, and nothing newer.
func (db *DB) Snapshot(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	tx, err := db.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	defer tx.Rollback() // nothing is written
	return f(tx)
}

// NotFound says whether an error means that there is no such row.
func NotFound(err error) bool { return errors.Is(err, sql.ErrNoRows) }

// Away says whether an error means that the database could not be asked: it is
// away, ends connections, or takes too long. Whether a transaction that met it
// while it committed was done is not known.
func Away(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		// Class 08, connection exception; 53, insufficient resources; 57P, operator
		// intervention; 57014, a statement that took too long.
		return strings.HasPrefix(pg.Code, "08") || strings.HasPrefix(pg.Code, "53") || strings.HasPrefix(pg.Code, "57")
	}
	var connect *pgconn.ConnectError
	var network net.Error
	return errors.As(err, &connect) || errors.As(err, &network) || errors.Is(err, driver.ErrBadConn) || errors.Is(err, sql.ErrConnDone) ||
		errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) || errors.Is(err, net.ErrClosed) ||
		errors.Is(err, puddle.ErrClosedPool) ||
		strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "database is closed")
}

// Violates says whether an error is the refusal of a named constraint.
func Violates(err error, constraint string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.ConstraintName == constraint
}

// nullTime keeps a zero time as null.
func nullTime(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func timeOr0(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// Risk is a setting of the database server by which something that was
// acknowledged may be lost.
type Risk struct{ Setting, Is, Means string }

// Risks lists them.
func Risks(ctx context.Context, q Q) ([]Risk, error) {
	var found []Risk
	for setting, means := range map[string]string{
		"fsync":              "a power cut can lose or damage everything",
		"full_page_writes":   "a power cut can damage pages",
		"synchronous_commit": "a fall of the server can lose the last moments of what was acknowledged",
	} {
		var is string
		if err := q.GetContext(ctx, &is, `select current_setting($1)`, setting); err != nil {
			return nil, fmt.Errorf("read the setting %s: %w", setting, err)
		}
		if is == "off" {
			found = append(found, Risk{setting, is, means})
		}
	}
	slices.SortFunc(found, func(a, b Risk) int { return strings.Compare(a.Setting, b.Setting) })
	return found, nil
}
