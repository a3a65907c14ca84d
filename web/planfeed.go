package web

import (
	"bytes"
	"errors"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/roster"
	"manudex/files"
)

// feedPath is where a calendar reads somebody's shifts, before its token.
const feedPath = "/calendar/"

// makeFeed gives somebody an address for their calendar, shown once.
func (s *Server) makeFeed(w http.ResponseWriter, r *http.Request) error {
	token := app.NewFeedToken()
	if err := s.app.Do(r.Context(), visitOf(r).actor, roster.MakeFeed{Token: token}); err != nil {
		return err
	}
	return s.showShifts(w, r, s.origin(r)+feedPath+token+".ics")
}

// dropFeed takes it back.
func (s *Server) dropFeed(w http.ResponseWriter, r *http.Request) error {
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, roster.DropFeed{}), "/shifts#calendar", said{Text: "Taken back."})
}

// feed is the calendar of whoever its address is of: the address says who may.
func (s *Server) feed(w http.ResponseWriter, r *http.Request) error {
	w.Header().Set("Referrer-Policy", "no-referrer")
	token, named := strings.CutSuffix(chi.URLParam(r, "token"), ".ics")
	if !named {
		return app.ErrNotFound
	}
	events, err := roster.Feed(r.Context(), s.app, token)
	if errors.Is(err, app.ErrNotFound) && s.guessed(r, "calendar") {
		return errTooOften
	}
	if err != nil {
		return err
	}
	return s.calendar(w, r, "inline", "shifts.ics", events)
}

// shiftsFile is one's own calendar as a file.
func (s *Server) shiftsFile(w http.ResponseWriter, r *http.Request) error {
	events, err := roster.OwnFeed(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	return s.calendar(w, r, "attachment", "shifts.ics", events)
}

// calendar writes what stands in a calendar.
func (s *Server) calendar(w http.ResponseWriter, r *http.Request, disposition, name string, events []files.Event) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	var b bytes.Buffer
	if err := files.WriteCalendar(&b, place.Name, s.app.Now(), events); err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	w.Header().Set("Content-Disposition", disposition+`; filename="`+name+`"`)
	w.Header().Set("Cache-Control", "no-store")
	_, err = w.Write(b.Bytes())
	return err
}
