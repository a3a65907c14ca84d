package web

import (
	"net/http"
	"strings"

	"github.com/google/uuid"

	"manudex/app/hours"
	"manudex/web/form"
)

// dayAsk is something that the place asks of a day, or of a stint of it, in a form.
type dayAsk struct {
	hours.AskedOf
	ID, Base, Of, Back string // Of is when the stint was, "" for the day
	Options            []string
	May, On            bool   // it may be answered; a narrow screen shows it
	Sends              string // it is sent as it is left: what it is called
}

// dayAsks readies what is asked of a card.
func dayAsks(p *hours.CardPage, base string) []dayAsk {
	views := make([]dayAsk, len(p.Asked))
	for i, a := range p.Asked {
		v := dayAsk{AskedOf: a, ID: newID().String(), Base: base, May: p.MaySay && !a.Closed, Options: strings.Split(a.Choices, "\n")}
		for _, s := range p.Row.Stints {
			if s.ID == a.Stint && a.Stint != uuid.Nil {
				v.Of = clockText(s.Start, p.Row.Loc)
			}
		}
		views[i] = v
	}
	return views
}

// sayOfDay keeps what was said of a day or a stint.
func (s *Server) sayOfDay(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	f := form.Of(r)
	act := hours.SayOfDay{ID: f.ID("id"), Card: ref, Stint: f.MaybeID("stint"), Field: f.ID("field"), Value: f.Text("value")}
	if err := f.Err(); err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/cards/"+ref.Employment.String()+"/"+ref.Date.String()), said{Text: "Kept."})
}

// putDayField asks something of days.
func (s *Server) putDayField(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.PutDayField{ID: f.ID("id"), Title: f.Text("title"), Kind: f.Text("kind"), Choices: f.Text("choices"),
		OfStint: f.Yes("of_stint"), Unit: f.MaybeID("unit")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/people",
		said{Text: "Saved: " + act.Title + ". It stands on cards, and in the file of a pay run."})
}

// closeDayField has something asked no more.
func (s *Server) closeDayField(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.CloseDayField{ID: f.PathID("field")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/people",
		said{Text: "It is asked no more. What was said stays."})
}
