package web_test

import (
	"cmp"
	"context"
	"math/rand/v2"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/web"
	"manudex/web/livetest"
)

// kept is a page that its stream keeps up to date.
type kept struct {
	*livetest.Page
	t      *testing.T
	c      *client
	path   string
	events chan [2]string // closed when the stream ends
}

// keep reads a page and follows its stream until the test ends.
func (s *site) keep(t *testing.T, c *client, path string) *kept {
	t.Helper()
	p, err := livetest.Read(c.Client, s.url, path)
	apptest.Must(t, err)
	k := &kept{p, t, c, path, nil}
	k.follow(s)
	return k
}

func (k *kept) follow(s *site) {
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	k.t.Cleanup(cancel)
	begun, events := make(chan struct{}), make(chan [2]string, 1000)
	k.events = events
	go func() {
		defer close(events)
		k.Page.Follow(ctx, k.c.Client, s.url, func(event, data string) {
			if event == "hello" {
				close(begun)
			}
			if event == "rows" {
				events <- [2]string{event, data}
			}
		})
	}()
	<-begun
}

// until lays what comes until the page holds what want says of a fresh reading.
func (k *kept) until(s *site, want func(*livetest.Page) bool) {
	k.t.Helper()
	for ended := 0; !want(k.Page); {
		e, ok := <-k.events
		if !ok && ended < 5 { // as a browser does, where a node couldn't ask who it was
			ended++
			k.follow(s)
			continue
		}
		if !ok {
			now, err := livetest.Read(k.c.Client, s.url, k.path)
			k.t.Errorf("%s: the stream ended too soon; %d rows, a fresh reading has %d (%v)", k.path, len(k.Rows), len(now.Rows), err)
			for i, r := range now.Rows {
				if i < len(k.Rows) && words(k.Rows[i].HTML) != words(r.HTML) {
					k.t.Fatalf("row %d is\n%s\nand would be\n%s", i, words(k.Rows[i].HTML), words(r.HTML))
				}
			}
			k.t.FailNow()
		}
		for more := true; more; { // all that is there
			_, err := k.Lay(e[1])
			apptest.Must(k.t, err)
			select {
			case e, more = <-k.events:
			default:
				more = false
			}
		}
	}
}

// fresh says whether the page is as one that is read now.
func (k *kept) fresh(s *site) func(*livetest.Page) bool {
	return func(p *livetest.Page) bool {
		now, err := livetest.Read(k.c.Client, s.url, k.path)
		apptest.Must(k.t, err)
		return slices.EqualFunc(p.Rows, now.Rows, func(x, y livetest.Row) bool {
			return x.ID == y.ID && words(x.HTML) == words(y.HTML)
		})
	}
}

var nowLine = regexp.MustCompile(`<line class="now"[^>]*>`)

// words is a text without the spaces between its elements, which pages and
// pieces indent each their way, and without the line at now, which the browser
// moves.
func words(text string) string {
	return strings.Join(strings.Fields(nowLine.ReplaceAllString(text, "")), " ")
}

func (k *kept) row(name string) string {
	for _, r := range k.Rows {
		if strings.Contains(r.HTML, "<b>"+name+"</b>") {
			return r.HTML
		}
	}
	return ""
}

// A list that is kept up to date is, whatever is done in whatever order, the
// list that whoever follows it would read now.
func TestAListIsKeptUpToDate(t *testing.T) {
	s := open(t)
	// A lead who approves: her own card is among those she sees.
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"),
		people.SetPerson{ID: uuid.New(), Person: s.Person(t, "Wren Halloran").ID, Field: "level", Value: "manager"}))
	mira, wren, anders := s.signIn(t, "Mira Castellane"), s.signIn(t, "Wren Halloran"), s.signIn(t, "Anders Whitlock")
	var pages []*kept
	for _, c := range []*client{mira, wren, anders} {
		for _, path := range []string{"/today", "/timecards", "/timecards?from=2026-11-11&to=2026-11-13&show=clear"} {
			pages = append(pages, s.keep(t, c, path))
		}
	}
	rnd := rand.New(rand.NewPCG(7, 7))
	clocking := []string{"Carys Lammers", "Hugo Yilmaz", "Lene Kowalik", "Wren Halloran", "Dao Pham", "Anders Whitlock", "Uma Reyes"}
	yesterday := when.NewDate(2026, 11, 12)
	for range 40 {
		name := clocking[rnd.IntN(len(clocking))]
		who := s.Person(t, name)
		switch rnd.IntN(6) {
		case 0:
			s.Pass(time.Duration(rnd.IntN(50)) * time.Second)
		case 1:
			moveAny(t, s, hours.Sign{Card: apptest.Ref(t, s.World, name, yesterday)}, who)
		case 2:
			moveAny(t, s, hours.Approve{Card: apptest.Ref(t, s.World, name, yesterday)},
				s.Person(t, "Mira Castellane"))
		default:
			act := []clock.Act{clock.Out, clock.In, clock.BreakStart, clock.BreakEnd}[rnd.IntN(4)]
			punch := hours.Punch{ID: apptest.NewID(), Act: act}
			if act == clock.BreakStart {
				punch.Break = clock.Meal
			}
			moveAny(t, s, punch, who)
		}
	}
	for _, k := range pages {
		k.until(s, k.fresh(s))
	}
}

// moveAny does what may be impossible just now.
func moveAny(t *testing.T, s *site, act app.Act, who app.Actor) {
	t.Helper()
	if err := s.Do(t.Context(), who, act); err != nil && apptest.Refusal(t, err) == nil {
		t.Fatal(err)
	}
}

// A row goes to those alone whose reach holds it, asked when it is sent.
func TestRowsGoToWhomTheyReach(t *testing.T) {
	s := open(t)
	other, own := s.keep(t, s.signIn(t, "Marisol Quaye"), "/today"), s.keep(t, s.signIn(t, "Anders Whitlock"), "/today")
	boss := s.keep(t, s.signIn(t, "Mira Castellane"), "/today")
	punch := func(name string) {
		t.Helper()
		apptest.Must(t, s.Do(t.Context(), s.Person(t, name), hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	}
	out := func(name string) func(*livetest.Page) bool {
		return func(p *livetest.Page) bool { return strings.Contains((&kept{Page: p}).row(name), "out 10:") }
	}
	punch("Hugo Yilmaz")
	own.until(s, out("Hugo Yilmaz"))
	boss.until(s, out("Hugo Yilmaz"))
	punch("Dao Pham")
	other.until(s, out("Dao Pham"))
	if other.row("Hugo Yilmaz") != "" || own.row("Dao Pham") != "" {
		t.Error("a lead got a row of another crew")
	}

	// Moved off the crew, the lead gets no row more: the stream ends.
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"),
		people.SetPerson{ID: uuid.New(), Person: s.Person(t, "Anders Whitlock").ID, Field: "leads", Value: "Harbour crew"}))
	punch("Carys Lammers")
	for e := range own.events {
		if tells(t, e[1], "Carys Lammers") {
			t.Error("a lead moved off the crew got a row of it")
		}
	}
	boss.until(s, out("Carys Lammers"))
}

// tells says whether a patch tells that somebody clocked out.
func tells(t *testing.T, patch, name string) bool {
	t.Helper()
	rows, err := (&livetest.Page{}).Lay(patch)
	apptest.Must(t, err)
	return strings.Contains((&kept{Page: &livetest.Page{Rows: rows}}).row(name), "out 10:")
}

// Whoever signed out, or whose sessions were ended, gets no row more.
func TestRowsEndWithTheSession(t *testing.T) {
	for name, end := range map[string]func(s *site, c *client){
		"signed out": func(_ *site, c *client) { c.post("/signout", nil) },
		"all sessions ended": func(s *site, c *client) {
			apptest.Must(t, s.Do(t.Context(), s.Person(t, "Marisol Quaye"), people.EndMySessions{}))
		},
		"the sign-in taken": func(s *site, c *client) {
			apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), people.TakeSignIn{Person: s.Person(t, "Marisol Quaye").ID}))
		},
	} {
		s := open(t)
		c := s.signIn(t, "Marisol Quaye")
		lead := s.keep(t, c, "/today")
		end(s, c)
		apptest.Must(t, s.Do(t.Context(), s.Person(t, "Dao Pham"), hours.Punch{ID: apptest.NewID(), Act: "out"}))
		for e := range lead.events { // until the stream ends
			if tells(t, e[1], "Dao Pham") {
				t.Errorf("%s, and got a row", name)
			}
		}
	}
}

// What happened between the reading of a page and its stream is made up for, on
// a node that knows of it and, by all rows, on one that doesn't.
func TestWhatAPageMissed(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mira Castellane")
	for name, as := range map[string]func(string) string{
		"a moment ago": func(as string) string { return as },
		"long ago":     func(string) string { return "1" },
	} {
		k := &kept{t: t, c: c, path: "/timecards?day=2026-11-13&show=running"}
		var err error
		k.Page, err = livetest.Read(c.Client, s.url, k.path)
		apptest.Must(t, err)
		k.As = as(k.As)
		who := map[string]string{"a moment ago": "Dao Pham", "long ago": "Uma Reyes"}[name]
		if k.row(who) == "" {
			t.Fatalf("%s isn't running", who)
		}
		apptest.Must(t, s.Do(t.Context(), s.Person(t, who), hours.Punch{ID: apptest.NewID(), Act: "out"}))
		k.follow(s)
		k.until(s, k.fresh(s))
		if k.row(who) != "" {
			t.Errorf("%s: %s still stands there", name, who)
		}
	}
}

// Time alone moves rows: who doesn't come becomes missing, unasked.
func TestTimeMovesRows(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Mateo Fjeld")
	k := s.keep(t, c, "/today")
	if k.row("Ikem Mendoza") == "" || strings.Contains(k.row("Ikem Mendoza"), "<b>planned") {
		t.Fatalf("Ikem is to come later: %q", k.row("Ikem Mendoza"))
	}
	s.Set(when.NewDate(2026, 11, 13).At(16*time.Hour, mustLoc(t, s)))
	k.until(s, func(*livetest.Page) bool { return strings.Contains(k.row("Ikem Mendoza"), "<b>planned") })
	k.until(s, k.fresh(s))
	s.Set(when.NewDate(2026, 11, 13).At(23*time.Hour, mustLoc(t, s)))
	k.until(s, k.fresh(s))
	k = s.keep(t, c, "/today") // his session ends after twelve hours without being used, and its stream with it
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Ikem Mendoza"),
		hours.Punch{ID: apptest.NewID(), Act: clock.In, On: apptest.Work(t, s.World, "2229", "Coating")}))
	k.until(s, func(*livetest.Page) bool { return !strings.Contains(k.row("Ikem Mendoza"), "<b>planned") }) // it is followed
	s.Set(when.NewDate(2026, 11, 14).At(5*time.Hour, mustLoc(t, s)))
	k.until(s, func(p *livetest.Page) bool { return p.Again }) // another day has begun
}

// A list that is too long for rows is said to be, and its page hears what
// changed, of whom, and reads itself anew.
func TestALongListIsReadAnew(t *testing.T) {
	s := open(t)
	few, err := web.New(s.App, web.Options{SignInLimit: 100, KeptAtMost: 100})
	apptest.Must(t, err)
	ts := httptest.NewServer(few.Handler())
	defer ts.Close()
	defer few.StopStreams()
	at := &site{s.World, ts.URL, few}
	const span = "/timecards?from=2026-11-09&to=2026-11-13"
	if e := <-at.keep(t, at.signIn(t, "Mira Castellane"), span).events; !strings.Contains(e[1], `"apart":true`) {
		t.Errorf("the stream sends %.200s", e[1])
	}
	long := stream(t, at, at.signIn(t, "Mira Castellane"), url.Values{"list": {span}, "as": {"1"}})
	expect(t, long, "hello")
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Dao Pham"), hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	expect(t, long, "changed")
	day := at.keep(t, at.signIn(t, "Mira Castellane"), "/timecards?day=2026-11-13")
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Uma Reyes"), hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	day.until(at, day.fresh(at))
}

// A stream that asks for what is no list, or not for this reader, is a stream
// all the same, without rows.
func TestListsThatAreNone(t *testing.T) {
	s := open(t)
	for _, c := range []struct{ name, list string }{{"Viggo Bexley", "/today"}, {"Mira Castellane", "/payruns"},
		{"Mira Castellane", "/timecards?person=" + s.Person(t, "Dao Pham").ID.String()}, {"Mira Castellane", "/today?day=1"},
		{"Mira Castellane", "%"}, {"Mira Castellane", "/today?day=" + strings.Repeat("9", 400)}} {
		events := stream(t, s, s.signIn(t, c.name), url.Values{"list": {c.list}, "as": {"1"}})
		expect(t, events, "hello")
		apptest.Must(t, s.Do(t.Context(), s.Person(t, "Viggo Bexley"), hours.AddNote{ID: apptest.NewID(), Body: "n"}))
		for e := range events {
			if e == "rows" {
				t.Errorf("%s got rows of %s", c.name, c.list)
			}
			if cmp.Or(e == "changed", e == "rows") {
				break
			}
		}
	}
}
