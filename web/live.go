package web

import (
	"fmt"
	"net/http"
	"time"
)

// heartbeat keeps a quiet stream from being taken for dead, and is when it
// looks whether whoever follows is still signed in.
const heartbeat = 15 * time.Second

// live is the stream of server-sent events that keeps pages up to date. It
// says only that something changed; the page then reads itself anew, by the
// same permissions as ever.
func (s *Server) live(w http.ResponseWriter, r *http.Request) error {
	leave, ok := s.oneMoreStream(visitOf(r).actor)
	if !ok {
		return errTooOften
	}
	defer leave()
	sub, err := s.app.Follow(visitOf(r).actor)
	if err != nil {
		return err
	}
	defer sub.Close()
	h := w.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no")
	out := http.NewResponseController(w)
	send := func(event string) error {
		if _, err := fmt.Fprintf(w, "event: %s\ndata: %d\n\n", event, s.app.Now().Unix()); err != nil {
			return err
		}
		return out.Flush()
	}
	if err := send("hello"); err != nil {
		return nil // the browser went away
	}
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	for {
		event := ""
		select {
		case <-r.Context().Done():
			return nil
		case <-s.stopping:
			return nil
		case <-beat.C:
			if !s.stillSignedIn(r) {
				return nil
			}
			event = "beat"
		case <-sub.Wake():
			if sub.Take() {
				event = "changed"
			}
		}
		if event == "" {
			continue
		}
		if err := send(event); err != nil {
			return nil
		}
	}
}

// stillSignedIn asks the store anew: what the request carries is as old as
// the stream.
func (s *Server) stillSignedIn(r *http.Request) bool {
	cookie, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return false
	}
	ctx, err := s.sessions.Load(r.Context(), cookie.Value)
	if err != nil {
		return false
	}
	return s.sessions.GetString(ctx, sessionPerson) == visitOf(r).actor.ID.String()
}
