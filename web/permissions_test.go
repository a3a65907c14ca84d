package web_test

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/leave"
	"manudex/app/notice"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/demo"
	"manudex/web"
)

// site is a running server with the demo world.
type site struct {
	*dbtest.World
	url    string
	server *web.Server
}

func open(t testing.TB) *site {
	t.Helper()
	w := dbtest.Open(t)
	s, err := web.New(w.App, web.Options{SignInLimit: 100, Heartbeat: 50 * time.Millisecond, Passing: 200 * time.Millisecond})
	if err != nil {
		t.Fatal(err)
	}
	ts := httptest.NewServer(s.Handler())
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { defer close(done); w.Run(ctx) }()
	t.Cleanup(func() {
		s.StopStreams()
		ts.Close()
		stop()
		<-done
	})
	return &site{w, ts.URL, s}
}

// client is somebody's browser; redirects are not followed.
type client struct {
	t    testing.TB
	base string
	*http.Client
}

func (s *site) stranger(t testing.TB) *client {
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &client{t, s.url, &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}}
}

func (s *site) signIn(t testing.TB, name string) *client {
	t.Helper()
	c := s.stranger(t)
	status, _, _ := c.post("/signin", url.Values{"email": {mail(name)}, "password": {demo.Password}})
	if status != http.StatusSeeOther {
		t.Fatalf("%s can't sign in: %d", name, status)
	}
	return c
}

func mail(name string) string {
	return strings.ToLower(strings.ReplaceAll(name, " ", ".")) + "@" + demo.MailDomain
}

func (c *client) do(method, path string, form url.Values) (status int, body string, h http.Header) {
	c.t.Helper()
	req, err := http.NewRequest(method, c.base+path, strings.NewReader(form.Encode()))
	if err != nil {
		c.t.Fatal(err)
	}
	if method == "POST" {
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	res, err := c.Client.Do(req.WithContext(ctx))
	if err != nil {
		c.t.Fatal(err)
	}
	defer res.Body.Close()
	if strings.HasPrefix(res.Header.Get("Content-Type"), "text/event-stream") {
		return res.StatusCode, "", res.Header // a stream has no end
	}
	b, err := io.ReadAll(res.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	if res.StatusCode == http.StatusInternalServerError {
		c.t.Errorf("%s %s breaks: %s", method, path, b)
	}
	return res.StatusCode, string(b), res.Header
}

// part reads a page as a script does that asks for a part of it.
func (c *client) part(path string, header ...string) (status int) {
	c.t.Helper()
	req, err := http.NewRequest("GET", c.base+path, nil)
	if err != nil {
		c.t.Fatal(err)
	}
	for _, name := range header {
		req.Header.Set(name, "true")
	}
	res, err := c.Client.Do(req)
	if err != nil {
		c.t.Fatal(err)
	}
	res.Body.Close()
	return res.StatusCode
}

func (c *client) get(path string) (int, string, http.Header) { return c.do("GET", path, nil) }
func (c *client) post(path string, form url.Values) (int, string, http.Header) {
	return c.do("POST", path, form)
}

// The permission table, as it is meant to be: what each level reaches.
// Written down here on its own, so that a slip in the application shows.
var reach = map[string]string{ // worker lead manager owner auditor
	"clock.see":       "own own own own none",
	"clock.punch":     "own own own own none",
	"note.add":        "own own own own none",
	"clock.other":     "none crew all all none",
	"day.say":         "own crew all all none",
	"hours.report":    "own own all all none",
	"sheet.sign":      "none crew all all none",
	"expense.drop":    "own own all all none",
	"undo":            "own own own own none",
	"card.see":        "own crew all all all",
	"card.sign":       "own crew own own none",
	"card.approve":    "none none all all none",
	"card.take_back":  "none none all all none",
	"card.send_back":  "own crew all all none",
	"card.remind":     "none crew all all none",
	"card.object":     "own own own own none",
	"time.ask":        "own crew all all none",
	"today.see":       "none crew all all all",
	"roster.see":      "none crew all all all",
	"roster.plan":     "none crew all all none",
	"timecards.see":   "none crew all all all",
	"timecards.find":  "none crew all all none",
	"find":            "none crew all all all",
	"live.follow":     "own crew all all all",
	"payrun.see":      "none none none all all",
	"payrun.close":    "none none none all none",
	"payrun.answer":   "none none none all none",
	"payrun.check":    "none none none all none",
	"payrun.task":     "none none none all none",
	"pay.own":         "own own own own own",
	"payrun.adjust":   "none none none all none",
	"payrun.layout":   "none none none all none",
	"payrun.accounts": "none none none all none",
	"payrun.turn":     "none none none all none",
	"payrun.download": "none none none all all",
	"rates.see":       "none none none all all",
	"people.see":      "none crew all all all",
	"people.add":      "none crew all all none",
	"people.change":   "none none all all none",
	"people.import":   "none none all all none",
	"people.grant":    "none none all all none",
	"people.erase":    "none none none all none",
	"jobs.see":        "none all all all all",
	"jobs.change":     "none none all all none",
	"customers.share": "none none all all none",
	"setup.see":       "none none all all all",
	"setup.change":    "none none all all none",
	"audit.see":       "none none all all all",
	"time.edit":       "none none all all none",
	"time.say":        "none crew all all none",
	"leave.manage":    "none none all all none",
	"leave.ask":       "own own own own none",
	"self":            "own own own own own",
}

func TestPermissionTable(t *testing.T) {
	names := app.Permissions()
	for _, name := range names {
		if _, ok := reach[name]; !ok {
			t.Errorf("%s is in the application's table and not in this one", name)
		}
	}
	for name, want := range reach {
		var got []string
		for _, level := range app.Levels {
			a := app.Actor{}
			a.Level = level
			got = append(got, a.Scope(name).String())
		}
		if s := strings.Join(got, " "); s != want {
			t.Errorf("%s: %s, want %s", name, s, want)
		}
	}
	for _, act := range slices.Concat(app.Acts, bringin.Acts, hours.Acts, notice.Acts, payroll.Acts, points.Acts, people.Acts, jobs.Acts,
		company.Acts, roster.Acts, leave.Acts) {
		if _, ok := reach[act.Permission()]; !ok {
			t.Errorf("the act %T takes %s, which no row names", act, act.Permission())
		}
	}
	nobody := app.Actor{}
	nobody.Level = "visitor"
	if nobody.May("today.see") || (app.Actor{}).May("self") {
		t.Error("somebody without a level may do something")
	}
}

// routeReach is what every route answers to worker, lead, manager, owner and
// stranger, for something that is not theirs in particular: ok, 403, 404 or
// "in" (sent to sign in).
var routeReach = map[string]string{
	"GET /healthz":              "ok ok ok ok ok",
	"GET /readyz":               "ok ok ok ok ok",
	"GET /static/*":             "ok ok ok ok ok",
	"GET /trust":                "404 404 404 404 404",
	"GET /trust/authority.crt":  "404 404 404 404 404",
	"GET /terminal":             "ok ok ok ok ok",
	"GET /terminal/look":        "in in in in in",
	"POST /terminal/check":      "in in in in in",
	"POST /terminal/punches":    "in in in in in",
	"POST /terminal/swipe":      "in in in in in",
	"POST /terminal/forgot":     "in in in in in",
	"GET /favicon.ico":          "ok ok ok ok ok",
	"GET /sw.js":                "ok ok ok ok ok",
	"GET /manifest.webmanifest": "ok ok ok ok ok",
	"GET /clock/offline":        "ok ok ok ok ok",
	"GET /clock/seen":           "ok ok 404 404 in",
	"POST /clock/queue":         "409 409 409 409 in",
	"GET /signin":               "ok ok ok ok ok",
	"POST /signin":              "ok ok ok ok ok",
	"GET /welcome":              "ok ok ok ok ok",
	"POST /welcome":             "ok ok ok ok ok",
	"GET /signin/code":          "in in in in in",
	"POST /signin/code":         "in in in in in",
	"GET /signin/forgot":        "404 404 404 404 404",
	"POST /signin/forgot":       "404 404 404 404 404",
	"GET /signin/end/{token}":   "ok ok ok ok ok",
	"POST /signin/end/{token}":  "404 404 404 404 404",
	"GET /me":                   "ok ok ok ok in",
	"POST /me/password":         "ok ok ok ok in",
	"POST /me/code":             "ok ok ok ok in",
	"POST /me/code/confirm":     "ok ok ok ok in",
	"POST /me/code/drop":        "ok ok ok ok in",
	"POST /me/sessions/end":     "ok ok ok ok in",
	"GET /welcome/{token}":      "404 404 404 404 404",
	"POST /welcome/{token}":     "404 404 404 404 404",
	"GET /":                     "ok ok ok ok in",

	"GET /clock":                                "ok ok ok ok in",
	"GET /clock/days":                           "ok ok 403 403 in",
	"GET /clock/kept":                           "ok ok 403 403 in",
	"GET /clock/jobs":                           "ok ok ok ok in",
	"POST /clock/position":                      "404 404 404 404 in",
	"POST /clock/place":                         "404 404 404 404 in",
	"POST /clock/punch":                         "ok ok ok ok in",
	"POST /clock/note":                          "ok ok ok ok in",
	"POST /clock/sign":                          "404 404 404 404 in",
	"POST /setup/dayfields":                     "403 403 ok ok in",
	"POST /setup/dayfields/{field}/close":       "403 403 ok ok in",
	"POST /cards/{employment}/{date}/say":       "404 404 404 404 in", // of no field
	"GET /byhand":                               "ok ok ok ok in",
	"GET /byhand/jobs":                          "404 404 404 404 in", // of no position
	"POST /byhand/cell":                         "404 404 404 404 in",
	"POST /byhand/line":                         "404 404 ok ok in",
	"POST /byhand/like":                         "404 404 ok ok in",
	"POST /byhand/sign":                         "404 404 404 404 in",
	"GET /crew":                                 "403 ok ok ok in",
	"GET /crew/jobs":                            "403 404 404 404 in", // of no crew
	"GET /crew/seen":                            "403 404 404 404 in",
	"POST /crew/punch":                          "403 ok ok ok in",
	"POST /crew/there":                          "403 ok ok ok in",
	"POST /crew/borrow":                         "403 ok ok ok in",
	"POST /crew/back":                           "403 404 ok ok in", // whom the lead borrows only afterwards
	"POST /crew/count":                          "403 ok ok ok in",
	"POST /crew/add":                            "403 ok ok ok in",
	"POST /crew/sign":                           "403 ok ok ok in",
	"GET /today":                                "403 ok ok ok in",
	"GET /today/map":                            "403 ok ok ok in",
	"GET /today/decisions":                      "403 ok ok ok in",
	"GET /timecards":                            "403 ok ok ok in",
	"POST /timecards/approve":                   "403 403 ok ok in",
	"POST /timecards/findings":                  "403 ok ok ok in",
	"POST /timecards/findings/{finding}/drop":   "403 404 404 404 in",
	"POST /timecards/looked":                    "403 ok ok ok in",
	"POST /timecards/remind":                    "403 ok ok ok in",
	"POST /timecards/ticked":                    "403 403 ok ok in",
	"GET /timecards/change":                     "403 403 ok ok in",
	"POST /timecards/change":                    "403 403 ok ok in",
	"POST /timecards/sign":                      "ok ok ok ok in",
	"GET /timecards/sheets":                     "403 ok ok ok in",
	"GET /cards/{employment}/{date}":            "404 404 ok ok in",
	"GET /claims":                               "403 403 ok ok in",
	"POST /claims/{claim}/take":                 "403 403 404 404 in",
	"POST /claims/{claim}/decline":              "403 403 404 404 in",
	"POST /cards/{employment}/{date}/end":       "403 404 ok ok in",
	"POST /cards/{employment}/{date}/send-back": "ok ok ok ok in", // refused for want of a reason before whose it is
	"POST /cards/{employment}/{date}/hold":      "403 403 ok ok in",
	"POST /cards/{employment}/{date}/release":   "403 403 ok ok in",
	"POST /cards/{employment}/{date}/note":      "404 404 404 404 in",

	"POST /cards/{employment}/{date}/photo":                   "404 404 404 404 in",
	"POST /cards/{employment}/{date}/expense":                 "404 404 404 404 in",
	"POST /cards/{employment}/{date}/expenses/{expense}/back": "404 404 404 404 in",
	"GET /cards/{employment}/{date}/photos/{photo}":           "404 404 404 404 in",
	"POST /cards/{employment}/{date}/amend":                   "403 403 ok ok in",
	"POST /cards/{employment}/{date}/ask":                     "404 404 ok ok in",
	"POST /cards/{employment}/{date}/object":                  "ok ok ok ok in", // too
	"GET /cards/{employment}/{date}/jobs":                     "404 404 ok ok in",
	"POST /requests/{request}/take":                           "403 403 404 404 in",
	"POST /requests/{request}/decline":                        "403 403 ok ok in", // refused for want of a reason
	"POST /objections/{objection}/answer":                     "403 403 ok ok in", // too
	"POST /cards/{employment}/{date}/sign":                    "404 404 404 404 in",
	"POST /cards/{employment}/{date}/approve":                 "403 403 ok ok in",
	"POST /cards/{employment}/{date}/take-back":               "403 403 ok ok in",
	"GET /me/pay":                           "403 403 403 403 in", // where the place lets people see it
	"GET /me/pay/{run}/{employment}":        "404 404 404 404 in",
	"GET /payruns":                          "403 403 403 ok in",
	"GET /payruns/{run}":                    "403 403 403 ok in",
	"GET /payruns/open/{employment}":        "403 403 403 404 in",
	"GET /payruns/{run}/{employment}":       "403 403 403 404 in",
	"GET /payruns/open/sheet":               "403 403 403 ok in",
	"GET /payruns/{run}/sheet":              "403 403 403 ok in",
	"GET /payruns/close":                    "403 403 403 ok in",
	"POST /payruns":                         "403 403 403 ok in",
	"GET /payruns/{run}/lines.csv":          "403 403 403 ok in",
	"GET /payruns/adjustments":              "403 403 403 ok in",
	"POST /payruns/adjustments":             "403 403 403 ok in",
	"POST /payruns/adjustments/file":        "403 403 403 ok in",
	"POST /payruns/adjustments/{id}/end":    "403 403 403 404 in",
	"POST /payruns/differentials":           "403 403 403 ok in",
	"POST /payruns/differentials/{id}/end":  "403 403 403 404 in",
	"GET /payruns/answers":                  "403 403 403 ok in",
	"POST /payruns/answers":                 "403 403 403 ok in",
	"POST /payruns/back":                    "403 403 403 ok in",
	"POST /payruns/check":                   "403 403 403 ok in",
	"POST /payruns/tasks":                   "403 403 403 ok in",
	"POST /payruns/tasks/{task}":            "403 403 403 ok in",
	"GET /payruns/layouts":                  "403 403 403 ok in",
	"POST /payruns/layouts":                 "403 403 403 ok in",
	"POST /payruns/layouts/preview":         "403 403 403 ok in",
	"POST /payruns/layouts/file":            "403 403 403 ok in",
	"GET /payruns/layouts/{id}/layout.json": "403 403 403 404 in",
	"POST /payruns/layouts/{id}/drop":       "403 403 403 404 in",
	"POST /payruns/ways":                    "403 403 403 ok in",
	"GET /payruns/own":                      "403 403 403 ok in",
	"POST /payruns/own":                     "403 403 403 ok in",
	"GET /payruns/own/{own}":                "403 403 403 404 in",
	"POST /payruns/own/{own}/drop":          "403 403 403 404 in",
	"GET /payruns/{run}/files":              "403 403 403 ok in",
	"GET /payruns/{run}/files.zip":          "403 403 403 ok in",
	"GET /payruns/{run}/files/{name}":       "403 403 403 ok in",
	"GET /payruns/{run}/transfers":          "403 403 403 ok in",
	"POST /payruns/{run}/transfers":         "403 403 403 ok in",
	"POST /payruns/{run}/net":               "403 403 403 ok in",
	"POST /payruns/{run}/account":           "403 403 403 ok in",
	"POST /payruns/{run}/debtor":            "403 403 403 ok in",
	"GET /payruns/{run}/turn":               "403 403 403 ok in",
	"POST /payruns/{run}/turn":              "403 403 403 ok in",

	"GET /people":                               "403 ok ok ok in",
	"GET /people/export.csv":                    "403 ok ok ok in",
	"POST /people/columns":                      "403 ok ok ok in",
	"GET /people/new":                           "403 ok ok ok in",
	"POST /people":                              "403 ok ok ok in",
	"GET /people/many":                          "403 403 ok ok in",
	"POST /people/many":                         "403 403 ok ok in",
	"POST /undo":                                "404 404 404 404 in",
	"GET /people/file":                          "403 403 ok ok in",
	"GET /people/file/template.csv":             "403 403 ok ok in",
	"POST /people/file":                         "403 403 ok ok in",
	"GET /people/file/{import}":                 "403 403 404 404 in",
	"POST /people/file/{import}/match":          "403 403 404 404 in",
	"POST /people/file/{import}/manner":         "403 403 404 404 in",
	"POST /people/file/{import}/right":          "403 403 404 404 in",
	"POST /people/file/{import}/in":             "403 403 404 404 in",
	"GET /people/file/{import}/progress":        "403 403 404 404 in",
	"GET /people/{person}":                      "403 404 ok ok in",
	"POST /people/{person}/set":                 "403 403 ok ok in",
	"POST /people/{person}/positions":           "403 403 ok ok in",
	"POST /people/{person}/pin/new":             "403 403 ok ok in",
	"POST /people/{person}/card":                "403 403 ok ok in",
	"POST /people/{person}/card/learn":          "403 403 ok ok in",
	"POST /people/{person}/card/drop":           "403 403 ok ok in",
	"POST /people/{person}/pin":                 "403 403 ok ok in",
	"POST /people/{person}/codes":               "403 403 404 404 in",
	"POST /people/{person}/end":                 "403 403 ok ok in",
	"POST /people/{person}/complete":            "403 403 ok ok in",
	"POST /people/{person}/join":                "403 403 404 404 in", // to nobody there is
	"POST /people/{person}/back":                "403 403 ok ok in",
	"POST /people/{person}/erase":               "403 403 403 ok in",
	"POST /people/signins":                      "403 403 ok ok in",
	"POST /people/{person}/signin":              "403 403 ok ok in",
	"POST /people/{person}/signin/take":         "403 403 ok ok in",
	"POST /people/{person}/code/reset":          "403 403 403 ok in",
	"POST /me/language":                         "ok ok ok ok in",
	"GET /me/everything.json":                   "ok ok ok ok in",
	"GET /people/{person}/everything.json":      "403 403 403 ok in",
	"GET /roster":                               "403 ok ok ok in",
	"POST /roster/plan":                         "403 ok ok ok in",
	"POST /roster/draw":                         "403 ok ok ok in",
	"POST /roster/series/{series}":              "403 404 404 404 in",
	"POST /roster/series/{series}/end":          "403 404 404 404 in",
	"POST /roster/shifts/{shift}":               "403 404 404 404 in",
	"POST /roster/shifts/{shift}/drop":          "403 404 404 404 in",
	"POST /roster/copy":                         "403 404 404 404 in",
	"POST /roster/usual":                        "403 404 404 404 in",
	"POST /roster/usual/lay":                    "403 404 404 404 in",
	"POST /roster/usual/drop":                   "403 404 404 404 in",
	"GET /roster/worked":                        "403 ok ok ok in",
	"GET /roster/worked.csv":                    "403 ok ok ok in",
	"GET /roster/worked.xlsx":                   "403 ok ok ok in",
	"GET /roster/late":                          "403 ok ok ok in",
	"GET /roster/tell":                          "403 ok ok ok in",
	"POST /roster/tell":                         "403 ok ok ok in",
	"GET /leave":                                "ok ok ok ok in",
	"POST /leave":                               "404 404 404 404 in",
	"GET /leave/asked":                          "403 403 ok ok in",
	"POST /leave/decide":                        "403 403 ok ok in",
	"POST /leave/reopen":                        "403 403 404 404 in",
	"POST /leave/{request}/withdraw":            "404 404 404 404 in",
	"POST /leave/adjust":                        "403 403 404 404 in",
	"POST /setup/leave":                         "403 403 ok ok in",
	"GET /leave/{request}/paper.jpg":            "404 404 404 404 in",
	"POST /leave/ask":                           "404 404 404 404 in",
	"POST /leave/give":                          "404 404 404 404 in",
	"POST /leave/gifts/{gift}/back":             "404 404 404 404 in",
	"POST /leave/gifts/{gift}":                  "403 403 404 404 in",
	"GET /leave/away":                           "403 403 ok ok in",
	"GET /leave/away.ics":                       "403 403 ok ok in",
	"GET /leave/lost":                           "403 403 ok ok in",
	"POST /leave/lost":                          "403 403 ok ok in",
	"GET /setup/leave":                          "403 403 ok ok in",
	"GET /setup/leave/policy":                   "403 403 ok ok in",
	"POST /setup/leave/windows":                 "403 403 ok ok in",
	"POST /setup/leave/windows/{window}/drop":   "403 403 404 404 in",
	"POST /setup/leave/least":                   "403 403 404 404 in",
	"GET /setup/leave/file":                     "403 403 ok ok in",
	"GET /setup/leave/file/template.csv":        "403 403 ok ok in",
	"POST /setup/leave/file":                    "403 403 ok ok in",
	"GET /setup/leave/file/{import}":            "403 403 404 404 in",
	"POST /setup/leave/file/{import}/match":     "403 403 404 404 in",
	"POST /setup/leave/file/{import}/manner":    "403 403 404 404 in",
	"POST /setup/leave/file/{import}/right":     "403 403 404 404 in",
	"POST /setup/leave/file/{import}/in":        "403 403 404 404 in",
	"GET /setup/leave/file/{import}/progress":   "403 403 404 404 in",
	"POST /setup/leave/policies":                "403 403 404 404 in",
	"POST /setup/leave/give":                    "403 403 404 404 in",
	"GET /shifts":                               "ok ok ok ok in",
	"GET /shifts/all":                           "403 403 403 403 in",
	"GET /shifts.ics":                           "ok ok ok ok in",
	"POST /shifts/calendar":                     "ok ok ok ok in",
	"POST /shifts/calendar/drop":                "ok ok ok ok in",
	"GET /calendar/{token}":                     "404 404 404 404 404",
	"POST /roster/wanted":                       "403 403 404 404 in",
	"POST /roster/places":                       "403 ok ok ok in",
	"POST /roster/places/{place}/close":         "403 404 404 404 in",
	"POST /roster/asks/{ask}/give":              "403 404 404 404 in",
	"POST /roster/asks/{ask}/decline":           "403 404 404 404 in",
	"POST /shifts/places/{place}/ask":           "404 404 404 404 in",
	"POST /shifts/{shift}/over":                 "404 404 404 404 in",
	"POST /shifts/{shift}/keep":                 "404 404 404 404 in",
	"POST /shifts/changes/{told}/agree":         "404 404 404 404 in",
	"POST /shifts/{shift}/sick":                 "404 404 404 404 in",
	"POST /setup/planning":                      "403 403 404 404 in",
	"GET /notices":                              "ok ok ok ok in",
	"GET /notices/unseen":                       "ok ok ok ok in",
	"GET /notices/{notice}":                     "404 404 404 404 in",
	"POST /notices/seen":                        "404 404 404 404 in",
	"POST /notices/ways":                        "404 404 404 404 in",
	"POST /notices/quiet":                       "ok ok ok ok in",
	"POST /notices/ask":                         "404 404 404 404 in",
	"GET /setup/messages":                       "403 403 ok ok in",
	"POST /setup/messages/{message}/again":      "403 403 404 404 in",
	"GET /setup/work":                           "403 403 ok ok in",
	"POST /setup/work/{work}/again":             "403 403 404 404 in",
	"GET /setup/rights":                         "403 403 ok ok in",
	"POST /setup/rights/auditor":                "403 403 403 ok in",
	"POST /people/{person}/rights":              "403 403 404 404 in",
	"POST /people/{person}/rights/{grant}/take": "403 403 404 404 in",

	"GET /jobs":                           "403 ok ok ok in",
	"GET /jobs/export.csv":                "403 ok ok ok in",
	"GET /jobs/file/template.csv":         "403 403 ok ok in",
	"GET /jobs/file":                      "403 403 ok ok in",
	"POST /jobs/file":                     "403 403 ok ok in",
	"GET /jobs/file/{import}":             "403 403 404 404 in",
	"POST /jobs/file/{import}/match":      "403 403 404 404 in",
	"POST /jobs/file/{import}/manner":     "403 403 404 404 in",
	"POST /jobs/file/{import}/right":      "403 403 404 404 in",
	"POST /jobs/file/{import}/in":         "403 403 404 404 in",
	"GET /jobs/file/{import}/progress":    "403 403 404 404 in",
	"POST /jobs":                          "403 403 ok ok in",
	"GET /jobs/{job}":                     "403 ok ok ok in",
	"POST /jobs/{job}/set":                "403 403 404 404 in",
	"POST /jobs/{job}/tasks":              "403 403 ok ok in",
	"POST /jobs/{job}/estimate":           "403 403 ok ok in",
	"POST /jobs/{job}/tasks/{task}/as":    "403 403 404 404 in",
	"POST /jobs/{job}/tasks/{task}/set":   "403 403 404 404 in",
	"POST /jobs/{job}/tasks/{task}/split": "403 403 404 404 in",
	"POST /jobs/{job}/tasks/{task}/close": "403 403 404 404 in",
	"POST /jobs/{job}/open":               "403 403 ok ok in",
	"POST /jobs/{job}/open/{entry}/close": "403 403 404 404 in",
	"POST /jobs/{job}/wages":              "403 403 404 404 in",
	"POST /jobs/{job}/codes":              "403 403 404 404 in",

	"GET /customers/{customer}":                    "403 ok ok ok in",
	"POST /customers/{customer}/name":              "403 403 ok ok in",
	"POST /customers/{customer}/share":             "403 403 ok ok in",
	"POST /customers/{customer}/share/{link}/take": "403 403 404 404 in",
	"GET /hours/{token}":                           "404 404 404 404 404",
	"GET /hours/{token}/hours.csv":                 "404 404 404 404 404",

	"GET /guide":                                 "ok ok ok ok in",
	"GET /guide/{page}":                          "ok ok ok ok in",
	"GET /setup/hours":                           "403 403 ok ok in",
	"GET /setup/hours/template.csv":              "403 403 ok ok in",
	"POST /setup/hours":                          "403 403 ok ok in",
	"GET /setup/hours/{import}":                  "403 403 404 404 in",
	"POST /setup/hours/{import}/match":           "403 403 404 404 in",
	"POST /setup/hours/{import}/manner":          "403 403 404 404 in",
	"POST /setup/hours/{import}/right":           "403 403 404 404 in",
	"POST /setup/hours/{import}/in":              "403 403 404 404 in",
	"GET /setup/hours/{import}/progress":         "403 403 404 404 in",
	"GET /setup/year":                            "403 403 ok ok in",
	"GET /setup/year/template.csv":               "403 403 ok ok in",
	"POST /setup/year":                           "403 403 ok ok in",
	"GET /setup/year/{import}":                   "403 403 404 404 in",
	"POST /setup/year/{import}/match":            "403 403 404 404 in",
	"POST /setup/year/{import}/manner":           "403 403 404 404 in",
	"POST /setup/year/{import}/right":            "403 403 404 404 in",
	"POST /setup/year/{import}/in":               "403 403 404 404 in",
	"GET /setup/year/{import}/progress":          "403 403 404 404 in",
	"GET /setup/holidays/file":                   "403 403 ok ok in",
	"GET /setup/holidays/file/template.csv":      "403 403 ok ok in",
	"POST /setup/holidays/file":                  "403 403 ok ok in",
	"GET /setup/holidays/file/{import}":          "403 403 404 404 in",
	"POST /setup/holidays/file/{import}/match":   "403 403 404 404 in",
	"POST /setup/holidays/file/{import}/manner":  "403 403 404 404 in",
	"POST /setup/holidays/file/{import}/right":   "403 403 404 404 in",
	"POST /setup/holidays/file/{import}/in":      "403 403 404 404 in",
	"GET /setup/holidays/file/{import}/progress": "403 403 404 404 in",
	"GET /api/openapi.yaml":                      "ok ok ok ok ok",
	"GET /api/v1/point":                          "in in in in in",
	"GET /api/v1/people":                         "in in in in in",
	"GET /api/v1/people/{number}":                "in in in in in",
	"GET /api/v1/jobs":                           "in in in in in",
	"POST /api/v1/calls":                         "in in in in in",
	"POST /api/v1/swipes":                        "in in in in in",
	"POST /api/v1/punches":                       "in in in in in",
	"POST /api/v1/punches/queue":                 "in in in in in",
	"POST /setup/points":                         "403 403 ok ok in",
	"POST /setup/points/{point}/close":           "403 403 404 404 in",
	"POST /setup/points/{point}/terminal":        "403 403 404 404 in",
	"POST /setup/points/{point}/pins":            "403 403 404 404 in",
	"POST /setup/points/{point}/keys":            "403 403 ok ok in",
	"POST /setup/keys/{key}/end":                 "403 403 404 404 in",
	"POST /setup/parts":                          "403 403 404 404 in",
	"POST /setup/asks":                           "403 403 ok ok in",
	"POST /setup/asks/{ask}/drop":                "403 403 404 404 in",
	"GET /setup":                                 "403 403 ok ok in",
	"GET /setup/on/{subject}":                    "403 403 ok ok in",
	"GET /setup/begin":                           "403 403 ok ok in",
	"POST /setup/begin":                          "403 403 404 404 in",
	"POST /setup/begin/leave":                    "403 403 ok ok in",
	"POST /setup/set":                            "403 403 404 404 in",
	"POST /setup/mark":                           "403 403 ok ok in",
	"POST /setup/samples":                        "403 403 ok ok in",
	"POST /setup/samples/drop":                   "403 403 ok ok in",
	"POST /setup/map":                            "403 403 ok ok in",
	"GET /mark.png":                              "404 404 404 404 in",
	"POST /setup/flags":                          "403 403 404 404 in",
	"POST /setup/sites":                          "403 403 ok ok in",
	"POST /setup/kinds":                          "403 403 ok ok in",
	"POST /setup/units":                          "403 403 ok ok in",
	"POST /setup/periods":                        "403 403 ok ok in",
	"POST /setup/periods/drop":                   "403 403 ok ok in",
	"POST /setup/fields":                         "403 403 ok ok in",
	"POST /setup/fields/{field}/drop":            "403 403 404 404 in",
	"POST /setup/holidays":                       "403 403 ok ok in",
	"POST /setup/holidays/drop":                  "403 403 404 404 in",
	"POST /setup/holidays/fill":                  "403 403 404 404 in",
	"GET /setup/rules":                           "403 403 ok ok in",
	"POST /setup/rules":                          "403 403 ok ok in",
	"POST /setup/rules/drop":                     "403 403 404 404 in",
	"GET /setup/codes":                           "403 403 ok ok in",
	"POST /setup/codes":                          "403 403 404 404 in",
	"POST /setup/codes/order":                    "403 403 ok ok in",
	"POST /setup/costcodes":                      "403 403 ok ok in",
	"POST /setup/classes":                        "403 403 ok ok in",
	"GET /setup/audit":                           "403 403 ok ok in",
	"GET /setup/audit.csv":                       "403 403 ok ok in",

	"GET /find":     "403 ok ok ok in",
	"GET /live":     "ok ok ok ok in",
	"POST /signout": "ok ok ok ok in",
}

// Every route, walked for every level and for a stranger. A route that is
// missing from the table fails, and so does a row without a route.
func TestEveryRouteForEveryLevel(t *testing.T) {
	s := open(t)
	var routes []string
	err := chi.Walk(s.server.Handler().(chi.Router),
		func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			routes = append(routes, method+" "+route)
			return nil
		})
	if err != nil {
		t.Fatal(err)
	}
	for row := range routeReach {
		if !slices.Contains(routes, row) {
			t.Errorf("%s stands in the table and is no route", row)
		}
	}
	// Somebody else's card, from none of the crews that sign in here.
	card := fmt.Sprintf("%s/2026-11-12", s.Person(t, "Kofi Larkin").Employment)
	run := dbtest.Get[uuid.UUID](t, s.World, `select id from run order by number limit 1`).String()
	person := s.Person(t, "Kofi Larkin").ID.String()
	fill := strings.NewReplacer("{employment}/{date}", card, "{run}", run, "/static/*", "/static/app.css", "{subject}", "sites",
		"{page}", "me",
		"{person}", person, "{import}",
		uuid.NewString(), "{grant}", uuid.NewString(),
		"{job}", dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2252'`).String(), "{task}", uuid.NewString(),
		"{entry}", uuid.NewString(), "{token}", "aaaa-bbbb-cccc-dddd",
		"{customer}", dbtest.Get[uuid.UUID](t, s.World, `select id from customer limit 1`).String(), "{link}", uuid.NewString(),
		"{field}", uuid.NewString(),
		"{request}", uuid.NewString(), "{objection}", uuid.NewString(), "{finding}", uuid.NewString(),
		"{point}", uuid.NewString(), "{key}", uuid.NewString(),
		"{number}", "2040", "{id}", uuid.NewString(), "{own}", uuid.NewString(), "{name}", "days.csv")
	who := []string{"Viggo Bexley", "Wren Halloran", "Piet Donoghue", "Orla Ebbwater", ""}
	form := url.Values{"id": {uuid.NewString()}, "from": {"2026-11-12"}, "to": {"2026-11-12"}, "act": {"out"}, "note": {"n"}, "seen": {"x"},
		"batch":      {uuid.NewString()},
		"employment": {card[:36]}, "date": {"2026-11-12"}, "q": {"a"}, "field": {"title"}, "value": {"Lamplighter"},
		"query": {""}, "on": {"2026-12-31"}, "day": {"2026-11-12"}, "missing": {card[:36]}, "into": {uuid.NewString()},
		"job":      {uuid.NewString()},
		"unit":     {dbtest.Get[uuid.UUID](t, s.World, `select id from unit where name = 'Gantry crew B'`).String()},
		"password": {demo.Password}, "last": {"2026-12-31"}}
	slices.SortFunc(routes, func(a, b string) int { // what ends the session comes last
		last := func(r string) int { return strings.Count(r, "/signout") + strings.Count(r, "/sessions/end") }
		return cmp.Or(last(a)-last(b), strings.Compare(a, b))
	})
	for n, name := range who {
		c := s.stranger(t)
		if name != "" {
			c = s.signIn(t, name)
		}
		for _, route := range routes {
			row, ok := routeReach[route]
			if !ok {
				t.Errorf("%s is a route and not in the table", route)
				continue
			}
			method, pattern, _ := strings.Cut(route, " ")
			form.Set("id", uuid.NewString())
			ends := pattern == "/signout" || pattern == "/me/sessions/end"
			if ends && name != "" {
				c = s.signIn(t, name)
			}
			status, _, h := c.do(method, fill.Replace(pattern), form)
			got := fmt.Sprint(status)
			switch {
			case status == http.StatusSeeOther && strings.HasPrefix(h.Get("Location"), "/signin") && (name == "" || !ends),
				status == http.StatusUnauthorized:
				got = "in"
			case status < 400, status == http.StatusUnprocessableEntity:
				got = "ok" // refused for what was asked, not for who asked
			}
			if want := strings.Fields(row)[n]; got != want {
				t.Errorf("%s for %q: %s (%d), want %s", route, name, got, status, want)
			}
		}
	}
}

// An auditor reads what an owner reads, and changes nothing but their own
// sign-in and the columns of their own lists.
func TestAnAuditorChangesNothing(t *testing.T) {
	s := open(t)
	orla := s.Person(t, "Orla Ebbwater")
	id := uuid.New()
	if err := s.Do(t.Context(), orla,
		people.AddAuditor{ID: id, Given: "Ada", Family: "Quillon", Email: "ada.quillon@" + demo.MailDomain,
			Last: when.NewDate(2026, 11, 20)}); err != nil {
		t.Fatal(err)
	}
	token := app.NewSignInToken()
	if err := s.Do(t.Context(), orla, people.LinkFor(id, token)); err != nil {
		t.Fatal(err)
	}
	if _, err := people.ChoosePassword(t.Context(), s.App, token, people.Chosen{Password: demo.Password}); err != nil {
		t.Fatal(err)
	}
	c := s.signIn(t, "Ada Quillon")
	for _, path := range []string{"/today", "/timecards?day=2026-11-12", "/payruns", "/people", "/jobs", "/setup", "/setup/audit",
		"/setup/rights", "/setup/rules", "/setup/codes"} {
		if status, _, _ := c.get(path); status != http.StatusOK {
			t.Errorf("%s: %d", path, status)
		}
	}
	may := []string{"/signin", "/signin/code", "/signin/forgot", "/signin/end/{token}", "/welcome", "/welcome/{token}", "/signout",
		"/me/password", "/me/code", "/me/code/confirm", "/me/code/drop", "/me/sessions/end", "/me/language", "/people/columns",
		"/notices/ask", "/notices/quiet", "/notices/seen", "/notices/ways"}
	err := chi.Walk(s.server.Handler().(chi.Router),
		func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
			if method != "POST" || slices.Contains(may, route) {
				return nil
			}
			path := strings.NewReplacer("{employment}", uuid.NewString(), "{date}", "2026-11-12").Replace(route)
			for strings.Contains(path, "{") {
				path = path[:strings.Index(path, "{")] + uuid.NewString() + path[strings.Index(path, "}")+1:]
			}
			// What devices ask takes a key, and no session opens it.
			if status, _, _ := c.post(path, nil); status != http.StatusForbidden &&
				!(status == http.StatusUnauthorized && (strings.HasPrefix(route, "/api/") || strings.HasPrefix(route, "/terminal/"))) {
				t.Errorf("POST %s: %d", route, status)
			}
			return nil
		})
	if err != nil {
		t.Fatal(err)
	}
	s.Set(dbtest.Now.AddDate(0, 0, 9)) // after the last day
	if status, _, _ := c.get("/today"); status != http.StatusSeeOther {
		t.Errorf("after the last day: %d", status)
	}
}

// The page of every job opens, whatever the job has: for an owner, who sees
// wages, and for a lead, who doesn't.
func TestEveryJobsPage(t *testing.T) {
	s := open(t)
	for _, name := range []string{"Mira Castellane", "Ruth Adeyemi"} {
		c := s.signIn(t, name)
		for _, id := range strings.Fields(dbtest.Get[string](t, s.World, `select string_agg(id::text, ' ') from job`)) {
			if status, _, _ := c.get("/jobs/" + id); status != http.StatusOK {
				t.Errorf("%s, %s: %d", name, id, status)
			}
		}
	}
}
