package web

import (
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type clockView struct {
	frameView
	*hours.ClockPage
	StateWord, Since, Greeting string
	OnWhat, TaskLine           string
	On, OnBreak, Running       bool
	BreakWord                  string
	Unplaced                   bool
	Ribbon                     template.HTML
	TodaySeconds               int64
	PeriodSeconds              int64
	PlannedHours               string
	NextShift                  string
	Choices                    []choiceView
	ToSign                     []signView
	PunchID, NoteID            string
	ClaimWords                 []string
	Forgot                     *forgottenView
	Changed                    []ownChange
	TodayHref                  string
	Noted                      []noteRow
	Now                        string // the server's, for the device to count on from
	Refusal                    *refusal.Refusal
	AskMeal                    string // RFC 3339, from when on they are asked whether they had their meal; "" for never
	AsksMeal                   bool   // that is now
	TravelKey                  string // of what travel is clocked on, "" for nothing
	Extras                     extrasView
	MayAdd                     bool // there is a card to put photos and expenses on
	Kept                       bool // what was refused is kept for their lead
	Typed                      bool // the picker keeps what was chosen
	NoteTyped                  string
	NoteRefused                bool
}

// choiceView is a job and task in the picker.
type choiceView struct {
	ID, Key, Number, Name, TaskName, SiteName, Why string
	Checked                                        bool
	Classes                                        []classView
	AsksBilling, Billable                          bool
}

type classView struct {
	ID, Name string
	Checked  bool
}

type signView struct {
	store.Card
	Words   []string
	AskedBy string // who asks for the signature, if somebody does
}

// typed is what a form held when it was refused, so that nothing is lost.
type typed struct {
	refused       *refusal.Refusal
	kept          bool // it is kept as a claim
	choice, class string
	note          string
	offer         bool // choose the first when nothing is chosen
}

func (s *Server) clockPage(w http.ResponseWriter, r *http.Request) error {
	return s.showClock(w, r, http.StatusOK, typed{})
}

func (s *Server) showClock(w http.ResponseWriter, r *http.Request, status int, form typed) error {
	p, err := hours.ReadClockPage(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	if form.refused != nil { // the address is not that of the punch, which can't be opened
		w.Header().Set("HX-Push-Url", "/clock")
	}
	v := clockView{ClockPage: p, PunchID: newID().String(), NoteID: newID().String(),
		Now: p.Now.UTC().Format(time.RFC3339Nano), Unplaced: p.Person.Employment == nil,
		Refusal: form.refused, Kept: form.kept, Typed: form.choice != "", NoteTyped: form.note, NoteRefused: form.note != "" &&
			form.refused != nil}
	v.Noted = noteRows(p.Notes, p.Loc)
	if !v.Unplaced {
		v.state(p)
		v.hours(p)
		v.told(p, r.URL.Query().Has("still"))
		form.offer = !v.On && form.refused == nil
		if v.On { // what is being worked on is nothing to switch to
			p.Choices = slices.DeleteFunc(p.Choices, func(c store.ClockOption) bool {
				return c.Job == p.LastOn.Job && store.IDOrNil(c.Task) == p.LastOn.Task
			})
		}
		chosen, chosenTask, _ := strings.Cut(form.choice, ".")
		if job, err := uuid.Parse(chosen); err == nil {
			task, _ := uuid.Parse(chosenTask) // none is the zero id
			if err := p.KeepChoice(r.Context(), s.app, visitOf(r).actor, job, task); err != nil {
				return err
			}
		}
		v.Choices = choiceViews(p.Choices, p.Classes, p.LastOn, form)
		v.atWork(p)
		for _, c := range p.ToSign {
			v.ToSign = append(v.ToSign, signView{c, words.Flags(c.FlagsAt(p.Now, p.Limits), p.Loc), p.Asks[c.Date].ByName})
		}
	}
	p.Around.Picked = when.Period{From: p.Around.Today, To: p.Around.Today}
	v.frameView = s.frame(r, "Clock", "clock", p.Around)
	v.Whose = v.Actor.ID.String()
	s.pages.write(w, s.log, status, "clock", v)
	return nil
}

// state says where the person is.
func (v *clockView) state(p *hours.ClockPage) {
	v.Greeting, v.StateWord = "Hello "+p.Person.Given, "Off the clock"
	if p.Last == nil {
		return
	}
	if p.Left != nil { // they said so, and somebody else has still to take it
		v.Since = p.Left.In(p.Loc).Format("Mon 15:04") + ", as you said"
		return
	}
	if !p.OnClock() {
		v.Since = p.Last.End.In(p.Loc).Format("15:04")
		if when.DateOf(p.Last.End, p.Loc) != when.DateOf(p.Now, p.Loc) {
			v.Since = p.Last.End.In(p.Loc).Format("Mon 15:04")
		}
		return
	}
	v.On, v.Since = true, p.Last.Start.In(p.Loc).Format("15:04")
	if when.DateOf(p.Last.Start, p.Loc) != when.DateOf(p.Now, p.Loc) {
		v.Since = p.Last.Start.In(p.Loc).Format("Mon 2 Jan, 15:04")
	}
	v.OnBreak = p.Last.Kind != clock.Work
	v.StateWord = "On the clock"
	v.OnWhat = p.Last.JobNumber + " " + p.Last.JobName
	v.TaskLine = strings.Trim(p.Last.TaskName+" · "+p.Last.ClassName, " ·")
	if v.OnBreak {
		v.BreakWord = string(p.Last.Kind)
		v.StateWord = "On your " + v.BreakWord
	}
}

// forgottenView asks when somebody left who did not clock out.
type forgottenView struct {
	ID, Since, Href, Of string
	Ends                []forgotEnd // that are offered
	Running             bool
}

type forgotEnd struct{ At, Clock, Words string }

// ownChange is a change that somebody else made to the person's hours.
type ownChange struct {
	Day, Href, Was, Is, By, Why string
}

// told says what became of what the person claimed and asked for, what others
// changed, and asks when they left.
func (v *clockView) told(p *hours.ClockPage, still bool) {
	for _, c := range p.Claims {
		v.ClaimWords = append(v.ClaimWords, ownClaimWords(c, p.Loc))
	}
	for _, q := range p.Asked {
		v.ClaimWords = append(v.ClaimWords, ownRequestWords(q, p.Loc))
	}
	for _, c := range p.Changed {
		v.Changed = append(v.Changed, ownChange{c.Date.Format("Mon 2 Jan"), "/cards/" + c.Employment.String() + "/" + c.Date.String(),
			words.Bares(c.Was, p.Names, p.Loc), words.Bares(c.Is, p.Names, p.Loc), c.ByName, c.Why})
	}
	for _, a := range p.Without {
		v.Changed = append(v.Changed, ownChange{Day: a.Date.Format("Mon 2 Jan"), Was: "not signed", Is: "approved without your signature",
			By:  a.ByName,
			Why: a.Reason, Href: "/cards/" + a.Employment.String() + "/" + a.Date.String()})
	}
	v.TodayHref = "/cards/" + p.Day.Employment.String() + "/" + p.Day.Date.String()
	f := p.Forgot
	if f == nil || still {
		return
	}
	v.Forgot = &forgottenView{ID: newID().String(), Since: f.Start.In(p.Loc).Format("Mon 15:04"), Of: f.ID.String(), Running: f.Open(),
		Href: "/cards/" + f.Employment.String() + "/" + f.Date.String()}
	for _, e := range []struct {
		at    time.Time
		words string
	}{{f.Crew, "with the crew"}, {f.Planned, "as planned"}} {
		at := e.at.In(p.Loc)
		if !e.at.IsZero() && !slices.ContainsFunc(v.Forgot.Ends, func(o forgotEnd) bool { return o.Clock == at.Format("15:04") }) {
			v.Forgot.Ends = append(v.Forgot.Ends, forgotEnd{e.at.UTC().Format(time.RFC3339), at.Format("15:04"), e.words})
		}
	}
}

// hours says what the person's hours come to.
func (v *clockView) hours(p *hours.ClockPage) {
	v.TodaySeconds, v.PeriodSeconds = p.Today, p.Period
	v.Running = v.On && !v.OnBreak
	v.PlannedHours = strconv.FormatInt(p.Planned/3600, 10)
	if p.Planned%3600 != 0 {
		v.PlannedHours = card.HoursMinutes(p.Planned)
	}
	if p.Next != nil {
		v.NextShift = p.Next.Start.In(p.Loc).Format("Mon 15:04")
		if p.Next.Start.Sub(p.Now) > 6*24*time.Hour {
			v.NextShift = p.Next.Start.In(p.Loc).Format("Mon 2 Jan 15:04")
		}
	}
	axis := phoneAxis(p)
	v.Ribbon = ribbon(axis, p.Day, p.Now) + template.HTML(draw.Hours(nil, axis, p.Loc))
}

// atWork readies travel, the question for the meal, expenses and photos.
func (v *clockView) atWork(p *hours.ClockPage) {
	if p.Travel != nil && (!v.On || p.LastOn.Job != p.Travel.Job) {
		v.TravelKey = choiceKey(*p.Travel)
	}
	if v.On && !p.AskMeal.IsZero() {
		v.AskMeal, v.AsksMeal = p.AskMeal.UTC().Format(time.RFC3339), !p.Now.Before(p.AskMeal)
	}
	v.Extras = extrasOf(cardHref(p.Day), p.Spent, p.Photos, func(f store.Photo) words.Local { return words.At(f.At, p.Loc) }, true, false)
	v.Extras.Kinds, v.Extras.Currency, v.Extras.Word = p.Expenses, p.Currency, p.Around.Word
	for _, c := range p.Choices {
		v.Extras.Choices = append(v.Extras.Choices, choiceOption{choiceKey(c), optionLabel(c), c.Job == p.LastOn.Job})
	}
	v.MayAdd = len(p.Day.Stints) > 0
}

// phoneAxis shows the part of the day that matters: what is planned and what
// was clocked, with an hour around it.
func phoneAxis(p *hours.ClockPage) draw.Axis {
	from, to := p.Day.Date.At(7*time.Hour, p.Loc), p.Day.Date.At(16*time.Hour, p.Loc)
	if len(p.Day.Shifts) > 0 {
		from, to = p.Day.Shifts[0].Start, p.Day.Shifts[len(p.Day.Shifts)-1].End
	}
	if n := len(p.Day.Stints); n > 0 {
		if p.Day.Stints[0].Start.Before(from) {
			from = p.Day.Stints[0].Start
		}
		end := p.Day.Stints[n-1].End
		if p.Day.Stints[n-1].Open() {
			end = p.Now
		}
		if end.After(to) {
			to = end
		}
	}
	from = from.Truncate(time.Hour).Add(-time.Hour)
	hours := to.Sub(from).Truncate(time.Hour).Hours() + 2
	return draw.Axis{From: from, Hours: hours, Width: 358, Step: 2}
}

// choiceViews makes the picker. What the person typed is chosen, else the
// first that is planned, else what they worked on last.
func choiceViews(choices []store.ClockOption, classes map[uuid.UUID][]store.ClassOf, last clock.Assignment, form typed) []choiceView {
	views := make([]choiceView, len(choices))
	chosen := false
	for i, c := range choices {
		key := choiceKey(c)
		views[i] = choiceView{ID: "own-" + key, Key: key, Number: c.Number, Name: c.Name, TaskName: c.TaskName, SiteName: c.SiteName,
			Why: c.Why, Checked: key == form.choice, AsksBilling: c.AskBilling, Billable: c.Billable}
		chosen = chosen || views[i].Checked
		first := last.Class
		if c.Class != nil {
			first = *c.Class
		}
		for _, cl := range classes[c.Job] {
			id, lone := cl.ID.String(), len(classes[c.Job]) == 1
			views[i].Classes = append(views[i].Classes,
				classView{ID: id, Name: cl.Name, Checked: lone || id == form.class || form.class == "" && cl.ID == first})
		}
	}
	if !chosen && len(views) > 0 && form.offer {
		views[0].Checked = true
	}
	return views
}

// choiceKey names a job and task on a form: "job" or "job.task".
func choiceKey(c store.ClockOption) string {
	if c.Task == nil {
		return c.Job.String()
	}
	return c.Job.String() + "." + c.Task.String()
}

// clockJobs answers the picker's search.
func (s *Server) clockJobs(w http.ResponseWriter, r *http.Request) error {
	var views []choiceView
	if text := strings.TrimSpace(r.URL.Query().Get("q")); text != "" {
		choices, classes, err := hours.SearchChoices(r.Context(), s.app, visitOf(r).actor, text)
		if err != nil {
			return err
		}
		views = choiceViews(choices, classes, clock.Assignment{}, typed{})
		for i := range views {
			views[i].ID = "found-" + views[i].Key // it may stand among the own ones too
		}
	}
	s.pages.writePart(w, s.log, http.StatusOK, "clock", "choices", views)
	return nil
}

// punch records one act from the person's own phone or browser.
func (s *Server) punch(w http.ResponseWriter, r *http.Request) error {
	p, err := punchOf(r)
	if err != nil {
		return err
	}
	claimed := ""
	p.Claimed = func(why string) { claimed = why }
	err = s.app.Do(r.Context(), visitOf(r).actor, p)
	if refused := refusalIn(err); refused != nil {
		choice := r.FormValue("choice")
		return s.showClock(w, r, http.StatusUnprocessableEntity,
			typed{refused: refused, choice: choice, class: r.FormValue("class-" + choice)})
	}
	if err != nil {
		return err
	}
	if err == nil && claimed != "" {
		wrong, right, _ := strings.Cut(claimed, ". ")
		choice := r.FormValue("choice")
		return s.showClock(w, r, http.StatusUnprocessableEntity, typed{refused: &refusal.Refusal{Field: "act", Wrong: wrong,
			Right: right}, kept: true, choice: choice,
			class: r.FormValue("class-" + choice)})
	}
	s.metrics.punches.Inc()
	http.Redirect(w, r, "/clock", http.StatusSeeOther)
	return nil
}

// choosePosition keeps in which of several positions the person clocks, while
// they are signed in.
func (s *Server) choosePosition(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("position")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := hours.ReadClockPage(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(p.Positions, func(n store.Named) bool { return n.ID == id }) {
		return app.ErrNotFound
	}
	s.sessions.Put(r.Context(), sessionPosition, id.String())
	http.Redirect(w, r, "/clock", http.StatusSeeOther)
	return nil
}

// punchOf reads the form. Ids and instants that are malformed can't come
// from our pages and are not found.
func punchOf(r *http.Request) (p hours.Punch, err error) {
	p = hours.Punch{Act: clock.Act(r.FormValue("act")), Break: clock.Kind(r.FormValue("break"))}
	if p.ID, err = uuid.Parse(r.FormValue("id")); err != nil {
		return p, app.ErrNotFound
	}
	if p.Act != clock.BreakStart {
		p.Break = ""
	}
	choice := r.FormValue("choice")
	p.Marks = marksIn(r, choice)
	job, task, hasTask := strings.Cut(choice, ".")
	ids := []struct {
		text string
		id   *uuid.UUID
	}{{job, &p.On.Job}, {task, &p.On.Task}, {r.FormValue("class-" + choice), &p.On.Class}}
	for i, f := range ids {
		if f.text == "" && (i != 1 || !hasTask) {
			continue
		}
		if *f.id, err = uuid.Parse(f.text); err != nil {
			return p, app.ErrNotFound
		}
	}
	if p.Moment, err = momentOf(r); err != nil {
		return p, err
	}
	p.Place = placeOf(r)
	return p, nil
}

// marksIn reads what a form says of the work beyond what it is.
func marksIn(r *http.Request, choice string) clock.Marks {
	billed := "billed-" + choice
	return marksOf(map[string]string{"called_in": r.FormValue("called_in"), "meal": r.FormValue("meal"), billed: r.FormValue(billed)},
		billed)
}

// marksOf reads marks by the names of their fields; billed is that of one.
func marksOf(said map[string]string, billed string) (m clock.Marks) {
	for field, of := range map[string][2]clock.Marks{"called_in": {clock.CalledIn}, "meal": {clock.HadMeal, clock.NoMeal},
		billed: {clock.Billed, clock.NotBilled}} {
		switch said[field] {
		case "yes":
			m |= of[0]
		case "no":
			m |= of[1]
		}
	}
	return m
}

// momentOf reads when the device says that it was pressed. A time that
// somebody says comes by other acts.
func momentOf(r *http.Request) (m clock.Moment, err error) {
	m.Since = -1
	for name, at := range map[string]*time.Time{"device_at": &m.Pressed, "sent_at": &m.Sent, "seen_at": &m.Seen, "seen_wall": &m.SeenWall} {
		if text := r.FormValue(name); text != "" {
			if *at, err = time.Parse(time.RFC3339, text); err != nil || at.Year() < 2000 || at.Year() > 2200 {
				return m, refusal.New(name, "The device's time can't be read", "Set the clock of the device, or reload this page")
			}
		}
	}
	if text := r.FormValue("since"); text != "" {
		ms, err := strconv.ParseInt(text, 10, 64)
		if err != nil || ms < 0 || ms > int64(365*24*time.Hour/time.Millisecond) {
			return m, refusal.New("since", "The device's time can't be read", "Reload this page, and press again")
		}
		m.Since = time.Duration(ms) * time.Millisecond
	}
	return m, nil
}

// placeOf reads where the device says it is; an absurd place is none.
func placeOf(r *http.Request) *geo.Point {
	lat, err1 := strconv.ParseFloat(r.FormValue("lat"), 64)
	lon, err2 := strconv.ParseFloat(r.FormValue("lon"), 64)
	if err1 != nil || err2 != nil {
		return nil
	}
	return placeAt(lat, lon)
}

func placeAt(lat, lon float64) *geo.Point {
	if !(lat >= -90 && lat <= 90 && lon >= -180 && lon <= 180) {
		return nil
	}
	return &geo.Point{Lat: lat, Lon: lon}
}

// seePlace takes where the person is along the way. The browser sends it by
// itself, so there is no page in answer.
func (s *Server) seePlace(w http.ResponseWriter, r *http.Request) error {
	place := placeOf(r)
	if place == nil {
		return app.ErrNotFound
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, hours.SeePlace{ID: newID(), Place: *place})
	if err != nil && refusalIn(err) == nil {
		return err
	}
	w.WriteHeader(http.StatusNoContent)
	return nil
}

func (s *Server) addNote(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, hours.AddNote{ID: id, Body: f.Text("note")})
	if refused := refusalIn(err); refused != nil {
		return s.showClock(w, r, http.StatusUnprocessableEntity, typed{refused: refused, note: f.Text("note")})
	}
	return s.done(w, r, err, "/clock", said{Text: "The note is on your card."})
}

// signOwn signs one of the person's own days.
func (s *Server) signOwn(w http.ResponseWriter, r *http.Request) error {
	ref, err := cardRef(r.FormValue("employment"), r.FormValue("date"))
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, hours.Sign{Card: ref})
	return s.done(w, r, err, "/clock", said{Text: "Signed " + ref.Date.Format("Monday 2 January") + "."})
}
