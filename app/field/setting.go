package field

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/store"
)

// PersonField is one setting of a person, with who may change it of whom.
type PersonField struct {
	Field
	Dated    bool   // holds from a date
	Terms    bool   // dated, and may reach back to the person's last paid day: what was not paid is paid then
	Many     bool   // can be changed for many people at once
	Fixed    bool   // shown and not changed here
	Own      bool   // the company's own
	Later    bool   // it stands on no page: it steers nothing, or it is of a part that is put away
	OfPerson bool   // also of whoever doesn't clock in
	See      string // permission it takes to see it

	Needed   bool // nobody is added without
	ByAdding bool // it is set by adding somebody
	ByLead   bool // a lead who adds somebody may give it; the office completes the rest

	Self     bool   // may be changed of oneself
	Selfish  string // what of themselves nobody changes, "" for "this of themselves"
	Identity bool   // the sign-in knows people by it: it takes a level above theirs

	// May refuses a value that an actor can't give a person by a permission; nil
	// where whoever may change the setting may give any.
	May func(actor app.Actor, permission string, of store.Sheet, value string) error
	Put func(ctx context.Context, t *app.Turn, puts []Put) error
}

// Put is what a setting becomes for one person.
type Put struct {
	store.Sheet
	Value string
	From  when.Date // of dated settings
}

// Gives refuses a value that an actor may not give a person.
func (f *PersonField) Gives(actor app.Actor, permission string, of store.Sheet, value string) error {
	if f.May == nil {
		return nil
	}
	return f.May(actor, permission, of, value)
}

// CompletedPerson fills in what most settings of people have in common.
func CompletedPerson(fields []PersonField) []PersonField {
	for i := range fields {
		f := &fields[i]
		f.complete()
		if f.See == "" {
			f.See = "people.see"
		}
		f.OfPerson = f.OfPerson || f.Group == "Person" || f.Group == "Company"
	}
	return fields
}

// Value is a setting with its value.
type Value struct {
	Field
	Value string
	Stays bool // it can't be changed any more
}

// Show writes the value for people to read.
func (v Value) Show() string { return v.Field.Show(v.Value) }

// Of is a setting of a T: how its value is read from one, and how it is kept,
// with what must not be.
type Of[T any] struct {
	Field
	Get func(T) string
	Put func(ctx context.Context, t *app.Turn, id uuid.UUID, value string) error
}

// Completed fills in what most settings have in common.
func Completed[T any](fields []Of[T]) []Of[T] {
	for i := range fields {
		fields[i].complete()
	}
	return fields
}

// ValuesIn gives the settings of a thing with their values.
func ValuesIn[T any](fields []Of[T], of T) []Value {
	values := make([]Value, len(fields))
	for i, f := range fields {
		values[i] = f.In(of)
	}
	return values
}

// In is the setting with its value in a thing.
func (f Of[T]) In(of T) Value { return Value{Field: f.Field, Value: f.Get(of)} }

// Find finds a setting by its key.
func Find[T any](fields []Of[T], key string) (f Of[T], err error) {
	i := slices.IndexFunc(fields, func(f Of[T]) bool { return f.Key == key })
	if i < 0 {
		return f, app.ErrNotFound
	}
	return fields[i], nil
}

// Changed finds a setting by its key and reads the value it is to have.
func Changed[T any](fields []Of[T], key, value string) (f Of[T], kept string, err error) {
	if f, err = Find(fields, key); err != nil {
		return f, "", err
	}
	kept, err = f.Normal(value)
	return f, kept, err
}

// Differences reads what a row of a file gives for a thing that stands, or a
// new one: the values that would change, and the change in words. An empty
// cell, and one that says what stands, leave a setting as it is.
func Differences[T any](fields []Of[T], of T, stands bool, given map[string]string, but ...string) (values map[string]string,
	words []string, err error) {
	values = map[string]string{}
	var wrong []error
	for _, f := range fields {
		text := strings.TrimSpace(given[f.Key])
		if text == "" || stands && text == f.Get(of) || slices.Contains(but, f.Key) {
			continue
		}
		value, err := f.Normal(text)
		if err != nil {
			wrong = append(wrong, err)
			continue
		}
		if stands && value == f.Get(of) {
			continue
		}
		values[f.Key] = value
		words = append(words, fmt.Sprintf("%s: %s → %s", f.Label, OrNothing(f.Show(f.Get(of))), f.Show(value)))
	}
	if len(wrong) > 0 {
		return nil, nil, errors.Join(wrong...)
	}
	return values, words, nil
}
