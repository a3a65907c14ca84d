package web

import (
	"net/http"
	"time"

	"manudex/app"
	"manudex/app/hours"
	"manudex/web/form"
)

// onCard does an act on the card of an address and goes back.
func (s *Server) onCard(w http.ResponseWriter, r *http.Request, act func(hours.CardRef) app.Act, words func(hours.CardRef) said) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act(ref))
	return s.done(w, r, err, backTo(r, "/timecards?day="+ref.Date.String()), words(ref))
}

func (s *Server) signCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.Sign{Card: c} },
		func(c hours.CardRef) said {
			return said{Text: "Signed the card of " + c.Date.Format("Monday 2 January") + "."}
		})
}

func (s *Server) approveCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.Approve{Card: c, Why: r.FormValue("why")} },
		func(c hours.CardRef) said {
			return said{Text: "Approved one card of " + c.Date.Format("Monday 2 January") + ".",
				Undo: "/cards/" + c.Employment.String() + "/" + c.Date.String() + "/take-back", UndoLabel: "Take it back"}
		})
}

func (s *Server) sendBackCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.SendBack{Card: c, Why: r.FormValue("why")} },
		func(c hours.CardRef) said {
			return said{Text: "Sent back: the card of " + c.Date.Format("Monday 2 January") + " is open again."}
		})
}

func (s *Server) holdCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.Hold{Card: c} },
		func(hours.CardRef) said {
			return said{Text: "It is yours to look at for 25 minutes, or until you release it."}
		})
}

func (s *Server) releaseCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.Release{Card: c} },
		func(hours.CardRef) said { return said{Text: "Released."} })
}

// endStint says when somebody left who forgot to clock out: the time nearest to
// eight hours after they began, or an instant.
func (s *Server) endStint(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := hours.ReadCardPage(r.Context(), s.app, visitOf(r).actor, ref)
	if err != nil {
		return err
	}
	at, err := timeIn(f.Text("end"), ref.Date, p.Row.OpenSince.Add(8*time.Hour), p.Row.Loc)
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, hours.EndStint{ID: id, Employment: ref.Employment, At: at, Why: f.Text("why")})
	}
	return s.done(w, r, err, cardHref(p.Row),
		said{Text: "The day ends at " + at.In(p.Row.Loc).Format("15:04, Monday 2 January") + ". That end is by hand, and marked so.",
			Undo: "/undo", UndoLabel: "Take it back", Batch: id.String()})
}

// objectTo says something against a change that others made.
func (s *Server) objectTo(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.Object{ID: id, Card: c, Body: f.Text("body")} },
		func(hours.CardRef) said {
			return said{Text: "Your objection is on the card. Somebody who did not make the change answers it."}
		})
}

func (s *Server) answerObjection(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.PathID("objection")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, hours.AnswerObjection{Objection: id, Body: f.Text("body")})
	return s.done(w, r, err, backTo(r, "/timecards"), said{Text: "Answered."})
}

func (s *Server) takeBackCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.TakeBack{Card: c} },
		func(hours.CardRef) said { return said{Text: "The approval was taken back."} })
}

// noteOnCard puts a remark on one's own card of a day that is over.
func (s *Server) noteOnCard(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	if own := visitOf(r).actor.Employment; own == nil || *own != ref.Employment {
		return app.ErrNotFound
	}
	f := form.Of(r)
	act := hours.AddNote{ID: f.ID("id"), Body: f.Text("note"), On: ref.Date}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), r.URL.Path[:len(r.URL.Path)-len("/note")],
		said{Text: "The note is on your card."})
}
