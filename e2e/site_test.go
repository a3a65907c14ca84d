// Package e2e drives the real pages in a real browser, clicking what a person
// clicks.
package e2e

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
	"github.com/go-rod/rod/lib/utils"

	"manudex/app/work"
	"manudex/dbtest"
	"manudex/demo"
	"manudex/e2e/browser"
	"manudex/web"
)

var chromium *rod.Browser

func TestMain(m *testing.M) {
	b, stop, err := browser.Start()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	chromium = b
	code := m.Run()
	stop()
	os.Exit(code)
}

// site is the application with the demo world, on a real port.
type site struct {
	*dbtest.World
	t      *testing.T
	url    string
	server *web.Server
	http   *http.Server
	addr   string

	devices []*device
}

// moveTo sets the now of the application and of every device.
func (s *site) moveTo(now time.Time) {
	s.Set(now)
	for _, d := range s.devices {
		d.setClock()
	}
}

// pass lets time pass for the application and every device.
func (s *site) pass(by time.Duration) { s.moveTo(s.At().Add(by)) }

// setClock makes the device's clock show the application's now.
func (d *device) setClock() {
	if strings.HasPrefix(d.MustInfo().URL, "http") {
		d.MustEval(`(ms) => { sessionStorage.setItem("shift", String(ms)); }`, time.Until(d.s.At()).Milliseconds())
	}
}

// shiftedClock makes a page's Date show the time that setClock says, and what passes of
// it pass by its monotonic clock too.
const shiftedClock = `{ const Real = Date, shift = () => Number(sessionStorage.getItem("shift") || 0);
	window.Date = class extends Real {
		constructor(...a) { if (a.length) super(...a); else super(Real.now() + shift()); }
		static now() { return Real.now() + shift(); }
	};
	let before = null, last = 0; // what was shifted when the page first asked, and what it was told
	const mono = performance.now.bind(performance);
	performance.now = () => { before ??= shift(); return last = Math.max(last, mono() + (before ? shift() - before : 0)); };
}`

// open serves a demo world of the story's own: stories run beside each other.
func open(t *testing.T) *site {
	t.Helper()
	t.Parallel()
	return serve(t, dbtest.Open(t))
}

// serve serves a world.
func serve(t *testing.T, w *dbtest.World) *site {
	t.Helper()
	server, err := web.New(w.App, web.Options{SignInLimit: 1000, Passing: time.Second})
	if err != nil {
		t.Fatal(err)
	}
	s := &site{World: w, t: t, server: server, addr: "127.0.0.1:0"}
	s.start()
	s.url = "http://" + s.addr
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); w.Run(ctx) }()
	worked := make(chan error, 1)
	go func() { worked <- work.Run(ctx, w.App) }()
	t.Cleanup(func() {
		s.http.Close()
		stop()
		<-done
		if err := <-worked; err != nil {
			t.Error(err)
		}
	})
	return s
}

// of is the site for a part of a story: what is wrong there, its own test says.
func (s *site) of(t *testing.T) *site {
	return &site{World: s.World, t: t, url: s.url, server: s.server, http: s.http, addr: s.addr}
}

// start listens, on the same port as before when it was stopped.
func (s *site) start() {
	s.t.Helper()
	l, err := net.Listen("tcp", s.addr)
	if err != nil {
		s.t.Fatal(err)
	}
	s.addr = l.Addr().String()
	s.http = &http.Server{Handler: s.server.Handler()}
	go func() { _ = s.http.Serve(l) }() // it ends when it is closed
}

// stop drops every connection, as a server that dies does.
func (s *site) stop() { s.http.Close() }

// watch is what a page did wrong.
type watch struct {
	mu    sync.Mutex
	wrong []string
	off   bool
}

func (w *watch) note(format string, v ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.off {
		w.wrong = append(w.wrong, fmt.Sprintf(format, v...))
	}
}

// device is somebody's browser with one page.
type device struct {
	*rod.Page
	s             *site
	watch         *watch
	width, height int
}

const patience = 15 * time.Second

// device opens a fresh browser of a size. It fails the test on any console
// error, exception or failed request.
func (s *site) device(width, height int) *device {
	s.t.Helper()
	b := chromium.MustIncognito()
	p := b.MustPage("")
	// What a page is waited for is there within some milliseconds: the library's own pauses grow to a second.
	p = p.Sleeper(func() utils.Sleeper { return utils.BackoffSleeper(60*time.Millisecond, 250*time.Millisecond, nil) })
	d := &device{p.Timeout(3 * time.Minute), s, &watch{}, width, height}
	d.MustSetViewport(width, height, 1, width < 600)
	if width < 600 {
		d.MustSetUserAgent(&proto.NetworkSetUserAgentOverride{UserAgent: "Mozilla/5.0 (Linux; Android 14) Mobile"})
	}
	if err := d.geolocation(b, proto.BrowserPermissionSettingDenied); err != nil {
		s.t.Fatal(err)
	}
	s.devices = append(s.devices, d)
	d.MustEvalOnNewDocument(shiftedClock)
	go p.EachEvent(
		func(e *proto.RuntimeConsoleAPICalled) {
			if e.Type != proto.RuntimeConsoleAPICalledTypeError && e.Type != proto.RuntimeConsoleAPICalledTypeWarning {
				return
			}
			// Leaving a page ends what it has in hand; any other failure has a message
			// of its own besides afterRequest.
			if said := fmt.Sprint(p.MustObjectsToJSON(e.Args)); !strings.Contains(said, "htmx:sendAbort") &&
				!strings.Contains(said, "htmx:afterRequest") {
				d.watch.note("console %s: %s", e.Type, said)
			}
		},
		func(e *proto.RuntimeExceptionThrown) { d.watch.note("exception: %s", e.ExceptionDetails.Text) },
		func(e *proto.LogEntryAdded) {
			// What a page asked while its session ended is answered by 401, and the page
			// goes to the sign-in: a story that doesn't want that sees it there.
			if e.Entry.Level == proto.LogLogEntryLevelError && !strings.Contains(e.Entry.Text, "status of 401") {
				d.watch.note("log: %s %s", e.Entry.Text, e.Entry.URL)
			}
		},
		func(e *proto.NetworkResponseReceived) {
			if e.Response.Status >= 400 && e.Response.Status != http.StatusUnauthorized {
				d.watch.note("%d for %s", e.Response.Status, e.Response.URL)
			}
		},
		func(e *proto.NetworkLoadingFailed) {
			if !e.Canceled && e.ErrorText != "net::ERR_ABORTED" {
				d.watch.note("request failed: %s", e.ErrorText)
			}
		},
	)()
	if err := (proto.LogEnable{}).Call(p); err != nil {
		s.t.Fatal(err)
	}
	s.t.Cleanup(func() {
		for _, w := range d.watch.wrong {
			s.t.Error(w)
		}
		b.MustClose()
	})
	return d
}

// geolocation lets pages of the device see where it is, or not.
func (d *device) geolocation(b *rod.Browser, setting proto.BrowserPermissionSetting) error {
	return proto.BrowserSetPermission{Permission: &proto.BrowserPermissionDescriptor{Name: "geolocation"}, Setting: setting,
		BrowserContextID: b.BrowserContextID}.Call(b)
}

// isAt makes the device be at a place, and lets pages see it.
func (d *device) isAt(lat, lon float64) {
	d.s.t.Helper()
	accuracy := 12.0
	if err := d.geolocation(d.Browser(), proto.BrowserPermissionSettingGranted); err != nil {
		d.s.t.Fatal(err)
	}
	if err := (proto.EmulationSetGeolocationOverride{Latitude: &lat, Longitude: &lon, Accuracy: &accuracy}).Call(d); err != nil {
		d.s.t.Fatal(err)
	}
}

// expectTrouble makes the device take what follows without complaint.
func (d *device) expectTrouble() {
	d.watch.mu.Lock()
	defer d.watch.mu.Unlock()
	d.watch.off = true
}

func (d *device) open(path string) {
	d.MustNavigate(d.s.url + path).MustWaitLoad()
	d.setClock()
}

// signIn types an address and the password and presses the button.
func (d *device) signIn(name string) {
	d.open("/signin")
	email := dbtest.Get[string](d.s.t, d.s.World, `select email from person where given_name || ' ' || family_name = $1`, name)
	d.MustElement("#email").MustInput(email)
	d.MustElement("#password").MustInput(demo.Password)
	d.MustElement("form .btn-primary").MustClick()
	d.sees(".top button", "Sign out")
}

// live waits until the page hears of changes.
func (d *device) live() { d.MustElement(`body[data-stream="up"]`) }

// sees waits until an element of a kind shows a text.
func (d *device) sees(selector, text string) *rod.Element {
	d.s.t.Helper()
	until := time.Now().Add(patience)
	el, err := d.Page.Timeout(patience).ElementR(selector, text)
	for err != nil && time.Now().Before(until) { // the page went on to another while it was looked at
		el, err = d.Page.Timeout(time.Until(until)).ElementR(selector, text)
	}
	if err != nil {
		body, _ := d.Page.Timeout(time.Second).Eval(`() => location.href + " " + document.body.innerText`)
		said := "nothing"
		if body != nil {
			said = body.Value.Str()
		}
		d.s.t.Fatalf("no %s with %q; the page says: %s", selector, text, said)
	}
	return el // what is done with it is under the same patience
}

// press clicks the button or link of a text: once more where the page was just replaced beneath it, before the click or
// between the button's going down and up.
func (d *device) press(text string) {
	d.s.t.Helper()
	for tries := 1; ; tries++ {
		el := d.sees("button, summary, a", text)
		token := fmt.Sprint(time.Now().UnixNano())
		_, err := el.Eval(`(token) => this.addEventListener("click", () => sessionStorage.setItem("pressed", token),
			{capture: true, once: true})`, token)
		if err == nil {
			err = el.Click(proto.InputMouseButtonLeft, 1)
		}
		if err == nil {
			pressed, err := d.Eval(`() => sessionStorage.getItem("pressed")`)
			if err != nil || pressed.Value.Str() == token { // the page is going already, or knows of it
				return
			}
		}
		if tries == 5 || err != nil && !errors.Is(err, &rod.InvisibleShapeError{}) && !errors.Is(err, &rod.ObjectNotFoundError{}) {
			d.s.t.Fatalf("press %q: %v", text, err)
		}
	}
}

// fits fails the test where the page scrolls sideways at some width, and names what
// is too wide.
func (d *device) fits(what string) {
	d.s.t.Helper()
	height := 900
	for _, width := range []int{360, 480, 640, 768, 900, 1024, 1180, 1280, 1920} {
		d.MustSetViewport(width, height, 1, false)
		wide := d.MustEval(`() => {
			const doc = document.documentElement;
			if (doc.scrollWidth <= doc.clientWidth) return "";
			const out = [...document.querySelectorAll("body *")].filter(e => e.getBoundingClientRect().right > doc.clientWidth + 1)
				.filter(e => !e.closest(".scrolls, .found"));
			return doc.scrollWidth + " px: " + out.slice(0, 4).map(e => e.tagName.toLowerCase() + "." + [...e.classList].join(".") +
				" " + Math.round(e.getBoundingClientRect().right)).join(", ");
		}`).Str()
		if wide != "" {
			d.s.t.Errorf("%s is wider than %d: %s", what, width, wide)
		}
	}
	d.MustSetViewport(d.width, d.height, 1, d.width < 600)
}

//go:embed lib/axe.min.js
var axe string

// accessible fails the test on any serious finding of axe-core, by all its rules
// or one.
func (d *device) accessible(what, rules string) {
	d.s.t.Helper()
	if _, err := d.Eval("() => { " + axe + " }"); err != nil {
		d.s.t.Fatal(err)
	}
	found := d.MustEval(`(rules) => axe.run(document, {resultTypes: ["violations"],
		...(rules === "all" ? {} : {runOnly: [rules]})}).then(r => r.violations
		.filter(v => v.impact === "serious" || v.impact === "critical")
		.map(v => v.id + ": " + v.help + " at " +
			v.nodes.slice(0, 3).map(n => n.target.join(" ") + " (" + (n.any[0]?.message || "") + ")").join("; ")))`, rules)
	for _, v := range found.Arr() {
		d.s.t.Errorf("%s: %s", what, v.Str())
	}
}
