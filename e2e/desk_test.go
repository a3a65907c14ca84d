package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/core/when"
	"manudex/dbtest"
)

// cardOf is the address of somebody's card.
func cardOf(t *testing.T, s *site, name string, d when.Date) string {
	t.Helper()
	return "/cards/" + s.Person(t, name).Employment.String() + "/" + d.String()
}

// drag takes hold of a grip of the ribbon and moves it by some pixels.
func (d *device) drag(grip string, by float64) {
	d.s.t.Helper()
	el := d.MustElement(grip).MustScrollIntoView()
	if err := el.WaitStableRAF(); err != nil { // the page may still be going to where it was asked to
		d.s.t.Fatal(err)
	}
	shape := el.MustShape().Box()
	x, y := shape.X+shape.Width/2, shape.Y+shape.Height/2
	d.Mouse.MustMoveTo(x, y).MustDown(proto.InputMouseButtonLeft)
	d.Mouse.MustMoveTo(x+by/2, y)
	d.Mouse.MustMoveTo(x+by, y)
	d.Mouse.MustUp(proto.InputMouseButtonLeft)
}

// endsAt waits until the picked stint shows an end. What is drawn has no
// innerText, by which [device.sees] looks.
func (d *device) endsAt(text string) {
	d.s.t.Helper()
	err := d.Page.Timeout(patience).Wait(rod.Eval(`(text) => document.querySelector(".bench .end.to")?.textContent === text`, text))
	if err != nil {
		d.s.t.Fatalf("the picked stint doesn't end at %s: %v", text, err)
	}
}

// types puts a time into a field, as its picker does.
func (d *device) types(name, text string) {
	d.MustElement(`main form [name="`+name+`"]:not([type=hidden])`).MustEval(`(text) => { this.value = text;
		for (const e of ["input", "change"]) this.dispatchEvent(new Event(e, { bubbles: true })); }`, text)
}

// A manager's morning: the clear ones with one key, a look at a disputed day, its
// end moved on the ribbon, an edit that meets another stint, a card sent back
// that its worker answers on the phone, an objection, and an undo.
func TestAMorning(t *testing.T) {
	s := open(t)
	mira := s.device(1280, 800)
	mira.signIn("Mira Castellane")
	mira.open("/today")
	mira.sees(".decisions", "cards of Thu 12 Nov clear")
	mira.press("Approve them")
	mira.sees(".said", "Approved [0-9]+ cards")
	mira.press("Ask them to sign")
	mira.sees(".said", "Asked for")

	// The disputed day: the crew left at half past three. The end is dragged there.
	mira.open(cardOf(t, s, "Tomasz Brandt", apptest.Thursday))
	mira.sees(".decides", "2:21 over plan")
	mira.sees(".decides", "battery died on the lift")
	mira.sees(".decides", "Planned 07:00–15:30")
	mira.sees(".mate", "Wren Halloran")
	mira.MustElements("svg.bench:not(.narrow) a").Last().MustClick()
	mira.endsAt("17:45")
	width := mira.MustElement("svg.bench").MustShape().Box().Width
	hours := mira.MustEval(`() => 1180 / Number(document.querySelector("svg.bench").dataset.perHour)`).Num()
	mira.drag(`svg.bench:not(.narrow) .grip[data-edge="end"]`, -2.25*width/hours)
	mira.endsAt("15:30")
	if v := mira.MustElement(`form.editor [name="end"]`).MustProperty("value").String(); v != "15:30" {
		t.Errorf("the form has %s", v)
	}
	// A minute more by an arrow key, and it is kept.
	mira.MustElement(`svg.bench:not(.narrow) .grip[data-edge="end"]`).MustFocus()
	mira.Keyboard.MustType(input.ArrowRight)
	mira.endsAt("15:31")
	mira.MustElement(`form.editor [name="why"]`).MustInput("Left with the crew, says the lead")
	mira.press("Keep the change")
	mira.sees(".said", "The hours of Tomasz Brandt are changed")
	mira.sees(".changed", "12:00–17:45 work on 2247[\\s\\S]*12:00–15:31 work on 2247[\\s\\S]*Left with the crew")
	mira.sees(".figures", "8:07")

	// An edit that meets another stint is refused, with the nearest time that fits.
	mira.watch.off = true // the refusal is a 422, which the browser notes
	mira.MustElements("svg.bench:not(.narrow) a").First().MustClick()
	mira.sees("form.editor", "Keep the change")
	mira.types("end", "12:30")
	mira.MustElement(`form.editor [name="why"]`).MustInput("x")
	mira.press("Keep the change")
	mira.sees("form.editor .wrong", "That would meet the meal from 11:30:00 to 12:00:00")
	mira.watch.off = false
	mira.press("Take 11:59")
	mira.endsAt("11:59")
	mira.press("Keep the change")
	mira.sees(".said", "are changed")
	mira.press("Take it back")
	mira.sees(".said", "Taken back: the change of Tomasz Brandt’s hours")
	mira.sees(".changed", "taken back since")

	// Sent back, because a meal is missing: the worker asks for it, on the phone.
	mira.open(cardOf(t, s, "Dao Pham", apptest.Thursday))
	mira.sees(".decides", "No meal by 11:30")
	mira.MustElement("#send-why").MustInput("Where was your meal?")
	mira.press("Send back")
	mira.sees(".said", "Sent back")
	dao := s.device(390, 844)
	dao.signIn("Dao Pham")
	if _, err := s.DB.Exec(`update employment set own_edits = 'request' where person_id = $1`, s.Person(t, "Dao Pham").ID); err != nil {
		t.Fatal(err)
	}
	dao.open(cardOf(t, s, "Dao Pham", apptest.Thursday))
	dao.sees(".acts", "sent back, Mira Castellane: Where was your meal")
	dao.MustElements("svg.bench.narrow a").Last().MustClick()
	dao.types("end", "14:30")
	dao.MustElement(`form.editor [name="why"]`).MustInput("Left half an hour earlier, no meal taken")
	dao.press("Ask for it")
	dao.sees(".said", "Asked for")
	dao.press("Sign this card")
	mira.open("/claims")
	mira.sees("main", "Dao Pham[\\s\\S]*end at 14:30")
	mira.open(cardOf(t, s, "Dao Pham", apptest.Thursday))
	mira.sees(".moves", "A change is asked for: take or decline it first")
	mira.press("Make it")
	mira.sees(".said", "Made: the hours of Dao Pham are changed")

	// He sees before and after, and objects; another than she answers.
	dao.open("/clock")
	dao.sees("main", "Your hours were changed[\\s\\S]*14:30 work")
	dao.press("Look at it, or object")
	dao.MustElement("#object").MustInput("I said half past two, not before")
	dao.press("Object to it")
	dao.sees(".said", "Your objection is on the card")
	mira.open(cardOf(t, s, "Dao Pham", apptest.Thursday))
	mira.sees(".moves", "objects to a change")
	piet := s.device(1280, 800)
	piet.signIn("Piet Donoghue")
	piet.open(cardOf(t, s, "Dao Pham", apptest.Thursday))
	piet.MustElement(`.asked [name="body"]`).MustInput("Spoke with him: it is right as it is")
	piet.press("^Answer$")
	piet.sees(".decides", "Spoke with him")
	piet.MustElement("#approve-why").MustInput("He agrees, and will sign tomorrow")
	piet.press("^Approve")
	piet.sees(".said", "Approved one card")
	if state := dbtest.Get[string](t, s.World, `select state from card where employment_id = $1 and date = '2026-11-12'`,
		*s.Person(t, "Dao Pham").Employment); state != "approved" {
		t.Errorf("the card is %s", state)
	}
}

// A forgotten clock-out from both sides: the worker is asked at the next touch,
// and can go on at once; the desk ends another's with two keys.
func TestForgottenClockOut(t *testing.T) {
	s := open(t)
	s.moveTo(time.Date(2026, 11, 14, 12, 0, 0, 0, time.UTC)) // the next morning, 07:00
	dao := s.device(390, 844)
	dao.signIn("Dao Pham")
	dao.sees(".forgot", "You are on since Fri 06:25. When did you leave\\?")
	dao.sees(".sums", "^0:00 today")
	dao.press("At 15:00, as planned")
	dao.sees(".said", "Asked for")
	dao.sees(".now-line", "Off the clock since Fri 15:00, as you said")
	dao.press("^Clock in$")
	dao.sees(".now-line", "On the clock since 07:00")
	dao.sees("main", "left at 15:00, Fri 13 Nov: waits for somebody to take it")

	mira := s.device(1280, 800)
	mira.signIn("Mira Castellane")
	mira.open(cardOf(t, s, "Dao Pham", when.NewDate(2026, 11, 13)))
	mira.sees(".flags", "Since Fri 06:25, not counted")
	mira.sees(".figures", "Worked\\s+0:00")
	mira.press("Make it")
	mira.sees(".figures", "Worked\\s+8:34")
	dao.sees("main", "left at 15:00, Fri 13 Nov: made")

	mira.open("/timecards?day=2026-11-13&show=flagged")
	mira.sees("tr.r", "not counted")
	mira.Keyboard.MustType(input.KeyJ, input.Enter)
	mira.sees(".proposals", "End it at")
	name := strings.TrimSpace(mira.MustElement("h1").MustText())
	mira.Keyboard.MustType(input.KeyC)
	mira.sees(".said", "The hours of "+name+" are changed")
	mira.sees(".changed", "forgot to clock out")

	// Or from Today, where they stand first.
	mira.open("/today")
	first := strings.TrimSpace(mira.MustElement(".decisions td b").MustText())
	mira.press("^End it at")
	mira.sees(".said", "The hours of "+first+" are changed")
}

// Two checkers at once: who comes second is told who is looking.
func TestTwoCheckers(t *testing.T) {
	s := open(t)
	mira, piet := s.device(1280, 800), s.device(1280, 800)
	mira.signIn("Mira Castellane")
	piet.signIn("Piet Donoghue")
	card := cardOf(t, s, "Tomasz Brandt", apptest.Thursday)
	mira.open(card)
	piet.open(card)
	mira.press("Hold it")
	mira.sees(".sum", "with Mira Castellane since")
	piet.sees(".moves", "Mira Castellane is looking at it since") // without a press: his page hears of it
	mira.press("Release it")
	piet.sees(".moves", "Send back")
	piet.press("^Approve")
	piet.sees(".said", "Approved one card")
}

// Several at once: ticked, previewed person by person, changed, and taken back.
func TestTicked(t *testing.T) {
	s := open(t)
	mira := s.device(1280, 800)
	mira.signIn("Mira Castellane")
	mira.open("/timecards?day=2026-11-13")
	running := mira.MustElements("tr.r td.tk input")
	for _, box := range running[:3] {
		box.MustClick()
	}
	mira.sees("[data-ticked]", "3 ticked")
	mira.live()
	name := mira.MustEval(`() => { const rows = [...document.querySelectorAll("td.tk input:checked")].map(b => b.closest("tr"));
		rows.forEach(r => { r.dataset.stood = ""; });
		return rows[0].querySelector("td.who a, td a").textContent.trim(); }`).Str()
	apptest.Must(t, s.Do(t.Context(), s.Person(t, name), hours.AddNote{ID: apptest.NewID(), Body: "Left the van at the gate"}))
	mira.MustWait(`() => document.querySelectorAll("tr[data-stood]").length < 3`)
	mira.sees("[data-ticked]", "3 ticked") // a row that comes anew stays ticked
	mira.press("Change the hours of the ticked")
	mira.sees("h1", "Change the hours of 3 cards")
	mira.MustElement(`[name="does"]`).MustSelect("End what nobody ended")
	mira.types("at", "10:00")
	mira.sees("#preview", "10:00")
	mira.MustElement("#same-why").MustInput("Gate shut for the storm")
	mira.press("^Change [0-9]")
	mira.sees(".said", "Changed the hours of [0-9] p")
	mira.press("Take it back")
	mira.sees(".said", "Taken back: the change of")

	// All clear ones of what is looked for: a crew's.
	unit := dbtest.Get[string](t, s.World, `select id::text from unit where name = 'Paint line'`)
	mira.open("/timecards?day=2026-11-12&unit=" + unit)
	clear := mira.MustElementR(".head button", "Approve the").MustText()
	mira.press("Approve the")
	mira.sees(".said", "Approved [0-9]+ cards")
	said := mira.MustElement(".said").MustText()
	if digits(said) != digits(clear) || digits(clear) == "" {
		t.Errorf("the button says %q, and then %q", clear, said)
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from card c join employment e on e.id = c.employment_id
		where c.date = '2026-11-12' and c.state = 'approved' and e.unit_id <> $1::uuid`, unit); n > 0 {
		t.Errorf("%d cards of others were approved", n)
	}
}

// digits gives the digits of a text.
func digits(text string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, text)
}
