package main

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/dbtest"
	"manudex/demo"
	"manudex/standin"
	"manudex/store"
)

// asProgram names the variable that makes the tests' binary the program itself,
// to be started and killed.
const asProgram = "MANUDEX_TEST_AS_PROGRAM"

func TestMain(m *testing.M) {
	if os.Getenv(asProgram) != "" {
		main()
		os.Exit(0)
	}
	os.Exit(m.Run())
}

// The server and PostgreSQL are killed while people punch on their phones, at a device and
// on a crew's sheet, a file is brought in, a run is
// closed and people are told of their shifts: what was acknowledged is there, once, and nothing else.
func TestKilled(t *testing.T) {
	k := newKillable(t)
	ask := func(query string, args ...any) (n int) {
		t.Helper()
		k.read(func(db *store.DB) error { return db.GetContext(t.Context(), &n, query, args...) })
		return n
	}
	monday := time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)
	k.serve(monday)
	var workers []*caller
	for _, email := range k.workers(12) {
		workers = append(workers, k.signIn(email))
	}
	before, runs := ask(`select count(*) from punch`), ask(`select count(*) from run`)
	clerk, mira := k.signIn("sana.verity@"+demo.MailDomain), k.signIn("mira.castellane@"+demo.MailDomain)

	wren, crew, at := k.signIn("wren.halloran@"+demo.MailDomain),
		k.column(`select e.id::text from employment e join unit u on u.id = e.unit_id
		join person p on p.id = e.person_id where u.name = 'Gantry crew B' and p.level = 'worker'`),
		k.column(`select p.number from person p join employment e on e.person_id = p.id where e.clock_points like '%device at the site%'
			and p.email <> all($1) and not exists (select 1 from stint s where s.person_id = p.id and s.end_at is null)
			order by p.number limit 3`, workersOf(workers))
	if len(crew) != 5 || len(at) == 0 {
		t.Fatalf("%d of a crew, %d who clock at a device", len(crew), len(at))
	}
	answers := url.Values{}
	for _, m := range regexp.MustCompile(`name="employment" value="([^"]*)"`).FindAllStringSubmatch(clerk.get("/payruns/answers"), -1) {
		answers.Add("employment", m[1])
		answers.Set("answer-"+m[1], "left_out")
		answers.Set("reason-"+m[1], "nobody could be reached")
	}
	clerk.until("/payruns/answers", answers)
	run, seen := uuid.NewString(), field(t, clerk.get("/payruns/close"), "seen")
	imported := uuid.NewString()
	mira.bring(imported, 40)
	told := k.column(`select e.id::text from employment e join person p on p.id = e.person_id where p.mobile <> '' and p.level = 'worker'
		and e.ends_on is null and not exists (select from planned s where s.employment_id = e.id and s.date = '2026-11-29')
		order by p.number limit 8`)
	for _, id := range told {
		mira.until("/roster/plan", url.Values{"id": {uuid.NewString()}, "employment": {id}, "date": {"2026-11-29"}, "from": {"08:00"},
			"to": {"12:00"}, "less": {"0"}})
	}
	var telling url.Values
	acts := []string{"in", "break_start", "break_end", "out"}
	for round, act := range acts {
		now := monday.Add(time.Duration(round) * 13 * time.Minute)
		if round > 0 {
			k.kill(k.server)
			k.serve(now)
		}
		if round == 2 {
			telling = url.Values{"id": {uuid.NewString()}, "from": {"2026-11-29"}, "to": {"2026-11-29"}}
			for _, m := range regexp.MustCompile(`name="whom" value="([^"]+)"`).FindAllStringSubmatch(
				mira.get("/roster?from=2026-11-29&to=2026-11-29"), -1) {
				telling.Add("whom", m[1])
			}
		}
		done := make(chan string, len(workers)+len(at)+3)
		var all sync.WaitGroup
		do := func(what string, f func()) { all.Go(func() { f(); done <- what }) }
		for _, w := range workers {
			do("punch", func() {
				form := url.Values{"id": {uuid.NewString()}, "act": {act}, "break": {"meal"}}
				if act == "in" {
					page := w.get("/clock")
					choice := field(t, page, "choice")
					form.Set("choice", choice)
					if strings.Contains(page, "class-"+choice) {
						form.Set("class-"+choice, field(t, page, "class-"+regexp.QuoteMeta(choice)))
					}
				}
				w.until("/clock/punch", form)
			})
		}
		// A crew is out since the Friday before, and then as everybody.
		sheet := url.Values{"id": {uuid.NewString()}, "unit": {k.column(`select id::text from unit where name = 'Gantry crew B'`)[0]},
			"day": {"2026-11-23"}, "p": crew, "act": {[]string{"out", "in", "meal", "back"}[round]}}
		do("sheet", func() { wren.until("/crew/punch", sheet) })
		for _, number := range at {
			do("device", func() { k.device(number, act) })
		}
		switch round {
		case 2:
			do("telling", func() { mira.until("/roster/tell", telling) })
		case 0:
			do("closing", func() {
				clerk.until("/payruns", url.Values{"id": {run}, "seen": {seen}, "password": {demo.Password}})
			})
		case 1:
			do("file", func() { mira.until("/people/file/"+imported+"/in", url.Values{"wrong": {"0"}}) })
		}
		for range 2 + 2*round { // so many are acknowledged, the others on their way
			<-done
		}
		if round%2 == 0 {
			k.kill(k.server)
			k.serve(now)
		} else {
			k.killPostgres()
		}
		all.Wait()
	}
	for give := time.Now().Add(30 * time.Second); ask(`select count(*) from import where id = $1 and applied_at is not null`,
		imported) == 0; {
		if failed := ask(`select count(*) from river_job where state = 'discarded'`); failed > 0 || time.Now().After(give) {
			t.Fatalf("the file is never brought in; %d jobs failed; its page: %s", failed,
				regexp.MustCompile(`(?s)<main.*</main>`).FindString(mira.get("/people/file/"+imported)))
		}
	}
	for give := time.Now().Add(30 * time.Second); ask(`select count(*) from notice_way w left join message m on m.id = w.message_id
		where m.sent_at is null and w.way = 'text'`) > 0; {
		if time.Now().After(give) {
			t.Fatal("messages are never sent")
		}
	}
	k.kill(k.server)
	k.killPostgres()

	k.arrived(told)
	if n, want := ask(`select count(*) from punch`), (len(workers)+len(crew)+len(at))*len(acts); n-before != want {
		t.Errorf("%d punches of %d", n-before, want)
	}
	if n := ask(`select count(*) from claim where received_at >= '2026-11-23'`); n != 0 {
		t.Errorf("%d claims", n)
	}
	for _, id := range k.acknowledged {
		if n := ask(`select count(*) from punch where id = $1`, id); n != 1 {
			t.Errorf("punch %s, acknowledged, is there %d times", id, n)
		}
	}
	if n := ask(`select count(*) from run where id = $1 and exists (select 1 from pay_line l where l.run_id = run.id)`, run); n != 1 {
		t.Error("the run that was closed is not there")
	}
	if n := ask(`select count(*) from run`); n-runs != 1 {
		t.Errorf("%d runs were closed", n-runs)
	}
	if n := ask(`select count(*) from person where number between '8000' and '8039' and length(number) = 4`); n != 40 {
		t.Errorf("%d people of 40 came in", n)
	}
	out, err := k.command(monday.Add(time.Hour), "verify").CombinedOutput()
	if err != nil || !strings.Contains(string(out), " 0 differences") {
		t.Errorf("verify: %v\n%s", err, out)
	}
	t.Logf("%d punches acknowledged; %s", len(k.acknowledged), strings.TrimSpace(string(out)))
}

// arrived looks whether those who were told of their shift were told once: by one notice each,
// and by one message, however often it was sent.
func (k *killable) arrived(employments []string) {
	k.Helper()
	if len(employments) != 8 {
		k.Fatalf("%d people can be told by text", len(employments))
	}
	for _, id := range employments {
		numbers := k.column(`select p.mobile from notice n join person p on p.id = n.person_id join employment e on e.person_id = p.id
			join notice_way w on w.notice_id = n.id and w.way = 'text' join message m on m.id = w.message_id and m.sent_at is not null
			where e.id = $1 and n.kind = 'shift_told'`, id)
		if len(numbers) != 1 {
			k.Errorf("%s is told %d times", id, len(numbers))
			continue
		}
		came := 0
		for _, m := range k.texts.Messages() {
			if m.To == numbers[0] && strings.Contains(m.Text, "Sun 29 Nov 08:00") {
				came++
			}
		}
		if came != 1 {
			k.Errorf("%s has %d messages of it", numbers[0], came)
		}
	}
}

// killable is a server of Manudex on a PostgreSQL of its own that keeps what it
// says it keeps.
type killable struct {
	*testing.T
	dsn, base    string
	server       *exec.Cmd
	texts        standin.Texts // takes messages, and is never killed
	textsAt      string
	mu           sync.Mutex
	acknowledged []string // ids of punches
}

func newKillable(t *testing.T) *killable {
	k := &killable{T: t}
	t.Setenv("MANUDEX_STATE", stateDir(t))
	for _, v := range []string{"MANUDEX_DATABASE", "MANUDEX_NOW", "MANUDEX_SMTP", "MANUDEX_TEXT"} {
		t.Setenv(v, "")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	k.base = "http://" + l.Addr().String()
	messages := httptest.NewServer(k.texts.Handler())
	t.Cleanup(messages.Close)
	k.textsAt = messages.URL
	l.Close()
	t.Cleanup(func() {
		if k.server != nil {
			k.kill(k.server)
		}
		k.postgres(`pg_fresh killed`)
	})
	k.dsn = k.postgres(`pg_fresh killed && pg_start killed && echo "$PG_DSN"`)
	if out, err := k.command(dbtest.Now, "demo").CombinedOutput(); err != nil {
		t.Fatalf("the demo world: %v\n%s", err, out)
	}
	return k
}

// stateDir is a place that the user postgres can reach.
func stateDir(t *testing.T) string {
	dir, err := os.MkdirTemp("", "manudex-killed")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return dir
}

// postgres does something with the private server of the test.
func (k *killable) postgres(script string) string {
	k.Helper()
	cmd := exec.Command("bash", "-c", "set -euo pipefail; . scripts/postgres.sh; "+script)
	cmd.Dir = "../.."
	var errs bytes.Buffer
	cmd.Stderr = &errs
	out, err := cmd.Output()
	if err != nil {
		k.Errorf("%s: %v\n%s", script, err, errs.Bytes())
	}
	return strings.TrimSpace(string(out))
}

// killPostgres kills all of PostgreSQL, and starts it again.
func (k *killable) killPostgres() {
	k.Helper()
	pid, err := strconv.Atoi(k.postgres(`pg_place killed && head -n 1 "$PG_HOME/data/postmaster.pid"`))
	if err != nil {
		k.Fatal(err)
	}
	process, err := os.FindProcess(pid)
	if err == nil {
		err = process.Kill()
	}
	if err != nil {
		k.Fatal(err)
	}
	// Its children go when they notice. Until then it can't be started.
	k.dsn = k.postgres(`pg_place killed; port=$(cat "$PG_HOME/port")
		until ! pg_as "$(pg_bin)/pg_ctl" -D "$PG_HOME/data" status >/dev/null 2>&1; do :; done
		pg_free_port() { echo "$port"; }
		until (pg_start killed) >/dev/null 2>&1; do :; done
		pg_start killed && echo "$PG_DSN"`)
}

func (k *killable) command(now time.Time, args ...string) *exec.Cmd {
	args = append(args, "--database", k.dsn, "--now", now.Format(time.RFC3339), "--log-level", "error")
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), asProgram+"=1")
	return cmd
}

// serve starts the server at a fixed now, and waits until it is ready.
func (k *killable) serve(now time.Time) {
	k.Helper()
	k.server = k.command(now, "serve", "--listen", strings.TrimPrefix(k.base, "http://"), "--text", k.textsAt)
	if err := k.server.Start(); err != nil {
		k.Fatal(err)
	}
	until := time.Now().Add(30 * time.Second)
	for {
		if res, err := http.Get(k.base + "/readyz"); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return
			}
		}
		if time.Now().After(until) {
			k.Fatal("the server doesn't come up")
		}
	}
}

func (k *killable) kill(cmd *exec.Cmd) {
	if cmd.ProcessState != nil {
		return
	}
	cmd.Process.Kill()
	cmd.Wait()
}

// workers are people who are off the clock and may clock.
func (k *killable) workers(n int) (emails []string) {
	k.Helper()
	db, err := store.Open(k.Context(), k.dsn)
	if err != nil {
		k.Fatal(err)
	}
	defer db.Close()
	if err := db.SelectContext(k.Context(), &emails, `select p.email from person p join employment e on e.person_id = p.id
		where p.level = 'worker' and p.email <> '' and p.password_hash <> '' and e.ends_on is null
		  and not exists (select 1 from stint s where s.employment_id = e.id and s.end_at is null) order by p.id
		  limit $1`, n); err != nil || len(emails) != n {
		k.Fatalf("%d people who may clock: %v", len(emails), err)
	}
	return emails
}

// caller is somebody signed in, who tries again until they are answered.
type caller struct {
	*http.Client
	email string
	k     *killable
}

func (k *killable) signIn(email string) *caller {
	k.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		k.Fatal(err)
	}
	c := &caller{&http.Client{Jar: jar, Timeout: 20 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}, email, k}
	c.until("/signin", url.Values{"email": {email}, "password": {demo.Password}})
	return c
}

// column reads texts.
func (k *killable) column(query string, args ...any) (texts []string) {
	k.Helper()
	k.read(func(db *store.DB) error { return db.SelectContext(k.Context(), &texts, query, args...) })
	return texts
}

// read reads from the database, by a connection of its own.
func (k *killable) read(of func(*store.DB) error) {
	k.Helper()
	db, err := store.Open(k.Context(), k.dsn)
	if err != nil {
		k.Fatal(err)
	}
	defer db.Close()
	if err := of(db); err != nil {
		k.Fatal(err)
	}
}

func workersOf(callers []*caller) (emails []string) {
	for _, c := range callers {
		emails = append(emails, c.email)
	}
	return emails
}

// device sends a punch as a reader of the company's does, the same until it is answered.
func (k *killable) device(number, act string) {
	id := uuid.NewString()
	sent := fmt.Sprintf(`{"id": %q, "number": %q, "act": %q, "break": "meal"}`, id, number, act)
	for give := time.Now().Add(time.Minute); time.Now().Before(give); {
		req, err := http.NewRequest("POST", k.base+"/api/v1/punches", strings.NewReader(sent))
		if err != nil {
			k.Error(err)
			return
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Authorization", "Bearer "+demo.ReaderKey)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			continue // killed
		}
		body, err := io.ReadAll(res.Body)
		res.Body.Close()
		switch {
		case err != nil, res.StatusCode == http.StatusServiceUnavailable:
			continue
		case res.StatusCode >= 300 || !strings.Contains(string(body), `"recorded"`):
			k.Errorf("%s of %s at a device: %d %s", act, number, res.StatusCode, body)
			return
		}
		k.mu.Lock()
		k.acknowledged = append(k.acknowledged, id)
		k.mu.Unlock()
		return
	}
	k.Errorf("%s of %s at a device is never answered", act, number)
}

// until posts a form until it is answered with a redirect.
func (c *caller) until(path string, form url.Values) {
	give := time.Now().Add(time.Minute)
	for time.Now().Before(give) {
		res, err := c.PostForm(c.k.base+path, form)
		if err != nil {
			continue // killed
		}
		body, err := io.ReadAll(res.Body)
		res.Body.Close()
		switch {
		case err != nil, res.StatusCode == http.StatusServiceUnavailable:
			continue
		case res.StatusCode != http.StatusSeeOther, strings.HasPrefix(res.Header.Get("Location"), "/signin"):
			wrong := regexp.MustCompile(`(?s)role="alert".{0,300}`).Find(body)
			c.k.Errorf("%s: %s %v: %d %s %s", c.email, path, form, res.StatusCode, res.Header.Get("Location"), wrong)
			return
		}
		if path == "/clock/punch" {
			c.k.mu.Lock()
			c.k.acknowledged = append(c.k.acknowledged, form.Get("id"))
			c.k.mu.Unlock()
		}
		return
	}
	c.k.Errorf("%s %v is never answered", path, form)
}

func (c *caller) get(path string) string {
	give := time.Now().Add(time.Minute)
	for time.Now().Before(give) {
		res, err := c.Get(c.k.base + path)
		if err != nil {
			continue
		}
		body, err := io.ReadAll(res.Body)
		res.Body.Close()
		if err == nil && res.StatusCode == http.StatusOK {
			return string(body)
		}
	}
	c.k.Errorf("%s is never answered", path)
	return ""
}

// bring uploads a file of people.
func (c *caller) bring(id string, people int) {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	form.WriteField("id", id)
	part, err := form.CreateFormFile("file", "crew.csv")
	if err != nil {
		c.k.Fatal(err)
	}
	out := csv.NewWriter(part)
	out.Write([]string{"Number", "Given name", "Family name", "Crew or department", "Hired"})
	for i := range people {
		out.Write([]string{strconv.Itoa(8000 + i), "Given", fmt.Sprint("Family", i), "Paint line", "2026-11-02"})
	}
	out.Flush()
	form.Close()
	res, err := c.Post(c.k.base+"/people/file", form.FormDataContentType(), &b)
	if err != nil {
		c.k.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusSeeOther {
		c.k.Fatalf("the file is answered %d", res.StatusCode)
	}
}

// field reads the first value of a field of a page.
func field(t *testing.T, page, name string) string {
	m := regexp.MustCompile(`name="` + name + `"[^>]*value="([^"]+)"`).FindStringSubmatch(page)
	if m == nil {
		t.Errorf("the page has no field %s: %s", name, page)
		return ""
	}
	return m[1]
}
