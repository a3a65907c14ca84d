package web

import (
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/company"
	"manudex/docs/guide"
	"manudex/store"
	"manudex/web/form"
)

type guideView struct {
	frameView
	Pages []guide.Page // that the reader has a use for
	Page  *guide.Page  // nil on the list of them
	Asks  []store.AskWhom
	From  string // the page that the reader came from
}

// askForm is what a question is asked by.
type askForm struct {
	store.AskWhom
	NewID, From string
}

// Ask is the form for somebody.
func (v guideView) Ask(whom store.AskWhom) askForm { return askForm{whom, newID().String(), v.From} }

// guideFor are the pages of the guide that somebody has a use for.
func (s *Server) guideFor(actor app.Actor) []guide.Page {
	return slices.DeleteFunc(slices.Clone(s.guide), func(p guide.Page) bool {
		return p.Needs != "" && !actor.May(p.Needs) || p.Needs == "clock.see" && actor.Employment == nil
	})
}

func (s *Server) guidePage(w http.ResponseWriter, r *http.Request) error {
	actor := visitOf(r).actor
	v := guideView{Pages: s.guideFor(actor), From: askedFrom(r)}
	title := "Guide"
	if key := chi.URLParam(r, "page"); key != "" {
		i := slices.IndexFunc(v.Pages, func(p guide.Page) bool { return p.Key == key })
		if i < 0 {
			return app.ErrNotFound
		}
		v.Page = &v.Pages[i]
		title = v.Page.Title
	}
	var err error
	if v.Asks, err = company.AsksOf(r.Context(), s.app, actor); err != nil {
		return err
	}
	if v.frameView, err = s.stillFrame(r, title, "guide"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "guide", v)
	return nil
}

func (s *Server) putAsk(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := company.PutAsk{ID: f.ID("id"), Subject: f.Text("subject"), Site: f.MaybeID("site"), Named: f.Text("person"),
		Reach: f.Text("reach")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/asks", said{Text: "Saved: " + act.Subject + "."})
}

func (s *Server) dropAsk(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "ask")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, company.DropAsk{ID: id}), "/setup/on/asks",
		said{Text: "Nobody is asked about that any more."})
}
