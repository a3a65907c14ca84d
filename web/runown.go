package web

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/google/uuid"

	"manudex/app/payroll"
	"manudex/core/refusal"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

// ownRunView is the page of runs for chosen people.
type ownRunView struct {
	frameView
	Group    string
	ID       string
	Today    string
	Prepared []store.PreparedRun
	Typed    url.Values
	Refusal  *refusal.Refusal
}

// T gives what was typed into a field before it was refused.
func (v ownRunView) T(name string) string { return v.Typed.Get(name) }

// Wrong says whether a field was refused.
func (v ownRunView) Wrong(name string) bool { return v.Refusal != nil && v.Refusal.Field == name }

func (s *Server) ownRunsPage(w http.ResponseWriter, r *http.Request) error {
	return s.showOwnRuns(w, r, http.StatusOK, r.URL.Query().Get("group"), nil, nil)
}

func (s *Server) showOwnRuns(w http.ResponseWriter, r *http.Request, status int, group string, typed url.Values,
	refused *refusal.Refusal) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := ownRunView{Group: group, ID: newID().String(), Today: place.Today(s.app.Now()).String(), Typed: typed, Refusal: refused}
	if v.Prepared, err = payroll.Prepared(r.Context(), s.app, visitOf(r).actor, group); err != nil {
		return err
	}
	if v.frameView, err = s.stillFrame(r, "A run for some people", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-own", v)
	return nil
}

// prepareRun prepares a run for chosen people.
func (s *Server) prepareRun(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.PrepareRun{ID: f.ID("id"), Group: f.Text("group"), To: f.Text("to"), Final: f.Yes("final"), Why: f.Text("why")}
	if err := f.Err(); err != nil {
		return err
	}
	var who []string
	for name := range strings.SplitSeq(f.Text("who"), ",") {
		if strings.TrimSpace(name) != "" {
			who = append(who, name)
		}
	}
	var err error
	if len(who) > 0 {
		act.Employments, err = payroll.Called(r.Context(), s.app, visitOf(r).actor, act.Group, who...)
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	if refused := refusalIn(err); refused != nil {
		return s.showOwnRuns(w, r, http.StatusUnprocessableEntity, act.Group, r.PostForm, refused)
	}
	return s.done(w, r, err, "/payruns/own/"+act.ID.String(), said{Text: "Prepared. Look it over; it is paid when it is closed."})
}

func (s *Server) giveUpRun(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.GiveUpRun{ID: f.PathID("own")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/payruns/own?group="+url.QueryEscape(f.Text("group")),
		said{Text: "Given up. Nothing of it was paid."})
}

// preparedPage shows what a run for chosen people would pay, and closes it.
func (s *Server) preparedPage(w http.ResponseWriter, r *http.Request) error {
	return s.showPrepared(w, r, http.StatusOK, form.Of(r).PathID("own"), nil)
}

func (s *Server) showPrepared(w http.ResponseWriter, r *http.Request, status int, id uuid.UUID, refused *refusal.Refusal) error {
	p, err := payroll.PreparedPage(r.Context(), s.app, visitOf(r).actor, id)
	if err != nil {
		return err
	}
	v := closeView{payRunView: payRunView{RunPage: p, AllRows: p.Rows}, Refusal: refused, OwnID: id.String()}
	v.words()
	for _, row := range p.Rows {
		v.payRunView.Rows = append(v.payRunView.Rows, payRowView{row, waitingHref(p, row), waitingHref(p, row)})
	}
	v.Paid = len(p.Rows)
	if v.frameView, err = s.stillFrame(r, "A run for some people, "+words.SpanFrom(p.Period, 0), "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-prepared", v)
	return nil
}
