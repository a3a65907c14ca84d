package field

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
)

// Setting is one setting of a job or a task, as pages and files know it.
type Setting struct {
	Key, Label, Help string
	Kind             FieldKind
	Choices          []Choice
	List             []string // proposals for a text

	Normal func(string) (string, error) // the value as it is kept; the error says what would be right
}

// SettingValue is a setting with its value.
type SettingValue struct {
	Setting
	Value string
}

// Show writes the value for people to read.
func (v SettingValue) Show() string {
	return (&PersonField{Kind: v.Kind, Choices: v.Choices}).Show(v.Value)
}

// read gives a value as it is kept. Its error is a refusal for the setting.
func (s Setting) read(value string) (string, error) {
	kept, err := s.Normal(strings.TrimSpace(value))
	var refused *refusal.Refusal
	if err == nil || errors.As(err, &refused) {
		return kept, err
	}
	return "", refusal.New(s.Key, fmt.Sprintf("%s can't be “%s”", s.Label, Shorten(value)), app.Capital(err.Error()))
}

// Of is a setting of a T: how its value is read from one, and how it is
// kept.
type Of[T any] struct {
	Setting
	Get func(T) string
	Put func(ctx context.Context, t *app.Turn, id uuid.UUID, value string) error
}

// Completed fills in what most settings have in common: they are texts, and
// what has choices takes one of them.
func Completed[T any](fields []Of[T]) []Of[T] {
	for i := range fields {
		f := &fields[i]
		if f.Kind == "" {
			f.Kind = TextField
		}
		if f.Normal == nil {
			f.Normal = PersonField{Choices: f.Choices}.Pick
		}
	}
	return fields
}

// ValuesIn gives the settings of a thing with their values.
func ValuesIn[T any](fields []Of[T], of T) []SettingValue {
	values := make([]SettingValue, len(fields))
	for i, f := range fields {
		values[i] = SettingValue{f.Setting, f.Get(of)}
	}
	return values
}

// Changed finds a setting by its key and reads the value it is to have.
func Changed[T any](fields []Of[T], of T, key, value string) (f Of[T], kept string, err error) {
	i := slices.IndexFunc(fields, func(f Of[T]) bool { return f.Key == key })
	if i < 0 {
		return f, "", app.ErrNotFound
	}
	kept, err = fields[i].read(value)
	return fields[i], kept, err
}

// Differences reads what a row of a file gives for a thing that stands, or a
// new one: the values that would change, and the change in words. An empty
// cell, and one that says what stands, leave a setting as it is.
func Differences[T any](fields []Of[T], of T, stands bool, given map[string]string, but ...string) (values map[string]string,
	words []string, err error) {
	values = map[string]string{}
	for _, f := range fields {
		text := strings.TrimSpace(given[f.Key])
		if text == "" || stands && text == f.Get(of) || slices.Contains(but, f.Key) {
			continue
		}
		value, err := f.read(text)
		if err != nil {
			return nil, nil, err
		}
		if stands && value == f.Get(of) {
			continue
		}
		values[f.Key] = value
		words = append(words,
			fmt.Sprintf("%s: %s → %s", f.Label, OrNothing(SettingValue{f.Setting, f.Get(of)}.Show()),
				SettingValue{f.Setting, value}.Show()))
	}
	return values, words, nil
}
