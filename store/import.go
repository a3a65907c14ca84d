package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"github.com/google/uuid"
)

// Import is a file on its way in.
type Import struct {
	ID        uuid.UUID
	Kind      string // "people" or "jobs"
	By        uuid.UUID
	MadeAt    time.Time
	FileName  string
	Header    []string
	Cells     [][]string
	Lines     []int          // in which each of the rows stands
	Matched   []string       // the setting each column is, "" for none
	Manners   map[int]string // how columns are written, by index, where it was asked
	Done      int
	Total     int
	AppliedAt *time.Time
	Failed    string // why it is not in
	Summary   string // what it did, once it is in
	Was       []Was  // what a file of jobs changed

	undoneAt *time.Time
}

// Was is a setting that a file changed: of a job, or of a task of it.
type Was struct {
	Job      uuid.UUID
	Task     uuid.UUID // zero for the job's own
	Key      string
	Old, New string
}

// Undone says whether the file was taken back.
func (i Import) Undone() bool { return i.undoneAt != nil }

// In says whether the file has been brought in.
func (i Import) Applied() bool { return i.AppliedAt != nil }

// InsertImport keeps a file. Files that the same person left lying go: they
// hold people's data. One that is being brought in stays.
func InsertImport(ctx context.Context, q Q, im Import) error {
	var lying []uuid.UUID
	err := q.SelectContext(ctx, &lying, `select id from import where by_person = $1 and applied_at is null for update skip locked`, im.By)
	if err != nil {
		return fmt.Errorf("find files left lying: %w", err)
	}
	for _, statement := range []string{`delete from import_progress where import_id = any($1)`, `delete from import where id = any($1)`} {
		if _, err := q.ExecContext(ctx, statement, UUIDs(lying)); err != nil {
			return fmt.Errorf("take files left lying away: %w", err)
		}
	}
	header, _ := json.Marshal(im.Header)
	cells, _ := json.Marshal(im.Cells)
	lines, _ := json.Marshal(im.Lines)
	matched, err := json.Marshal(im.Matched) // lists of texts always marshal
	if err != nil {
		return err
	}
	_, err = q.ExecContext(ctx, `insert into import (id, kind, by_person, made_at, file_name, header, rows, lines, matched)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
		im.ID, im.Kind, im.By, im.MadeAt, im.FileName, string(header), string(cells), string(lines), string(matched))
	return err
}

// ImportState reads a file on its way in without its rows: whose it is, and how
// far.
func ImportState(ctx context.Context, q Q, id uuid.UUID) (Import, error) {
	im := Import{ID: id}
	err := q.QueryRowxContext(ctx, `select `+importState+` where i.id = $1`, id).Scan(im.state()...)
	return im, err
}

const importState = `i.kind, i.by_person, i.made_at, i.file_name, coalesce(p.done, 0), coalesce(p.total, 0), i.applied_at,
	coalesce(p.failed, ''), i.summary, i.undone_at, i.was from import i left join import_progress p on p.import_id = i.id`

func (im *Import) state() []any {
	return []any{&im.Kind, &im.By, &im.MadeAt, &im.FileName, &im.Done, &im.Total, &im.AppliedAt, &im.Failed, &im.Summary, &im.undoneAt,
		asJSON{&im.Was}}
}

// asJSON scans a column that holds JSON.
type asJSON struct{ into any }

// Scan reads it.
func (j asJSON) Scan(src any) error {
	switch text := src.(type) {
	case string:
		return json.Unmarshal([]byte(text), j.into)
	case []byte:
		return json.Unmarshal(text, j.into)
	}
	return fmt.Errorf("JSON came as %T", src)
}

// GetImport reads a file.
func GetImport(ctx context.Context, q Q, id uuid.UUID) (Import, error) {
	im := Import{ID: id}
	var header, cells, lines, matched, manners []byte
	err := q.QueryRowxContext(ctx, `select i.header, i.rows, i.lines, i.matched, i.manners, `+importState+` where i.id = $1`, id).
		Scan(append([]any{&header, &cells, &lines, &matched, &manners}, im.state()...)...)
	if err != nil {
		return im, err
	}
	for _, part := range []struct {
		from []byte
		into any
	}{{header, &im.Header}, {cells, &im.Cells}, {lines, &im.Lines}, {matched, &im.Matched}, {manners, &im.Manners}} {
		if err := json.Unmarshal(part.from, part.into); err != nil {
			return im, fmt.Errorf("read a file on its way in: %w", err)
		}
	}
	return im, nil
}

// MatchImport keeps which setting each column is.
func MatchImport(ctx context.Context, q Q, id uuid.UUID, matched []string) error {
	text, err := json.Marshal(matched)
	if err != nil {
		return err
	}
	_, err = q.ExecContext(ctx, `update import set matched = $2 where id = $1 and applied_at is null`, id, string(text))
	return err
}

// PutImportManner keeps how a column is written.
func PutImportManner(ctx context.Context, q Q, id uuid.UUID, column int, manner string) error {
	_, err := q.ExecContext(ctx, `update import set manners = manners || jsonb_build_object($2::text, $3::text)
		where id = $1 and applied_at is null`, id, strconv.Itoa(column), manner)
	return err
}

// PutImportCells changes cells of a row, by their columns.
func PutImportCells(ctx context.Context, q Q, id uuid.UUID, row int, cells map[int]string) error {
	columns, values := make([]int32, 0, len(cells)), make([]string, 0, len(cells))
	for k, v := range cells {
		columns, values = append(columns, int32(k)), append(values, v)
	}
	_, err := q.ExecContext(ctx, `
		update import set rows = jsonb_set(rows, array[$2::int::text], (
		    select jsonb_agg(coalesce(to_jsonb(x.value), c.value) order by c.n)
		    from jsonb_array_elements(rows -> $2::int) with ordinality c(value, n)
		    left join unnest($3::int[], $4::text[]) x(col, value) on x.col = c.n - 1))
		where id = $1 and applied_at is null`, id, row, columns, values)
	return err
}

// ImportHeads gives what columns of files of a kind were taken for last, by head.
func ImportHeads(ctx context.Context, q Q, kind string) (map[string]string, error) {
	var rows []struct{ Head, Key string }
	if err := q.SelectContext(ctx, &rows, `select head, key from import_head where kind = $1`, kind); err != nil {
		return nil, fmt.Errorf("read what columns were taken for: %w", err)
	}
	known := make(map[string]string, len(rows))
	for _, r := range rows {
		known[r.Head] = r.Key
	}
	return known, nil
}

// RememberHeads keeps what columns were taken for.
func RememberHeads(ctx context.Context, q Q, kind string, heads, keys []string) error {
	_, err := q.ExecContext(ctx, `insert into import_head (kind, head, key)
		select distinct on (x.head) $1, x.head, x.key from unnest($2::text[], $3::text[]) x(head, key) order by x.head
		on conflict (kind, head) do update set key = excluded.key`, kind, heads, keys)
	return err
}

// ImportProgress keeps how far a file is, or why it is not in.
func ImportProgress(ctx context.Context, q Q, id uuid.UUID, done, total int, failed string) error {
	_, err := q.ExecContext(ctx, `insert into import_progress (import_id, done, total, failed) values ($1, $2, $3, $4)
		on conflict (import_id) do update set done = excluded.done, total = excluded.total,
		failed = excluded.failed`, id, done, total, failed)
	return err
}

// ImportApplied says that a file is in. Its rows go; the record of what it
// did stays.
func ImportApplied(ctx context.Context, q Q, id uuid.UUID, at time.Time, summary string, was []Was) error {
	if was == nil {
		was = []Was{}
	}
	text, err := json.Marshal(was)
	if err != nil {
		return err
	}
	_, err = q.ExecContext(ctx, `update import set applied_at = $2, summary = $3, was = $4, rows = '[]' where id = $1`, id, at, summary,
		string(text))
	return err
}

// AllNumbers gives every number in use.
func AllNumbers(ctx context.Context, q Q) (map[string]bool, error) {
	var numbers []string
	if err := q.SelectContext(ctx, &numbers, `select number from person`); err != nil {
		return nil, err
	}
	all := make(map[string]bool, len(numbers))
	for _, n := range numbers {
		all[n] = true
	}
	return all, nil
}

// ImportsOf lists the files of a kind that somebody brought in, the newest first,
// without their rows.
func ImportsOf(ctx context.Context, q Q, kind string, by uuid.UUID, limit int) ([]Import, error) {
	rows, err := q.QueryxContext(ctx, `select i.id, `+importState+`
		where i.kind = $1 and i.by_person = $2 and i.applied_at is not null order by i.applied_at desc limit $3`, kind, by, limit)
	if err != nil {
		return nil, fmt.Errorf("read files brought in: %w", err)
	}
	defer rows.Close()
	var found []Import
	for rows.Next() {
		var im Import
		if err := rows.Scan(append([]any{&im.ID}, im.state()...)...); err != nil {
			return nil, err
		}
		found = append(found, im)
	}
	return found, rows.Err()
}
