package web

import (
	"net/http"
	"strings"

	"manudex/app"
	"manudex/web/form"
	"manudex/web/words"
)

// leftShown is how many of those that stay are named.
const leftShown = 5

// undo takes back what an act did, and says what of it stays.
func (s *Server) undo(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	batch := f.ID("batch")
	if err := f.Err(); err != nil {
		return err
	}
	var done app.Undone
	undo := app.Undo{Batch: batch, Tell: func(d app.Undone) { done = d }}
	var act app.Act = undo
	if f.Text("of") == "settings" {
		act = app.UndoSettings{Undo: undo}
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/"), said{Text: undoneWords(done)})
}

// undoneWords says what was taken back, and what was not.
func undoneWords(d app.Undone) string {
	if len(d.Left) == 0 {
		return "Taken back: " + d.Words + "."
	}
	named := d.Left[:min(len(d.Left), leftShown)]
	text := "Taken back: " + d.Words + ". Left as it is: " + strings.Join(named, "; ")
	if more := len(d.Left) - len(named); more > 0 {
		text += " and " + words.Plural(more, "one more", "more")
	}
	return text + "."
}
