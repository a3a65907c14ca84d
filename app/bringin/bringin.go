// Package bringin takes files of rows: columns matched by name, a dry run that
// judges every row, and one transaction that brings them in. What a row is, is
// registered by the rooms whose it is.
package bringin

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// RowState says what a row of a file would do.
type RowState string

// The states of a row.
const (
	RowNew     RowState = "new"
	RowChanged RowState = "changed"
	RowSame    RowState = "same"
	RowWrong   RowState = "wrong"
	RowLeft    RowState = "left" // out, because whoever brings the file in said so
)

// ImportRow is a row of a file as it would be taken.
type ImportRow struct {
	Line  int // of the file
	Index int // among the rows
	State RowState
	Name  string
	What  string   // what is new, changed or wrong, in words
	Cells []string // as they came

	Faults []Fault // what is wrong with it
	Doubt  string  // what may be wrong with it

	Values map[string]string // as they would be kept
	Sheet  store.Sheet       // of a person that is there
	Job    store.Job         // of a job that is there
	Task   *store.Task       // of a task that is there
}

// FileKind says what the rows of a file are.
type FileKind string

// The kinds of file.
const (
	PeopleFile   FileKind = "people"
	JobsFile     FileKind = "jobs"
	HoursFile    FileKind = "hours"    // days of the open period that were recorded elsewhere
	YearFile     FileKind = "year"     // sums of the year up to a day
	HolidaysFile FileKind = "holidays" // days on which nothing is expected
	LeaveFile    FileKind = "leave"    // who has which policy of leave, with the balance of a day
)

// act is the permission it takes to bring a file of the kind in.
func (k FileKind) act() string {
	switch k {
	case JobsFile:
		return "jobs.change"
	case HoursFile, YearFile:
		return "time.edit"
	case HolidaysFile, LeaveFile:
		return "setup.change"
	}
	return "people.import"
}

// Column is something that a column of a file can be.
type Column struct {
	Key, Label string
	Form       Form     // "" for a text
	Heads      []string // what it is usually called, in small letters without marks
}

// RowKind is what a kind of file does with its rows.
type RowKind interface {
	Columns(app.Actor) []Column
	// judge says of every row of a page what it would do.
	Judge(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, today when.Date, p *ImportPage) error
	// bringIn does what judge said, for some rows in order.
	BringIn(ctx context.Context, t *app.Turn, p *ImportPage, rows []ImportRow) error
}

// kinds say how the rows of a kind of file are read; the packages whose they
// are register them.
var kinds = map[FileKind]func(context.Context, store.Q) (RowKind, error){}

// Register says how the rows of a kind of file are read. It is called
// while packages are initialised.
func Register(k FileKind, read func(context.Context, store.Q) (RowKind, error)) { kinds[k] = read }

func readRowKind(ctx context.Context, q store.Q, k FileKind) (RowKind, error) {
	read, ok := kinds[k]
	if !ok {
		return nil, app.ErrNotFound
	}
	return read(ctx, q)
}

// ImportPage is a file on its way in.
type ImportPage struct {
	store.Import
	Columns []Column // what a column of the file can be
	Rows    []ImportRow
	Count   map[RowState]int
	Missing []string // labels of columns that new people need and the file lacks

	Questions []Question // how columns are written in which no row decides
	Country   string     // in whose form telephone numbers are read

	forms   []Form // of the columns of the file
	settled []files.Manner
}

// TakeFile keeps an uploaded file: its columns are matched by name, and
// nothing is brought in yet.
type TakeFile struct {
	Kind     FileKind
	ID       uuid.UUID
	FileName string
	Rows     [][]string // the header first
	Lines    []int      // in which line of the file each stands; nil counts them
	As       []string   // what columns are, where that is known better than by their heads; "" where it isn't
}

// Permission is the act's name in the permission table.
func (f TakeFile) Permission() string { return f.Kind.act() }

func (f TakeFile) Do(ctx context.Context, t *app.Turn) error {
	switch {
	case len(f.Rows) < 2:
		return refusal.New("file", "The file has no rows", "The first line names the columns, each line after it is a row")
	case len(f.Rows)-1 > files.MaxRows:
		return refusal.New("file", fmt.Sprintf("The file has %d rows", len(f.Rows)-1),
			fmt.Sprintf("Bring in at most %d at a time", files.MaxRows))
	}
	kind, err := readRowKind(ctx, t, f.Kind)
	if err != nil {
		return err
	}
	known, err := store.ImportHeads(ctx, t, string(f.Kind))
	if err != nil {
		return err
	}
	var lines []int
	if len(f.Lines) == len(f.Rows) {
		lines = f.Lines[1:]
	}
	matched := match(kind.Columns(t.Actor), f.Rows[0], known)
	if len(f.As) == len(matched) {
		matched = f.As
	}
	err = store.InsertImport(ctx, t,
		store.Import{Kind: string(f.Kind), ID: f.ID, By: t.Actor.ID, MadeAt: t.Now, FileName: f.FileName, Header: f.Rows[0],
			Cells: f.Rows[1:], Lines: lines, Matched: matched})
	if store.Violates(err, "import_pkey") {
		return app.ErrConflict
	}
	return err
}

// match says what each column of a file is: what one of that head was taken for
// last, or what it names, or is usually called. Each setting is one column.
func match(columns []Column, heads []string, known map[string]string) []string {
	matched := make([]string, len(heads))
	for i, head := range heads {
		key, remembered := known[PlainHead(head)]
		if !remembered || key != "" && !slices.ContainsFunc(columns, func(c Column) bool { return c.Key == key }) {
			key = byHead(columns, head)
		}
		if !slices.Contains(matched, key) {
			matched[i] = key
		}
	}
	return matched
}

// PlainHead gives the letters and digits of a head, small.
func PlainHead(s string) string {
	return strings.ToLower(strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) || r == '#' {
			return r
		}
		return -1
	}, s))
}

// byHead finds what a column's head names: by key or label, or by what it is usually
// called; "" for nothing.
func byHead(columns []Column, head string) string {
	p := PlainHead(head)
	for _, c := range columns {
		if p == PlainHead(c.Key) || p == PlainHead(c.Label) {
			return c.Key
		}
	}
	for _, c := range columns {
		if slices.Contains(c.Heads, p) {
			return c.Key
		}
	}
	return ""
}

// MatchColumns says which setting each column of a file is, "" for none.
type MatchColumns struct {
	Kind    FileKind
	Import  uuid.UUID
	Matched []string
}

// Permission is the act's name in the permission table.
func (m MatchColumns) Permission() string { return m.Kind.act() }

func (m MatchColumns) Do(ctx context.Context, t *app.Turn) error {
	im, err := ownImport(ctx, t, t.Actor, m.Kind, m.Import)
	if err != nil {
		return err
	}
	kind, err := readRowKind(ctx, t, m.Kind)
	if err != nil {
		return err
	}
	columns := kind.Columns(t.Actor)
	if len(m.Matched) != len(im.Header) {
		return app.ErrNotFound
	}
	for i, key := range m.Matched {
		if key == "" {
			continue
		}
		c := slices.IndexFunc(columns, func(c Column) bool { return c.Key == key })
		switch {
		case c < 0:
			return app.ErrNotFound
		case slices.Index(m.Matched, key) < i:
			return refusal.New("matched", "Two columns are "+columns[c].Label, "Match each setting to one column")
		}
	}
	heads := make([]string, len(im.Header))
	for i, head := range im.Header {
		heads[i] = PlainHead(head)
	}
	if err := store.RememberHeads(ctx, t, string(m.Kind), heads, m.Matched); err != nil {
		return err
	}
	return store.MatchImport(ctx, t, m.Import, m.Matched)
}

// ownImport reads a file of a kind that the actor brought.
func ownImport(ctx context.Context, q store.Q, actor app.Actor, kind FileKind, id uuid.UUID) (store.Import, error) {
	im, err := store.GetImport(ctx, q, id)
	return im, theirs(im, err, actor, kind)
}

// theirs is app.ErrNotFound where a file is another's, or of another kind.
func theirs(im store.Import, err error, actor app.Actor, kind FileKind) error {
	if store.NotFound(err) || err == nil && (im.By != actor.ID || im.Kind != string(kind)) {
		return app.ErrNotFound
	}
	return err
}

// ReadColumns lists the columns that a file of a kind can have for an actor.
func ReadColumns(ctx context.Context, a *app.App, actor app.Actor, kind FileKind) ([]Column, error) {
	if !actor.May(kind.act()) {
		return nil, app.ErrForbidden
	}
	rows, err := readRowKind(ctx, a.DB, kind)
	if err != nil {
		return nil, err
	}
	return rows.Columns(actor), nil
}

// ReadImportPage reads a file and says what each of its rows would do.
func ReadImportPage(ctx context.Context, a *app.App, actor app.Actor, kind FileKind, id uuid.UUID) (*ImportPage, error) {
	if !actor.May(kind.act()) {
		return nil, app.ErrForbidden
	}
	im, err := ownImport(ctx, a.DB, actor, kind, id)
	if err != nil {
		return nil, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	if im.Applied() {
		return &ImportPage{Import: im}, nil
	}
	rows, err := readRowKind(ctx, a.DB, kind)
	if err != nil {
		return nil, err
	}
	p := &ImportPage{Import: im, Columns: rows.Columns(actor), Count: map[RowState]int{}, Country: place.Country}
	return p, rows.Judge(ctx, a.DB, actor, place, place.Today(a.Now()), p)
}

// BringIn brings a file in: all rows that are not wrong, in one transaction.
type BringIn struct {
	Kind   FileKind
	Import uuid.UUID
	Wrong  int   // how many wrong rows were shown; they stay out
	Out    []int // rows that stay out besides, by their index
	// Tell, where it is not nil, is told how many rows are in.
	Tell func(done, total int)
}

// Permission is the act's name in the permission table.
func (b BringIn) Permission() string { return b.Kind.act() }

// BringInSettings brings a file in that changes the company's settings.
type BringInSettings struct{ BringIn }

// Alone as all that changes them.
func (BringInSettings) Alone() {}

func (b BringInSettings) Do(ctx context.Context, t *app.Turn) error { return b.BringIn.Do(ctx, t) }

const importPiece = 500

func (b BringIn) Do(ctx context.Context, t *app.Turn) error {
	im, err := ownImport(ctx, t, t.Actor, b.Kind, b.Import)
	if err != nil {
		return err
	}
	if err := store.LockImport(ctx, t, b.Import); err != nil {
		return err
	}
	if im, err = ownImport(ctx, t, t.Actor, b.Kind, b.Import); err != nil {
		return err
	}
	if im.Applied() {
		return refusal.New("file", "This file is in already", "Nothing was done twice")
	}
	kind, err := readRowKind(ctx, t, b.Kind)
	if err != nil {
		return err
	}
	p := &ImportPage{Import: im, Columns: kind.Columns(t.Actor), Count: map[RowState]int{}, Country: t.Company.Country}
	if err := kind.Judge(ctx, t, t.Actor, t.Company, t.Company.Today(t.Now), p); err != nil {
		return err
	}
	if p.Count[RowWrong] != b.Wrong {
		return refusal.New("file", "Something changed since this was shown; nothing was done", "Look at the rows again")
	}
	p.leave(b.Out)
	for from := 0; from < len(p.Rows); from += importPiece {
		to := min(from+importPiece, len(p.Rows))
		if err := kind.BringIn(ctx, t, p, p.Rows[from:to]); err != nil {
			return err
		}
		if b.Tell != nil {
			b.Tell(to, len(p.Rows))
		}
	}
	t.Record(store.Event{Act: t.Act}, b.Import,
		map[string]any{"file": im.FileName, "new": p.Count[RowNew], "changed": p.Count[RowChanged], "same": p.Count[RowSame],
			"wrong": p.Count[RowWrong]})
	return store.ImportApplied(ctx, t, b.Import, t.Now, summary(p.Count), p.Was)
}

// leave leaves rows out.
func (p *ImportPage) leave(out []int) {
	for _, i := range out {
		if i >= 0 && i < len(p.Rows) && p.Rows[i].Does() {
			p.Count[p.Rows[i].State]--
			p.Rows[i].State = RowLeft
			p.Count[RowLeft]++
		}
	}
}

// Does says whether the row does something.
func (r ImportRow) Does() bool { return r.State == RowNew || r.State == RowChanged }

func summary(count map[RowState]int) string {
	return fmt.Sprintf("%d new, %d changed, %d the same, %d left out", count[RowNew], count[RowChanged], count[RowSame],
		count[RowWrong]+count[RowLeft])
}

// RowError names the line of a refusal.
func RowError(r *ImportRow, err error) error {
	var refused *refusal.Refusal
	if errors.As(err, &refused) {
		return refusal.New("file", fmt.Sprintf("Line %d: %s", r.Line, refused.Wrong), refused.Right)
	}
	return fmt.Errorf("line %d: %w", r.Line, err)
}

// ImportProgress gives how many rows of how many are in, and whether it is
// done: asked often, it reads none of them.
func ImportProgress(ctx context.Context, a *app.App, actor app.Actor, kind FileKind, id uuid.UUID) (store.Import, error) {
	if !actor.May(kind.act()) {
		return store.Import{}, app.ErrForbidden
	}
	im, err := store.ImportState(ctx, a.DB, id)
	return im, theirs(im, err, actor, kind)
}
