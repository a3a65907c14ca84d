package e2e

import (
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/google/uuid"

	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/dbtest"
)

// write types into a cell of hours, which is kept as it is left.
func (d *device) write(cell *rod.Element, text string) {
	d.s.t.Helper()
	cell.MustSelectAllText().MustInput(text)
}

// Somebody at a desk writes the fortnight down: a line, days across, sums both ways, the days
// that are over signed; the next fortnight begins as this one; the office writes for them too.
func TestHoursByHand(t *testing.T) {
	s := open(t)
	name := dbtest.Get[string](t, s.World,
		`select p.given_name || ' ' || p.family_name from person p join employment e on e.person_id = p.id
		where e.clock_points like '%hours by hand'`)
	if err := s.Do(t.Context(), s.Person(t, name), hours.Punch{ID: uuid.Must(uuid.NewV7()), Act: clock.Out}); err != nil {
		t.Fatal(err)
	}
	s.moveTo(time.Date(2026, 11, 24, 14, 0, 0, 0, time.UTC)) // Tuesday of the next fortnight
	desk := s.device(1280, 800)
	desk.signIn(name)
	desk.open("/byhand")
	desk.sees("h1", "Hours by hand")
	desk.sees(".reportblock", "Nothing is written in this period yet")
	desk.MustElement(`.addline select option[value]`)
	desk.press("Add the line")
	desk.sees(".said", "The line is added")
	cells := desk.MustElements(".reportgrid input")
	if len(cells) != 14 {
		t.Fatalf("%d cells", len(cells))
	}
	desk.write(cells[1], "7.5") // Monday
	desk.sees(".reportgrid tfoot td:last-child", "^7:30$")
	desk.write(desk.MustElements(".reportgrid input")[2], "8:00") // today, ahead
	desk.sees(".reportgrid tfoot td:last-child", "^15:30$")
	desk.write(desk.MustElements(".reportgrid input")[3], "27")
	desk.sees(".reportgrid .wrong", "more than a day")
	desk.write(desk.MustElements(".reportgrid input")[3], "6,25")
	desk.sees(".reportgrid tfoot td:last-child", "^21:45$")
	desk.accessible("hours by hand", "all")
	s.shot(desk, "byhand")
	desk.fits("hours by hand")
	if n := dbtest.Get[int](t, s.World, `select count(*) from stint where start_by = 'reported'`); n != 1 {
		t.Errorf("%d days are on cards; one is over", n)
	}
	if err := s.Do(t.Context(), s.Person(t, "Mira Castellane"), hours.PutDayField{ID: uuid.Must(uuid.NewV7()), Title: "From home",
		Kind: "choice", Choices: "yes\nno"}); err != nil {
		t.Fatal(err)
	}
	desk.open("/byhand")
	desk.MustElements(".askedrow select")[1].MustSelect("yes")
	desk.sees(".said", "Kept")
	if n := dbtest.Get[int](t, s.World, `select count(*) from day_said where value = 'yes' and date = '2026-11-23'`); n != 1 {
		t.Errorf("%d answers", n)
	}
	desk.press("Sign the days that are over: 1")
	desk.sees(".said", "The days are signed")
	desk.open("/byhand?day=2026-12-08")
	desk.press("and its hours")
	desk.sees(".reportgrid tfoot td:last-child", "^21:45$")

	// On a phone a day stands there at a time.
	phone := s.device(390, 844)
	phone.signIn(name)
	phone.sees("h1", "Hours by hand") // it is their first page
	if n := phone.MustEval(`() => [...document.querySelectorAll(".reportgrid input")].filter(i => i.offsetParent).length`).Int(); n != 1 {
		t.Errorf("%d cells on a phone", n)
	}
	s.shot(phone, "byhand-phone")
	phone.fits("hours by hand")

	office := s.device(1280, 800)
	office.signIn("Mira Castellane")
	office.open("/people?q=" + name)
	office.sees("td.who a", name).MustClick()
	office.press("^Hours by hand$")
	office.sees("h1", "Hours of "+name)
	office.write(office.MustElements(".reportgrid input")[1], "7")
	office.sees(".reportgrid tfoot td:last-child", "^21:15$")
	office.open("/timecards?day=2026-11-23&q=" + name)
	office.sees("tr.r", name)
}
