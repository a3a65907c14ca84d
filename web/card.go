package web

import (
	"html/template"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type cardView struct {
	frameView
	*hours.CardPage
	Base, StateWord    string
	EndID              string
	OverIs             bool // the day is over, and so its difference means something
	WorkedNow, OverNow int64
	FlagWords          []string
	Record, Where      template.HTML
	Stints             []stintRow
	Marks              []punchRow
	Acts               []actRow
	Noted              []noteRow
}

type punchRow struct{ Claimed, Device, Received, What, From string }

type actRow struct {
	At    words.Local
	Words string
}

// noteRow is a note with when it was made, where the card is.
type noteRow struct {
	store.Note
	At words.Local
}

func noteRows(notes []store.Note, loc *time.Location) []noteRow {
	rows := make([]noteRow, len(notes))
	for i, n := range notes {
		rows[i] = noteRow{n, words.At(n.MadeAt, loc)}
	}
	return rows
}

// cardRef reads the card in an address; a malformed one is not found.
func cardRef(employment, date string) (hours.CardRef, error) {
	id, err1 := uuid.Parse(employment)
	d, err2 := when.ParseDate(date)
	if err1 != nil || err2 != nil {
		return hours.CardRef{}, app.ErrNotFound
	}
	return hours.CardRef{Employment: id, Date: d}, nil
}

func cardOf(r *http.Request) (hours.CardRef, error) {
	return cardRef(chi.URLParam(r, "employment"), chi.URLParam(r, "date"))
}

func (s *Server) cardPage(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	p, err := hours.ReadCardPage(r.Context(), s.app, visitOf(r).actor, ref)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := cardView{CardPage: p, Base: cardHref(p.Row), StateWord: words.State(p.Row, place.SignRequired),
		FlagWords: words.Flags(p.Row.Flags, p.Row.Loc),
		WorkedNow: p.Row.Live(p.Now, p.Limits), Stints: stintRows(p.Row, p.Now)}
	v.OverNow, v.OverIs, v.EndID = v.WorkedNow-p.Row.Due(), dayOver(p.Row, p.Now), newID().String()
	v.Noted = noteRows(p.Notes, p.Row.Loc)
	v.Record, v.Where = template.HTML(record(p)), cardMap(p)
	for _, punch := range p.Punches {
		v.Marks = append(v.Marks,
			punchRow{words.Clock(punch.Claimed, p.Row.Loc), words.Clock(punch.Device, p.Row.Loc), words.Clock(punch.Received, p.Row.Loc),
				words.Punch(punch, p.Names), words.Point(punch)})
	}
	for _, a := range p.Acts {
		v.Acts = append(v.Acts, actRow{words.At(a.MadeAt, p.Row.Loc), words.Move(a)})
	}
	v.frameView = s.frame(r, p.Row.Name(), "timecards", p.Around)
	v.Whose = p.Row.Person.String()
	s.pages.write(w, s.log, http.StatusOK, "card", v)
	return nil
}

// endStint says when somebody left who forgot to clock out: at a time of the
// card's day, or of the next where it would lie before they began.
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
	back := cardHref(p.Row)
	of, err := when.ParseTimeOfDay(f.Text("at"))
	if err != nil {
		return s.done(w, r, refusal.New("at", "The time can't be “"+f.Text("at")+"”", "Write it as 15:30"), back, said{})
	}
	at := ref.Date.At(of, p.Row.Loc)
	if !at.After(p.Row.OpenSince) {
		at = (ref.Date + 1).At(of, p.Row.Loc)
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, hours.EndStint{ID: id, Employment: ref.Employment, At: at, Why: f.Text("why")})
	return s.done(w, r, err,
		back, said{Text: "The day ends at " + at.In(p.Row.Loc).Format("15:04, Monday 2 January") + ". That end is by hand, and marked so."})
}

// record draws the three times of each punch on an axis from an hour before
// the first of them to an hour after the last.
func record(p *hours.CardPage) []byte {
	loc := p.Row.Loc
	from, to := p.Row.Date.At(6*time.Hour, loc), p.Row.Date.At(16*time.Hour, loc)
	if len(p.Punches) > 0 {
		from, to = p.Punches[0].Claimed, p.Punches[0].Received
		for _, m := range p.Punches {
			if m.Received.After(to) {
				to = m.Received
			}
		}
		if p.Row.Running() && p.Now.After(to) {
			to = p.Now
		}
	}
	from = from.In(loc).Truncate(time.Hour).Add(-time.Hour)
	axis := draw.Axis{From: from, Hours: to.Sub(from).Hours() + 1.5, Width: 1180, Step: 1}
	if axis.Hours > 30 {
		axis.Step = 4
	}
	var marks []draw.Mark
	for _, m := range p.Punches {
		mark := draw.Mark{Claimed: m.Claimed, Device: m.Device, Received: m.Received, Hand: m.Provenance() == clock.ByHand}
		mark.Words = shortAct(m.Punch.Act, m.Break) + " " + m.Claimed.In(loc).Format("15:04")
		if mark.Hand {
			mark.Words += ", keyed " + m.Received.In(loc).Format("15:04")
		}
		marks = append(marks, mark)
	}
	return draw.Record(nil, axis, blocks(p.Row, p.Now), marks, "The record of this card: "+words.Plural(len(marks), "punch", "punches"))
}

func shortAct(a clock.Act, kind clock.Kind) string {
	switch a {
	case clock.BreakStart:
		return string(kind)
	case clock.BreakEnd:
		return "back"
	}
	return string(a)
}

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
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.Approve{Card: c} }, func(c hours.CardRef) said {
		return said{Text: "Approved one card of " + c.Date.Format("Monday 2 January") + ".",
			Undo: "/cards/" + c.Employment.String() + "/" + c.Date.String() + "/take-back", UndoLabel: "Take it back"}
	})
}

func (s *Server) takeBackCard(w http.ResponseWriter, r *http.Request) error {
	return s.onCard(w, r, func(c hours.CardRef) app.Act { return hours.TakeBack{Card: c} },
		func(hours.CardRef) said { return said{Text: "The approval was taken back."} })
}
