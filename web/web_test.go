package web_test

import (
	"bufio"
	"bytes"
	"context"
	"image"
	"image/png"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/dbtest"
	"manudex/web"
)

// Words about an act stay for the page that follows it: no part of a page that a
// script reads meanwhile takes them.
func TestWordsStayForTheirPage(t *testing.T) {
	orla := open(t).signIn(t, "Orla Ebbwater")
	orla.post("/setup/holidays", url.Values{"title": {"Founders"}})
	for _, header := range []string{"X-Refresh", "HX-Request"} {
		if status := orla.part("/setup/rules", header); status != 200 {
			t.Fatalf("%s: %d", header, status)
		}
	}
	says := "The date of the holiday is missing"
	if orla.part("/people", "HX-Request", "HX-Boosted"); strings.Contains(bodyOf(orla, "/setup/on/holidays"), says) {
		t.Error("a page that was shown whole leaves the words for the next")
	}
	orla.post("/setup/holidays", url.Values{"title": {"Founders"}})
	orla.part("/setup/rules", "HX-Request")
	if !strings.Contains(bodyOf(orla, "/setup/on/holidays"), says) {
		t.Error("a part took the words")
	}
}

func bodyOf(c *client, path string) string {
	_, body, _ := c.get(path)
	return body
}

func TestSignIn(t *testing.T) {
	s := open(t)
	for _, c := range []struct {
		name, email, password, says string
		status                      int
	}{
		{"no address", "dao", "x",
			"This is neither an e-mail address nor a number. Write your e-mail address, your mobile or your personnel number.", 422},
		{"no password", mail("Dao Pham"), "", "The password is missing.", 422},
		{"wrong password", mail("Dao Pham"), "wrong", "They don&#39;t belong together.", 422},
		{"unknown person", "nobody@ebbwater.example", "wrong", "They don&#39;t belong together.", 422},
		{"right", strings.ToUpper(mail("Dao Pham")), "beacon and gantry", "", 303},
	} {
		status, body, h := s.stranger(t).post("/signin", url.Values{"email": {c.email}, "password": {c.password}, "to": {"/clock"}})
		if status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s: %d\n%s", c.name, status, body)
		}
		if status == 422 && !strings.Contains(body, `value="`+c.email+`"`) {
			t.Errorf("%s: what was typed is lost", c.name)
		}
		if status == 303 && h.Get("Location") != "/clock" {
			t.Errorf("%s: sent to %s", c.name, h.Get("Location"))
		}
	}
	for _, to := range []string{"https://elsewhere.example/", "//elsewhere.example/",
		`/\elsewhere.example/`, "javascript:alert(1)", `/./\elsewhere.example`, `/x/../\elsewhere.example`, "/x/..//elsewhere.example",
		"/.%5Celsewhere.example"} {
		_, _, h := s.stranger(t).post("/signin", url.Values{"email": {mail("Dao Pham")}, "password": {"beacon and gantry"}, "to": {to}})
		if l := h.Get("Location"); l != "/" && l != "/elsewhere.example" { // that is a path of ours
			t.Errorf("%s led to %s", to, h.Get("Location"))
		}
	}
}

func TestSignInIsLimited(t *testing.T) {
	w := dbtest.Open(t)
	server, err := web.New(w.App, web.Options{SignInLimit: 3})
	if err != nil {
		t.Fatal(err)
	}
	last := 0
	for range 5 {
		r, err := http.NewRequest("POST", "/signin", strings.NewReader("email=x&password=y"))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.RemoteAddr = "192.0.2.1:1234"
		rec := httptest.NewRecorder()
		server.Handler().ServeHTTP(rec, r)
		last = rec.Code
	}
	if last != http.StatusTooManyRequests {
		t.Errorf("the fifth attempt is answered %d", last)
	}
}

// A session that has ended is forgotten, one that has not stays.
func TestOldSessionsAreForgotten(t *testing.T) {
	s := open(t)
	s.signIn(t, "Dao Pham")
	if _, err := s.DB.Exec(`insert into sessions values ('old', '', now() - interval '1 minute')`); err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); s.server.Run(ctx) }()
	for dbtest.Get[int](t, s.World, `select count(*) from sessions where token = 'old'`) > 0 {
		runtime.Gosched()
	}
	cancel()
	<-done
	if n := dbtest.Get[int](t, s.World, `select count(*) from sessions`); n != 1 {
		t.Errorf("%d sessions are left, want 1", n)
	}
}

func TestHeaders(t *testing.T) {
	s := open(t)
	status, body, h := s.stranger(t).get("/signin")
	if status != 200 {
		t.Fatal(status)
	}
	for name, want := range map[string]string{"Content-Security-Policy": "script-src 'self';", "X-Content-Type-Options": "nosniff",
		"Referrer-Policy": "same-origin", "Cache-Control": "no-store"} {
		if got := h.Get(name); !strings.Contains(got, want) {
			t.Errorf("%s: %q", name, got)
		}
	}
	if strings.Contains(h.Get("Content-Security-Policy"), "unsafe") {
		t.Error("the policy allows something unsafe")
	}
	if regexp.MustCompile(`(?i)<script>|<style|\sstyle=|\son[a-z]+=`).MatchString(body) {
		t.Error("inline script or style, which the policy forbids")
	}
	_, _, h = s.stranger(t).get("/static/app.css")
	if !strings.HasPrefix(h.Get("Content-Type"), "text/css") || h.Get("ETag") == "" {
		t.Errorf("static: %v", h)
	}
}

// A form sent from another site is refused.
func TestCrossOrigin(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Dao Pham")
	r, err := http.NewRequest("POST", s.url+"/clock/punch", strings.NewReader("id="+uuid.NewString()+"&act=out"))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	res, err := c.Client.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusForbidden {
		t.Errorf("answered %d", res.StatusCode)
	}
}

func TestMalformedAddressesAreNotFound(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mira Castellane")
	for _, path := range []string{"/nowhere", "/cards/1/2026-11-12", "/cards/" + uuid.NewString() + "/2026-11-12",
		"/cards/" + uuid.NewString() + "/yesterday",
		"/payruns/7", "/payruns/" + uuid.NewString(), "/payruns/" + uuid.Nil.String(), "/payruns/x/lines.csv", "/timecards?day=tomorrow",
		"/timecards?from=2026-11-12",
		"/timecards?from=2026-11-12&to=2026-11-01", "/timecards?person=me", "/timecards?person=" + uuid.NewString(), "/timecards?offset=-1",
		"/today?day=2026-02-30", "/static/nothing.css"} {
		status, body, _ := c.get(path)
		if status != 404 || !strings.Contains(body, "There is nothing here") {
			t.Errorf("%s: %d", path, status)
		}
	}
	for _, form := range []url.Values{{"id": {"1"}, "act": {"out"}},
		{"id": {uuid.NewString()}, "act": {"in"}, "choice": {"2231"}},
		{"id": {uuid.NewString()}, "act": {"in"}, "choice": {uuid.NewString() + "."}}} {
		if status, _, _ := s.signIn(t, "Dao Pham").post("/clock/punch", form); status != 404 {
			t.Errorf("%v: %d", form, status)
		}
	}
}

// A refused punch says what is wrong and keeps what was chosen and typed.
func TestRefusedFormsKeepWhatWasTyped(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Ruth Adeyemi")
	beacon := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2226'`).String()
	task := dbtest.Get[uuid.UUID](t, s.World, `select t.id from task t join job j on j.id = t.job_id where j.number = '2226'
		and t.name = 'Coating'`).String()
	_, err := s.DB.Exec(`update task set state = 'closed' where id = $1`, task)
	if err != nil {
		t.Fatal(err)
	}
	status, body, _ := c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"in"}, "choice": {beacon + "." + task}})
	if status != 422 || !strings.Contains(body, "That task of 2226 Kilometre plates was closed. Choose another task.") {
		t.Errorf("closed task: %d", status)
	}
	// What was found by searching is kept, too, and the address is that of the page.
	other := dbtest.Get[uuid.UUID](t, s.World, `select j.id from job j where j.public_work and j.state = 'open'
		and j.open_to_all and exists (select 1 from task where job_id = j.id and state = 'open') order by number limit 1`).String()
	status, body, h := c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"in"}, "choice": {other}})
	if status != 422 || !strings.Contains(body, `value="`+other+`" checked`) || h.Get("HX-Push-Url") != "/clock" {
		t.Errorf("the job that was searched for: %d, kept %v, at %q", status, strings.Contains(body, other), h.Get("HX-Push-Url"))
	}
	long := strings.Repeat("x", 1001)
	status, body, _ = c.post("/clock/note", url.Values{"id": {uuid.NewString()}, "note": {long}})
	if status != 422 || !strings.Contains(body, "Keep it to 1,000 characters") || !strings.Contains(body, long) {
		t.Errorf("long note: %d, kept %v", status, strings.Contains(body, long))
	}
	status, body, _ = c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"out"}, "device_at": {"half past six"}})
	if status != 422 || !strings.Contains(body, "The device&#39;s time can&#39;t be read") {
		t.Errorf("device's time: %d", status)
	}
}

// The second of two taps on one button is answered as the first was.
func TestDoubleTap(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Dao Pham")
	form := url.Values{"id": {uuid.NewString()}, "act": {"out"}}
	for range 2 {
		if status, _, h := c.post("/clock/punch", form); status != 303 || h.Get("Location") != "/clock" {
			t.Errorf("answered %d", status)
		}
	}
	form.Set("act", "break_start")
	form.Set("break", "rest")
	if status, body, _ := c.post("/clock/punch", form); status != 409 || !strings.Contains(body, "sent before, with other content") {
		t.Errorf("other content under the same id: %d", status)
	}
}

func TestReadiness(t *testing.T) {
	s := open(t)
	for path, want := range map[string]string{"/healthz": "ok\n", "/readyz": "ready\n"} {
		if status, body, _ := s.stranger(t).get(path); status != 200 || !strings.HasPrefix(body, want) {
			t.Errorf("%s: %d %q", path, status, body)
		}
	}
	rec := httptest.NewRecorder()
	r, _ := http.NewRequest("GET", "/metrics", nil)
	s.server.Metrics().ServeHTTP(rec, r)
	for _, name := range []string{"manudex_request_seconds", "manudex_punches_total", "manudex_live_streams",
		"manudex_database_connections", "manudex_database_waits_total", "manudex_hears", "manudex_stuck_work", "go_goroutines",
		"go_memstats_heap_alloc_bytes"} {
		if !strings.Contains(rec.Body.String(), name) {
			t.Errorf("no %s in /metrics", name)
		}
	}
}

// stream follows somebody's live events until the test ends.
func stream(t *testing.T, s *site, c *client, asks ...url.Values) <-chan string {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	address := s.url + "/live"
	for _, a := range asks {
		address += "?" + a.Encode()
	}
	r, err := http.NewRequestWithContext(ctx, "GET", address, nil)
	if err != nil {
		t.Fatal(err)
	}
	res, err := c.Client.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { res.Body.Close() })
	events := make(chan string, 100)
	go func() {
		defer close(events)
		lines := bufio.NewScanner(res.Body)
		for lines.Scan() {
			if e, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				events <- e
			}
		}
	}()
	return events
}

func expect(t *testing.T, events <-chan string, want string) {
	t.Helper()
	for e := range events {
		if e == want {
			return
		}
	}
	t.Fatalf("the stream ended without %q", want)
}

// What one node records, the pages of another node hear of; a worker's
// stream carries nothing of others.
func TestLive(t *testing.T) {
	s := open(t)
	other := app.New(s.DB, s.At, s.Log) // a second node on the same database
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	go other.Run(ctx)

	manager, worker := stream(t, s, s.signIn(t, "Mira Castellane")), stream(t, s, s.signIn(t, "Viggo Bexley"))
	expect(t, manager, "hello")
	expect(t, worker, "hello")
	// Whatever it heard while the node began to listen is over.
	dao := s.Person(t, "Dao Pham")
	if err := other.Do(ctx, dao, hours.Punch{ID: uuid.Must(uuid.NewV7()), Act: "out"}); err != nil {
		t.Fatal(err)
	}
	expect(t, manager, "changed")
	// A worker's own punch is the first thing their stream says of hours: had
	// Dao's reached it, it would have come before.
	sub, err := s.Follow(s.Person(t, "Viggo Bexley"))
	if err != nil {
		t.Fatal(err)
	}
	defer sub.Close()
	if sub.Take().Any() {
		t.Error("a new subscription has something to tell")
	}
	mine, err := s.Follow(dao)
	if err != nil {
		t.Fatal(err)
	}
	defer mine.Close()
	if err := other.Do(ctx, dao, hours.AddNote{ID: uuid.Must(uuid.NewV7()), Body: "n"}); err != nil {
		t.Fatal(err)
	}
	<-mine.Wake()
	if sub.Take().Any() {
		t.Error("a worker hears of somebody else's hours")
	}
}

// The company's mark stands on the day sheets, once there is one.
func TestTheMarkIsPrinted(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mira Castellane")
	has := func() bool {
		_, body, _ := c.get("/timecards/sheets?day=2026-11-12")
		return strings.Contains(body, `src="/mark.png"`)
	}
	if has() {
		t.Error("a mark before there is one")
	}
	var raw bytes.Buffer
	if err := png.Encode(&raw, image.NewNRGBA(image.Rect(0, 0, 40, 10))); err != nil {
		t.Fatal(err)
	}
	if err := s.Do(t.Context(), s.Person(t, "Mira Castellane"), company.SetMark{Image: raw.Bytes()}); err != nil {
		t.Fatal(err)
	}
	if !has() {
		t.Error("the mark isn't printed")
	}
}

// Modules are imported by the version of their content, and so can be kept for
// ever; every one that a page needs is there.
func TestModulesAreImportedByVersion(t *testing.T) {
	s := open(t)
	c := s.stranger(t)
	_, page, _ := c.get("/signin")
	todo := regexp.MustCompile(`/static/page\.js\?v=\w+`).FindAllString(page, 1)
	seen := map[string]bool{}
	for len(todo) > 0 {
		address := todo[0]
		todo = todo[1:]
		if seen[address] {
			continue
		}
		seen[address] = true
		status, text, h := c.get(address)
		if status != 200 || !strings.Contains(h.Get("Cache-Control"), "immutable") {
			t.Errorf("%s: %d, kept as %q", address, status, h.Get("Cache-Control"))
		}
		for _, m := range regexp.MustCompile(`(?m)^import .*?"\./([^"]+)";`).FindAllStringSubmatch(text, -1) {
			todo = append(todo, "/static/"+m[1])
		}
	}
	if len(seen) < 10 {
		t.Errorf("only %d modules: %v", len(seen), seen)
	}
}
