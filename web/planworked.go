package web

import (
	"bytes"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"manudex/app/roster"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
)

type workedView struct {
	frameView
	*roster.Worked
	Heading   string
	Kinds     []spanLink
	Units     []store.Named
	Unit      string
	Lines     []workedLine
	Over      string
	CSV, XLSX string
}

type workedLine struct {
	Name, More, Href, Planned, Worked, Over string
	Picture                                 template.HTML
}

// byWords are what planned and worked hours are held against each other by.
var byWords = map[string]string{"person": "Person", "job": "Job", "crew": "Crew", "site": "Site", "day": "Day", "week": "Week"}

// workedOf reads planned against worked as the address asks for it.
func (s *Server) workedOf(r *http.Request) (*roster.Worked, error) {
	f := form.Of(r)
	days, by, unit := when.Period{From: f.MaybeDate("from"), To: f.MaybeDate("to")}, f.Text("by"), f.MaybeID("unit")
	if err := f.Err(); err != nil {
		return nil, err
	}
	if by == "" {
		by = roster.WorkedBy[0]
	}
	if days.From == 0 || days.To == 0 {
		days = when.Period{}
	}
	p, err := roster.ReadWorked(r.Context(), s.app, visitOf(r).actor, days, by, unit)
	if err == nil {
		for i := range p.Rows {
			p.Rows[i].Name = workedName(p.By, p.Rows[i])
		}
	}
	return p, err
}

// workedName is how a row is called.
func workedName(by string, row store.PlannedWorked) string {
	switch d, err := when.ParseDate(row.Key); {
	case by == "day" && err == nil:
		return d.Format("Monday 2 January")
	case by == "week" && err == nil:
		return "Week of " + d.Format("2 January")
	case row.Name == "":
		return "no job"
	}
	return row.Name
}

// workedHref is where the cards of a row are.
func workedHref(p *roster.Worked, row store.PlannedWorked) string {
	v := url.Values{"from": {p.Days.From.String()}, "to": {p.Days.To.String()}}
	switch d, err := when.ParseDate(row.Key); {
	case p.By == "day" && err == nil:
		v.Set("from", row.Key)
		v.Set("to", row.Key)
	case p.By == "week" && err == nil:
		v.Set("from", max(d, p.Days.From).String())
		v.Set("to", min(d+6, p.Days.To).String())
	case p.By == "person", p.By == "job":
		if row.Key == "" {
			v.Set("q", "no job")
		}
	case p.By == "crew":
		v.Set("unit", row.Key)
	case p.By == "site":
		v.Set("site", row.Key)
	}
	if p.By == "person" {
		v.Set("q", row.Name)
	}
	if p.By == "job" && row.Key != "" {
		v.Set("job", row.Key)
	}
	return "/timecards?" + v.Encode()
}

// workedPage holds what was planned against what was worked.
func (s *Server) workedPage(w http.ResponseWriter, r *http.Request) error {
	p, err := s.workedOf(r)
	if err != nil {
		return err
	}
	values := r.URL.Query()
	here := url.Values{"from": {p.Days.From.String()}, "to": {p.Days.To.String()}, "by": {p.By}}
	if unit := values.Get("unit"); unit != "" {
		here.Set("unit", unit)
	}
	v := workedView{Worked: p, Heading: daysWords(p.Days), Unit: values.Get("unit"), Over: signedHours(p.Worked - p.Planned),
		CSV: rosterPath + "/worked.csv?" + here.Encode(), XLSX: rosterPath + "/worked.xlsx?" + here.Encode()}
	for _, by := range roster.WorkedBy {
		other := url.Values{}
		for k := range here {
			other.Set(k, here.Get(k))
		}
		other.Set("by", by)
		v.Kinds = append(v.Kinds, spanLink{byWords[by], rosterPath + "/worked?" + other.Encode(), by == p.By})
	}
	units, err := store.Units(r.Context(), s.app.DB)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	v.Units = slices.DeleteFunc(units, func(u store.Named) bool { return !actor.Reaches("roster.see", u.ID, u.ID) })
	for _, row := range p.Rows {
		v.Lines = append(v.Lines, workedLine{Name: row.Name, More: row.More, Href: workedHref(p, row),
			Planned: card.HoursMinutes(row.Planned),
			Worked:  card.HoursMinutes(row.Worked), Over: signedHours(row.Over()),
			Picture: template.HTML(draw.Against(nil, row.Planned, row.Worked, p.Most))})
	}
	if v.frameView, err = s.stillFrame(r, "Planned against worked", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "roster-worked", v)
	return nil
}

// signedHours writes a difference with its sign.
func signedHours(seconds int64) string {
	if seconds > 0 {
		return "+" + card.HoursMinutes(seconds)
	}
	return card.HoursMinutes(seconds)
}

// workedFile gives it as CSV or as a workbook.
func (s *Server) workedFile(kind string) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		p, err := s.workedOf(r)
		if err != nil {
			return err
		}
		head := []string{byWords[p.By], "Crew", "Cards", "Planned hours", "Worked hours", "Difference hours", "Planned seconds",
			"Worked seconds"}
		name := "planned-worked-" + p.Days.From.String() + "-" + p.Days.To.String() + "." + kind
		if kind == "csv" {
			rows := make([][]string, len(p.Rows))
			for i, row := range p.Rows {
				rows[i] = []string{row.Name, row.More, strconv.Itoa(row.Cards), decimalHours(row.Planned), decimalHours(row.Worked),
					decimalHours(row.Over()), strconv.FormatInt(row.Planned, 10), strconv.FormatInt(row.Worked, 10)}
			}
			return writeCSV(w, name, head, rows)
		}
		rows := make([][]any, len(p.Rows))
		for i, row := range p.Rows {
			rows[i] = []any{row.Name, row.More, row.Cards, float64(row.Planned) / 3600, float64(row.Worked) / 3600,
				float64(row.Over()) / 3600,
				row.Planned, row.Worked}
		}
		var b bytes.Buffer
		if err := files.WriteWorkbook(&b, "Planned and worked", head, rows); err != nil {
			return err
		}
		h := w.Header()
		h.Set("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
		h.Set("Content-Disposition", `attachment; filename="`+name+`"`)
		h.Set("Cache-Control", "no-store")
		_, err = w.Write(b.Bytes())
		return err
	}
}

// decimalHours writes seconds as decimal hours.
func decimalHours(seconds int64) string {
	return strconv.FormatFloat(float64(seconds)/3600, 'f', 4, 64)
}
