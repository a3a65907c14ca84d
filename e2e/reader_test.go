package e2e

import (
	"testing"
	"time"

	"github.com/go-rod/rod/lib/proto"

	"manudex/dbtest"
)

// swipe types a text as a reader does, a key each 4 ms, and then Enter: however slowly the
// browser is told of them, that is when they are pressed.
func (d *device) swipe(text string) {
	d.s.t.Helper()
	at := float64(time.Now().UnixMilli()) / 1000
	press := func(key, text string) {
		at += 0.004
		for _, kind := range []proto.InputDispatchKeyEventType{proto.InputDispatchKeyEventTypeKeyDown,
			proto.InputDispatchKeyEventTypeKeyUp} {
			if err := (proto.InputDispatchKeyEvent{Type: kind, Key: key, Text: text,
				Timestamp: proto.TimeSinceEpoch(at)}).Call(d); err != nil {
				d.s.t.Fatal(err)
			}
			text = ""
		}
	}
	for _, r := range text {
		press(string(r), string(r))
	}
	press("Enter", "\r")
}

// A card is learnt on a manager's page, which shows what it says; at the terminal it clocks
// in and out at one swipe each, and what a reader types lands in no other field.
func TestABadge(t *testing.T) {
	s := open(t)
	s.moveTo(time.Date(2026, 11, 16, 19, 20, 0, 0, time.UTC))
	var who struct{ ID, Name string }
	if err := s.DB.Get(&who, `select p.id, p.given_name || ' ' || p.family_name as name from person p
		join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		where u.name = 'Lamp bench, late' and p.level = 'worker' order by p.number limit 1`); err != nil {
		t.Fatal(err)
	}
	office := s.device(1280, 800)
	office.signIn("Mira Castellane")
	office.open("/people/" + who.ID)
	office.press("^Learn a card$")
	office.sees("h1", "A card of "+who.Name)
	office.MustElement("form[data-swipes] input").MustFocus()
	office.swipe("%LB7788^LAMP/BENCH?")
	office.sees("td", "LB7788")
	office.sees("td", "LAMP/BENCH")
	s.shot(office, "learn")
	office.press("^Learn this card$")
	office.sees(".said", "The card is learnt")
	office.open("/people")
	office.MustElement("#find").MustFocus()
	office.swipe("%LB7788?")
	if typed := office.MustElement("#find").MustProperty("value").Str(); typed != "" {
		t.Errorf("the card landed in the search: %q", typed)
	}

	d := s.terminal(1024, 800)
	d.swipe("%LB7788?")
	d.sees(".did h2", "Clocked in 14:20")
	d.sees(".did .called", who.Name)
	s.shot(d, "swiped")
	d.swipe("%LB7788?")
	d.sees(".did h2", "Swiped just now")
	s.pass(4 * time.Hour)
	d.swipe("%LB7788?")
	d.sees(".did h2", "Clocked out 18:20")
	d.sees(".did p", "4:00 worked today")
	d.expectTrouble() // what is refused is a 422
	d.swipe(";4111111111111111=2512?")
	d.sees(".did.wrong h2", "payment card")
	if n := dbtest.Get[int](t, s.World, `select count(*) from punch p join employment e on e.id = p.employment_id
		where e.person_id = $1 and p.received_at > '2026-11-16T12:00:00Z'`, who.ID); n != 2 {
		t.Errorf("%d punches", n)
	}
}
