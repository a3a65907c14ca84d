package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"
)

// What is written for many is written by one statement: its rows are handed
// over as JSON and take the types of the table's columns.

// insertRows inserts n rows. What follows onto, where it isn't empty, says what
// becomes of those that are there.
func insertRows(ctx context.Context, q Q, table string, columns []string, onto string, n int, values func(i int) []any) error {
	list := strings.Join(columns, ", ")
	const some = 5000 // rows of a statement, so that a run of twenty thousand people fits into memory
	for from := 0; from < n; from += some {
		data, err := jsonRows(columns, min(some, n-from), func(i int) []any { return values(from + i) })
		if err != nil {
			return fmt.Errorf("write rows of %s: %w", table, err)
		}
		if _, err := q.ExecContext(ctx, `insert into `+table+` (`+list+`)
			select `+list+` from jsonb_populate_recordset(null::`+table+`, $1) `+onto, data); err != nil {
			return err
		}
	}
	return nil
}

// updateRows sets the columns after the first of the rows whose first column,
// or first two, are those given.
func updateRows(ctx context.Context, q Q, table string, keys int, columns []string, n int, values func(i int) []any) error {
	if n == 0 {
		return nil
	}
	data, err := jsonRows(columns, n, values)
	if err != nil {
		return fmt.Errorf("set rows of %s: %w", table, err)
	}
	var set, same []string
	for i, c := range columns {
		if i < keys {
			same = append(same, "t."+c+" = x."+c)
			continue
		}
		set = append(set, c+" = x."+c)
	}
	_, err = q.ExecContext(ctx, `update `+table+` t set `+strings.Join(set, ", ")+`
		from jsonb_populate_recordset(null::`+table+`, $1) x where `+strings.Join(same, " and "), data)
	return err
}

// replacing is the end of an insert whose rows take the place of those with
// the same keys.
func replacing(keys string, columns []string) string {
	var set []string
	for _, c := range columns {
		if !strings.Contains(", "+keys+",", ", "+c+",") {
			set = append(set, c+" = excluded."+c)
		}
	}
	return `on conflict (` + keys + `) do update set ` + strings.Join(set, ", ")
}

func jsonRows(columns []string, n int, values func(i int) []any) (string, error) {
	rows := make([]map[string]any, n)
	for i := range rows {
		rows[i] = make(map[string]any, len(columns))
		for k, v := range values(i) {
			rows[i][columns[k]] = v
		}
	}
	data, err := json.Marshal(rows)
	return string(data), err
}

// Value is what one column of somebody's is to hold.
type Value struct {
	Of uuid.UUID
	To any
}

// SetPersons sets one column of some people; the column is one of ours and
// never what somebody typed.
func SetPersons(ctx context.Context, q Q, column string, values ...Value) error {
	return setColumn(ctx, q, "person", column, values)
}

// SetEmployments sets one column of some employments, as [SetPersons] does.
func SetEmployments(ctx context.Context, q Q, column string, values ...Value) error {
	return setColumn(ctx, q, "employment", column, values)
}

func setColumn(ctx context.Context, q Q, table, column string, values []Value) error {
	return updateRows(ctx, q, table, 1, []string{"id", column}, len(values), func(i int) []any {
		return []any{values[i].Of, values[i].To}
	})
}

// SetOf is what somebody, or a position of theirs, is to hold: no more and no
// less.
type SetOf struct {
	Of  uuid.UUID
	Are []uuid.UUID
}

// PutSets makes the second column of a two-column table hold just the members
// given.
func PutSets(ctx context.Context, q Q, table, owner, member string, sets ...SetOf) error {
	var owners, of, are UUIDs
	for _, s := range sets {
		owners = append(owners, s.Of)
		for _, m := range s.Are {
			of, are = append(of, s.Of), append(are, m)
		}
	}
	if _, err := q.ExecContext(ctx, `delete from `+table+` t where `+owner+` = any($1) and not exists (
		select 1 from unnest($2::uuid[], $3::uuid[]) x(owner, member) where x.owner = t.`+owner+` and x.member = t.`+member+`)`,
		owners, orEmpty(of), orEmpty(are)); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into `+table+` (`+owner+`, `+member+`) select * from unnest($1::uuid[], $2::uuid[])
		on conflict do nothing`, orEmpty(of), orEmpty(are))
	return err
}

// orEmpty is an array in place of null.
func orEmpty(ids UUIDs) UUIDs {
	if ids == nil {
		return UUIDs{}
	}
	return ids
}

func keysOf[T any](of map[uuid.UUID]T) UUIDs {
	ids := make(UUIDs, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	return ids
}

// did says whether a statement did anything.
func did(res sql.Result, err error) (bool, error) {
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}
