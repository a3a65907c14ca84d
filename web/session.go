package web

import (
	"context"
	"net/http"
	"time"

	"github.com/google/uuid"

	"manudex/app"
)

// What a session holds.
const (
	sessionPerson   = "person"
	sessionEpoch    = "epoch"    // of the person, when the session began
	sessionPosition = "position" // in which they clock, of several
	sessionSaid     = "said"
	sessionLeft     = "left" // the short set-up was left for now
)

// begin begins a session of a person who has proved who they are.
func (s *Server) begin(r *http.Request, person uuid.UUID) error {
	actor, err := s.app.Actor(r.Context(), person)
	if err != nil {
		return err
	}
	if err := s.sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	s.sessions.Put(r.Context(), sessionPerson, person.String())
	s.sessions.Put(r.Context(), sessionEpoch, actor.SessionEpoch)
	return nil
}

// actor gives who is signed in; app.ErrNotFound when nobody is.
func (s *Server) actor(r *http.Request) (app.Actor, error) { return s.actorOf(r.Context()) }

// actorOf gives who a session's context belongs to.
func (s *Server) actorOf(ctx context.Context) (app.Actor, error) {
	id, err := uuid.Parse(s.sessions.GetString(ctx, sessionPerson))
	if err != nil {
		return app.Actor{}, app.ErrNotFound
	}
	position, _ := uuid.Parse(s.sessions.GetString(ctx, sessionPosition)) // none is the first
	actor, err := s.app.ActorIn(ctx, id, position)
	if err == nil && (!actor.SignsIn || actor.SessionEpoch != s.sessions.GetInt(ctx, sessionEpoch)) {
		return app.Actor{}, app.ErrNotFound // the sign-in was taken away, or all sessions were ended
	}
	return actor, err
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
