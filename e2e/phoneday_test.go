package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/company"
	"manudex/core/when"
	"manudex/dbtest"
)

// A day on the phone, an act a touch: called in, clocked in, travel, back on a job, a
// meal that was not had said when leaving, a photo and an expense that the office sees.
func TestADayOnThePhone(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	rules := json.RawMessage(`{"weekly_overtime_after":"40","minimum_callout_hours":"4",
		"automatic_meal":{"after_hours":"6","minutes":30}}`)
	if err := s.Do(ctx, s.Person(t, "Mira Castellane"), company.PutRules{ID: uuid.Must(uuid.NewV7()), Title: "Call-outs",
		From: when.NewDate(2026, 11, 15), Rules: rules}); err != nil {
		t.Fatal(err)
	}
	name := dbtest.Get[string](t, s.World, `select p.given_name || ' ' || p.family_name from person p
		join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		where u.name = 'Lamp bench, late' and p.level = 'worker' and not exists (
			select from stint n where n.employment_id = e.id and n.end_at is null) order by 1 limit 1`)
	s.moveTo(time.Date(2026, 11, 16, 12, 0, 0, 0, time.UTC))
	phone := s.device(390, 844)
	phone.signIn(name)
	touches := 0
	touch := func(text string) { touches++; phone.press(text) }

	phone.sees("label", "I was called in").MustClick()
	touches++
	touch("^Clock in$")
	phone.sees(".now-line", "On the clock since")
	if touches != 2 {
		t.Errorf("%d touches to clock in, called in", touches)
	}
	s.pass(time.Hour)
	touches = 0
	touch("^Travel$")
	phone.sees("h1", "Travel between sites")
	s.pass(30 * time.Minute)
	if touches != 1 {
		t.Errorf("%d touches to travel", touches)
	}
	touches = 0
	touch("Switch job")
	touch("Switch to this job")
	phone.sees("h1", "^22")
	if touches > 2 {
		t.Errorf("%d touches to be on the planned job", touches)
	}
	// A photo and an expense, with its receipt.
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	picture := filepath.Join(t.TempDir(), "weld.png")
	if err := os.WriteFile(picture, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	phone.MustElement("#photo").MustSetFiles(picture)
	phone.sees(".said", "The photo is on your card: 40 × 30")
	phone.sees(".photos small", "40 × 30")
	phone.press("Add an expense")
	// What happens meanwhile reads the page anew, and what was opened stays so.
	phone.refreshed()
	phone.MustElement("#expense-amount").MustInput("12.50")
	phone.MustElement("#receipt").MustSetFiles(picture)
	phone.press("Put it on the day")
	phone.sees(".expense", "12.50")
	phone.fits("the phone with an expense")
	phone.accessible("the phone with an expense", "all")

	// After six hours the way out asks for the meal, on a page that stood open.
	phone.sees(".out button", "^Clock out$")
	s.pass(5 * time.Hour)
	touches = 0
	phone.sees(".out.meal:not([hidden]) h2", "Did you get your meal")
	touch("No, and clock out")
	phone.sees(".now-line", "Off the clock since")
	if touches != 1 {
		t.Errorf("%d touches to leave", touches)
	}
	office := s.device(1280, 800)
	office.signIn("Mira Castellane")
	office.open("/cards/" + dbtest.Get[string](t, s.World, `select e.id::text from employment e join person p on p.id = e.person_id
		where p.given_name || ' ' || p.family_name = $1`, name) + "/2026-11-16")
	for _, flag := range []string{"Called in", "Had no meal, they say", "Expenses"} {
		office.sees(".flag", flag)
	}
	office.sees(".expense", "12.50")
	office.MustElement(".photos img")
	office.fits("a card with photos and expenses")
	office.accessible("a card with photos and expenses", "all")
}
