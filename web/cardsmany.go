package web

import (
	"net/http"
	"net/url"
	"strings"
	"time"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/web/form"
	"manudex/web/words"
)

// sameView is the page on which the same is changed of several cards.
type sameView struct {
	frameView
	Cards       []string // as in the address
	Count       int
	Does        string
	At, Until   string
	Choice, Why string
	Kind        string
	Choices     []choiceOption
	Doings      []choiceOption
	Rows        []sameRow
	Fit, Stay   int
	Wrong       string
	ID          string
	DeskHref    string
}

// sameRow is what becomes of one person's hours.
type sameRow struct{ Name, Was, Is, Change, Stays string }

// doings are what can be done the same to several cards.
var doings = []choiceOption{{Key: "end", Label: "End what nobody ended"}, {Key: "add", Label: "Add a stint"},
	{Key: "move_end", Label: "Move the end of the day"}, {Key: "move_start", Label: "Move the begin of the day"},
	{Key: "reassign", Label: "Put all work on another job"}}

// tickedIn reads the cards that a form names, "employment/date".
func tickedIn(texts []string) ([]hours.CardRef, error) {
	refs := make([]hours.CardRef, len(texts))
	for i, t := range texts {
		employment, date, _ := strings.Cut(t, "/")
		var err error
		if refs[i], err = cardRef(employment, date); err != nil {
			return nil, err
		}
	}
	return refs, nil
}

// approveTicked approves the cards that somebody ticked.
func (s *Server) approveTicked(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.ApproveTicked{ID: f.ID("id"), Why: f.Text("why")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.Cards, err = tickedIn(f.Texts("card")); err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/timecards"),
		said{Text: "Approved " + words.Plural(len(act.Cards), "card", "cards") + ".", Undo: "/undo",
			UndoLabel: "Take them back", Batch: act.ID.String()})
}

// remind asks people to sign: of ticked cards, or of a whole day.
func (s *Server) remind(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.Remind{ID: f.ID("id"), Day: f.MaybeDate("day")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.Cards, err = tickedIn(f.Texts("card")); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), backTo(r, "/timecards"),
		said{Text: "Asked for: it stands on their own page, and on the card."})
}

// changeSamePage asks what to change of several cards, and previews it person by
// person.
func (s *Server) changeSamePage(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := sameView{Cards: q["card"], Count: len(q["card"]), Does: q.Get("does"), At: q.Get("at"), Until: q.Get("until"),
		Choice: q.Get("choice"),
		Kind:   q.Get("kind"), Why: q.Get("why"), ID: newID().String(), Doings: doings, DeskHref: "/timecards"}
	actor := visitOf(r).actor
	refs, err := tickedIn(v.Cards)
	if err != nil {
		return err
	}
	rows, err := hours.ReadRows(r.Context(), s.app, actor, "time.edit", refs)
	if err != nil {
		return err
	}
	for _, o := range hours.WorkedOnDays(rows) {
		v.Choices = append(v.Choices, choiceOption{choiceKey(o), optionLabel(o), choiceKey(o) == v.Choice})
	}
	if len(rows) > 0 {
		v.DeskHref = "/timecards?day=" + rows[0].Date.String()
	}
	if v.Does != "" && v.At+v.Choice != "" {
		changes, none, err := sameIn(q, rows)
		if err == nil {
			err = s.previewSame(r, &v, changes, none)
		}
		if refused := refusalIn(err); refused != nil {
			v.Wrong = refused.Error() + "."
		} else if err != nil {
			return err
		}
	}
	if v.frameView, err = s.stillFrame(r, "Change the hours of several", "timecards"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "cards-many", v)
	return nil
}

// sameIn reads the change that a form wants of some cards.
func sameIn(q url.Values, rows []hours.DayRow) (changes []hours.Change, none []hours.DayRow, err error) {
	c := hours.SameChange{Does: clock.AmendAct(q.Get("does")), Kind: clock.Work}
	for _, t := range []struct {
		name string
		into *time.Duration
	}{{"at", &c.At}, {"until", &c.Until}} {
		needed := c.Does == clock.AddStint || t.name == "at" && c.Does != clock.Reassign
		if !needed {
			continue
		}
		if *t.into, err = when.ParseTimeOfDay(q.Get(t.name)); err != nil {
			return nil, nil, refusal.New(t.name, "A time is missing", "Write it as 15:30")
		}
	}
	if _, c.On, err = spentIn(q.Get); err != nil {
		return nil, nil, err
	}
	if k := clock.Kind(q.Get("kind")); k != "" {
		c.Kind = k
	}
	changes, none = c.Of(rows)
	return changes, none, nil
}

func (s *Server) previewSame(r *http.Request, v *sameView, changes []hours.Change, none []hours.DayRow) error {
	amended, err := hours.PreviewAmend(r.Context(), s.app, visitOf(r).actor, hours.Amend{Changes: changes})
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	for _, a := range amended {
		loc, err := a.Who.Loc()
		if err != nil {
			return err
		}
		row := sameRow{Name: a.Who.Name(), Was: spanOf(a.Was, loc), Is: spanOf(a.Is, loc)}
		if a.Refused != nil {
			row.Stays = a.Refused.Error()
			v.Stay++
		} else {
			was, is := a.Worked(place.Limits, s.app.Now())
			row.Change = card.HoursMinutes(was) + " → " + card.HoursMinutes(is)
			v.Fit++
		}
		v.Rows = append(v.Rows, row)
	}
	for _, n := range none {
		v.Rows = append(v.Rows, sameRow{Name: n.Name(), Stays: "nothing on this card to change so"})
	}
	return nil
}

// spanOf says when some stints begin and end.
func spanOf(stints []clock.Stint, loc *time.Location) string {
	if len(stints) == 0 {
		return "–"
	}
	last := stints[len(stints)-1]
	if last.Open() {
		return clockText(stints[0].Start, loc) + "–…"
	}
	return clockText(stints[0].Start, loc) + "–" + clockText(last.End, loc)
}

// changeSame changes several cards: all of them, or those that fit.
func (s *Server) changeSame(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.Amend{Batch: f.ID("id"), Why: f.Text("why"), Fitting: f.Yes("fitting")}
	if err := f.Err(); err != nil {
		return err
	}
	actor := visitOf(r).actor
	refs, err := tickedIn(f.Texts("card"))
	if err != nil {
		return err
	}
	rows, err := hours.ReadRows(r.Context(), s.app, actor, "time.edit", refs)
	if err != nil {
		return err
	}
	act.Changes, _, err = sameIn(r.Form, rows)
	n := 0
	if err == nil {
		act.Tell = func(done []hours.Amended) {
			for _, a := range done {
				if a.Refused == nil {
					n++
				}
			}
		}
		err = s.app.Do(r.Context(), actor, act)
	}
	back := "/timecards"
	if len(rows) > 0 {
		back += "?day=" + rows[0].Date.String()
	}
	if refusalIn(err) != nil {
		r.Form.Del("id")
		back = "/timecards/change?" + r.Form.Encode()
	}
	return s.done(w, r, err, back, said{Text: "Changed the hours of " + words.Plural(n, "person",
		"people") + ". They see what was before and after.",
		Undo: "/undo", UndoLabel: "Take it back", Batch: act.Batch.String()})
}
