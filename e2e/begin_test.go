package e2e

import (
	"log/slog"
	"testing"

	"manudex/app"
	"manudex/app/company"
	"manudex/dbtest"
)

// From an empty company to sample people on Today: the short set-up, left and
// taken up again.
func TestTheFirstSetUp(t *testing.T) {
	t.Parallel()
	db := dbtest.Empty(t)
	if err := db.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	w := &dbtest.World{}
	w.Set(dbtest.Now)
	w.App = app.New(db, w.At, slog.New(slog.DiscardHandler))
	token, err := company.Begin(t.Context(), db, w.At(),
		company.First{Company: "Lantern works", Zone: "America/Halifax", Currency: "CAD", Given: "Ada", Family: "Munro",
			Email: "ada@lantern.example"})
	if err != nil {
		t.Fatal(err)
	}
	s := serve(t, w)
	d := s.device(1280, 900)
	d.open("/welcome/" + token)
	d.MustElement("#password").MustInput("seven small lanterns")
	d.press("^Begin$")
	d.sees("h1", "What is it called, and where is it\\?")
	d.MustElement("#b-name").MustSelectAllText().MustInput("Lantern works, Halifax")
	d.MustElement("#b-zone").MustSelectAllText().MustInput("Halifax time")
	d.MustElement("#first_site").MustInput("The works")
	d.expectTrouble() // the refusal is a 422
	d.press("^Keep this and go on$")
	d.sees(".wrong", "Zone can't be “Halifax time”")
	if v := d.MustElement("#b-name").MustProperty("value").Str(); v != "Lantern works, Halifax" {
		t.Errorf("the name typed became %q", v)
	}
	d.MustElement("#b-zone").MustSelectAllText().MustInput("America/Halifax")
	d.press("^Keep this and go on$")
	d.sees("h1", "How often do you pay\\?")
	d.press("^Leave it for now$")
	d.sees("h1", "Setup")
	d.sees(".sum", "Next: Pay period, not chosen yet")
	d.press("^Pay period$")
	d.sees("h1", "How often do you pay\\?")
	d.MustElement("#b-period_kind").MustSelect("a week")
	d.press("^Keep this and go on$")
	d.sees("h1", "By which rules do you pay overtime\\?")
	d.MustElement(`input[value="weekly-44"]`).MustClick()
	d.MustElement("#week").MustSelect("Monday")
	d.press("^Keep this and go on$")
	d.sees("h1", "How will people clock in")
	d.press("^Keep this and go on$")
	d.sees(".said", "That is the short set-up")
	d.sees(".sum", "Next: Crews and departments, none yet")
	if got := dbtest.Get[string](t, w,
		`select c.name || ' ' || period_kind || ' ' || s.name || ' ' || r.name || ' ' || (r.rules ->> 'workweek_start')
			from company c, site s, rule_set r`); got != "Lantern works, Halifax weekly The works Weekly 44 (as in Ontario) Mon 00:00" {
		t.Errorf("the set-up kept %q", got)
	}
	d.press("^Add sample people$")
	d.sees(".said", "Sample people are there")
	d.open("/today")
	d.sees("tr", "Elder Sample")
	d.open("/setup")
	d.press("^Take all samples out$")
	d.sees(".said", "The samples are gone")
}
