package form_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/web/form"
)

func request(path map[string]string, values url.Values) *http.Request {
	r := httptest.NewRequest("POST", "/", strings.NewReader(values.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	route := chi.NewRouteContext()
	for name, value := range path {
		route.URLParams.Add(name, value)
	}
	return r.WithContext(context.WithValue(r.Context(), chi.RouteCtxKey, route))
}

func TestWhatIsSent(t *testing.T) {
	id, other := uuid.New(), uuid.New()
	f := form.Of(request(map[string]string{"job": id.String()}, url.Values{"task": {id.String(), other.String()}, "day": {"2026-11-13"},
		"n": {"7"}, "open": {"yes"}, "name": {" Lamp "}}))
	if got := f.PathID("job"); got != id {
		t.Errorf("in the path: %s", got)
	}
	if got := f.IDs("task"); len(got) != 2 || got[1] != other {
		t.Errorf("ids: %v", got)
	}
	if f.Date("day") != when.NewDate(2026, 11, 13) || f.Count("n") != 7 || !f.Yes("open") || f.Text("name") != " Lamp " {
		t.Error("a value isn't what was sent")
	}
	if f.MaybeID("none") != uuid.Nil || f.MaybeDate("none") != 0 || f.Count("none") != 0 || f.Yes("none") || f.IDs("none") != nil {
		t.Error("what wasn't sent is something")
	}
	if err := f.Err(); err != nil {
		t.Error(err)
	}
}

func TestWhatCantBeRead(t *testing.T) {
	for name, read := range map[string]func(*form.Form){
		"an id that is none":          func(f *form.Form) { f.ID("bad") },
		"an id that is missing":       func(f *form.Form) { f.ID("none") },
		"a path without it":           func(f *form.Form) { f.PathID("none") },
		"a path with the zero id":     func(f *form.Form) { f.PathID("zero") },
		"one id of several":           func(f *form.Form) { f.IDs("bad") },
		"an id that may be missing":   func(f *form.Form) { f.MaybeID("bad") },
		"a date":                      func(f *form.Form) { f.Date("bad") },
		"a date that is missing":      func(f *form.Form) { f.Date("none") },
		"a date that may be missing":  func(f *form.Form) { f.MaybeDate("bad") },
		"a number":                    func(f *form.Form) { f.Count("bad") },
		"a number below zero":         func(f *form.Form) { f.Count("below") },
		"something before what reads": func(f *form.Form) { f.Count("bad"); f.Text("bad") },
	} {
		f := form.Of(request(map[string]string{"zero": uuid.Nil.String()}, url.Values{"bad": {"x"}, "below": {"-1"}}))
		read(f)
		if err := f.Err(); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
}
