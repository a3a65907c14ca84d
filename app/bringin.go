package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// maxImportRows is the most rows a file may have.
const maxImportRows = 20_000

// RowState says what a row of a file would do.
type RowState string

// The states of a row.
const (
	RowNew     RowState = "new"
	RowChanged RowState = "changed"
	RowSame    RowState = "same"
	RowWrong   RowState = "wrong"
)

// ImportRow is a row of a file as it would be taken.
type ImportRow struct {
	Line  int // in the file, the header being 1
	State RowState
	Name  string
	What  string   // what is new, changed or wrong, in words
	Cells []string // as they came

	sheet  store.Sheet
	values map[string]string // as they would be kept
}

// ImportPage is a file on its way in.
type ImportPage struct {
	store.Import
	Fields  *PersonFields
	Rows    []ImportRow
	Count   map[RowState]int
	Missing []string // labels of columns that new people need and the file lacks
}

// TakeFile keeps an uploaded file: its columns are matched by name, and
// nothing is brought in yet.
type TakeFile struct {
	ID       uuid.UUID
	FileName string
	Rows     [][]string // the header first
}

// Name is the act's name in the permission table.
func (TakeFile) Name() string { return "people.import" }

func (f TakeFile) do(ctx context.Context, t *Turn) error {
	switch {
	case len(f.Rows) < 2:
		return clock.Refuse("file", "The file has no rows", "The first line names the columns, each line after it is a person")
	case len(f.Rows)-1 > maxImportRows:
		return clock.Refuse("file", fmt.Sprintf("The file has %d rows", len(f.Rows)-1), fmt.Sprintf("Bring in at most %d at a time", maxImportRows))
	}
	fields, err := personFields(ctx, t)
	if err != nil {
		return err
	}
	matched := make([]string, len(f.Rows[0]))
	for i, head := range f.Rows[0] {
		if field := fields.byHead(head); field != nil && !slices.Contains(matched, field.Key) && t.Actor.May(field.See) {
			matched[i] = field.Key
		}
	}
	err = store.InsertImport(ctx, t, store.Import{ID: f.ID, By: t.Actor.ID, MadeAt: t.Now, FileName: f.FileName, Header: f.Rows[0], Cells: f.Rows[1:], Matched: matched})
	if store.Violates(err, "import_pkey") {
		return ErrConflict
	}
	return err
}

// byHead finds the field that a column's head names: by key or label,
// whatever its case and spaces.
func (f *PersonFields) byHead(head string) *PersonField {
	plain := func(s string) string {
		return strings.ToLower(strings.NewReplacer(" ", "", "_", "", "-", "").Replace(strings.TrimSpace(s)))
	}
	for i := range f.All {
		if p := plain(head); !f.All[i].Fixed && (p == plain(f.All[i].Key) || p == plain(f.All[i].Label)) {
			return &f.All[i]
		}
	}
	return nil
}

// MatchColumns says which setting each column of a file is, "" for none.
type MatchColumns struct {
	Import  uuid.UUID
	Matched []string
}

// Name is the act's name in the permission table.
func (MatchColumns) Name() string { return "people.import" }

func (m MatchColumns) do(ctx context.Context, t *Turn) error {
	im, err := ownImport(ctx, t, t.Actor, m.Import)
	if err != nil {
		return err
	}
	fields, err := personFields(ctx, t)
	if err != nil {
		return err
	}
	if len(m.Matched) != len(im.Header) {
		return ErrNotFound
	}
	for i, key := range m.Matched {
		if f := fields.Get(key); key != "" && (f == nil || f.Fixed || !t.Actor.May(f.See)) {
			return ErrNotFound
		} else if key != "" && slices.Index(m.Matched, key) < i {
			return clock.Refuse("matched", "Two columns are "+f.Label, "Match each setting to one column")
		}
	}
	return store.MatchImport(ctx, t, m.Import, m.Matched)
}

// ownImport reads a file that the actor brought and that is not in yet.
func ownImport(ctx context.Context, q store.Q, actor Actor, id uuid.UUID) (store.Import, error) {
	im, err := store.GetImport(ctx, q, id)
	if store.NotFound(err) || err == nil && im.By != actor.ID {
		return im, ErrNotFound
	}
	return im, err
}

// ImportPage reads a file and says what each of its rows would do.
func (a *App) ImportPage(ctx context.Context, actor Actor, id uuid.UUID) (*ImportPage, error) {
	if !actor.May("people.import") {
		return nil, ErrForbidden
	}
	im, err := ownImport(ctx, a.DB, actor, id)
	if err != nil {
		return nil, err
	}
	place, err := a.Place(ctx)
	if err != nil {
		return nil, err
	}
	if im.AppliedAt != nil {
		return &ImportPage{Import: im}, nil
	}
	return dryRun(ctx, a.DB, actor, place, place.Today(a.Now()), im)
}

// dryRun judges every row of a file against what stands.
func dryRun(ctx context.Context, q store.Q, actor Actor, place *Place, today when.Date, im store.Import) (*ImportPage, error) {
	p := &ImportPage{Import: im, Count: map[RowState]int{}}
	var err error
	if p.Fields, err = personFields(ctx, q); err != nil {
		return nil, err
	}
	sheets, _, err := store.Sheets(ctx, q, today, store.SheetFilter{State: "any", Units: actor.units("people.see")}, 0, -1)
	if err != nil {
		return nil, err
	}
	first, err := firstOpenDay(ctx, q, place, today)
	if err != nil {
		return nil, err
	}
	j := judge{actor: actor, fields: p.Fields, today: today, paidUpTo: first - 1, known: map[string]store.Sheet{}, mails: map[string]string{}, seen: map[string]int{}}
	if j.taken, err = store.AllNumbers(ctx, q); err != nil {
		return nil, err
	}
	for _, s := range sheets {
		if _, there := j.known[s.Values["number"]]; !there { // the first employment of several
			j.known[s.Values["number"]] = s
		}
		if mail := s.Values["email"]; mail != "" {
			j.mails[strings.ToLower(mail)] = s.Values["number"]
		}
	}
	for _, key := range append([]string{"number"}, addNeeds...) {
		if !slices.Contains(im.Matched, key) {
			p.Missing = append(p.Missing, p.Fields.Get(key).Label)
		}
	}
	p.Rows = make([]ImportRow, len(im.Cells))
	for i, cells := range im.Cells {
		p.Rows[i] = j.row(i+2, cells, im.Matched)
		p.Count[p.Rows[i].State]++
	}
	return p, nil
}

// judge knows what stands, and what the rows before have claimed.
type judge struct {
	actor    Actor
	fields   *PersonFields
	today    when.Date
	paidUpTo when.Date
	known    map[string]store.Sheet // by number, those the actor may see
	taken    map[string]bool        // every number there is
	mails    map[string]string      // e-mail address → number
	seen     map[string]int         // number → line
}

func (j *judge) row(line int, cells, matched []string) ImportRow {
	r := ImportRow{Line: line, Cells: cells, values: map[string]string{}}
	given := map[string]string{}
	for i, key := range matched {
		if key != "" && i < len(cells) {
			given[key] = cells[i]
		}
	}
	r.Name = strings.TrimSpace(given["given_name"] + " " + given["family_name"])
	if err := j.take(&r, given); err != nil {
		r.State, r.What = RowWrong, err.Error()
	}
	return r
}

// take works out what a row does; its error says what is wrong with it.
func (j *judge) take(r *ImportRow, given map[string]string) error {
	number := strings.TrimSpace(given["number"])
	if number == "" {
		return clock.Refuse("number", "The number is missing", "It says who a row is about")
	}
	if before, twice := j.seen[number]; twice {
		return clock.Refuse("number", fmt.Sprintf("Number %s stands in line %d already", number, before), "Keep one of the two")
	}
	j.seen[number] = r.Line
	var err error
	if r.values, err = normalValues(j.fields, given); err != nil {
		return err
	}
	if mail := strings.ToLower(r.values["email"]); mail != "" {
		if owner, used := j.mails[mail]; used && owner != number {
			return clock.Refuse("email", fmt.Sprintf("E-mail “%s” belongs to number %s already", r.values["email"], owner), "Choose another")
		}
		j.mails[mail] = number
	}
	s, there := j.known[number]
	if !there {
		return j.takeNew(r, number)
	}
	r.sheet, r.Name = s, s.Name()
	var changed []string
	for i := range j.fields.All {
		f := &j.fields.All[i]
		value, given := r.values[f.Key]
		if !given || value == s.Values[f.Key] {
			delete(r.values, f.Key)
			continue
		}
		if _, err := planned(j.actor, j.fields, s, f.Key, f.Enter(value), j.today, j.paidUpTo); err != nil {
			return err
		}
		changed = append(changed, fmt.Sprintf("%s: %s → %s", f.Label, orNothing(f.Show(s.Values[f.Key])), f.Show(value)))
	}
	r.State, r.What = RowSame, ""
	if len(changed) > 0 {
		r.State, r.What = RowChanged, strings.Join(changed, "; ")
	}
	return nil
}

func (j *judge) takeNew(r *ImportRow, number string) error {
	if j.taken[number] {
		return clock.Refuse("number", "Number "+number+" belongs to somebody you can't change", "Ask the office")
	}
	for _, key := range addNeeds {
		if r.values[key] == "" {
			return clock.Refuse(key, j.fields.Get(key).Label+" is missing", "A new person needs it")
		}
	}
	unit := idOf(j.fields.Units, r.values["unit"])
	if !j.actor.Reaches("people.import", uuid.Nil, unit) {
		return clock.Refuse("unit", r.values["unit"]+" is not yours to add people to", "Choose another")
	}
	if slices.Index(Levels, r.values["level"]) > slices.Index(Levels, j.actor.Level) {
		return clock.Refuse("level", "Nobody gives a higher level than their own", "Ask an owner")
	}
	r.State, r.What = RowNew, r.values["unit"]
	return nil
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

// BringIn brings a file in: all rows that are not wrong, in one transaction.
type BringIn struct {
	Import uuid.UUID
	Wrong  int // how many wrong rows were shown; they stay out
	// Tell, where it is not nil, is told how many rows are in.
	Tell func(done, total int)
}

// Name is the act's name in the permission table.
func (BringIn) Name() string { return "people.import" }

const importPiece = 500

func (b BringIn) do(ctx context.Context, t *Turn) error {
	im, err := ownImport(ctx, t, t.Actor, b.Import)
	if err != nil {
		return err
	}
	if err := store.LockImport(ctx, t, b.Import); err != nil {
		return err
	}
	if im, err = ownImport(ctx, t, t.Actor, b.Import); err != nil {
		return err
	}
	if im.AppliedAt != nil {
		return clock.Refuse("file", "This file is in already", "Nothing was done twice")
	}
	p, err := dryRun(ctx, t, t.Actor, t.Place, t.Place.Today(t.Now), im)
	if err != nil {
		return err
	}
	if p.Count[RowWrong] != b.Wrong {
		return clock.Refuse("file", "Something changed since this was shown; nothing was done", "Look at the rows again")
	}
	for from := 0; from < len(p.Rows); from += importPiece {
		to := min(from+importPiece, len(p.Rows))
		if err := bringIn(ctx, t, p, p.Rows[from:to]); err != nil {
			return err
		}
		if b.Tell != nil {
			b.Tell(to, len(p.Rows))
		}
	}
	t.record(store.Event{Act: t.Act}, b.Import, map[string]any{"file": im.FileName, "new": p.Count[RowNew], "changed": p.Count[RowChanged], "same": p.Count[RowSame], "wrong": p.Count[RowWrong]})
	return store.ImportApplied(ctx, t, b.Import, t.Now, summary(p.Count))
}

func summary(count map[RowState]int) string {
	return fmt.Sprintf("%d new, %d changed, %d the same, %d left out", count[RowNew], count[RowChanged], count[RowSame], count[RowWrong])
}

func bringIn(ctx context.Context, t *Turn, p *ImportPage, rows []ImportRow) error {
	var people []store.NewPerson
	var fresh []*ImportRow
	for i := range rows {
		r := &rows[i]
		if r.State != RowNew {
			continue
		}
		n, err := newPerson(ctx, t, p.Fields, r.values, uuid.Must(uuid.NewV7()), false)
		if err != nil {
			return rowError(r, err)
		}
		r.sheet = store.Sheet{Person: n.ID, Employment: n.Employment, Unit: n.Unit, Site: n.Site, Values: map[string]string{"level": "worker"}}
		people, fresh = append(people, n), append(fresh, r)
	}
	if err := store.InsertPeople(ctx, t, people); err != nil {
		return taken(err, p.Fields.Get("number"), "a number of this file")
	}
	if err := fillNew(ctx, t, p.Fields, people, fresh); err != nil {
		return err
	}
	for i := range rows {
		if r := &rows[i]; r.State == RowChanged {
			for k := range p.Fields.All {
				f := &p.Fields.All[k]
				value, there := r.values[f.Key]
				if !there {
					continue
				}
				c := store.Change{ID: uuid.Must(uuid.NewV7()), Batch: p.ID, Old: r.sheet.Values[f.Key], New: value}
				if err := put(ctx, t, f, r.sheet, c, t.Place.Today(t.Now)); err != nil {
					return rowError(r, err)
				}
			}
		}
	}
	return nil
}

// fillNew sets what else the file says of new people: what most files have in
// one statement for all of them, the rest one by one.
func fillNew(ctx context.Context, t *Turn, fields *PersonFields, people []store.NewPerson, rows []*ImportRow) error {
	if err := store.FillPeople(ctx, t, people, func(n int, key string) string { return rows[n].values[key] }); err != nil {
		return taken(err, fields.Get("email"), "of a new person")
	}
	for n, r := range rows {
		for i := range fields.All {
			f := &fields.All[i]
			value, given := r.values[f.Key]
			if !given || value == "" || slices.Contains(newPersonKeys, f.Key) || slices.Contains(store.FilledKeys, f.Key) {
				continue
			}
			if err := firstValue(ctx, t, f, r.sheet, value, people[n].StartsOn); err != nil {
				return rowError(r, err)
			}
		}
	}
	return nil
}

// rowError names the line of a refusal.
func rowError(r *ImportRow, err error) error {
	var refusal *clock.Refusal
	if errors.As(err, &refusal) {
		return clock.Refuse("file", fmt.Sprintf("Line %d: %s", r.Line, refusal.Wrong), refusal.Right)
	}
	return fmt.Errorf("line %d: %w", r.Line, err)
}

// ImportProgress gives how many rows of how many are in, and whether it is
// done.
func (a *App) ImportProgress(ctx context.Context, actor Actor, id uuid.UUID) (store.Import, error) {
	if !actor.May("people.import") {
		return store.Import{}, ErrForbidden
	}
	return ownImport(ctx, a.DB, actor, id)
}

// StartBringIn brings a file in while pages show how far it is. An error that
// comes later is kept with the file.
func (a *App) StartBringIn(ctx context.Context, actor Actor, b BringIn) error {
	if !actor.May(b.Name()) {
		return ErrForbidden
	}
	im, err := ownImport(ctx, a.DB, actor, b.Import)
	if err != nil {
		return err
	}
	if err := store.ImportProgress(ctx, a.DB, b.Import, 0, len(im.Cells), ""); err != nil {
		return err
	}
	b.Tell = func(done, total int) {
		if err := store.ImportProgress(context.WithoutCancel(ctx), a.DB, b.Import, done, total, ""); err != nil {
			a.Log.Warn("tell how far a file is", "err", err)
		}
	}
	ctx = context.WithoutCancel(ctx) // it goes on when the browser goes away
	go func() {
		err := a.Do(ctx, actor, b)
		if err == nil {
			return
		}
		said := "Something went wrong; nothing of the file is in"
		var refusal *clock.Refusal
		if errors.As(err, &refusal) {
			said = refusal.Error()
		} else {
			a.Log.Error("bring a file in", "import", b.Import, "err", err)
		}
		if err := store.ImportProgress(ctx, a.DB, b.Import, 0, 0, said); err != nil {
			a.Log.Error("keep why a file is not in", "err", err)
		}
	}()
	return nil
}
