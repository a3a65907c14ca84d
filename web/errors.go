package web

import (
	"context"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5/middleware"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
	"manudex/web/words"
)

// errTooOften says that somebody guesses.
var errTooOften = errors.New("tried too often")

// fail answers an error with a page in the same hand.
func (s *Server) fail(w http.ResponseWriter, r *http.Request, err error) {
	var refused *refusal.Refusal
	switch {
	case errors.Is(err, app.ErrNotFound):
		s.say(w, r, http.StatusNotFound, "There is nothing here", "The address may be mistyped, or what it named is not yours to see.")
	case errors.Is(err, app.ErrForbidden):
		s.say(w, r, http.StatusForbidden, "This is not open to you", "If you need it for your work, ask the office.")
	case errors.Is(err, app.ErrConflict):
		s.say(w, r, http.StatusConflict, "This was sent before, with other content",
			"Go back, look at what stands there now, and do it again.")
	case errors.Is(err, app.ErrBusy):
		w.Header().Set("Retry-After", "2")
		s.say(w, r, http.StatusServiceUnavailable, "Too much is asked at once", "Wait a moment, then try again.")
	case errors.Is(err, errOdd):
		s.say(w, r, http.StatusBadRequest, "Something in this can't be read", "Type it anew: it holds characters that are no text.")
	case errors.Is(err, errTooLarge):
		s.say(w, r, http.StatusRequestEntityTooLarge, "This is more than a form may hold", "Send less at a time.")
	case errors.Is(err, errTooOften):
		w.Header().Set("Retry-After", "60")
		s.say(w, r, http.StatusTooManyRequests, "That was tried too often", "Wait a minute, then try again.")
	case errors.As(err, &refused):
		s.say(w, r, http.StatusUnprocessableEntity, refused.Wrong, refused.Right+".")
	case errors.Is(err, context.Canceled):
		// The browser went away; nobody reads an answer.
	case store.Away(err) || errors.Is(err, context.DeadlineExceeded):
		s.away(w, r, err)
	default:
		s.log.Error("request failed", "id", middleware.GetReqID(r.Context()), "path", pathOf(r), "err", err)
		s.say(w, r, http.StatusInternalServerError, "Something went wrong here",
			wentWrong(r)+" If it happens again, tell the office the number below.")
	}
}

// wentWrong says what is known of a request that failed: reading changes
// nothing; of anything else it is not known whether it was done.
func wentWrong(r *http.Request) string {
	if r.Method == http.MethodGet || r.Method == http.MethodHead {
		return "Nothing was changed. Try once more."
	}
	return "It is not certain whether it was done: look at what stands there, before you do it again."
}

// comeBack is how soon a page that could not be read tries again, in seconds.
const comeBack = 5

// away answers while the database can't be asked. A page comes back by itself.
func (s *Server) away(w http.ResponseWriter, r *http.Request, err error) {
	s.log.Warn("the database can't be asked", "id", middleware.GetReqID(r.Context()), "path", pathOf(r), "err", err)
	w.Header().Set("Retry-After", strconv.Itoa(comeBack))
	v := errorView{Title: "Back in a moment", Wrong: "Back in a moment",
		Right:   "The records can't be reached just now. This page tries again by itself.",
		Request: middleware.GetReqID(r.Context()), Again: comeBack}
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		v.Right, v.Again = "The records can't be reached just now. "+wentWrong(r), 0
	}
	s.pages.write(w, s.log, http.StatusServiceUnavailable, "error", v)
}

type errorView struct {
	Title, Wrong, Right, Request string
	SignedIn                     bool
	Again                        int // seconds after which the page tries again, 0 for never
}

func (s *Server) say(w http.ResponseWriter, r *http.Request, status int, wrong, right string) {
	v := errorView{Title: wrong, Wrong: wrong, Right: right, Request: middleware.GetReqID(r.Context()),
		SignedIn: visitOf(r).actor.Level != ""}
	s.pages.write(w, s.log, status, "error", v)
}

// refused gives the refusal in an error, or nil.
func refusalIn(err error) *refusal.Refusal {
	var refused *refusal.Refusal
	if errors.As(err, &refused) {
		return refused
	}
	return nil
}

func (s *Server) healthz(w http.ResponseWriter, _ *http.Request) error {
	_, err := w.Write([]byte("ok\n"))
	return err
}

// readyz says whether this node can do its work now, and beneath, a line each,
// what an operator should know of.
func (s *Server) readyz(w http.ResponseWriter, r *http.Request) error {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	stuck, err := s.app.Stuck(ctx)
	if err != nil {
		w.WriteHeader(http.StatusServiceUnavailable)
		_, err := w.Write([]byte("the database does not answer\n"))
		return err
	}
	lines := append([]string{"ready"}, s.opts.Warnings...)
	if !s.app.Hears() {
		lines = append(lines, "warning: this node doesn't hear what others do; its pages may be behind")
	}
	if stuck > 0 {
		lines = append(lines, "warning: "+words.Plural(stuck, "job is", "jobs are")+" stuck; Setup, Work says which")
	}
	_, err = w.Write([]byte(strings.Join(lines, "\n") + "\n"))
	return err
}
