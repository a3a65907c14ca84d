package web

import (
	"net/http"

	"manudex/app/people"
	"manudex/core/badge"
	"manudex/web/form"
)

// cardLearning is the page on which a card is learnt: what was read of it, to be looked at
// first.
type cardLearning struct {
	frameView
	Person, Name string
	Text         string // as the reader typed it; "" before it did, and of what is refused
	Card         badge.Card
	Wrong        string
}

// readCard shows what a card says, before it is learnt. What is refused is shown nowhere.
func (s *Server) readCard(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	person := f.PathID("person")
	if err := f.Err(); err != nil {
		return err
	}
	page, err := people.ReadPersonPage(r.Context(), s.app, visitOf(r).actor, person)
	if err != nil {
		return err
	}
	v := cardLearning{Person: person.String(), Name: page.Sheets[0].Name()}
	if text := f.Text("card"); text != "" {
		place, err := s.app.Company(r.Context())
		if err != nil {
			return err
		}
		card, err := people.ReadCard(place, text)
		if refused := refusalIn(err); refused != nil {
			v.Wrong = refused.Error() + "."
		} else {
			v.Card, v.Text = card, text
		}
	}
	if v.frameView, err = s.stillFrame(r, "Learn a card", "people"); err != nil {
		return err
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("HX-Push-Url", "false")
	s.pages.write(w, s.log, http.StatusOK, "card-learn", v)
	return nil
}

func (s *Server) learnCard(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.LearnBadge{Person: f.PathID("person"), Text: f.Text("card")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/people/"+act.Person.String(),
		said{Text: "The card is learnt. Of what it says only a hash is kept."})
}

func (s *Server) dropCards(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.DropBadges{Person: f.PathID("person")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/people/"+act.Person.String(),
		said{Text: "Their cards are taken away: they open nothing any more."})
}
