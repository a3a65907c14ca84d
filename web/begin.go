package web

import (
	"net/http"
	"strings"

	"manudex/app"
	"manudex/app/company"
	"manudex/app/field"
	"manudex/core/pay"
	"manudex/web/form"
)

type beginView struct {
	frameView
	*company.FirstStepPage
	Steps  []company.FirstStep
	Fields []setting
	Wrong  string
	Typed  map[string]string
	Days   []field.Choice
	Codes  []firstCode
	NewID  string // of the first person

	JobWord string // "Job", as the company calls it
}

// firstCode is a pay code that the short set-up proposes: codes that most payroll
// programs can be told.
type firstCode struct {
	Name, Label, Value string
	Pays               pay.Pays
}

var firstCodes = []firstCode{{"code-regular", "Regular hours", "REG", pay.PaysRegular},
	{"code-overtime", "Overtime", "OT", pay.PaysOvertime}, {"code-double", "Double time", "DT", pay.PaysDouble}}

var weekStarts = []field.Choice{{Value: "Sun", Label: "Sunday"}, {Value: "Mon", Label: "Monday"}, {Value: "Tue", Label: "Tuesday"},
	{Value: "Wed", Label: "Wednesday"}, {Value: "Thu", Label: "Thursday"}, {Value: "Fri", Label: "Friday"},
	{Value: "Sat", Label: "Saturday"}}

func (s *Server) beginPage(w http.ResponseWriter, r *http.Request) error {
	return s.writeBegin(w, r, http.StatusOK, beginView{}, r.URL.Query().Get("step"))
}

func (s *Server) writeBegin(w http.ResponseWriter, r *http.Request, status int, v beginView, step string) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	if step == "" {
		if step = company.NextStep(place); step == "" {
			step = company.FirstSteps[0].Key
		}
	}
	if v.FirstStepPage, err = company.ReadFirstStepPage(r.Context(), s.app, visitOf(r).actor, step); err != nil {
		return err
	}
	for _, value := range v.Values {
		field := companySetting(value)
		if typed, ok := v.Typed[value.Key]; ok {
			field.Value = typed
		}
		v.Fields = append(v.Fields, field)
	}
	v.Steps, v.Days, v.NewID = company.FirstSteps, weekStarts, newID().String()
	v.JobWord = app.JobWord(place.JobWord).Title()
	for _, c := range firstCodes {
		if v.Done["rules"] || v.FirstStepPage.Codes[c.Pays] != "" {
			c.Value = v.FirstStepPage.Codes[c.Pays]
		}
		if typed, ok := v.Typed[c.Name]; ok {
			c.Value = typed
		}
		v.Codes = append(v.Codes, c)
	}
	if v.frameView, err = s.stillFrame(r, v.Step.Name, "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "begin", v)
	return nil
}

// takeStep does one step and goes on to the next that is not done.
func (s *Server) takeStep(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	act := company.TakeStep{Step: r.FormValue("step"), Values: map[string]string{}, Site: r.FormValue("first_site"),
		Ready: r.FormValue("ready"), Week: r.FormValue("week"), Skip: r.FormValue("skip") != "", Codes: map[pay.Pays]string{},
		First: company.FirstPerson{Given: r.FormValue("given_name"), Family: r.FormValue("family_name"), Crew: r.FormValue("crew"),
			Job: r.FormValue("job")}}
	if act.Step == "people" && !act.Skip {
		f := form.Of(r)
		if act.First.ID = f.ID("id"); f.Err() != nil {
			return f.Err()
		}
	}
	for _, c := range firstCodes {
		if r.Form.Has(c.Name) {
			act.Codes[c.Pays] = r.FormValue(c.Name)
		}
	}
	for key, values := range r.Form {
		act.Values[key] = strings.Join(values, ",")
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	if refused := refusalIn(err); refused != nil {
		return s.writeBegin(w, r, http.StatusUnprocessableEntity, beginView{Wrong: refused.Error() + ".", Typed: act.Values}, act.Step)
	}
	if err != nil {
		return err
	}
	switch {
	case act.Skip:
		http.Redirect(w, r, "/people/file", http.StatusSeeOther)
		return nil
	case act.Step == "people":
		return s.giveSlips(w, r, act.First.ID)
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	if next := company.NextStep(place); next != "" {
		http.Redirect(w, r, "/setup/begin?step="+next, http.StatusSeeOther)
		return nil
	}
	return s.done(w, r, nil, "/setup", said{Text: "That is the short set-up. What the place needs next is listed beside, in order."})
}

// leaveSteps leaves the short set-up for now; Setup leads back to it.
func (s *Server) leaveSteps(w http.ResponseWriter, r *http.Request) error {
	s.sessions.Put(r.Context(), sessionLeft, true)
	http.Redirect(w, r, "/setup", http.StatusSeeOther)
	return nil
}
