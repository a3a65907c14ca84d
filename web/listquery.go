package web

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
)

// listQuery is what a list is asked for, as its address says it: what is found,
// filtered and sorted by. Whatever leads away from the list and back takes it
// along.
type listQuery struct {
	Path string
	Q    url.Values
}

// listQueryOf reads it from an address; which piece of the list is asked for is
// no part of it.
func listQueryOf(r *http.Request) listQuery { return listQueryAt(r.URL) }

func listQueryAt(u *url.URL) listQuery {
	q := u.Query()
	for name, values := range q {
		values = slices.DeleteFunc(values, func(v string) bool { return v == "" })
		if len(values) == 0 || name == "offset" || name == "as" {
			delete(q, name)
			continue
		}
		q[name] = values
	}
	return listQuery{u.Path, q}
}

func (l listQuery) clone() listQuery {
	q := url.Values{}
	for name, values := range l.Q {
		q[name] = slices.Clone(values)
	}
	return listQuery{l.Path, q}
}

// Href is the address.
func (l listQuery) Href() string { return l.to(l.Path) }

// to is the address of another page with the same filter.
func (l listQuery) to(path string) string {
	if len(l.Q) == 0 {
		return path
	}
	return path + "?" + l.Q.Encode()
}

// With is the address with one value in the place of what stands under a name,
// "" for none.
func (l listQuery) With(name, value string) string {
	n := l.clone()
	n.Q.Del(name)
	if value != "" {
		n.Q.Set(name, value)
	}
	return n.Href()
}

// Turn is the address with one of several values under a name put in, or taken
// out where it stands there.
func (l listQuery) Turn(name, value string) string {
	n := l.clone()
	if i := slices.Index(n.Q[name], value); i >= 0 {
		n.Q[name] = slices.Delete(n.Q[name], i, i+1)
	} else {
		n.Q.Add(name, value)
	}
	return n.Href()
}

// On says whether a value stands under a name.
func (l listQuery) On(name, value string) bool { return slices.Contains(l.Q[name], value) }

// Get is the one value under a name.
func (l listQuery) Get(name string) string { return l.Q.Get(name) }

// Narrowed says whether anything but order and columns is asked for.
func (l listQuery) Narrowed() bool {
	for name := range l.Q {
		if name != "sort" && name != "view" {
			return true
		}
	}
	return false
}

// Fields are the hidden fields that a form takes along, but for those it has
// itself.
func (l listQuery) Fields(but ...string) []sent {
	var fields []sent
	for name, values := range l.Q {
		for _, v := range values {
			if !slices.Contains(but, name) {
				fields = append(fields, sent{name, v})
			}
		}
	}
	slices.SortStableFunc(fields, func(a, b sent) int { return strings.Compare(a.Name, b.Name) })
	return fields
}

// Of is the address of the page of one of the list's rows, which knows from which
// list it was opened.
func (l listQuery) Of(id uuid.UUID) string {
	n := l.clone()
	n.Q.Del("who")
	href := l.Path + "/" + id.String()
	if len(n.Q) > 0 {
		href += "?list=" + url.QueryEscape(n.Q.Encode())
	}
	return href
}

// cameFrom is the list that a page of one row was opened from, as its address says;
// without one it is the whole list.
func cameFrom(r *http.Request, path string) listQuery {
	q, err := url.ParseQuery(r.URL.Query().Get("list"))
	if err != nil {
		q = url.Values{}
	}
	return listQuery{path, q}
}

// neighbours lead from a page of one row to the list it was opened from, and to the
// rows beside it.
type neighbours struct{ List, Before, After string }

// neighboursOf gives them; of what the list isn't asked for rightly there are none.
func neighboursOf(l listQuery, beside func() (before, after uuid.UUID, err error)) (n neighbours, err error) {
	n.List = l.Href()
	before, after, err := beside()
	if errors.Is(err, app.ErrNotFound) || errors.Is(err, app.ErrForbidden) {
		return neighbours{List: l.Path}, nil
	}
	if before != uuid.Nil {
		n.Before = l.Of(before)
	}
	if after != uuid.Nil {
		n.After = l.Of(after)
	}
	return n, err
}

// ids reads several ids under a name.
func (l listQuery) ids(name string) ([]uuid.UUID, error) {
	var ids []uuid.UUID
	for _, text := range l.Q[name] {
		if text == "" { // a menu on “every”
			continue
		}
		id, err := uuid.Parse(text)
		if err != nil {
			return nil, app.ErrNotFound
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// among reads the crews and sites that a list is restricted to.
func (l listQuery) among() (a hours.Among, err error) {
	if a.Units, err = l.ids("unit"); err != nil {
		return a, err
	}
	a.Sites, err = l.ids("site")
	return a, err
}

// sorting reads how a list of cards is ordered.
func (l listQuery) sorting() (s hours.Sorting) {
	s.By, s.Falling = l.sort()
	return s
}

// placeChoice is the two choices of crew and site above a list.
type placeChoice struct {
	hours.Places
	L    listQuery
	Path string
	Keep []sent
}

// placesOf are the choices of crew and site for a list at an address.
func placesOf(l listQuery, p hours.Places) placeChoice {
	return placeChoice{p, l, l.Path, l.Fields("unit", "site")}
}

// sort is the column that the list is sorted by, and whether from its end.
func (l listQuery) sort() (key string, falling bool) {
	return strings.CutPrefix(l.Q.Get("sort"), "-")
}

// heading is the head of a column that the list can be sorted by.
type heading struct {
	Label, Href, Sorted string // "ascending", "descending" or ""
	Number              bool
}

// Head is the head of a column: pressing it sorts by it, then the other way
// round, then as before.
func (l listQuery) Head(key, label string) heading {
	h := heading{Label: label}
	next := key
	if by, falling := l.sort(); by == key && falling {
		h.Sorted, next = "descending", ""
	} else if by == key {
		h.Sorted, next = "ascending", "-"+key
	}
	h.Href = l.With("sort", next)
	return h
}

// Num is the head of a column of figures.
func (l listQuery) Num(key, label string) heading {
	h := l.Head(key, label)
	h.Number = true
	return h
}
