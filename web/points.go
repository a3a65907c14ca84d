package web

import (
	"errors"
	"net/http"

	"manudex/app"
	"manudex/app/points"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

// pointView is a clock point on its page.
type pointView struct {
	points.PointRow
	NewID string
	Shown []keyView // keys in force
}

// Closed says whether it takes nothing.
func (p pointView) Closed() bool { return p.ClosedAt != nil }

type keyView struct {
	store.PointKey
	Made, Seen string
}

func (s *Server) pointViews(r *http.Request) ([]pointView, error) {
	rows, err := points.ReadPoints(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return nil, err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return nil, err
	}
	views := make([]pointView, len(rows))
	for i, row := range rows {
		views[i] = pointView{PointRow: row, NewID: newID().String()}
		for _, k := range row.Keys {
			if k.EndedAt != nil {
				continue
			}
			v := keyView{k, words.At(k.MadeAt, place.Loc).By(), "not used yet"}
			if k.SeenAt != nil {
				v.Seen = "used last " + words.At(*k.SeenAt, place.Loc).By()
			}
			views[i].Shown = append(views[i].Shown, v)
		}
	}
	return views, nil
}

// callView is a call of the phone line as a line of the log.
type callView struct {
	store.PhoneCall
	When string
}

// calledActs are the acts that go by another name in the log.
var calledActs = map[string]string{"break_start": "break begins", "break_end": "break ends"}

// callViews are the calls of the last weeks, for who may read them.
func (s *Server) callViews(r *http.Request) ([]callView, error) {
	calls, err := points.ReadCalls(r.Context(), s.app, visitOf(r).actor)
	if err != nil && !errors.Is(err, app.ErrForbidden) {
		return nil, err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return nil, err
	}
	views := make([]callView, len(calls))
	for i, c := range calls {
		if words, ok := calledActs[c.Act]; ok {
			c.Act = words
		}
		views[i] = callView{c, words.At(c.At, place.Loc).Moment()}
	}
	return views, nil
}

const pointsPage = "/setup/on/points"

func (s *Server) putPoint(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := points.PutPoint{ID: f.ID("id"), Title: f.Text("title"), Site: f.MaybeID("site"), Job: f.Text("job"), Task: f.Text("task"),
		Takes: f.Texts("takes"), Watcher: f.Text("watcher")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, pointsPage, said{Text: "The clock point is there. A device acts for it by a key."})
}

func (s *Server) closePoint(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := points.ClosePoint{ID: f.PathID("point"), Open: f.Text("open") == "yes"}
	if err := f.Err(); err != nil {
		return err
	}
	text := "The clock point is closed: its keys open nothing."
	if act.Open {
		text = "The clock point is open again."
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, pointsPage, said{Text: text})
}

// giveKey makes a key, and shows it on the page that answers: it is kept nowhere.
func (s *Server) giveKey(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	key := ""
	act := points.GiveKey{ID: f.ID("id"), Point: f.PathID("point"), Title: f.Text("title"), Punches: f.Text("punches") == "yes",
		Told: func(made string) { key = made }}
	if err := f.Err(); err != nil {
		return err
	}
	if err := s.app.Do(r.Context(), visitOf(r).actor, act); err != nil {
		return s.done(w, r, err, pointsPage, said{})
	}
	w.Header().Set("Cache-Control", "no-store")
	return s.writeSetup(w, r, "points", key)
}

func (s *Server) endKey(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := points.EndKey{Key: f.PathID("key")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, pointsPage, said{Text: "The key is taken back: it opens nothing any more."})
}
