package web

import (
	"net"
	"net/http"

	"manudex/app/company"
	"manudex/app/people"
)

type signInView struct {
	Title, Company, AskWhom string
	To, Email               string
	Field, Wrong, Right     string
}

func (s *Server) signInPage(w http.ResponseWriter, r *http.Request) error {
	if _, err := s.actor(r); err == nil {
		http.Redirect(w, r, "/", http.StatusSeeOther)
		return nil
	}
	return s.showSignIn(w, r, http.StatusOK, signInView{To: r.URL.Query().Get("to")})
}

func (s *Server) showSignIn(w http.ResponseWriter, r *http.Request, status int, v signInView) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Title, v.Company, v.AskWhom = "Sign in", place.Name, place.WhomToAsk
	s.pages.write(w, s.log, status, "signin", v)
	return nil
}

// tooManySignIns counts an attempt by address and by account.
func (s *Server) tooManySignIns(w http.ResponseWriter, r *http.Request) bool {
	return s.attempts.OnLimit(w, r, "address "+hostOf(r)) || s.attempts.OnLimit(w, r, "account "+r.FormValue("email"))
}

// hostOf gives the address a request comes from, without the port.
func hostOf(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) error {
	v := signInView{To: r.FormValue("to"), Email: r.FormValue("email")}
	if s.tooManySignIns(w, r) {
		v.Wrong, v.Right, v.Field = "That was tried too often", "Wait a minute, then try again", "password"
		w.Header().Set("Retry-After", "60")
		return s.showSignIn(w, r, http.StatusTooManyRequests, v)
	}
	id, err := people.SignIn(r.Context(), s.app, v.Email, r.FormValue("password"))
	if refusal := refused(err); refusal != nil {
		v.Field, v.Wrong, v.Right = refusal.Field, refusal.Wrong, refusal.Right
		return s.showSignIn(w, r, http.StatusUnprocessableEntity, v)
	}
	if err != nil {
		return err
	}
	if err := s.begin(r, id); err != nil {
		return err
	}
	to := "/"
	if ownPath(v.To) {
		to = v.To
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) error {
	if err := s.sessions.Destroy(r.Context()); err != nil {
		return err
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
	return nil
}

// home is the first screen of whoever signed in.
func (s *Server) home(w http.ResponseWriter, r *http.Request) error {
	to := "/clock"
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	if visitOf(r).actor.May("setup.change") && company.NextStep(place) != "" && !s.sessions.GetBool(r.Context(), sessionLeft) {
		to = "/setup/begin"
	} else if visitOf(r).actor.Scope("today.see") > 0 && visitOf(r).actor.Employment == nil {
		to = "/today"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}
