package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/people"
)

type welcomeView struct {
	Title, Company, AskWhom string
	Name, Token             string
	Wrong, Right            string
	NoLink                  bool
}

// welcomePage lets whom a link or code welcomes choose a password.
func (s *Server) welcomePage(w http.ResponseWriter, r *http.Request) error {
	return s.showWelcome(w, r, http.StatusOK, welcomeView{})
}

func (s *Server) showWelcome(w http.ResponseWriter, r *http.Request, status int, v welcomeView) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Token = chi.URLParam(r, "token")
	if v.Token == "" {
		v.Token = r.FormValue("code")
	}
	v.Title, v.Company, v.AskWhom = "Welcome", place.Name, place.WhomToAsk
	if v.Token != "" {
		if s.attempts.OnLimit(w, r, "welcome "+hostOf(r)) {
			w.Header().Set("Retry-After", "60")
			v.Wrong, v.Right, v.NoLink, status = "That was tried too often", "Wait a minute, then try again", true, http.StatusTooManyRequests
		} else if v.Name, err = people.Welcome(r.Context(), s.app, v.Token); err != nil {
			if err != app.ErrNotFound {
				return err
			}
			v.Wrong, v.Right, v.NoLink, status = "This link or code was used already, or its week is over", "Ask the office for a new one", true, http.StatusNotFound
		}
	}
	w.Header().Set("Referrer-Policy", "no-referrer")
	s.pages.write(w, s.log, status, "welcome", v)
	return nil
}

func (s *Server) choosePassword(w http.ResponseWriter, r *http.Request) error {
	if s.attempts.OnLimit(w, r, "welcome "+hostOf(r)) {
		return s.showWelcome(w, r, http.StatusTooManyRequests, welcomeView{Wrong: "That was tried too often", Right: "Wait a minute, then try again"})
	}
	person, err := people.ChoosePassword(r.Context(), s.app, chi.URLParam(r, "token"), r.FormValue("password"), r.FormValue("pin"))
	if refusal := refused(err); refusal != nil {
		return s.showWelcome(w, r, http.StatusUnprocessableEntity, welcomeView{Wrong: refusal.Wrong, Right: refusal.Right})
	}
	if err == app.ErrNotFound {
		return s.showWelcome(w, r, http.StatusNotFound, welcomeView{})
	}
	if err != nil {
		return err
	}
	if err := s.begin(r, person); err != nil {
		return err
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
	return nil
}

func (s *Server) giveSignIn(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	token := app.NewSignInToken()
	err = s.app.Do(r.Context(), visitOf(r).actor, people.GiveSignIn{Person: person, Token: token})
	back := "/people/" + person.String()
	if err != nil {
		return s.done(w, r, err, back, said{})
	}
	link := s.origin(r) + "/welcome/" + token
	words := "Give them this link, which works once and for a week: " + link + " – or let them type the code " + token + " at " + s.origin(r) + "/welcome. It is shown only now."
	to, err := people.SendWelcome(r.Context(), s.app, visitOf(r).actor, person, link)
	switch refusal := refused(err); {
	case refusal != nil:
		words = refusal.Error() + ". " + words
	case err != nil:
		return err
	case to != "": // whoever it is for has it, and nobody else needs to
		words = "A welcome with a link went to " + to + ". It works once and for a week."
	}
	s.remember(r, said{Text: words, Refused: err != nil})
	http.Redirect(w, r, back, http.StatusSeeOther)
	return nil
}

// origin is how this server is reached, "https://hours.example".
func (s *Server) origin(r *http.Request) string {
	if r.TLS != nil || s.opts.SecureCookies {
		return "https://" + r.Host
	}
	return "http://" + r.Host
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
	return s.done(w, r, err, "/people/"+person.String(), said{Text: "They can't sign in any more, and are signed out everywhere. Nothing of their history changes."})
}
