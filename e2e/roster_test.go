package e2e

import (
	"bytes"
	"io"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"

	"manudex/dbtest"
)

// hand draws with the pointer on somebody's row of the roster, from one instant to another.
func (d *device) hand(row string, from, to time.Time) {
	d.s.t.Helper()
	svg := d.sees("tr.r", row).MustElement("svg.planrow")
	if err := svg.WaitStableRAF(); err != nil { // words above it may still be coming
		d.s.t.Fatal(err)
	}
	at := func(t time.Time) proto.Point {
		p := svg.MustEval(`(unix) => {
			const box = this.getBoundingClientRect(), from = Number(this.dataset.from), to = Number(this.dataset.to);
			return { x: box.left + (unix - from) / (to - from) * box.width, y: box.top + 10 * box.width / this.viewBox.baseVal.width };
		}`, t.Unix())
		return proto.Point{X: p.Get("x").Num(), Y: p.Get("y").Num()}
	}
	a, b := at(from), at(to)
	m := d.Mouse
	for _, err := range []error{m.MoveTo(a), m.Down(proto.InputMouseButtonLeft, 1), m.MoveLinear(b, 6),
		m.Up(proto.InputMouseButtonLeft, 1)} {
		if err != nil {
			d.s.t.Fatal(err)
		}
	}
}

// A week is planned by drawing: a shift is drawn, made longer by its end, moved to another day,
// taken back, planned by its form from the keyboard, told, and seen on the phone.
func TestAWeekIsPlanned(t *testing.T) {
	s := open(t)
	works := time.FixedZone("works", -5*3600)
	at := func(day, hour, minute int) time.Time { return time.Date(2026, 11, day, hour, minute, 0, 0, works) }
	desk := s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Dao")
	is := func(want string) {
		t.Helper()
		got := dbtest.Get[string](t, s.World,
			`select coalesce(string_agg(to_char(start_at at time zone 'America/New_York', 'DD HH24:MI') || '–' ||
			to_char(end_at at time zone 'America/New_York', 'HH24:MI'), ', ' order by start_at), '') from planned p
			join employment e on e.id = p.employment_id join person n on n.id = e.person_id
			where n.given_name = 'Dao' and extract(dow from p.date) in (0, 6) and p.date between '2026-11-15' and '2026-11-21'`)
		if got != want {
			t.Errorf("at the week's end %q is planned, not %q", got, want)
		}
	}
	desk.hand("Dao Pham", at(15, 8, 0), at(15, 12, 1))
	desk.sees(".said", "Planned. Nobody is told of it yet")
	is("15 08:00–12:00")
	desk.hand("Dao Pham", at(15, 12, 0), at(15, 13, 31))
	desk.sees(".said", "Changed")
	is("15 08:00–13:30")
	desk.hand("Dao Pham", at(15, 10, 0), at(21, 11, 0))
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sat 21 09:00–14:30']") !== null`)
	is("21 09:00–14:30")
	desk.fits("the roster")
	desk.accessible("the roster", "all")
	desk.press("Take it back")
	desk.sees(".said", "Taken back")
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sun 15 08:00–13:30']") !== null`)
	is("15 08:00–13:30")

	// From the keyboard: the end a minute on, the start two back, all of it five later.
	desk.sees("tr.r", "Dao Pham").MustElement("a.shift[aria-label*='Sun 15 08:00–13:30']").MustFocus()
	desk.Keyboard.MustType(input.ArrowRight)
	desk.KeyActions().Press(input.ShiftLeft).Type(input.ArrowLeft, input.ArrowLeft).Release(input.ShiftLeft).MustDo()
	desk.KeyActions().Press(input.ControlLeft).Type(input.ArrowRight).Release(input.ControlLeft).MustDo()
	desk.sees("#drawnsays", "Dao Pham, Sun 08:03 – 13:36")
	desk.Keyboard.MustType(input.Enter)
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sun 15 08:03–13:36']") !== null`)
	is("15 08:03–13:36")
	desk.press("Take it back")
	desk.sees(".said", "Taken back")
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sun 15 08:00–13:30']") !== null`)
	is("15 08:00–13:30")

	desk.sees("tr.r", "Dao Pham").MustElementR("a", "^plan$").MustClick()
	form := desk.sees("#shift", "Plan it")
	form.MustElement(`[name="date"]`).MustInputTime(at(21, 0, 0))
	for name, text := range map[string]time.Time{"from": at(21, 7, 0), "to": at(21, 11, 0)} {
		form.MustElement(`[name="`+name+`"]`).MustEval(`(text) => { this.value = text; }`, text.Format("15:04"))
	}
	desk.press("^Plan it$")
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sat 21 07:00–11:00']") !== null`)
	is("15 08:00–13:30, 21 07:00–11:00")
	s.shot(desk, "roster-draft")

	phone := s.device(390, 844)
	phone.signIn("Dao Pham")
	phone.open("/shifts")
	if phone.MustHasR(".ownday", "Sun 15") {
		t.Error("a draft is on the phone")
	}
	desk.sees("button", "Tell 1 person their 2 changes")
	desk.MustElement("h1").MustEval(`() => document.activeElement.blur()`)
	desk.Keyboard.MustType(input.KeyT)
	desk.sees(".said", "Told: 1 person")
	phone.open("/notices")
	phone.sees(".told li", "Your shifts: New: Sun 15 Nov 08:00–13:30").MustElement("a").MustClick()
	phone.sees(".ownday", "Sun 15 Nov[^]*08:00–13:30")
	s.shot(phone, "shifts")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=Dao")
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sat 21 07:00–11:00'][aria-label*='told and seen']") !== null`)
}

// A place is opened at the desk, asked for on a phone and given; in the morning somebody is
// sick, by two touches.
func TestAPlaceIsGivenAndSomebodyIsSick(t *testing.T) {
	s := open(t)
	desk, phone := s.device(1280, 800), s.device(390, 844)
	desk.signIn("Wren Halloran")
	desk.open("/roster?from=2026-11-15&to=2026-11-21")
	desk.press("open places")
	form := desk.sees("#open form", "Wanted in Gantry crew B")
	form.MustElement(`[name="date"]`).MustInputTime(time.Date(2026, 11, 21, 0, 0, 0, 0, time.UTC))
	desk.press("^Open it$")
	desk.sees(".said", "Opened")
	desk.sees("#open tr.r", "1 place of 1")

	phone.signIn("Deniz Hinata")
	phone.open("/notices")
	phone.sees(".told li", "A shift is open: Sat 21 Nov 07:00–15:30, Gantry crew B").MustElement("a").MustClick()
	phone.sees("#open .ownday", "Sat 21 Nov").MustElementR("button", "Ask for it").MustClick()
	phone.sees("#open .ownday", "You asked for it")
	phone.fits("an open shift")
	phone.accessible("an open shift", "all")

	desk.open("/roster?from=2026-11-15&to=2026-11-21")
	desk.sees("#open tr.r", "1 person asks").MustElement("a.shift").MustClick()
	desk.accessible("an open place", "all")
	s.shot(desk, "open-place")
	desk.press("Give it to Deniz Hinata")
	desk.sees(".said", "Given, and they are told")
	phone.open("/shifts")
	phone.sees(".ownday", "Sat 21 Nov[^]*07:00–15:30")

	s.moveTo(time.Date(2026, 11, 16, 11, 5, 0, 0, time.UTC)) // five past six on Monday; the phone stays signed in
	phone.open("/shifts")
	today := phone.sees(".ownday.today", "Mon 16 Nov")
	today.MustElement("summary").MustClick()
	today.MustElementR("button", "I am sick today").MustClick()
	phone.sees(".said", "Your lead is told")
	phone.sees(".ownday.today", "offered")
	s.shot(phone, "sick")
	desk.signIn("Wren Halloran")
	desk.open("/notices")
	desk.sees(".told li", "Deniz Hinata is sick today and can't come at 07:00").MustElement("a").MustClick()
	desk.sees("#open tr.r", "Gantry crew B").MustElement("a.shift").MustClick()
	desk.sees(".placepicked", "Deniz Hinata is sick")
}

// A shift repeats every week; one of its dates is another time, and it ends from another on.
func TestASeriesWithAnException(t *testing.T) {
	s := open(t)
	desk := s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/roster?from=2026-11-15&to=2026-12-12&q=Dao")
	desk.sees("tr.r", "Dao Pham").MustElementR("a", "^plan$").MustClick()
	form := desk.sees("#shift", "Plan it")
	form.MustElement(`[name="date"]`).MustInputTime(time.Date(2026, 11, 15, 0, 0, 0, 0, time.UTC))
	for name, text := range map[string]string{"from": "18:00", "to": "20:00"} {
		form.MustElement(`[name="`+name+`"]`).MustEval(`(text) => { this.value = text; }`, text)
	}
	form.MustElement(`[name="less"]`).MustSelectAllText().MustInput("0")
	form.MustElement(`[name="repeat"]`).MustSelect("every week on that day")
	desk.press("^Plan it$")
	desk.sees(".said", "Planned: 13 shifts in the next 13 weeks")
	pick := func(label string) {
		t.Helper()
		desk.waits(`() => document.querySelector("a.shift[aria-label*='` + label + `']") !== null`)
		desk.MustElement(`a.shift[aria-label*='` + label + `']`).MustClick()
	}
	pick("Sun 22 18:00–20:00")
	form = desk.sees("#shift", "Repeats every Sunday")
	form.MustElement(`[name="from"]`).MustEval(`() => { this.value = "17:00"; }`)
	desk.press("^Change it$")
	desk.sees(".said", "Changed. Nobody is told")
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sun 22 17:00–20:00']") !== null`)
	pick("Sun 6 18:00–20:00")
	desk.sees("#shift", "Repeats every Sunday")
	desk.press("^End it here$")
	desk.sees(".said", "Ended before 6 December")
	desk.waits(`() => document.querySelector("a.shift[aria-label*='Sun 6 18:00–20:00']") === null`)
	if n := dbtest.Get[int](t, s.World, `select count(*) from planned where series_id is not null`); n != 3 {
		t.Errorf("%d of the series are left", n)
	}
}

// On paper a crew has a page of its own, lying, without what only planners see.
func TestARosterOnPaper(t *testing.T) {
	s := open(t)
	desk := s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/roster?from=2026-11-15&to=2026-11-21&q=gantry")
	desk.sees("#print", "Print")
	pages, err := desk.PDF(&proto.PagePrintToPDF{PreferCSSPageSize: true})
	if err != nil {
		t.Fatal(err)
	}
	file, err := io.ReadAll(pages)
	if err != nil {
		t.Fatal(err)
	}
	if lying := bytes.Count(file, []byte("/MediaBox [0 0 792 612]")); lying != 2 || bytes.Count(file, []byte("/MediaBox")) != 2 {
		t.Errorf("two crews take %d pages, %d of them lying", bytes.Count(file, []byte("/MediaBox")), lying)
	}
	if err := (proto.EmulationSetEmulatedMedia{Media: "print"}).Call(desk.Page); err != nil {
		t.Fatal(err)
	}
	desk.waits(`() => getComputedStyle(document.querySelector(".planlist")).display !== "none" &&
		[...document.querySelectorAll(".rosterbar, .roster td.n small, .flag, .plannew")].every((e) => !e.getClientRects().length)`)
}
