package points_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/core/clock"
	"manudex/dbtest"
	"manudex/demo"
)

// reader is a reader at the works, with somebody's card that it knows.
func reader(t *testing.T) (w *dbtest.World, swipe func(text string) string, person uuid.UUID) {
	t.Helper()
	w, d, number, _ := terminal(t)
	person = dbtest.Get[uuid.UUID](t, w, `select id from person where number = $1`, number)
	swipe = func(text string) string {
		out, err := d.Swipe(context.Background(), w.App, points.Swipe{ID: apptest.NewID(), Card: points.Typed{PIN: text}})
		switch {
		case err != nil:
			return apptest.Refusal(t, err).Wrong
		case out.Again:
			return "again"
		case out.Claim != "":
			return "claim: " + out.Claim
		}
		return string(out.Act)
	}
	return w, swipe, person
}

// One swipe in, the next out, another within the guard nothing; several cards of a person
// are alike; of what is no card of theirs nothing is kept.
func TestSwipes(t *testing.T) {
	w, swipe, person := reader(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	for _, card := range []string{"%EMP00123?", ";0004711=2?"} {
		apptest.Must(t, w.Do(ctx, mira, people.LearnBadge{Person: person, Text: card}))
	}
	sheet := apptest.SheetOf(t, w, mira, person)
	if words := sheet.Values["badges"]; words != "3 cards, last learnt 13 Nov 2026" {
		t.Errorf("the list says %q", words)
	}
	for _, c := range []struct {
		card  string
		after time.Duration
		want  string
	}{
		{"%EMP00123?", 0, "in"}, {"%EMP00123?", 19 * time.Second, "again"}, {";0004711=2?", 2 * time.Second, "out"},
		{"%EMP00123?", 5 * time.Second, "again"}, {"%EMP00123?", time.Hour, "in"},
		{"%EMP00999?", time.Minute, "Nobody’s card"}, {"4111111111111111", 0, "That is a payment card: nothing of it is kept"},
		{"%EMP", 0, "The card could not be read"}, {"", 0, "The card could not be read"}, {";0004711=9?", time.Hour, "out"},
	} {
		w.Pass(c.after)
		if got := swipe(c.card); got != c.want {
			t.Errorf("%.6s after %s: %s, want %s", c.card, c.after, got, c.want)
		}
	}
	apptest.Consistent(t, w)
	var kept string
	apptest.Must(t, w.DB.Get(&kept, `select coalesce(string_agg(a.detail::text, ' '), '') from audit a`))
	for _, text := range []string{"EMP00123", "0004711", "4111111111111111"} {
		if n := dbtest.Get[int](t, w, `select count(*) from badge where position(convert_to($1, 'UTF8') in card_hash) > 0`, text); n > 0 ||
			strings.Contains(kept, text) {
			t.Errorf("the text of a card is kept: %s", text)
		}
	}
	dao := w.Person(t, "Dao Pham")
	if r := apptest.Refusal(t, w.Do(ctx, mira, people.LearnBadge{Person: dao.ID, Text: "%EMP00123?"})); r.Field != "card" {
		t.Errorf("somebody else's card: %v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, people.LearnBadge{Person: dao.ID, Text: "%EMP00555?"}))
	if got := swipe("%EMP00555?"); !strings.Contains(got, "not served here") {
		t.Errorf("of another site: %s", got)
	}
	apptest.Must(t, w.Do(ctx, mira, people.DropBadges{Person: person}))
	if got := swipe("%EMP00123?"); got != "Nobody’s card" {
		t.Errorf("taken away: %s", got)
	}
}

// Swiped at two readers at once, and again because the answer was lost, it counts once.
func TestRacingSwipes(t *testing.T) {
	w, _, person := reader(t)
	ctx := context.Background()
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), people.LearnBadge{Person: person, Text: "%EMP00123?"}))
	point := dbtest.Get[uuid.UUID](t, w, `select id from clock_point where name = 'east gate'`)
	key := ""
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), points.GiveKey{ID: apptest.NewID(), Point: point, Title: "Reader",
		Punches: true, Told: func(k string) { key = k }}))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), people.SetPerson{ID: apptest.NewID(), Person: person, Field: "clock_points",
		Value: "device at the site"}))
	d, err := points.Open(ctx, w.App, key)
	apptest.Must(t, err)
	id := apptest.NewID()
	var all sync.WaitGroup
	answers := make(chan string, 12)
	for i := range 12 {
		all.Go(func() {
			s := points.Swipe{ID: id, Card: points.Typed{PIN: "%EMP00123?"}}
			if i%2 == 1 {
				s.ID = apptest.NewID()
			}
			out, err := d.Swipe(ctx, w.App, s)
			answers <- fmt.Sprint(out.Act, out.Again, err)
		})
	}
	all.Wait()
	close(answers)
	for a := range answers {
		if !strings.HasPrefix(a, "in") {
			t.Errorf("answered %s", a)
		}
	}
	if n := dbtest.Get[int](t, w, `select count(*) from punch p join employment e on e.id = p.employment_id
		where e.person_id = $1 and p.clock_point_id = $2`, person, point); n != 1 {
		t.Errorf("%d punches", n)
	}
	if by := dbtest.Get[clock.Point](t, w, `select p.point from punch p where p.clock_point_id = $1 limit 1`, point); by != clock.AtPoint {
		t.Errorf("it came by %s", by)
	}
}

// A key that was given to read is not one to clock by: neither a card nor a call gets
// anything recorded through it.
func TestAKeyThatReadsOnly(t *testing.T) {
	w, d, number, _ := terminal(t)
	ctx := context.Background()
	d.Punches = false
	punches := func() int { return dbtest.Get[int](t, w, `select count(*) from punch`) }
	before := punches()
	swipe := points.Swipe{ID: apptest.NewID(), Card: points.Typed{PIN: ";60012345?"}}
	if _, err := d.Swipe(ctx, w.App, swipe); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a swipe: %v", err)
	}
	press := points.Press{ID: apptest.NewID(), Number: number, Act: clock.In}
	if _, err := d.Call(ctx, w.App, points.Call{Press: press, PIN: demo.PIN}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a call: %v", err)
	}
	if n := punches(); n != before {
		t.Errorf("%d punches, %d before", n, before)
	}
}
