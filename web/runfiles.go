package web

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/store"
	"manudex/web/words"
)

type runFilesView struct {
	frameView
	*payroll.RunFiles
	Period string
	Rows   []runFileRow
}

type runFileRow struct {
	payroll.OfferedFile
	Moment, Digest, Size string // of one that was made
}

// runFilesPage lists the files of a closed run.
func (s *Server) runFilesPage(w http.ResponseWriter, r *http.Request) error {
	id, err := uuid.Parse(chi.URLParam(r, "run"))
	if err != nil {
		return app.ErrNotFound
	}
	list, err := payroll.ReadRunFiles(r.Context(), s.app, visitOf(r).actor, id)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := runFilesView{RunFiles: list, Period: words.SpanFrom(list.Run.Period(), 0)}
	for _, f := range list.Files {
		row := runFileRow{OfferedFile: f}
		if f.Made != nil {
			row.Moment, row.Size = words.At(f.Made.MadeAt, place.Loc).Moment(), words.Grouped(fmt.Sprint(f.Made.Size))+" bytes"
			row.Digest = hex.EncodeToString(f.Made.SHA256)
		}
		v.Rows = append(v.Rows, row)
	}
	if v.frameView, err = s.stillFrame(r, "Files of a run", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "payrun-files", v)
	return nil
}

// runFile gives a file of a closed run, made once and kept.
func (s *Server) runFile(w http.ResponseWriter, r *http.Request) error {
	id, err := uuid.Parse(chi.URLParam(r, "run"))
	if err != nil {
		return app.ErrNotFound
	}
	name := chi.URLParam(r, "name")
	if name == "" {
		name = "lines.csv"
	}
	f, run, err := payroll.FetchRunFile(r.Context(), s.app, visitOf(r).actor, id, name)
	if err != nil {
		return err
	}
	if err := s.noteFetched(r, run, name); err != nil {
		return err
	}
	s.attach(w, f.Media, fmt.Sprintf("pay-run-%d-%s-%s", run.Number, run.To, name))
	_, err = w.Write(f.Data)
	return err
}

// runZip gives all files of a closed run at once.
func (s *Server) runZip(w http.ResponseWriter, r *http.Request) error {
	id, err := uuid.Parse(chi.URLParam(r, "run"))
	if err != nil {
		return app.ErrNotFound
	}
	var b bytes.Buffer
	run, err := payroll.FetchAllFiles(r.Context(), s.app, visitOf(r).actor, id, &b)
	if err != nil {
		return err
	}
	if err := s.noteFetched(r, run, "all files"); err != nil {
		return err
	}
	s.attach(w, "application/zip", fmt.Sprintf("pay-run-%d-%s.zip", run.Number, run.To))
	_, err = w.Write(b.Bytes())
	return err
}

// noteFetched notes who had a file of a run.
func (s *Server) noteFetched(r *http.Request, run store.Run, name string) error {
	actor := visitOf(r).actor
	s.log.Info("pay downloaded", "person", actor.ID, "run", run.Number, "file", name, "address", s.clientOf(r))
	return people.Note(r.Context(), s.app, actor.ID, "payrun.download", run.ID, map[string]any{"run": run.Number, "file": name})
}

func (s *Server) attach(w http.ResponseWriter, media, name string) {
	h := w.Header()
	h.Set("Content-Type", media)
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s"`, strings.ReplaceAll(name, `"`, "")))
	h.Set("Cache-Control", "no-store")
}
