package e2e

import (
	"log/slog"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/dbtest"
)

// ofTheirOwn serves an empty company, and gives the link of its owner.
func ofTheirOwn(t *testing.T) (s *site, welcome string) {
	t.Helper()
	t.Parallel()
	w := &dbtest.World{}
	w.Set(dbtest.Now)
	db := dbtest.Empty(t)
	w.App = app.New(db, w.At, slog.New(slog.DiscardHandler))
	token, err := company.Begin(t.Context(), db, w.At(), company.First{Currency: "CAD"})
	apptest.Must(t, err)
	return serve(t, w), "/welcome/" + token
}

// hand counts what an owner clicks and fills in, beyond names.
type hand struct {
	*device
	did int
}

func (h *hand) types(selector, text string) {
	h.did++
	h.MustElement(selector).MustSelectAllText().MustInput(text)
}

func (h *hand) names(selector, name string) {
	h.MustElement(selector).MustSelectAllText().MustInput(name)
}

func (h *hand) press(text string) {
	h.did++
	h.device.press(text)
}

// From an empty company to the first worker on the clock: at most twelve clicks and
// fields of the owner, beyond names.
func TestTheFirstHalfHour(t *testing.T) {
	s, welcome := ofTheirOwn(t)
	ada := &hand{device: s.device(1280, 900)}
	ada.open(welcome)
	ada.sees("h1", "Your company begins here")
	ada.names("#given_name", "Ada")
	ada.names("#family_name", "Munro")
	ada.types("#email", "ada@lantern.example")
	ada.types("#password", "seven small lanterns")
	ada.press("^Begin$")
	ada.sees("h1", "What is it called, and where is it\\?")
	ada.names("#b-name", "Lantern works")
	ada.names("#first_site", "The quay")
	zone := ada.MustElement("#b-zone").MustProperty("value").Str()
	if own := ada.MustEval(`() => Intl.DateTimeFormat().resolvedOptions().timeZone`).Str(); zone != own {
		t.Errorf("the zone proposed is %s, the browser's is %s", zone, own)
	}
	ada.press("^Keep this and go on$")
	ada.sees("h1", "How often do you pay\\?")
	ada.press("^Keep this and go on$")
	ada.sees("h1", "By which rules do you pay overtime\\?")
	ada.did++
	ada.MustElement(`input[value="us-federal"]`).MustClick()
	ada.press("^Keep this and go on$")
	ada.sees("h1", "When do people work")
	ada.press("^Keep this and go on$")
	ada.sees("h1", "Who clocks in first, and what on\\?")
	ada.names("#given_name", "Bo")
	ada.names("#family_name", "Lund")
	ada.names("#crew", "Day crew")
	ada.names("#job", "Harbour lights")
	ada.press("^Add them and give a sign-in$")
	ada.sees("h1", "A sign-in for Bo Lund")
	link := ada.MustElement("[data-copy]").MustAttribute("data-copy")
	if ada.did > 12 {
		t.Errorf("it took %d clicks and fields", ada.did)
	}
	t.Logf("%d clicks and fields beyond names", ada.did)

	bo := s.device(390, 844)
	bo.MustNavigate(*link).MustWaitLoad()
	bo.setClock()
	bo.MustElement("#password").MustInput("tall quay lamps")
	bo.press("^Begin$")
	bo.sees("h2", "What are you starting on")
	bo.sees(".choice", "Harbour lights")
	bo.MustElement(".choice label").MustClick()
	bo.press("^Clock in$")
	bo.sees("main", "On the clock")

	// What the first pay needs is there: codes, a pattern with times, a week's start.
	if got := dbtest.Get[string](t, s.World, `select string_agg(code, ' ' order by pays) from pay_code`); got != "DT OT REG" {
		t.Errorf("the pay codes are %s", got)
	}
	if got := dbtest.Get[string](t, s.World,
		`select starts[2] || ' ' || ends[2] || ' ' || seconds[2] from pattern`); got != "25200 55800 28800" {
		t.Errorf("the pattern is %s", got)
	}
	ada.open("/setup")
	ada.sees(".steps", "A second owner[\\s\\S]*one alone closes no run that pays them")
}

// The short set-up is left and taken up again, keeps what was typed when something
// is wrong, and sample people come and go.
func TestTheFirstSetUp(t *testing.T) {
	s, welcome := ofTheirOwn(t)
	d := s.device(1280, 900)
	d.open(welcome)
	d.expectTrouble() // refusals are 422
	d.MustElement("#family_name").MustInput("Munro")
	d.MustElement("#email").MustInput("ada@lantern.example")
	d.MustElement("#password").MustInput("seven small lanterns")
	d.press("^Begin$")
	d.sees(".wrong", "Given name is missing")
	if v := d.MustElement("#family_name").MustProperty("value").Str(); v != "Munro" {
		t.Errorf("the name typed became %q", v)
	}
	d.MustElement("#given_name").MustInput("Ada")
	d.MustElement("#password").MustInput("seven small lanterns")
	d.press("^Begin$")
	d.sees("h1", "What is it called, and where is it\\?")
	d.MustElement("#b-name").MustSelectAllText().MustInput("Lantern works, Halifax")
	d.MustElement("#b-zone").MustSelectAllText().MustInput("Halifax time")
	d.MustElement("#first_site").MustInput("The works")
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
	d.sees("form", "The workweek begins with the pay period, on a Sunday")
	d.press("^Keep this and go on$")
	d.sees("h1", "When do people work")
	d.press("^Keep this and go on$")
	d.sees("h1", "Who clocks in first")
	d.press("^Bring all people in from a file instead$")
	d.sees("h1", "People from a file")
	d.open("/setup")
	d.sees(".sum", "Next: Crews and departments, none yet")
	if got := dbtest.Get[string](t, s.World,
		`select c.name || ' ' || period_kind || ' ' || s.name || ' ' || r.name || ' ' || (r.rules ->> 'workweek_start')
			from company c, site s, rule_set r`); got != "Lantern works, Halifax weekly The works Weekly 44 (as in Ontario) Sun 00:00" {
		t.Errorf("the set-up kept %q", got)
	}
	d.press("^Samples$")
	d.press("^Add sample people$")
	d.sees(".said", "Sample people are there")
	d.open("/today")
	d.sees("tr", "Elder Sample")
	d.open("/setup/on/samples")
	d.press("^Take all samples out$")
	d.sees(".said", "The samples are gone")
}

// What was typed stays when it is refused, in view; and after something was saved the
// page is found where it was.
func TestWhatWasTypedStays(t *testing.T) {
	s := open(t)
	d := s.device(1280, 700)
	d.signIn("Mira Castellane")
	d.open("/setup/on/sites")
	fresh := `#sites form:has([name=title]:not([value]))`
	for name, text := range map[string]string{"title": "Quay shed", "lat": "44,6", "lon": "-63.5"} {
		d.MustElement(fresh + ` input[name=` + name + `]`).MustInput(text)
	}
	d.MustElement(fresh + ` button`).MustClick()
	d.sees(".said.refused", "atitude")
	if v := d.MustElement(fresh + ` input[name=title]`).MustProperty("value").Str(); v != "Quay shed" {
		t.Errorf("the name typed became %q", v)
	}
	inView := `(selector) => { const b = document.querySelector(selector).getBoundingClientRect();
		return b.top >= 0 && b.bottom <= innerHeight; }`
	if !d.MustEval(inView, ".said.refused").Bool() {
		t.Error("what is wrong is out of view")
	}
	d.MustElement(fresh + ` input[name=lat]`).MustSelectAllText().MustInput("44.6")
	d.MustElement(fresh + ` button`).MustClick()
	d.sees(".said", "Saved: Quay shed")
	d.MustWait(`() => { const b = document.querySelector("#sites").getBoundingClientRect(); return b.top < innerHeight && b.bottom > 0; }`)
	if n := dbtest.Get[int](t, s.World, `select count(*) from site where name = 'Quay shed'`); n != 1 {
		t.Errorf("%d sites are there", n)
	}
}
