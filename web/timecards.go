package web

import (
	"context"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type timecardsView struct {
	frameView
	*hours.Desk
	L                      listQuery
	Heading, Show          string
	Find                   findBar
	AllHref, SheetsHref    string
	Sentence               []filterWord
	From, To               when.Date
	Back, BatchID          string
	Span                   bool
	Ticks                  bool // rows can be ticked, to change or approve several
	Hours                  template.HTML
	Rows                   []timecardRow
	MoreHref               string
	EmptyTitle, EmptyWords string
}

// filterWord is "38 clear" and the address that shows only those.
type filterWord struct {
	countWord
	Href string
	On   bool
}

type timecardRow struct {
	hours.DayRow
	Href, First, Second, StateWord string
	WorkedNow, OverNow             int64
	OverIs                         bool // see dayOver
	Ribbon                         template.HTML
	FlagWords                      []string
	Ticks                          bool
	Do                             *rowAct
}

// rowAct is the one thing a row offers to do.
type rowAct struct{ Action, Label, Style, Key, Back string }

func (s *Server) timecardsPage(w http.ResponseWriter, r *http.Request) error {
	begun := time.Now()
	q, err := s.deskQuery(r.Context(), r.URL.Query(), s.app.Now())
	if err != nil {
		return err
	}
	desk, p, err := listOf(s, w, r, func() (*hours.Desk, error) {
		return hours.ReadDesk(r.Context(), s.app, visitOf(r).actor, q)
	})
	if err != nil {
		return err
	}
	rows, more := desk.Rows, desk.More
	if !p.first {
		if rows, more, err = desk.Piece(r.Context(), s.app, p.offset, p.rows); err != nil {
			return err
		}
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	actor, back := visitOf(r).actor, whole(r.URL)
	v := timecardsHead(r.URL, desk)
	v.Hours = template.HTML(draw.Hours(nil, axisOf(q.Days.From, place.Loc), place.Loc))
	for _, row := range rows {
		v.Rows = append(v.Rows, timecardRowOf(actor, back, row, desk))
	}
	v.MoreHref = p.next(r, more)
	if !p.first {
		s.pages.writePart(w, s.log, http.StatusOK, "timecards", "cardrows", v)
		return nil
	}
	v.frameView = s.frame(r, "Timecards", "timecards", desk.Around)
	v.Ticks = actor.May("time.edit")
	switch {
	case q.Person != uuid.Nil:
		v.Whose = q.Person.String()
	case q.Job == uuid.Nil && q.Among.None() && q.Sort.By == "" && q.Text == "" && !q.Changed:
		v.follow(r, begun)
	}
	s.pages.write(w, s.log, http.StatusOK, "timecards", v)
	return nil
}

// deskQuery reads what the desk is asked to show. A person or job without
// days is shown for the whole pay period.
func (s *Server) deskQuery(ctx context.Context, values url.Values, now time.Time) (q hours.DeskQuery, err error) {
	q.Text, q.Changed = strings.TrimSpace(values.Get("q")), values.Has("changed")
	for name, id := range map[string]*uuid.UUID{"person": &q.Person, "job": &q.Job} {
		if text := values.Get(name); text != "" {
			if *id, err = uuid.Parse(text); err != nil {
				return q, app.ErrNotFound
			}
		}
	}
	list := listQuery{"/timecards", values}
	if q.Among, err = list.among(); err != nil {
		return q, err
	}
	q.Sort = list.sorting()
	q.Show = card.Class(values.Get("show"))
	if q.Days, err = s.daysIn(ctx, values, now); err != nil {
		return q, err
	}
	if !values.Has("day") && !values.Has("from") && (q.Person != uuid.Nil || q.Job != uuid.Nil) {
		place, err := s.app.Company(ctx)
		if err != nil {
			return q, err
		}
		if q.Days, err = place.Periods().Of(q.Days.From); err != nil {
			return q, err
		}
	}
	return q, nil
}

// timecardsHead is what stands above the rows of a desk at an address.
func timecardsHead(at *url.URL, d *hours.Desk) timecardsView {
	q := d.Query
	v := timecardsView{Desk: d, L: listQueryAt(at), Show: string(q.Show), From: q.Days.From, To: q.Days.To, Span: spans(d),
		BatchID: newID().String(), Back: at.RequestURI()}
	v.Heading = words.DayFrom(q.Days.From, d.Today)
	if v.Span {
		v.Heading = words.SpanFrom(q.Days, d.Today)
	}
	if d.About != "" {
		v.Heading = d.About + ", " + words.SpanFrom(q.Days, d.Today)
	} else if d.Counts.Cards > 0 && !v.Span {
		v.SheetsHref = "/timecards/sheets?day=" + q.Days.From.String()
	}
	v.AllHref = withQuery(at, "show", "")
	v.Find = findBarOf(at, d)
	for _, c := range []struct {
		class card.Class
		n     int
		word  string
	}{{card.Clear, d.Counts.Clear, "clear"}, {card.Flagged, d.Counts.Flagged, "flagged"},
		{card.NotSigned, d.Counts.NotSigned, "not signed"},
		{card.Running, d.Counts.Running, "running"}, {card.Done, d.Counts.Done, "approved"}, {card.ToCome, d.Counts.ToCome, "to come"}} {
		if c.n > 0 || c.class == q.Show {
			v.Sentence = append(v.Sentence,
				filterWord{countWord{c.n, c.word}, withQuery(at, "show", string(c.class)), c.class == q.Show})
		}
	}
	v.EmptyTitle, v.EmptyWords = "No cards on this day", "Nobody was planned, expected or clocked. Choose another day on the rail above."
	if d.Counts.Cards > 0 {
		v.EmptyTitle, v.EmptyWords = "None of the cards is in that state now", "Press the number of cards above to see them all again."
	}
	return v
}

// spans says whether a desk shows more than one day.
func spans(d *hours.Desk) bool { return d.Query.Days.Days() > 1 }

// timecardRowOf is a card as an actor sees it on a desk, which an act on it
// goes back to.
func timecardRowOf(actor app.Actor, back string, row hours.DayRow, d *hours.Desk) timecardRow {
	t := timecardRow{DayRow: row, Href: cardHref(row), First: row.Name(), Second: row.UnitName, StateWord: words.State(row, d.SignRequired),
		FlagWords: words.Flags(row.Flags, row.Loc)}
	if spans(d) {
		t.First, t.Second = row.Date.Format("Mon 2 Jan"), row.Name()
	}
	t.Ticks = actor.May("time.edit")
	t.WorkedNow = row.Live(d.Now, d.Limits)
	t.OverNow, t.OverIs = t.WorkedNow-row.Due(), dayOver(row, d.Now)
	t.Ribbon = ribbon(axisOf(row.Date, row.Loc), row, d.Now)
	base := cardHref(row)
	switch {
	case row.Running() || row.Date > d.Today:
	case row.State == card.Open && d.SignRequired && actor.Scope("card.sign") >= app.Crew &&
		actor.Reaches("card.sign", row.Person, row.Unit) && (row.Worked > 0 || row.Leave > 0):
		t.Do = &rowAct{base + "/sign", "Sign", "btn-outline-primary", "s", back}
	case row.Class == card.Clear && actor.Reaches("card.approve", row.Person, row.Unit) && !row.Own:
		t.Do = &rowAct{base + "/approve", "Approve", "btn-outline-primary", "a", back}
	case row.State == card.Approved && actor.Reaches("card.take_back", row.Person, row.Unit) && !row.Own:
		t.Do = &rowAct{base + "/take-back", "Take back", "btn-outline-secondary", "", back}
	}
	return t
}

// withQuery is an address with one value of its query changed.
func withQuery(u *url.URL, name, value string) string {
	q := u.Query()
	q.Set(name, value)
	if value == "" {
		q.Del(name)
	}
	q.Del("offset")
	q.Del("as")
	return (&url.URL{Path: u.Path, RawQuery: q.Encode()}).RequestURI()
}

// whole is the address of a page that a piece of its list was asked for.
func whole(u *url.URL) string {
	if !u.Query().Has("offset") {
		return u.RequestURI()
	}
	return withQuery(u, "offset", "")
}

func newID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

// bulk reads the form of a move on all cards that are ready: of some days, and of
// those alone that were looked for, where something was.
func (s *Server) bulk(r *http.Request) (days when.Period, only []hours.CardRef, id uuid.UUID, err error) {
	f := form.Of(r)
	days, id = when.Period{From: f.Date("from"), To: f.Date("to")}, f.ID("id")
	if err := f.Err(); err != nil || days.To < days.From || days.To-days.From > 62 {
		return days, nil, id, app.ErrNotFound
	}
	if f.Text("find") == "" {
		return days, nil, id, nil
	}
	values, err := url.ParseQuery(f.Text("find"))
	if err != nil {
		return days, nil, id, app.ErrNotFound
	}
	values.Set("from", days.From.String())
	values.Set("to", days.To.String())
	q, err := s.deskQuery(r.Context(), values, s.app.Now())
	if err != nil {
		return days, nil, id, err
	}
	d, err := hours.ReadDesk(r.Context(), s.app, visitOf(r).actor, q)
	if err != nil {
		return days, nil, id, err
	}
	return days, d.Refs(), id, nil
}

func (s *Server) approveClear(w http.ResponseWriter, r *http.Request) error {
	days, only, id, err := s.bulk(r)
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, hours.ApproveClear{Days: days, Only: only, Seen: r.FormValue("seen"), ID: id})
	words := said{Undo: "/undo", UndoLabel: "Take them back", Batch: id.String()}
	if err == nil {
		words.Text = "Approved " + s.batchWords(r, id) + "."
	}
	return s.done(w, r, err, backTo(r, "/timecards"), words)
}

func (s *Server) batchWords(r *http.Request, id uuid.UUID) string {
	acts, err := store.CardActsBatch(r.Context(), s.app.DB, id)
	if err != nil {
		s.log.Warn("count what was done", "err", err)
	}
	return words.Plural(len(acts), "card", "cards")
}

func (s *Server) signClear(w http.ResponseWriter, r *http.Request) error {
	days, only, id, err := s.bulk(r)
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, hours.SignClear{Days: days, Only: only, Seen: r.FormValue("seen"), ID: id})
	var words said
	if err == nil {
		words.Text = "Signed " + s.batchWords(r, id) + "."
	}
	return s.done(w, r, err, backTo(r, "/timecards"), words)
}
