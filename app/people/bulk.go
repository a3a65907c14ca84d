package people

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// ManyChange is one setting to be changed for many people at once.
type ManyChange struct {
	Filter store.SheetFilter
	Field  string
	Value  string
	From   when.Date // of dated settings; zero: today
}

// ManyPreview is what a change of many would do.
type ManyPreview struct {
	Field   *field.PersonField
	Value   string // as it would be kept
	Rows    []ManyRow
	Changes int
	Seen    string // digest of the rows: what is done is what was shown
}

// ManyRow is one person in a preview: what would become of the setting, or
// why it stays.
type ManyRow struct {
	store.Sheet
	Old, New string
	Why      string // why it can't be changed, "" when it can
}

// Same says that nothing would change.
func (r ManyRow) Same() bool { return r.Why == "" && r.Old == r.New }

// PreviewMany says what a change of many would do, person by person.
func PreviewMany(ctx context.Context, a *app.App, actor app.Actor, m ManyChange) (*ManyPreview, error) {
	if !actor.May("people.change") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	return previewMany(ctx, a.DB, actor, place, place.Today(a.Now()), m)
}

func previewMany(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, today when.Date, m ManyChange) (*ManyPreview, error) {
	fields, err := ReadFields(ctx, q)
	if err != nil {
		return nil, err
	}
	f := fields.Get(m.Field)
	if f == nil || !f.Many || !actor.May(f.See) {
		return nil, clock.Refuse("field", "This setting can't be changed for many at once", "Choose another, or change it person by person")
	}
	p := &ManyPreview{Field: f}
	if p.Value, err = f.Normal(m.Value); err != nil {
		return nil, err
	}
	if m.From == 0 {
		m.From = today
	}
	first, err := app.FirstOpenDay(ctx, q, place, today)
	if err != nil {
		return nil, err
	}
	m.Filter.Units = actor.Units("people.see")
	sheets, _, err := store.Sheets(ctx, q, m.From, m.Filter, 0, -1)
	if err != nil {
		return nil, err
	}
	digest := fnv.New64a()
	for _, s := range sheets {
		row := ManyRow{Sheet: s, Old: s.Values[m.Field], New: p.Value}
		var refusal *clock.Refusal
		switch _, err := planned(actor, fields, s, m.Field, m.Value, m.From, first-1); {
		case errors.As(err, &refusal):
			row.Why = refusal.Wrong
		case errors.Is(err, app.ErrForbidden), errors.Is(err, app.ErrNotFound):
			row.Why = "not yours to change"
		case err != nil:
			return nil, err
		}
		if row.Why != "" && !actor.Reaches(f.See, s.Person, s.Unit) {
			row.Old = ""
		}
		if row.Why == "" && !row.Same() {
			p.Changes++
			fmt.Fprintln(digest, s.Person, s.Employment, row.Old, row.New)
		}
		p.Rows = append(p.Rows, row)
	}
	p.Seen = fmt.Sprintf("%d %x", p.Changes, digest.Sum64())
	return p, nil
}

// ChangeMany makes a change of many, provided it is the one that was shown.
type ChangeMany struct {
	ID uuid.UUID // of the batch, by which it is undone
	ManyChange
	Seen string
}

// Permission is the act's name in the permission table.
func (ChangeMany) Permission() string { return "people.change" }

func (c ChangeMany) Do(ctx context.Context, t *app.Turn) error {
	today := t.Company.Today(t.Now)
	p, err := previewMany(ctx, t, t.Actor, t.Company, today, c.ManyChange)
	if err != nil {
		return err
	}
	var ids []uuid.UUID
	for _, r := range p.Rows {
		ids = append(ids, r.Person)
	}
	lock, err := store.LockPersons(ctx, t, ids)
	if err != nil {
		return err
	}
	if p, err = previewMany(ctx, t, t.Actor, t.Company, today, c.ManyChange); err != nil { // as it stands now that nobody else writes
		return err
	}
	switch {
	case p.Seen != c.Seen:
		return clock.Refuse("seen", "Something changed since this was shown; nothing was done", "Look at the preview again")
	case p.Changes == 0:
		return clock.Refuse("value", "Nothing would change", "Choose another value")
	}
	if c.From == 0 {
		c.From = today
	}
	for _, r := range p.Rows {
		if r.Why != "" || r.Same() {
			continue
		}
		if err := put(ctx, t, p.Field, r.Sheet.Under(lock), store.Change{ID: uuid.Must(uuid.NewV7()), Batch: c.ID, Old: r.Old, New: r.New},
			c.From); err != nil {
			return err
		}
	}
	return nil
}

// UndoChanges takes a batch of changes back: those whose setting still is
// what the batch made it. Undoing an undo is not offered; the change can be
// made again.
type UndoChanges struct{ Batch uuid.UUID }

// Permission is the act's name in the permission table.
func (UndoChanges) Permission() string { return "people.change" }

func (u UndoChanges) Do(ctx context.Context, t *app.Turn) error {
	changes, err := store.ChangesIn(ctx, t, u.Batch)
	if err != nil {
		return err
	}
	if len(changes) == 0 {
		return clock.Refuse("batch", "This was undone already", "Look at the people's pages to see what holds")
	}
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	batch := uuid.Must(uuid.NewV7())
	done := 0
	ids := make([]uuid.UUID, len(changes))
	for i, c := range changes {
		ids[i] = c.Person
	}
	if _, err := store.LockPersons(ctx, t, ids); err != nil { // all at once, in their order
		return err
	}
	for _, c := range changes {
		undone, err := undo(ctx, t, fields, c, batch)
		if err != nil {
			return err
		}
		if undone {
			done++
		}
	}
	if done == 0 {
		return clock.Refuse("batch", "Nothing could be taken back: every setting was changed again since", "Look at the people's pages")
	}
	return nil
}

// undo takes one change back, unless the setting was changed again since.
func undo(ctx context.Context, t *app.Turn, fields *PersonFields, c store.Change, batch uuid.UUID) (bool, error) {
	from := t.Company.Today(t.Now)
	if c.StartsOn != nil {
		from = *c.StartsOn
	}
	s, err := app.LockSheet(ctx, t, c.Person, store.IDOrNil(c.Employment), from)
	if err != nil {
		return false, err
	}
	f := fields.Get(c.Field)
	if f == nil || f.Fixed || s.Values[c.Field] != c.New {
		return false, nil
	}
	value := c.Old
	if f.Kind == field.PatternField {
		value = f.Enter(value)
	}
	first, err := app.FirstOpenDay(ctx, t, t.Company, from)
	if err != nil {
		return false, err
	}
	if c.Old != "" || f.Required {
		if _, err := planned(t.Actor, fields, s, c.Field, value, from, first-1); err != nil {
			return false, err
		}
	} else if !t.Actor.Reaches(t.Act, s.Person, s.Unit) || !t.Actor.Reaches(f.See, s.Person, s.Unit) || !app.Outranks(t.Actor, s) ||
		s.Person == t.Actor.ID && !f.Self || notPaidYet(f, s, from, first-1) != nil {
		return false, app.ErrForbidden
	}
	back := store.Change{ID: uuid.Must(uuid.NewV7()), Batch: batch, Old: c.New, New: c.Old, Undoes: &c.ID}
	return true, put(ctx, t, f, s, back, from)
}
