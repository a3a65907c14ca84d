package web_test

import (
	"bytes"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"manudex/dbtest"
)

// postFile sends a form with a file of some bytes, as a browser does.
func (c *client) postFile(path, field, name string, content []byte) int {
	c.t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile(field, name)
	if err != nil {
		c.t.Fatal(err)
	}
	if _, err := part.Write(content); err != nil {
		c.t.Fatal(err)
	}
	form.Close()
	req, err := http.NewRequest("POST", c.base+path, &body)
	if err != nil {
		c.t.Fatal(err)
	}
	req.Header.Set("Content-Type", form.FormDataContentType())
	res, err := c.Client.Do(req)
	if err != nil {
		return 0 // the server hung up while we were still sending
	}
	res.Body.Close()
	return res.StatusCode
}

// Nothing that a request sends reaches the disk, whoever sends it: a stranger
// could fill it.
func TestNothingSentReachesTheDisk(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("TMPDIR", dir)
	s := open(t)
	big := make([]byte, 40<<20)
	for _, c := range []struct {
		who  *client
		path string
	}{{s.stranger(t), "/signin"}, {s.stranger(t), "/welcome/abcd-abcd-abcd-abcd"}, {s.signIn(t, "Dao Pham"), "/clock/note"},
		{s.signIn(t, "Mira Castellane"), "/people/file"}} {
		if status := c.who.postFile(c.path, "f", "x", big); status != 0 && status != 413 && status != 422 {
			t.Errorf("%s: 40 MB are answered %d", c.path, status)
		}
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "multipart-*")); len(left) > 0 {
		t.Errorf("%v lie in the temp directory", left)
	}
	if _, err := os.Stat(dir); err != nil {
		t.Fatal(err)
	}
	if status, body, _ := s.stranger(t).post("/signin", url.Values{"email": {strings.Repeat("x", 70_000)}}); status != 413 ||
		!strings.Contains(body, "more than a form may hold") {
		t.Errorf("70 KB in a sign-in form: %d", status)
	}
}

// Every route that takes files takes one that is larger than a form.
func TestFilesAreLargerThanForms(t *testing.T) {
	s := open(t)
	c, job := s.signIn(t, "Mira Castellane"), dbtest.Get[string](t, s.World, `select id::text from job limit 1`)
	for _, path := range []string{"/people/file", "/jobs/file", "/setup/hours", "/setup/year", "/setup/holidays/file", "/setup/leave/file",
		"/jobs/" + job + "/estimate", "/setup/map"} {
		if status := c.postFile(path, "file", "x.csv", bytes.Repeat([]byte("a,b\n"), 400_000)); status == 413 || status == 0 {
			t.Errorf("%s: a file of 1.6 MB is answered %d", path, status)
		}
	}
}

// Bytes that are no text, and dates of no working life, are the asker's fault
// and no error of the server's.
func TestOddBytesAreRefused(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mira Castellane")
	for path, want := range map[string]int{"/people?q=%00": 400, "/people?q=%ff": 400, "/find?q=%00": 400, "/jobs?q=%00": 400,
		"/setup/audit?act=%00": 400, "/today?day=0001-01-01": 404,
		"/timecards?%00=1": 400, "/hours/%00": 400, "/people?q=%zz": 400, "/cards/%ff/2026-11-12": 400, "/timecards?day=2300-01-01": 404} {
		if status, _, _ := c.get(path); status != want {
			t.Errorf("%s: %d, want %d", path, status, want)
		}
	}
	if status, _, _ := c.post("/clock/note", url.Values{"note": {"a\x00b"}}); status != 400 {
		t.Errorf("a note with NUL: %d", status)
	}
	if status, _, _ := s.stranger(t).post("/signin", url.Values{"email": {"a\x00@b.c"}, "password": {"x"}}); status != 400 {
		t.Errorf("an address with NUL: %d", status)
	}
}

// However many methods somebody makes up, the measures stay as many as they are.
func TestMeasuresDoNotGrowByMadeUpMethods(t *testing.T) {
	s := open(t)
	for _, method := range []string{"A", "B", "C"} {
		s.stranger(t).do(method, "/signin", nil)
	}
	rec := httptest.NewRecorder()
	s.server.Metrics().ServeHTTP(rec, httptest.NewRequest("GET", "/metrics", nil))
	if body := rec.Body.String(); strings.Contains(body, `method="A"`) || !strings.Contains(body, `method="other"`) {
		t.Error("a made-up method has a measure of its own")
	}
}

// The id of a request is ours, whatever came with it.
func TestRequestIDsAreOurOwn(t *testing.T) {
	s := open(t)
	req, _ := http.NewRequest("GET", s.url+"/signin", nil)
	req.Header.Set("X-Request-Id", "forged")
	res, err := s.stranger(t).Client.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if id := res.Header.Get("X-Request-Id"); id == "forged" || id == "" {
		t.Errorf("the request is known as %q", id)
	}
}

// One person holds no more than a few live pages of a node.
func TestStreamsOfOnePersonAreBounded(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Dao Pham")
	for range 20 {
		expect(t, stream(t, s, c), "hello")
	}
	if status, _, _ := c.get("/live"); status != 429 {
		t.Errorf("the 21st stream is answered %d", status)
	}
	if status, _, _ := s.signIn(t, "Viggo Bexley").get("/live"); status != 200 {
		t.Errorf("somebody else's first stream is answered %d", status)
	}
}

// What a spreadsheet would take for a formula is text in every cell, heads
// and personnel numbers among them.
func TestFilesHoldNoFormulas(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mira Castellane")
	if _, err := s.DB.Exec(`insert into own_field (id, name, kind, choices, position)
		values (gen_random_uuid(), '=HYPERLINK("http://x")', 'text', '', 1)`); err != nil {
		t.Fatal(err)
	}
	if _, err := s.DB.Exec(`update person set number = '=1+cmd|x' where id = $1`, s.Person(t, "Dao Pham").ID); err != nil {
		t.Fatal(err)
	}
	key := dbtest.Get[string](t, s.World, `select id::text from own_field where name like '=HYPER%'`)
	if status, _, _ := c.post("/people/columns", url.Values{"column": {"number", key}}); status != 303 {
		t.Fatalf("columns: %d", status)
	}
	_, body, _ := c.get("/people/export.csv")
	run := dbtest.Get[string](t, s.World, `select id::text from run order by number desc limit 1`)
	_, lines, _ := s.signIn(t, "Sana Verity").get("/payruns/" + run + "/lines.csv")
	for name, file := range map[string]string{"people": body, "pay run": lines} {
		if !strings.Contains(file, "cmd|x") {
			t.Errorf("%s: the number isn't in it", name)
		}
		for _, cell := range strings.FieldsFunc(file, func(r rune) bool { return r == ',' || r == '\n' }) {
			if cell = strings.Trim(cell, `"`); strings.HasPrefix(cell, "=") {
				t.Errorf("%s: a formula: %s", name, cell)
			}
		}
	}
}

// A lead reads their crew's names and telephones, and neither the numbers that
// open terminals nor the accounts that payroll books to.
func TestLeadsSeeNoBadges(t *testing.T) {
	s := open(t)
	for name, sees := range map[string]bool{"Ruth Adeyemi": false, "Mira Castellane": true} {
		c := s.signIn(t, name)
		c.post("/people/columns", url.Values{"column": {"mobile", "badges", "account"}})
		_, body, _ := c.get("/people/export.csv")
		head, _, _ := strings.Cut(body, "\n")
		if !strings.Contains(head, "Mobile") || strings.Contains(head, "Badges") != sees || strings.Contains(head, "Account") != sees {
			t.Errorf("%s has the columns %s", name, head)
		}
	}
}
