package people

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
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
		return nil, refusal.New("field", "This setting can't be changed for many at once", "Choose another, or change it person by person")
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
	if m.Filter, err = pick(actor, fields, m.Filter); err != nil {
		return nil, err
	}
	sheets, _, err := store.Sheets(ctx, q, m.From, m.Filter, 0, -1)
	if err != nil {
		return nil, err
	}
	digest := fnv.New64a()
	for _, s := range sheets {
		row := ManyRow{Sheet: s, Old: s.Values[m.Field], New: p.Value}
		var refused *refusal.Refusal
		switch _, err := planned(actor, fields, s, m.Field, m.Value, m.From, first-1); {
		case errors.As(err, &refused):
			row.Why = refused.Wrong
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
		return refusal.New("seen", "Something changed since this was shown; nothing was done", "Look at the preview again")
	case p.Changes == 0:
		return refusal.New("value", "Nothing would change", "Choose another value")
	}
	if c.From == 0 {
		c.From = today
	}
	var puts []field.Put
	var changes []store.Change
	for _, r := range p.Rows {
		if r.Why != "" || r.Same() {
			continue
		}
		puts = append(puts, field.Put{Sheet: r.Sheet.Under(lock), Value: r.New, From: c.From})
		changes = append(changes, store.Change{ID: uuid.Must(uuid.NewV7()), Batch: c.ID, Old: r.Old, New: r.New})
	}
	return put(ctx, t, p.Field, puts, changes)
}

func init() { app.Undoes(ChangeMany{}.Permission(), undoChanges) }

// undoChanges takes a batch of changes back: those whose setting still is what
// the batch made it. Undoing an undo is not offered; the change can be made
// again.
func undoChanges(ctx context.Context, t *app.Turn, batch uuid.UUID) (done app.Undone, found bool, err error) {
	if _, err := store.ImportState(ctx, t, batch); !store.NotFound(err) {
		return done, false, err // a file, which is taken back as one
	}
	changes, all, err := store.ChangesIn(ctx, t, batch)
	switch {
	case err != nil || all == 0:
		return done, false, err
	case !t.Actor.May(t.Act):
		return done, false, app.ErrForbidden
	case len(changes) == 0:
		return done, false, refusal.New("batch", "This was undone already", "Look at the people's pages to see what holds")
	}
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return done, false, err
	}
	ids := make([]uuid.UUID, len(changes))
	for i, c := range changes {
		ids[i] = c.Person
	}
	lock, err := store.LockPersons(ctx, t, ids)
	if err != nil {
		return done, false, err
	}
	back, left, err := takeBack(ctx, t, fields, lock, changes)
	if err != nil {
		return done, false, err
	}
	if len(back) == 0 {
		return done, false,
			refusal.New("batch", "Nothing could be taken back: every setting was changed again since", "Look at the people's pages")
	}
	done = app.Undone{Words: app.Several(len(back), "setting", "settings"), Left: left}
	return done, true, putBack(ctx, t, fields, back)
}

// putBack writes the settings that changes had before, by field.
func putBack(ctx context.Context, t *app.Turn, fields *PersonFields, back []backPut) error {
	batch := uuid.Must(uuid.NewV7())
	for i := range fields.All {
		var puts []field.Put
		var undo []store.Change
		for _, b := range back {
			if b.field == &fields.All[i] {
				puts = append(puts, b.Put)
				undo = append(undo, store.Change{ID: uuid.Must(uuid.NewV7()), Batch: batch, Old: b.change.New, New: b.change.Old,
					Undoes: &b.change.ID})
			}
		}
		if len(puts) == 0 {
			continue
		}
		if err := put(ctx, t, &fields.All[i], puts, undo); err != nil {
			return err
		}
	}
	return nil
}

// backPut is a change with what takes it back.
type backPut struct {
	field.Put
	field  *field.PersonField
	change store.Change
}

// takeBack picks the changes whose setting still is what they made it, names the
// others, and refuses all where one of them is not the actor's to take back.
func takeBack(ctx context.Context, t *app.Turn, fields *PersonFields, lock store.Locked, changes []store.Change) (
	back []backPut, left []string, err error) {
	first, err := app.FirstOpenDay(ctx, t, t.Company, t.Company.Today(t.Now))
	if err != nil {
		return nil, nil, err
	}
	sheets := map[when.Date]map[position]store.Sheet{}
	for _, c := range changes {
		from := t.Company.Today(t.Now)
		if c.StartsOn != nil {
			from = *c.StartsOn
		}
		if sheets[from] == nil { // of one batch they hold from one date
			if sheets[from], err = sheetsOf(ctx, t, changes, from); err != nil {
				return nil, nil, err
			}
		}
		s, ok := sheets[from][position{c.Person, store.IDOrNil(c.Employment)}]
		if !ok {
			return nil, nil, fmt.Errorf("the sheet of change %s is gone", c.ID)
		}
		f := fields.Get(c.Field)
		if f == nil || f.Fixed || s.Values[c.Field] != c.New {
			left = append(left, s.Name()+": changed again since")
			continue
		}
		if err := mayTakeBack(t, fields, f, s, c, from, first-1); err != nil {
			return nil, nil, err
		}
		back = append(back, backPut{field.Put{Sheet: s.Under(lock), Value: c.Old, From: from}, f, c})
	}
	return back, left, nil
}

// position names a sheet; that of no employment is the person's first.
type position struct{ person, employment uuid.UUID }

// sheetsOf reads the sheets of those whom changes are about, as they are on a
// date.
func sheetsOf(ctx context.Context, q store.Q, changes []store.Change, on when.Date) (map[position]store.Sheet, error) {
	ids := make([]uuid.UUID, len(changes))
	for i, c := range changes {
		ids[i] = c.Person
	}
	sheets, _, err := store.Sheets(ctx, q, on, store.SheetFilter{State: "any", Persons: ids}, 0, -1)
	if err != nil {
		return nil, err
	}
	found := make(map[position]store.Sheet, 2*len(sheets))
	for _, s := range sheets {
		found[position{s.Person, s.Employment}] = s
		if _, ok := found[position{s.Person, uuid.Nil}]; !ok {
			found[position{s.Person, uuid.Nil}] = s
		}
	}
	return found, nil
}

// mayTakeBack refuses to take a change back that the actor might not make.
func mayTakeBack(t *app.Turn, fields *PersonFields, f *field.PersonField, s store.Sheet, c store.Change, from, paidUpTo when.Date) error {
	value := c.Old
	if f.Kind == field.PatternField {
		value = f.Enter(value)
	}
	if c.Old != "" || f.Required {
		_, err := planned(t.Actor, fields, s, c.Field, value, from, paidUpTo)
		return err
	}
	if !t.Actor.Reaches(t.Act, s.Person, s.Unit) || !t.Actor.Reaches(f.See, s.Person, s.Unit) || !app.Outranks(t.Actor, s) ||
		s.Person == t.Actor.ID && !f.Self || notPaidYet(f, s, from, paidUpTo) != nil {
		return app.ErrForbidden
	}
	return nil
}
