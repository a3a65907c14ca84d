package store

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
)

// Table is a table as an export describes it.
type Table struct {
	Name    string
	Columns []Column
	Key     []string // of the primary key
	Refers  []Reference
}

// Column is one column.
type Column struct {
	Name, Type string
	Needed     bool // never empty
}

// Reference says that a column holds what another table is known by.
type Reference struct{ Column, Table, Field string }

// notExported are the tables that hold only what lets somebody in, what a copy is of
// no use for, or what other programs keep for themselves.
var notExported = []string{"sessions", "sign_in_link", "recovery_code", "device", "goose_db_version", "river_job", "river_leader",
	"river_migration", "river_notification", "river_queue", "badge_secret", "terminal_secret"}

// secrets are the columns that let somebody in, of whatever table.
var secrets = []string{"password_hash", "pin_hash", "code_secret", "code_step", "token_hash", "secret_hash", "card_hash"}

// Tables describes what an export holds, by name.
func Tables(ctx context.Context, q Q) ([]Table, error) {
	var columns []struct {
		Table  string
		Name   string
		Type   string
		Needed bool
		Key    bool
		To     *string
		Field  *string
	}
	err := q.SelectContext(ctx, &columns, `
		select c.relname as table, a.attname as name, format_type(a.atttypid, a.atttypmod) as type, a.attnotnull as needed,
		       exists (select 1 from pg_constraint k where k.conrelid = c.oid and k.contype = 'p' and a.attnum = any(k.conkey)) as key,
		       f.to, f.field
		from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
		left join lateral (
		    select k.confrelid::regclass::text as to, b.attname as field from pg_constraint k
		    join pg_attribute b on b.attrelid = k.confrelid and b.attnum = k.confkey[1]
		    where k.conrelid = c.oid and k.contype = 'f' and k.conkey = array[a.attnum] limit 1) f on true
		where c.relkind = 'r' and c.relnamespace = 'public'::regnamespace
		order by c.relname, a.attnum`)
	if err != nil {
		return nil, fmt.Errorf("read which tables there are: %w", err)
	}
	var tables []Table
	for _, c := range columns {
		if slices.Contains(notExported, c.Table) || slices.Contains(secrets, c.Name) {
			continue
		}
		if n := len(tables); n == 0 || tables[n-1].Name != c.Table {
			tables = append(tables, Table{Name: c.Table})
		}
		t := &tables[len(tables)-1]
		t.Columns = append(t.Columns, Column{c.Name, c.Type, c.Needed})
		if c.Key {
			t.Key = append(t.Key, c.Name)
		}
		if c.To != nil && c.Field != nil {
			t.Refers = append(t.Refers, Reference{c.Name, *c.To, *c.Field})
		}
	}
	return tables, nil
}

// CopyTables writes tables as CSV (RFC 4180) as they are at one instant: each to
// where it says, a line of names first.
func CopyTables(ctx context.Context, db *DB, tables []Table, to func(Table) (io.Writer, error)) error {
	conn, err := db.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `begin isolation level repeatable read read only`); err != nil {
		return err
	}
	defer func() { _, _ = conn.Exec(context.WithoutCancel(ctx), `rollback`) }() // nothing was written
	for _, t := range tables {
		w, err := to(t)
		if err != nil {
			return err
		}
		names := make([]string, len(t.Columns))
		for i, c := range t.Columns {
			names[i] = `"` + c.Name + `"`
		}
		order := ""
		if len(t.Key) > 0 {
			order = ` order by "` + strings.Join(t.Key, `", "`) + `"`
		}
		query := `copy (select ` + strings.Join(names, ", ") + ` from "` + t.Name + `"` + order + `) to stdout (format csv, header)`
		if _, err := conn.Conn().PgConn().CopyTo(ctx, w, query); err != nil {
			return fmt.Errorf("copy %s: %w", t.Name, err)
		}
	}
	return nil
}
