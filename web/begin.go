package web

import (
	"net/http"
	"strings"

	"manudex/app"
	"manudex/app/company"
	"manudex/app/field"
)

type beginView struct {
	frameView
	*company.FirstStepPage
	Steps  []company.FirstStep
	Fields []setting
	Wrong  string
	Typed  map[string]string
	Days   []field.Choice
}

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
		if typed, ok := v.Typed[value.Key]; ok {
			value.Value = typed
		}
		v.Fields = append(v.Fields, companySetting(value))
	}
	v.Steps, v.Days = company.FirstSteps, weekStarts
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
		Ready: r.FormValue("ready"), Week: r.FormValue("week")}
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
