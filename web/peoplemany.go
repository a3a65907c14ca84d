package web

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/web/form"
	"manudex/web/words"
)

// cutReach splits "unit:ID" and "site:ID".
func cutReach(text string) (kind, id string, ok bool) { return strings.Cut(text, ":") }

type manyView struct {
	frameView
	Fields  []field.PersonField // that can be changed for many
	Field   *field.PersonField
	Value   string
	From    string
	Query   string // the filter, as in the address
	Preview *people.ManyPreview
	Wrong   string
	ID      string
	Total   int
}

// WaysTaken says what somebody of the preview would lack, and gain, by ways of clocking that
// are taken from them; "" where none is.
func (v manyView) WaysTaken(row people.ManyRow) string {
	if v.Field == nil || v.Field.Key != "clock_points" || row.Why != "" {
		return ""
	}
	lacks, gains := words.WaysTaken(row.Values["given_name"], field.SplitList(row.Old), field.SplitList(row.New))
	if lacks == "" {
		return ""
	}
	return lacks + ". " + gains + "."
}

// manyPage chooses a setting for everyone the list shows, and previews what
// would change.
func (s *Server) manyPage(w http.ResponseWriter, r *http.Request) error {
	list := listQueryOf(r)
	q := list.Q
	filter, err := sheetFilter(list)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	l, err := people.ReadPeople(r.Context(), s.app, actor, people.PeopleQuery{SheetFilter: filter})
	if err != nil {
		return err
	}
	v := manyView{Value: q.Get("value"), From: q.Get("from"), Query: ofList(list).Q.Encode(), ID: newID().String(), Total: l.Total}
	v.Fields = slices.DeleteFunc(slices.Clone(l.Fields.All), func(f field.PersonField) bool {
		return !f.Many || f.Later || !actor.May(f.See)
	})
	if key := q.Get("field"); key != "" {
		if v.Field = l.Fields.Get(key); v.Field == nil {
			return app.ErrNotFound
		}
	}
	if v.From == "" {
		v.From = l.Today.String()
	}
	if v.Field != nil && r.URL.Query().Has("value") {
		many, err := manyOf(list)
		if err != nil {
			return err
		}
		if v.Preview, err = people.PreviewMany(r.Context(), s.app, actor, many); refusalIn(err) != nil {
			v.Wrong = refusalIn(err).Error() + "."
		} else if err != nil {
			return err
		}
	}
	if v.frameView, err = s.stillFrame(r, "Change one setting for many", "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "people-many", v)
	return nil
}

// ofList is what the list is asked for, without the change of many.
func ofList(l listQuery) listQuery {
	n := l.clone()
	for _, name := range []string{"field", "value", "from"} {
		n.Q.Del(name)
	}
	n.Path = "/people"
	return n
}

// List is the address of the list with the filter.
func (v manyView) List() string { return "/people?" + v.Query }

func manyOf(l listQuery) (people.ManyChange, error) {
	q := l.Q
	m := people.ManyChange{Field: q.Get("field"), Value: q.Get("value")}
	var err error
	if m.Filter, err = sheetFilter(l); err != nil {
		return m, err
	}
	if from := q.Get("from"); from != "" {
		if m.From, err = when.ParseDate(from); err != nil {
			return m, app.ErrNotFound
		}
	}
	return m, nil
}

func (s *Server) changeMany(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	q, err := url.ParseQuery(f.Text("query"))
	if err != nil {
		return app.ErrNotFound
	}
	for _, name := range []string{"field", "value", "from"} {
		q.Set(name, f.Text(name))
	}
	list := listQuery{"/people/many", q}
	many, err := manyOf(list)
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, people.ChangeMany{ID: id, ManyChange: many, Seen: f.Text("seen")})
	if err != nil {
		return s.done(w, r, err, "/people/many?"+q.Encode(), said{})
	}
	n, _, _ := strings.Cut(f.Text("seen"), " ")
	return s.done(w, r, nil, ofList(list).Href(),
		said{Text: "Changed for " + n + ".", Undo: "/undo", UndoLabel: "Undo", Batch: id.String()})
}
