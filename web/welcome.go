package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/people"
	"manudex/tongue"
)

type welcomeView struct {
	Title, Company, AskWhom string
	Name, Token             string
	Field, Wrong, Right     string
	NoLink                  bool
	Owner                   bool // of a new company, who says who they are
	Typed                   people.Chosen
}

// welcomePage lets whom a link or code welcomes choose a password.
func (s *Server) welcomePage(w http.ResponseWriter, r *http.Request) error {
	return s.showWelcome(w, r, http.StatusOK, welcomeView{})
}

// typeWelcome takes a code that was typed.
func (s *Server) typeWelcome(w http.ResponseWriter, r *http.Request) error {
	return s.showWelcome(w, r, http.StatusOK, welcomeView{})
}

func (s *Server) showWelcome(w http.ResponseWriter, r *http.Request, status int, v welcomeView) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Token = chi.URLParam(r, "token")
	if v.Token == "" && r.Method == http.MethodPost { // never in an address, which others log
		v.Token = r.FormValue("code")
	}
	v.Title, v.Company, v.AskWhom = "Welcome", place.Name, place.WhomToAsk
	if v.Token != "" {
		if v.Name, err = people.Welcome(r.Context(), s.app, v.Token); err != nil {
			if err != app.ErrNotFound {
				return err
			}
			if s.guessed(r, "welcome") {
				return errTooOften
			}
			v.Field, v.Wrong, v.Right, v.NoLink, status = "code", "This link or code was used already, or its week is over",
				"Ask the office for a new one", true, http.StatusNotFound
		}
	}
	v.Owner = v.Token != "" && !v.NoLink && v.Name == ""
	w.Header().Set("Referrer-Policy", "no-referrer")
	s.pages.write(w, s.log, status, "welcome", v)
	return nil
}

func (s *Server) choosePassword(w http.ResponseWriter, r *http.Request) error {
	chosen := people.Chosen{Password: r.FormValue("password"), PIN: r.FormValue("pin"), Given: r.FormValue("given_name"),
		Family: r.FormValue("family_name"), Email: r.FormValue("email")}
	person, err := people.ChoosePassword(r.Context(), s.app, chi.URLParam(r, "token"), chosen)
	if refused := refusalIn(err); refused != nil {
		return s.showWelcome(w, r, http.StatusUnprocessableEntity,
			welcomeView{Typed: chosen, Field: refused.Field, Wrong: refused.Wrong, Right: refused.Right})
	}
	if err == app.ErrNotFound {
		return s.showWelcome(w, r, http.StatusNotFound, welcomeView{})
	}
	if err != nil {
		return err
	}
	if code := tongue.Match(r.Header.Get("Accept-Language")); code != english { // as they were welcomed
		actor, err := s.app.Actor(r.Context(), person)
		if err == nil && actor.Language == english {
			err = s.app.Do(r.Context(), actor, people.ChooseLanguage{Code: code})
		}
		if err != nil {
			return err
		}
	}
	return s.letIn(w, r, attempt{person: person}, "/")
}

// guessed counts a token that is nobody's, and says whether there were too many
// from an address. Whoever has a right one is never kept out by those who guess:
// of 80 bits, guessing finds none.
func (s *Server) guessed(r *http.Request, what string) bool {
	key := what + " from " + s.clientOf(r)
	s.failures.failed(key)
	return s.failures.many(key, s.opts.SignInLimit+1)
}

func (s *Server) setPIN(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	act := people.SetPIN{Person: person, PIN: r.FormValue("pin")}
	words := "The PIN is set. It is shown nowhere: tell them."
	if act.PIN == "" {
		words = "The PIN is taken away."
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/people/"+person.String(), said{Text: words})
}

func (s *Server) takeSignIn(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, people.TakeSignIn{Person: person})
	return s.done(w, r, err, "/people/"+person.String(),
		said{Text: "They can't sign in any more, and are signed out everywhere. Nothing of their history changes."})
}
