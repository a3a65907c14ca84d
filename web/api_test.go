package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/dbtest"
	"manudex/docs"
)

// machine is a device with a key: what it asks and is answered is held against
// docs/openapi.yaml.
type machine struct {
	t      testing.TB
	s      *site
	key    string
	point  uuid.UUID
	id     uuid.UUID // of the key
	router routers.Router
	odd    bool // what it sends isn't as the text says
}

// attach adds a clock point at the works, and gives a device there a key.
func (s *site) attach(t testing.TB, punches bool) *machine {
	t.Helper()
	mira := s.Person(t, "Mira Castellane")
	m := &machine{t: t, s: s, point: apptest.NewID(), id: apptest.NewID()}
	works := dbtest.Get[uuid.UUID](t, s.World, `select id from site where name = 'Ebbwater works'`)
	apptest.Must(t, s.Do(t.Context(), mira, points.PutPoint{ID: m.point, Title: "Gate " + m.point.String()[30:], Site: works}))
	apptest.Must(t, s.Do(t.Context(), mira,
		points.GiveKey{ID: m.id, Point: m.point, Title: "Reader", Punches: punches, Told: func(key string) { m.key = key }}))
	doc, err := openapi3.NewLoader().LoadFromData(docs.OpenAPI)
	apptest.Must(t, err)
	apptest.Must(t, doc.Validate(t.Context()))
	m.router, err = legacy.NewRouter(doc)
	apptest.Must(t, err)
	return m
}

// ask sends a request, gives the status and what was answered, and fails the test where
// either isn't as it is described.
func (m *machine) ask(method, path string, body any) (int, map[string]any) {
	m.t.Helper()
	var sent []byte
	switch body := body.(type) {
	case nil:
	case string:
		sent = []byte(body)
	default:
		sent, _ = json.Marshal(body)
	}
	req, err := http.NewRequestWithContext(m.t.Context(), method, m.s.url+path, bytes.NewReader(sent))
	apptest.Must(m.t, err)
	if sent != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	req.Header.Set("Authorization", "Bearer "+m.key)
	plain, err := http.NewRequest(method, path, bytes.NewReader(sent))
	apptest.Must(m.t, err)
	plain.Header = req.Header
	route, params, err := m.router.FindRoute(plain)
	apptest.Must(m.t, err)
	in := &openapi3filter.RequestValidationInput{Request: plain, PathParams: params, Route: route,
		Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}}
	if err := openapi3filter.ValidateRequest(context.Background(), in); err != nil && !m.odd {
		m.t.Errorf("%s %s sends what isn't described: %v", method, path, err)
	}
	res, err := http.DefaultClient.Do(req)
	apptest.Must(m.t, err)
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	apptest.Must(m.t, err)
	err = openapi3filter.ValidateResponse(context.Background(), &openapi3filter.ResponseValidationInput{RequestValidationInput: in,
		Status: res.StatusCode, Header: res.Header, Body: io.NopCloser(bytes.NewReader(answer))})
	if err != nil {
		m.t.Errorf("%s %s is answered what isn't described: %v", method, path, err)
	}
	var v map[string]any
	if err := json.Unmarshal(answer, &v); err != nil {
		m.t.Errorf("%s %s is answered %d %.200s", method, path, res.StatusCode, answer)
	}
	return res.StatusCode, v
}

// offClock is the number of somebody of the works who isn't on the clock today, and who
// is given devices where given is set.
func (s *site) offClock(t testing.TB, given bool) (number string, person uuid.UUID) {
	t.Helper()
	person = dbtest.Get[uuid.UUID](t, s.World,
		`select p.id from person p join employment e on e.person_id = p.id join site w on w.id = e.site_id
		where w.name = 'Ebbwater works' and not exists (select from stint n where n.employment_id = e.id and n.date >= '2026-11-13')
		and not exists (select from leave_day l where l.employment_id = e.id and l.date = '2026-11-13')
		order by p.number limit 1`)
	ways := "own phone or browser"
	if given {
		ways += ", device at the site"
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), people.SetPerson{ID: apptest.NewID(), Person: person,
		Field: "clock_points", Value: ways}))
	return dbtest.Get[string](t, s.World, `select number from person where id = $1`, person), person
}

// Somebody clocks in at a device, is seen everywhere, and clocks out; the same id with
// other content is no other punch.
func TestADeviceClocksPeople(t *testing.T) {
	s := open(t)
	m := s.attach(t, true)
	number, person := s.offClock(t, true)
	in := map[string]any{"id": uuid.NewString(), "number": number, "act": "in", "job": "2229", "task": "Coating"}
	for range 2 { // sent again it is answered as before
		if status, got := m.ask("POST", "/api/v1/punches", in); status != 200 || got["state"] != "recorded" {
			t.Fatalf("clocking in: %d %v", status, got)
		}
	}
	if _, got := m.ask("GET", "/api/v1/people/"+number, nil); got["state"] != "work" || got["job"] != "2229" || got["task"] != "Coating" {
		t.Errorf("they are %v", got)
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch where clock_point_id = $1 and by_person = $2 and point = 'point'`,
		m.point, person); n != 1 {
		t.Errorf("%d punches name the clock point", n)
	}
	other := map[string]any{"id": in["id"], "number": number, "act": "out"}
	if status, got := m.ask("POST", "/api/v1/punches", other); status != 409 || got["status"] != 409.0 {
		t.Errorf("the same id with other content: %d %v", status, got)
	}
	s.Pass(time.Hour)
	for _, act := range []string{"break_start", "break_end", "out"} {
		one := map[string]any{"id": uuid.NewString(), "number": number, "act": act}
		if act == "break_start" {
			one["break"] = "meal"
		}
		if status, got := m.ask("POST", "/api/v1/punches", one); status != 200 || got["state"] != "recorded" {
			t.Errorf("%s: %d %v", act, status, got)
		}
		s.Pass(30 * time.Minute)
	}
	if _, got := m.ask("GET", "/api/v1/people/"+number, nil); got["state"] != "off" || got["worked"] != 5400.0 {
		t.Errorf("after that they are %v", got)
	}
	apptest.AllConsistent(t, s.World)

	status, got := m.ask("GET", "/api/v1/people", nil)
	if list, _ := got["people"].([]any); status != 200 || len(list) != dbtest.Get[int](t, s.World,
		`select count(*) from employment e join site w on w.id = e.site_id where w.name = 'Ebbwater works' and e.ends_on is null`) {
		t.Errorf("it serves %d", len(list))
	}
	if status, got := m.ask("GET", "/api/v1/jobs", nil); status != 200 || !strings.Contains(fmt.Sprint(got), "2229") ||
		strings.Contains(fmt.Sprint(got), "2219") { // at another site
		t.Errorf("jobs: %d %v", status, got)
	}
	if status, got := m.ask("GET", "/api/v1/point", nil); status != 200 || got["site"] != "Ebbwater works" {
		t.Errorf("the clock point: %d %v", status, got)
	}
}

// Who isn't given devices isn't turned away: clocking in is kept as a claim, with the
// reason. Clocking out is recorded whatever is set (29 CFR 785.11).
func TestADeviceTurnsNobodyAway(t *testing.T) {
	s := open(t)
	m := s.attach(t, true)
	number, _ := s.offClock(t, false)
	in := map[string]any{"id": uuid.NewString(), "number": number, "act": "in", "job": "2229", "task": "Coating"}
	for range 2 {
		status, got := m.ask("POST", "/api/v1/punches", in)
		if why, _ := got["why"].(string); status != 200 || got["state"] != "claim" || !strings.Contains(why, "device of the site") {
			t.Errorf("clocking in: %d %v", status, got)
		}
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from claim where clock_point_id = $1 and why = 'refused'`, m.point); n != 1 {
		t.Errorf("%d claims", n)
	}
	dao := s.Person(t, "Dao Pham") // on the clock, by her own phone, elsewhere than the device knows of
	if _, err := s.DB.Exec(`update employment set site_id = (select id from site where name = 'Ebbwater works') where person_id = $1`,
		dao.ID); err != nil {
		t.Fatal(err)
	}
	out := map[string]any{"id": uuid.NewString(), "number": dao.Number, "act": "out"}
	if status, got := m.ask("POST", "/api/v1/punches", out); status != 200 || got["state"] != "recorded" {
		t.Errorf("clocking out: %d %v", status, got)
	}
	again := map[string]any{"id": uuid.NewString(), "number": dao.Number, "act": "out"}
	if status, got := m.ask("POST", "/api/v1/punches", again); status != 200 || got["state"] != "claim" {
		t.Errorf("out while off the clock: %d %v", status, got)
	}
}

// A queue comes in its order, each with an outcome of its own; sent twice it is one.
func TestAQueueOfADevice(t *testing.T) {
	s := open(t)
	m := s.attach(t, true)
	number, person := s.offClock(t, true)
	now := s.At()
	at := func(ago time.Duration) (string, string) {
		return now.Add(-ago).Format(time.RFC3339), now.Format(time.RFC3339)
	}
	press := func(ago time.Duration, act string, more ...string) map[string]any {
		pressed, sent := at(ago)
		one := map[string]any{"id": uuid.NewString(), "number": number, "act": act, "pressed_at": pressed, "sent_at": sent}
		for i := 0; i < len(more); i += 2 {
			one[more[i]] = more[i+1]
		}
		return one
	}
	queue := []any{press(3*time.Hour, "in", "job", "2229", "task", "Coating"), press(2*time.Hour, "switch", "job", "nothing"),
		press(2*time.Hour, "break_start", "break", "meal"), press(90*time.Minute, "break_end"), press(time.Hour, "out")}
	m.odd = true
	queue = append(queue, map[string]any{"id": "7", "number": number, "act": "in"})
	want := "[recorded refused recorded recorded recorded refused]"
	for range 2 {
		status, got := m.ask("POST", "/api/v1/punches/queue", map[string]any{"punches": queue})
		results, _ := got["results"].([]any)
		var states []string
		for _, r := range results {
			states = append(states, fmt.Sprint(r.(map[string]any)["state"]))
		}
		if status != 200 || fmt.Sprint(states) != want {
			t.Fatalf("%d %v, want %s: %v", status, states, want, got)
		}
	}
	if got := dbtest.Get[string](t, s.World,
		`select string_agg(kind || ' ' || extract(epoch from end_at - start_at)::int, ', ' order by start_at)
		from stint where person_id = $1 and date = '2026-11-13'`, person); got != "work 3600, meal 1800, work 1800" {
		t.Errorf("they worked %s", got)
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch where clock_point_id = $1 and point = 'point queue'`, m.point); n != 4 {
		t.Errorf("%d punches are of the queue", n)
	}
	apptest.AllConsistent(t, s.World)
}

// What a key doesn't open, and what can't be read.
func TestWhatADeviceMayNot(t *testing.T) {
	s := open(t)
	m, reads := s.attach(t, true), s.attach(t, false)
	number, _ := s.offClock(t, true)
	in := func(more ...any) map[string]any {
		one := map[string]any{"id": uuid.NewString(), "number": number, "act": "in", "job": "2229", "task": "Coating"}
		for i := 0; i < len(more); i += 2 {
			one[more[i].(string)] = more[i+1]
		}
		return one
	}
	if status, _ := reads.ask("POST", "/api/v1/punches", in()); status != 403 {
		t.Errorf("a key that reads only punches: %d", status)
	}
	if status, _ := reads.ask("POST", "/api/v1/punches/queue", map[string]any{"punches": []any{in()}}); status != 403 {
		t.Errorf("or sends a queue: %d", status)
	}
	if status, _ := reads.ask("GET", "/api/v1/people/"+number, nil); status != 200 {
		t.Errorf("and doesn't read: %d", status)
	}
	m.odd = true
	many := make([]any, 501)
	for i := range many {
		many[i] = in()
	}
	for name, c := range map[string]struct {
		path   string
		body   any
		status int
		field  string
	}{
		"somebody of another site":   {"", in("number", s.Person(t, "Wren Halloran").Number), 404, ""},
		"nobody":                     {"", in("number", ""), 404, ""},
		"no such job":                {"", in("job", "0"), 422, "job"},
		"no such task":               {"", in("task", "Dancing"), 422, "task"},
		"no such classification":     {"", in("classification", "ZZZ"), 422, "classification"},
		"no id":                      {"", in("id", "x"), 400, "id"},
		"no act":                     {"", in("act", "fly"), 400, "act"},
		"no break":                   {"", in("act", "break_start"), 400, "break"},
		"half a moment":              {"", in("pressed_at", "2026-11-13T15:00:00Z"), 400, "sent_at"},
		"a clock of another age":     {"", in("pressed_at", "1970-01-01T00:00:00Z", "sent_at", "1970-01-01T00:00:00Z"), 400, "pressed_at"},
		"a NUL":                      {"", in("task", "a\x00b"), 400, "task"},
		"an unknown field":           {"", in("by", "me"), 400, ""},
		"no JSON":                    {"", "{", 400, ""},
		"two values":                 {"", "{}{}", 400, ""},
		"too much":                   {"", `{"id": "` + strings.Repeat("x", 2<<20) + `"}`, 413, ""},
		"more than a queue may hold": {"/queue", map[string]any{"punches": many}, 400, "punches"},
	} {
		status, got := m.ask("POST", "/api/v1/punches"+c.path, c.body)
		if field, _ := got["field"].(string); status != c.status || field != c.field {
			t.Errorf("%s: %d, field %q: %v", name, status, field, got)
		}
	}
	m.odd = false
	mira := s.Person(t, "Mira Castellane")
	opens := func(what string, want int) {
		t.Helper()
		if status, _ := m.ask("GET", "/api/v1/point", nil); status != want {
			t.Errorf("%s: %d, want %d", what, status, want)
		}
	}
	opens("the key", 200)
	apptest.Must(t, s.Do(t.Context(), mira, points.ClosePoint{ID: m.point}))
	opens("of a closed clock point", 401)
	apptest.Must(t, s.Do(t.Context(), mira, points.ClosePoint{ID: m.point, Open: true}))
	opens("opened again", 200)
	apptest.Must(t, s.Do(t.Context(), mira, points.EndKey{Key: m.id}))
	opens("taken back", 401)
	m.key = ""
	opens("none", 401)
	if n := dbtest.Get[int](t, s.World, `select count(*) from point_key where secret_hash is null or name like '%mx_%'`); n != 0 {
		t.Error("a key is kept in clear")
	}
}

// Every route that devices ask is described, and every one that is described is there.
func TestEveryRouteOfDevicesIsDescribed(t *testing.T) {
	s := open(t)
	doc, err := openapi3.NewLoader().LoadFromData(docs.OpenAPI)
	apptest.Must(t, err)
	var described, there []string
	for path, item := range doc.Paths.Map() {
		for method := range item.Operations() {
			described = append(described, method+" "+path)
		}
	}
	apptest.Must(t, chi.Walk(s.server.Handler().(chi.Router),
		func(method, path string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			if strings.HasPrefix(path, "/api/") {
				there = append(there, method+" "+path)
			}
			return nil
		}))
	slices.Sort(described)
	slices.Sort(there)
	if !slices.Equal(described, there) {
		t.Errorf("described %v\nthere %v", described, there)
	}
}

// Whatever a device sends, it is answered, and never as a fault of the server's.
func FuzzWhatADeviceSends(f *testing.F) {
	s := open(f)
	m := s.attach(f, true)
	number, _ := s.offClock(f, true)
	for _, seed := range []string{`{}`, `{"id":"01a21878-4371-75a0-a487-0fc9186ada86","number":"` + number + `","act":"in","job":"2229"}`,
		`{"id":"01a21878-4371-75a0-a487-0fc9186ada87","number":"` + number + `","act":"out","pressed_at":"2026-11-13T15:00:00Z",
		"sent_at":"2026-11-13T15:11:00Z"}`, `{"punches":[{}]}`, `[]`, `{"number":"\u0000"}`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, body string) {
		for _, path := range []string{"/api/v1/punches", "/api/v1/punches/queue"} {
			req, err := http.NewRequest("POST", s.url+path, strings.NewReader(body))
			apptest.Must(t, err)
			req.Header.Set("Authorization", "Bearer "+m.key)
			res, err := http.DefaultClient.Do(req)
			apptest.Must(t, err)
			answer, _ := io.ReadAll(res.Body)
			res.Body.Close()
			if res.StatusCode >= 500 || strings.Contains(string(answer), `"status":500`) {
				t.Errorf("%q is answered %d %s", body, res.StatusCode, answer)
			}
		}
	})
}

// A reader sends what it typed: one swipe in, the next out; of what is refused the answer
// repeats nothing.
func TestADeviceSwipes(t *testing.T) {
	s := open(t)
	m := s.attach(t, true)
	number, person := s.offClock(t, true)
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), people.LearnBadge{Person: person, Text: "%CARD" + number + "?"}))
	swipe := func(card string) (int, map[string]any) {
		s.Pass(time.Minute)
		return m.ask("POST", "/api/v1/swipes", map[string]any{"id": uuid.NewString(), "card": card})
	}
	for _, want := range []string{"in", "out"} {
		if status, got := swipe("%CARD" + number + "?"); status != 200 || got["state"] != want {
			t.Errorf("a swipe: %d %v, want %s", status, got, want)
		}
	}
	for _, card := range []string{";4111111111111111=2512?", "%CARD", "%NOBODY77?"} {
		if status, got := swipe(card); status != 422 || strings.Contains(fmt.Sprint(got), card[1:5]) {
			t.Errorf("%d %v", status, got)
		}
	}
	now := s.At().Format(time.RFC3339)
	if status, _ := m.ask("POST", "/api/v1/swipes", map[string]any{"id": uuid.NewString(), "card": "1", "pressed_at": now}); status != 400 {
		t.Errorf("one time without the other: %d", status)
	}
}

// A phone line sends what was typed and spoken; what is refused is an answer, not a problem.
func TestADeviceIsCalled(t *testing.T) {
	s := open(t)
	m := s.attach(t, true)
	number, person := s.offClock(t, true)
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), people.SetPIN{Person: person, PIN: "2580"}))
	for _, c := range []struct {
		call map[string]any
		want string
	}{
		{map[string]any{"number": number, "pin": "1357", "act": "in"}, "refused"},
		{map[string]any{"number": number, "pin": "2580", "note": "Late today"}, "recorded"},
		{map[string]any{"number": number, "pin": "2580", "act": "in"}, "claim"}, // who isn't given the line
	} {
		c.call["id"] = uuid.NewString()
		if status, got := m.ask("POST", "/api/v1/calls", c.call); status != 200 || got["state"] != c.want {
			t.Errorf("%v: %d %v", c.call, status, got)
		}
	}
	m.odd = true
	if status, _ := m.ask("POST", "/api/v1/calls", map[string]any{"id": uuid.NewString(), "act": "sing"}); status != 400 {
		t.Errorf("an act that there isn't: %d", status)
	}
}
