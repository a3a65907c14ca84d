package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/web/form"
)

const byHandPath = "/byhand"

type byHandView struct {
	frameView
	*hours.ReportPage
	Blocks   []byHandBlock
	Before   string // addresses of the periods before and after
	After    string
	Self     string // of this one
	Of       string // whose, "" for one's own
	Title    string
	DayLinks []byHandDay
}

// byHandBlock is a position as the page shows it.
type byHandBlock struct {
	*hours.ReportBlock
	ID       string
	Heading  string
	Of, Self string
	Days     []byHandDay
	Lines    []byHandLine
	Options  []crewOption
	Accounts bool
	Words    []app.AccountWord
	SignID   string
	Digest   string
	LineID   string
	Missing  int64 // of what was planned of days that are over, and stands nowhere
	Signs    bool
	Mine     bool
	Day      when.Date // on which a line that is added begins
	Word     app.JobWord
	Rows     []byHandAsked
}

// byHandAsked is what is asked of each day beside the hours.
type byHandAsked struct {
	Name  string
	Cells []dayAsk
}

type byHandDay struct {
	hours.ReportDay
	ID   string
	On   bool // a narrow screen shows it
	Href string
	Tell string // how its card stands
	Card string // what stands there, where it isn't what was written
}

type byHandLine struct {
	Name, Task, Account string
	Choice              string
	Cells               []byHandCell
	SumID               string
	Sum                 int64
}

// byHandCell is one length of time.
type byHandCell struct {
	ID, Of, Choice, Account, Value, Wrong, Label string
	Employment                                   string
	Date                                         when.Date
	On, Still                                    bool // a narrow screen shows it; it can't be written
	New                                          string
}

// Vals are what the cell sends with what is typed, as JSON.
func (c byHandCell) Vals() (string, error) {
	sent := map[string]string{"id": c.New, "employment": c.Employment, "date": c.Date.String(), "choice": c.Choice, "account": c.Account,
		"of": c.Of, "on": yesIf(c.On)}
	b, err := json.Marshal(sent)
	return string(b), err
}

// byHandAddress is the address of the period around a day.
func byHandAddress(of string, day when.Date) string {
	q := url.Values{"day": {day.String()}}
	if of != "" {
		q.Set("of", of)
	}
	return byHandPath + "?" + q.Encode()
}

// byHandPage is a pay period of hours by hand.
func (s *Server) byHandPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	day, of := f.MaybeDate("day"), f.MaybeID("of")
	if err := f.Err(); err != nil {
		return err
	}
	v, err := s.byHand(r.Context(), visitOf(r).actor, of, day)
	if err != nil {
		return err
	}
	v.Around.Picked = when.Period{From: v.Picked, To: v.Picked}
	v.frameView = s.frame(r, "Hours by hand", "byhand", v.Around)
	v.Still = true // what is being written stays
	s.pages.write(w, s.log, http.StatusOK, "byhand", v)
	return nil
}

func (s *Server) byHand(ctx context.Context, actor app.Actor, of uuid.UUID, day when.Date) (*byHandView, error) {
	p, err := hours.ReadReportPage(ctx, s.app, actor, of, day)
	if err != nil {
		return nil, err
	}
	v := &byHandView{ReportPage: p, Title: spanTitle(p.Period)}
	if !p.Own {
		v.Of = p.Person.String()
	}
	days := p.Period.To - p.Period.From + 1
	v.Before, v.After, v.Self = byHandAddress(v.Of, p.Picked-days), byHandAddress(v.Of, p.Picked+days), byHandAddress(v.Of, p.Picked)
	for i := range p.Blocks {
		v.Blocks = append(v.Blocks, v.block(&p.Blocks[i]))
	}
	if len(v.Blocks) > 0 {
		v.DayLinks = v.Blocks[0].Days
	}
	return v, nil
}

func spanTitle(p when.Period) string {
	return p.From.Format("2 January") + " – " + p.To.Format("2 January 2006")
}

// block readies a position for the page.
func (v *byHandView) block(b *hours.ReportBlock) byHandBlock {
	id := b.ID.String()
	heading := b.UnitName
	if b.Title != "" {
		heading = b.Title + ", " + b.UnitName
	}
	out := byHandBlock{ReportBlock: b, ID: id, Heading: heading, Of: v.Of, Self: v.Self, Options: crewOptions(b.Choices, b.Classes),
		Accounts: v.Accounts && b.Coding != "absent", Words: v.ReportPage.Words, SignID: newID().String(), LineID: newID().String(),
		Digest: hours.Digest(b.ToSign), Signs: v.Signs, Mine: v.Own, Day: v.Picked, Word: v.Around.Word}
	for _, d := range b.Days {
		day := byHandDay{ReportDay: d, ID: id[:8] + "-" + d.Date.String(), On: d.Date == v.Picked, Href: byHandAddress(v.Of, d.Date)}
		if d.Worked != d.Sum && (d.Worked > 0 && d.Over || d.State != card.Open) {
			day.Card = card.HoursMinutes(d.Worked)
		}
		switch {
		case d.State != card.Open:
			day.Tell = string(d.State)
		case d.ByPlan:
			day.Tell = "by plan"
		case d.Over && d.Sum == 0 && d.Expected > 0 && d.Worked == 0:
			day.Tell = "nothing yet"
			out.Missing += d.Expected
		}
		out.Days = append(out.Days, day)
	}
	for _, row := range b.Asked {
		asked := byHandAsked{Name: row.Name}
		for i, value := range row.Values {
			day := out.Days[i]
			asked.Cells = append(asked.Cells, dayAsk{AskedOf: hours.AskedOf{DayField: row.DayField, Value: value}, ID: newID().String(),
				Base: "/cards/" + id + "/" + day.Date.String(), Back: v.Self, Options: strings.Split(row.Choices, "\n"),
				May: day.State != card.Approved && day.State != card.Paid || !v.Own, On: day.On,
				Sends: row.Name + ", " + day.Date.Format("2 January")})
		}
		out.Rows = append(out.Rows, asked)
	}
	for n, l := range b.Lines {
		line := byHandLine{Name: strings.TrimSpace(l.JobNumber + " " + l.JobName), Task: strings.Trim(l.TaskName+", "+l.ClassName, ", "),
			Account: l.On.Account, Choice: workKey(l.On), SumID: fmt.Sprintf("sum-%s-%d", id[:8], n), Sum: l.Sum}
		for i, seconds := range l.Cells {
			day := out.Days[i]
			cell := byHandCell{ID: fmt.Sprintf("cell-%s-%d-%s", id[:8], n, day.Date), Of: v.Of, Choice: line.Choice, Account: line.Account,
				Employment: id, Date: day.Date, On: day.On, New: newID().String(), Label: line.Name + " " + line.Task + ", " +
					day.Date.Format("2 January"),
				Still: !b.Writes || v.Own && (day.State == card.Approved || day.State == card.Paid)}
			if seconds > 0 {
				cell.Value = card.HoursMinutes(seconds)
			}
			line.Cells = append(line.Cells, cell)
		}
		out.Lines = append(out.Lines, line)
	}
	return out
}

// workKey names what was worked on, as [crewWork] reads it.
func workKey(on clock.Assignment) string {
	if on.Job == uuid.Nil {
		return ""
	}
	key := on.Job.String()
	if on.Task != uuid.Nil {
		key += "." + on.Task.String()
	}
	if on.Class != uuid.Nil {
		key += "~" + on.Class.String()
	}
	return key
}

// reportOf reads what a form says of hours by hand.
func reportOf(r *http.Request) (act hours.ReportHours, of uuid.UUID, err error) {
	f := form.Of(r)
	act = hours.ReportHours{ID: f.ID("id"), Employment: f.ID("employment"), Date: f.Date("date"), Hours: f.Text("hours")}
	of = f.MaybeID("of")
	if err = f.Err(); err != nil {
		return act, of, err
	}
	if choice := f.Text("choice"); choice != "" {
		if act.On, err = crewWork(choice); err != nil {
			return act, of, err
		}
	}
	act.On.Account = f.Text("account")
	return act, of, nil
}

// reportCell keeps one length of time as it was typed, and answers with its cell and the sums.
func (s *Server) reportCell(w http.ResponseWriter, r *http.Request) error {
	act, of, err := reportOf(r)
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	var refused *refusal.Refusal
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	v, err := s.byHand(r.Context(), visitOf(r).actor, of, act.Date)
	if err != nil {
		return err
	}
	for _, b := range v.Blocks {
		for _, l := range b.Lines {
			for _, c := range l.Cells {
				if b.ReportBlock.ID != act.Employment || c.Date != act.Date || c.Choice != workKey(act.On) || c.Account != act.On.Account {
					continue
				}
				// The page shows the day that it did, whichever was written.
				if refused != nil {
					c.Value, c.Wrong = act.Hours, refused.Wrong+". "+refused.Right
				}
				c.On = r.FormValue("on") == "yes"
				s.pages.writePart(w, s.log, http.StatusOK, "byhand", "reported", map[string]any{"Cell": c, "Line": l, "Block": b,
					"Day": b.Days[int(act.Date-v.Period.From)], "Shown": c.On})
				return nil
			}
		}
	}
	return app.ErrNotFound
}

// reportLine adds a line, with no hours on it yet.
func (s *Server) reportLine(w http.ResponseWriter, r *http.Request) error {
	act, of, err := reportOf(r)
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, byHandAddress(ofText(of), act.Date), said{Text: "The line is added."})
}

func ofText(of uuid.UUID) string {
	if of == uuid.Nil {
		return ""
	}
	return of.String()
}

// reportLike begins the period as the one before.
func (s *Server) reportLike(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.ReportLike{Employment: f.ID("employment"), Days: when.Period{From: f.Date("from"), To: f.Date("to")},
		Hours: f.Yes("hours")}
	of, day := f.MaybeID("of"), f.Date("day")
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), byHandAddress(ofText(of), day),
		said{Text: "Begun as the period before."})
}

// signReported signs the days of a position that are over.
func (s *Server) signReported(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.SignReported{ID: f.ID("id"), Employment: f.ID("employment"), Days: when.Period{From: f.Date("from"), To: f.Date("to")},
		Seen: f.Text("seen")}
	day := f.Date("day")
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), byHandAddress("", day), said{Text: "The days are signed."})
}

// reportJobs answers the search for a job with options to choose from.
func (s *Server) reportJobs(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	employment := f.ID("employment")
	if err := f.Err(); err != nil {
		return err
	}
	var options []crewOption
	if text := strings.TrimSpace(f.Text("job")); text != "" {
		choices, classes, err := hours.ReportChoices(r.Context(), s.app, visitOf(r).actor, employment, text)
		if err != nil {
			return err
		}
		options = crewOptions(choices, classes)
	}
	s.pages.writePart(w, s.log, http.StatusOK, "byhand", "joboptions", options)
	return nil
}
