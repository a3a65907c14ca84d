package web

import (
	"net/http"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/store"
	"manudex/web/form"
)

type peopleView struct {
	frameView
	*people.People
	L        listQuery
	Rows     []personRow
	Heads    []heading
	Columns  []field.PersonField
	MoreHref string
	Sentence []facet // of kinds of crews, and of what some lack
	Facets   []facetLine
	Views    []facet
	Back     string // the address, to come back to
}

// Marked says whether somebody of the list has a mark.
func (v peopleView) Marked() bool {
	return slices.ContainsFunc(v.Rows, func(r personRow) bool { return r.Values["mark"] != "" })
}

// facet is "13 in the field" with the address that shows those, or shows the
// others again.
type facet struct {
	N     int
	Label string
	Href  string
	On    bool
}

// facetLine is what people can be parted by: crews, sites, levels, states.
type facetLine struct {
	Name string
	Of   []facet
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

var peopleStates = []field.Choice{{Value: "", Label: "here or coming"}, {Value: "here", Label: "works here"},
	{Value: "coming", Label: "still to come"}, {Value: "leaving", Label: "is leaving"}, {Value: "ended", Label: "left"},
	{Value: "any", Label: "everyone ever"}}

var peopleWithout = field.Choices("pattern", "without a working pattern", "rate", "without a rate", "sign-in", "without a password",
	"number", "without a number")

// noUnit stands in an address for the kind of those who are in no crew.
const noUnit = "none"

// sheetFilter reads the filter of a list of people from its address.
func sheetFilter(l listQuery) (f store.SheetFilter, err error) {
	f = store.SheetFilter{Text: l.Get("q"), State: l.Get("state"), Without: l.Get("without"), Kinds: l.Q["kind"], Levels: l.Q["level"]}
	f.Sort.Key, f.Sort.Falling = l.sort()
	if f.Sort.Key == "name" {
		f.Sort.Key = "family_name"
	}
	for _, part := range []struct {
		name string
		into *[]uuid.UUID
	}{{"unit", &f.InUnits}, {"site", &f.Sites}, {"who", &f.Persons}} {
		if *part.into, err = l.ids(part.name); err != nil {
			return f, err
		}
	}
	bad := !field.Has(peopleStates, f.State) || f.Without != "" && !slices.Contains(store.Lacks(), f.Without)
	f.Kinds = slices.Clone(f.Kinds)
	for i, kind := range f.Kinds {
		if kind == noUnit {
			f.Kinds[i] = ""
		}
		bad = bad || kind != noUnit && !field.Has(field.UnitKinds, kind)
	}
	for _, level := range f.Levels {
		bad = bad || !slices.Contains(app.Levels, level)
	}
	if bad {
		return f, app.ErrNotFound
	}
	return f, nil
}

func (s *Server) peoplePage(w http.ResponseWriter, r *http.Request) error {
	list := listQueryOf(r)
	filter, err := sheetFilter(list)
	if err != nil {
		return err
	}
	offset, err := offsetOf(r)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	l, err := people.ReadPeople(r.Context(), s.app, actor, people.PeopleQuery{SheetFilter: filter, Offset: offset, View: list.Get("view")})
	if err != nil {
		return err
	}
	v := peopleView{People: l, L: list, MoreHref: moreHref(r, offset, max(0, l.Total-offset-len(l.Sheets))), Back: list.Href()}
	v.Heads = []heading{list.Head("name", "Person")}
	for _, key := range l.Columns {
		f := *l.Fields.Get(key)
		v.Columns = append(v.Columns, f)
		h := list.Head(key, f.Label)
		h.Number = f.Kind == field.NumberField
		v.Heads = append(v.Heads, h)
	}
	for _, sheet := range l.Sheets {
		row := personRowOf(actor, sheet, v.Columns)
		row.Href = list.Of(sheet.Person)
		v.Rows = append(v.Rows, row)
	}
	if offset > 0 {
		s.pages.writePart(w, s.log, http.StatusOK, "people", "peoplerows", v)
		return nil
	}
	v.facets(filter)
	if v.frameView, err = s.stillFrame(r, "People", "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "people", v)
	return nil
}

// facets says how many people are in which crew, at which site, of which level
// and in which state, each with the address that shows them.
func (v *peopleView) facets(f store.SheetFilter) {
	some := func(name, value, label string, is func(store.CensusRow) bool) facet {
		href := v.L.Turn(name, value)
		if name == "without" || name == "state" {
			if href = v.L.With(name, value); v.L.On(name, value) {
				href = v.L.With(name, "")
			}
		}
		return facet{N: v.Census.Of(f, name, is), Label: label, Href: href, On: v.L.On(name, value) || name == "state" && value == f.State}
	}
	put := func(into *[]facet, one facet) {
		if one.N > 0 || one.On {
			*into = append(*into, one)
		}
	}
	for _, k := range field.UnitKinds {
		put(&v.Sentence, some("kind", k.Value, k.Label, func(r store.CensusRow) bool { return r.Kind == k.Value }))
	}
	put(&v.Sentence, some("kind", noUnit, "in no crew", func(r store.CensusRow) bool { return r.Kind == "" }))
	for _, k := range peopleWithout {
		if by := v.Fields.Get(k.Value); by == nil || v.Actor.May(by.See) {
			put(&v.Sentence, some("without", k.Value, k.Label, func(r store.CensusRow) bool { return slices.Contains(r.Lacks, k.Value) }))
		}
	}
	named := func(name, label string, of []store.Named, id func(store.CensusRow) *uuid.UUID) {
		line := facetLine{Name: label}
		for _, n := range of {
			put(&line.Of, some(name, n.ID.String(), n.Name, func(r store.CensusRow) bool { return store.IDOrNil(id(r)) == n.ID }))
		}
		if len(line.Of) > 1 {
			v.Facets = append(v.Facets, line)
		}
	}
	named("unit", "Crews and departments", v.Fields.Units, func(r store.CensusRow) *uuid.UUID { return r.Unit })
	named("site", "Sites", v.Fields.Sites, func(r store.CensusRow) *uuid.UUID { return r.Site })
	levels, states := facetLine{Name: "Levels"}, facetLine{Name: "State"}
	for _, c := range v.Fields.Get("level").Choices {
		put(&levels.Of, some("level", c.Value, c.Label, func(r store.CensusRow) bool { return r.Level == c.Value }))
	}
	for _, c := range peopleStates {
		put(&states.Of, some("state", c.Value, c.Label, func(r store.CensusRow) bool {
			return c.Value == "any" || r.State == c.Value || c.Value == "" && r.State != "ended"
		}))
	}
	v.Facets = append(v.Facets, levels)
	if f.State != "" || states.Of[0].N != states.Of[len(states.Of)-1].N || len(states.Of) > 3 {
		v.Facets = append(v.Facets, states)
	}
	for _, view := range people.Views(v.Own) {
		v.Views = append(v.Views, facet{Label: view.Label, Href: v.L.With("view", view.Key), On: view.Key == v.View})
	}
}

func personRowOf(actor app.Actor, sheet store.Sheet, columns []field.PersonField) personRow {
	row := personRow{Sheet: sheet}
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

// Export is the address of the list as a file, Many of the change for many, and
// SignIns where those without a password are given links.
func (v peopleView) Export() string  { return v.L.to("/people/export.csv") }
func (v peopleView) Many() string    { return v.L.to("/people/many") }
func (v peopleView) SignIns() string { return v.L.to("/people/signins") }

// Choosable lists the settings that can be columns.
func (v peopleView) Choosable() []field.PersonField {
	return slices.DeleteFunc(slices.Clone(v.Fields.All), func(f field.PersonField) bool {
		return f.Later || f.Key == "given_name" || f.Key == "family_name" || f.Key == "number" || !v.Actor.May(f.See)
	})
}

func (s *Server) putColumns(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, people.PutColumns{List: "people", Columns: r.Form["column"]})
	return s.done(w, r, err, backTo(r, "/people"), said{Text: "The columns are kept for you, as your own."})
}

// peopleCSV is what the list shows, as a file: the columns chosen, after
// number and names.
func (s *Server) peopleCSV(w http.ResponseWriter, r *http.Request) error {
	list := listQueryOf(r)
	filter, err := sheetFilter(list)
	if err != nil {
		return err
	}
	l, err := people.Exported(r.Context(), s.app, visitOf(r).actor, filter, list.Get("view"))
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
