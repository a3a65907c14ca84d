package e2e

import (
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/points"
	"manudex/dbtest"
	"manudex/demo"
)

// dials types digits on the keys of the terminal.
func (d *device) dials(digits string) {
	d.s.t.Helper()
	for _, r := range digits {
		d.sees(".pad .key", "^"+string(r)+"$").MustClick()
	}
}

// terminal opens a shared terminal at the works, as a manager does.
func (s *site) terminal(width, height int) *device {
	s.t.Helper()
	d := s.device(width, height)
	d.signIn("Mira Castellane")
	d.open("/setup/on/points")
	d.MustElement("form[action$='/terminal'] input[name=title]").MustInput("Tablet by the door")
	d.press("^Make it a shared terminal$")
	d.sees(".ask", "Your number")
	d.setClock()
	return d
}

func (s *site) shot(d *device, name string) {
	if to := os.Getenv("SHOTS"); to != "" {
		_ = os.WriteFile(to+"/"+name+".png", d.MustScreenshot(), 0o600)
	}
}

// At a shared terminal somebody clocks in in three touches beside their number and PIN, and
// the desk sees it at once; a wrong PIN opens nothing, five make them wait, and a manager
// hears of both; a lead acts for one of the crew under their own name.
func TestASharedTerminal(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	s.moveTo(time.Date(2026, 11, 16, 19, 20, 0, 0, time.UTC)) // Monday, 14:20 at the works
	d := s.terminal(1024, 800)
	var who struct{ Number, Name, Lead, LeadNumber string }
	if err := s.DB.Get(&who, `select p.number, p.given_name || ' ' || p.family_name as name, l.given_name || ' ' || l.family_name as lead,
		l.number as leadnumber from person p join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		join unit_lead ul on ul.unit_id = u.id join person l on l.id = ul.person_id
		where u.name = 'Lamp bench, late' and p.level = 'worker' and exists (
			select from shift h where h.employment_id = e.id and h.date = '2026-11-16' and h.job_id is not null)
		and not exists (select from stint n where n.employment_id = e.id and n.end_at is null) order by p.number limit 1`); err != nil {
		t.Fatal(err)
	}
	desk := s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/today")
	desk.live()

	// A wrong PIN, and then the right one.
	d.dials(who.Number)
	d.sees(".ask", "your PIN")
	d.expectTrouble() // a wrong PIN is a 403
	d.dials("1357")
	d.press("^OK$")
	d.sees(".wrong", "not the PIN")
	d.dials(demo.PIN)
	s.shot(d, "pin")
	touches := 0
	touch := func(text string) { touches++; d.press(text) }
	touch("^OK$")
	d.sees("h2", "Off the clock")
	d.sees(".sumline", "this pay period")
	s.shot(d, "acts")
	touch("^Clock in: 22")
	d.sees(".did h2", "Clocked in: 22")
	s.shot(d, "done")
	touch("^Next$")
	if touches > 3 {
		t.Errorf("%d touches", touches)
	}
	desk.sees("tr.r", who.Name+"[\\s\\S]*since 14:20")
	d.sees(".there li.on", who.Name)
	s.shot(d, "idle")
	if by := dbtest.Get[string](t, s.World, `select point from punch p join employment e on e.id = p.employment_id
		join person x on x.id = e.person_id where x.number = $1 order by received_at desc limit 1`, who.Number); by != "terminal" {
		t.Errorf("it came by %s", by)
	}

	// By initial and name; the meal; and a lead ends it for them, under the lead's own name.
	s.pass(2 * time.Hour)
	d.press("^My initial$")
	d.sees(".letters .key", "^"+who.Name[:1]+"$").MustClick()
	d.sees(".names .key", "^"+who.Name+"$").MustClick()
	d.dials(demo.PIN)
	d.press("^OK$")
	d.sees(".sumline", "2:00 worked since you came")
	d.press("^Start meal$")
	d.sees(".did", "Break begun")
	d.press("^Next$")
	d.sees(".there li.break", who.Name)
	s.pass(30 * time.Minute)
	d.dials(who.LeadNumber)
	d.dials(demo.PIN)
	d.press("^OK$")
	d.press("For somebody of my crew")
	d.sees(".names .key", "^"+who.Name+"$").MustClick()
	d.press("End the meal, back to work")
	d.sees(".did", "Back to work")
	if by := dbtest.Get[string](t, s.World, `select b.given_name || ' ' || b.family_name from punch p
		join employment e on e.id = p.employment_id join person x on x.id = e.person_id join person b on b.id = p.by_person
		where x.number = $1 order by p.received_at desc limit 1`,
		who.Number); by != who.Lead {
		t.Errorf("recorded by %s, not by %s", by, who.Lead)
	}
	d.press("^Next$")

	// Five wrong ones, and they wait; the office hears of that, and of a PIN that is asked for.
	d.dials(who.Number)
	for range 5 {
		d.sees(".ask", "your PIN")
		d.dials("1357")
		d.press("^OK$")
		d.sees(".wrong", "not the PIN")
	}
	d.dials(demo.PIN)
	d.press("^OK$")
	d.sees(".did.wrong", "Too many wrong PINs")
	d.press("^Next$")
	d.dials(who.Number)
	d.press("I forgot my PIN")
	d.sees(".did", "The office was asked")
	desk.signIn("Mira Castellane") // whose session has lasted
	desk.open("/today")
	desk.sees("#decisions tr", who.Name+"[\\s\\S]*asks for a new PIN")
	desk.sees("#decisions tr", who.Name+"[\\s\\S]*wrong PINs")
	d.press("^Next$")
	d.press("Español")
	d.sees(".ask", "Su número")
	s.shot(d, "spanish")
	d.accessible("the terminal", "all")
	d.fits("the terminal")

	// Taken back, the device is a terminal no more.
	key := dbtest.Get[uuid.UUID](t, s.World, `select id from point_key where terminal`)
	if err := s.Do(ctx, s.Person(t, "Mira Castellane"), points.EndKey{Key: key}); err != nil {
		t.Fatal(err)
	}
	d.sees(".ask", "no es un terminal")
}

// Without a connection the terminal goes on: what is typed waits sealed, and is checked
// when it arrives. A PIN that proves wrong makes a claim.
func TestATerminalWithoutSignal(t *testing.T) {
	s := open(t)
	s.moveTo(time.Date(2026, 11, 16, 19, 20, 0, 0, time.UTC))
	d := s.terminal(1024, 800)
	var numbers []string
	if err := s.DB.Select(&numbers, `select p.number from person p join employment e on e.person_id = p.id
		join unit u on u.id = e.unit_id where u.name = 'Lamp bench, late' and p.level = 'worker' and exists (
			select from shift h where h.employment_id = e.id and h.date = '2026-11-16' and h.job_id is not null)
		and not exists (select from stint n where n.employment_id = e.id and n.end_at is null) order by p.number limit 2`); err != nil {
		t.Fatal(err)
	}
	d.waits(`() => navigator.serviceWorker.controller !== null`)
	begun := s.At()
	d.expectTrouble()
	s.stop()
	d.sees(".nosignal", "No connection")
	for i, pin := range []string{demo.PIN, "1357"} {
		d.dials(numbers[i])
		d.dials(pin)
		d.press("^OK$")
		d.press("^Clock in: 22")
		d.sees(".did", "kept here with its time")
		d.press("^Next$")
	}
	d.sees(".nosignal", "waiting: 2")
	s.shot(d, "cut")
	d.MustReload().MustWaitLoad()
	d.sees(".nosignal", "waiting: 2")
	text := d.MustEval(`() => new Promise(done => { const q = indexedDB.open("manudex", 1); q.onsuccess = () => {
		const a = q.result.transaction("punches").objectStore("punches").getAll();
		a.onsuccess = () => done(JSON.stringify(a.result.map(p => ({ ...p.punch, id: "" })))); }; })`).Str()
	if !strings.Contains(text, "sealed") || strings.Contains(text, "pin\"") {
		t.Errorf("what waits holds a PIN, or nothing: %s", text)
	}
	s.pass(20 * time.Minute)
	s.start()
	d.waits(`() => !document.querySelector(".nosignal")`)
	for i, want := range []string{"punch", "claim"} {
		var at time.Time
		if err := s.DB.Get(&at, `select x.claimed_at from `+want+` x join employment e on e.id = x.employment_id
			join person p on p.id = e.person_id where p.number = $1 and x.received_at > $2`, numbers[i], begun); err != nil {
			t.Fatalf("no %s of %s: %v", want, numbers[i], err)
		}
		if off := at.Sub(begun); off.Abs() > time.Minute {
			t.Errorf("%s counts %s off", want, off)
		}
	}
}
