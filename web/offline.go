package web

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"sync"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/tongue"
)

// The clock without a connection: a page that the browser keeps and shows where ours
// can't be reached, what was last seen of somebody's clock, and what waited.

// offlinePage is the page that the browser keeps. It names nobody, and says its words
// in every language.
func (s *Server) offlinePage(w http.ResponseWriter, _ *http.Request) error {
	v := struct {
		frameView
		Words []template.HTML
	}{frameView: frameView{Title: "Clock"}}
	for _, l := range tongue.Languages {
		var b bytes.Buffer
		if err := s.pages[l.Code]["offline"].ExecuteTemplate(&b, "words", nil); err != nil {
			return fmt.Errorf("words without a connection: %w", err)
		}
		v.Words = append(v.Words, template.HTML(b.String()))
	}
	s.pages.write(w, s.log, http.StatusOK, "offline", v)
	return nil
}

// shell is what the browser keeps besides.
var shell = []string{"lib/bootstrap.min.css", "tokens.css", "app.css", "theme.js", "mark.svg", "lib/htmx.min.js",
	"lib/idiomorph-ext.min.js",
	"page.js", "offline.js", "terminal.js", "queue.js", "dom.js", "swipe.js", "uuid.js", "crewoffline.js"}

// serviceWorker is the script by which the browser keeps them; it changes when they do.
func (s *Server) serviceWorker(w http.ResponseWriter, _ *http.Request) error {
	kept := []string{"/clock/offline", terminalPage, "/static/lib/archivo-latin.woff2", "/static/lib/archivo-latin-ext.woff2"}
	version := assets["sw.js"].version + pagesKept()
	for _, name := range shell {
		kept = append(kept, assetURL(name))
		version += assets[name].version
	}
	list, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
	w.Header().Set("Cache-Control", "no-cache")
	_, err = fmt.Fprintf(w, "const version = %q, kept = %s;\n%s", version, list, assets["sw.js"].content)
	return err
}

// pagesKept changes with the pages that the browser keeps, and with their words.
var pagesKept = sync.OnceValue(func() string {
	sum := sha256.New()
	for _, name := range []string{"frame", "extras", "offline", "terminal"} {
		text, err := templateFiles.ReadFile("templates/" + name + ".html")
		if err != nil {
			panic(err) // embedded files are always readable
		}
		sum.Write(text)
	}
	sum.Write([]byte(tongue.Source()))
	return hex.EncodeToString(sum.Sum(nil)[:6])
})

// manifest says how the clock is installed (W3C Web Application Manifest).
func (s *Server) manifest(w http.ResponseWriter, _ *http.Request) error {
	w.Header().Set("Content-Type", "application/manifest+json")
	w.Header().Set("Cache-Control", "no-cache")
	return json.NewEncoder(w).Encode(map[string]any{
		"name": "Manudex", "short_name": "Manudex", "id": "/clock", "start_url": "/clock", "scope": "/", "display": "standalone",
		"icons": []map[string]string{
			{"src": assetURL("icon-192.png"), "sizes": "192x192", "type": "image/png"},
			{"src": assetURL("icon-512.png"), "sizes": "512x512", "type": "image/png", "purpose": "any maskable"},
			{"src": assetURL("mark.svg"), "sizes": "any", "type": "image/svg+xml"}}})
}

// seenJSON is what a browser keeps of somebody's clock, for when there is no connection.
type seenJSON struct {
	Person   string     `json:"person"`
	Position string     `json:"position"` // in which they clock
	Name     string     `json:"name"`
	Lang     string     `json:"lang"`
	Now      time.Time  `json:"now"`
	On       bool       `json:"on"`
	Kind     string     `json:"kind"`
	Since    string     `json:"since"` // as it is shown
	What     string     `json:"what"`
	Task     string     `json:"task"`
	OneBreak bool       `json:"one_break"`
	CallOut  bool       `json:"call_out"`
	AskMeal  *time.Time `json:"ask_meal,omitempty"`
	Place    bool       `json:"place"` // where they are is taken
	Travel   string     `json:"travel"`
	Choices  []seenWork `json:"choices"`
}

type seenWork struct {
	Key     string      `json:"key"`
	Name    string      `json:"name"`
	Task    string      `json:"task"`
	Classes []seenClass `json:"classes,omitempty"`
	Asks    bool        `json:"asks"`   // whether it is billed is asked
	Billed  bool        `json:"billed"` // and it is, unless they say otherwise
}

type seenClass struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// clockSeen answers with that.
func (s *Server) clockSeen(w http.ResponseWriter, r *http.Request) error {
	actor := visitOf(r).actor
	p, err := hours.ReadClockPage(r.Context(), s.app, actor)
	if err != nil {
		return err
	}
	if actor.Employment == nil {
		return app.ErrNotFound
	}
	all, classes, err := hours.EveryChoice(r.Context(), s.app, actor, p.Choices)
	if err != nil {
		return err
	}
	v := clockView{ClockPage: p}
	v.state(p)
	seen := seenJSON{Person: actor.ID.String(), Position: actor.Employment.String(), Name: actor.Name(),
		Lang: w.Header().Get("Content-Language"),
		Now:  p.Now.UTC(), On: v.On, Since: v.Since, What: v.OnWhat, Task: v.TaskLine, OneBreak: p.OneBreak,
		CallOut: p.CallOut, Place: p.Location != "off"}
	if v.On {
		seen.Kind = string(p.Last.Kind)
		if !p.AskMeal.IsZero() {
			seen.AskMeal = &p.AskMeal
		}
	}
	if p.Travel != nil {
		seen.Travel = choiceKey(*p.Travel)
	}
	for _, c := range all {
		work := seenWork{Key: choiceKey(c), Name: c.Number + " " + c.Name, Task: c.TaskName, Asks: c.AskBilling, Billed: c.Billable}
		for _, cl := range classes[c.Job] {
			work.Classes = append(work.Classes, seenClass{cl.ID.String(), cl.Name})
		}
		seen.Choices = append(seen.Choices, work)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	return json.NewEncoder(w).Encode(seen)
}

// queuedJSON is a punch that waited on somebody's own device.
type queuedJSON struct {
	ID       string     `json:"id"`
	Position string     `json:"position"`
	Act      string     `json:"act"`
	Break    string     `json:"break"`
	Choice   string     `json:"choice"`
	Class    string     `json:"class"`
	CalledIn bool       `json:"called_in"`
	Meal     string     `json:"meal"`
	Billed   string     `json:"billed"`
	SeenAt   *time.Time `json:"seen_at"`
	SeenWall *time.Time `json:"seen_wall"`
	Since    *int64     `json:"since"` // milliseconds
	Pressed  *time.Time `json:"device_at"`
	Lat      *float64   `json:"lat"`
	Lon      *float64   `json:"lon"`

	Sheet *queuedSheet `json:"sheet"` // it was pressed on a crew's sheet
}

// queuedOutcome is what became of one.
type queuedOutcome struct {
	ID    string `json:"id"`
	State string `json:"state"` // "recorded", "claim" or "refused"
	Why   string `json:"why,omitempty"`
}

// mostWaited is how many punches one request brings.
const mostWaited = 100

// takeQueue takes what waited on somebody's device, in its order. What can't be taken
// as it is holds nothing up: it is a claim, or is said to be wrong and stays there.
func (s *Server) takeQueue(w http.ResponseWriter, r *http.Request) error {
	actor := visitOf(r).actor
	if r.FormValue("person") != actor.ID.String() { // somebody else is signed in by now
		return app.ErrConflict
	}
	var queue []queuedJSON
	sent, err := time.Parse(time.RFC3339, r.FormValue("sent_at"))
	if err != nil || json.Unmarshal([]byte(r.FormValue("queue")), &queue) != nil || len(queue) > mostWaited {
		return app.ErrNotFound
	}
	word, err := wordIn(w.Header())
	if err != nil {
		return err
	}
	outcomes := make([]queuedOutcome, len(queue))
	for i, q := range queue {
		outcomes[i] = queuedOutcome{ID: q.ID, State: "recorded"}
		claimed := func(why string) { outcomes[i].State, outcomes[i].Why = "claim", word(cmp.Or(claimWhy[why], why)) }
		if q.Sheet != nil {
			why, refused := s.takeSheet(r.Context(), actor, q, sent)
			if err = refused; why != "" {
				claimed(why)
			}
		} else {
			err = s.takePunch(r, actor, q, sent, claimed)
		}
		var refused *refusal.Refusal
		switch refused = refusalIn(err); {
		case err == nil:
			s.metrics.punches.Inc()
		case refused != nil:
			outcomes[i] = queuedOutcome{q.ID, "refused", word(refused.Wrong)}
		case errors.Is(err, app.ErrConflict), errors.Is(err, app.ErrNotFound), errors.Is(err, app.ErrForbidden):
			outcomes[i] = queuedOutcome{q.ID, "refused", ""}
		default:
			return err // to be sent again
		}
	}
	w.Header().Set("Content-Type", "application/json")
	return json.NewEncoder(w).Encode(map[string]any{"results": outcomes})
}

// takePunch takes a punch of the actor's own that waited.
func (s *Server) takePunch(r *http.Request, actor app.Actor, q queuedJSON, sent time.Time, claimed func(string)) error {
	p, err := q.punch(sent)
	if err != nil {
		return err
	}
	as, err := s.inPosition(r, actor, q.Position)
	if err != nil {
		return err
	}
	p.Claimed = claimed
	return hours.PunchLater(r.Context(), s.app, as, p)
}

// inPosition gives the actor as they clock in a position of theirs, which may have
// ended since.
func (s *Server) inPosition(r *http.Request, actor app.Actor, position string) (app.Actor, error) {
	id, err := uuid.Parse(position)
	if err != nil || actor.Employment != nil && *actor.Employment == id {
		return actor, nil
	}
	as, err := s.app.ActorIn(r.Context(), actor.ID, id)
	as.Point, as.Language = actor.Point, actor.Language
	return as, err
}

// punch reads a punch that waited. One that no page of ours makes is not found.
func (q queuedJSON) punch(sent time.Time) (p hours.Punch, err error) {
	p = hours.Punch{Act: clock.Act(q.Act), Break: clock.Kind(q.Break), Queued: true}
	if p.ID, err = uuid.Parse(q.ID); err != nil {
		return p, app.ErrNotFound
	}
	if p.On, err = workIn(q.Choice); err != nil {
		return p, err
	}
	if q.Class != "" {
		if p.On.Class, err = uuid.Parse(q.Class); err != nil {
			return p, app.ErrNotFound
		}
	}
	p.Marks = marksOf(map[string]string{"called_in": yesIf(q.CalledIn), "meal": q.Meal, "billed": q.Billed}, "billed")
	p.Moment = q.moment(sent)
	if q.Lat != nil && q.Lon != nil {
		p.Place = placeAt(*q.Lat, *q.Lon)
	}
	return p, nil
}

// moment is when it was pressed, as the device says.
func (q queuedJSON) moment(sent time.Time) clock.Moment {
	m := clock.Moment{Since: -1, Sent: sent}
	for into, from := range map[*time.Time]*time.Time{&m.Seen: q.SeenAt, &m.SeenWall: q.SeenWall, &m.Pressed: q.Pressed} {
		if from != nil && from.Year() >= 2000 && from.Year() <= 2200 {
			*into = *from
		}
	}
	if q.Since != nil && *q.Since >= 0 && *q.Since < int64(365*24*time.Hour/time.Millisecond) {
		m.Since = time.Duration(*q.Since) * time.Millisecond
	}
	return m
}

func yesIf(is bool) string {
	if is {
		return "yes"
	}
	return ""
}
