package web

import (
	"fmt"
	"net/http"
	"slices"
	"time"
)

// heartbeat keeps a quiet stream from being taken for dead, and is when it
// looks whether whoever follows is still signed in. Options may name another.
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
	actor := visitOf(r).actor
	sub, err := s.app.Follow(actor)
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
	beat := time.NewTicker(s.opts.Heartbeat)
	defer beat.Stop()
	for {
		event := ""
		select {
		case <-r.Context().Done():
			return nil
		case <-s.stopping:
			return nil
		case <-beat.C:
			// Whoever signed out, left or reaches other people now connects anew; a
			// stream that can't ask ends too, so that its page says it is cut off.
			now, err := s.stillThere(r)
			if err != nil || !slices.Equal(now.Follows(), actor.Follows()) {
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
