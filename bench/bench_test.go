// Package bench measures the application against the SQL alone, each as a
// ratio taken in one run. ./bench.sh runs it against a server that keeps its
// promises (fsync on) with the sized world in it.
package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"html"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"manudex/app"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/demo"
	"manudex/store"
	"manudex/web"
)

// now is the fixed now of the measured worlds.
var now = time.Date(2026, 11, 13, 15, 12, 0, 0, time.UTC)

func dsn(t testing.TB, name string) string {
	t.Helper()
	v := os.Getenv(name)
	if v == "" {
		t.Skipf("%s is not set: run ./bench.sh", name)
	}
	return v
}

// site is the application on a measured world.
type site struct {
	*app.App
	db    *store.DB
	url   string
	clock func() time.Time
}

func open(t testing.TB, dsn string, clock func() time.Time) *site {
	t.Helper()
	db, err := store.Open(context.Background(), dsn)
	if err != nil {
		t.Fatal(err)
	}
	a := app.New(db, clock, slog.New(slog.DiscardHandler))
	server, err := web.New(a, web.Options{SignInLimit: 1 << 20})
	if err != nil {
		t.Fatal(err)
	}
	ts := httptest.NewServer(server.Handler())
	ctx, stop := context.WithCancel(context.Background())
	go a.Run(ctx)
	t.Cleanup(func() {
		server.StopStreams()
		ts.Close()
		stop()
		db.Close()
	})
	return &site{a, db, ts.URL, clock}
}

func fixed() time.Time { return now }

// signIn opens a session by its cookie.
func (s *site) signIn(t testing.TB, email string) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	c := &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: &http.Transport{DisableCompression: true, MaxIdleConnsPerHost: 4}}
	res, err := c.PostForm(s.url+"/signin", url.Values{"email": {email}, "password": {demo.Password}})
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if res.StatusCode != http.StatusSeeOther {
		t.Fatalf("sign in as %s: %d", email, res.StatusCode)
	}
	return c
}

func median(d []time.Duration) time.Duration {
	slices.Sort(d)
	return d[len(d)/2]
}

// fetch gives the time until a page's whole first piece is there.
func fetch(t testing.TB, c *http.Client, url string) time.Duration {
	t.Helper()
	begun := time.Now()
	res, err := c.Get(url)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if _, err := io.Copy(io.Discard, res.Body); err != nil || res.StatusCode != 200 {
		t.Fatalf("%s: %d %v", url, res.StatusCode, err)
	}
	return time.Since(begun)
}

// tracer writes down the statements of one page, with their arguments.
type tracer struct {
	mu   sync.Mutex
	seen []statement
}

type statement struct {
	sql  string
	args []any
}

func (tr *tracer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryStartData) context.Context {
	tr.see(d.SQL, d.Args)
	return ctx
}

func (tr *tracer) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return ctx
}
func (tr *tracer) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}

func (tr *tracer) TraceBatchQuery(_ context.Context, _ *pgx.Conn, d pgx.TraceBatchQueryData) {
	tr.see(d.SQL, d.Args)
}

func (tr *tracer) see(sql string, args []any) {
	tr.mu.Lock()
	defer tr.mu.Unlock()
	for len(args) > 0 && howToAnswer(args[0]) {
		args = args[1:]
	}
	tr.seen = append(tr.seen, statement{sql, args})
}

// howToAnswer says whether an argument only tells the driver in which form to
// ask and to answer.
func howToAnswer(arg any) bool {
	switch arg.(type) {
	case pgx.QueryResultFormats, pgx.QueryResultFormatsByOID, pgx.QueryExecMode:
		return true
	}
	return false
}

func (tr *tracer) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// statementsOf gives the statements a page runs.
func statementsOf(t testing.TB, dsn, email, path string) []statement {
	t.Helper()
	tr := &tracer{}
	db, err := store.OpenWith(context.Background(), dsn, store.Opening{Tracer: tr})
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	a := app.New(db, fixed, slog.New(slog.DiscardHandler))
	server, err := web.New(a, web.Options{SignInLimit: 1 << 20})
	if err != nil {
		t.Fatal(err)
	}
	ts := httptest.NewServer(server.Handler())
	defer ts.Close()
	s := &site{App: a, db: db, url: ts.URL}
	c := s.signIn(t, email)
	fetch(t, c, ts.URL+path) // settings are read once
	tr.mu.Lock()
	tr.seen = nil
	tr.mu.Unlock()
	fetch(t, c, ts.URL+path)
	return tr.seen
}

// replay runs the statements alone on one connection and reads every row.
func replay(t testing.TB, conn *pgx.Conn, statements []statement) time.Duration {
	t.Helper()
	begun := time.Now()
	for _, s := range statements {
		rows, err := conn.Query(context.Background(), s.sql, s.args...)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			_ = rows.RawValues()
		}
		if rows.Err() != nil {
			t.Fatalf("%s: %v", s.sql, rows.Err())
		}
	}
	return time.Since(begun)
}

const manager = "mira.castellane@" + demo.MailDomain

// TestPages measures the time to the first piece of each page against the
// time of the SQL it needs run alone, and counts its statements in the sized
// and in the small world.
func TestPages(t *testing.T) {
	large, small := dsn(t, "MANUDEX_BENCH_LARGE"), dsn(t, "MANUDEX_BENCH_SMALL")
	s := open(t, large, fixed)
	c := s.signIn(t, manager)
	for _, p := range []struct{ name, path string }{
		{"Today", "/today"}, {"Today of yesterday", "/today?day=2026-11-12"}, {"Timecards", "/timecards?day=2026-11-12"},
		{"Pay run", "/payruns"}, {"Roster", "/roster"}, {"Roster of a month", "/roster?from=2026-11-08&to=2026-12-05"},
	} {
		statements := statementsOf(t, large, manager, p.path)
		few := statementsOf(t, small, manager, p.path)
		conn, err := pgx.Connect(context.Background(), large)
		if err != nil {
			t.Fatal(err)
		}
		var page, alone []time.Duration
		for range 41 { // interleaved, so that both meet the same machine
			page = append(page, fetch(t, c, s.url+p.path))
			alone = append(alone, replay(t, conn, statements))
		}
		conn.Close(context.Background())
		fmt.Printf("%s: first piece %v, its SQL alone %v, ratio %.2f; statements %d in the sized world, %d in the small one\n",
			p.name, median(page).Round(10*time.Microsecond), median(alone).Round(10*time.Microsecond),
			float64(median(page))/float64(median(alone)), len(statements), len(few))
		if len(statements) != len(few) {
			t.Errorf("%s runs %d statements in one world and %d in the other", p.name, len(statements), len(few))
		}
	}
}

// TestRefresh measures a whole list, as a page that is read anew asks for it:
// the first piece and all that come after it, against the first alone.
func TestRefresh(t *testing.T) {
	s := open(t, dsn(t, "MANUDEX_BENCH_LARGE"), fixed)
	c := s.signIn(t, manager)
	for _, path := range []string{"/today", "/timecards?day=2026-11-12"} {
		var first, whole []time.Duration
		pieces := 0
		for range 11 {
			begun := time.Now()
			next := path
			for pieces = 0; next != ""; pieces++ {
				next = nextPiece(t, c, s.url, next)
				if pieces == 0 {
					first = append(first, time.Since(begun))
				}
			}
			whole = append(whole, time.Since(begun))
		}
		fmt.Printf("%s whole, in %d pieces: %v, its first piece %v, ratio %.1f\n", path, pieces, median(whole).Round(time.Millisecond),
			median(first).Round(time.Millisecond), float64(median(whole))/float64(median(first)))
	}
}

var moreOf = regexp.MustCompile(`data-more="([^"]+)"`)

// nextPiece reads a piece and gives the address of the next one.
func nextPiece(t testing.TB, c *http.Client, base, path string) string {
	t.Helper()
	res, err := c.Get(base + path)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != 200 || res.Header.Get("X-Whole") != "" {
		t.Fatalf("%s: %d %v, whole %q", path, res.StatusCode, err, res.Header.Get("X-Whole"))
	}
	if m := moreOf.FindSubmatch(body); m != nil {
		return html.UnescapeString(string(m[1]))
	}
	return ""
}

// TestSets measures acts over all people against one statement that writes a
// row for each of them.
func TestSets(t *testing.T) {
	ctx := context.Background()
	target := dsn(t, "MANUDEX_BENCH_PUNCHES")
	tr := &tracer{}
	db, err := store.OpenWith(ctx, target, store.Opening{Tracer: tr})
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	a := app.New(db, fixed, slog.New(slog.DiscardHandler))
	var id uuid.UUID
	if err := db.Get(&id, `select id from person where email = $1`, manager); err != nil {
		t.Fatal(err)
	}
	mira, err := a.Actor(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	begun := time.Now()
	if _, err := db.Exec(`create table bare as select id, now() as at from employment`); err != nil {
		t.Fatal(err)
	}
	bare := time.Since(begun)
	do := func(what string, people int, act app.Act) {
		t.Helper()
		tr.mu.Lock()
		tr.seen = nil
		tr.mu.Unlock()
		begun := time.Now()
		if err := a.Do(ctx, mira, act); err != nil {
			t.Fatal(err)
		}
		took := time.Since(begun)
		fmt.Printf("%s, %d: %v in %d statements, %.0f × a bare table of everybody\n", what, people, took.Round(time.Millisecond),
			len(tr.seen), float64(took)/float64(bare))
	}
	m := people.ManyChange{Field: "pattern", Value: "0 7 7 7 7 7 0"}
	p, err := people.PreviewMany(ctx, a, mira, m)
	if err != nil {
		t.Fatal(err)
	}
	batch := uuid.Must(uuid.NewV7())
	do("A pattern for all", p.Changes, people.ChangeMany{ID: batch, ManyChange: m, Seen: p.Seen})
	do("its undo", p.Changes, app.Undo{Batch: batch})
	do("a holiday", p.Changes, company.PutHoliday{Date: when.NewDate(2026, 11, 13), Title: "Founders' day"})
	days := when.Period{From: when.NewDate(2026, 11, 8), To: when.NewDate(2026, 11, 12)}
	desk, err := hours.ReadDesk(ctx, a, mira, hours.DeskQuery{Days: days})
	if err != nil {
		t.Fatal(err)
	}
	do("approving the clear cards", desk.ToApprove, hours.ApproveClear{Days: days, Seen: desk.ApproveDigest, ID: uuid.Must(uuid.NewV7())})
}

// TestHistory measures Timecards with 104 weeks of history against 8 weeks,
// interleaved.
func TestHistory(t *testing.T) {
	long := open(t, dsn(t, "MANUDEX_BENCH_LARGE"), fixed)
	short := open(t, dsn(t, "MANUDEX_BENCH_SHORT"), fixed)
	lc, sc := long.signIn(t, manager), short.signIn(t, manager)
	const path = "/timecards?day=2026-11-12"
	var l, sh []time.Duration
	for range 61 {
		l = append(l, fetch(t, lc, long.url+path))
		sh = append(sh, fetch(t, sc, short.url+path))
	}
	fmt.Printf("Timecards: 104 weeks %v, 8 weeks %v, ratio %.2f\n", median(l).Round(10*time.Microsecond),
		median(sh).Round(10*time.Microsecond), float64(median(l))/float64(median(sh)))
}

const clients = 8

// TestPunches measures durable punches a second over HTTP, against pgbench
// running the same statements of one punch with as many clients, and against
// plain one-row inserts.
func TestPunches(t *testing.T) {
	target := dsn(t, "MANUDEX_BENCH_PUNCHES")
	s := open(t, target, time.Now)
	workers := s.workers(t, 400)
	const seconds = 10
	http := s.punchOverHTTP(t, workers, seconds*time.Second)
	scripted, count := s.recordPunch(t, target, workers[0])
	// The script clocks in whoever is off the clock; these rows are derived.
	if _, err := s.db.Exec(`update stint set end_at = start_at + interval '1 second', end_by = 'hand' where end_at is null`); err != nil {
		t.Fatal(err)
	}
	bench := pgbench(t, target, scripted, seconds)
	plain := pgbench(t, target, "insert into audit (made_at, act) values (now(), 'bench');\n", seconds)
	bench *= 2 // a script is two punches
	fmt.Printf("Punches: %.0f/s over HTTP, %.0f/s by pgbench running the same %d statements, ratio %.2f; plain one-row inserts %.0f/s; "+
		"%d clients\n",
		http, bench, count, http/bench, plain, clients)
}

type worker struct {
	client     *http.Client
	employment uuid.UUID
	choice     string
}

// workers signs people in and clocks them in.
func (s *site) workers(t testing.TB, n int) []worker {
	t.Helper()
	rows, err := s.db.Queryx(`select p.email, min(e.id::text)::uuid from person p join employment e on e.person_id = p.id
		where p.level = 'worker' group by p.id order by p.number limit $1`, n) // each once: some have two positions
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	var choice string
	if err := s.db.Get(&choice, `select job_id || '.' || id from task where job_id = (select id from job where number = '2252')
		order by position limit 1`); err != nil {
		t.Fatal(err)
	}
	var ws []worker
	for rows.Next() {
		var email string
		var w worker
		if err := rows.Scan(&email, &w.employment); err != nil {
			t.Fatal(err)
		}
		w.client, w.choice = s.signIn(t, email), choice
		ws = append(ws, w)
	}
	return ws
}

// punchOverHTTP has the workers clock in and out in turn, and gives punches a
// second.
func (s *site) punchOverHTTP(t testing.TB, workers []worker, length time.Duration) float64 {
	t.Helper()
	var done atomic.Int64
	var wg sync.WaitGroup
	end := time.Now().Add(length)
	begun := time.Now()
	for c := range clients {
		mine := workers[c*len(workers)/clients : (c+1)*len(workers)/clients]
		wg.Add(1)
		go func() {
			defer wg.Done()
			for i := 0; time.Now().Before(end); i++ {
				w := mine[i%len(mine)]
				if err := w.punch(s.url, i/len(mine)); err != nil {
					t.Error(err)
					return
				}
				done.Add(1)
			}
		}()
	}
	wg.Wait()
	return float64(done.Load()) / time.Since(begun).Seconds()
}

// punch clocks in and out by turns.
func (w worker) punch(base string, turn int) error {
	form := url.Values{"id": {uuid.Must(uuid.NewV7()).String()}, "act": {"in"}, "choice": {w.choice}}
	if turn%2 == 1 {
		form.Set("act", "out")
	}
	res, err := w.client.PostForm(base+"/clock/punch", form)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if err != nil || res.StatusCode != http.StatusSeeOther {
		return fmt.Errorf("punch %s: %d %v %.300s", form.Get("act"), res.StatusCode, err,
			regexp.MustCompile(`role="alert">[^<]*`).Find(body))
	}
	return nil
}

// recordPunch writes down the statements of one clocking in and one clocking
// out, everything from the session on, and turns them into a pgbench script.
func (s *site) recordPunch(t testing.TB, target string, w worker) (script string, count int) {
	t.Helper()
	tr := &tracer{}
	db, err := store.OpenWith(context.Background(), target, store.Opening{Tracer: tr})
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var passed atomic.Int64
	a := app.New(db, func() time.Time { return s.clock().Add(time.Duration(passed.Add(1)) * time.Second) }, slog.New(slog.DiscardHandler))
	server, err := web.New(a, web.Options{})
	if err != nil {
		t.Fatal(err)
	}
	ts := httptest.NewServer(server.Handler())
	defer ts.Close()
	var person uuid.UUID
	if err := db.Get(&person, `select person_id from employment where id = $1`, w.employment); err != nil {
		t.Fatal(err)
	}
	// The worker may be on the clock or off: out, refused or not, settles it.
	if err := w.punch(ts.URL, 1); err != nil {
		t.Log(err)
	}
	tr.mu.Lock()
	tr.seen = nil
	tr.mu.Unlock()
	for turn := range 2 {
		if err := w.punch(ts.URL, turn); err != nil {
			t.Fatal(err)
		}
	}
	return pgbenchScript(tr.seen, person, w.employment), len(tr.seen) / 2
}

var placeholder = regexp.MustCompile(`\$\d+`)

// pgbenchScript writes statements for pgbench: each time another person, new
// ids for the two punches, and a time at which that person has no stint yet.
func pgbenchScript(statements []statement, person, employment uuid.UUID) string {
	var b strings.Builder
	// Each client has people of its own, by their numbers: one person can't be
	// clocked in by two at once. Time goes a thousand times as fast, so that
	// each punch of a person comes after the one before.
	fmt.Fprintf(&b, "\\set n 2001 + :client_id * 100 + random(0, 99)\n"+
		"select e.id as employment, p.id as person, gen_random_uuid() as fresh1, gen_random_uuid() as fresh2, (1000 * (extract(epoch "+
		"from clock_timestamp()) - %d))::bigint as k "+
		"from person p join employment e on e.person_id = p.id where p.number = (:n)::text \\gset\n", time.Now().Unix()-1000)
	ids := map[string]string{person.String(): ":person", employment.String(): ":employment"}
	for _, s := range statements {
		if strings.Contains(s.sql, "insert into punch") {
			ids[fmt.Sprint(s.args[0])] = fmt.Sprintf(":fresh%d", len(ids)-1)
		}
	}
	for _, s := range statements {
		sql := placeholder.ReplaceAllStringFunc(s.sql, func(p string) string {
			n, err := strconv.Atoi(p[1:])
			if err != nil || n > len(s.args) {
				return p
			}
			return literal(s.args[n-1], ids)
		})
		b.WriteString(strings.Join(strings.Fields(sql), " ") + ";\n")
	}
	return b.String()
}

// literal writes an argument as SQL. No colon may stand in it that pgbench
// would take for a variable.
func literal(a any, ids map[string]string) string {
	if v := reflect.ValueOf(a); v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return "null"
		}
		return literal(v.Elem().Interface(), ids)
	}
	switch v := a.(type) {
	case nil:
		return "null"
	case time.Time:
		return fmt.Sprintf("to_timestamp(%d + :k)", v.Unix())
	case []byte:
		return fmt.Sprintf(`'\x%x'`, v)
	case int, int64, float64, bool:
		return fmt.Sprint(v)
	case []time.Time:
		each := make([]string, len(v))
		for i, d := range v {
			each[i] = "'" + d.Format(time.DateOnly) + "'"
		}
		return "array[" + strings.Join(each, ", ") + "]::date[]"
	case store.UUIDs:
		each := make([]string, len(v))
		for i, id := range v {
			each[i] = literal(id, ids)
		}
		return "array[" + strings.Join(each, ", ") + "]::uuid[]"
	}
	text := fmt.Sprint(a)
	if id, ok := ids[text]; ok {
		return id
	}
	var rows []map[string]any
	if strings.HasPrefix(text, "[{") && json.Unmarshal([]byte(text), &rows) == nil {
		return jsonLiteral(rows, ids)
	}
	return quoted(text)
}

// jsonLiteral writes rows that are handed over as JSON, each value as SQL.
func jsonLiteral(rows []map[string]any, ids map[string]string) string {
	objects := make([]string, len(rows))
	for i, row := range rows {
		var pairs []string
		for _, key := range slices.Sorted(maps.Keys(row)) {
			pairs = append(pairs, "'"+key+"', "+jsonValue(row[key], ids))
		}
		objects[i] = "jsonb_build_object(" + strings.Join(pairs, ", ") + ")"
	}
	return "jsonb_build_array(" + strings.Join(objects, ", ") + ")"
}

func jsonValue(v any, ids map[string]string) string {
	text, ok := v.(string)
	if !ok {
		data, err := json.Marshal(v)
		if err != nil {
			panic(err) // it was read from JSON
		}
		return quoted(string(data)) + "::jsonb"
	}
	if id, ok := ids[text]; ok {
		return "(" + id + ")::text"
	}
	if at, err := time.Parse(time.RFC3339Nano, text); err == nil {
		return literal(at, ids)
	}
	return quoted(text) + "::text"
}

func quoted(text string) string {
	return "E'" + strings.NewReplacer(`\`, `\\`, "'", "''", ":", `\x3a`).Replace(text) + "'"
}

// pgbench runs a script and gives transactions a second.
func pgbench(t testing.TB, target, script string, seconds int) float64 {
	t.Helper()
	f, err := os.CreateTemp(t.TempDir(), "*.sql")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := f.WriteString(script); err != nil {
		t.Fatal(err)
	}
	f.Close()
	cmd := exec.Command(os.Getenv("MANUDEX_PGBENCH"), "-n", "-M", "prepared", "-c", strconv.Itoa(clients), "-j", "2", "-T",
		strconv.Itoa(seconds), "-f", f.Name(), target)
	out, err := cmd.CombinedOutput()
	m := regexp.MustCompile(`tps = ([0-9.]+)`).FindSubmatch(out)
	if err != nil || m == nil {
		t.Fatalf("pgbench: %v\n%s\n%s", err, out, script)
	}
	tps, err := strconv.ParseFloat(string(m[1]), 64)
	if err != nil {
		t.Fatal(err)
	}
	return tps
}
