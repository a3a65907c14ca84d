package web

import (
	"html/template"
	"net/http"
	"time"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/web/draw"
	"manudex/web/words"
)

type sheetsView struct {
	frameView
	Heading, BackHref string
	Day               when.Date
	HasMark           bool // to print on them
	Sheets            []crewSheet
}

// crewSheet is one crew's day on paper.
type crewSheet struct {
	Crew, Lead string
	Axis       template.HTML
	Jobs       []string // numbers, the columns
	People     []sheetPerson
	Sums       []string // of the columns
	Total      string
	Tasks      []sheetTask
}

// sheetPerson is a line of it, to be signed.
type sheetPerson struct {
	Name, Worked, Break, State, Signed, Meals string
	Ribbon                                    template.HTML
	Hours                                     []string // by job
	Flags                                     []string
}

// sheetTask is a foot line: what was worked on a task, and what is left of it.
type sheetTask struct{ Name, Worked, Left string }

// sheetsPage is the day on paper, a page for each crew, to be signed.
func (s *Server) sheetsPage(w http.ResponseWriter, r *http.Request) error {
	days, err := s.daysOf(r)
	if err != nil {
		return err
	}
	p, err := hours.ReadSheets(r.Context(), s.app, visitOf(r).actor, days.From)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := sheetsView{Day: days.From, HasMark: place.HasMark, Heading: days.From.Format("Monday 2 January"),
		BackHref: "/timecards?day=" + days.From.String()}
	for _, c := range p.Crews {
		v.Sheets = append(v.Sheets, crewSheetOf(c, p, place.Loc))
	}
	v.frameView = s.frame(r, "Day sheets", "timecards", p.Around)
	v.Still = true // as a sheet being printed must
	s.pages.write(w, s.log, http.StatusOK, "sheets", v)
	return nil
}

func crewSheetOf(c hours.CrewDay, p *hours.SheetsPage, loc *time.Location) crewSheet {
	axis := axisOf(p.Day, loc)
	axis.Width, axis.Step = 430, 2
	s := crewSheet{Crew: c.Name, Lead: c.Lead, Axis: template.HTML(draw.Hours(nil, axis, loc)), Total: card.HoursMinutes(c.Worked)}
	for _, j := range c.Jobs {
		s.Jobs, s.Sums = append(s.Jobs, j.Number), append(s.Sums, card.HoursMinutes(j.Seconds))
	}
	for _, r := range c.Rows {
		line := sheetPerson{Name: r.Name(), Worked: card.HoursMinutes(r.Worked), Break: card.HoursMinutes(r.Break),
			State:  words.State(r.DayRow, p.SignRequired),
			Ribbon: ribbon(axis, r.DayRow, p.Now), Flags: words.Flags(r.Flags, r.Loc), Meals: mealsOf(r.DayRow)}
		for _, n := range r.ByJob {
			text := ""
			if n > 0 {
				text = card.HoursMinutes(n)
			}
			line.Hours = append(line.Hours, text)
		}
		if r.SignedBy != "" {
			line.Signed = r.SignedBy + ", " + r.SignedAt.In(r.Loc).Format("2 Jan 15:04")
		}
		s.People = append(s.People, line)
	}
	for _, t := range c.Tasks {
		line := sheetTask{Name: t.Number + " " + t.Name, Worked: card.HoursMinutes(t.Today)}
		switch left := t.Estimate - t.Used; {
		case t.Estimate == 0:
		case left >= 0:
			line.Left = card.HoursMinutes(left) + " left of " + card.HoursMinutes(t.Estimate)
		default:
			line.Left = card.HoursMinutes(-left) + " over " + card.HoursMinutes(t.Estimate)
		}
		s.Tasks = append(s.Tasks, line)
	}
	return s
}

// mealsOf says when somebody was at a meal.
func mealsOf(r hours.DayRow) string {
	text := ""
	for _, s := range r.Stints {
		if s.Kind == "meal" {
			if text != "" {
				text += ", "
			}
			text += clockText(s.Start, r.Loc) + "–"
			if !s.Open() {
				text += clockText(s.End, r.Loc)
			}
		}
	}
	return text
}
