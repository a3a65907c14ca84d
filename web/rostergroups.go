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
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

// rosterGroup is a crew, job or site with its rows.
type rosterGroup struct {
	Name, People string
	Mark         template.HTML
	Job          string // what it is called in full, where it is one
	Counts       template.HTML
	Rows         []rosterRow
	Hours, Left  string // of a job: what is planned, and what is left of its hours
	Cost         string
	Lacks        string // on which days it lacks how many people
	OpenHref     string // where places of it are opened
	WantHref     string // where it is said how many people it wants
	Want         *wantForm
}

// wantForm is the form of how many people a job wants.
type wantForm struct {
	Job, Back   string
	From, To    string
	People      int
	First, Last when.Date
	Weekdays    []weekdayTick
}

type weekdayTick struct {
	Day    int
	Name   string
	Ticked bool
}

// grouped are the rows of a group before they are drawn.
type grouped struct {
	name string
	mark string
	unit roster.Row // whose crew it is, or the first of them
	job  *roster.JobPlan
	rows []roster.Row
}

// groups puts the rows under what they stand under. Under jobs somebody stands once for each,
// with the shifts on it.
func (v *rosterView) groups() (groups []grouped) {
	p := v.Roster
	if p.By != roster.ByJob {
		for _, row := range p.People {
			name, mark := row.UnitName, row.UnitMark
			if p.By == roster.BySite {
				name, mark = row.SiteName, ""
			}
			if n := len(groups); n == 0 || groups[n-1].name != name {
				groups = append(groups, grouped{name: name, mark: mark, unit: row})
			}
			g := &groups[len(groups)-1]
			g.rows = append(g.rows, row)
		}
		return groups
	}
	for i, j := range p.Jobs {
		g := grouped{name: j.Number, mark: j.Mark, job: &p.Jobs[i]}
		for _, row := range p.People {
			if on := onlyOn(row, j.ID, p.Today); len(on.Shifts) > 0 {
				g.rows = append(g.rows, on)
			}
		}
		if len(g.rows) > 0 {
			g.unit = g.rows[0]
		} else if len(p.People) > 0 {
			g.unit = p.People[0]
		}
		groups = append(groups, g)
	}
	none := grouped{name: "On nothing yet"}
	for _, row := range p.People {
		if on := onlyOn(row, uuid.Nil, p.Today); len(on.Shifts) > 0 || len(row.Shifts) == 0 {
			none.rows = append(none.rows, on)
		}
	}
	if len(none.rows) > 0 {
		groups = append(groups, none)
	}
	return groups
}

// onlyOn is a row with what is of one job alone, zero for what is of none.
func onlyOn(row roster.Row, job uuid.UUID, today when.Date) roster.Row {
	on := row
	on.Shifts, on.Gone, on.Stints, on.Worked = nil, nil, nil, 0
	for _, c := range row.Shifts {
		if store.IDOrNil(c.Job) == job {
			on.Shifts = append(on.Shifts, c)
		}
	}
	for _, s := range row.Gone {
		if store.IDOrNil(s.Job) == job {
			on.Gone = append(on.Gone, s)
		}
	}
	for _, s := range row.Stints {
		if s.On.Job == job {
			on.Stints = append(on.Stints, s)
			if s.Date < today && !s.Open() {
				on.Worked += int64(s.End.Sub(s.Start) / time.Second)
			}
		}
	}
	return on
}

// Marked says whether marks are shown.
func (v rosterView) Marked() bool { return v.Query.Get("marks") == "yes" }

// marks is the link that shows marks, or doesn't any more; nil where nobody has one.
func (v *rosterView) marks() *spanLink {
	some := v.Marked()
	for _, row := range v.People {
		some = some || row.Mark+row.UnitMark != ""
		for _, c := range row.Shifts {
			some = some || c.JobMark != ""
		}
	}
	if !some {
		return nil
	}
	to := "yes"
	if v.Marked() {
		to = ""
	}
	return &spanLink{"with marks", rosterHref(v.Days, v.Query, "marks", to), v.Marked()}
}

// draw draws the rows, group by group.
func (v *rosterView) draw() {
	p := v.Roster
	axis := draw.PlanAxis{Width: planWidth, Zone: p.Loc, End: (p.Days.To + 1).At(p.CutOver, p.Loc)}
	layout := "Mon 2"
	if p.Days.Days() == 1 {
		layout = "Monday 2 January"
	}
	for _, d := range p.Days.Dates() {
		axis.Days = append(axis.Days, draw.PlanDay{From: d.At(p.CutOver, p.Loc), Label: d.Format(layout), Today: d == p.Today})
	}
	v.Head, v.Marks = template.HTML(draw.PlanHead(nil, axis)), v.marks()
	seen := map[uuid.UUID]bool{}
	var drawn []byte // of all rows, so that they take one text
	var ends []int
	for _, g := range v.groups() {
		group := v.group(axis, g)
		for _, row := range g.rows {
			var out rosterRow
			out, drawn = v.row(drawn, axis, row, g.job)
			ends = append(ends, len(drawn))
			out.Again = seen[row.Employment]
			if v.Pick != nil && v.Pick.Employment == out.Employment && (v.Pick.Shift == "" && !out.Again || v.Pick.isOf(row)) {
				out.Form = v.Pick
			}
			seen[row.Employment] = true
			group.Rows = append(group.Rows, out)
		}
		v.Groups = append(v.Groups, group)
	}
	text, n, from := string(drawn), 0, 0
	for i := range v.Groups {
		for j := range v.Groups[i].Rows {
			v.Groups[i].Rows[j].Plan = template.HTML(text[from:ends[n]])
			from, n = ends[n], n+1
		}
	}
	for _, row := range p.People {
		if len(row.Untold) > 0 {
			v.Tell, v.Untold = append(v.Tell, row.Whom()), v.Untold+len(row.Untold)
		}
	}
	for _, o := range p.Open {
		v.Places = append(v.Places, v.place(axis, o))
	}
}

// Under is what the rows stand under.
func (v rosterView) Under() string {
	switch v.Roster.By {
	case roster.ByJob:
		return strings.ToUpper(string(v.Word()[:1])) + string(v.Word()[1:])
	case roster.BySite:
		return "Site"
	}
	return "Crew"
}

// isOf says whether the shift of a form stands on a row.
func (f *shiftForm) isOf(row roster.Row) bool {
	for _, c := range row.Shifts {
		if c.ID.String() == f.Shift {
			return true
		}
	}
	return false
}

// group is the head of a group: how many are planned each day, of a job beside how many it
// wants.
func (v *rosterView) group(axis draw.PlanAxis, g grouped) rosterGroup {
	p := v.Roster
	out := rosterGroup{Name: g.name, People: words.Plural(len(g.rows), "person", "people")}
	if v.Marked() {
		out.Mark = template.HTML(draw.OwnMark(nil, g.mark))
	}
	counts := map[when.Date]int{}
	for _, row := range g.rows {
		on := map[when.Date]bool{}
		for _, c := range row.Shifts {
			if !on[c.Date] {
				on[c.Date] = true
				counts[c.Date]++
			}
		}
	}
	more := []string{"open", g.unit.Unit.String()}
	if g.job != nil {
		out.job(v, g.job, counts)
		for _, d := range p.Days.Dates() {
			if lack := g.job.Lack(d); lack > 0 && d >= p.Today {
				more = append(more, "on", g.job.ID.String(), "day", d.String())
				break
			}
		}
	}
	if g.unit.MayPlan {
		out.OpenHref = rosterHref(p.Days, v.Query, more...) + "#open"
	}
	each := make([]draw.PlanCount, 0, len(axis.Days))
	for _, d := range p.Days.Dates() {
		c := draw.PlanCount{}
		switch {
		case g.job != nil && g.job.Days[d].Wanted > 0:
			c.Text = strconv.Itoa(g.job.Days[d].People) + " of " + strconv.Itoa(g.job.Days[d].Wanted)
			c.Lacks = g.job.Lack(d) > 0
		case counts[d] > 0:
			c.Text = strconv.Itoa(counts[d]) + " planned"
		}
		each = append(each, c)
	}
	out.Counts = template.HTML(draw.PlanCounts(nil, axis, each))
	return out
}

// job says what is planned on a job against what is left of it.
func (g *rosterGroup) job(v *rosterView, j *roster.JobPlan, counts map[when.Date]int) {
	p := v.Roster
	for d, day := range j.Days { // by whoever it is, also those of other pages
		counts[d] = day.People
	}
	g.Job, g.Hours = j.Name, card.HoursMinutes(j.Seconds)+" planned"
	var lacks []string
	for _, d := range p.Days.Dates() {
		if n := j.Lack(d); n > 0 && d >= p.Today {
			lacks = append(lacks, strconv.Itoa(n)+" on "+d.Format("Mon 2"))
		}
	}
	if len(lacks) > 0 {
		g.Lacks = "lacks " + strings.Join(lacks, ", ")
	}
	if j.Budget != nil && *j.Budget > 0 {
		left := *j.Budget - j.Used
		g.Left = card.HoursMinutes(left) + " left of " + card.HoursMinutes(*j.Budget)
		if left < 0 {
			g.Left = card.HoursMinutes(-left) + " past its " + card.HoursMinutes(*j.Budget)
		}
	}
	if j.Cost != "" {
		g.Cost = words.Grouped(j.Cost)
		for _, other := range j.Others { // never added to it
			g.Cost += " and " + words.Grouped(other.Amount) + " " + other.Currency
		}
		g.Cost += " to come"
	}
	if !v.Actor.May("jobs.change") {
		return
	}
	g.WantHref = rosterHref(p.Days, v.Query, "want", j.ID.String()) + "#wanted"
	if v.Query.Get("want") != j.ID.String() {
		return
	}
	g.Want = &wantForm{Job: j.ID.String(), Back: v.Back, From: "07:00", To: "15:30", People: 2,
		First: max(p.Today, p.Days.From), Last: p.Days.To}
	for _, d := range p.Days.Dates() {
		if day := j.Days[d]; day.Wanted > 0 {
			g.Want.People, g.Want.From, g.Want.To = day.Wanted, ofSecond(day.From), ofSecond(day.To)
			break
		}
	}
	for _, d := range []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday, time.Saturday, time.Sunday} {
		g.Want.Weekdays = append(g.Want.Weekdays, weekdayTick{int(d), d.String()[:3], d != time.Saturday && d != time.Sunday})
	}
}

// ofSecond is the time of day of a second of it, as forms have it.
func ofSecond(n int) string {
	return time.Date(2000, 1, 1, 0, 0, n, 0, time.UTC).Format("15:04")
}

// wantPeople says how many people a job wants.
func (s *Server) wantPeople(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.Want{Job: f.ID("job"), Days: when.Period{From: f.Date("first"), To: f.Date("last")}}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.People, err = strconv.Atoi(f.Text("people")); err != nil {
		err = refusal.New("people", "That is no number", "Write a whole number")
	}
	for name, into := range map[string]*time.Duration{"from": &act.From, "to": &act.To} {
		if err == nil {
			if *into, err = when.ParseTimeOfDay(f.Text(name)); err != nil {
				err = refusal.New("when", "That is no time of day", "Write both like 07:00")
			}
		}
	}
	for _, text := range f.Texts("weekday") {
		d, wrong := strconv.Atoi(text)
		if wrong != nil {
			return app.ErrNotFound
		}
		act.Weekdays = append(act.Weekdays, time.Weekday(d))
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, backTo(r, rosterPath), said{Text: "Kept. It stands beside what is planned."})
}
