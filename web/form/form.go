// Package form reads what a request sends into acts. What can't be read is kept
// until [Form.Err] is asked, so that an act is written down in one piece:
//
//	f := form.Of(r)
//	act := jobs.SetTask{Job: f.PathID("job"), Task: f.PathID("task"), Field: f.Text("field"), Value: f.Text("value")}
//	if err := f.Err(); err != nil {
//		return err
//	}
package form

import (
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
)

// Form is what a request sends: in its path, and by names.
type Form struct {
	path  func(name string) string
	named func(name string) []string
	err   error
}

// Of reads a form that a browser sends, or the query of an address.
func Of(r *http.Request) *Form {
	f := &Form{path: func(name string) string { return chi.URLParam(r, name) }}
	if err := r.ParseForm(); err != nil {
		f.err = app.ErrNotFound
	}
	f.named = func(name string) []string { return r.Form[name] }
	return f
}

// Err says whether something could not be read. No form of ours sends such: it
// is answered as an address that there is not.
func (f *Form) Err() error { return f.err }

func (f *Form) wrong() { f.err = app.ErrNotFound }

// Text is the first text of a name, "" when there is none.
func (f *Form) Text(name string) string {
	if texts := f.named(name); len(texts) > 0 {
		return texts[0]
	}
	return ""
}

// Texts are all texts of a name.
func (f *Form) Texts(name string) []string { return f.named(name) }

// Yes says whether the text of a name is "yes".
func (f *Form) Yes(name string) bool { return f.Text(name) == "yes" }

// PathID is an id that the path names.
func (f *Form) PathID(name string) uuid.UUID {
	id := f.id(f.path(name))
	if id == uuid.Nil {
		f.wrong()
	}
	return id
}

// ID is an id that must be there.
func (f *Form) ID(name string) uuid.UUID { return f.id(f.Text(name)) }

// MaybeID is an id, zero when there is none.
func (f *Form) MaybeID(name string) uuid.UUID {
	if f.Text(name) == "" {
		return uuid.Nil
	}
	return f.ID(name)
}

// IDs are all ids of a name.
func (f *Form) IDs(name string) []uuid.UUID {
	var ids []uuid.UUID
	for _, text := range f.named(name) {
		ids = append(ids, f.id(text))
	}
	return ids
}

func (f *Form) id(text string) uuid.UUID {
	id, err := uuid.Parse(text)
	if err != nil {
		f.wrong()
	}
	return id
}

// Date is a date that must be there.
func (f *Form) Date(name string) when.Date {
	d, err := when.ParseDate(f.Text(name))
	if err != nil {
		f.wrong()
	}
	return d
}

// MaybeDate is a date, zero when there is none.
func (f *Form) MaybeDate(name string) when.Date {
	if f.Text(name) == "" {
		return 0
	}
	return f.Date(name)
}

// Count is a whole number that is not below zero, 0 when there is none.
func (f *Form) Count(name string) int {
	text := f.Text(name)
	if text == "" {
		return 0
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 {
		f.wrong()
	}
	return n
}
