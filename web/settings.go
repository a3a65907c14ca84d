package web

import (
	"html/template"
	"net/http"
	"slices"
	"strings"

	"manudex/app/field"
)

// setting is one setting as a page shows and changes it, be it of a person, a
// job, a task or the company, or a pay code: a form of its own.
type setting struct {
	field.Field
	Action  string // where it is changed
	ID      string // of its input
	Name    string // of what its input sends
	Value   string // as it is entered
	Text    string // as it is read
	Edit    bool
	Stays   bool   // it can't be changed any more
	Sent    []sent // what else the form sends
	From    string // of dated settings: since when, and the first day it may be
	Min     string
	Patient bool // it is sent when its value changes, not when its day does
	Class   string

	Said, Wrong string
	Sure        string        // what a button says that does it all the same
	Batch       string        // that undoes it, of a cell of a list
	More        template.HTML // elsewhere on the page, what changed with it
}

// sent is what a form sends unseen.
type sent struct{ Name, Value string }

// settingOf is a setting with its value, changed at an address.
func settingOf(v field.Value, action, prefix string, edit bool) setting {
	return setting{Field: v.Field, Action: action, ID: prefix + v.Key, Name: "value", Value: v.Enter(v.Value), Text: v.Show(),
		Edit: edit && !v.Stays, Stays: v.Stays, Sent: []sent{{"field", v.Key}}}
}

// Blank says whether no choice stands for the value: it has none.
func (s setting) Blank() bool {
	return s.Value == "" && !slices.ContainsFunc(s.Choices, func(c field.Choice) bool { return c.Value == "" })
}

// Has says whether a list, apart by commas, holds a choice.
func (s setting) Has(list, choice string) bool {
	return slices.ContainsFunc(strings.Split(list, ","), func(part string) bool { return strings.TrimSpace(part) == choice })
}

// sureField is the field of a question that is asked before something is done.
const sureField = "sure"

// settingSaved answers a change of a setting with that setting alone, as it is
// now: with a word that it is kept, or with what is wrong and what was typed. A
// browser without scripts goes back to the page.
func (s *Server) settingSaved(w http.ResponseWriter, r *http.Request, err error, back, typed string, read func() (setting, error)) error {
	refused := refusalIn(err)
	if err != nil && refused == nil {
		return err
	}
	cell := r.Header.Get("X-Cell") != ""
	if r.Header.Get("HX-Request") == "" && !cell {
		return s.done(w, r, err, back, said{Text: "Saved."})
	}
	st, err := read()
	if err != nil {
		return err
	}
	status := http.StatusOK
	switch {
	case refused != nil && refused.Field == sureField:
		st.Value, st.Said, st.Wrong, st.More, st.Sure = typed, "", refused.Wrong+". "+refused.Right+".", "", "Take it from them"
		st.Sent, status = append(st.Sent, sent{sureField, "yes"}), http.StatusUnprocessableEntity
	case refused != nil:
		st.Value, st.Said, st.Wrong, st.More, status = typed, "", refused.Error()+".", "", http.StatusUnprocessableEntity
	case st.Said == "":
		st.Said = "Saved"
	}
	if cell {
		s.pages.writePart(w, s.log, status, "people", "cell", st)
		return nil
	}
	s.pages.writePart(w, s.log, status, "", "setting", st)
	return nil
}
