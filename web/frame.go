package web

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/words"
)

// frameView is what the page around a screen shows: the bar, the rail, what
// was just done.
type frameView struct {
	Title   string
	Actor   app.Actor
	Here    string // the screen, as in the bar
	Frame   *app.Frame
	Rail    []railDay
	RailEnd string
	Closes  words.Local // from when the period can be closed
	Prev    string      // addresses of the days before and after
	Next    string
	Goes    string // the screen on which another day is chosen
	Said    *said
	Still   bool // the page is not read anew

	// What keeps the page up to date: rows of the stream, when it is a list that
	// was read at a moment; else it is read anew, only because of one person where
	// it shows nobody else's.
	Feed  string
	As    int64 // Unix milliseconds
	Whose string
}

// LeadsCrew says whether whoever reads leads a crew, and so fills its sheet.
func (v frameView) LeadsCrew() bool { return len(v.Actor.LeadsUnits) > 0 && v.Actor.May("clock.other") }

// GuidePage is the page of the guide about the screen, "" where there is none.
func (v frameView) GuidePage() string {
	if v.Here == "guide" || v.Here == "find" {
		return ""
	}
	return v.Here
}

// Word is the company's own word for a job.
func (v frameView) Word() app.JobWord {
	if v.Frame == nil || v.Frame.Word == "" {
		return "job"
	}
	return v.Frame.Word
}

// stillFrame is the page around a screen that has no day to choose and is not
// read anew while somebody works on it.
func (s *Server) stillFrame(r *http.Request, title, here string) (frameView, error) {
	f, err := s.app.ReadFrame(r.Context(), visitOf(r).actor, when.Period{})
	if err != nil {
		return frameView{}, err
	}
	v := s.frame(r, title, here, f)
	v.Rail, v.Still = nil, true
	return v, nil
}

// railDay is one day of the rail.
type railDay struct {
	store.RailDay
	Href    string
	On      bool
	Future  bool
	Strokes template.HTML
	Mark    string // how many cards are open, or a tick
	Words   string
	Ends    bool   // a group's pay period ends on it,
	Closes  bool   // or its run can be closed from it
	PayDay  string // whose
	EndOf   string // whose period ends, as far as a day has room for it
}

// said is what the page says about the act before it, with its undo.
type said struct {
	Text, Undo, UndoLabel string
	Batch                 string
	Refused               bool
}

func (s *Server) frame(r *http.Request, title, here string, f *app.Frame) frameView {
	v := frameView{Title: title, Here: here, Frame: f, Actor: visitOf(r).actor, Said: s.takeSaid(r)}
	v.rail(r.URL)
	return v
}

// rail lays out the days of the frame for a page at an address.
func (v *frameView) rail(at *url.URL) {
	f := v.Frame
	if f == nil || len(f.Days) == 0 {
		return
	}
	var most int64
	open := 0
	for _, d := range f.Days {
		most = max(most, d.Worked)
		if d.Open > 0 && d.Date < f.Today {
			open++
		}
	}
	for _, d := range f.Days {
		day := dayOfRail(at, f, d, most)
		day.paysOn(f)
		v.Rail = append(v.Rail, day)
	}
	v.RailEnd, v.Closes = "every day is approved", words.At(f.ClosesAt, f.ClosesAt.Location())
	if open > 0 {
		v.RailEnd = words.Plural(open, "day", "days") + " still open"
	}
	v.Goes, _, _ = strings.Cut(dayHref(at, f.Picked.From), "?")
	v.Prev, v.Next = dayHref(at, f.Picked.From-1), dayHref(at, f.Picked.To+1)
}

func dayOfRail(at *url.URL, f *app.Frame, d store.RailDay, most int64) railDay {
	rd := railDay{RailDay: d, Href: dayHref(at, d.Date), On: f.Picked.Holds(d.Date), Future: d.Date > f.Today}
	rd.Words = d.Date.Format("Monday 2 January")
	if rd.Future {
		return rd
	}
	rd.Strokes = template.HTML(draw.Strokes(nil, d.Worked, d.Approved, most))
	switch {
	case d.Cards == 0:
	case d.Open > 0:
		rd.Mark = strconv.Itoa(d.Open)
		rd.Words += ", " + words.Plural(d.Open, "card", "cards") + " still open"
	default:
		rd.Mark = "✓"
		rd.Words += ", all approved"
	}
	return rd
}

// paysOn says whose pay period ends on the day, and whose run can be closed from it.
func (rd *railDay) paysOn(f *app.Frame) {
	var says, ends []string
	for _, p := range f.Calendar {
		whose := cmp.Or(p.Group, f.Company)
		if p.Period.To == rd.Date {
			rd.Ends, says = true, append(says, "last day of "+whose+", "+words.SpanFrom(p.Period, f.Today))
			ends = append(ends, whose)
		}
		if when.DateOf(p.Closes, p.Closes.Location()) == rd.Date {
			rd.Closes, says = true, append(says, whose+" can be closed from "+p.Closes.Format("15:04"))
		}
	}
	if len(ends) > 0 {
		rd.EndOf = ends[0]
	}
	if len(ends) > 1 {
		rd.EndOf = fmt.Sprint(len(ends), " end")
	}
	if rd.PayDay = strings.Join(says, "; "); rd.PayDay != "" {
		rd.Words += "; " + rd.PayDay
	}
}

// dayHref is the address of the same screen on another day, with the same crews,
// sites and order.
func dayHref(u *url.URL, d when.Date) string {
	path, q := u.Path, url.Values{"day": {d.String()}}
	switch path {
	case "/today", "/timecards":
		for _, name := range []string{"unit", "site", "sort", "q"} {
			if values := u.Query()[name]; len(values) > 0 {
				q[name] = values
			}
		}
	case "/timecards/sheets":
	default:
		path = "/timecards"
	}
	return path + "?" + q.Encode()
}

// daysOf reads which days a screen is asked for: ?day=, or ?from= and ?to=.
// Without any it is today; a malformed or turned-about span is not found.
func (s *Server) daysOf(r *http.Request) (when.Period, error) {
	return s.daysIn(r.Context(), r.URL.Query(), s.app.Now())
}

func (s *Server) daysIn(ctx context.Context, q url.Values, now time.Time) (when.Period, error) {
	from, to := q.Get("from"), q.Get("to")
	if day := q.Get("day"); day != "" {
		from, to = day, day
	}
	if from == "" && to == "" {
		place, err := s.app.Company(ctx)
		if err != nil {
			return when.Period{}, err
		}
		today := place.Today(now)
		return when.Period{From: today, To: today}, nil
	}
	f, err1 := when.ParseDate(from)
	t, err2 := when.ParseDate(to)
	switch {
	case err1 != nil || err2 != nil || t < f:
		return when.Period{}, app.ErrNotFound
	case t-f > 62:
		return when.Period{}, refusal.New("to", "That are more than 63 days at once", "Choose a shorter span on the rail")
	}
	return when.Period{From: f, To: t}, nil
}

// remember keeps words for the next page.
func (s *Server) remember(r *http.Request, words said) {
	s.sessions.Put(r.Context(), sessionSaid, []string{words.Text, words.Undo, words.UndoLabel, words.Batch, mark(words.Refused)})
}

func mark(b bool) string {
	if b {
		return "refused"
	}
	return ""
}

func (s *Server) takeSaid(r *http.Request) *said {
	part := r.Header.Get("HX-Request") != "" && r.Header.Get("HX-Boosted") == ""
	if part || r.Header.Get("X-Refresh") != "" {
		return nil // what reads itself anew shows no words; they stay for the page they are for
	}
	parts, ok := s.sessions.Pop(r.Context(), sessionSaid).([]string)
	if !ok || len(parts) != 5 {
		return nil
	}
	return &said{parts[0], parts[1], parts[2], parts[3], parts[4] != ""}
}

// done goes back to a page after an act: with words on success, with the
// reason when it was refused. Other errors are passed on. A page with scripts on
// which somebody typed stays as it is when that was refused, and is found where it
// was left when it was done.
func (s *Server) done(w http.ResponseWriter, r *http.Request, err error, back string, words said) error {
	if refused := refusalIn(err); refused != nil {
		words = said{Text: refused.Error() + ".", Refused: true}
	} else if err != nil {
		return err
	}
	boosted := r.Header.Get("HX-Boosted") != ""
	if boosted && words.Refused && r.Header.Get("X-Typed") != "" {
		w.Header().Set("HX-Retarget", "#saidbox")
		w.Header().Set("HX-Reswap", "innerHTML")
		w.Header().Set("HX-Push-Url", "false")
		s.pages.writePart(w, s.log, http.StatusOK, "error", "said", frameView{Said: &words})
		return nil
	}
	s.remember(r, words)
	if boosted && strings.Contains(back, "#") { // a redirect would lose the place in the page
		where, err := json.Marshal(map[string]any{"path": back, "target": "body", "swap": "morph:innerHTML",
			"headers": map[string]string{"HX-Boosted": "true"}})
		if err != nil {
			return err
		}
		w.Header().Set("HX-Location", string(where))
		w.WriteHeader(http.StatusNoContent)
		return nil
	}
	http.Redirect(w, r, back, http.StatusSeeOther)
	return nil
}

// backTo gives the page a form came from, when it is one of ours.
func backTo(r *http.Request, fallback string) string {
	if to := r.FormValue("back"); ownPath(to) {
		return to
	}
	return fallback
}

// ownPath says whether an address is a path on this server, also after a
// redirect has taken the dots out of it.
func ownPath(to string) bool {
	u, err := url.Parse(to)
	return err == nil && u.Scheme == "" && u.Host == "" && strings.HasPrefix(to, "/") && !strings.HasPrefix(to, "//") &&
		!strings.Contains(to+u.Path, `\`) // a browser takes it for a slash
}

// pathID reads an id that an address names.
func pathID(r *http.Request, name string) (uuid.UUID, error) {
	id, err := uuid.Parse(chi.URLParam(r, name))
	if err != nil || id == uuid.Nil {
		return uuid.Nil, app.ErrNotFound
	}
	return id, nil
}
