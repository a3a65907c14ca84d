package web

import (
	"context"
	"net/http"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/company"
	"manudex/app/people"
)

type signInView struct {
	Title, Company, AskWhom string
	To, Email               string
	Field, Wrong, Right     string
	Mail                    bool // a link can be sent to who forgot the password
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
	v.Title, v.Company, v.AskWhom, v.Mail = "Sign in", place.Name, place.WhomToAsk, s.app.Post.Ready()
	s.pages.write(w, s.log, status, "signin", v)
	return nil
}

// How often signing in may fail. An account is guarded first at the address it
// is tried from, so that a stranger elsewhere shuts nobody out; then each
// address, and each account from anywhere, more slowly and not for browsers
// that the person has used before.
const (
	perPair    = 10
	perAddress = 100
	perAccount = 60
)

// attempt is a try to sign in.
type attempt struct {
	pair, address, account string
	known                  bool // from a browser that the person has used before
	person                 uuid.UUID
}

func (s *Server) attemptOf(r *http.Request, text string) (attempt, error) {
	id, err := people.KnownAs(r.Context(), s.app, text)
	if err != nil {
		return attempt{}, err
	}
	account := accountKey(text)
	if id != uuid.Nil {
		account = id.String()
	}
	a := attempt{address: "address " + s.clientOf(r), account: "account " + account, person: id}
	a.pair = a.account + " from " + a.address
	a.known, err = people.KnownDevice(r.Context(), s.app, id, s.deviceToken(r))
	return a, err
}

func (s *Server) tooOften(a attempt) bool {
	n := s.opts.SignInLimit
	if s.failures.many(a.pair, n) {
		return true
	}
	return !a.known && (s.failures.many(a.address, perAddress*n/perPair) || s.failures.many(a.account, perAccount*n/perPair))
}

func (s *Server) failed(a attempt) {
	for _, key := range []string{a.pair, a.address, a.account} {
		s.failures.failed(key)
	}
}

// tried writes what became of a try to sign in into the log and, where it is
// known whose it was, into the audit list.
func (s *Server) tried(r *http.Request, a attempt, outcome string) {
	s.log.Info("sign-in", "outcome", outcome, "person", a.person, "address", s.clientOf(r))
	if a.person == uuid.Nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.Context()), 5*time.Second)
	defer cancel()
	if err := people.Note(ctx, s.app, a.person, "self", a.person, map[string]any{"sign-in": outcome}); err != nil {
		s.log.Error("note a sign-in", "err", err)
	}
}

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) error {
	v := signInView{To: r.FormValue("to"), Email: r.FormValue("email")}
	a, err := s.attemptOf(r, v.Email)
	if err != nil {
		return err
	}
	if s.tooOften(a) {
		s.tried(r, a, "tried too often")
		v.Wrong, v.Right, v.Field = "That was tried too often", "Wait a minute, then try again", "password"
		w.Header().Set("Retry-After", "60")
		return s.showSignIn(w, r, http.StatusTooManyRequests, v)
	}
	id, err := people.SignIn(r.Context(), s.app, v.Email, r.FormValue("password"))
	if refused := refusalIn(err); refused != nil {
		s.failed(a)
		s.tried(r, a, "failed")
		v.Field, v.Wrong, v.Right = refused.Field, refused.Wrong, refused.Right
		return s.showSignIn(w, r, http.StatusUnprocessableEntity, v)
	}
	if err != nil {
		return err
	}
	a.person = id
	return s.letIn(w, r, a, v.To)
}

// letIn begins a session of somebody whose password was right, or asks for the
// code first where they have one.
func (s *Server) letIn(w http.ResponseWriter, r *http.Request, a attempt, to string) error {
	actor, err := s.app.Actor(r.Context(), a.person)
	if err != nil {
		return err
	}
	if !ownPath(to) {
		to = "/"
	}
	if actor.HasCode {
		if err := s.sessions.RenewToken(r.Context()); err != nil {
			return err
		}
		s.sessions.Put(r.Context(), sessionHalf, actor.ID.String())
		s.sessions.Put(r.Context(), sessionHalfAt, s.app.Now().Unix())
		s.sessions.Put(r.Context(), sessionTo, to)
		http.Redirect(w, r, "/signin/code", http.StatusSeeOther)
		return nil
	}
	return s.begin(w, r, actor, to)
}

// begin begins a session of somebody who has proved who they are.
func (s *Server) begin(w http.ResponseWriter, r *http.Request, actor app.Actor, to string) error {
	if err := s.beginSession(r, actor); err != nil {
		return err
	}
	s.tried(r, attempt{person: actor.ID}, "signed in")
	if err := s.seeDevice(w, r, actor); err != nil {
		return err
	}
	if actor.NeedCode {
		to = "/me"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// halfLasts is how long the code may take after the password.
const halfLasts = 5 * time.Minute

// halfIn gives who has typed a password and no code yet.
func (s *Server) halfIn(r *http.Request) (uuid.UUID, bool) {
	id, err := uuid.Parse(s.sessions.GetString(r.Context(), sessionHalf))
	begun := time.Unix(s.sessions.GetInt64(r.Context(), sessionHalfAt), 0)
	return id, err == nil && s.app.Now().Sub(begun) < halfLasts
}

type codeView struct {
	Title, AskWhom, Wrong, Right string
}

func (s *Server) codePage(w http.ResponseWriter, r *http.Request) error {
	if _, ok := s.halfIn(r); !ok {
		http.Redirect(w, r, "/signin", http.StatusSeeOther)
		return nil
	}
	return s.showCode(w, r, http.StatusOK, codeView{})
}

func (s *Server) showCode(w http.ResponseWriter, r *http.Request, status int, v codeView) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Title, v.AskWhom = "The code", place.WhomToAsk
	s.pages.write(w, s.log, status, "signin-code", v)
	return nil
}

func (s *Server) typeCode(w http.ResponseWriter, r *http.Request) error {
	id, ok := s.halfIn(r)
	if !ok {
		http.Redirect(w, r, "/signin", http.StatusSeeOther)
		return nil
	}
	key := "code of " + id.String()
	if s.failures.many(key, s.opts.SignInLimit) {
		w.Header().Set("Retry-After", "60")
		return s.showCode(w, r, http.StatusTooManyRequests,
			codeView{Wrong: "That was tried too often", Right: "Wait a minute, then try again"})
	}
	err := people.UseCode(r.Context(), s.app, id, r.FormValue("code"))
	if refused := refusalIn(err); refused != nil {
		s.failures.failed(key)
		s.tried(r, attempt{person: id}, "wrong code")
		return s.showCode(w, r, http.StatusUnprocessableEntity, codeView{Wrong: refused.Wrong, Right: refused.Right})
	}
	if err != nil {
		return err
	}
	actor, err := s.app.Actor(r.Context(), id)
	if err != nil {
		return err
	}
	to := s.sessions.PopString(r.Context(), sessionTo)
	s.sessions.Remove(r.Context(), sessionHalf)
	return s.begin(w, r, actor, to)
}

type forgotView struct {
	Title, AskWhom string
	Sent           bool
}

func (s *Server) forgotPage(w http.ResponseWriter, r *http.Request) error {
	return s.showForgot(w, r, http.StatusOK, forgotView{})
}

func (s *Server) showForgot(w http.ResponseWriter, r *http.Request, status int, v forgotView) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	if !s.app.Post.Ready() {
		return app.ErrNotFound
	}
	v.Title, v.AskWhom = "A new password", place.WhomToAsk
	s.pages.write(w, s.log, status, "forgot", v)
	return nil
}

// forgot sends a link, and says the same whether or not there is somebody.
func (s *Server) forgot(w http.ResponseWriter, r *http.Request) error {
	for _, key := range []string{"forgot from " + s.clientOf(r), "forgot " + accountKey(r.FormValue("email"))} {
		if s.failures.many(key, s.opts.SignInLimit/2+1) {
			return errTooOften
		}
		s.failures.failed(key)
	}
	if err := people.ForgotPassword(r.Context(), s.app, r.FormValue("email"), s.origin(r)); err != nil {
		return err
	}
	return s.showForgot(w, r, http.StatusOK, forgotView{Sent: true})
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) error {
	if err := s.sessions.Destroy(r.Context()); err != nil {
		return err
	}
	s.tried(r, attempt{person: visitOf(r).actor.ID}, "signed out")
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
	actor := visitOf(r).actor
	next := company.NextStep(place) // the last step, of the first person, is no hurry
	if actor.May("setup.change") && next != "" && next != "people" && !s.sessions.GetBool(r.Context(), sessionLeft) {
		to = "/setup/begin"
	} else if actor.Scope("today.see") > 0 && actor.Employment == nil {
		to = "/today"
	} else if actor.Reports && !actor.OnClock() {
		to = byHandPath
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}
