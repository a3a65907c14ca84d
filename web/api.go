package web

import (
	"encoding/json"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/points"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/docs"
	"manudex/store"
)

// The interface for devices at clock points; docs/openapi.yaml describes it.

// holdsKey is what a route needs that a device asks, with a key of its clock point.
const holdsKey = "(a key)"

// problem is a problem detail (RFC 9457). Field names what was wrong in the request.
type problem struct {
	Type   string `json:"type"`
	Title  string `json:"title"`
	Status int    `json:"status"`
	Detail string `json:"detail,omitempty"`
	Field  string `json:"field,omitempty"`
}

// problemOf says an error as a problem.
func problemOf(err error) problem {
	p := func(kind, title string, status int, detail string) problem {
		return problem{Type: "urn:manudex:problem:" + kind, Title: title, Status: status, Detail: detail}
	}
	var refused *refusal.Refusal
	var wrong *wrongRequest
	switch {
	case errors.Is(err, errTooLarge):
		return p("too-large", "The request is too large", http.StatusRequestEntityTooLarge, "Send fewer punches at a time.")
	case errors.Is(err, errOdd):
		return p("request", "The request can't be read", http.StatusBadRequest, "It holds characters that are no text.")
	case errors.As(err, &wrong):
		odd := p("request", "The request can't be read", http.StatusBadRequest, wrong.detail)
		odd.Field = wrong.field
		return odd
	case errors.Is(err, app.ErrNotFound):
		return p("not-found", "There is no such thing at this clock point", http.StatusNotFound, "")
	case errors.Is(err, app.ErrForbidden):
		return p("forbidden", "The key doesn't allow this", http.StatusForbidden, "A key that only reads sends no punches.")
	case errors.Is(err, app.ErrConflict):
		return p("conflict", "This id was sent before with other content", http.StatusConflict, "Send what is new under a new id.")
	case errors.Is(err, app.ErrBusy), store.Away(err):
		return p("busy", "Too much is asked at once, or the records can't be reached", http.StatusServiceUnavailable, "Send it again.")
	case errors.As(err, &refused):
		at := p("refused", refused.Wrong, http.StatusUnprocessableEntity, refused.Right+".")
		at.Field = refused.Field
		return at
	}
	return p("failed", "Something went wrong here", http.StatusInternalServerError, "Send it again under the same id.")
}

// wrongRequest is what can't be read in a request.
type wrongRequest struct{ field, detail string }

func (w *wrongRequest) Error() string { return w.detail }

func writeJSON(w http.ResponseWriter, kind string, status int, v any) error {
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	return json.NewEncoder(w).Encode(v)
}

func (s *Server) writeProblem(w http.ResponseWriter, r *http.Request, p problem) {
	switch p.Status {
	case http.StatusUnauthorized:
		w.Header().Set("WWW-Authenticate", `Bearer realm="manudex"`)
	case http.StatusServiceUnavailable:
		w.Header().Set("Retry-After", "2")
	}
	if err := writeJSON(w, "application/problem+json", p.Status, p); err != nil {
		s.log.Debug("answer a device", "id", middleware.GetReqID(r.Context()), "err", err)
	}
}

// byDevice answers a device that holds a key: with what ask gives, as JSON.
func (s *Server) byDevice(ask func(*http.Request, points.Device) (any, error)) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		key, bearer := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		device, err := points.Open(r.Context(), s.app, key)
		if !bearer || errors.Is(err, app.ErrNotFound) {
			s.writeProblem(w, r, problem{"urn:manudex:problem:key", "The key opens nothing", http.StatusUnauthorized,
				"It was taken back, or its clock point is closed.", ""})
			return nil
		}
		var answer any
		if err == nil {
			answer, err = ask(r, device)
		}
		if err != nil {
			p := problemOf(err)
			if p.Status >= http.StatusInternalServerError {
				s.log.Error("a device's request failed", "id", middleware.GetReqID(r.Context()), "path", pathOf(r), "err", err)
			}
			s.writeProblem(w, r, p)
			return nil
		}
		return writeJSON(w, "application/json", http.StatusOK, answer)
	}
}

type pointJSON struct {
	Name string    `json:"name"`
	Site string    `json:"site"`
	Zone string    `json:"zone"`
	Now  time.Time `json:"now"`
	Job  string    `json:"job,omitempty"`
	Task string    `json:"task,omitempty"`
}

func (s *Server) apiPoint(_ *http.Request, d points.Device) (any, error) {
	return pointJSON{d.Name, d.SiteName, d.Zone, s.app.Now().UTC(), d.JobNumber, d.TaskName}, nil
}

// personJSON is somebody whom the clock point serves, and what they are doing.
type personJSON struct {
	Number string     `json:"number"`
	Name   string     `json:"name"`
	State  string     `json:"state"` // "off", "work", "meal" or "rest"
	Since  *time.Time `json:"since,omitempty"`
	Job    string     `json:"job,omitempty"`
	Task   string     `json:"task,omitempty"`
	Worked int64      `json:"worked"`    // seconds today, what runs not counted
	Clocks bool       `json:"may_clock"` // in, at a device; out, breaks and switches are never refused
}

func personOf(p store.AtPoint) personJSON {
	j := personJSON{Number: p.Number, Name: p.Given + " " + p.Family, State: "off", Worked: p.Worked, Clocks: p.Way}
	if p.Kind != nil {
		since := p.Since.UTC()
		j.State, j.Since = string(*p.Kind), &since
	}
	for from, into := range map[*string]*string{p.JobNumber: &j.Job, p.TaskName: &j.Task} {
		if from != nil {
			*into = *from
		}
	}
	return j
}

func (s *Server) apiPeople(r *http.Request, d points.Device) (any, error) {
	found, err := d.People(r.Context(), s.app)
	people := make([]personJSON, len(found))
	for i, p := range found {
		people[i] = personOf(p)
	}
	return map[string]any{"people": people}, err
}

func (s *Server) apiPerson(r *http.Request, d points.Device) (any, error) {
	p, err := d.Person(r.Context(), s.app, chi.URLParam(r, "number"))
	return personOf(p), err
}

type jobJSON struct {
	Number string   `json:"number"`
	Name   string   `json:"name"`
	Tasks  []string `json:"tasks"`
}

func (s *Server) apiJobs(r *http.Request, d points.Device) (any, error) {
	found, err := d.Jobs(r.Context(), s.app)
	list := []jobJSON{}
	for _, j := range found {
		if n := len(list); n == 0 || list[n-1].Number != j.Number {
			list = append(list, jobJSON{j.Number, j.Name, []string{}})
		}
		if j.TaskName != nil {
			last := &list[len(list)-1]
			last.Tasks = append(last.Tasks, *j.TaskName)
		}
	}
	return map[string]any{"jobs": list}, err
}

// pressJSON is a punch as a device sends it.
type pressJSON struct {
	ID      string     `json:"id"`
	Number  string     `json:"number"`
	Act     string     `json:"act"`
	Break   string     `json:"break"`
	Job     string     `json:"job"`
	Task    string     `json:"task"`
	Class   string     `json:"classification"`
	Pressed *time.Time `json:"pressed_at"`
	Sent    *time.Time `json:"sent_at"`
}

// outcomeJSON is what became of a punch.
type outcomeJSON struct {
	ID      string   `json:"id"`
	State   string   `json:"state"` // "recorded", "claim" or "refused"
	Why     string   `json:"why,omitempty"`
	Problem *problem `json:"problem,omitempty"`
}

// sent reads the id that a device made, and when it was pressed and sent by its clock.
func (p pressJSON) sent() (press points.Press, err error) {
	press.ID, err = uuid.Parse(p.ID)
	if err != nil || press.ID == uuid.Nil {
		return press, &wrongRequest{"id", "The id is no UUID: make one for each press, and send it again with the same."}
	}
	for from, into := range map[*time.Time]*time.Time{p.Pressed: &press.Pressed, p.Sent: &press.Sent} {
		switch {
		case from == nil:
		case from.Year() < 2000 || from.Year() > 2200:
			return press, &wrongRequest{"pressed_at", "The device's clock shows no year of ours: set it, or leave the times out."}
		default:
			*into = *from
		}
	}
	if (p.Pressed == nil) != (p.Sent == nil) {
		return press, &wrongRequest{"sent_at", "pressed_at and sent_at come together, both by the device's clock."}
	}
	return press, nil
}

// press reads what a device sent.
func (p pressJSON) press() (points.Press, error) {
	sent, err := p.sent()
	if err != nil {
		return sent, err
	}
	for field, text := range map[string]string{"number": p.Number, "job": p.Job, "task": p.Task, "classification": p.Class} {
		if strings.ContainsRune(text, 0) || len(text) > 200 {
			return points.Press{}, &wrongRequest{field, "That is no text of at most 200 characters."}
		}
	}
	press := points.Press{ID: sent.ID, Number: p.Number, Act: clock.Act(p.Act), Break: clock.Kind(p.Break), Job: p.Job, Task: p.Task,
		Class: p.Class, Pressed: sent.Pressed, Sent: sent.Sent}
	switch press.Act {
	case clock.In, clock.Out, clock.Switch, clock.BreakEnd:
		press.Break = ""
	case clock.BreakStart:
		if press.Break != clock.Meal && press.Break != clock.Rest {
			return press, &wrongRequest{"break", `A break is "meal" or "rest".`}
		}
	default:
		return press, &wrongRequest{"act", `An act is "in", "out", "switch", "break_start" or "break_end".`}
	}
	return press, nil
}

// readJSON reads the body of a request into v, and nothing that v doesn't know.
func readJSON(r *http.Request, v any) error {
	in := json.NewDecoder(r.Body)
	in.DisallowUnknownFields()
	err := in.Decode(v)
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return errTooLarge
	}
	if err == nil && in.More() {
		err = errors.New("more than one value")
	}
	if err != nil {
		return &wrongRequest{"", "The body is no such JSON: " + err.Error() + "."}
	}
	return nil
}

func (s *Server) pressed(r *http.Request, d points.Device, sent pressJSON) (outcomeJSON, error) {
	press, err := sent.press()
	if err != nil {
		return outcomeJSON{}, err
	}
	out, err := d.Press(r.Context(), s.app, press)
	if err != nil {
		return outcomeJSON{}, err
	}
	if out.Claim {
		return outcomeJSON{ID: sent.ID, State: "claim", Why: out.Why}, nil
	}
	return outcomeJSON{ID: sent.ID, State: "recorded"}, nil
}

func (s *Server) apiPunch(r *http.Request, d points.Device) (any, error) {
	var sent pressJSON
	if err := readJSON(r, &sent); err != nil {
		return nil, err
	}
	return s.pressed(r, d, sent)
}

// mostQueued is how many punches one request brings.
const mostQueued = 500

// apiQueue takes punches that waited at the device, in their order. One that can't be
// taken doesn't hold up the next.
func (s *Server) apiQueue(r *http.Request, d points.Device) (any, error) {
	var sent struct {
		Punches []pressJSON `json:"punches"`
	}
	if err := readJSON(r, &sent); err != nil {
		return nil, err
	}
	if !d.Punches {
		return nil, app.ErrForbidden
	}
	if len(sent.Punches) > mostQueued {
		return nil, &wrongRequest{"punches", "Send at most 500 at a time."}
	}
	results := make([]outcomeJSON, len(sent.Punches))
	for i, one := range sent.Punches {
		out, err := s.pressed(r, d, one)
		if err != nil {
			p := problemOf(err)
			out = outcomeJSON{ID: one.ID, State: "refused", Problem: &p}
			if p.Status >= http.StatusInternalServerError {
				s.log.Error("a punch of a queue failed", "id", middleware.GetReqID(r.Context()), "err", err)
			}
		}
		results[i] = out
	}
	return map[string]any{"results": results}, nil
}

// apiSwipe takes a card that was swiped at a reader, as the reader types it.
func (s *Server) apiSwipe(r *http.Request, d points.Device) (any, error) {
	var sent struct {
		ID      string     `json:"id"`
		Card    string     `json:"card"`
		Pressed *time.Time `json:"pressed_at"`
		Sent    *time.Time `json:"sent_at"`
	}
	if err := readJSON(r, &sent); err != nil {
		return nil, err
	}
	press, err := pressJSON{ID: sent.ID, Pressed: sent.Pressed, Sent: sent.Sent}.sent()
	if err != nil {
		return nil, err
	}
	out, err := d.Swipe(r.Context(), s.app, points.Swipe{ID: press.ID, Card: points.Typed{PIN: sent.Card},
		Moment: clock.Moment{Pressed: press.Pressed, Sent: press.Sent, Since: -1}})
	if err != nil {
		return nil, err
	}
	return swipedOf(sent.ID, out, func(text string) string { return text }), nil
}

// callJSON is a call as a phone line sends it.
type callJSON struct {
	pressJSON
	Caller string `json:"caller"`
	PIN    string `json:"pin"`
	Note   string `json:"note"`
}

// apiCall takes what somebody did by phone.
func (s *Server) apiCall(r *http.Request, d points.Device) (any, error) {
	var sent callJSON
	if err := readJSON(r, &sent); err != nil {
		return nil, err
	}
	press, err := sent.sent()
	if sent.Act != "" { // only a note may be left
		press, err = sent.press()
	}
	if err != nil {
		return nil, err
	}
	press.Number = sent.Number
	log, err := d.Call(r.Context(), s.app, points.Call{Press: press, Caller: sent.Caller, PIN: sent.PIN, Note: sent.Note})
	if err != nil {
		return nil, err
	}
	return outcomeJSON{ID: sent.ID, State: log.Outcome, Why: log.Why}, nil
}

// apiText is the description of the interface.
func (s *Server) apiText(w http.ResponseWriter, _ *http.Request) error {
	w.Header().Set("Content-Type", "application/yaml")
	_, err := w.Write(docs.OpenAPI)
	return err
}

// apiRoutes are those that devices ask.
func (s *Server) apiRoutes() []route {
	return []route{
		{"GET", "/api/openapi.yaml", "", s.apiText},
		{"GET", "/api/v1/point", holdsKey, s.byDevice(s.apiPoint)},
		{"GET", "/api/v1/people", holdsKey, s.byDevice(s.apiPeople)},
		{"GET", "/api/v1/people/{number}", holdsKey, s.byDevice(s.apiPerson)},
		{"GET", "/api/v1/jobs", holdsKey, s.byDevice(s.apiJobs)},
		{"POST", "/api/v1/punches", holdsKey, s.byDevice(s.apiPunch)},
		{"POST", "/api/v1/calls", holdsKey, s.byDevice(s.apiCall)},
		{"POST", "/api/v1/swipes", holdsKey, s.byDevice(s.apiSwipe)},
		{"POST", "/api/v1/punches/queue", holdsKey, s.byDevice(s.apiQueue)},
	}
}
