package store

import (
	"context"
	"database/sql"
	"fmt"
	"runtime"
	"strings"

	"github.com/jmoiron/sqlx"
)

// failed says of a statement that failed in which function of this package it
// was sent: they are named after what they do. It is the one place in which an
// error of the database gets that said of it; a function adds only what it alone
// knows.
func failed(err error) error {
	if err == nil {
		return nil
	}
	if name := sender(); name != "" {
		return fmt.Errorf("%s: %w", name, err)
	}
	return err
}

// sender is the function of this package that was called from outside, the DB
// and the Tx apart, through which all statements go.
func sender() (name string) {
	var at [24]uintptr
	frames := runtime.CallersFrames(at[:runtime.Callers(3, at[:])]) // from whoever asks failed
	for more := true; more; {
		var frame runtime.Frame
		frame, more = frames.Next()
		inside, ours := strings.CutPrefix(frame.Function, "manudex/store.")
		switch {
		case ours && (strings.HasPrefix(inside, "(*DB)") || strings.HasPrefix(inside, "(*Tx)")):
		case ours:
			name, _, _ = strings.Cut(inside, ".func") // what it does within
		case name != "":
			return name
		}
	}
	return name
}

// ExecContext is that of sqlx.
func (db *DB) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	res, err := db.DB.ExecContext(ctx, query, args...)
	return res, failed(err)
}

// QueryContext is that of sqlx.
func (db *DB) QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error) {
	rows, err := db.DB.QueryContext(ctx, query, args...)
	return rows, failed(err)
}

// QueryxContext is that of sqlx.
func (db *DB) QueryxContext(ctx context.Context, query string, args ...any) (*sqlx.Rows, error) {
	rows, err := db.DB.QueryxContext(ctx, query, args...)
	return rows, failed(err)
}

// GetContext is that of sqlx.
func (db *DB) GetContext(ctx context.Context, dest any, query string, args ...any) error {
	return failed(db.DB.GetContext(ctx, dest, query, args...))
}

// SelectContext is that of sqlx.
func (db *DB) SelectContext(ctx context.Context, dest any, query string, args ...any) error {
	return failed(db.DB.SelectContext(ctx, dest, query, args...))
}
