package bringin

import (
	"context"
	"errors"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/files"
	"manudex/store"
)

// Form says how the values of a column are read, where they are no plain texts.
type Form string

// The forms.
const (
	DateForm   Form = "date"
	NumberForm Form = "number"
	PhoneForm  Form = "phone"
	TimeForm   Form = "time"  // of day; read as 07:00:00
	HoursForm  Form = "hours" // a length; read as whole seconds
)

// Question asks how a column is written, in which no row decides.
type Question struct {
	Column int // its index
	Head   string
	Form   Form
	Sample string            // a value that can be read in two ways
	Ways   map[string]string // by manner, how it would be read
}

// Fault is something wrong with a row.
type Fault struct {
	Key    string // of the setting, "" for the row as a whole
	Column int    // of the file, -1 where it has none for it
	What   string
}

// settle finds how the columns are written: as it was answered, as the rows decide,
// or else it is asked.
func (p *ImportPage) settle() {
	p.forms, p.settled = make([]Form, len(p.Matched)), make([]files.Manner, len(p.Matched))
	for k, key := range p.Matched {
		i := slices.IndexFunc(p.Columns, func(c Column) bool { return c.Key == key })
		if key == "" || i < 0 {
			continue
		}
		p.forms[k] = p.Columns[i].Form
		find := map[Form]func([]string) (files.Manner, bool){DateForm: files.DateManner, NumberForm: files.NumberManner,
			HoursForm: files.NumberManner}[p.forms[k]]
		if find == nil {
			continue
		}
		values := p.column(k)
		ask := false
		if p.settled[k], ask = find(values); !ask {
			continue
		}
		if answer := files.Manner(p.Manners[k]); answer != "" {
			p.settled[k] = answer
			continue
		}
		p.Questions = append(p.Questions, p.question(k, values))
	}
}

// column gives the values of a column.
func (p *ImportPage) column(k int) []string {
	var values []string
	for _, cells := range p.Cells {
		if k < len(cells) && strings.TrimSpace(cells[k]) != "" {
			values = append(values, cells[k])
		}
	}
	return values
}

func (p *ImportPage) question(k int, values []string) Question {
	q := Question{Column: k, Head: p.Header[k], Form: p.forms[k], Ways: map[string]string{}}
	read, ways := files.ReadDate, []files.Manner{files.DayFirst, files.MonthFirst}
	if q.Form != DateForm {
		read, ways = files.ReadNumber, []files.Manner{files.Point, files.Comma}
	}
	for _, v := range values {
		if _, err := read(v, ""); err == nil {
			continue
		}
		for _, way := range ways {
			if r, err := read(v, way); err == nil {
				q.Ways[string(way)] = r
			}
		}
		if len(q.Ways) == len(ways) {
			q.Sample = strings.TrimSpace(v)
			break
		}
	}
	return q
}

// read reads a cell as its column is written.
func (p *ImportPage) read(k int, cell string) (string, error) {
	cell = strings.TrimSpace(cell)
	if cell == "" {
		return "", nil
	}
	switch p.forms[k] {
	case DateForm:
		return files.ReadDate(cell, p.settled[k])
	case NumberForm:
		return files.ReadNumber(cell, p.settled[k])
	case TimeForm:
		return files.ReadTime(cell)
	case HoursForm:
		return files.ReadHours(cell, p.settled[k])
	case PhoneForm:
		return files.ReadPhone(cell, p.Country)
	}
	return cell, nil
}

// Need says that rows can't be brought in without a column; where one of others is there,
// it isn't missed.
func (p *ImportPage) Need(key, label string, or ...string) {
	if !slices.ContainsFunc(append(or, key), func(k string) bool { return slices.Contains(p.Matched, k) }) {
		p.Missing = append(p.Missing, label)
	}
}

// Take judges every row: one takes a row and what it gives by key, and its error
// says what is wrong, errors joined where it is several things.
func (p *ImportPage) Take(one func(r *ImportRow, given map[string]string) error) {
	p.settle()
	p.Rows = make([]ImportRow, len(p.Cells))
	for i, cells := range p.Cells {
		r := &p.Rows[i]
		*r = ImportRow{Line: p.line(i), Index: i, Cells: cells, Values: map[string]string{}}
		given, unread := map[string]string{}, map[string]bool{}
		for k, key := range p.Matched {
			if key == "" || k >= len(cells) {
				continue
			}
			value, err := p.read(k, cells[k])
			if err != nil {
				unread[key] = true
				r.Faults = append(r.Faults, Fault{key, k, app.Capital(err.Error())})
				continue
			}
			given[key] = value
		}
		for _, err := range parts(one(r, given)) {
			f := Fault{Column: -1, What: err.Error()}
			var refused *refusal.Refusal
			if errors.As(err, &refused) {
				f.Key, f.Column = refused.Field, slices.Index(p.Matched, refused.Field)
			}
			if f.Key == "" || !unread[f.Key] { // what can't be read isn't missing besides
				r.Faults = append(r.Faults, f)
			}
		}
		if len(r.Faults) > 0 {
			r.wrong()
		}
		p.Count[r.State]++
	}
}

// wrong makes a row one that is left out, and says why.
func (r *ImportRow) wrong() {
	said := make([]string, len(r.Faults))
	for n, f := range r.Faults {
		said[n] = strings.TrimSuffix(f.What, ".")
	}
	r.State, r.What = RowWrong, strings.Join(said, ". ")
}

// Refuse makes a row wrong that was right by itself.
func (p *ImportPage) Refuse(r *ImportRow, because error) {
	p.Count[r.State]--
	r.Faults = append(r.Faults, Fault{Column: -1, What: because.Error()})
	r.wrong()
	p.Count[r.State]++
}

// Same says of a row that was right by itself that it changes nothing.
func (p *ImportPage) Same(r *ImportRow) {
	p.Count[r.State]--
	r.State, r.What = RowSame, ""
	p.Count[r.State]++
}

// line gives in which line of the file a row stands.
func (p *ImportPage) line(i int) int {
	if i < len(p.Lines) {
		return p.Lines[i]
	}
	return i + 2 // a file from before lines were kept
}

// parts takes joined errors apart.
func parts(err error) []error {
	if err == nil {
		return nil
	}
	if joined, ok := err.(interface{ Unwrap() []error }); ok {
		return joined.Unwrap()
	}
	return []error{err}
}

// ReadColumnAs answers how a column of a file is written.
type ReadColumnAs struct {
	Kind   FileKind
	Import uuid.UUID
	Column int
	Manner files.Manner
}

// Permission is the act's name in the permission table.
func (r ReadColumnAs) Permission() string { return r.Kind.act() }

func (r ReadColumnAs) Do(ctx context.Context, t *app.Turn) error {
	im, err := ownImport(ctx, t, t.Actor, r.Kind, r.Import)
	switch {
	case err != nil:
		return err
	case r.Column < 0 || r.Column >= len(im.Header),
		!slices.Contains([]files.Manner{files.DayFirst, files.MonthFirst, files.Point, files.Comma}, r.Manner):
		return app.ErrNotFound
	}
	return store.PutImportManner(ctx, t, r.Import, r.Column, string(r.Manner))
}

// PutRight changes cells of a row of a file that is not in yet.
type PutRight struct {
	Kind   FileKind
	Import uuid.UUID
	Row    int            // its index
	Cells  map[int]string // by column
}

// Permission is the act's name in the permission table.
func (p PutRight) Permission() string { return p.Kind.act() }

// mostInCell bounds what is typed into a cell, in bytes.
const mostInCell = 2000

func (p PutRight) Do(ctx context.Context, t *app.Turn) error {
	im, err := ownImport(ctx, t, t.Actor, p.Kind, p.Import)
	switch {
	case err != nil:
		return err
	case im.Applied():
		return refusal.New("file", "This file is in already", "Change it where it stands")
	case p.Row < 0 || p.Row >= len(im.Cells):
		return app.ErrNotFound
	}
	for k, value := range p.Cells {
		if k < 0 || k >= len(im.Header) {
			return app.ErrNotFound
		}
		if len(value) > mostInCell {
			return refusal.New("file", "That is too long", "Write at most 2,000 characters")
		}
	}
	return store.PutImportCells(ctx, t, p.Import, p.Row, p.Cells)
}

// Lately lists the files of a kind that the actor brought in last, the newest first.
func Lately(ctx context.Context, a *app.App, actor app.Actor, kind FileKind) ([]store.Import, error) {
	if !actor.May(kind.act()) {
		return nil, app.ErrForbidden
	}
	return store.ImportsOf(ctx, a.DB, string(kind), actor.ID, 5)
}
