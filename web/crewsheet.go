package web

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
)

const crewPath = "/crew"

type crewSheetView struct {
	frameView
	*hours.CrewSheet
	Href        string // of the sheet, with its crew and day
	Heading     string
	Sentence    []string // "6 on the clock"
	IsToday     bool
	SomeOff     bool // somebody can be clocked in
	SomeOnBreak bool
	Axis        template.HTML
	Groups      []crewGroup
	Options     []crewOption
	Counts      []crewCount
	Days        []crewDayLink
	Look        string
	PunchID     string
	Server      string // its time, for the device to count on from
	IDs         [5]string
}

// crewGroup is who is on a job, or planned on it.
type crewGroup struct {
	Name  string
	Lines []crewLine
}

type crewLine struct {
	Employment, Name, Crew, State, Card string
	Task, Standing                      string // what they are on; where their card stands, where it isn't open
	Ribbon                              template.HTML
	Ticked, On, Missing, MayMiss        bool
	NotBy                               string
	Borrowed, Incomplete                bool
	MayCard                             bool // the reader may open their card
}

type crewOption struct {
	Key   string `json:"key"`
	Label string `json:"label"`
}

type crewCount struct {
	ID, Job, Task, Name, CountedIn, Amount, By string
}

type crewDayLink struct {
	Href  string
	Date  when.Date
	Cards int
}

// crewAddress is the address of a sheet.
func crewAddress(unit uuid.UUID, day when.Date) string {
	return crewPath + "?" + url.Values{"unit": {unit.String()}, "day": {day.String()}}.Encode()
}

// crewPage is the sheet of a crew on a day.
func (s *Server) crewPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	unit, day, look := f.MaybeID("unit"), f.MaybeDate("day"), f.Text("q")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := hours.ReadCrewSheet(r.Context(), s.app, visitOf(r).actor, unit, day, look)
	if err != nil {
		return err
	}
	v := crewSheetView{CrewSheet: p, Look: look, PunchID: newID().String(), Server: p.Now.UTC().Format(time.RFC3339Nano),
		IsToday: p.Day == p.Today, Heading: p.Day.Format("Monday 2 January")}
	for i := range v.IDs {
		v.IDs[i] = newID().String()
	}
	v.Href = crewAddress(p.Crew.ID, p.Day)
	axis := crewAxis(p)
	v.Axis = template.HTML(draw.Hours(nil, axis, p.Loc))
	v.group(visitOf(r).actor, axis)
	v.Options = crewOptions(p.Choices, p.Classes)
	for _, q := range p.Quantities {
		c := crewCount{ID: newID().String(), Job: q.Job.String(), Name: q.Name, CountedIn: q.CountedIn, By: q.ByName}
		if q.Task != uuid.Nil {
			c.Task = q.Task.String()
		}
		if q.Amount != nil {
			c.Amount = q.Amount.String()
		}
		v.Counts = append(v.Counts, c)
	}
	for _, u := range p.Unsigned {
		v.Days = append(v.Days, crewDayLink{crewAddress(p.Crew.ID, u.Date), u.Date, u.Cards})
	}
	v.frameView = s.frame(r, "Crew sheet", "crew", p.Around)
	v.Rail = nil // its day is chosen on it
	s.pages.write(w, s.log, http.StatusOK, "crew", v)
	return nil
}

// crewRibbon is how wide the day of somebody is drawn, in pixels; the page fits it in.
const crewRibbon = 260

// crewAxis shows the part of the day that matters to anybody on the sheet.
func crewAxis(p *hours.CrewSheet) draw.Axis {
	from, to := p.Day.At(7*time.Hour, p.Loc), p.Day.At(16*time.Hour, p.Loc)
	reach := func(a, b time.Time) {
		if a.Before(from) {
			from = a
		}
		if b.After(to) {
			to = b
		}
	}
	for _, l := range p.Rows {
		for _, s := range l.Shifts {
			reach(s.Start, s.End)
		}
		for _, s := range l.Stints {
			end := s.End
			if s.Open() {
				end = p.Now
			}
			reach(s.Start, end)
		}
	}
	// What somebody forgot to end days ago doesn't shrink everybody else's day.
	if first := p.Day.At(0, p.Loc); from.Before(first) {
		from = first
	}
	if last := (p.Day + 1).At(6*time.Hour, p.Loc); to.After(last) {
		to = last
	}
	from = from.Truncate(time.Hour)
	return draw.Axis{From: from, Hours: max(4, to.Sub(from).Truncate(time.Hour).Hours()+1), Width: crewRibbon, Step: 2}
}

// group puts people under the job they are on, or planned on.
func (v *crewSheetView) group(actor app.Actor, axis draw.Axis) {
	on, off, done, missing := 0, 0, 0, 0
	for _, l := range v.Rows {
		line := crewLineOf(l, v.CrewSheet)
		line.MayCard = actor.Reaches("card.see", l.SheetPerson.Person, l.SheetPerson.Unit)
		line.Ribbon = ribbon(axis, l.DayRow, v.Now)
		v.SomeOff = v.SomeOff || !line.On && !line.Missing
		v.SomeOnBreak = v.SomeOnBreak || line.On && l.OpenKind != clock.Work
		switch {
		case line.On:
			on++
		case line.Missing:
			missing++
		case l.Worked > 0:
			done++
		default:
			off++
		}
		name := crewJobOf(l)
		i := slices.IndexFunc(v.Groups, func(g crewGroup) bool { return g.Name == name })
		if i < 0 {
			v.Groups, i = append(v.Groups, crewGroup{Name: name}), len(v.Groups)
		}
		v.Groups[i].Lines = append(v.Groups[i].Lines, line)
	}
	slices.SortStableFunc(v.Groups, func(a, b crewGroup) int { // those without a job come last
		if (a.Name == "") != (b.Name == "") {
			return strings.Compare(b.Name, a.Name)
		}
		return strings.Compare(a.Name, b.Name)
	})
	v.tick(on)
	for _, c := range []struct {
		n    int
		word string
	}{{on, "on the clock"}, {missing, "missing"}, {off, "not come yet"}, {done, "done"}} {
		if c.n > 0 {
			v.Sentence = append(v.Sentence, fmt.Sprintf("%d %s", c.n, c.word))
		}
	}
}

// tick ticks those whom the next act is most likely about: who is on the clock, or where
// nobody is, who is planned and not missing.
func (v *crewSheetView) tick(on int) {
	for g := range v.Groups {
		for i := range v.Groups[g].Lines {
			l := &v.Groups[g].Lines[i]
			l.Ticked = on > 0 && l.On || on == 0 && l.Ticked
		}
	}
}

func crewLineOf(l hours.SheetLine, p *hours.CrewSheet) crewLine {
	line := crewLine{Employment: l.SheetPerson.Employment.String(), Name: l.SheetPerson.Name(), On: l.Running(), Borrowed: l.Borrowed,
		Incomplete: l.Incomplete, Card: cardHref(l.DayRow)}
	if l.Borrowed {
		line.Crew = l.SheetPerson.UnitName
	}
	planned := ""
	if len(l.Shifts) > 0 {
		planned = l.Shifts[0].Start.In(l.Loc).Format("15:04")
	}
	clockOf := func(t time.Time) string {
		if when.DateOf(t, l.Loc) < p.Day-1 {
			return t.In(l.Loc).Format("Mon 15:04")
		}
		return t.In(l.Loc).Format("15:04")
	}
	var last *store.Stint
	if n := len(l.Stints); n > 0 {
		last = &l.Stints[n-1]
	}
	switch {
	case l.Running() && last != nil && last.Kind != clock.Work:
		line.State = string(last.Kind) + " since " + clockOf(last.Start)
	case l.Running() && last != nil:
		line.State, line.Task = "on since "+clockOf(last.Attendance), last.TaskName
	case l.NotThere != nil && l.Worked == 0:
		line.Missing, line.NotBy = true, *l.NotBy
	case last != nil:
		line.State = card.HoursMinutes(l.Worked) + ", off since " + clockOf(last.End)
	case l.Leave > 0:
		line.State = "on leave"
	case planned != "" && p.Now.After(l.Shifts[0].Start):
		line.State, line.MayMiss, line.Ticked = "not here yet, planned "+planned, true, true
	case planned != "":
		line.State, line.MayMiss, line.Ticked = "planned "+planned, true, true
	default:
		line.State, line.MayMiss = "not planned", true
	}
	if l.State != card.Open && !line.On && !line.Missing {
		line.Standing = string(l.State)
	}
	return line
}

// crewJobOf is the job that somebody is shown under.
func crewJobOf(l hours.SheetLine) string {
	if n := len(l.Stints); n > 0 && l.Stints[n-1].On.Job != uuid.Nil {
		s := l.Stints[n-1]
		return s.JobNumber + " " + s.JobName
	}
	if len(l.Stints) == 0 && len(l.Shifts) > 0 && l.Shifts[0].JobNumber != "" {
		return l.Shifts[0].JobNumber + " " + l.Shifts[0].JobName
	}
	return ""
}

// crewOptions are what can be worked on, each classification of public work for itself.
func crewOptions(choices []store.ClockOption, classes map[uuid.UUID][]store.ClassOf) []crewOption {
	var options []crewOption
	for _, c := range choices {
		label := optionLabel(c)
		if !c.PublicWork {
			options = append(options, crewOption{choiceKey(c), label})
		}
		for _, cl := range classes[c.Job] {
			options = append(options, crewOption{choiceKey(c) + "~" + cl.ID.String(), label + ", " + cl.Name})
		}
	}
	return options
}

// crewWork reads a choice of the sheet: a job, its task, and the classification after a
// tilde.
func crewWork(choice string) (on clock.Assignment, err error) {
	work, class, _ := strings.Cut(choice, "~")
	if on, err = workIn(work); err != nil || class == "" {
		return on, err
	}
	if on.Class, err = uuid.Parse(class); err != nil {
		return on, app.ErrNotFound
	}
	return on, nil
}

// crewJobs answers the search for a job with options to choose from.
func (s *Server) crewJobs(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	unit, day := f.ID("unit"), f.Date("day")
	if err := f.Err(); err != nil {
		return err
	}
	var options []crewOption
	if text := strings.TrimSpace(f.Text("job")); text != "" {
		choices, classes, err := hours.CrewChoices(r.Context(), s.app, visitOf(r).actor, unit, day, text)
		if err != nil {
			return err
		}
		options = crewOptions(choices, classes)
	}
	s.pages.writePart(w, s.log, http.StatusOK, "crew", "crewoptions", options)
	return nil
}

// crewActs are what the buttons of the sheet do.
var crewActs = map[string]hours.CrewStep{
	"in": {Act: clock.In}, "switch": {Act: clock.Switch}, "meal": {Act: clock.BreakStart, Break: clock.Meal},
	"rest": {Act: clock.BreakStart, Break: clock.Rest}, "back": {Act: clock.BreakEnd}, "out": {Act: clock.Out},
}

// crewPunch records what was pressed for those who are ticked.
func (s *Server) crewPunch(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.CrewPunches{ID: f.ID("id"), Unit: f.ID("unit"), Day: f.Date("day"), People: f.IDs("p")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.Moment, err = momentOf(r); err == nil {
		act.Steps, err = s.crewSteps(r.Context(), r.FormValue, act.Day)
	}
	var told []hours.CrewTold
	act.Tell = func(t []hours.CrewTold) { told = t }
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	done, words := crewWords(r.FormValue("act"), told)
	if err == nil && done == 0 && words != "" {
		return s.done(w, r, refusal.New("people", strings.TrimSuffix(words, "."), ""), crewAddress(act.Unit, act.Day), said{})
	}
	return s.done(w, r, err, crewAddress(act.Unit, act.Day), said{Text: words})
}

// crewSteps reads the steps that are asked for by names: one act, or a day that is written
// down.
func (s *Server) crewSteps(ctx context.Context, said func(string) string, day when.Date) ([]hours.CrewStep, error) {
	choice, name := said("choice"), said("act")
	on, err := crewWork(choice)
	if err != nil {
		return nil, err
	}
	place, err := s.app.Company(ctx)
	if err != nil {
		return nil, err
	}
	if name == "day" {
		return writtenDay(said, day, on, choice == "")
	}
	step, known := crewActs[name]
	switch {
	case !known:
		return nil, app.ErrNotFound
	case step.Act == clock.Switch && choice == "":
		return nil, refusal.New("choice", "No "+place.JobWord+" was chosen", "Choose the "+place.JobWord+" they go on with")
	case step.Act == clock.In || step.Act == clock.Switch:
		step.On, step.Planned = on, choice == ""
	case step.Act == clock.Out && said("meal") == "no":
		step.Marks = clock.NoMeal
	}
	step.At, err = timeOn(said("at"), day, hours.SaidTime{})
	return []hours.CrewStep{step}, err
}

// writtenDay is a day as somebody writes it down: from, to, and the meal between.
func writtenDay(said func(string) string, day when.Date, on clock.Assignment, planned bool) ([]hours.CrewStep, error) {
	at := map[string]hours.SaidTime{}
	var before hours.SaidTime
	for _, name := range []string{"from", "meal_from", "meal_to", "to"} {
		t, err := timeOn(said(name), day, before)
		if err != nil {
			return nil, err
		}
		if at[name] = t; !t.IsZero() {
			before = t
		}
	}
	switch {
	case at["from"].IsZero() || at["to"].IsZero():
		return nil, refusal.New("from", "When the day began or ended is missing", "Write both")
	case at["meal_from"].IsZero() != at["meal_to"].IsZero():
		return nil, refusal.New("meal_from", "The meal has only one end", "Write when it began and when it ended, or neither")
	}
	steps := []hours.CrewStep{{Act: clock.In, On: on, Planned: planned, At: at["from"]}}
	if !at["meal_from"].IsZero() {
		steps = append(steps, hours.CrewStep{Act: clock.BreakStart, Break: clock.Meal, At: at["meal_from"]},
			hours.CrewStep{Act: clock.BreakEnd, At: at["meal_to"]})
	}
	return append(steps, hours.CrewStep{Act: clock.Out, At: at["to"]}), nil
}

// timeOn reads a time of day, on a date, or on the next where it would not be after another;
// zero where there is none.
func timeOn(text string, day when.Date, after hours.SaidTime) (at hours.SaidTime, err error) {
	if text == "" {
		return at, nil
	}
	t, err := time.Parse("15:04", text)
	if err != nil {
		if t, err = time.Parse(time.TimeOnly, text); err != nil {
			return at, refusal.New("at", "That is no time", "Write it like 06:30")
		}
	}
	at = hours.SaidTime{Date: day,
		Of: time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute + time.Duration(t.Second())*time.Second}
	if !after.IsZero() && !at.In(time.UTC).After(after.In(time.UTC)) {
		at.Date++
	}
	return at, nil
}

// crewWords say what was done, and for whom it wasn't.
func crewWords(act string, told []hours.CrewTold) (done int, text string) {
	var claims, not []string
	for _, t := range told {
		switch {
		case t.Refused != nil:
			not = append(not, t.Name+": "+t.Refused.Wrong)
		case t.Claim != "":
			claims = append(claims, t.Name)
		default:
			done++
		}
	}
	var parts []string
	if what := map[string]string{"in": "Clocked in", "switch": "Moved", "meal": "On their meal", "rest": "On their rest",
		"back": "Back at work",
		"out":  "Clocked out", "day": "Written down"}[act]; done > 0 {
		parts = append(parts, fmt.Sprintf("%s: %d", what, done))
	}
	if len(claims) > 0 {
		parts = append(parts, "Kept for somebody else to let it count: "+strings.Join(claims, ", "))
	}
	for _, n := range not {
		parts = append(parts, "Not "+n)
	}
	if len(parts) == 0 {
		return 0, ""
	}
	return done + len(claims), strings.Join(parts, ". ") + "."
}

// crewThere keeps that somebody didn't come, or did.
func (s *Server) crewThere(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.NotThere{ID: f.ID("id"), Unit: f.ID("unit"), Day: f.Date("day"), Employment: f.MaybeID("missing")}
	if act.Employment == uuid.Nil {
		act.Employment, act.There = f.ID("there"), true
	}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	text := "Said to be missing."
	if act.There {
		text = "Not missing any more."
	}
	return s.done(w, r, err, crewAddress(act.Unit, act.Day), said{Text: text})
}

// borrowPerson puts somebody of another crew on the sheet.
func (s *Server) borrowPerson(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.Borrow{ID: f.ID("id"), Unit: f.ID("unit"), Day: f.Date("day"), Employment: f.ID("employment")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), crewAddress(act.Unit, act.Day),
		said{Text: "On this sheet for the day."})
}

// giveBack takes somebody off it again.
func (s *Server) giveBack(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.GiveBack{Unit: f.ID("unit"), Day: f.Date("day"), Employment: f.ID("employment")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), crewAddress(act.Unit, act.Day), said{Text: "Taken off this sheet."})
}

// addNewcomer adds somebody who isn't there yet.
func (s *Server) addNewcomer(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.AddNewcomer{ID: f.ID("id"), Employment: f.ID("employment"), Unit: f.ID("unit"), Day: f.Date("day"), Name: f.Text("name"),
		Mobile: f.Text("mobile")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), crewAddress(act.Unit, act.Day),
		said{Text: "Added, and can be clocked in. The office completes them."})
}

// countWork keeps how much was done.
func (s *Server) countWork(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.CountWork{ID: f.ID("id"), Unit: f.ID("unit"), Day: f.Date("day"), Job: f.ID("job"), Task: f.MaybeID("task"),
		Amount: f.Text("amount")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), crewAddress(act.Unit, act.Day), said{Text: "Counted."})
}

// signSheet signs every card on the sheet.
func (s *Server) signSheet(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.SignSheet{ID: f.ID("id"), Unit: f.ID("unit"), Day: f.Date("day"), Seen: f.Text("seen")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), crewAddress(act.Unit, act.Day),
		said{Text: "Signed " + act.Day.Format("Monday 2 January") + "."})
}
