package web

import (
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

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

// editorView is the form beneath a card's ribbon: for the stint that is picked,
// or for one that is added.
type editorView struct {
	ID         string // of the batch
	Of         string // the stint; "" where one is added
	Adds       bool
	Running    bool // it has no end that anybody said
	Joins      bool // another follows without a gap
	Asks       bool // the change is asked for, and not made
	Start, End string
	Kind       string
	Choice     string
	Class      string
	Why        string
	Question   string
	Choices    []choiceOption
	Classes    []store.ClassOf
	Reasons    []string
	Refusal    *refusal.Refusal
	Marked     bool // marks can be set and taken away

	OffersCallOut, CalledIn, OffersMeal, NoMeal, OffersLeft, LeftByChoice, OffersBilling bool
	Billed                                                                               string

	Near    string // which time the nearest that fits is for, "start" or "end"
	Nearest string
}

// choiceOption is a job and task to put hours on.
type choiceOption struct {
	Key, Label string
	Chosen     bool
}

// reasons are offered, and may be written over.
var reasons = []string{"Forgot to clock out", "Forgot to clock in", "Wrong job chosen", "Meal taken, not clocked", "Meal worked through",
	"Phone had no signal or battery", "As agreed with the lead"}

type proposalView struct {
	Words, Why, Does, Of, Start, End, Choice string
	First                                    bool
}

func proposalOf(o hours.Proposal, loc *time.Location, first bool) proposalView {
	c := o.Changes[0]
	v := proposalView{Words: words.Proposed(o, loc), Why: words.ProposedWhy(o), Does: string(c.Does), First: first,
		Start: o.At.UTC().Format(time.RFC3339), Choice: keyOf(c.On)}
	if c.Of != uuid.Nil {
		v.Of = c.Of.String()
	}
	switch {
	case len(o.Changes) > 1:
		v.Does, v.End = "meal", o.Until.UTC().Format(time.RFC3339)
	case c.Does == clock.EndRunning:
		v.End = v.Start
	default:
		v.End = o.Until.UTC().Format(time.RFC3339)
	}
	return v
}

// keyOf names a job and task on a form, as choiceKey does.
func keyOf(on clock.Assignment) string {
	if on.Task == uuid.Nil {
		return on.Job.String()
	}
	return on.Job.String() + "." + on.Task.String()
}

// pickedIn reads what an address picks on the ribbon of a card: a stint, a gap,
// or a stint to be added. Nothing where the reader can't change it.
func pickedIn(q url.Values, p *hours.CardPage) *editorView {
	if !p.May.Amend && !p.May.Ask {
		return nil
	}
	loc := p.Row.Loc
	if i := slices.IndexFunc(p.Row.Stints, func(s store.Stint) bool { return s.ID.String() == q.Get("pick") }); i >= 0 {
		s := p.Row.Stints[i]
		e := newEditor(p, s.On)
		e.Of, e.Start, e.Kind, e.Running = s.ID.String(), clockText(s.Start, loc), string(s.Kind), s.Open() || !s.Counted
		if !s.Open() {
			e.End = clockText(s.End, loc)
		}
		e.marks(p, s)
		e.Joins = i+1 < len(p.Row.Stints) && s.End.Equal(p.Row.Stints[i+1].Start)
		return e
	}
	if !q.Has("add") && !q.Has("gap") {
		return nil
	}
	e := newEditor(p, clock.Assignment{})
	e.Adds, e.Kind, e.Question = true, string(clock.Work), "Which hours are missing?"
	if unix, err := strconv.ParseInt(q.Get("gap"), 10, 64); err == nil {
		at := time.Unix(unix, 0)
		for i := 1; i < len(p.Row.Stints); i++ {
			before, after := p.Row.Stints[i-1], p.Row.Stints[i]
			if before.End.Equal(at) {
				e.Start, e.End = clockText(before.End, loc), clockText(after.Start, loc)
				e.Question = "What happened between " + e.Start + " and " + e.End + "?"
			}
		}
	} else if len(p.Row.Stints) == 0 && len(p.Row.Shifts) > 0 { // nothing but the plan is proposed
		e.Start, e.End = clockText(p.Row.Shifts[0].Start, loc), clockText(p.Row.Shifts[0].End, loc)
	}
	return e
}

// marks says which marks of a stint can be set: those that steer something on the day,
// and those it has. What somebody asks for is not about marks.
func (e *editorView) marks(p *hours.CardPage, s store.Stint) {
	e.CalledIn, e.NoMeal = s.Marks.Has(clock.CalledIn), s.Marks.Has(clock.NoMeal)
	e.OffersCallOut = s.Kind == clock.Work && (p.AsksCallOut || e.CalledIn)
	e.OffersMeal = p.AsksMeal || e.NoMeal
	e.LeftByChoice = s.Marks.Has(clock.LeftByChoice)
	e.OffersLeft = p.AsksLeft || e.LeftByChoice
	e.OffersBilling = s.Kind == clock.Work && (s.Marks.Billing() != 0 || slices.ContainsFunc(p.Choices, func(c store.ClockOption) bool {
		return c.Job == s.On.Job && c.AskBilling
	}))
	switch {
	case s.Marks.Has(clock.Billed):
		e.Billed = "yes"
	case s.Marks.Has(clock.NotBilled):
		e.Billed = "no"
	}
	e.Marked = !e.Asks && (e.OffersCallOut || e.OffersMeal || e.OffersLeft || e.OffersBilling)
}

// markIn reads the marks of a stint, those that the form doesn't offer staying.
func markIn(f *form.Form, s store.Stint) clock.Marks {
	m := s.Marks &^ (clock.CalledIn | clock.NoMeal | clock.LeftByChoice | s.Marks.Billing())
	if f.Yes("called_in") {
		m |= clock.CalledIn
	}
	if f.Yes("left_by_choice") {
		m |= clock.LeftByChoice
	}
	if f.Text("meal") == "no" {
		m = m&^clock.HadMeal | clock.NoMeal
	}
	switch f.Text("billed") {
	case "yes":
		m |= clock.Billed
	case "no":
		m |= clock.NotBilled
	}
	return m
}

func clockText(t time.Time, loc *time.Location) string { return t.In(loc).Format("15:04") }

// newEditor is an editor with what can be chosen, and what the hours are on.
func newEditor(p *hours.CardPage, on clock.Assignment) *editorView {
	e := &editorView{ID: newID().String(), Asks: !p.May.Amend, Reasons: reasons}
	e.offer(p, keyOf(on))
	if on.Job != uuid.Nil {
		e.Choice = keyOf(on)
	}
	if on.Class != uuid.Nil {
		e.Class = on.Class.String()
	}
	return e
}

// offer lists what hours can be put on, with what is chosen.
func (e *editorView) offer(p *hours.CardPage, chosen string) {
	e.Choices, e.Classes = nil, nil
	for _, c := range p.Choices {
		key := choiceKey(c)
		e.Choices = append(e.Choices, choiceOption{key, optionLabel(c), key == chosen})
		for _, cl := range p.Classes[c.Job] {
			if !slices.ContainsFunc(e.Classes, func(o store.ClassOf) bool { return o.ID == cl.ID }) {
				e.Classes = append(e.Classes, cl)
			}
		}
	}
}

func optionLabel(c store.ClockOption) string {
	label := c.Number + " " + c.Name
	if c.TaskName != "" {
		label += " · " + c.TaskName
	}
	return label
}

// bench draws the ribbon of a card, on which it is changed.
func bench(p *hours.CardPage, e *editorView, reader *time.Location) template.HTML {
	loc := p.Row.Loc
	d := draw.Bench{Zone: loc.String(), Empty: len(p.Row.Stints) == 0 && (p.May.Amend || p.May.Ask)}
	d.Words = words.Day(p.Row, p.Now)
	axis := cardAxis(p)
	if p.Now.Before(axis.From.Add(time.Duration(axis.Hours * float64(time.Hour)))) {
		d.Now = p.Now
	}
	for _, s := range p.Row.Shifts {
		d.Plans = append(d.Plans, [2]time.Time{s.Start, s.End})
	}
	if p.Row.Leave > 0 {
		d.Leave, d.Band = leaveBand(p.Row)
	}
	may := p.May.Amend || p.May.Ask
	for i, b := range blocks(p.Row, p.Now) {
		s := p.Row.Stints[i]
		piece := draw.Piece{Block: b, Fixed: s.Open(), Words: words.Stint(s, loc, p.Now),
			Ends: [2]string{clockText(b.From, loc), clockText(b.To, loc)}}
		if may {
			piece.Href = cardHref(p.Row) + "?pick=" + s.ID.String() + "#change"
			piece.Picked = e != nil && e.Of == s.ID.String()
		}
		if i > 0 && may && p.Row.Stints[i-1].End.Before(s.Start) {
			from := p.Row.Stints[i-1].End
			d.Pieces = append(d.Pieces, draw.Piece{Gap: true,
				Href:  cardHref(p.Row) + "?gap=" + strconv.FormatInt(from.Unix(), 10) + "#change",
				Block: draw.Block{From: from, To: s.Start, Title: "Nothing was clocked here"},
				Words: "Nothing was clocked from " + clockText(from, loc) + " to " + clockText(s.Start, loc)})
		}
		d.Pieces = append(d.Pieces, piece)
	}
	var second *time.Location
	_, here := axis.From.In(loc).Zone()
	if _, there := axis.From.In(reader).Zone(); here != there {
		second = reader
	}
	wide := axis.Bench(nil, d, loc, second)
	axis.Width, axis.Step, d.Narrow = narrowBench, max(2, axis.Step), true
	if axis.Hours > 16 {
		axis.Step = 4
	}
	return template.HTML(axis.Bench(wide, d, loc, second))
}

// narrowBench is the width of the ribbon on a phone, in pixels.
const narrowBench = 334

// amendCard makes the change that a form says.
func (s *Server) amendCard(w http.ResponseWriter, r *http.Request) error {
	return s.changeCard(w, r, func(p *hours.CardPage, id uuid.UUID, changes []hours.Change, why string) (said, error) {
		err := s.app.Do(r.Context(), visitOf(r).actor, hours.Amend{Batch: id, Changes: changes, Why: why})
		return said{Text: "The hours of " + p.Row.Name() + " are changed. They see what was before and after.", Undo: "/undo",
			UndoLabel: "Take it back",
			Batch:     id.String()}, err
	})
}

// askChange asks for the change that a form says; several are asked one by one.
func (s *Server) askChange(w http.ResponseWriter, r *http.Request) error {
	return s.changeCard(w, r, func(_ *hours.CardPage, id uuid.UUID, changes []hours.Change, why string) (words said, err error) {
		made := false
		for i, c := range changes {
			act := hours.AskChange{ID: id, Change: c, Why: why, Tell: func(m bool) { made = m }}
			if i > 0 {
				act.ID = uuid.NewSHA1(id, []byte{byte(i)})
			}
			if err := s.app.Do(r.Context(), visitOf(r).actor, act); err != nil {
				return words, err
			}
		}
		if made {
			return said{Text: "Changed. The times are by hand, and count once somebody else has approved the card."}, nil
		}
		return said{Text: "Asked for. It counts once somebody else has taken it."}, nil
	})
}

// changeCard reads a change of a card's hours and has it done. What is refused
// is shown again as it was typed, with the nearest time that fits.
func (s *Server) changeCard(w http.ResponseWriter, r *http.Request,
	do func(*hours.CardPage, uuid.UUID, []hours.Change, string) (said, error)) error {
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
	var done said
	changes, err := changesIn(f, p)
	if err == nil {
		done, err = do(p, id, changes, f.Text("why"))
	}
	if refused := refusalIn(err); refused != nil {
		return s.showCard(w, r, http.StatusUnprocessableEntity, typedEditor(f, p, refused))
	}
	return s.done(w, r, err, backTo(r, cardHref(p.Row)), done)
}

// typedEditor is the editor with what a form held that was refused.
func typedEditor(f *form.Form, p *hours.CardPage, refused *refusal.Refusal) *editorView {
	q := url.Values{}
	if q.Set("pick", f.Text("of")); f.Text("of") == "" {
		q.Set("add", "1")
	}
	e := pickedIn(q, p)
	if e == nil {
		e = newEditor(p, clock.Assignment{})
		e.Adds = true
	}
	e.Refusal, e.Why, e.Kind, e.Class = refused, f.Text("why"), f.Text("kind"), f.Text("class")
	e.Start, e.End = shownTime(f.Text("start"), p.Row.Loc), shownTime(f.Text("end"), p.Row.Loc)
	e.offer(p, f.Text("choice"))
	if !refused.Nearest.IsZero() {
		e.Near, e.Nearest = "end", clockText(refused.Nearest, p.Row.Loc)
		if f.Text("does") == "split" || refused.Nearest.After(nearTime(e.Start, p)) && !refused.Nearest.Before(nearTime(e.End, p)) {
			e.Near = "start"
		}
	}
	return e
}

func nearTime(text string, p *hours.CardPage) time.Time {
	t, _ := timeIn(text, p.Row.Date, p.Row.Date.At(12*time.Hour, p.Row.Loc), p.Row.Loc)
	return t
}

func shownTime(text string, loc *time.Location) string {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return clockText(t, loc)
	}
	return text
}

// timeIn reads a time of day, or an instant, as the one nearest to another:
// where clocks show it twice, or the day is not said, that decides.
func timeIn(text string, date when.Date, near time.Time, loc *time.Location) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	of, err := when.ParseTimeOfDay(text)
	if err != nil {
		return time.Time{}, refusal.New("at", "The time can't be “"+text+"”", "Write it as 15:30")
	}
	var best time.Time
	for d := date - 1; d <= date+2; d++ {
		first := d.At(of, loc)
		for _, t := range []time.Time{first, first.Add(time.Hour), first.Add(30 * time.Minute)} {
			if clockText(t, loc) == clockText(first, loc) && (best.IsZero() || t.Sub(near).Abs() < best.Sub(near).Abs()) {
				best = t
			}
		}
	}
	return best, nil
}

// changesIn reads the changes that a form asks for.
func changesIn(f *form.Form, p *hours.CardPage) ([]hours.Change, error) {
	if f.Text("of") == "" {
		c, err := addIn(f, p)
		return []hours.Change{c}, err
	}
	i := slices.IndexFunc(p.Row.Stints, func(s store.Stint) bool { return s.ID.String() == f.Text("of") })
	if i < 0 {
		return nil, refusal.New("stint", "There is no such stint any more", "Look at the day again")
	}
	s := p.Row.Stints[i]
	one := hours.Change{Employment: p.Row.Employment, Of: s.ID}
	switch f.Text("does") {
	case "remove":
		one.Does = clock.Remove
		return []hours.Change{one}, nil
	case "join":
		one.Does = clock.Join
		return []hours.Change{one}, nil
	case "split":
		return splitIn(f, p, s, one)
	case "meal":
		return mealIn(f, p, s, one)
	}
	return movesIn(f, p, s, one)
}

// addIn reads a stint to be added.
func addIn(f *form.Form, p *hours.CardPage) (c hours.Change, err error) {
	c = hours.Change{Employment: p.Row.Employment, Does: clock.AddStint}
	loc, date := p.Row.Loc, p.Row.Date
	noon := date.At(12*time.Hour, loc)
	if len(p.Row.Shifts) > 0 {
		noon = p.Row.Shifts[0].Start
	} else if len(p.Row.Stints) > 0 {
		noon = p.Row.Stints[0].Start.Add(4 * time.Hour)
	}
	if c.At, err = timeIn(f.Text("start"), date, noon, loc); err != nil {
		return c, err
	}
	if c.Until, err = timeIn(f.Text("end"), date, c.At.Add(6*time.Hour), loc); err != nil {
		return c, err
	}
	c.Kind, c.On, err = spentIn(f.Text)
	return c, err
}

// spentIn reads what a stint was spent on. A break is on the work that it
// interrupts.
func spentIn(text func(string) string) (kind clock.Kind, on clock.Assignment, err error) {
	kind = clock.Kind(text("kind"))
	job, task, _ := strings.Cut(text("choice"), ".")
	for _, id := range []struct {
		text string
		into *uuid.UUID
	}{{job, &on.Job}, {task, &on.Task}, {text("class"), &on.Class}} {
		if id.text == "" {
			continue
		}
		if *id.into, err = uuid.Parse(id.text); err != nil {
			return kind, on, app.ErrNotFound
		}
	}
	return kind, on, nil
}

// splitIn reads where a stint is cut, and what the rest of it was.
func splitIn(f *form.Form, p *hours.CardPage, s store.Stint, c hours.Change) ([]hours.Change, error) {
	at, err := timeIn(f.Text("start"), p.Row.Date, middle(s, p.Now), p.Row.Loc)
	if err != nil {
		return nil, err
	}
	c.Does, c.At = clock.Split, at
	c.Kind, c.On, err = spentIn(f.Text)
	return []hours.Change{c}, err
}

// mealIn reads a meal that is put into a stint of work.
func mealIn(f *form.Form, p *hours.CardPage, s store.Stint, c hours.Change) ([]hours.Change, error) {
	from, err := timeIn(f.Text("start"), p.Row.Date, middle(s, p.Now), p.Row.Loc)
	if err != nil {
		return nil, err
	}
	to, err := timeIn(f.Text("end"), p.Row.Date, from.Add(30*time.Minute), p.Row.Loc)
	if err != nil {
		return nil, err
	}
	meal, back := c, c
	meal.ID, meal.Does, meal.At, meal.Kind, meal.On = newID(), clock.Split, from, clock.Meal, s.On
	back.Does, back.Of, back.At, back.Kind, back.On = clock.Split, meal.ID, to, s.Kind, s.On
	return []hours.Change{meal, back}, nil
}

func middle(s store.Stint, now time.Time) time.Time {
	end := s.End
	if s.Open() {
		end = now
	}
	return s.Start.Add(end.Sub(s.Start) / 2)
}

// movesIn reads where the edges of a stint are to be and what it was, and gives
// what of that is not so already.
func movesIn(f *form.Form, p *hours.CardPage, s store.Stint, c hours.Change) ([]hours.Change, error) {
	loc := p.Row.Loc
	var changes []hours.Change
	edge := func(name string, was time.Time, does clock.AmendAct) error {
		text := f.Text(name)
		if text == "" || !was.IsZero() && text == clockText(was, loc) && does != clock.EndRunning {
			return nil
		}
		near := was
		if was.IsZero() || does == clock.EndRunning {
			near = s.Start.Add(8 * time.Hour)
		}
		at, err := timeIn(text, p.Row.Date, near, loc)
		if err != nil {
			return err
		}
		move := c
		move.Does, move.At = does, at
		changes = append(changes, move)
		return nil
	}
	if err := edge("start", s.Start, clock.MoveStart); err != nil {
		return nil, err
	}
	ends := clock.MoveEnd
	if s.Open() || !s.Counted {
		ends = clock.EndRunning
	}
	if err := edge("end", s.End, ends); err != nil {
		return nil, err
	}
	if len(changes) == 2 && !s.Open() && changes[0].At.After(s.End) { // the end makes room first
		slices.Reverse(changes)
	}
	kind, on, err := spentIn(f.Text)
	if err != nil {
		return nil, err
	}
	if kind != "" && (kind != s.Kind || on != s.On && (kind == clock.Work || on.Job != uuid.Nil)) {
		re := c
		re.Does, re.Kind, re.On = clock.Reassign, kind, on
		if kind != clock.Work && on.Job == uuid.Nil {
			re.On = s.On
		}
		changes = append(changes, re)
	}
	if marks := markIn(f, s); f.Yes("marked") && marks != s.Marks {
		mark := c
		mark.Does, mark.Marks = clock.Mark, marks
		changes = append(changes, mark)
	}
	if len(changes) == 0 {
		return nil, refusal.New("at", "Nothing is different from what stands there", "Change a time, or what it was spent on")
	}
	return changes, nil
}

// cardJobs answers the search for what to put hours of a card on.
func (s *Server) cardJobs(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardOf(r)
	if err != nil {
		return err
	}
	choices, err := hours.SearchFor(r.Context(), s.app, visitOf(r).actor, ref, strings.TrimSpace(r.URL.Query().Get("q")))
	if err != nil {
		return err
	}
	found := make([]choiceOption, len(choices))
	for i, c := range choices {
		found[i] = choiceOption{Key: choiceKey(c), Label: optionLabel(c)}
	}
	s.pages.writePart(w, s.log, http.StatusOK, "card", "joboptions", found)
	return nil
}
