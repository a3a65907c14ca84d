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
	"manudex/app/roster"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	core "manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

const rosterPath = "/roster"

type rosterView struct {
	frameView
	*roster.Roster
	Query      url.Values
	Heading    string
	Back       string // the address of this page, without what is picked
	BeforeHref string
	AfterHref  string
	TodayHref  string
	Spans      []spanLink
	Bys        []spanLink
	Marks      *spanLink // that shows marks, or doesn't; nil where there are none
	Unit, Site string
	Find       string
	Head       template.HTML
	Groups     []rosterGroup
	Tell       []roster.Whom
	TellHref   string // where one sees who is told what
	Untold     int    // changes
	Pick       *shiftForm
	Copy       copyForm
	BatchID    string
	Week       when.Date // the first day shown
	One        string    // the crew that is shown, "" for several
	PageBefore string    // where the people of the page before stand, "" on the first
	PageAfter  string
	Places     []openRow
	NewPlace   *shiftForm // of open places
}

type spanLink struct {
	Label, Href string
	On          bool
}

type rosterRow struct {
	Employment, Name, Title string
	Plan                    template.HTML
	Hours, Beyond, LeaveIn  string
	Mark                    template.HTML
	Again                   bool // the person has a row above
	NewHref                 string
	LeaveHref               string // where leave is entered for them
	Form                    *shiftForm
}

// shiftForm is the form of one shift: of one that is there, or of one to be planned.
type shiftForm struct {
	Action, Batch, NewID, Seen, Shift string
	Employment, Name                  string
	Date                              when.Date
	From, To, Note                    string
	Less                              int // minutes
	Wanted                            int // of open places
	Choice                            string
	Choices                           []crewOption
	People                            []crewOption
	Against                           []string
	Back                              string
	MayChange                         bool
	ToldWords                         string
	Series, SeriesOn, Repeats         string // of a shift that repeats: its series, which date of it, and how
}

// copyForm is how days are copied.
type copyForm struct {
	From, To, Onto when.Date
	Usual          []usualOption
	MayKeep        bool
}

type usualOption struct{ ID, Name string }

// rosterQuery reads what a roster is asked for.
func (s *Server) rosterQuery(r *http.Request) (q roster.Query, err error) {
	f := form.Of(r)
	from, to := f.MaybeDate("from"), f.MaybeDate("to")
	q.Unit, q.Site, q.Find, q.Pick = f.MaybeID("unit"), f.MaybeID("site"), f.Text("q"), f.MaybeID("place")
	q.Want = f.MaybeID("want")
	if by := roster.By(f.Text("by")); by == roster.ByJob || by == roster.BySite {
		q.By = by
	}
	if text := f.Text("skip"); text != "" {
		q.Skip = f.Count("skip")
	}
	if err := f.Err(); err != nil {
		return q, err
	}
	switch {
	case from != 0 && to != 0:
		q.Days = when.Period{From: from, To: to}
	case from != 0:
		q.Days = when.Period{From: from, To: from + 6}
	}
	return q, nil
}

// rosterHref is the address of a roster.
func rosterHref(days when.Period, values url.Values, more ...string) string {
	v := url.Values{"from": {days.From.String()}, "to": {days.To.String()}}
	for _, name := range []string{"unit", "site", "q", "skip", "by", "marks"} {
		if text := values.Get(name); text != "" {
			v.Set(name, text)
		}
	}
	for i := 0; i+1 < len(more); i += 2 {
		v.Set(more[i], more[i+1])
	}
	return rosterPath + "?" + v.Encode()
}

// rosterPage is the plan of a span of days.
func (s *Server) rosterPage(w http.ResponseWriter, r *http.Request) error {
	q, err := s.rosterQuery(r)
	if err != nil {
		return err
	}
	p, err := roster.ReadRoster(r.Context(), s.app, visitOf(r).actor, q)
	if err != nil {
		return err
	}
	values := r.URL.Query()
	v := rosterView{Roster: p, Query: values, Heading: daysWords(p.Days), Back: rosterHref(p.Days, values), Unit: values.Get("unit"),
		Site: values.Get("site"), Find: q.Find, BatchID: newID().String(), Week: p.Days.From}
	n := when.Date(p.Days.Days())
	v.BeforeHref = rosterHref(when.Period{From: p.Days.From - n, To: p.Days.To - n}, values)
	v.AfterHref = rosterHref(when.Period{From: p.Days.From + n, To: p.Days.To + n}, values)
	week := p.Days.From
	for _, span := range []struct {
		label string
		days  int
	}{{"Day", 1}, {"Week", 7}, {"Fortnight", 14}, {"Month", 28}} {
		v.Spans = append(v.Spans, spanLink{span.label, rosterHref(when.Period{From: week, To: week + when.Date(span.days) - 1}, values),
			int(n) == span.days})
	}
	for _, by := range []struct {
		label string
		by    roster.By
	}{{"by crew", roster.ByCrew}, {"by " + string(p.Around.Word), roster.ByJob}, {"by site", roster.BySite}} {
		v.Bys = append(v.Bys, spanLink{by.label, rosterHref(p.Days, values, "by", string(by.by)), p.By == by.by})
	}
	v.TodayHref = rosterPath
	if v.Unit+v.Site+v.Find+string(p.By) != "" {
		v.TodayHref += "?" + url.Values{"unit": {v.Unit}, "site": {v.Site}, "q": {v.Find}, "by": {string(p.By)}}.Encode()
	}
	if v.Pick, err = s.pickedShift(r, p, v.Back); err != nil {
		return err
	}
	if v.NewPlace, err = s.newPlace(r, p, v.Back); err != nil {
		return err
	}
	v.frameView = s.frame(r, "Roster", "roster", p.Around)
	v.Rail = nil // its days are chosen on it
	v.draw()
	if p.Skip > 0 {
		v.PageBefore = rosterHref(p.Days, values, "skip", strconv.Itoa(max(0, p.Skip-p.Page())))
	}
	if p.More {
		v.PageAfter = rosterHref(p.Days, values, "skip", strconv.Itoa(p.Skip+p.Page()))
	}
	v.TellHref = strings.Replace(v.Back, rosterPath+"?", rosterPath+"/tell?", 1)
	v.Copy = copyForm{From: p.Days.From, To: p.Days.To, Onto: p.Days.To + 1, MayKeep: q.Unit != uuid.Nil && n == 7}
	for _, u := range p.Usual {
		if q.Unit == uuid.Nil || u.Unit == q.Unit {
			v.Copy.Usual = append(v.Copy.Usual, usualOption{u.ID.String(), u.Name})
		}
	}
	s.pages.write(w, s.log, http.StatusOK, "roster", v)
	return nil
}

// daysWords is how a span of days is called.
func daysWords(days when.Period) string {
	if days.From == days.To {
		return days.From.Format("Monday 2 January")
	}
	if from, to := days.From.Format("January"), days.To.Format("January"); from != to {
		return days.From.Format("2 January") + " – " + days.To.Format("2 January")
	}
	return days.From.Format("2") + "–" + days.To.Format("2 January")
}

// planWidth is how wide rows are drawn, in pixels; the page fits them in.
const planWidth = 940

// row makes one person's, and appends what is drawn of it.
func (v *rosterView) row(dst []byte, axis draw.PlanAxis, row roster.Row, on *roster.JobPlan) (rosterRow, []byte) {
	p := v.Roster
	out := rosterRow{Employment: row.Employment.String(), Name: row.Name(), Title: row.Title,
		Hours: card.HoursMinutes(row.Worked + plannedFrom(row, p.Today))}
	if row.Leads {
		out.Title = "crew lead"
	}
	if v.Marked() {
		out.Mark = template.HTML(draw.OwnMark(nil, row.Mark))
	}
	if row.Overtime > 0 {
		out.Beyond = card.HoursMinutes(row.Overtime) + " overtime"
		if row.Premium != "" {
			out.Beyond += ", " + strings.TrimSpace(words.Grouped(row.Premium)+" "+row.PremiumIn)
		}
	}
	plan := draw.PlanRow{Name: row.Name(), Words: row.Name() + ": " + words.Plural(len(row.Shifts), "shift", "shifts"), Now: p.Now}
	if row.MayPlan {
		plan.Employment = out.Employment
		if on != nil {
			plan.On = on.ID.String()
		}
		out.NewHref = v.Back + "&new=" + out.Employment + "#shift"
	}
	if v.Actor.Reaches("leave.manage", row.Person, row.Unit) && row.Person != v.Actor.ID {
		out.LeaveHref = "/leave/asked?from=" + p.Days.From.String() + "&who=" + url.QueryEscape(row.Name()) + "#enter"
	}
	var lines []draw.PlanLine // the same in words, where there is no room to draw
	var leave int64
	for _, l := range row.Leave {
		from := l.Date.At(7*time.Hour, row.Loc)
		plan.Leave = append(plan.Leave, draw.PlanBand{From: from, To: from.Add(9 * time.Hour), Label: strings.ToLower(l.Name)})
		leave += l.Seconds
	}
	if leave > 0 {
		out.LeaveIn = "+ leave " + card.HoursMinutes(leave)
	}
	for _, c := range row.Shifts {
		href := v.Back + "&pick=" + c.ID.String() + "#shift"
		at := c.Date.Format("Mon 2") + " " + spanTimes(c.PlannedShift, row.Loc)
		sh := draw.PlanShift{ID: c.ID.String(), Href: href, Label: c.JobNumber, From: c.Start, To: c.End, Told: c.Told, Seen: c.Changed,
			Picked: v.Pick != nil && v.Pick.Shift == c.ID.String()}
		if on != nil { // which job it is stands above
			sh.Label = c.Start.In(row.Loc).Format("15:04")
		}
		if v.Marked() {
			sh.Mark = c.JobMark
		}
		sh.Title = row.Name() + ", " + at + onJob(c.PlannedShift)
		switch {
		case !c.Told:
			sh.Title += ", not told yet"
		case c.Seen:
			sh.Title += ", told and seen"
		}
		line := draw.PlanLine{When: at, On: c.JobNumber, Told: c.Told}
		if row.MayPlan {
			line.Href = href
		}
		if len(c.Findings) > 0 {
			sh.Against, line.Against = c.Findings[0].Words(), findingWords(c.Findings)
			sh.Title += ": " + line.Against
		}
		lines, plan.Shifts = append(lines, line), append(plan.Shifts, sh)
	}
	for _, g := range row.Gone {
		plan.Gone = append(plan.Gone, draw.PlanShift{From: g.Start, To: g.End,
			Title: "told of " + g.Date.Format("Mon 2") + " " + spanTimes(g, row.Loc) + ", not planned any more"})
	}
	for _, st := range row.Stints {
		end := st.End
		if st.Open() {
			end = p.Now
		}
		if st.Kind == clock.Work && end.After(st.Start) {
			plan.Blocks = append(plan.Blocks, draw.Block{From: st.Start, To: end, Title: words.What(st) + " " +
				st.Start.In(row.Loc).Format("15:04") + "–" + end.In(row.Loc).Format("15:04")})
		}
	}
	return out, draw.PlanList(draw.Plan(dst, axis, plan), lines)
}

// plannedFrom is what is planned from a date on, in seconds: of days before it what was
// worked counts.
func plannedFrom(row roster.Row, from when.Date) (seconds int64) {
	for _, c := range row.Shifts {
		if c.Date >= from {
			seconds += c.Rule().Seconds()
		}
	}
	return seconds
}

func findingWords(found []core.Finding) string {
	said := make([]string, len(found))
	for i, f := range found {
		said[i] = f.Words()
	}
	return strings.Join(said, ", ")
}

func spanTimes(s store.PlannedShift, loc *time.Location) string {
	return spanBetween(s.Start, s.End, loc)
}

func onJob(s store.PlannedShift) string {
	if s.JobNumber == "" {
		return ""
	}
	on := ", " + s.JobNumber + " " + s.JobName
	if s.TaskName != "" {
		on += " · " + s.TaskName
	}
	return on
}

// pickedShift is the form of the shift that is picked, or of a new one; nil for none.
func (s *Server) pickedShift(r *http.Request, p *roster.Roster, back string) (*shiftForm, error) {
	pick, fresh := r.URL.Query().Get("pick"), r.URL.Query().Get("new")
	if pick == "" && fresh == "" {
		return nil, nil
	}
	f := &shiftForm{Batch: newID().String(), NewID: newID().String(), Back: back, MayChange: true}
	var row *roster.Row
	for i := range p.People {
		who := &p.People[i]
		if fresh != "" && who.Employment.String() == fresh {
			row = who
			f.Action, f.Date, f.From, f.To = rosterPath+"/plan", max(p.Today, p.Days.From), "07:00", "15:30"
			f.Less = 30
			if n := len(who.Shifts); n > 0 {
				last := who.Shifts[n-1]
				f.Date, f.From, f.To = min(last.Date+1, p.Days.To), last.Start.In(who.Loc).Format("15:04"),
					last.End.In(who.Loc).Format("15:04")
				f.Less, f.Choice = last.Less/60, workOf(last.PlannedShift)
			}
		}
		for _, c := range who.Shifts {
			if pick != "" && c.ID.String() == pick {
				row = who
				f.Action, f.Shift, f.Seen = rosterPath+"/shifts/"+pick, pick, strconv.FormatInt(c.Changed.UnixMicro(), 10)
				f.Date, f.From, f.To = c.Date, c.Start.In(who.Loc).Format("15:04"), c.End.In(who.Loc).Format("15:04")
				f.Less, f.Note, f.Choice = c.Less/60, c.Note, workOf(c.PlannedShift)
				f.ToldWords = "not told yet"
				switch {
				case c.Seen:
					f.ToldWords = "told, and they have seen it"
				case c.Told:
					f.ToldWords = "told"
				}
				for _, found := range c.Findings {
					f.Against = append(f.Against, found.Words())
				}
				if c.Series != nil && c.SeriesOn != nil {
					f.Series, f.SeriesOn = c.Series.String(), c.SeriesOn.String()
					series, err := store.GetSeries(r.Context(), s.app.DB, *c.Series)
					if err != nil {
						return nil, err
					}
					f.Repeats = repeatWords(series)
				}
				if c.JobNumber != "" {
					f.Choices = append(f.Choices, crewOption{f.Choice, strings.TrimPrefix(onJob(c.PlannedShift), ", ")})
				}
			}
		}
	}
	if row == nil || !row.MayPlan {
		return nil, nil // it is gone, or another's
	}
	f.Employment, f.Name = row.Employment.String(), row.Name()
	for _, who := range p.People {
		if who.MayPlan {
			f.People = append(f.People, crewOption{who.Employment.String(), who.Name() + ", " + who.UnitName})
		}
	}
	found, err := roster.Choices(r.Context(), s.app, visitOf(r).actor, row.Employment, f.Date)
	for _, c := range found {
		if key := choiceKey(c); !slices.ContainsFunc(f.Choices, func(o crewOption) bool { return o.Key == key }) {
			f.Choices = append(f.Choices, crewOption{key, optionLabel(c)})
		}
	}
	return f, err
}

// workOf is the choice that a shift is on, as its form keeps it.
func workOf(s store.PlannedShift) string {
	switch {
	case s.Job == nil:
		return ""
	case s.Task == nil:
		return s.Job.String()
	}
	return s.Job.String() + "." + s.Task.String()
}

// whenOf reads when a shift is: two instants, as the pointer drew it, or a day and two
// times.
func whenOf(f *form.Form) (w roster.When, given bool, err error) {
	if start := f.Text("start"); start != "" {
		for name, into := range map[string]*time.Time{"start": &w.Start, "end": &w.End} {
			n, err := strconv.ParseInt(f.Text(name), 10, 64)
			if err != nil {
				return w, false, app.ErrNotFound
			}
			*into = time.Unix(n, 0)
		}
		return w, true, nil
	}
	if w.Date = f.MaybeDate("date"); w.Date == 0 {
		return w, false, nil
	}
	for name, into := range map[string]*time.Duration{"from": &w.From, "to": &w.To} {
		if *into, err = when.ParseTimeOfDay(f.Text(name)); err != nil {
			return w, false, refusal.New("when", "That is no time of day", "Write both like 07:00")
		}
	}
	return w, true, nil
}

// lessOf reads how many minutes of a shift are unpaid, in seconds.
func lessOf(text string) (int, error) {
	n, err := strconv.Atoi(strings.TrimSpace(text))
	if err != nil || n < 0 || n > 240 {
		return 0, refusal.New("less", "That is no number of minutes", "Write how many minutes of it are unpaid, 0 for none")
	}
	return n * 60, nil
}

// planShift plans a shift: by its form, by the pointer, or as a copy of another.
func (s *Server) planShift(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.PlanShift{ID: f.ID("id"), Employment: f.ID("employment"), Of: f.MaybeID("of"), Like: f.Yes("like"), Note: f.Text("note")}
	at, given, err := whenOf(f)
	if ferr := f.Err(); ferr != nil || !given && err == nil {
		return app.ErrNotFound
	}
	act.When = at
	if choice := f.Text("choice"); err == nil && choice != "" {
		act.On, err = workIn(choice)
	}
	if err == nil && act.Of == uuid.Nil && !act.Like {
		act.Less, err = lessOf(f.Text("less"))
	}
	if repeat := f.Text("repeat"); err == nil && repeat != "" {
		return s.planSeries(w, r, act, repeat)
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.planned(w, r, err, act.ID, "Planned")
}

// planned answers a change of the plan, which is taken back by one press.
func (s *Server) planned(w http.ResponseWriter, r *http.Request, err error, batch uuid.UUID, words string) error {
	return s.done(w, r, err, backTo(r, rosterPath), said{Text: words + ". Nobody is told of it yet.", Undo: "/undo",
		UndoLabel: "Take it back",
		Batch:     batch.String()})
}

// drawShift does what the pointer drew: a shift that is new, or one that was taken hold of.
func (s *Server) drawShift(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	if shift := f.MaybeID("shift"); shift != uuid.Nil && f.Err() == nil {
		return s.change(w, r, shift)
	}
	return s.planShift(w, r)
}

// changeShift changes one.
func (s *Server) changeShift(w http.ResponseWriter, r *http.Request) error {
	shift, err := pathID(r, "shift")
	if err != nil {
		return err
	}
	return s.change(w, r, shift)
}

func (s *Server) change(w http.ResponseWriter, r *http.Request, shift uuid.UUID) error {
	f := form.Of(r)
	act := roster.ChangeShift{Batch: f.ID("batch"), Shift: shift}
	if who := f.MaybeID("employment"); who != uuid.Nil {
		act.Employment = &who
	}
	at, given, err := whenOf(f)
	if ferr := f.Err(); ferr != nil {
		return ferr
	}
	if given {
		act.When = &at
	}
	if micro, wrong := strconv.ParseInt(f.Text("seen"), 10, 64); wrong == nil {
		act.Seen = time.UnixMicro(micro)
	}
	if r.Form.Has("choice") && err == nil {
		on := clock.Assignment{}
		if choice := f.Text("choice"); choice != "" {
			on, err = workIn(choice)
		}
		act.On = &on
	}
	if r.Form.Has("less") && err == nil {
		var less int
		less, err = lessOf(f.Text("less"))
		act.Less = &less
	}
	if r.Form.Has("note") {
		note := f.Text("note")
		act.Note = &note
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.planned(w, r, err, act.Batch, "Changed")
}

// dropShift takes one out.
func (s *Server) dropShift(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.DropShifts{Batch: f.ID("batch"), Shifts: []uuid.UUID{f.PathID("shift")}}
	if err := f.Err(); err != nil {
		return err
	}
	return s.planned(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), act.Batch, "Taken out")
}

// copyDays plans the days that are shown again, later, for whom they show.
func (s *Server) copyDays(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.CopyDays{Batch: f.ID("batch"), Days: when.Period{From: f.Date("from"), To: f.Date("to")}, To: f.Date("onto"),
		Replace: f.Yes("replace")}
	if err := f.Err(); err != nil {
		return err
	}
	q, err := s.rosterQuery(r)
	if err != nil {
		return err
	}
	p, err := roster.ReadRoster(r.Context(), s.app, visitOf(r).actor, q)
	if err != nil {
		return err
	}
	for _, row := range p.People {
		if row.MayPlan {
			act.Employments = append(act.Employments, row.Employment)
		}
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	back := rosterHref(when.Period{From: act.To, To: act.To + act.Days.To - act.Days.From}, r.Form)
	if err != nil {
		back = backTo(r, rosterPath)
	}
	return s.done(w, r, err, back, said{Text: "Copied to " + daysWords(when.Period{From: act.To,
		To: act.To + act.Days.To - act.Days.From}) +
		". Nobody is told of it yet.", Undo: "/undo", UndoLabel: "Take it back", Batch: act.Batch.String()})
}

// keepUsual keeps the week that is shown as a crew's usual one.
func (s *Server) keepUsual(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.KeepUsual{ID: f.ID("id"), Unit: f.ID("unit"), Name: f.Text("name"), Week: f.Date("week")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), backTo(r, rosterPath), said{Text: "Kept as “" + act.Name + "”."})
}

// layUsual plans a usual week over the one that is shown.
func (s *Server) layUsual(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.LayUsual{Batch: f.ID("batch"), Usual: f.ID("usual"), Week: f.Date("week"), Replace: f.Yes("replace")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.planned(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), act.Batch, "The usual week is planned")
}

// dropUsual takes a usual week out.
func (s *Server) dropUsual(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.DropUsual{Usual: f.ID("usual")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), backTo(r, rosterPath),
		said{Text: "Taken out; what is planned stays."})
}

type tellView struct {
	frameView
	*roster.Roster
	Heading, Back, BatchID string
	Each                   []toldRowOf
	Changes                int
}

type toldRowOf struct {
	ID, Key, Name, Unit string
	Words               []string
}

// tellPage lists who would be told of what.
func (s *Server) tellPage(w http.ResponseWriter, r *http.Request) error {
	if !visitOf(r).actor.May("roster.plan") {
		return app.ErrForbidden
	}
	q, err := s.rosterQuery(r)
	if err != nil {
		return err
	}
	p, err := roster.ReadRoster(r.Context(), s.app, visitOf(r).actor, q)
	if err != nil {
		return err
	}
	v := tellView{Roster: p, Heading: daysWords(p.Days), Back: rosterHref(p.Days, r.URL.Query()), BatchID: newID().String()}
	for _, row := range p.People {
		if len(row.Untold) == 0 {
			continue
		}
		whom := row.Whom()
		v.Changes += len(row.Untold)
		v.Each = append(v.Each, toldRowOf{whom.Employment.String(), whom.Employment.String() + "~" + whom.Seen, row.Name(),
			row.UnitName, row.Words(p)})
	}
	if v.frameView, err = s.stillFrame(r, "Tell the plan", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "roster-tell", v)
	return nil
}

// tellPlan tells those who are chosen.
func (s *Server) tellPlan(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.Tell{ID: f.ID("id"), Days: when.Period{From: f.Date("from"), To: f.Date("to")}}
	if err := f.Err(); err != nil {
		return err
	}
	asked := f.Texts("asked")
	for _, text := range f.Texts("whom") {
		who, seen, _ := strings.Cut(text, "~")
		id, err := uuid.Parse(who)
		if err != nil {
			return app.ErrNotFound
		}
		act.Whom = append(act.Whom, roster.Whom{Employment: id, Seen: seen, Asked: slices.Contains(asked, who)})
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), backTo(r, rosterPath),
		said{Text: "Told: " + words.Plural(len(act.Whom), "person", "people") + ", one message each."})
}

type shiftsView struct {
	frameView
	Days    []ownShiftDay
	Places  []ownPlace
	Changes []roster.OwnChange
	Crew    []crewDay
	All     bool // everybody's can be seen
	Clocks  bool
	Feed    bool   // a calendar has an address
	Address string // that was just made: shown once
}

// crewDay are the shifts of the crew on a day.
type crewDay struct {
	Date   when.Date
	Shifts []crewShift
}

type crewShift struct{ Name, When, On string }

type ownShiftDay struct {
	Date        when.Date
	Today       bool
	When, On    string
	Note, Leave string
	Length      string
	Shift       string // the id of one that can be given away
	NewID       string
	Begun       bool
	Offered     bool
	MayKeep     bool // what was offered, and not for being sick
	Others      []crewOption
}

// shiftsPage is what somebody is planned for, as they were told.
func (s *Server) shiftsPage(w http.ResponseWriter, r *http.Request) error {
	return s.showShifts(w, r, "")
}

// showShifts shows that page, with an address for a calendar that was just made.
func (s *Server) showShifts(w http.ResponseWriter, r *http.Request, address string) error {
	p, err := roster.ReadOwnShifts(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := shiftsView{Places: ownPlaces(p), Changes: p.Changes, All: p.All, Feed: p.Feed != nil, Address: address,
		Clocks: visitOf(r).actor.Employment != nil}
	others := colleagues(p)
	for _, sh := range p.Shifts {
		day := ownShiftDay{Date: sh.Date, Today: sh.Date == p.Today, When: spanTimes(sh, p.Loc), On: strings.TrimPrefix(onJob(sh), ", "),
			Note: sh.Note, Length: card.HoursMinutes(sh.Rule().Seconds()), NewID: newID().String(), Begun: !sh.Start.After(p.Now),
			Others: others}
		if o, is := p.Handed[sh.ID]; is {
			day.Offered, day.MayKeep = true, !o.Sick
		}
		if sh.End.After(p.Now) {
			day.Shift = sh.ID.String()
		}
		v.Days = append(v.Days, day)
	}
	for _, l := range p.Leave {
		v.Days = append(v.Days, ownShiftDay{Date: l.Date, Today: l.Date == p.Today, Leave: l.Name, Length: card.HoursMinutes(l.Seconds)})
	}
	for _, c := range p.Crew {
		if n := len(v.Crew); n == 0 || v.Crew[n-1].Date != c.Date {
			v.Crew = append(v.Crew, crewDay{Date: c.Date})
		}
		day := &v.Crew[len(v.Crew)-1]
		day.Shifts = append(day.Shifts, crewShift{c.Name, spanTimes(c.PlannedShift, c.Loc), c.JobNumber})
	}
	slices.SortStableFunc(v.Days, func(a, b ownShiftDay) int { return int(a.Date - b.Date) })
	if v.frameView, err = s.stillFrame(r, "My shifts", "shifts"); err != nil {
		return err
	}
	v.Still, v.Whose = address != "", v.Actor.ID.String()
	s.pages.write(w, s.log, http.StatusOK, "shifts", v)
	return nil
}

// putPlanRule says what comes of something that speaks against a shift.
func (s *Server) putPlanRule(w http.ResponseWriter, r *http.Request) error {
	act := roster.PutRule{Code: core.Code(r.FormValue("code")), Does: core.Does(r.FormValue("does"))}
	var err error
	for name, into := range map[string]*int{"figure": &act.Figure, "span": &act.Span} {
		if text := strings.TrimSpace(r.FormValue(name)); text != "" && err == nil {
			if *into, err = strconv.Atoi(text); err != nil {
				err = refusal.New(name, "That is no number", "Write a whole number")
			}
		}
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, "/setup/on/planning", said{Text: "Kept."})
}
