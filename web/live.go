package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"manudex/app"
	"manudex/store"
)

// heartbeat keeps a quiet stream from being taken for dead, and is when it
// looks whether whoever follows is still signed in. Options may name another.
const heartbeat = 15 * time.Second

// live is the stream of server-sent events that keeps pages up to date. Lists
// that the request names get the rows that changed; other pages hear that
// something did, of whom, and read themselves anew by the same permissions as
// ever.
func (s *Server) live(w http.ResponseWriter, r *http.Request) error {
	actor := visitOf(r).actor
	leave, ok := s.oneMoreStream(actor)
	if !ok {
		return errTooOften
	}
	defer leave()
	sub, err := s.app.Follow(actor)
	if err != nil {
		return err
	}
	defer sub.Close()
	cookie, err := r.Cookie(s.sessions.Cookie.Name)
	if err != nil {
		return app.ErrNotFound
	}
	lists := s.listsOf(r.Context(), actor, r.URL.Query(), unixMilli(r.Header.Get("Last-Event-ID")))
	rows := s.feeds.follow(actor, store.SessionName(cookie.Value), lists)
	defer s.feeds.leave(rows)
	h := w.Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no")
	out := stream{w, http.NewResponseController(w)}
	if err := out.send("hello", "{}", time.Time{}); err != nil {
		return nil // the browser went away
	}
	return s.tell(r, out, actor, sub, rows)
}

// tell goes on telling a stream what happens until it ends: the browser went
// away, the node stops, or whoever follows is not who they were.
func (s *Server) tell(r *http.Request, out stream, actor app.Actor, sub *app.Subscription, rows *follower) error {
	beat := time.NewTicker(s.opts.Heartbeat)
	defer beat.Stop()
	var err error
	for err == nil {
		select {
		case <-r.Context().Done():
			return nil
		case <-s.stopping:
			return nil
		case <-beat.C:
			// Whoever signed out, left or reaches other people now connects anew; a
			// stream that can't ask ends too, so that its page says it is cut off.
			now, gone := s.stillThere(r)
			if gone != nil || now.ID != actor.ID || now.Standing() != actor.Standing() {
				return nil
			}
			err = out.send("beat", "{}", time.Time{})
		case <-sub.Wake():
			if what := sub.Take(); what.Any() {
				err = out.send("changed", whose(what), time.Time{})
			}
		case <-rows.wake:
			patches, ended := rows.take()
			if ended {
				return nil
			}
			for _, p := range patches {
				var text string
				if text, err = p.text(); err == nil {
					err = out.send("rows", text, p.made)
				}
			}
		}
	}
	return nil
}

// stream writes events.
type stream struct {
	w   http.ResponseWriter
	out *http.ResponseController
}

// send writes one event, and until when it knows of everything, which a browser
// that comes back says.
func (s stream) send(event, data string, until time.Time) error {
	if !until.IsZero() {
		if _, err := fmt.Fprintf(s.w, "id: %d\n", until.UnixMilli()); err != nil {
			return err
		}
	}
	if _, err := fmt.Fprintf(s.w, "event: %s\ndata: %s\n\n", event, data); err != nil {
		return err
	}
	return s.out.Flush()
}

// namedAtMost is how many people a stream names; more are everybody.
const namedAtMost = 50

// whose says in JSON of whom something changed: of nobody named, of anybody.
func whose(what app.Changed) string {
	var people []string
	if !what.All && len(what.Persons) <= namedAtMost {
		for id := range what.Persons {
			people = append(people, id.String())
		}
	}
	text, err := json.Marshal(map[string][]string{"people": people})
	if err != nil {
		panic(err) // plain texts always marshal
	}
	return string(text)
}

// unixMilli reads a moment, none where it is none.
func unixMilli(text string) time.Time {
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return time.Time{}
	}
	return time.UnixMilli(n)
}

// follow has the stream keep the page up to date as a list, as of when reading
// it began.
func (v *frameView) follow(r *http.Request, begun time.Time) {
	v.Feed, v.As = r.URL.RequestURI(), begun.UnixMilli()
}
