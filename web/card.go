package web

import (
	"html/template"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/words"
)

type cardView struct {
	frameView
	*hours.CardPage
	Base, StateWord    string
	OverIs             bool // the day is over, and so its difference means something
	WorkedNow, OverNow int64
	FlagWords          []string
	Plan               []string
	Crew               []crewRow
	Proposals          []proposalView
	Editor             *editorView
	Bench              template.HTML
	Record, Where      template.HTML
	Stints             []stintRow
	Marks              []punchRow
	Acts               []actRow
	Noted              []noteRow
	Extras             extrasView
	Says               []dayAsk
	Changed            []changeRow
	Asked              []requestRow
	Objected           []objectionRow
	Held               string
	NewID              string
	BeforeHref         string
	AfterHref          string
	NextHref           string
	NextWords          string
	DeskHref           string
}

// punchRow is a punch as a line; Who is who pressed for the person, or watched them.
type punchRow struct{ Claimed, Device, Received, What, From, Who string }

func whoPressed(p *hours.CardPage, punch store.Punch) string {
	switch {
	case punch.By != p.Row.Person:
		return p.People[punch.By]
	case punch.Watched != uuid.Nil:
		return p.People[punch.Watched]
	}
	return ""
}

type actRow struct {
	At    words.Local
	Words string
}

// noteRow is a note with when it was made, where the card is.
type noteRow struct {
	store.Note
	At words.Local
}

// crewRow is somebody else of the crew on the day.
type crewRow struct {
	Name, Href string
	Ribbon     template.HTML
}

// changeRow is an amendment: who, when, why, before and after.
type changeRow struct {
	At                     words.Local
	By, What, Why, Was, Is string
	Back                   bool
	Batch                  string // to take it back by; "" where that can't be
}

// objectionRow is an objection with its answer.
type objectionRow struct {
	store.Objection
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
	return s.showCard(w, r, http.StatusOK, nil)
}

// showCard shows a card, with what is picked on its ribbon; typed is a change
// that was refused, so that nothing of it is lost.
func (s *Server) showCard(w http.ResponseWriter, r *http.Request, status int, typed *editorView) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	p, err := hours.ReadCardPage(r.Context(), s.app, actor, ref)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := cardView{CardPage: p, Base: cardHref(p.Row), StateWord: words.State(p.Row, place.SignRequired),
		FlagWords: words.Flags(p.Row.Flags, p.Row.Loc), WorkedNow: p.Row.Live(p.Now, p.Limits), Stints: stintRows(p.Row, p.Now),
		NewID: newID().String()}
	v.OverNow, v.OverIs = v.WorkedNow-p.Row.Due(), dayOver(p.Row, p.Now)
	v.decides(p)
	word, err := wordIn(w.Header())
	if err != nil {
		return err
	}
	v.recorded(p, actor, word)
	v.Says = dayAsks(p, v.Base)
	v.Extras = extrasOf(v.Base, p.Spent, p.Photos, func(f store.Photo) words.Local { return words.At(f.At, p.Row.Loc) }, p.Row.Own,
		p.May.Amend)
	v.Extras.Kinds, v.Extras.Currency, v.Extras.Word = p.Kinds, p.Currency, p.Around.Word
	for _, c := range p.Choices {
		v.Extras.Choices = append(v.Extras.Choices, choiceOption{choiceKey(c), optionLabel(c), false})
	}
	v.neighbours(p)
	if v.Editor = typed; typed == nil {
		v.Editor = pickedIn(r.URL.Query(), p)
	}
	reader := place.Loc
	if actor.Zone != nil {
		if reader, err = time.LoadLocation(*actor.Zone); err != nil {
			return err
		}
	}
	v.Bench = bench(p, v.Editor, reader)
	v.frameView = s.frame(r, p.Row.Name(), "timecards", p.Around)
	v.Whose = p.Row.Person.String()
	s.pages.write(w, s.log, status, "card", v)
	return nil
}

// decides gathers what decides a card: the plan, the crew that day, what is
// proposed, asked for and objected to.
func (v *cardView) decides(p *hours.CardPage) {
	loc := p.Row.Loc
	for _, s := range p.Row.Shifts {
		v.Plan = append(v.Plan, s.Start.In(loc).Format("15:04")+"–"+s.End.In(loc).Format("15:04"))
	}
	axis := cardAxis(p)
	axis.Width, axis.Step = 620, 4
	for _, r := range p.Crew {
		r.Loc = loc
		for i := range r.Stints {
			r.Stints[i].JobNumber = "" // too small to read
		}
		v.Crew = append(v.Crew, crewRow{r.Name(), cardHref(r), ribbon(axis, r, p.Now)})
	}
	for i, o := range p.Proposals {
		v.Proposals = append(v.Proposals, proposalOf(o, loc, i == 0))
	}
	for _, q := range p.Requests {
		v.Asked = append(v.Asked, requestRowOf(q, loc, v.Base))
	}
	for _, o := range p.Objections {
		v.Objected = append(v.Objected, objectionRow{o, words.At(o.MadeAt, loc)})
	}
	if p.Hold != nil {
		v.Held = "with " + p.Hold.ByName + " since " + p.Hold.Since.In(loc).Format("15:04")
	}
}

// recorded gathers what was recorded of a card; word says what the drawing says.
func (v *cardView) recorded(p *hours.CardPage, actor app.Actor, word func(string) string) {
	loc := p.Row.Loc
	v.Noted = noteRows(p.Notes, loc)
	v.Record, v.Where = template.HTML(record(p, word)), cardMap(p)
	for _, punch := range p.Punches {
		v.Marks = append(v.Marks, punchRow{words.Clock(punch.Claimed, loc), words.Clock(punch.Device, loc),
			words.Clock(punch.Received, loc),
			words.Punch(punch, p.Names), words.Point(punch), whoPressed(p, punch)})
	}
	for _, a := range p.Acts {
		v.Acts = append(v.Acts, actRow{words.At(a.MadeAt, loc), words.Move(a)})
	}
	for i, l := range p.Amended {
		c := changeRow{At: words.At(l.Made, loc), By: l.ByName, What: words.AmendAct(l.Does), Why: l.Why, Back: l.Back,
			Was: words.Bares(l.Was, p.Names, loc), Is: words.Bares(l.Is, p.Names, loc)}
		last := i+1 == len(p.Amended) || p.Amended[i+1].Batch != l.Batch
		// A file is taken back where it was brought in, for everybody.
		if last && !l.Back && l.Does != clock.TakeBack && !l.Does.Untimed() && (p.May.Amend || p.May.End && l.By == actor.ID) {
			c.Batch = l.Batch.String()
		}
		v.Changed = append(v.Changed, c)
	}
}

// neighbours leads on: to the cards beside this one on the desk, and to the next
// that wants a look.
func (v *cardView) neighbours(p *hours.CardPage) {
	v.DeskHref = "/timecards?day=" + p.Row.Date.String()
	if p.Prior != nil {
		v.BeforeHref = cardHref(*p.Prior)
	}
	if p.Following != nil {
		v.AfterHref = cardHref(*p.Following)
	}
	v.NextHref = v.DeskHref
	if p.Wanting != nil {
		v.NextHref = cardHref(*p.Wanting)
		v.NextWords = p.Wanting.Name() + ", " + words.Plural(p.Others, "card wants", "cards want") + " a look"
	}
}

// shown says whether a card's own acts are among what a page shows: paid ones
// have none.
func (v cardView) Paid() bool { return v.Row.State == card.Paid }

// cardAxis shows the part of the day that matters, with room around it.
func cardAxis(p *hours.CardPage) draw.Axis {
	from, to := p.Row.Date.At(6*time.Hour, p.Row.Loc), p.Row.Date.At(18*time.Hour, p.Row.Loc)
	widen := func(a, b time.Time) {
		if !a.IsZero() && a.Before(from) {
			from = a
		}
		if b.After(to) {
			to = b
		}
	}
	for _, s := range p.Row.Shifts {
		widen(s.Start, s.End)
	}
	for _, s := range p.Row.Stints {
		end := s.End
		if s.Open() {
			end = p.Now
		}
		widen(s.Start, end)
		widen(s.ClockedStart, s.ClockedEnd)
	}
	if most := from.Add(36 * time.Hour); to.After(most) {
		to = most
	}
	from = from.In(p.Row.Loc).Truncate(time.Hour).Add(-time.Hour)
	a := draw.Axis{From: from, Hours: to.Sub(from).Truncate(time.Hour).Hours() + 2, Width: 1180, Step: 1}
	if a.Hours > 26 {
		a.Step = 2
	}
	return a
}

// record draws the three times of each punch on an axis from an hour before
// the first of them to an hour after the last.
func record(p *hours.CardPage, word func(string) string) []byte {
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
		mark.Words = word(shortAct(m.Punch.Act, m.Break)) + " " + m.Claimed.In(loc).Format("15:04")
		if mark.Hand {
			mark.Words = word(mark.Words + ", keyed " + m.Received.In(loc).Format("15:04"))
		}
		marks = append(marks, mark)
	}
	lanes := [3]string{word("claimed"), word("device"), word("received")}
	return draw.Record(nil, axis, blocks(p.Row, p.Now), marks, lanes, word("The record of this card"))
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
