package web

import (
	"net/http"

	"github.com/google/uuid"

	"manudex/app/people"
	"manudex/app/points"
	"manudex/web/form"
)

// pinSlip is what somebody is handed to clock in with at shared terminals.
type pinSlip struct{ Name, Number, PIN string }

// givePIN gives one person a new PIN and shows it, this once.
func (s *Server) givePIN(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	return s.pinSlips(w, r, "/people/"+person.String(), person)
}

// givePINs gives PINs to those of a clock point's site who clock at shared terminals and
// have none.
func (s *Server) givePINs(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	point := f.PathID("point")
	if err := f.Err(); err != nil {
		return err
	}
	ids, err := points.WithoutPIN(r.Context(), s.app, visitOf(r).actor, point)
	if err != nil {
		return err
	}
	return s.pinSlips(w, r, pointsPage, ids...)
}

// pinSlips gives people new PINs and shows the slips to print: what is kept is only what
// tells a right one.
func (s *Server) pinSlips(w http.ResponseWriter, r *http.Request, back string, ids ...uuid.UUID) error {
	pins := map[uuid.UUID]string{}
	act := people.GivePINs{To: ids, Told: func(person uuid.UUID, pin string) { pins[person] = pin }}
	if err := s.app.Do(r.Context(), visitOf(r).actor, act); err != nil {
		return s.done(w, r, err, back, said{})
	}
	v := struct {
		frameView
		Company, Back string
		Slips         []pinSlip
	}{Back: back}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Company = place.Name
	for _, id := range ids {
		who, err := s.app.Actor(r.Context(), id)
		if err != nil {
			return err
		}
		v.Slips = append(v.Slips, pinSlip{who.Name(), who.Number, pins[id]})
	}
	if v.frameView, err = s.stillFrame(r, "PINs", "people"); err != nil {
		return err
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("HX-Push-Url", "false")
	s.pages.write(w, s.log, http.StatusOK, "pin-slips", v)
	return nil
}
