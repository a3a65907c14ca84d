package web

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"math/big"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/points"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
	"manudex/tongue"
	"manudex/web/draw"
	"manudex/web/form"
)

// The shared terminal: a page that a browser keeps, and what it asks by the key that it
// holds in a cookie. It names nobody before it has asked.

const (
	terminalCookie = "terminal"
	terminalPage   = "/terminal"
)

// terminalShell is the page itself, with its words in every language.
func (s *Server) terminalShell(w http.ResponseWriter, _ *http.Request) error {
	v := struct {
		frameView
		Words []template.HTML
	}{frameView: frameView{Title: "Terminal"}}
	for _, l := range tongue.Languages {
		var b bytes.Buffer
		if err := s.pages[l.Code]["terminal"].ExecuteTemplate(&b, "words", l); err != nil {
			return fmt.Errorf("words of the terminal: %w", err)
		}
		v.Words = append(v.Words, template.HTML(b.String()))
	}
	s.pages.write(w, s.log, http.StatusOK, "terminal", v)
	return nil
}

// openTerminal makes the browser that asks a shared terminal of a clock point, and ends
// the session of whoever asked: it needs no account from then on.
func (s *Server) openTerminal(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	key := ""
	act := points.GiveKey{ID: f.ID("id"), Point: f.PathID("point"), Title: cmp.Or(strings.TrimSpace(f.Text("title")), "Terminal"),
		Browser: true, Told: func(made string) { key = made }}
	if err := f.Err(); err != nil {
		return err
	}
	if err := s.app.Do(r.Context(), visitOf(r).actor, act); err != nil {
		return s.done(w, r, err, pointsPage, said{})
	}
	s.holdTerminal(w, r, key)
	if err := s.sessions.Destroy(r.Context()); err != nil {
		return err
	}
	http.Redirect(w, r, terminalPage+"?opened=1", http.StatusSeeOther)
	return nil
}

// holdTerminal lets the browser keep the key, for five weeks from now.
func (s *Server) holdTerminal(w http.ResponseWriter, r *http.Request, key string) {
	http.SetCookie(w, &http.Cookie{Name: terminalCookie, Value: key, Path: terminalPage, MaxAge: 35 * 24 * 3600, HttpOnly: true,
		Secure: r.TLS != nil || s.opts.SecureCookies, SameSite: http.SameSiteStrictMode})
}

// atTerminal answers what a terminal asks, by the key that it holds.
func (s *Server) atTerminal(ask func(*http.Request, points.Device) (any, error)) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		var d points.Device
		cookie, err := r.Cookie(terminalCookie)
		if err == nil {
			d, err = points.OpenTerminal(r.Context(), s.app, cookie.Value)
		}
		if errors.Is(err, http.ErrNoCookie) || errors.Is(err, app.ErrNotFound) {
			s.writeTerminal(w, http.StatusUnauthorized, map[string]string{"state": "closed"})
			return nil
		}
		if err != nil {
			return err
		}
		answer, err := ask(r, d)
		var waits points.WaitError
		var refused *refusal.Refusal
		switch {
		case errors.Is(err, points.ErrPIN):
			s.writeTerminal(w, http.StatusForbidden, map[string]string{"state": "wrong"})
		case errors.As(err, &waits):
			s.writeTerminal(w, http.StatusTooManyRequests, map[string]any{"state": "waits", "until": waits.Until.UTC()})
		case errors.Is(err, app.ErrNotFound), errors.Is(err, app.ErrForbidden):
			s.writeTerminal(w, http.StatusNotFound, map[string]string{"state": "unknown"})
		case errors.As(err, &refused):
			s.writeTerminal(w, http.StatusUnprocessableEntity, map[string]string{"state": "refused",
				"why": s.inTongue(r.FormValue("lang"), refused.Wrong) + ". " + s.inTongue(r.FormValue("lang"), refused.Right)})
		case err != nil:
			return err
		default:
			s.holdTerminal(w, r, cookie.Value)
			s.writeTerminal(w, http.StatusOK, answer)
		}
		return nil
	}
}

func (s *Server) writeTerminal(w http.ResponseWriter, status int, answer any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	if err := json.NewEncoder(w).Encode(answer); err != nil {
		s.log.Debug("the terminal went away", "err", err)
	}
}

// inTongue says something worded in English in a language.
func (s *Server) inTongue(code, text string) string {
	if all, err := tongues(); err == nil && all[code] != nil {
		return all[code].Word(text)
	}
	return text
}

// boardJSON is a line of who is there.
type boardJSON struct {
	Name   string `json:"name"`
	State  string `json:"state"` // "on", "break", "off", "missing" or "later"
	Words  string `json:"words"`
	Ribbon string `json:"ribbon"`
}

type terminalPerson struct {
	ID      string `json:"id"` // of the position
	Number  string `json:"number"`
	Given   string `json:"given"`
	Family  string `json:"family"`
	Lang    string `json:"lang"`
	Served  bool   `json:"served"`
	Kind    string `json:"kind"` // "" while they are off
	Since   string `json:"since"`
	What    string `json:"what"`
	Planned string `json:"planned"` // what they are planned on, else what the terminal stands for
}

type terminalState struct {
	Name     string           `json:"name"`
	Now      time.Time        `json:"now"`
	Clock    string           `json:"clock"`
	Key      map[string]any   `json:"key"` // what is typed is sealed to it (JWK, RFC 7517)
	Takes    []string         `json:"takes"`
	Watched  string           `json:"watched"` // by whom, in place of a PIN
	Head     string           `json:"head"`
	Board    []boardJSON      `json:"board"`
	Axis     string           `json:"axis"`
	Lost     []string         `json:"lost"` // who did not clock out
	Unserved []string         `json:"unserved"`
	People   []terminalPerson `json:"people"`
	Work     []seenWork       `json:"work"`
}

// terminalLook gives all that the terminal shows and keeps for when it has no connection.
func (s *Server) terminalLook(r *http.Request, d points.Device) (any, error) {
	ctx := r.Context()
	loc, err := time.LoadLocation(d.Zone)
	if err != nil {
		return nil, err
	}
	now, lang := s.app.Now(), r.FormValue("lang")
	st := terminalState{Name: d.SiteName + ", " + d.Name, Now: now.UTC(), Clock: now.In(loc).Format("15:04"),
		Takes: strings.Split(d.ClockPoint.Takes, ", "), Watched: d.WatchedBy}
	key, err := points.SealKey(ctx, s.app)
	if err != nil {
		return nil, err
	}
	st.Key = map[string]any{"kty": "RSA", "alg": "RSA-OAEP-256", "n": base64.RawURLEncoding.EncodeToString(key.N.Bytes()),
		"e": base64.RawURLEncoding.EncodeToString(big.NewInt(int64(key.E)).Bytes()), "ext": true}
	if err := s.terminalPeople(ctx, d, &st, loc); err != nil {
		return nil, err
	}
	rows, err := d.Rows(ctx, s.app)
	if err != nil {
		return nil, err
	}
	s.terminalBoard(&st, rows, now, loc, lang)
	if r.FormValue("opened") == "" { // whom it can't serve is for whoever opens it
		return st, nil
	}
	not, err := d.WhomNot(ctx, s.app)
	for _, u := range not {
		st.Unserved = append(st.Unserved, u.Name+" "+u.Why)
	}
	return st, err
}

func (s *Server) terminalPeople(ctx context.Context, d points.Device, st *terminalState, loc *time.Location) error {
	all, err := d.People(ctx, s.app)
	if err != nil {
		return err
	}
	planned, err := d.Planned(ctx, s.app)
	if err != nil {
		return err
	}
	choices, classes, err := d.Choices(ctx, s.app)
	if err != nil {
		return err
	}
	stands := ""
	if d.ClockPoint.Job != nil {
		stands = keyOf(clock.Assignment{Job: *d.ClockPoint.Job, Task: store.IDOrNil(d.ClockPoint.Task)})
	}
	for _, c := range choices {
		work := seenWork{Key: keyOf(clock.Assignment{Job: c.Job, Task: store.IDOrNil(c.TaskID)}), Name: c.Number + " " + c.Name}
		if c.TaskName != nil {
			work.Task = *c.TaskName
		}
		for _, cl := range classes[c.Job] {
			work.Classes = append(work.Classes, seenClass{cl.ID.String(), cl.Name})
		}
		st.Work = append(st.Work, work)
	}
	for _, p := range all {
		one := terminalPerson{ID: p.Employment.String(), Number: p.Number, Given: p.Given, Family: p.Family,
			Served: p.Terminal && (p.PIN || d.Watcher != nil), Planned: stands}
		if p.Language != nil {
			one.Lang = *p.Language
		}
		if on, ok := planned[p.Employment]; ok {
			one.Planned = keyOf(on)
		}
		if p.Kind != nil {
			one.Kind, one.Since = string(*p.Kind), p.Since.In(loc).Format("15:04")
			if p.JobNumber != nil {
				one.What = *p.JobNumber + " " + *p.JobName
				if p.TaskName != nil {
					one.What += " · " + *p.TaskName
				}
			}
		}
		if p.Lost {
			st.Lost = append(st.Lost, p.Given+" "+p.Family)
		}
		st.People = append(st.People, one)
	}
	return nil
}

// terminalBoard draws who is there, on one axis of hours.
func (s *Server) terminalBoard(st *terminalState, rows []hours.DayRow, now time.Time, loc *time.Location, lang string) {
	from := now.Add(-5 * time.Hour).Truncate(time.Hour)
	axis := draw.Axis{From: from, Hours: 10, Width: 240, Step: 2}
	counts := map[string]int{}
	for _, r := range rows {
		if r.First.IsZero() && len(r.Shifts) == 0 {
			continue
		}
		state, text := whereOnBoard(r, now, loc)
		r.Leave = 0 // why somebody is away is not for everybody who passes
		b := boardJSON{Name: r.Name(), Ribbon: string(ribbon(axis, r, now)), State: state, Words: text}
		counts[b.State]++
		b.Words = s.inTongue(lang, b.Words)
		st.Board = append(st.Board, b)
	}
	st.Axis = string(template.HTML(draw.Hours(nil, axis, loc)))
	var head []string
	for _, c := range []struct{ state, words string }{{"on", "%s here"}, {"break", "%s on a break"}, {"later", "%s still to come"},
		{"missing", "%s missing"}} {
		if counts[c.state] > 0 || c.state == "on" {
			head = append(head, s.inTongue(lang, strings.Replace(c.words, "%s", fmt.Sprint(counts[c.state]), 1)))
		}
	}
	st.Head = strings.Join(head, " · ")
}

// whereOnBoard says where somebody is, in a word and in words.
func whereOnBoard(r hours.DayRow, now time.Time, loc *time.Location) (state, text string) {
	if n := len(r.Stints); n > 0 && r.Stints[n-1].Open() {
		last := r.Stints[n-1]
		if last.Kind != clock.Work {
			return "break", string(last.Kind) + " since " + last.Start.In(loc).Format("15:04")
		}
		return "on", strings.TrimSpace(last.JobNumber + " " + cmp.Or(last.TaskName, last.JobName))
	}
	switch {
	case len(r.Stints) > 0:
		return "off", "off since " + r.Last.In(loc).Format("15:04")
	case len(r.Shifts) > 0 && r.Shifts[0].Start.After(now):
		return "later", "from " + r.Shifts[0].Start.In(loc).Format("15:04")
	case r.MissingAt(now, card.Limits{}):
		return "missing", "not here"
	}
	return "off", "away"
}

// terminalStanding is what somebody sees of themselves.
type terminalStanding struct {
	State   string   `json:"state"`
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	On      bool     `json:"on"`
	Kind    string   `json:"kind"`
	Since   string   `json:"since"`
	What    string   `json:"what"`
	Sums    []string `json:"sums"`
	AskMeal bool     `json:"ask_meal"`
	CallOut bool     `json:"call_out"`
	One     bool     `json:"one_break"`
	Crew    []string `json:"crew"`
}

// typedAt reads what was typed.
func typedAt(r *http.Request, for_ uuid.UUID) points.Typed {
	return points.Typed{Number: r.FormValue("number"), Sealed: r.FormValue("sealed"), PIN: r.FormValue("pin"), For: for_}
}

// terminalCheck answers who typed their number and PIN.
func (s *Server) terminalCheck(r *http.Request, d points.Device) (any, error) {
	id, err := uuid.Parse(r.FormValue("id"))
	if err != nil {
		return nil, app.ErrNotFound
	}
	at, err := d.Look(r.Context(), s.app, typedAt(r, id))
	if err != nil {
		return nil, err
	}
	v := clockView{ClockPage: at.Page}
	v.state(at.Page)
	lang := r.FormValue("lang")
	say := func(words string, n int64) string {
		return s.inTongue(lang, strings.Replace(words, "%s", card.HoursMinutes(n), 1))
	}
	st := terminalStanding{State: "right", ID: at.Who.Employment.String(), Name: at.Page.Person.Given, On: v.On, Since: v.Since,
		What:    v.OnWhat,
		AskMeal: v.On && !at.Page.AskMeal.IsZero() && !at.Page.Now.Before(at.Page.AskMeal), CallOut: at.Page.CallOut, One: at.Page.OneBreak}
	if v.TaskLine != "" {
		st.What += " · " + v.TaskLine
	}
	if v.On {
		st.Kind = string(at.Page.Last.Kind)
		st.Sums = append(st.Sums, say("%s worked since you came", at.Worked))
		if at.Breaks > 0 {
			st.Sums = append(st.Sums, say("%s of breaks", at.Breaks))
		}
	}
	st.Sums = append(st.Sums, say("%s this pay period", at.Page.Period))
	for _, id := range at.Crew {
		st.Crew = append(st.Crew, id.String())
	}
	return st, nil
}

// terminalPress is a punch as a terminal sends it.
type terminalPress struct {
	queuedJSON
	Number string `json:"number"`
	Sealed string `json:"sealed"`
	PIN    string `json:"pin"`
	Other  string `json:"other"` // the position of whom a lead acts for
	Queued bool   `json:"queued"`
}

// terminalPunches takes what was pressed at a terminal, at once or later, in its order.
func (s *Server) terminalPunches(r *http.Request, d points.Device) (any, error) {
	var sent []terminalPress
	at, err := time.Parse(time.RFC3339, r.FormValue("sent_at"))
	if err != nil || json.Unmarshal([]byte(r.FormValue("punches")), &sent) != nil || len(sent) > mostWaited {
		return nil, app.ErrNotFound
	}
	lang := r.FormValue("lang")
	outcomes := make([]queuedOutcome, len(sent))
	for i, p := range sent {
		outcomes[i] = queuedOutcome{ID: p.ID, State: "recorded"}
		out, err := s.terminalPressed(r.Context(), d, p, at)
		refused := refusalIn(err)
		switch {
		case err == nil && out.Claim:
			outcomes[i].State, outcomes[i].Why = "claim", s.inTongue(lang, cmp.Or(claimWhy[out.Why], out.Why))
		case err == nil:
			s.metrics.punches.Inc()
		case refused != nil:
			outcomes[i] = queuedOutcome{p.ID, "refused", s.inTongue(lang, refused.Wrong) + ". " + s.inTongue(lang, refused.Right)}
		case errors.Is(err, app.ErrConflict), errors.Is(err, app.ErrNotFound), errors.Is(err, app.ErrForbidden):
			outcomes[i].State = "refused"
		default:
			return nil, err // a wrong PIN is said at once, anything else is sent again
		}
	}
	return map[string]any{"results": outcomes}, nil
}

func (s *Server) terminalPressed(ctx context.Context, d points.Device, p terminalPress, sent time.Time) (points.Outcome, error) {
	punch, err := p.punch(sent)
	if err != nil {
		return points.Outcome{}, err
	}
	punch.Queued, punch.Place = p.Queued, nil
	act := points.Pressed{Typed: points.Typed{Number: p.Number, Sealed: p.Sealed, PIN: p.PIN}, Punch: punch}
	if p.Other != "" {
		if act.Other, err = uuid.Parse(p.Other); err != nil {
			return points.Outcome{}, app.ErrNotFound
		}
	}
	return d.Take(ctx, s.app, act)
}

// terminalForgot keeps that somebody forgot their PIN.
func (s *Server) terminalForgot(r *http.Request, d points.Device) (any, error) {
	return map[string]string{"state": "asked"}, d.AskNewPIN(r.Context(), s.app, r.FormValue("number"))
}

// swipedJSON is what became of a swipe, said in large type.
type swipedJSON struct {
	ID     string `json:"id"`
	State  string `json:"state"` // "in", "out", "again" or "claim"
	Name   string `json:"name"`
	At     string `json:"at"`
	Worked string `json:"worked"`
	Why    string `json:"why,omitempty"`
}

func swipedOf(id string, out points.Swiped, say func(string) string) swipedJSON {
	j := swipedJSON{ID: id, State: string(out.Act), Name: out.Given + " " + out.Family, At: out.At.In(out.Loc).Format("15:04"),
		Worked: card.HoursMinutes(out.Worked)}
	switch {
	case out.Again:
		j.State = "again"
	case out.Claim != "":
		j.State, j.Why = "claim", say(cmp.Or(claimWhy[out.Claim], out.Claim))
	}
	return j
}

// terminalSwipe takes a card that was swiped at a terminal, sealed as a PIN is.
func (s *Server) terminalSwipe(r *http.Request, d points.Device) (any, error) {
	id, err := uuid.Parse(r.FormValue("id"))
	if err != nil {
		return nil, app.ErrNotFound
	}
	lang := r.FormValue("lang")
	swipe := points.Swipe{ID: id, Card: typedAt(r, id), Queued: r.FormValue("queued") == "yes"}
	if swipe.Moment, err = momentOf(r); err != nil {
		return nil, err
	}
	out, err := d.Swipe(r.Context(), s.app, swipe)
	if err != nil {
		return nil, err
	}
	return swipedOf(id.String(), out, func(text string) string { return s.inTongue(lang, text) }), nil
}
