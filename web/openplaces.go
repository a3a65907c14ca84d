package web

import (
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

// openRow is an open place on the roster.
type openRow struct {
	ID, Name, On   string
	Plan           template.HTML
	Left, Says     string
	Href           string
	Picked         bool
	MayPlan        bool
	Asks           []askRow
	Free           []string
	Back, HowItGot string
}

type askRow struct {
	ID, Name, Unit, At, Answer string
	Open                       bool
}

// place draws an open place.
func (v *rosterView) place(axis draw.PlanAxis, o roster.Place) openRow {
	row := openRow{ID: o.ID.String(), Name: o.UnitName, Left: words.Plural(o.Left(), "place", "places") + " of " + strconv.Itoa(o.Wanted),
		MayPlan: o.MayPlan, Back: v.Back, Picked: v.Query.Get("place") == o.ID.String(),
		Href: rosterHref(v.Days, v.Query, "place", o.ID.String()) + "#open"}
	if o.JobNumber != "" {
		row.On = o.JobNumber + " " + o.JobName
	}
	switch {
	case o.Sick:
		row.HowItGot = o.FromName + " is sick"
	case o.From != nil:
		row.HowItGot = o.FromName + " hands it over"
	}
	label := strconv.Itoa(o.Left()) + " open"
	if o.Asked > 0 {
		label = strconv.Itoa(o.Asked) + " asked"
		row.Says = words.Plural(o.Asked, "person asks", "people ask")
	}
	title := o.UnitName + ", " + o.Date.Format("Mon 2") + " " + o.Start.In(o.Loc).Format("15:04") + "–" + o.End.In(o.Loc).Format("15:04") +
		", " + label
	row.Plan = template.HTML(draw.Plan(nil, axis, draw.PlanRow{Words: title, Now: v.Now, Shifts: []draw.PlanShift{{ID: row.ID,
		Href:  row.Href,
		Label: label, Title: title, From: o.Start, To: o.End, Picked: row.Picked}}}))
	for _, a := range o.Asks {
		ask := askRow{ID: a.ID.String(), Name: a.Name, Unit: a.UnitName, At: words.At(a.AskedAt, o.Loc).Moment(), Open: a.AnsweredAt == nil}
		switch {
		case a.Given:
			ask.Answer = "has it"
		case a.AnsweredAt != nil:
			ask.Answer = "not given: " + a.Why
		}
		row.Asks = append(row.Asks, ask)
	}
	others := 0
	for _, p := range o.Free { // its own crew by name
		if p.Unit == o.Unit {
			row.Free = append(row.Free, p.Name())
		} else {
			others++
		}
	}
	if others > 0 {
		row.Free = append(row.Free, strconv.Itoa(others)+" of other crews")
	}
	return row
}

// newPlace is the form of open places of a crew, nil where none is asked for.
func (s *Server) newPlace(r *http.Request, p *roster.Roster, back string) (*shiftForm, error) {
	unit, err := uuid.Parse(r.URL.Query().Get("open"))
	if err != nil || !visitOf(r).actor.Reaches("roster.plan", uuid.Nil, unit) {
		return nil, nil
	}
	f := &shiftForm{Action: rosterPath + "/places", NewID: newID().String(), Employment: unit.String(), Date: max(p.Today+1, p.Days.From),
		From: "07:00", To: "15:30", Less: 30, Back: back, Wanted: 1}
	q := r.URL.Query()
	if d, err := when.ParseDate(q.Get("day")); err == nil {
		f.Date = d
	}
	for _, j := range p.Jobs { // of which it lacks people
		if j.ID.String() != q.Get("on") {
			continue
		}
		f.Choice, f.Wanted = j.ID.String(), j.Lack(f.Date)
		if day := j.Days[f.Date]; day.Wanted > 0 {
			f.From, f.To = ofSecond(day.From), ofSecond(day.To)
		}
	}
	for _, u := range p.Units {
		if u.ID == unit {
			f.Name = u.Name
		}
	}
	found, err := roster.CrewChoices(r.Context(), s.app, visitOf(r).actor, unit, f.Date)
	f.Choices = append(f.Choices, crewOptions(found, nil)...)
	return f, err
}

// openPlaces opens places of a crew.
func (s *Server) openPlaces(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.OpenPlace{ID: f.ID("id"), Unit: f.ID("unit"), Note: f.Text("note")}
	at, given, err := whenOf(f)
	if ferr := f.Err(); ferr != nil || !given && err == nil {
		return app.ErrNotFound
	}
	act.When = at
	if n, wrong := strconv.Atoi(strings.TrimSpace(f.Text("wanted"))); wrong == nil {
		act.Wanted = n
	}
	if choice := f.Text("choice"); err == nil && choice != "" {
		act.On, err = workIn(choice)
	}
	if err == nil {
		act.Less, err = lessOf(f.Text("less"))
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, backTo(r, rosterPath), said{Text: "Opened. Who could have a place sees it on their phone."})
}

// closePlace closes an open place.
func (s *Server) closePlace(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "place")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, roster.ClosePlace{Place: id}), backTo(r, rosterPath),
		said{Text: "Nobody can ask for it any more."})
}

// givePlace gives a place to who asked for it.
func (s *Server) givePlace(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "ask")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, roster.GivePlace{Ask: id}), backTo(r, rosterPath),
		said{Text: "Given, and they are told."})
}

// declineAsk says that somebody doesn't have it.
func (s *Server) declineAsk(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "ask")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, roster.DeclineAsk{Ask: id, Why: r.FormValue("why")}),
		backTo(r, rosterPath), said{Text: "Declined, and they are told why."})
}

// askForPlace asks for a place, or takes a colleague's shift.
func (s *Server) askForPlace(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.AskForPlace{ID: f.ID("id"), Place: f.PathID("place")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/shifts", said{Text: "Asked for."})
}

// handOver offers a shift of one's own.
func (s *Server) handOver(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.HandOver{ID: f.ID("id"), Shift: f.PathID("shift"), To: f.MaybeID("to")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/shifts",
		said{Text: "Offered. Until somebody has it, it is yours."})
}

// takeOfferBack keeps a shift that one offered.
func (s *Server) takeOfferBack(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "shift")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, roster.TakeOfferBack{Shift: id}), "/shifts",
		said{Text: "It stays yours."})
}

// agreeToChange says that one agrees to a change of one's plan.
func (s *Server) agreeToChange(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "told")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, roster.AgreeToChange{Told: id}), "/shifts", said{Text: "Kept."})
}

// sayingSick says that somebody can't come today.
func (s *Server) sayingSick(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.SayingSick{ID: f.ID("id"), Shift: f.PathID("shift")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/shifts", said{Text: "Your lead is told. Get well soon."})
}

// ownPlace is an open place on somebody's own page.
type ownPlace struct {
	ID, NewID          string
	Date               when.Date
	When, On, Who, Why string
	Offered            bool // to the reader
	Asked, Mine        bool
	Declined           bool
}

// ownPlaces are those that somebody could have, or asked for.
func ownPlaces(p *roster.OwnShifts) (places []ownPlace) {
	for _, o := range p.Open {
		own := ownPlace{ID: o.ID.String(), NewID: newID().String(), Date: o.Date, When: spanBetween(o.Start, o.End, p.Loc), On: o.UnitName,
			Who: o.FromName, Offered: o.To != nil}
		if o.JobNumber != "" {
			own.On += ", " + o.JobNumber + " " + o.JobName
		}
		if o.Mine != nil {
			own.Asked, own.Mine, own.Declined, own.Why = o.Mine.AnsweredAt == nil, o.Mine.Given, o.Mine.AnsweredAt != nil && !o.Mine.Given,
				o.Mine.Why
		}
		if !own.Mine { // what is theirs stands among their shifts
			places = append(places, own)
		}
	}
	return places
}

func spanBetween(from, to time.Time, loc *time.Location) string {
	return from.In(loc).Format("15:04") + "–" + to.In(loc).Format("15:04")
}

// colleagues are those to whom a shift can be handed over.
func colleagues(p *roster.OwnShifts) (options []crewOption) {
	for _, o := range p.Others {
		options = append(options, crewOption{o.Employment.String(), o.Name()})
	}
	return options
}
