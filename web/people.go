package web

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type peopleView struct {
	frameView
	*people.People
	Rows     []personRow
	Columns  []field.PersonField
	Q        url.Values
	MoreHref string
	Export   string
	Many     string // address of the change for many, with the same filter
	SignIns  string // where those without a password are given links
	States   []field.Choice
	Without  []field.Choice
	Levels   []field.Choice
	OwnPick  []field.PersonField // the company's own fields that can be filtered by
	Back     string              // the address, to come back to
}

type personRow struct {
	store.Sheet
	Href  string
	Cells []personCell
}

// personCell is one setting in the list, with what typing changes.
type personCell struct {
	Key, Text, Value string
	Edit             bool
	Number           bool
}

var peopleStates = []field.Choice{{Value: "", Label: "everyone who is here or coming"}, {Value: "here", Label: "works here"},
	{Value: "coming", Label: "still to come"}, {Value: "leaving", Label: "is leaving"}, {Value: "ended", Label: "left"},
	{Value: "any", Label: "everyone ever"}}

var peopleWithout = []field.Choice{{Value: "", Label: "–"}, {Value: "pattern", Label: "a working pattern"},
	{Value: "rate", Label: "a rate"}, {Value: "sign-in", Label: "a password"}}

// sheetFilter reads the filter of a list of people from the address.
func sheetFilter(q url.Values) (store.SheetFilter, error) {
	f := store.SheetFilter{Text: q.Get("q"), Level: q.Get("level"), State: q.Get("state"), Without: q.Get("without")}
	for _, part := range []struct {
		name string
		into *uuid.UUID
	}{{"unit", &f.Unit}, {"site", &f.Site}} {
		if text := q.Get(part.name); text != "" {
			id, err := uuid.Parse(text)
			if err != nil {
				return f, app.ErrNotFound
			}
			*part.into = id
		}
	}
	if !slices.ContainsFunc(peopleStates, func(c field.Choice) bool {
		return c.Value == f.State
	}) || f.Level != "" && !slices.Contains(app.Levels, f.Level) || f.Without != "" && !slices.Contains(store.Lacks(), f.Without) {
		return f, app.ErrNotFound
	}
	for name, values := range q {
		key, whole := strings.CutPrefix(name, "is-")
		part := false
		if !whole {
			if key, part = strings.CutPrefix(name, "has-"); !part {
				continue
			}
		}
		if values[0] != "" {
			f.Own = append(f.Own, store.OwnFilter{Key: key, Value: values[0], Part: part})
		}
	}
	slices.SortFunc(f.Own, func(a, b store.OwnFilter) int { return strings.Compare(a.Key, b.Key) })
	return f, nil
}

func (s *Server) peoplePage(w http.ResponseWriter, r *http.Request) error {
	filter, err := sheetFilter(r.URL.Query())
	if err != nil {
		return err
	}
	offset, err := offsetOf(r)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	l, err := people.ReadPeople(r.Context(), s.app, actor, people.PeopleQuery{SheetFilter: filter, Offset: offset})
	if err != nil {
		return err
	}
	v := peopleView{People: l, Q: r.URL.Query(), MoreHref: moreHref(r, offset, max(0, l.Total-offset-len(l.Sheets))),
		States: peopleStates, Without: peopleWithout, Back: r.URL.RequestURI()}
	query := r.URL.Query()
	query.Del("offset")
	v.Export, v.Many, v.SignIns = "/people/export.csv?"+query.Encode(), "/people/many?"+query.Encode(), "/people/signins?"+query.Encode()
	v.Levels = l.Fields.Get("level").Choices
	for _, key := range l.Columns {
		v.Columns = append(v.Columns, *l.Fields.Get(key))
	}
	for _, f := range l.Fields.All {
		if f.Own {
			v.OwnPick = append(v.OwnPick, f)
		}
	}
	for _, sheet := range l.Sheets {
		v.Rows = append(v.Rows, personRowOf(actor, sheet, v.Columns))
	}
	if offset > 0 {
		s.pages.writePart(w, s.log, http.StatusOK, "people", "peoplerows", v)
		return nil
	}
	if v.frameView, err = s.stillFrame(r, "People", "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "people", v)
	return nil
}

func personRowOf(actor app.Actor, sheet store.Sheet, columns []field.PersonField) personRow {
	row := personRow{Sheet: sheet, Href: "/people/" + sheet.Person.String()}
	may := actor.Reaches("people.change", sheet.Person, sheet.Unit)
	for _, f := range columns {
		value, seen := sheet.Values[f.Key]
		c := personCell{Key: f.Key, Text: f.Show(value), Value: f.Enter(value), Edit: may && !f.Fixed && (seen || f.Own),
			Number: f.Kind == field.NumberField}
		row.Cells = append(row.Cells, c)
	}
	return row
}

// Picked says whether a column is shown.
func (v peopleView) Picked(key string) bool { return slices.Contains(v.People.Columns, key) }

// Choosable lists the settings that can be columns.
func (v peopleView) Choosable() []field.PersonField {
	return slices.DeleteFunc(slices.Clone(v.Fields.All), func(f field.PersonField) bool {
		return f.Later || f.Key == "given_name" || f.Key == "family_name" || f.Key == "number" || !v.Actor.May(f.See)
	})
}

// Sentence says how many are shown of whom.
func (v peopleView) Sentence() string {
	n := words.Plural(v.Total, "person", "people")
	for _, c := range v.States {
		if c.Value == v.Q.Get("state") && c.Value != "" {
			return n + ", " + c.Label
		}
	}
	return n
}

func (s *Server) putColumns(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, people.PutColumns{List: "people", Columns: r.Form["column"]})
	return s.done(w, r, err, backTo(r, "/people"), said{Text: "The columns are kept for you."})
}

// peopleCSV is what the list shows, as a file: the columns chosen, after
// number and names.
func (s *Server) peopleCSV(w http.ResponseWriter, r *http.Request) error {
	filter, err := sheetFilter(r.URL.Query())
	if err != nil {
		return err
	}
	l, err := people.Exported(r.Context(), s.app, visitOf(r).actor, filter)
	if err != nil {
		return err
	}
	keys := []string{"number", "given_name", "family_name"}
	for _, key := range l.Columns {
		if !slices.Contains(keys, key) {
			keys = append(keys, key)
		}
	}
	head := make([]string, len(keys))
	for i, key := range keys {
		head[i] = l.Fields.Get(key).Label
	}
	rows := make([][]string, len(l.Sheets))
	for n, sheet := range l.Sheets {
		rows[n] = make([]string, len(keys))
		for i, key := range keys {
			rows[n][i] = l.Fields.Get(key).Enter(sheet.Values[key])
		}
	}
	return writeCSV(w, "people-"+l.Today.String()+".csv", head, rows)
}

type newPersonView struct {
	frameView
	Fields  *people.PersonFields
	Groups  []fieldGroup
	Values  map[string]string
	ID      string
	Wrong   string
	WrongAt string
	Lead    bool
}

// fieldGroup is settings that belong together.
type fieldGroup struct {
	Name   string
	Fields []field.PersonField
}

func groupsOf(fields []field.PersonField, want func(field.PersonField) bool) []fieldGroup {
	var groups []fieldGroup
	for _, f := range fields {
		if !want(f) {
			continue
		}
		i := slices.IndexFunc(groups, func(g fieldGroup) bool { return g.Name == f.Group })
		if i < 0 {
			i = len(groups)
			groups = append(groups, fieldGroup{Name: f.Group})
		}
		groups[i].Fields = append(groups[i].Fields, f)
	}
	return groups
}

// newPersonFirst are the settings of the short form; the others follow on the
// person's page.
var newPersonFirst = []string{"given_name", "family_name", "number", "unit", "site", "starts_on", "email", "mobile", "level",
	"title", "rate", "pattern"}

func (s *Server) newPersonPage(w http.ResponseWriter, r *http.Request) error {
	return s.newPerson(w, r, http.StatusOK, newPersonView{ID: newID().String(), Values: map[string]string{}})
}

func (s *Server) newPerson(w http.ResponseWriter, r *http.Request, status int, v newPersonView) error {
	actor := visitOf(r).actor
	l, err := people.ReadPeople(r.Context(), s.app, actor, people.PeopleQuery{})
	if err != nil {
		return err
	}
	v.Fields, v.Lead = l.Fields, !actor.May("people.change")
	if v.Values["starts_on"] == "" {
		v.Values["starts_on"] = l.Today.String()
	}
	keys := newPersonFirst
	if v.Lead {
		keys = []string{"given_name", "family_name", "unit", "site", "starts_on", "mobile", "title"}
	}
	for _, key := range keys {
		if f := *l.Fields.Get(key); actor.May(f.See) {
			if key == "number" {
				f.Help, f.Required = "Empty: the next number that is free", false
			}
			if key == "site" {
				f.Choices = append([]field.Choice{{Value: "", Label: "that of the crew or department"}}, f.Choices...)
			}
			v.Groups = append(v.Groups, fieldGroup{Fields: []field.PersonField{f}})
		}
	}
	if v.frameView, err = s.stillFrame(r, "Add a person", "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "person-new", v)
	return nil
}

func (s *Server) addPerson(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	values := map[string]string{}
	for key, v := range r.Form {
		if key != "id" {
			values[key] = v[0]
		}
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, people.AddPerson{ID: id, Values: values})
	if refused := refusalIn(err); refused != nil {
		return s.newPerson(w, r, http.StatusUnprocessableEntity,
			newPersonView{ID: newID().String(), Values: values, Wrong: refused.Error(), WrongAt: refused.Field})
	}
	words := said{Text: values["given_name"] + " " + values["family_name"] + " is added and can be planned and clocked in."}
	return s.done(w, r, err, "/people/"+id.String(), words)
}
