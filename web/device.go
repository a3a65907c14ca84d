package web

import (
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/people"
)

// deviceCookie tells a browser that was used before from one that wasn't. It
// lets nobody in.
func (s *Server) deviceCookie() string {
	if s.opts.SecureCookies {
		return "__Host-manudex-device"
	}
	return "manudex-device"
}

func (s *Server) deviceToken(r *http.Request) string {
	c, err := r.Cookie(s.deviceCookie())
	if err != nil {
		return ""
	}
	return c.Value
}

// seeDevice keeps that somebody signed in from this browser.
func (s *Server) seeDevice(w http.ResponseWriter, r *http.Request, actor app.Actor) error {
	token := s.deviceToken(r)
	if token == "" {
		token = app.NewSignInToken()
	}
	http.SetCookie(w,
		&http.Cookie{Name: s.deviceCookie(), Value: token, Path: "/", HttpOnly: true, Secure: s.opts.SecureCookies,
			SameSite: http.SameSiteLaxMode,
			MaxAge:   int((2 * 365 * 24 * time.Hour).Seconds())})
	return people.SeeDevice(r.Context(), s.app, actor, token, agentWords(r.UserAgent()), s.origin(r))
}

// agentWords says in words which browser it is, as it says of itself: each of
// them says the names of those before it, so the later ones are looked for first.
func agentWords(agent string) string {
	named := func(from string, names ...string) string {
		for i := 0; i < len(names); i += 2 {
			if strings.Contains(from, names[i]) {
				return names[i+1]
			}
		}
		return ""
	}
	browser := named(agent, "Edg", "Edge", "OPR/", "Opera", "SamsungBrowser/", "Samsung's browser", "Firefox/",
		"Firefox", "FxiOS/", "Firefox",
		"CriOS/", "Chrome", "Chrome/", "Chrome", "Safari/", "Safari")
	system := named(agent, "Android", "Android", "iPhone", "an iPhone", "iPad", "an iPad", "Windows", "Windows", "Macintosh", "a Mac",
		"CrOS", "ChromeOS", "Linux", "Linux")
	switch {
	case browser != "" && system != "":
		return browser + " on " + system
	case browser+system != "":
		return browser + system
	case agent == "":
		return "a program that doesn't say what it is"
	}
	name, _, _ := strings.Cut(agent, " ")
	return name[:min(len(name), 60)]
}

type endView struct {
	Title, AskWhom, Token string
	Ended                 bool
}

// endPage asks, of whoever follows the link in a mail, whether to end all
// sessions: following it alone does nothing, as programs follow links too.
func (s *Server) endPage(w http.ResponseWriter, r *http.Request) error {
	return s.showEnd(w, r, false)
}

func (s *Server) showEnd(w http.ResponseWriter, r *http.Request, ended bool) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	w.Header().Set("Referrer-Policy", "no-referrer")
	s.pages.write(w, s.log, http.StatusOK, "signin-end",
		endView{Title: "End all sessions", AskWhom: place.WhomToAsk, Token: chi.URLParam(r, "token"), Ended: ended})
	return nil
}

func (s *Server) endSessions(w http.ResponseWriter, r *http.Request) error {
	err := people.EndSessionsByLink(r.Context(), s.app, chi.URLParam(r, "token"))
	if err == app.ErrNotFound && s.guessed(r, "end") {
		return errTooOften
	}
	if err != nil {
		return err
	}
	return s.showEnd(w, r, true)
}
