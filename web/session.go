package web

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
)

// What a session holds.
const (
	sessionPerson   = "person"
	sessionEpoch    = "epoch"    // of the person, when the session began
	sessionBegun    = "begun"    // Unix seconds
	sessionSeen     = "seen"     // Unix seconds, as far as a minute back
	sessionHalf     = "half"     // who has typed the password, and no code yet
	sessionHalfAt   = "half-at"  // Unix seconds
	sessionTo       = "to"       // where to go after the code
	sessionPosition = "position" // in which they clock, of several
	sessionSaid     = "said"
	sessionLeft     = "left" // the short set-up was left for now
)

// cookieLasts is how long a browser keeps the cookie; a session ends sooner.
const cookieLasts = 90 * 24 * time.Hour

// sessionLasts says how long a session goes on without being used, and how long
// in all, zero for as long as it is used: the more somebody may, the shorter.
func sessionLasts(actor app.Actor) (idle, whole time.Duration) {
	switch {
	case actor.HoldsPay():
		return 30 * time.Minute, 12 * time.Hour
	case actor.Level == "manager" || actor.Level == "lead" || len(actor.Grants) > 0:
		return 12 * time.Hour, 14 * 24 * time.Hour
	}
	return cookieLasts, 0
}

// over says whether a session has ended by itself. A worker's never ends while
// they are on the clock.
func (s *Server) over(ctx context.Context, actor app.Actor) bool {
	idle, whole := sessionLasts(actor)
	if actor.OnClock() && whole == 0 {
		return false
	}
	now := s.app.Now()
	begun, seen := time.Unix(s.sessions.GetInt64(ctx, sessionBegun), 0), time.Unix(s.sessions.GetInt64(ctx, sessionSeen), 0)
	return now.Sub(seen) > idle || whole > 0 && now.Sub(begun) > whole
}

// used notes that a session is used: by a person, not by a page that keeps
// itself up to date.
func (s *Server) used(r *http.Request) {
	if r.Header.Get("X-Refresh") != "" || r.URL.Path == "/live" {
		return
	}
	now := s.app.Now()
	if now.Sub(time.Unix(s.sessions.GetInt64(r.Context(), sessionSeen), 0)) < time.Minute {
		return
	}
	s.sessions.Put(r.Context(), sessionSeen, now.Unix())
	s.sessions.SetDeadline(r.Context(), time.Now().Add(cookieLasts))
}

// beginSession begins a session of somebody who has proved who they are.
func (s *Server) beginSession(r *http.Request, actor app.Actor) error {
	ctx := r.Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.sessions.Put(ctx, sessionPerson, actor.ID.String())
	s.sessions.Put(ctx, sessionEpoch, actor.SessionEpoch)
	s.sessions.Put(ctx, sessionBegun, s.app.Now().Unix())
	s.sessions.Put(ctx, sessionSeen, s.app.Now().Unix())
	return nil
}

// actor gives who is signed in; app.ErrNotFound when nobody is.
func (s *Server) actor(r *http.Request) (app.Actor, error) {
	actor, err := s.actorOf(r.Context())
	actor.Point = clock.Browser
	if strings.Contains(r.UserAgent(), "Mobile") {
		actor.Point = clock.OwnPhone
	}
	return actor, err
}

// actorOf gives who a session's context belongs to.
func (s *Server) actorOf(ctx context.Context) (app.Actor, error) {
	id, err := uuid.Parse(s.sessions.GetString(ctx, sessionPerson))
	if err != nil {
		return app.Actor{}, app.ErrNotFound
	}
	position, _ := uuid.Parse(s.sessions.GetString(ctx, sessionPosition)) // none is the first
	actor, err := s.app.ActorIn(ctx, id, position)
	if err != nil {
		return actor, err
	}
	// The sign-in was taken away, all sessions were ended, or this one has lasted.
	if !actor.SignsIn || actor.SessionEpoch != s.sessions.GetInt(ctx, sessionEpoch) || s.over(ctx, actor) {
		return app.Actor{}, app.ErrNotFound
	}
	return actor, nil
}

// stillThere asks the store anew who a stream belongs to: what the request
// carries is as old as the stream.
func (s *Server) stillThere(r *http.Request) (app.Actor, error) {
	cookie, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return app.Actor{}, app.ErrNotFound
	}
	// A context without the request's session: with it, that would be the answer.
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if ctx, err = s.sessions.Load(ctx, cookie.Value); err != nil {
		return app.Actor{}, err
	}
	return s.actorOf(ctx)
}
