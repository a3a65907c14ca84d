package e2e

import (
	"context"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/demo"
	"manudex/store"
)

// From the clock to the payroll file: a worker's day on a phone, seen live on
// the manager's Today and on the worker's other device, signed, approved,
// closed, and found to the second in the file.
func TestFromTheClockToThePayrollFile(t *testing.T) {
	s := open(t)
	monday := when.NewDate(2026, 11, 16)
	name := dbtest.Get[string](t, s.World, `select p.given_name || ' ' || p.family_name from person p
		join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		where u.name = 'Lamp bench, late' and p.level = 'worker'
		and not exists (select 1 from leave_day l where l.employment_id = e.id and l.date > '2026-11-13')
		  and not exists (select 1 from card c where c.employment_id = e.id and c.date between '2026-11-08' and '2026-11-13'
		  and c.open_since is not null) order by 1 limit 1`)
	s.moveTo(time.Date(2026, 11, 16, 19, 30, 11, 0, time.UTC)) // Monday 14:30:11 at the works

	lead := s.device(1280, 800) // whose session lasts the shift
	lead.signIn(dbtest.Get[string](t, s.World, `select p.given_name || ' ' || p.family_name from unit u join unit_lead l on l.unit_id = u.id
		join person p on p.id = l.person_id where u.name = 'Lamp bench, late'`))
	lead.open("/today")
	lead.live()

	phone := s.device(390, 844)
	phone.signIn(name)
	phone.sees("h1", "Hello")
	phone.live()
	tablet := s.device(820, 1180) // the same worker's other device
	tablet.signIn(name)
	tablet.live()
	tablet.sees(".now-line", "Off the clock")

	// Clock in on the job that is planned.
	phone.sees(".choice i", "planned")
	began := time.Now()
	phone.press("^Clock in$")
	phone.sees(".now-line", "On the clock since 14:30")
	tablet.sees(".now-line", "On the clock since 14:30")
	lead.sees("tr.r", name+"[\\s\\S]*since 14:30")
	t.Logf("phone, other device and Today agreed within %s", time.Since(began).Round(time.Millisecond))

	// Switch to a job found by search.
	s.pass(2*time.Hour + 7*time.Second)
	phone.press("Switch job")
	phone.MustElement("#jobs-q").MustInput("upkeep tool")
	phone.sees("#more-jobs label", "2252 Works upkeep").MustClick()
	phone.press("Switch to this job")
	phone.sees("h1", "2252 Works upkeep")
	tablet.sees("h1", "2252 Works upkeep")
	lead.sees("tr.r", name+"[\\s\\S]*2252 Works upkeep")

	// A meal, begun on the phone and ended on the other device.
	s.pass(2 * time.Hour)
	phone.press("Start meal")
	phone.sees(".now-line", "On your meal since 18:30")
	tablet.sees("button", "End the meal, back to work")
	lead.sees("tr.group", "On a break, [0-9]+")
	s.pass(31 * time.Minute)
	tablet.press("End the meal, back to work")
	phone.sees(".now-line", "On the clock since 19:01")

	phone.MustElement("#note").MustInput("Vise jaw cracked, ordered a new one")
	phone.press("Add note")
	phone.sees(".noted", "Vise jaw cracked")

	s.pass(4 * time.Hour)
	phone.press("Clock out")
	phone.sees(".now-line", "Off the clock since 23:01")
	tablet.sees(".now-line", "Off the clock since 23:01")
	phone.sees(".sums", "8:00 today")
	lead.sees("tr.r", name+"[\\s\\S]*out 23:01")

	phone.press("Sign Mon 16")
	phone.sees(".said", "Signed Monday 16 November")

	// The manager approves it, takes it back by the key, approves again.
	manager := s.device(1280, 800)
	manager.signIn("Mira Castellane")
	manager.open("/timecards?day=2026-11-16&show=clear")
	manager.sees("tr.r", name)
	manager.press("Approve the clear card$")
	manager.sees(".said", "Approved 1 card")
	manager.Keyboard.MustType(input.KeyU)
	manager.sees(".said", "Taken back")
	manager.sees("tr.r", name)
	manager.Keyboard.MustType(input.KeyJ, input.KeyA)
	manager.sees(".said", "Approved one card")

	// The run is closed after the period has ended; of the others' cards most are approved.
	s.moveTo(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21))
	clerk := s.device(1280, 800)
	clerk.signIn("Sana Verity")
	clerk.open("/payruns")
	clerk.sees("tr.r", name).MustElement("td.who a").MustClick() // every sum leads to its lines
	clerk.sees("h1", name)
	clerk.sees(".payweek", "straight pay[^]*REG")
	clerk.press("^The run$")
	clerk.leaveOut("nobody could be reached")
	clerk.closeRun()
	clerk.press("^Files$")
	href := *clerk.sees("a", "lines.csv").MustAttribute("href")
	text := clerk.MustEval(`(href) => fetch(href).then(r => r.text())`, href).Str()

	checkFile(t, s, text, name, monday)
}

// closeRun closes the run that is open on the page.
func (d *device) closeRun() {
	d.press("^Close the run")
	d.sees("h1", "Close the run")
	d.MustElement("#password").MustInput(demo.Password)
	d.press("^Close it: ")
	d.sees(".said", "The run is closed")
}

// leaveOut answers everybody's hours that nobody approved, person by person, on the page of the open run.
func (d *device) leaveOut(why string) {
	d.press("^Answer them$")
	d.sees("h1", "Hours nobody approved")
	for _, row := range d.MustElements("table.answers tbody tr") {
		row.MustElement("select").MustSelect("left out")
		row.MustElement("input[name^=reason]").MustInput(why)
	}
	d.press("^Keep these answers$")
	d.sees(".said", "answered")
}

// checkFile holds the file against the punches themselves: work, less what
// the meal took, by job, to the second.
func checkFile(t *testing.T, s *site, text, name string, day when.Date) {
	t.Helper()
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	column := map[string]int{}
	for i, h := range rows[0] {
		column[h] = i
	}
	got := map[string]string{}
	for _, r := range rows[1:] {
		if r[column["given_name"]]+" "+r[column["family_name"]] == name && r[column["date"]] == day.String() &&
			r[column["kind"]] == "straight" {
			got[r[column["job"]]] = r[column["hours"]]
		}
	}
	planned := dbtest.Get[string](t, s.World, `select j.number from shift s join job j on j.id = s.job_id
		join employment e on e.id = s.employment_id
		join person p on p.id = e.person_id where p.given_name || ' ' || p.family_name = $1 and s.date = $2`, name, day.String())
	// 14:30:11 to 16:30:18; then to 18:30:18 and from 19:01:18 to 23:01:18.
	want := map[string]string{planned: "2.0019", "2252": "6.0000"}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("the file has %v, want %v", got, want)
	}
}

// Cut off from the server, a page says so; when it is back, the page catches
// up with what happened meanwhile.
func TestCutOff(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/today")
	d.live()
	d.expectTrouble()
	d.sees("td.who", "Dao Pham")
	s.stop()
	d.sees("#cutoff", "Cut off since")
	if err := s.Do(context.Background(), s.Person(t, "Dao Pham"), hours.Punch{ID: uuid.Must(uuid.NewV7()), Act: "out"}); err != nil {
		t.Fatal(err)
	}
	s.start()
	d.sees("tr.r", "Dao Pham[\\s\\S]*out 10:12")
	if v, err := d.MustElement("#cutoff").Attribute("hidden"); err != nil || v == nil {
		t.Error("back in touch, and it still says that it is cut off")
	}
}

// A button pressed without a connection says that it waits, and is sent by itself, once,
// when the connection is back; where no page stands in, from the page that is open.
func TestPressedWithoutAConnection(t *testing.T) {
	s := open(t)
	d := s.device(390, 844)
	d.signIn("Dao Pham")
	d.live()
	d.expectTrouble()
	s.stop()
	d.sees("#cutoff", "Cut off since")
	d.MustEval(`() => Object.defineProperty(navigator, "serviceWorker", { value: undefined })`)
	d.press("Start rest")
	d.sees("#cutoff", "Not recorded yet")
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch where received_at >= $1`, dbtest.Now); n != 0 {
		t.Errorf("%d punches were recorded", n)
	}
	s.start()
	d.sees(".now-line", "On your rest")
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch where received_at >= $1`, dbtest.Now); n != 1 {
		t.Errorf("%d punches were recorded", n)
	}
}

// A double tap on the phone clocks once.
func TestDoubleTapOnThePhone(t *testing.T) {
	s := open(t)
	d := s.device(390, 844)
	d.signIn("Dao Pham")
	d.live()
	before := dbtest.Get[int](t, s.World, `select count(*) from punch`)
	d.sees("button", "Start rest")
	d.MustEval(`() => { const b = [...document.querySelectorAll("button")].find(b => b.textContent === "Start rest");
		b.click(); b.click(); }`)
	d.sees(".now-line", "On your rest")
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch`); n != before+1 {
		t.Errorf("%d punches were stored", n-before)
	}
}

// A list takes the rows that changed, and is not read anew; the line at now
// moves with the time.
func TestAListTakesRows(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/today")
	d.live()
	d.sees("tr.r", "Dao Pham[\\s\\S]*since 06:")
	line := `() => Number(document.querySelector("line.now").getAttribute("x1"))`
	before := d.MustEval(line).Num()
	d.MustEval(`() => { document.querySelectorAll("tr.r").forEach(r => { r.asRead = true; });
		document.querySelector("tr.r").classList.add("sel"); performance.clearResourceTimings(); }`)
	if err := s.Do(context.Background(), s.Person(t, "Dao Pham"), hours.Punch{ID: uuid.Must(uuid.NewV7()), Act: "out"}); err != nil {
		t.Fatal(err)
	}
	d.sees("tr.r", "Dao Pham[\\s\\S]*out 10:12")
	d.sees("#listhead", "clocked out")
	s.pass(29 * time.Minute) // what keeps a page up to date doesn't keep a session open: half an hour for a clerk
	d.MustWait(`(x) => Number(document.querySelector("line.now").getAttribute("x1")) > x + 10`, before)
	left := d.MustEval(`() => [...document.querySelectorAll("tr.r")].filter(r => r.asRead).length`).Int()
	rows := d.MustEval(`() => document.querySelectorAll("tr.r").length`).Int()
	if left != rows {
		t.Errorf("%d of %d rows are those that were read", left, rows)
	}
	if !d.MustEval(`() => document.querySelector("tr.r").matches(".sel")`).Bool() {
		t.Error("the picked row isn't picked any more")
	}
	again := d.MustEval(`() => performance.getEntriesByType("resource").filter(e => e.name.endsWith("/today")).length`).Int()
	if again != 0 {
		t.Errorf("the page was read anew %d times", again)
	}
	// What wants a decision is read after the last change, once.
	d.MustWait(`() => performance.getEntriesByType("resource").some(e => e.name.endsWith("/today/decisions"))`)
}

// A page that stands still, such as the sheets to print, leads to one that is
// live.
func TestLiveAfterTheSheets(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/timecards/sheets?day=2026-11-13")
	d.live()
	d.press("^Today$")
	d.sees("tr.r", "Dao Pham[\\s\\S]*since 06:")
	if err := s.Do(context.Background(), s.Person(t, "Dao Pham"), hours.Punch{ID: uuid.Must(uuid.NewV7()), Act: "out"}); err != nil {
		t.Fatal(err)
	}
	d.sees("tr.r", "Dao Pham[\\s\\S]*out 10:12")
}

// Days are chosen on the rail: a click for one, shift-click or a drag for a
// span, and the address says so.
func TestTheRail(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/timecards?day=2026-11-12")
	d.MustElement(`.day[data-day="2026-11-09"]`).MustClick()
	d.sees("h1", "Monday 9 November")
	if err := d.Keyboard.Press(input.ShiftLeft); err != nil {
		t.Fatal(err)
	}
	d.MustElement(`.day[data-day="2026-11-11"]`).MustClick()
	if err := d.Keyboard.Release(input.ShiftLeft); err != nil {
		t.Fatal(err)
	}
	d.sees("h1", "9–11 Nov")
	if url := d.MustInfo().URL; !strings.HasSuffix(url, "/timecards?from=2026-11-09&to=2026-11-11") {
		t.Errorf("the address is %s", url)
	}
	from, to := d.MustElement(`.day[data-day="2026-11-10"]`).MustShape().Box(),
		d.MustElement(`.day[data-day="2026-11-12"]`).MustShape().Box()
	d.Mouse.MustMoveTo(from.X+20, from.Y+20).MustDown(proto.InputMouseButtonLeft).MustMoveTo(to.X+20,
		to.Y+20).MustUp(proto.InputMouseButtonLeft)
	d.sees("h1", "10–12 Nov")
}

// The keyboard alone: find a person, step the days, list the keys.
func TestKeyboard(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/timecards?day=2026-11-12")
	d.Keyboard.MustType('[')
	d.sees("h1", "Wednesday 11 November")
	d.Keyboard.MustType(']')
	d.sees("h1", "Thursday 12 November")
	if err := d.Keyboard.Press(input.ShiftLeft); err != nil {
		t.Fatal(err)
	}
	d.Keyboard.MustType('?')
	if err := d.Keyboard.Release(input.ShiftLeft); err != nil {
		t.Fatal(err)
	}
	d.sees("dialog[open] h2", "Keys")
	d.Keyboard.MustType(input.Escape)
	d.Keyboard.MustType(input.Slash)
	d.MustElement("#find:focus").MustInput("brandt")
	d.sees("#found a", "Tomasz Brandt").MustClick()
	d.sees("h1", "Tomasz Brandt, 8–21 Nov")
	d.sees("tr.r .flag", "End by hand")
	d.Keyboard.MustType(input.KeyJ, input.Enter)
	d.press("^The same as a list$")
	d.sees("h2", "Punches")
}

// What a page shows is what core says of the same day.
func TestTimecardsShowWhatWasWorked(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/timecards?day=2026-11-12")
	cards, err := store.Cards(context.Background(), s.DB,
		store.CardFilter{From: when.NewDate(2026, 11, 12), To: when.NewDate(2026, 11, 12)})
	if err != nil {
		t.Fatal(err)
	}
	shown := map[string]string{}
	for _, r := range d.MustElements("tr.r") {
		shown[r.MustElement("td.who b").MustText()] = r.MustElement("td.n").MustText()
	}
	for _, c := range cards {
		if want := card.HoursMinutes(c.Worked); shown[c.Name()] != want {
			t.Errorf("%s worked %s, the page says %q", c.Name(), want, shown[c.Name()])
		}
	}
}
