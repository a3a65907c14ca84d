package e2e

import (
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/dbtest"
)

// A crew lead's day on the phone: some are moved, all are clocked out, the day is signed;
// the next morning one is missing, another is borrowed, and somebody nobody knows is there.
func TestACrewSheet(t *testing.T) {
	s := open(t)
	phone := s.device(390, 844)
	phone.signIn("Wren Halloran")
	touches := 0
	touch := func(text string) { touches++; phone.press(text) }

	touch("^Crew sheet$")
	phone.sees(".sum", "6 on the clock")
	s.shot(phone, "crew-day")
	phone.accessible("the crew sheet", "all")
	touches = 0
	touch("^None$")
	for _, name := range []string{"Tomasz Brandt", "Abena Farouk"} {
		touches++
		phone.sees(".crewline label", name).MustClick()
	}
	phone.refreshed() // once, and again: who is chosen stays so
	phone.refreshed()
	phone.MustElement("#crew-find").MustInput("2243 erecting")
	phone.waits(`() => document.getElementById("crew-job").value !== ""`)
	touch("^Move$")
	phone.sees(".said", "Moved: 2")
	if touches != 4 {
		t.Errorf("%d touches to move two, beside typing the job", touches)
	}
	phone.sees(".crewjob h2", "2243")

	s.pass(5 * time.Hour)
	phone.open("/crew")
	touches = 0
	touch("^Clock out$")
	phone.sees(".said", "Clocked out: 6")
	if touches != 1 {
		t.Errorf("%d touches to clock everybody out", touches)
	}
	count := phone.sees("#counts label", "2243.*signs")
	count.MustElement("input").MustInput("12")
	phone.sees("#counts button", "Keep").MustClick()
	phone.sees("#counts small", "counted by Wren Halloran")
	touch("Sign the cards: 6")
	phone.sees(".said", "Signed Friday 13 November")
	phone.fits("the crew sheet")

	// Monday morning, ten to seven.
	s.moveTo(time.Date(2026, 11, 16, 11, 50, 0, 0, time.UTC))
	phone.signIn("Wren Halloran")
	phone.open("/crew")
	phone.sees(".sum", "6 not come yet")
	touches = 0
	phone.sees(".crewline", "Zofia Fjeld").MustElementR("button", "Missing").MustClick()
	touches++
	phone.sees(".crewline.gone", "missing, says Wren Halloran")
	touch("^Clock in$")
	phone.sees(".said", "Clocked in: 5")
	if touches != 2 {
		t.Errorf("%d touches to clock a crew in, one missing", touches)
	}
	phone.MustElement(`#add input[name="q"]`).MustInput("Dao")
	phone.press("^Find$")
	phone.press("Put on this sheet")
	phone.sees(".crewline", "Dao Pham[^]*of ")
	phone.MustElement(`#add input[name="name"]`).MustInput("Ned Carrow")
	phone.MustElement(`#add input[name="mobile"]`).MustInput("555 0188")
	phone.press("^Add$")
	phone.sees(".crewline", "Ned Carrow[^]*the office completes them")
	s.shot(phone, "crew-new")

	// The office sees who says that somebody is missing, joins Ned to nobody, gives a number and says that nothing is missing.
	desk := s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/today")
	desk.sees(".where", "not there, says Wren Halloran")
	desk.open("/people?without=number")
	desk.press("Ned Carrow")
	desk.sees(".completing", "Nobody of that name")
	desk.press("Nothing is missing any more")
	desk.sees(".said", "no number yet")
	s.shot(desk, "newcomer")
}

// A crew's sheet goes on without a connection: what is pressed waits as its lead's, in
// order, and is recorded when it was pressed.
func TestACrewSheetWithoutSignal(t *testing.T) {
	s := open(t)
	phone := s.device(390, 844)
	phone.signIn("Wren Halloran")
	phone.sees(".now-line", "On the clock since")
	phone.open("/crew")
	phone.sees(".sum", "6 on the clock")
	phone.waits(`() => navigator.serviceWorker.controller !== null`)
	phone.waits(`() => new Promise(done => { const q = indexedDB.open("manudex", 1); q.onsuccess = () => {
		const a = q.result.transaction("seen").objectStore("seen").getAllKeys();
		a.onsuccess = () => done(a.result.some(k => k.startsWith("crew:"))); }; })`)
	begun := s.At()

	phone.expectTrouble() // of a connection that is not there
	s.stop()
	s.pass(10 * time.Minute)
	phone.press("^Start meal$") // on the page that was open
	phone.sees(".nosignal", "No connection")
	phone.sees(".waitline", "waiting: 1")
	phone.sees(".crewline", "Tomasz Brandt[^]*On your meal since|meal since")
	s.shot(phone, "crew-nosignal")
	phone.MustReload().MustWaitLoad()
	phone.sees(".waitline", "waiting: 1")
	s.pass(30 * time.Minute)
	phone.press("^Back to work$")
	phone.sees(".waitline", "waiting: 2")
	inputs := phone.MustElements(".crew .row-of input")
	n := len(inputs)
	inputs[n-2].MustInput("Ned Carrow")
	inputs[n-1].MustInput("555 0188")
	phone.press("^Add$")
	phone.sees(".crewline", "Ned Carrow")
	phone.sees(".waitline", "waiting: 3")
	s.pass(5 * time.Minute)
	for _, line := range phone.MustElements(".crewline input") {
		if line.MustProperty("checked").Bool() {
			line.MustEval(`() => this.click()`)
		}
	}
	phone.sees(".crewline label", "Ned Carrow").MustElement("input").MustEval(`() => this.click()`)
	phone.MustElementR("option", "2247 .*Erecting").MustEval(`() => { this.parentElement.value = this.value;
		this.parentElement.dispatchEvent(new Event("change")); }`)
	phone.press("^Clock in$")
	phone.sees(".waitline", "waiting: 4")
	s.pass(15 * time.Minute)
	s.start()

	phone.sees(".sum", "7 on the clock")
	phone.waits(`() => document.getElementById("waiting").hidden`)
	off := func(act string) float64 {
		return dbtest.Get[float64](t, s.World, `select extract(epoch from max(claimed_at) - $2::timestamptz)::float8 from punch
			where act = $1 and point in ('sheet queue', 'queue') and received_at > $2`, act, begun)
	}
	for act, want := range map[string]time.Duration{"break_start": 10 * time.Minute, "break_end": 40 * time.Minute,
		"in": 45 * time.Minute} {
		if got := time.Duration(off(act) * float64(time.Second)); (got - want).Abs() > 30*time.Second {
			t.Errorf("%s counts %s after, want %s", act, got, want)
		}
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch where act in ('break_start', 'break_end') and received_at > $1`,
		begun); n != 12 {
		t.Errorf("%d punches of breaks, want 12", n)
	}
	ned := dbtest.Get[uuid.UUID](t, s.World, `select added_by from person where given_name = 'Ned'`)
	if ned != s.Person(t, "Wren Halloran").ID {
		t.Error("who added Ned isn't kept")
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from claim where received_at > $1`, begun); n != 0 {
		t.Errorf("%d claims", n)
	}
}
