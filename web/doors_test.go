package web_test

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/pquerna/otp/totp"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/demo"
	"manudex/standin"
	"manudex/store"
	"manudex/web"
)

// try signs in from an address, as a proxy passes it on where one is given.
func try(t *testing.T, h http.Handler, remote, forwarded, who, password string, cookies ...*http.Cookie) *httptest.ResponseRecorder {
	t.Helper()
	r := httptest.NewRequest("POST", "/signin", strings.NewReader(url.Values{"email": {who}, "password": {password}}.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.RemoteAddr = remote
	if forwarded != "" {
		r.Header.Set("X-Forwarded-For", forwarded)
	}
	for _, c := range cookies {
		r.AddCookie(c)
	}
	rec := httptest.NewRecorder()
	h.ServeHTTP(rec, r)
	return rec
}

// Guessing one account is stopped at the address it comes from, however the
// account is written; nobody else there, and nobody's own browser elsewhere, is
// shut out by it.
func TestWhoIsShutOutByGuessing(t *testing.T) {
	w := dbtest.Open(t)
	server, err := web.New(w.App, web.Options{SignInLimit: 3})
	if err != nil {
		t.Fatal(err)
	}
	h := server.Handler()
	dao := mail("Dao Pham")
	own := try(t, h, "198.51.100.7:1", "", dao, demo.Password)
	if own.Code != http.StatusSeeOther {
		t.Fatalf("his own browser: %d", own.Code)
	}
	last := 0
	for _, spelling := range []string{dao, strings.ToUpper(dao), " " + dao + " ", w.Person(t, "Dao Pham").Number, dao} {
		last = try(t, h, "192.0.2.1:1", "", spelling, "wrong").Code
	}
	if last != http.StatusTooManyRequests {
		t.Errorf("the fifth guess in as many spellings: %d", last)
	}
	if c := try(t, h, "192.0.2.1:2", "", dao, demo.Password).Code; c != http.StatusTooManyRequests {
		t.Errorf("the right password after guessing, from there: %d", c)
	}
	if c := try(t, h, "192.0.2.1:3", "", mail("Viggo Bexley"), demo.Password).Code; c != http.StatusSeeOther {
		t.Errorf("somebody else at that address: %d", c)
	}
	// From many addresses, the account itself is guarded; his own browser isn't shut out.
	for n := range 40 {
		try(t, h, netip.AddrFrom4([4]byte{203, 0, 113, byte(n)}).String()+":1", "", dao, "wrong")
	}
	if c := try(t, h, "203.0.113.200:1", "", dao, demo.Password).Code; c != http.StatusTooManyRequests {
		t.Errorf("an account guessed from everywhere, by a strange browser: %d", c)
	}
	if c := try(t, h, "203.0.113.201:1", "", dao, demo.Password, own.Result().Cookies()...).Code; c != http.StatusSeeOther {
		t.Errorf("by his own browser: %d", c)
	}
}

// Who signs in rightly counts nowhere: a works behind one address signs in at
// seven in the morning.
func TestOneAddressForAWholeWorks(t *testing.T) {
	w := dbtest.Open(t)
	server, err := web.New(w.App, web.Options{SignInLimit: 3})
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"Dao Pham", "Viggo Bexley", "Wren Halloran", "Kofi Larkin", "Tomasz Brandt", "Ruth Adeyemi", "Dao Pham"} {
		if c := try(t, server.Handler(), "192.0.2.1:1", "", mail(name), demo.Password).Code; c != http.StatusSeeOther {
			t.Errorf("%s: %d", name, c)
		}
	}
}

// What a proxy says of whom it passes on is believed of a trusted one alone,
// and only the last that it was told by somebody trusted.
func TestProxies(t *testing.T) {
	trusted, err := web.ParseProxies("10.0.0.0/8, 2001:db8::1")
	if err != nil {
		t.Fatal(err)
	}
	for _, bad := range []string{"x", "10.0.0.0/99"} {
		if _, err := web.ParseProxies(bad); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
	for _, c := range []struct{ name, remote, forwarded, other, otherForwarded string }{
		{"two people behind a trusted proxy", "10.1.1.1:1", "192.0.2.1", "10.1.1.1:1", "192.0.2.2"},
		{"what the proxy was told is not believed", "10.1.1.1:1", "203.0.113.9, 192.0.2.1", "10.1.1.1:1", "203.0.113.9, 192.0.2.2"},
		{"two networks of 64 bits", "[2001:db8:1::1]:1", "", "[2001:db8:1:1::1]:1", ""},
	} {
		w := dbtest.Open(t)
		server, err := web.New(w.App, web.Options{SignInLimit: 3, TrustedProxies: trusted})
		if err != nil {
			t.Fatal(err)
		}
		for range 4 {
			try(t, server.Handler(), c.remote, c.forwarded, mail("Dao Pham"), "wrong")
		}
		if got := try(t, server.Handler(), c.remote, c.forwarded, mail("Dao Pham"), demo.Password).Code; got != 429 {
			t.Errorf("%s: the one who guessed: %d", c.name, got)
		}
		if got := try(t, server.Handler(), c.other, c.otherForwarded, mail("Dao Pham"), demo.Password).Code; got != 303 {
			t.Errorf("%s: the other: %d", c.name, got)
		}
	}
	// Without trust the header changes nothing, and of IPv6 a network is one.
	w := dbtest.Open(t)
	server, _ := web.New(w.App, web.Options{SignInLimit: 3})
	for n := range 4 {
		try(t, server.Handler(), "[2001:db8:1::"+string(rune('1'+n))+"]:1", "192.0.2."+string(rune('1'+n)), mail("Dao Pham"), "wrong")
	}
	if got := try(t, server.Handler(), "[2001:db8:1::9]:1", "192.0.2.9", mail("Dao Pham"), demo.Password).Code; got != 429 {
		t.Errorf("another address of the same network: %d", got)
	}
}

// The page by which phones come to trust the server is reached at another
// address than the server's own; everything else leads there.
func TestTheTrustPageHasAnAddressOfItsOwn(t *testing.T) {
	w := dbtest.Open(t)
	own, _ := url.Parse("https://hours.example")
	server, err := web.New(w.App,
		web.Options{Address: own, SecureCookies: true, Trust: []byte("x"), TrustAddress: "http://10.0.0.5:8082/trust"})
	if err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]int{"/trust": 200, "/trust/authority.crt": 200, "/static/app.css": 200,
		"/signin": 303, "/clock": 303} {
		r := httptest.NewRequest("GET", path, nil)
		r.Host = "10.0.0.5:8082"
		rec := httptest.NewRecorder()
		server.TrustOnly().ServeHTTP(rec, r)
		if rec.Code != want || want == 303 && rec.Header().Get("Location") != "https://hours.example/" {
			t.Errorf("%s: %d, %s", path, rec.Code, rec.Header().Get("Location"))
		}
	}
}

// Links are made of the address that the server was told, and requests for
// another name are refused.
func TestTheServersOwnAddress(t *testing.T) {
	w := dbtest.Open(t)
	own, _ := url.Parse("https://hours.example")
	server, err := web.New(w.App, web.Options{Address: own, SecureCookies: true})
	if err != nil {
		t.Fatal(err)
	}
	for host, want := range map[string]int{"hours.example": 200, "evil.example": 421} {
		r := httptest.NewRequest("GET", "/signin", nil)
		r.Host = host
		rec := httptest.NewRecorder()
		server.Handler().ServeHTTP(rec, r)
		if rec.Code != want {
			t.Errorf("%s: %d", host, rec.Code)
		}
		if rec.Header().Get("Strict-Transport-Security") == "" {
			t.Errorf("%s: browsers aren't told to stay with HTTPS", host)
		}
	}
	r := httptest.NewRequest("POST", "/signin",
		strings.NewReader(url.Values{"email": {mail("Dao Pham")}, "password": {demo.Password}}.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Host = "hours.example"
	rec := httptest.NewRecorder()
	server.Handler().ServeHTTP(rec, r)
	found := false
	for _, c := range rec.Result().Cookies() {
		if !strings.HasPrefix(c.Name, "__Host-") || !c.Secure || !c.HttpOnly || c.Path != "/" || c.Domain != "" {
			t.Errorf("cookie %+v", c)
		}
		found = found || c.Name == "__Host-manudex"
	}
	if !found {
		t.Error("no session cookie")
	}
}

// The more somebody may, the sooner a session that isn't used is over; a
// worker's never while they are on the clock.
func TestHowLongSessionsLast(t *testing.T) {
	for _, c := range []struct {
		name  string
		idle  time.Duration
		whole time.Duration
	}{{"Orla Ebbwater", 30 * time.Minute, 12 * time.Hour}, {"Sana Verity", 30 * time.Minute, 12 * time.Hour},
		{"Piet Donoghue", 12 * time.Hour, 14 * 24 * time.Hour},
		{"Wren Halloran", 12 * time.Hour, 14 * 24 * time.Hour}, {"Viggo Bexley", 90 * 24 * time.Hour, 0}} {
		s := open(t)
		if _, err := s.DB.Exec(`delete from stint where end_at is null`); err != nil { // nobody is on the clock
			t.Fatal(err)
		}
		get := func(b *client) int {
			status, _, _ := b.get("/me")
			return status
		}
		b := s.signIn(t, c.name)
		s.Pass(c.idle - time.Minute)
		if got := get(b); got != 200 {
			t.Errorf("%s, just in time: %d", c.name, got)
		}
		s.Pass(c.idle + time.Minute)
		if got := get(b); got != 303 {
			t.Errorf("%s, a minute too late: %d", c.name, got)
		}
		if c.whole == 0 {
			continue
		}
		b = s.signIn(t, c.name)
		for passed := time.Duration(0); passed < c.whole-c.idle; passed += c.idle / 2 {
			s.Pass(c.idle / 2)
			if got := get(b); got != 200 {
				t.Fatalf("%s, used all the time, after %s: %d", c.name, passed, got)
			}
		}
		s.Pass(c.idle - time.Minute)
		get(b)
		s.Pass(2 * time.Minute)
		if got := get(b); got != 303 {
			t.Errorf("%s, after all of it: %d", c.name, got)
		}
	}
	s := open(t)
	dao := s.signIn(t, "Dao Pham") // on the clock
	s.Pass(100 * 24 * time.Hour)
	if status, _, _ := dao.get("/clock"); status != 200 {
		t.Errorf("a worker on the clock, after 100 days: %d", status)
	}
}

// A page that keeps itself up to date doesn't keep a session alive.
func TestRefreshingIsNoUse(t *testing.T) {
	s := open(t)
	b := s.signIn(t, "Orla Ebbwater")
	for range 4 {
		s.Pass(9 * time.Minute)
		b.part("/today", "X-Refresh")
	}
	if status, _, _ := b.get("/today"); status != 303 {
		t.Errorf("after 36 minutes of refreshing: %d", status)
	}
}

func mailbox(t *testing.T, s *site) *standin.Mail {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	sink := standin.NewMail()
	go sink.Serve(l)
	t.Cleanup(func() { sink.Close() })
	s.Post = app.Post{Server: l.Addr().String(), From: "hours@ebbwater.example"}
	return sink
}

// Closing a run and giving rights take the password once more, of whoever may
// see pay.
func TestThePasswordOnceMore(t *testing.T) {
	s := open(t)
	s.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21))
	apptest.AnswerAll(t, s.World, store.LeftOut)
	sana := s.signIn(t, "Sana Verity")
	_, page, _ := sana.get("/payruns/close")
	field := func(name string) string {
		return regexp.MustCompile(`name="` + name + `" value="([^"]*)"`).FindStringSubmatch(page)[1]
	}
	form := url.Values{"id": {field("id")}, "seen": {field("seen")}, "group": {""}}
	runs := dbtest.Get[int](t, s.World, `select count(*) from run`)
	for password, want := range map[string]int{"": 422, "wrong": 422} {
		form.Set("password", password)
		if status, body, _ := sana.post("/payruns", form); status != want || !strings.Contains(body, "password") {
			t.Errorf("closing with the password %q: %d", password, status)
		}
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from run`); n != runs {
		t.Fatal("the run was closed without the password")
	}
	form.Set("password", demo.Password)
	if status, _, h := sana.post("/payruns", form); status != 303 || !strings.HasPrefix(h.Get("Location"), "/payruns/") {
		t.Errorf("closing with the password: %d", status)
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from run`); n != runs+1 {
		t.Error("the run was not closed")
	}
	orla, kofi := s.signIn(t, "Orla Ebbwater"), s.Person(t, "Kofi Larkin").ID
	grant := url.Values{"id": {uuid.NewString()}, "what": {"approve"}}
	for password, want := range map[string]int{"": 0, "wrong": 0, demo.Password: 1} {
		grant.Set("password", password)
		orla.post("/people/"+kofi.String()+"/rights", grant)
		if n := dbtest.Get[int](t, s.World, `select count(*) from grant_given where person_id = $1`, kofi); n != want && password != "" {
			if !(want == 0 && n == 1) { // the right password may have come first: maps have no order
				t.Errorf("granting with the password %q: %d grants", password, n)
			}
		}
	}
	// What was done is written down: signing in, and reading the file of a run.
	run := dbtest.Get[string](t, s.World, `select id::text from run order by number desc limit 1`)
	sana.get("/payruns/" + run + "/lines.csv")
	for act, want := range map[string]string{"payrun.download": "file", "self": "sign-in"} {
		if n := dbtest.Get[int](t, s.World, `select count(*) from audit where act = $1 and detail ? $2`, act, want); n == 0 {
			t.Errorf("%s is not in the audit list", act)
		}
	}
}

// A code after the password: each once, or a recovery code once; another's is
// taken away by an owner alone.
func TestOneTimeCodes(t *testing.T) {
	s := open(t)
	sana := s.signIn(t, "Sana Verity")
	if status, _, _ := sana.post("/me/code", url.Values{"password": {"wrong"}}); status != 422 {
		t.Errorf("begun with a wrong password: %d", status)
	}
	if status, _, _ := sana.post("/me/code", url.Values{"password": {demo.Password}}); status != 303 {
		t.Fatalf("begun: %d", status)
	}
	_, page, _ := sana.get("/me")
	secret := regexp.MustCompile(`class="secret">([A-Z2-7]+)<`).FindStringSubmatch(page)[1]
	code := func() string {
		c, err := totp.GenerateCode(secret, s.At())
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	if status, _, _ := sana.post("/me/code/confirm", url.Values{"code": {"000000"}}); status != 422 {
		t.Errorf("a wrong code confirms: %d", status)
	}
	status, page, _ := sana.post("/me/code/confirm", url.Values{"code": {code()}})
	recovery := regexp.MustCompile(`<b>([a-z2-7]{5}-[a-z2-7]{5})</b>`).FindAllStringSubmatch(page, -1)
	if status != 200 || len(recovery) != 8 {
		t.Fatalf("confirmed: %d, %d recovery codes", status, len(recovery))
	}
	if _, again, _ := sana.get("/me"); strings.Contains(again, recovery[0][1]) {
		t.Error("recovery codes are shown twice")
	}
	enter := func(with string) (int, *client) {
		c := s.stranger(t)
		if status, _, h := c.post("/signin", url.Values{"email": {mail("Sana Verity")}, "password": {demo.Password}}); status != 303 ||
			h.Get("Location") != "/signin/code" {
			t.Fatalf("the password alone: %d to %s", status, h.Get("Location"))
		}
		if status, _, _ := c.get("/payruns"); status != 303 {
			t.Errorf("with the password alone the pay runs are open: %d", status)
		}
		status, _, _ := c.post("/signin/code", url.Values{"code": {with}})
		return status, c
	}
	if status, _ := enter(code()); status != 422 {
		t.Errorf("the code that confirmed, again: %d", status)
	}
	s.Pass(31 * time.Second)
	now := code()
	if status, c := enter(now); status != 303 {
		t.Errorf("the code of now: %d", status)
	} else if status, _, _ := c.get("/payruns"); status != 200 {
		t.Errorf("with both, the pay runs: %d", status)
	}
	if status, _ := enter(now); status != 422 {
		t.Errorf("the same code twice: %d", status)
	}
	if status, _ := enter(strings.ToUpper(recovery[3][1])); status != 303 {
		t.Errorf("a recovery code: %d", status)
	}
	if status, _ := enter(recovery[3][1]); status != 422 {
		t.Errorf("the same recovery code twice: %d", status)
	}
	// Half signed in is nobody's for ever.
	c := s.stranger(t)
	c.post("/signin", url.Values{"email": {mail("Sana Verity")}, "password": {demo.Password}})
	s.Pass(6 * time.Minute)
	if status, _, h := c.post("/signin/code", url.Values{"code": {code()}}); status != 303 || h.Get("Location") != "/signin" {
		t.Errorf("a code six minutes after the password: %d to %s", status, h.Get("Location"))
	}
	person := s.Person(t, "Sana Verity").ID.String()
	s.signIn(t, "Mira Castellane").post("/people/"+person+"/code/reset", url.Values{"password": {demo.Password}})
	if !s.Person(t, "Sana Verity").HasCode {
		t.Error("a manager took another's codes away")
	}
	s.signIn(t, "Orla Ebbwater").post("/people/"+person+"/code/reset", url.Values{"password": {demo.Password}})
	if s.Person(t, "Sana Verity").HasCode {
		t.Error("an owner can't help who lost their phone")
	}
}

// Where codes are required of who sees pay, pay is closed to them until they
// have one.
func TestRequiredCodes(t *testing.T) {
	s := open(t)
	if err := s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "codes_required", Value: "yes"}); err != nil {
		t.Fatal(err)
	}
	c := s.stranger(t)
	if _, _, h := c.post("/signin", url.Values{"email": {mail("Sana Verity")}, "password": {demo.Password}}); h.Get("Location") != "/me" {
		t.Errorf("sent to %s", h.Get("Location"))
	}
	for path, want := range map[string]int{"/payruns": 403, "/me": 200, "/today": 200} {
		if status, _, _ := c.get(path); status != want {
			t.Errorf("%s: %d, want %d", path, status, want)
		}
	}
	if _, seen, _ := s.signIn(t, "Dao Pham").get("/me"); strings.Contains(seen, "Required of who sees pay") {
		t.Error("codes are asked of a worker")
	}
}

// A password of one's own: changed by who knows it, known ones and own names
// refused, and everywhere else one is signed out.
func TestChangingOnesPassword(t *testing.T) {
	s := open(t)
	here, phone := s.signIn(t, "Dao Pham"), s.signIn(t, "Dao Pham")
	change := func(old, next string) (int, string) {
		status, body, _ := here.post("/me/password", url.Values{"old": {old}, "password": {next}})
		return status, body
	}
	for next, why := range map[string]string{"short": "too short", strings.Repeat("long word ", 20): "too long",
		"password1": "known to whoever guesses", "        ": "again and again",
		"daopham12": "name of yours", "Ebbwater1": "name of yours", "dao.pham": "name of yours", "manudex1": "name of yours",
		"EBBWATERSIGNS": "name of yours"} {
		if status, body := change(demo.Password, next); status != 422 || !strings.Contains(body, why) {
			t.Errorf("%q: %d, want “%s”", next, status, why)
		}
	}
	if status, body := change("wrong", "three tall beacons"); status != 422 || !strings.Contains(body, "not your password") {
		t.Errorf("with a wrong old one: %d", status)
	}
	if status, _ := change(demo.Password, "three tall beacons"); status != 303 {
		t.Fatalf("changed: %d", status)
	}
	if status, _, _ := here.get("/clock"); status != 200 {
		t.Errorf("where it was changed: %d", status)
	}
	if status, _, _ := phone.get("/clock"); status != 303 {
		t.Errorf("everywhere else: %d", status)
	}
	here.post("/me/sessions/end", nil)
	if status, _, _ := here.get("/clock"); status != 303 {
		t.Errorf("after ending all sessions: %d", status)
	}
}

// Who forgot the password gets a link by mail; whether somebody is known here
// shows in nothing.
func TestForgottenPasswords(t *testing.T) {
	s := open(t)
	if status, _, _ := s.stranger(t).get("/signin/forgot"); status != 404 {
		t.Errorf("without mail: %d", status)
	}
	box := mailbox(t, s)
	_, known, _ := s.stranger(t).post("/signin/forgot", url.Values{"email": {mail("Dao Pham")}})
	_, unknown, _ := s.stranger(t).post("/signin/forgot", url.Values{"email": {"nobody@ebbwater.example"}})
	if known != unknown {
		t.Error("the answer tells who is known here")
	}
	letters := box.Letters()
	if len(letters) != 1 || letters[0].To[0] != mail("Dao Pham") {
		t.Fatalf("letters %+v", letters)
	}
	link := regexp.MustCompile(`/welcome/[a-z2-7-]+`).FindString(letters[0].Body)
	c := s.stranger(t)
	if status, _, _ := c.post(link, url.Values{"password": {"three tall beacons"}}); status != 303 {
		t.Errorf("choosing by the link: %d", status)
	}
	s.stranger(t).post("/signin/forgot", url.Values{"email": {mail("Viggo Bexley")}})
	s.Pass(61 * time.Minute)
	link = regexp.MustCompile(`/welcome/[a-z2-7-]+`).FindString(box.Letters()[1].Body)
	if status, _, _ := s.stranger(t).get(link); status != 404 {
		t.Errorf("after an hour: %d", status)
	}
}

// Of a browser that was never used, one is told by mail, with one press to end
// all sessions.
func TestANewBrowserIsTold(t *testing.T) {
	s := open(t)
	box := mailbox(t, s)
	first := s.signIn(t, "Dao Pham")
	if n := len(box.Letters()); n != 0 {
		t.Errorf("%d letters about the first browser ever", n)
	}
	first.post("/signout", nil)
	first.post("/signin", url.Values{"email": {mail("Dao Pham")}, "password": {demo.Password}})
	if n := len(box.Letters()); n != 0 {
		t.Errorf("%d letters about a browser that is known", n)
	}
	thief := s.signIn(t, "Dao Pham")
	letters := box.Letters()
	if len(letters) != 1 || !strings.Contains(letters[0].Body, "from a browser that was not used before") {
		t.Fatalf("letters %+v", letters)
	}
	link := regexp.MustCompile(`/signin/end/[a-z2-7-]+`).FindString(letters[0].Body)
	if status, _, _ := s.stranger(t).get(link); status != 200 {
		t.Fatalf("opening the link: %d", status)
	}
	if status, _, _ := thief.get("/clock"); status != 200 {
		t.Error("opening the link alone ended something")
	}
	if status, _, _ := s.stranger(t).post(link, nil); status != 200 {
		t.Errorf("pressing: %d", status)
	}
	for name, c := range map[string]*client{"the thief": thief, "his own": first} {
		if status, _, _ := c.get("/clock"); status != 303 {
			t.Errorf("%s is answered %d", name, status)
		}
	}
}

// Hashing is done by as many as there are cores; who waits too long is asked to
// come back, and other pages go on.
func TestHashingIsBounded(t *testing.T) {
	s := open(t)
	worker := s.signIn(t, "Dao Pham")
	var at sync.WaitGroup
	var mu sync.Mutex
	codes := map[int]int{}
	for range 150 {
		at.Add(1)
		go func() {
			defer at.Done()
			status, _, _ := s.stranger(t).post("/signin", url.Values{"email": {mail("Viggo Bexley")}, "password": {"wrong"}})
			mu.Lock()
			defer mu.Unlock()
			codes[status]++
		}()
	}
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	if status, _, _ := worker.get("/clock"); status != 200 || ctx.Err() != nil {
		t.Errorf("the clock meanwhile: %d", status)
	}
	at.Wait()
	for status := range codes {
		if status != 422 && status != 429 && status != 503 {
			t.Errorf("answered %v", codes)
		}
	}
}

// Who may what, as it stood on a day, with who gave it and when it was used.
func TestTheListOfRights(t *testing.T) {
	s := open(t)
	orla, kofi := s.Person(t, "Orla Ebbwater"), s.Person(t, "Kofi Larkin")
	grant := people.GrantRight{ID: uuid.New(), Person: kofi.ID, What: "approve"}
	if err := s.Do(t.Context(), orla, grant); err != nil {
		t.Fatal(err)
	}
	list := func(day string) string {
		_, body, _ := s.signIn(t, "Orla Ebbwater").get("/setup/rights?on=" + day)
		return body
	}
	row := regexp.MustCompile(`(?s)Kofi Larkin</a></td>.*?approve timecards.*?</tr>`)
	if !row.MatchString(list("2026-11-13")) || row.MatchString(list("2026-11-12")) {
		t.Error("the right doesn't stand from the day it was given")
	}
	if got := row.FindString(list("2026-11-13")); !strings.Contains(got, "Orla Ebbwater") || !strings.Contains(got, "not yet") {
		t.Errorf("who gave it, and when it was used: %s", got)
	}
	s.signIn(t, "Kofi Larkin").get("/timecards?day=2026-11-12")
	if got := row.FindString(list("2026-11-13")); !strings.Contains(got, "13 Nov 2026, 10:12") {
		t.Errorf("it was used: %s", got)
	}
	s.Pass(48 * time.Hour)
	if err := s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), people.TakeRight{Grant: grant.ID}); err != nil {
		t.Fatal(err)
	}
	if row.MatchString(list("2026-11-15")) || !row.MatchString(list("2026-11-14")) {
		t.Error("the right doesn't stand until it was taken")
	}
}
