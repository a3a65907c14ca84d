package people_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

func TestSetPerson(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	set := func(as app.Actor, field, value string) error {
		return w.Do(ctx, as, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: field, Value: value})
	}
	for _, c := range []struct{ field, value, kept string }{
		{"title", " Beacon fitter ", "Beacon fitter"},
		{"mobile", "+1 555 010 0199", "+1 555 010 0199"}, {"email", "viggo@ebbwater.example", "viggo@ebbwater.example"}, {"email", "", ""},
		{"unit", "gantry crew a", "Gantry crew A"}, {"site", "Route 9", "Route 9"}, {"level", "crew lead", "lead"},
		{"leads", "Plate shop; gantry crew A", "Gantry crew A, Plate shop"},
		{"rate", "31.5", "31.50"}, {"pattern", "0 7:30 7.5 7.5 7.5 8 0", "0 27000 27000 27000 27000 28800 0"},
		{"tags", "Work at height, First aid until 2027-03-31", "First aid until 2027-03-31, Work at height"},
		{"own_edits", "as a request", "request"}, {"location", "off", "off"},
		{"location_required", "yes", "yes"}, {"reporting", "pattern", "pattern"},
		{"jobs", "2231, 2224", "2224, 2231"}, {"jobs", "any", "any"},
		{"subcontractor", "yes", "yes"}, {"in_reports", "no", "no"}, {"zone", "America/Halifax", "America/Halifax"},
		{"coding", "required", "required"},
	} {
		apptest.Must(t, set(mira, c.field, c.value))
		if got := apptest.SheetOf(t, w, mira, viggo.ID).Values[c.field]; got != c.kept {
			t.Errorf("%s set to %q is kept as %q, want %q", c.field, c.value, got, c.kept)
		}
	}
	for _, c := range []struct{ field, value, wrong string }{
		{"given_name", "", "Given name is missing"},
		{"email", "viggo", "E-mail can't be “viggo”"}, {"mobile", "call me", "Mobile can't be"},
		{"unit", "Gantry crew C", "Crew or department can't be “Gantry crew C”"},
		{"rate", "-1", "Rate an hour can't be"}, {"pattern", "8 8", "Working pattern can't be"},
		{"zone", "Mars", "Zone can't be"}, {"starts_on", "tomorrow", "Hired can't be"},
		{"clock_points", "telepathy", "Clock points can't be"},
		{"tags", "First aid until soon", "Tags can't be"}, {"number", "2010", "Number “2010” belongs to somebody else already"},
		{"email", "mira.castellane@ebbwater.example", "belongs to somebody else already"},
		{"level", "owner", "Nobody gives a higher level than their own"},
	} {
		if r := apptest.Refusal(t, set(mira, c.field, c.value)); !strings.Contains(r.Wrong, c.wrong) ||
			r.Field != c.field || r.Right == "" {
			t.Errorf("%s set to %q: %+v, want %q", c.field, c.value, r, c.wrong)
		}
	}
	if err := set(mira, "added", "2020-01-01"); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a setting that isn't set by hand: %v", err)
	}
	// Every change is on the person's page: who, from, to.
	p, err := people.ReadPersonPage(ctx, w.App, mira, viggo.ID)
	apptest.Must(t, err)
	last := p.Changes[0]
	if last.Field != "coding" || last.Old != "optional" || last.New != "required" || last.ByName != "Mira Castellane" {
		t.Errorf("last change %+v", last)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where act = 'people.change' and about = $1`, viggo.ID); n < 20 {
		t.Errorf("%d changes in the audit list", n)
	}
	// The same change sent twice is made once.
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: id, Person: viggo.ID, Field: "title", Value: "Twice"}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: id, Person: viggo.ID, Field: "title", Value: "Twice"}))
	if n := dbtest.Get[int](t, w, `select count(*) from change where id = $1`, id); n != 1 {
		t.Errorf("a change sent twice stands %d times", n)
	}
}

// A dated setting never reaches back over a paid period.
func TestDatedSettings(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	paid := dbtest.Get[time.Time](t, w, `select max(to_date)::timestamptz from run`)
	paidUpTo := when.DateOf(paid, time.UTC)
	set := func(from when.Date) error {
		return w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: "rate", Value: "40", From: from})
	}
	if r := apptest.Refusal(t, set(paidUpTo)); !strings.Contains(r.Wrong, "That was paid already") {
		t.Errorf("over a paid day: %+v", r)
	}
	apptest.Must(t, set(paidUpTo+1))
	before := apptest.SheetOf(t, w, mira, viggo.ID).Values["rate"]
	apptest.Must(t, set(apptest.Thursday+30))
	if after := apptest.SheetOf(t, w, mira, viggo.ID).Values["rate"]; before != "40.00" || after != before {
		t.Errorf("a rate from a later day holds today: %s, then %s", before, after)
	}
}

// Who may do what: level, crew, single grants; nobody their own.
func TestRights(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	owner, mira, piet, wren := w.Person(t, "Orla Ebbwater"), w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue"),
		w.Person(t, "Wren Halloran")
	kofi, tomasz := w.Person(t, "Kofi Larkin"), w.Person(t, "Tomasz Brandt") // night lane crew; Wren's gantry crew B
	set := func(as app.Actor, person uuid.UUID, field, value string) error {
		return w.Do(ctx, as, people.SetPerson{ID: apptest.NewID(), Person: person, Field: field, Value: value})
	}
	// Rates are invisible to who has no grant: a manager by level alone, too.
	if _, seen := apptest.SheetOf(t, w, piet, kofi.ID).Values["rate"]; seen {
		t.Error("a manager without the grant sees a rate")
	}
	if _, seen := apptest.SheetOf(t, w, mira, kofi.ID).Values["rate"]; !seen {
		t.Error("who runs payroll sees no rate")
	}
	if err := set(piet, kofi.ID, "rate", "99"); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a rate set by who may not see it: %v", err)
	}
	apptest.Must(t, set(mira, kofi.ID, "rate", "33"))
	if p, err := people.ReadPersonPage(ctx, w.App, piet, kofi.ID); err != nil || slices.ContainsFunc(p.Changes, func(c store.Change) bool {
		return c.Field == "rate"
	}) {
		t.Errorf("a change of rate is seen by who may not see rates (%v)", err)
	}
	l, err := people.Exported(ctx, w.App, piet, store.SheetFilter{}, "")
	apptest.Must(t, err)
	for _, s := range l.Sheets {
		if _, seen := s.Values["rate"]; seen {
			t.Fatal("the export has rates for who may not see them")
		}
	}
	if _, err := payroll.PayRun(ctx, w.App, piet, uuid.Nil); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("the pay run without a grant: %v", err)
	}
	// A lead sees their crew and nobody else.
	l, err = people.ReadPeople(ctx, w.App, wren, people.PeopleQuery{})
	apptest.Must(t, err)
	for _, s := range l.Sheets {
		if s.Values["unit"] != "Gantry crew B" {
			t.Errorf("a lead sees %s of %s", s.Name(), s.Values["unit"])
		}
	}
	if _, err := people.ReadPersonPage(ctx, w.App, wren, kofi.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a lead opens somebody else's page: %v", err)
	}
	if err := set(wren, tomasz.ID, "title", "x"); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead without the right changes a setting: %v", err)
	}
	// A right for one crew reaches that crew alone.
	crew := dbtest.Get[uuid.UUID](t, w, `select id from unit where name = 'Night lane crew'`)
	grant := people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "manage_people", Unit: crew}
	apptest.Must(t, w.Do(ctx, owner, grant))
	wren = w.Person(t, "Wren Halloran")
	apptest.Must(t, set(wren, kofi.ID, "title", "Lane hand"))
	if err := set(wren, tomasz.ID, "title", "x"); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("the right for one crew reaches another: %v", err)
	}
	if r := apptest.Refusal(t, set(wren, kofi.ID, "level", "manager")); r.Field != "level" {
		t.Errorf("a higher level than one's own: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, owner, people.TakeRight{Grant: grant.ID}))
	wren = w.Person(t, "Wren Halloran")
	if err := set(wren, kofi.ID, "title", "x"); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("after the right was taken: %v", err)
	}
	// Approving for a crew: its cards, and not one's own.
	apptest.Must(t, w.Do(ctx, mira, people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "approve", Unit: *wren.Unit}))
	wren = w.Person(t, "Wren Halloran")
	if err := w.Do(ctx, wren, hours.Approve{Card: apptest.Ref(t, w, "Kofi Larkin", apptest.Thursday)}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("approving outside the crew: %v", err)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, wren, hours.Approve{Card: apptest.Ref(t, w, "Wren Halloran", apptest.Thursday)})); !strings.Contains(r.Wrong, "own") {
		t.Errorf("approving one's own: %+v", r)
	}
	// Nobody gives what they don't have, to themselves, or to their betters.
	for name, c := range map[string]struct {
		as   app.Actor
		act  people.GrantRight
		want string
	}{
		"what one hasn't":  {piet, people.GrantRight{Person: kofi.ID, What: "run_payroll"}, "You can't give what you don't have"},
		"to oneself":       {mira, people.GrantRight{Person: mira.ID, What: "approve"}, "Nobody changes their own rights"},
		"to an owner":      {mira, people.GrantRight{Person: owner.ID, What: "approve"}, "higher level"},
		"payroll for some": {owner, people.GrantRight{Person: kofi.ID, What: "run_payroll", Unit: crew}, "A pay run is for everyone"},
	} {
		c.act.ID = apptest.NewID()
		if r := apptest.Refusal(t, w.Do(ctx, c.as, c.act)); !strings.Contains(r.Wrong, c.want) {
			t.Errorf("%s: %+v", name, r)
		}
	}
	if r := apptest.Refusal(t, set(mira, mira.ID, "level", "worker")); !strings.Contains(r.Wrong, "own level") {
		t.Errorf("one's own level: %+v", r)
	}
	if r := apptest.Refusal(t, set(mira, owner.ID, "title", "x")); !strings.Contains(r.Wrong, "higher level") {
		t.Errorf("an owner's setting: %+v", r)
	}
}

func TestAddPerson(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran")
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPerson{ID: id,
			Values: map[string]string{"given_name": "Ines", "family_name": "Okafor", "unit": "Plate shop", "starts_on": "2026-11-10",
				"rate": "24", "pattern": "0 8 8 8 8 8 0", "level": "worker"}}))
	s := apptest.SheetOf(t, w, mira, id)
	if s.Values["number"] == "" || s.Values["site"] != "Ebbwater works" || s.Values["rate"] != "24.00" ||
		s.Values["added"] != "2026-11-13" || s.Values["incomplete"] != "no" {
		t.Errorf("added %v", s.Values)
	}
	// They can clock in at once.
	ines, err := w.Actor(ctx, id)
	apptest.Must(t, err)
	job := dbtest.Get[uuid.UUID](t, w, `select id from job where number = '2252'`)
	task := dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 order by position limit 1`, job)
	apptest.Must(t, w.Do(ctx, ines, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: clock.Assignment{Job: job, Task: task}}))
	// A lead adds to their own crew, to be completed by the office.
	spot := apptest.NewID()
	apptest.Must(t, w.Do(ctx, wren,
		people.AddPerson{ID: spot,
			Values: map[string]string{"given_name": "Bo", "family_name": "Lund", "unit": "Gantry crew B", "starts_on": "2026-11-13",
				"rate": "99", "level": "manager"}}))
	if s := apptest.SheetOf(t, w, mira, spot); s.Values["incomplete"] != "yes" || s.Values["rate"] != "" || s.Values["level"] != "worker" {
		t.Errorf("added by a lead: %v", s.Values)
	}
	for name, c := range map[string]struct {
		as     app.Actor
		values map[string]string
		field  string
	}{
		"a lead, to another crew": {wren,
			map[string]string{"given_name": "A", "family_name": "B", "unit": "Plate shop", "starts_on": "2026-11-13"}, "unit"},
		"without a family name": {mira, map[string]string{"given_name": "A", "unit": "Plate shop", "starts_on": "2026-11-13"},
			"family_name"},
		"a number that is taken": {mira,
			map[string]string{"given_name": "A", "family_name": "B", "unit": "Plate shop", "starts_on": "2026-11-13", "number": "2010"},
			"number"},
		"a level above": {mira,
			map[string]string{"given_name": "A", "family_name": "B", "unit": "Plate shop", "starts_on": "2026-11-13", "level": "owner"},
			"level"},
	} {
		if r := apptest.Refusal(t, w.Do(ctx, c.as, people.AddPerson{ID: apptest.NewID(), Values: c.values})); r.Field != c.field {
			t.Errorf("%s: %+v", name, r)
		}
	}
}

// A change of many is previewed, made as it was shown, and taken back in one.
func TestChangeMany(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran")
	many := people.ManyChange{Field: "pattern", Value: "0 6 6 6 6 6 0", From: apptest.Thursday + 2,
		Filter: store.SheetFilter{InUnits: []uuid.UUID{*wren.Unit}}}
	p, err := people.PreviewMany(ctx, w.App, mira, many)
	apptest.Must(t, err)
	if p.Changes == 0 || p.Changes != len(p.Rows) {
		t.Fatalf("%d changes of %d rows", p.Changes, len(p.Rows))
	}
	on := func(d when.Date) map[uuid.UUID]string {
		sheets, _, err := store.Sheets(ctx, w.DB, d, many.Filter, 0, -1)
		apptest.Must(t, err)
		values := map[uuid.UUID]string{}
		for _, s := range sheets {
			values[s.Person] = s.Values["pattern"]
		}
		return values
	}
	before := on(apptest.Thursday + 2)
	// Somebody changes one of them meanwhile: nothing is done.
	apptest.Must(t, w.Do(ctx,
		mira, people.SetPerson{ID: apptest.NewID(), Person: wren.ID, Field: "pattern", Value: "0 4 4 4 4 4 0", From: apptest.Thursday + 2}))
	if r := apptest.Refusal(t, w.Do(ctx, mira, people.ChangeMany{ID: apptest.NewID(), ManyChange: many, Seen: p.Seen})); r.Field != "seen" {
		t.Errorf("a stale preview: %+v", r)
	}
	apptest.Must(t, w.Do(ctx,
		mira, people.SetPerson{ID: apptest.NewID(), Person: wren.ID, Field: "pattern", Value: "0 8 8 8 8 8 0", From: apptest.Thursday + 2}))
	if p, err = people.PreviewMany(ctx, w.App, mira, many); err != nil {
		t.Fatal(err)
	}
	batch := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, people.ChangeMany{ID: batch, ManyChange: many, Seen: p.Seen}))
	for person, value := range on(apptest.Thursday + 2) {
		if value != "0 21600 21600 21600 21600 21600 0" {
			t.Errorf("%s works %s", person, value)
		}
	}
	// One of them is changed again; the undo leaves that and takes the rest.
	apptest.Must(t, w.Do(ctx,
		mira, people.SetPerson{ID: apptest.NewID(), Person: wren.ID, Field: "pattern", Value: "0 5 5 5 5 5 0", From: apptest.Thursday + 2}))
	var done app.Undone
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: batch, Tell: func(d app.Undone) { done = d }}))
	if len(done.Left) != 1 || done.Left[0] != "Wren Halloran: changed again since" ||
		done.Words != fmt.Sprintf("%d settings", p.Changes-1) {
		t.Errorf("the undo says %+v", done)
	}
	for person, value := range on(apptest.Thursday + 2) {
		want := before[person]
		if person == wren.ID {
			want = "0 18000 18000 18000 18000 18000 0"
		}
		if value != want {
			t.Errorf("after the undo %s works %s, want %s", person, value, want)
		}
	}
	apptest.Refusal(t, w.Do(ctx, mira, app.Undo{Batch: batch})) // only Wren's is left, and that was changed since
	if _, err := people.PreviewMany(ctx, w.App, mira,
		people.ManyChange{Field: "number", Value: "7"}); apptest.Refusal(t, err).Field != "field" {
		t.Error("everybody can get the same number")
	}
	if _, err := people.PreviewMany(ctx, w.App, w.Person(t, "Piet Donoghue"),
		people.ManyChange{Field: "rate", Value: "50"}); apptest.Refusal(t, err).Field != "field" {
		t.Error("rates of many change without the grant")
	}
}

func TestLeavingAndComingBack(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, owner := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater")
	viggo := w.Person(t, "Viggo Bexley")
	cards := dbtest.Get[int](t, w, `select count(*) from card where employment_id = $1`, *viggo.Employment)
	page, err := people.ReadPersonPage(ctx, w.App, mira, viggo.ID)
	apptest.Must(t, err)
	if len(page.Shifts) == 0 {
		t.Error("nothing planned is listed for handing over")
	}
	if page.OnClock {
		if r := apptest.Refusal(t,
			w.Do(ctx, mira, people.EndPerson{ID: apptest.NewID(), Person: viggo.ID, On: apptest.Thursday})); !strings.Contains(r.Wrong,
			"on the clock") {
			t.Errorf("ended over a running stint: %+v", r)
		}
	}
	// A position that ended long ago stays ended then.
	old := apptest.NewID()
	_, err = w.DB.Exec(`insert into employment (id, person_id, unit_id, site_id, title, starts_on, ends_on)
		select $1, person_id, unit_id, site_id, 'Apprentice', '2019-01-01', '2020-12-31' from employment
		where id = $2`, old, *viggo.Employment)
	apptest.Must(t, err)
	apprentice := func() string {
		return dbtest.Get[string](t, w, `select ends_on::text from employment where id = $1`, old)
	}
	apptest.Must(t, w.Do(ctx, mira, people.EndPerson{ID: apptest.NewID(), Person: viggo.ID, On: apptest.Thursday + 10}))
	apptest.Must(t, w.Do(ctx, mira, people.EndPerson{ID: apptest.NewID(), Person: viggo.ID, On: apptest.Thursday + 1}))
	if d := apprentice(); d != "2020-12-31" {
		t.Errorf("the old position now ends on %s", d)
	}
	w.Pass(48 * time.Hour)
	l, err := people.ReadPeople(ctx, w.App, mira, people.PeopleQuery{SheetFilter: store.SheetFilter{Text: "Viggo Bexley"}})
	apptest.Must(t, err)
	if l.Total != 0 {
		t.Error("who left is in the way")
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card where employment_id = $1`, *viggo.Employment); n != cards {
		t.Errorf("%d cards of %d are left", n, cards)
	}
	if err := w.Do(ctx, mira, people.ErasePerson{Person: viggo.ID, Number: "2042"}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a manager erases: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, people.BringBack{ID: apptest.NewID(), Person: viggo.ID}))
	if actor, err := w.Actor(ctx, viggo.ID); err != nil || actor.Employment == nil || *actor.Employment != *viggo.Employment ||
		apprentice() != "2020-12-31" {
		t.Errorf("who came back: %v, old position to %s", err, apprentice())
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, owner, people.ErasePerson{Person: viggo.ID, Number: "2042"})); !strings.Contains(r.Wrong, "still works here") {
		t.Errorf("erased while here: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: "mobile", Value: "+1 555 010 0142"}))
	if page.OnClock { // still on the clock since Friday: the office says when that ended
		if r := apptest.Refusal(t,
			w.Do(ctx, mira, people.EndPerson{ID: apptest.NewID(), Person: viggo.ID, On: apptest.Thursday + 2,
				Out: w.At().Add(time.Hour)})); r.Field != "out" {
			t.Errorf("clocked out in the future: %+v", r)
		}
		apptest.Must(t, w.Do(ctx, mira,
			people.EndPerson{ID: apptest.NewID(), Person: viggo.ID, On: apptest.Thursday + 2, Out: w.At().Add(-44 * time.Hour)}))
		if n := dbtest.Get[int](t, w, `select count(*) from stint where person_id = $1 and end_at is null`, viggo.ID); n != 0 {
			t.Error("the stint of who left still runs")
		}
	} else {
		apptest.Must(t, w.Do(ctx, mira, people.EndPerson{ID: apptest.NewID(), Person: viggo.ID, On: apptest.Thursday + 2}))
	}
	w.Pass(48 * time.Hour)
	if r := apptest.Refusal(t, w.Do(ctx, owner, people.ErasePerson{Person: viggo.ID, Number: "1"})); r.Field != "number" {
		t.Errorf("erased by a slip: %+v", r)
	}
	_, err = w.DB.Exec(`insert into place_seen (id, employment_id, at, lat, lon) values (gen_random_uuid(), $1, now(), 40, -50)`,
		viggo.Employment)
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, owner, people.ErasePerson{Person: viggo.ID, Number: "2042"}))
	if n := dbtest.Get[int](t, w, `select count(*) from place_seen where employment_id = $1`, viggo.Employment); n != 0 {
		t.Errorf("%d places along the way are left", n)
	}
	s := apptest.SheetOf(t, w, owner, viggo.ID)
	if s.Name() != "Erased person 2042" || s.Values["mobile"] != "" || s.Values["email"] != "" {
		t.Errorf("after erasing: %v", s.Values)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from change where old_value || new_value like '%0142%'`); n != 0 {
		t.Error("what was erased stands in the record of changes")
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where detail::text like '%0142%' or detail::text ilike '%bexley%'`); n != 0 {
		t.Error("what was erased stands in the audit list")
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where act = 'people.erase' and about = $1`, viggo.ID); n != 1 {
		t.Error("erasing isn't recorded")
	}
	if _, err := w.DB.ExecContext(ctx, `update change set new_value = 'x'`); err == nil {
		t.Error("the record of changes can be changed")
	}
}

func TestBringIn(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	take := func(rows [][]string) *bringin.ImportPage {
		return apptest.TakeFile(t, w, mira, bringin.PeopleFile, rows)
	}
	rows := apptest.Sixty(w)
	p := take(rows)
	if got := apptest.RowCounts(p); got != "57 0 0 3" {
		t.Fatalf("new, changed, same, wrong: %s", got)
	}
	for _, c := range []struct {
		line int
		what string
	}{{12, "Moon crew"}, {22, "“soon” is no date"}, {32, "Number 7029 stands in line 31 already"}} {
		if r := p.Rows[c.line-2]; r.State != bringin.RowWrong || !strings.Contains(r.What, c.what) {
			t.Errorf("line %d: %s %q", c.line, r.State, r.What)
		}
	}
	var told []int
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID, Wrong: 3, Tell: func(done, _ int) {
		told = append(told, done)
	}}))
	if len(told) == 0 || told[len(told)-1] != 60 {
		t.Errorf("told %v", told)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from person p join employment e on e.person_id = p.id
		join rate r on r.employment_id = e.id where p.number like '70%' and r.amount = 21.5 and p.email like 'p%'`); n != 57 {
		t.Errorf("%d people are in", n)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID, Wrong: 3})); !strings.Contains(r.Wrong, "in already") {
		t.Errorf("brought in twice: %+v", r)
	}
	// The same file again changes nothing.
	if got := apptest.RowCounts(take(rows)); got != "0 0 57 3" {
		t.Errorf("the same file again: %s", got)
	}
	// One cell changed is one row changed, and an empty cell leaves things be.
	rows[1][6], rows[2][6] = "22.75", ""
	p = take(rows)
	if got := apptest.RowCounts(p); got != "0 1 56 3" || p.Rows[0].What != "Rate an hour: 21.50 → 22.75" {
		t.Errorf("a cell changed: %s, %q", got, p.Rows[0].What)
	}
	apptest.Must(t, w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID, Wrong: 3}))
	// What was shown and stands no longer is not brought in.
	rows[1][6] = "23"
	p = take(rows)
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPerson{ID: apptest.NewID(),
			Values: map[string]string{"given_name": "A", "family_name": "B", "unit": "Plate shop",
				"starts_on": "2026-11-13", "number": "7010"}}))
	rows[11][3] = "Plate shop"
	if err := w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID, Wrong: 2}); apptest.Refusal(t, err).Field != "file" {
		t.Error("brought in with other wrong rows than were shown")
	}
	// Columns can be matched by hand, and somebody else's file is not there.
	apptest.Must(t, w.Do(ctx, mira,
		bringin.MatchColumns{Kind: bringin.PeopleFile, Import: p.ID,
			Matched: []string{"number", "given_name", "family_name", "unit", "starts_on", "email", "", "rate"}}))
	if p, err := bringin.ReadImportPage(ctx, w.App, mira, bringin.PeopleFile, p.ID); err != nil || p.Matched[7] != "rate" {
		t.Errorf("matched %v, %v", p.Matched, err)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, bringin.MatchColumns{Kind: bringin.PeopleFile, Import: p.ID,
			Matched: []string{"number", "number", "", "", "", "", "", ""}})); r.Field != "matched" {
		t.Errorf("two columns for one setting: %+v", r)
	}
	if _, err := bringin.ReadImportPage(ctx, w.App, w.Person(t, "Orla Ebbwater"), bringin.PeopleFile,
		p.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("somebody else's file: %v", err)
	}
}

// Sign-ins for many are given to those whom the giver may give one; who is left out
// is named.
func TestSignInsForMany(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	_, err := w.DB.Exec(`update person set password_hash = null where level in ('worker', 'owner') or given_name = 'Piet'`)
	apptest.Must(t, err)
	ids, err := people.WithoutSignIn(ctx, w.App, mira, store.SheetFilter{})
	apptest.Must(t, err)
	links := func(ids []uuid.UUID) (l []people.Link) {
		for _, id := range ids {
			l = append(l, people.Link{Person: id, Token: app.NewSignInToken()})
		}
		return l
	}
	all := links(ids)
	apptest.Must(t, w.Do(ctx, mira, people.GiveSignIn{To: all, Fitting: true}))
	given, left, err := people.Slips(ctx, w.App, all)
	apptest.Must(t, err)
	slices.Sort(left)
	if len(all) < 40 || len(given)+len(left) != len(all) || fmt.Sprint(left) != "[Orla Ebbwater Piet Donoghue]" {
		t.Errorf("of %d, %d were given one, left out: %v", len(all), len(given), left)
	}
	who, err := people.ChoosePassword(ctx, w.App, given[3].Token,
		people.Chosen{Password: "lamp and buoy", Given: "Somebody", Family: "Else"})
	apptest.Must(t, err)
	if name := dbtest.Get[string](t, w, `select given_name || ' ' || family_name from person where id = $1`, who); name != given[3].Name {
		t.Errorf("a link made %s be called %s", given[3].Name, name)
	}
	if s := apptest.SheetOf(t, w, mira, given[4].Person); s.Values["signs_in"] != "given" {
		t.Errorf("a link that isn't used yet: signs in %q", s.Values["signs_in"])
	}
	again, err := people.WithoutSignIn(ctx, w.App, mira, store.SheetFilter{})
	apptest.Must(t, err)
	if len(again) != len(left) {
		t.Errorf("%d have neither a password nor a link, of %d", len(again), len(ids))
	}
	orla := w.Person(t, "Orla Ebbwater")
	r := apptest.Refusal(t, w.Do(ctx, mira, people.GiveSignIn{To: links([]uuid.UUID{orla.ID}), Fitting: true}))
	if !strings.Contains(r.Wrong, "nobody here whom you may") {
		t.Errorf("none that fits: %+v", r)
	}
}

// A sign-in is given by a link that works once, and taken away; neither
// touches what was recorded.
func TestSignInLinks(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	token := app.NewSignInToken()
	apptest.Must(t, w.Do(ctx, mira, people.LinkFor(viggo.ID, token)))
	if name, err := people.Welcome(ctx, w.App, strings.ToUpper(token)); err != nil || name != "Viggo Bexley" {
		t.Errorf("the code typed in capitals: %q, %v", name, err)
	}
	if _, err := people.ChoosePassword(ctx, w.App, token, people.Chosen{Password: "short"}); apptest.Refusal(t, err).Field != "password" {
		t.Error("a short password is taken")
	}
	who, err := people.ChoosePassword(ctx, w.App, token, people.Chosen{Password: "lamp and buoy"})
	apptest.Must(t, err)
	if who != viggo.ID {
		t.Errorf("the link was for %s", who)
	}
	if _, err := people.ChoosePassword(ctx, w.App, token, people.Chosen{Password: "again and again"}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the link works twice: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: "mobile", Value: "+1 555 010 0142"}))
	for _, by := range []string{"viggo.bexley@ebbwater.example", "15550100142", "2042"} {
		if id, err := people.SignIn(ctx, w.App, by, "lamp and buoy"); err != nil || id != viggo.ID {
			t.Errorf("signing in by %s: %v", by, err)
		}
	}
	if n := dbtest.Get[int](t, w, `select count(*) from sign_in_link where person_id = $1 and used_at is not null`, viggo.ID); n != 1 {
		t.Errorf("%d links are used", n)
	}
	// A new link ends the one before, and one is good for a week.
	first, second := app.NewSignInToken(), app.NewSignInToken()
	apptest.Must(t, w.Do(ctx, mira, people.LinkFor(viggo.ID, first)))
	w.Pass(time.Hour)
	apptest.Must(t, w.Do(ctx, mira, people.LinkFor(viggo.ID, second)))
	if _, err := people.Welcome(ctx, w.App, first); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the link before still works: %v", err)
	}
	w.Pass(8 * 24 * time.Hour)
	if _, err := people.Welcome(ctx, w.App, second); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("after eight days the link still works: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, people.TakeSignIn{Person: viggo.ID}))
	if _, err := people.SignIn(ctx, w.App, "2042", "lamp and buoy"); apptest.Refusal(t, err).Field != "password" {
		t.Error("signed in after the sign-in was taken")
	}
	if actor, err := w.Actor(ctx, viggo.ID); err != nil || actor.SignsIn {
		t.Errorf("taken away, signs in %v, %v", actor.SignsIn, err)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"),
		people.GrantRight{ID: apptest.NewID(), Person: w.Person(t, "Kofi Larkin").ID, What: "run_payroll"}))
	if r := apptest.Refusal(t,
		w.Do(ctx, w.Person(t, "Piet Donoghue"),
			people.LinkFor(w.Person(t, "Kofi Larkin").ID, token))); !strings.Contains(r.Wrong,
		"may run payroll, and you may not") {
		t.Errorf("a link for somebody with more rights: %+v", r)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, people.LinkFor(w.Person(t, "Orla Ebbwater").ID, token))); !strings.Contains(r.Wrong,
		"higher level") {
		t.Errorf("a link for an owner, by a manager: %+v", r)
	}
}

// One person, two positions: each with its own rate, and its own settings.
func TestSecondPosition(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	second := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPosition{ID: second, Person: viggo.ID, Unit: "Drawing office", Title: "Draughtsperson", StartsOn: "2026-11-09"}))
	apptest.Must(t, w.Do(ctx,
		mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Employment: second, Field: "rate",
			Value: "35", From: apptest.Thursday}))
	p, err := people.ReadPersonPage(ctx, w.App, mira, viggo.ID)
	apptest.Must(t, err)
	if len(p.Sheets) != 2 || p.Sheets[1].Values["rate"] != "35.00" || p.Sheets[0].Values["rate"] == "35.00" ||
		p.Sheets[1].Values["unit"] != "Drawing office" {
		t.Errorf("positions %+v", p.Sheets)
	}
	for name, c := range map[string]struct {
		act   people.AddPosition
		field string
	}{
		"no title": {people.AddPosition{Unit: "Plate shop", StartsOn: "2026-11-09"}, "title"},
		"no crew":  {people.AddPosition{Title: "x", StartsOn: "2026-11-09"}, "unit"},
	} {
		c.act.ID, c.act.Person = apptest.NewID(), viggo.ID
		if r := apptest.Refusal(t, w.Do(ctx, mira, c.act)); r.Field != c.field {
			t.Errorf("%s: %+v", name, r)
		}
	}
}
