package web

import (
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app/leave"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type awayView struct {
	frameView
	*leave.Away
	BySite       bool
	Unit         string
	Groups       []awayGroup
	Head         template.HTML
	Units        []store.Named
	Before, Next string // addresses of the weeks before and after
	Query        template.URL
	People       int
	Short        int // groups that have days on which too few are left
}

type awayGroup struct {
	Name   string
	Says   string // on how many days too few are left, "" for none
	Least  int
	Counts template.HTML
	Rows   []awayRow
}

type awayRow struct {
	Name  string
	Words string
	Bands template.HTML
}

// awayDay is how wide a day is drawn.
const awayDay = 24

// awayPage draws who is away.
func (s *Server) awayPage(w http.ResponseWriter, r *http.Request) error {
	asked, err := askedAway(r)
	if err != nil {
		return err
	}
	p, err := leave.ReadAway(r.Context(), s.app, visitOf(r).actor, asked)
	if err != nil {
		return err
	}
	v := awayView{Away: p, BySite: asked.BySite, Query: template.URL(awayQuery(asked, p.Days))}
	if asked.Unit != uuid.Nil {
		v.Unit = asked.Unit.String()
	}
	axis := draw.BandAxis{Days: p.Days, Each: awayDay, Today: p.Today, Off: p.Off}
	for _, x := range p.Windows {
		if x.Closed {
			axis.Shut = append(axis.Shut, when.Period{From: x.From, To: x.To})
		}
	}
	v.Head = template.HTML(draw.BandHead(nil, axis))
	for _, g := range p.Groups {
		group := awayGroupOf(g, axis)
		v.People += len(g.Rows)
		if group.Says != "" {
			v.Short++
		}
		v.Groups = append(v.Groups, group)
	}
	days := when.Date(p.Days.Days())
	v.Before = awayQuery(asked, when.Period{From: p.Days.From - days, To: p.Days.From - 1})
	v.Next = awayQuery(asked, when.Period{From: p.Days.To + 1, To: p.Days.To + days})
	units, err := store.Units(r.Context(), s.app.DB)
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	v.Units = slices.DeleteFunc(units, func(u store.Named) bool { return !actor.Reaches("leave.manage", u.ID, u.ID) })
	if v.frameView, err = s.stillFrame(r, "Who is away", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave-away", v)
	return nil
}

func askedAway(r *http.Request) (asked leave.AskedAway, err error) {
	f := form.Of(r)
	asked = leave.AskedAway{Days: when.Period{From: f.MaybeDate("from"), To: f.MaybeDate("to")}, BySite: f.Text("by") == "site"}
	asked.Unit, _ = uuid.Parse(f.Text("unit")) // none is all
	if asked.Days.From != 0 && asked.Days.To == 0 {
		asked.Days.To = asked.Days.From + 41
	}
	return asked, f.Err()
}

func awayQuery(asked leave.AskedAway, days when.Period) string {
	q := "from=" + days.From.String() + "&to=" + days.To.String()
	if asked.BySite {
		q += "&by=site"
	}
	if asked.Unit != uuid.Nil {
		q += "&unit=" + asked.Unit.String()
	}
	return q
}

func awayGroupOf(g leave.AwayGroup, axis draw.BandAxis) awayGroup {
	v := awayGroup{Name: g.Name, Least: g.Least}
	counts, short := countsOf(g.Counts, g.Least)
	if short > 0 {
		v.Says = "on " + words.Plural(short, "day", "days") + " fewer than " + fmt.Sprint(g.Least) + " are left"
	}
	said := "left to work each day"
	if v.Says != "" {
		said = v.Says
	}
	v.Counts = template.HTML(draw.BandCounts(nil, axis, counts, said))
	for _, r := range g.Rows {
		row := awayRow{Name: r.Name, Words: bandWords(r.Bands)}
		row.Bands = template.HTML(draw.BandRow(nil, axis, bandsOf(r.Bands), row.Words))
		v.Rows = append(v.Rows, row)
	}
	return v
}

func countsOf(all []leave.Count, least int) (counts []draw.BandCount, short int) {
	for _, c := range all {
		counts = append(counts, draw.BandCount{Left: c.Left(), Expected: c.Expected, Short: c.Short(c.Left(), least)})
		if counts[len(counts)-1].Short {
			short++
		}
	}
	return counts, short
}

func bandsOf(all []leave.AwayBand) []draw.Band {
	bands := make([]draw.Band, len(all))
	for i, b := range all {
		bands[i] = draw.Band{Days: b.Days, Label: b.Kind, Asked: b.Asked}
		if b.Asked {
			bands[i].Label += "?"
		}
	}
	return bands
}

func bandWords(all []leave.AwayBand) string {
	said := make([]string, len(all))
	for i, b := range all {
		said[i] = b.Kind + " " + words.Span(b.Days)
		if b.Asked {
			said[i] += ", asked for"
		}
	}
	return strings.Join(said, "; ")
}

// nearMost is of how many people the bands beside a request are drawn.
const nearMost = 7

// nearBands draws who of a crew is away around a request.
func nearBands(n leave.Near) template.HTML {
	axis := draw.BandAxis{Days: n.Days, Each: max(8, min(16, 300/float64(n.Days.Days()))), Off: n.Off}
	counts, _ := countsOf(n.Counts, n.Least)
	var names, said []string
	var rows [][]draw.Band
	for i, r := range n.Rows {
		if i == nearMost {
			names, rows = append(names, fmt.Sprintf("and %d more", len(n.Rows)-i)), append(rows, nil)
			break
		}
		names, rows = append(names, clipped(r.Name, 16)), append(rows, bandsOf(r.Bands))
		said = append(said, r.Name+": "+bandWords(r.Bands))
	}
	return template.HTML(draw.BandsOf(nil, axis, names, rows, counts, strings.Join(said, ". ")))
}

// clipped is a name with at most so many letters.
func clipped(name string, most int) string {
	if letters := []rune(name); len(letters) > most {
		return string(letters[:most-1]) + "…"
	}
	return name
}

// awayCalendar is who is away, for a calendar.
func (s *Server) awayCalendar(w http.ResponseWriter, r *http.Request) error {
	asked, err := askedAway(r)
	if err != nil {
		return err
	}
	events, err := leave.AwayEvents(r.Context(), s.app, visitOf(r).actor, asked)
	if err != nil {
		return err
	}
	return s.calendar(w, r, "attachment", "away.ics", events)
}

type losingView struct {
	frameView
	*leave.Lost
	Rows []losingRow
}

type losingRow struct {
	Employment, Name, Unit, Kind, Amount, Why string
	On                                        when.Date
	Own                                       bool
}

// losingPage lists who will lose leave before the year ends.
func (s *Server) losingPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	until := f.MaybeDate("until")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := leave.ReadLosing(r.Context(), s.app, visitOf(r).actor, until)
	if err != nil {
		return err
	}
	v := losingView{Lost: p}
	for _, x := range p.List {
		v.Rows = append(v.Rows, losingRow{Employment: x.Employment.String(), Name: x.Name, Unit: x.UnitName, Kind: x.Kind,
			Amount: amountIn(x.Amount.Exact(), x.InDays), Why: lineWords[x.Why], On: x.Date, Own: x.Own})
	}
	if v.frameView, err = s.stillFrame(r, "Leave that will be lost", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave-lost", v)
	return nil
}

// tellLosing tells those who are ticked.
func (s *Server) tellLosing(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.TellLosing{Until: f.MaybeDate("until")}
	if err := f.Err(); err != nil {
		return err
	}
	for _, text := range f.Texts("who") {
		id, err := uuid.Parse(text)
		if err != nil {
			return err
		}
		act.Employments = append(act.Employments, id)
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/leave/lost",
		said{Text: "Told: " + words.Plural(len(act.Employments), "person", "people") + "."})
}
