package web

import (
	"net/http"
	"strings"

	"manudex/app/hours"
	"manudex/core/when"
	"manudex/docs/guide"
	"manudex/store"
)

type findView struct {
	frameView
	Text         string
	People, Jobs []foundView
	Guide        []guide.Page
}

type foundView struct {
	store.Found
	Href string
}

// find answers the find box: as a list below it, or as a page of its own.
func (s *Server) find(w http.ResponseWriter, r *http.Request) error {
	v := findView{Text: strings.TrimSpace(r.URL.Query().Get("q"))}
	if v.Text != "" {
		people, jobs, err := hours.Find(r.Context(), s.app, visitOf(r).actor, v.Text)
		if err != nil {
			return err
		}
		for _, p := range people {
			v.People = append(v.People, foundView{p, "/timecards?person=" + p.ID.String()})
		}
		for _, j := range jobs {
			v.Jobs = append(v.Jobs, foundView{j, "/timecards?job=" + j.ID.String()})
		}
	}
	v.Guide = guide.Find(s.guideFor(visitOf(r).actor), v.Text)
	v.Guide = v.Guide[:min(len(v.Guide), 4)]
	if r.Header.Get("HX-Target") == "found" {
		s.pages.writePart(w, s.log, http.StatusOK, "find", "found", v)
		return nil
	}
	frame, err := s.app.ReadFrame(r.Context(), visitOf(r).actor, when.Period{})
	if err != nil {
		return err
	}
	v.frameView = s.frame(r, "Find", "find", frame)
	v.Still = true // what was found is found again by asking
	s.pages.write(w, s.log, http.StatusOK, "find", v)
	return nil
}
