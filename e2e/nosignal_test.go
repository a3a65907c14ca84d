package e2e

import (
	"context"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"
	"github.com/google/uuid"

	"manudex/app/jobs"
	"manudex/dbtest"
)

// waits waits until a script on the page says that something is so.
func (d *device) waits(script string) {
	d.s.t.Helper()
	until := time.Now().Add(patience)
	err := d.Page.Timeout(patience).Wait(rod.Eval(script).ByPromise())
	for err != nil && time.Now().Before(until) { // the page went on to another while it was asked
		err = d.Page.Timeout(time.Until(until)).Wait(rod.Eval(script).ByPromise())
	}
	if err != nil {
		d.s.t.Fatalf("never so: %s (%v)", script, err)
	}
}

// refreshed has the page read anew, as it is when something changes.
func (d *device) refreshed() {
	d.s.t.Helper()
	before := d.MustEval(`() => {
		const page = document.querySelector('script[type="module"]').src;
		import(new URL("refresh.js", page).href).then(m => m.refresh());
		return document.body.dataset.refreshed || "";
	}`).Str()
	d.waits(`() => (document.body.dataset.refreshed || "") !== "` + before + `"`)
}

// Without signal: several punches, a reload between them, a job that is closed meanwhile,
// the session ended, somebody else on the same phone, and the same queue sent twice.
// Everything is stored once, with its time, by its owner alone.
func TestWithoutSignal(t *testing.T) {
	s := open(t)
	name, other := "Dao Pham", "Ruth Adeyemi"
	who := dbtest.Get[uuid.UUID](t, s.World, `select id from person where given_name || ' ' || family_name = $1`, name)
	if _, err := s.DB.Exec(`update job set billing_asked = true where number = '2233'`); err != nil {
		t.Fatal(err)
	}
	phone := s.device(390, 844)
	phone.signIn(name)
	phone.sees(".now-line", "On the clock since")
	phone.waits(`() => navigator.serviceWorker.controller !== null`)
	// A page that came past the worker, as one does that is on its way while the worker begins.
	phone.MustEval(`() => { window.before = true; }`)
	if err := (proto.PageReload{IgnoreCache: true}).Call(phone.Page); err != nil {
		t.Fatal(err)
	}
	phone.waits(`() => !window.before && navigator.serviceWorker.controller !== null`)
	phone.waits(`() => new Promise(done => { const q = indexedDB.open("manudex", 1); q.onsuccess = () => {
		const a = q.result.transaction("seen").objectStore("seen").getAll(); a.onsuccess = () => done(a.result.length === 1); }; })`)
	begun := s.At()

	phone.expectTrouble() // of a connection that is not there
	s.stop()
	s.pass(10 * time.Minute)
	phone.press("Start meal") // on the page that was open
	phone.sees(".nosignal", "No connection")
	phone.sees(".waitline", "waiting: 1")
	phone.sees(".now-line", "On your meal since")
	phone.MustReload().MustWaitLoad()
	phone.sees(".waitline", "waiting: 1")
	s.pass(30 * time.Minute)
	phone.press("End the meal")
	phone.sees(".waitline", "waiting: 2")
	s.pass(20 * time.Minute)
	phone.press("^Switch$")
	phone.MustElement("#jobs-q").MustInput("2233")
	phone.sees(".choice", "2233").MustClick()
	phone.sees(".choice fieldset label", "not billed").MustClick()
	phone.press("Switch to this")
	phone.sees("h1", "2233")
	s.pass(15 * time.Minute)
	phone.press("Clock out")
	phone.sees(".waitline", "waiting: 4")
	phone.sees(".now-line", "Off the clock")

	// Meanwhile the job is closed, and the session ends.
	job := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2233'`)
	if _, err := s.DB.Exec(`update task set state = 'closed' where job_id = $1`, job); err != nil {
		t.Fatal(err)
	}
	if err := s.Do(context.Background(), s.Person(t, "Orla Ebbwater"), jobs.SetJob{Job: job, Field: "state", Value: "closed"}); err != nil {
		if _, err := s.DB.Exec(`update job set state = 'closed' where id = $1`, job); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.DB.Exec(`update person set session_epoch = session_epoch + 1 where id = $1`, who); err != nil {
		t.Fatal(err)
	}
	queue := phone.MustEval(`() => new Promise(done => { const q = indexedDB.open("manudex", 1); q.onsuccess = () => {
		const a = q.result.transaction("punches").objectStore("punches").getAll();
		a.onsuccess = () => done(JSON.stringify(a.result.sort((x, y) => x.order - y.order).map(p => p.punch))); }; })`).Str()
	s.pass(20 * time.Minute)
	s.start()

	// Their session has ended: it waits for them, and somebody else neither sees nor sends it.
	phone.sees("#waits", "sign in, and it is")
	phone.signIn(other)
	phone.sees("h1", "Hello Ruth|[0-9]")
	phone.open("/clock")
	phone.waits(`() => document.getElementById("waiting").hidden`)
	sent := func() int {
		return dbtest.Get[int](t, s.World, `select count(*) from punch where point = 'queue' and received_at > $1`, begun)
	}
	if n := sent(); n != 0 {
		t.Errorf("somebody else sent %d punches", n)
	}
	phone.press("Sign out")
	phone.sees("#waits", "sign in, and it is")
	phone.signIn(name)
	phone.sees(".now-line", "Off the clock since")
	phone.waits(`() => document.getElementById("waiting").hidden`)

	// Three are recorded when they were pressed; the switch to what is closed is a claim.
	check := func() {
		t.Helper()
		var at []time.Time
		if err := s.DB.Select(&at, `select p.claimed_at from punch p join employment e on e.id = p.employment_id
			where e.person_id = $1 and p.point = 'queue' and p.received_at > $2 order by p.claimed_at`, who, begun); err != nil {
			t.Fatal(err)
		}
		want := []time.Duration{10 * time.Minute, 40 * time.Minute, 75 * time.Minute}
		if len(at) != len(want) {
			t.Fatalf("%d punches came from the phone: %v", len(at), at)
		}
		for i, w := range want {
			if off := at[i].Sub(begun.Add(w)); off.Abs() > 30*time.Second {
				t.Errorf("punch %d counts at %s, %s off", i, at[i], off)
			}
		}
		if n := dbtest.Get[int](t, s.World, `select count(*) from claim c join employment e on e.id = c.employment_id
			where e.person_id = $1 and c.act = 'switch' and c.job_id = $2 and c.marks = 16`, who, job); n != 1 {
			t.Errorf("%d claims", n)
		}
	}
	check()
	phone.open("/clock/days")
	phone.sees(".ownday small", "Sent [0-9].* later")

	// The same again changes nothing, and another punch under one of the ids is a claim.
	again := func(queue string) string {
		return phone.MustEval(`(person, queue) => fetch("/clock/queue", { method: "POST", body: new URLSearchParams({ person, queue,
			sent_at: new Date().toISOString() }) }).then(r => r.text())`, who.String(), queue).Str()
	}
	if answer := again(queue); answer == "" {
		t.Error("no answer")
	}
	check()

	// Signing out says what waits, where that can't be sent just now.
	phone.open("/clock")
	phone.MustEval(`() => { const f = window.fetch;
		window.fetch = (to, o) => String(to).includes("/clock/queue") ? Promise.reject() : f(to, o); }`)
	phone.MustEval(`(queue) => import("/static/queue.js").then(q => q.waits(document.body.dataset.live, JSON.parse(queue)[0]))`, queue)
	phone.press("Sign out")
	phone.sees("#leaving-text", "Waiting to be sent: 1")
	phone.press("Stay signed in")
	phone.sees(".now-line", "Off the clock")
	phone.press("Sign out")
	phone.sees("#leaving-text", "Waiting to be sent: 1")
	phone.sees("#leaving button", "^Sign out$").MustClick()
	phone.sees("#waits", "sign in, and it is")
}
