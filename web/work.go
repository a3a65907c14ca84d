package web

import (
	"net/http"
	"strconv"
	"time"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/store"
	"manudex/web/words"
)

type workView struct {
	frameView
	*app.WorkPage
	Rows      []workRow
	CheckedAt words.Local
}

type workRow struct {
	store.Work
	What, Says, When string
	Again            bool // it can be run again
}

// workWords say what a job does.
var workWords = map[string]string{"bring_in": "Bring a file in", "verify": "Check hours against what was recorded",
	"seal": "Seal the audit list", "seal_head": "Mail owners what the audit list is sealed to"}

// workStates say how far a job is, by the queue's own words.
var workStates = map[string]string{"available": "waits", "scheduled": "waits for its time", "pending": "waits", "running": "runs",
	"retryable": "failed, and is tried again",
	"completed": "done", "cancelled": "cancelled", "discarded": "failed, and was given up"}

// workPage lists what runs later: what waits, runs and failed, and why.
func (s *Server) workPage(w http.ResponseWriter, r *http.Request) error {
	p, err := app.Work(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := workView{WorkPage: p}
	if p.Checked != nil {
		v.CheckedAt = words.At(p.Checked.At, place.Loc)
	}
	for _, j := range p.Jobs {
		v.Rows = append(v.Rows, workRowOf(j, place.Loc))
	}
	if v.frameView, err = s.stillFrame(r, "Work that runs later", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "work", v)
	return nil
}

func workRowOf(j store.Work, loc *time.Location) workRow {
	row := workRow{Work: j, What: workWords[j.Kind], Says: workStates[j.State], When: j.Created.In(loc).Format("2 Jan 2006, 15:04")}
	if row.What == "" {
		row.What = j.Kind
	}
	if j.State == "retryable" || j.State == "discarded" {
		row.Again = true
		row.Says += " (" + strconv.Itoa(j.Attempt) + " of " + strconv.Itoa(j.Most) + ")"
	}
	return row
}

func (s *Server) workAgain(w http.ResponseWriter, r *http.Request) error {
	id, err := strconv.ParseInt(chi.URLParam(r, "work"), 10, 64)
	if err != nil {
		return app.ErrNotFound
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, app.RetryWork{Job: id})
	return s.done(w, r, err, "/setup/work", said{Text: "It runs again, as soon as a node comes to it."})
}
