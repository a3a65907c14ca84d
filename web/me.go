package web

import (
	"encoding/base64"
	"errors"
	"html/template"
	"net/http"

	"rsc.io/qr"

	"manudex/app"
	"manudex/app/people"
	"manudex/tongue"
)

type meView struct {
	frameView
	*people.OwnSignIn
	Image        template.URL // of the code that an authenticator reads
	NewCodes     []string     // recovery codes, shown once
	Wrong, Right string
	Field        string
	OwnPay       bool // one sees what closed runs paid one
	Devices      []deviceRow
}

type deviceRow struct{ Agent, First, Last string }

// mePage is one's own sign-in: password, codes, devices.
func (s *Server) mePage(w http.ResponseWriter, r *http.Request) error {
	return s.showMe(w, r, http.StatusOK, meView{})
}

func (s *Server) showMe(w http.ResponseWriter, r *http.Request, status int, v meView) error {
	actor, err := s.actor(r) // as it is after the act
	if err != nil {
		return err
	}
	if v.OwnSignIn, err = people.ReadOwnSignIn(r.Context(), s.app, actor); err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.OwnPay = place.OwnPay && actor.Employment != nil
	if v.Secret != "" {
		address, err := people.CodeAddress(place.Name, actor.Number, v.Secret)
		if err != nil {
			return err
		}
		if v.Image, err = qrImage(address); err != nil {
			return err
		}
	}
	for _, d := range v.OwnSignIn.Devices {
		v.Devices = append(v.Devices,
			deviceRow{d.Agent, d.FirstAt.In(place.Loc).Format("2 Jan 2006"), d.LastAt.In(place.Loc).Format("2 Jan 2006, 15:04")})
	}
	if v.frameView, err = s.stillFrame(r, "Your sign-in", "me"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "me", v)
	return nil
}

// qrImage draws a text as a QR code (ISO/IEC 18004), as a picture in a page.
func qrImage(text string) (template.URL, error) {
	code, err := qr.Encode(text, qr.M)
	if err != nil {
		return "", err
	}
	code.Scale = 5
	return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(code.PNG())), nil
}

// onMe answers an act about one's own sign-in: what is wrong beside the field,
// with what was typed gone, as it is secret.
func (s *Server) onMe(w http.ResponseWriter, r *http.Request, err error, words string) error {
	if refused := refusalIn(err); refused != nil {
		return s.showMe(w, r, http.StatusUnprocessableEntity, meView{Wrong: refused.Wrong, Right: refused.Right, Field: refused.Field})
	}
	if errors.Is(err, app.ErrNotFound) {
		return err
	}
	return s.done(w, r, err, "/me", said{Text: words})
}

// proved gives the actor as one who has just typed their password in the form,
// where they hold something that asks for it. Guessing it is slowed down.
func (s *Server) proved(r *http.Request) (app.Actor, error) {
	actor := visitOf(r).actor
	if !actor.HoldsPay() {
		return actor, nil
	}
	key := "password of " + actor.ID.String()
	if s.failures.many(key, s.opts.SignInLimit) {
		return actor, errTooOften
	}
	proved, err := people.Prove(r.Context(), s.app, actor, r.FormValue("password"))
	if refusalIn(err) != nil {
		s.failures.failed(key)
	}
	return proved, err
}

func (s *Server) changePassword(w http.ResponseWriter, r *http.Request) error {
	key := "password of " + visitOf(r).actor.ID.String()
	if s.failures.many(key, s.opts.SignInLimit) {
		return errTooOften
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, people.ChangePassword{Old: r.FormValue("old"), New: r.FormValue("password")})
	if refusalIn(err) != nil {
		s.failures.failed(key)
	}
	if err == nil { // all sessions ended; this one begins anew
		actor, err := s.app.Actor(r.Context(), visitOf(r).actor.ID)
		if err != nil {
			return err
		}
		if err := s.beginSession(r, actor); err != nil {
			return err
		}
	}
	return s.onMe(w, r, err, "The password is changed. Everywhere else you are signed out.")
}

func (s *Server) endMySessions(w http.ResponseWriter, r *http.Request) error {
	if err := s.app.Do(r.Context(), visitOf(r).actor, people.EndMySessions{}); err != nil {
		return err
	}
	return s.signOut(w, r)
}

func (s *Server) beginCode(w http.ResponseWriter, r *http.Request) error {
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor, people.BeginCode{Secret: people.NewCodeSecret()})
	}
	return s.onMe(w, r, err, "Let your authenticator read the picture, then type the code that it shows.")
}

func (s *Server) confirmCode(w http.ResponseWriter, r *http.Request) error {
	codes := people.NewRecoveryCodes()
	err := s.app.Do(r.Context(), visitOf(r).actor, people.ConfirmCode{Code: r.FormValue("code"), Recovery: codes})
	if err != nil {
		return s.onMe(w, r, err, "")
	}
	return s.showMe(w, r, http.StatusOK, meView{NewCodes: codes})
}

func (s *Server) dropCode(w http.ResponseWriter, r *http.Request) error {
	key := "code of " + visitOf(r).actor.ID.String()
	if s.failures.many(key, s.opts.SignInLimit) {
		return errTooOften
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, people.DropCode{Code: r.FormValue("code")})
	if refusalIn(err) != nil {
		s.failures.failed(key)
	}
	return s.onMe(w, r, err, "Signing in takes no code any more.")
}

// resetCode takes somebody's code away, who lost their authenticator.
func (s *Server) resetCode(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor, people.ResetCode{Person: person})
	}
	return s.done(w, r, err, "/people/"+person.String(),
		said{Text: "Their one-time codes are taken away: they sign in by password, and can begin anew."})
}

// Languages are those that one's pages can be read in.
func (v meView) Languages() []tongue.Language { return tongue.Languages }

func (s *Server) chooseLanguage(w http.ResponseWriter, r *http.Request) error {
	act := people.ChooseLanguage{Code: r.FormValue("language")}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/me", said{})
}
