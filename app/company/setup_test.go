package company_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/leave"
	"manudex/app/notice"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

func TestSetCompany(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	value := func(key string) field.Value {
		p, err := company.SetUp(ctx, w.App, mira)
		apptest.Must(t, err)
		for _, v := range p.Values {
			if v.Key == key {
				return v
			}
		}
		t.Fatalf("no setting %s", key)
		return field.Value{}
	}
	for _, c := range []struct{ field, value, kept string }{
		{"name", "Ebbwater & Daughters", "Ebbwater & Daughters"}, {"job_word", "docket", "docket"}, {"whom_to_ask", "", ""},
		{"late_after", "20", "20"}, {"longest_shift", "720", "720"},
		{"sign_required", "no", "no"}, {"location_moved", "300", "300"}, {"location_interval", "15", "15"},
		{"period_anchor", "2026-11-22", "2026-11-22"},
	} {
		apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: c.field, Value: c.value}))
		if got := value(c.field).Value; got != c.kept {
			t.Errorf("%s set to %q is %q", c.field, c.value, got)
		}
	}
	for _, c := range []struct{ field, value, wrong string }{
		{"name", "", "Company name is missing"}, {"late_after", "soon", "Late after can't be “soon”"},
		{"zone", "America/Halifax", "hours were recorded by it"}, {"currency", "EUR", "hours were recorded by it"},
		{"cut_over", "05:00", "hours were recorded by it"}, {"period_anchor", "2026-11-09", "That would cut into what was paid"},
		{"period_kind", "monthly", "That would cut into what was paid"}, {"period_kind", "daily", "Pay period can't be"},
	} {
		if r := apptest.Refusal(t,
			w.Do(ctx, mira, company.SetCompany{Field: c.field, Value: c.value})); !strings.Contains(r.Wrong, c.wrong) {
			t.Errorf("%s set to %q: %+v", c.field, c.value, r)
		}
	}
	if err := w.Do(ctx, mira, company.SetCompany{Field: "cut_over; drop table card", Value: "1"}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("no setting of ours: %v", err)
	}
	// Flags hold from the next day: what was judged stays as it was judged.
	apptest.AllConsistent(t, w)
	place, err := w.Company(ctx)
	apptest.Must(t, err)
	if today, tomorrow := place.LimitsOn(apptest.Thursday+1), place.LimitsOn(apptest.Thursday+2); today.LateAfter != 15*time.Minute ||
		tomorrow.LateAfter != 20*time.Minute {
		t.Errorf("late after %v today, %v tomorrow", today.LateAfter, tomorrow.LateAfter)
	}
	a, err := company.Audit(ctx, w.App, mira, company.AuditQuery{AuditFilter: store.AuditFilter{Act: "SetCompany"}})
	apptest.Must(t, err)
	if len(a.Lines) < 8 || a.Lines[0].What != "A day on which one begins: 2026-11-08 → 2026-11-22" ||
		a.Lines[0].ByName != "Mira Castellane" {
		t.Errorf("audit list: %+v", a.Lines[0])
	}
}

func TestMark(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	if _, err := company.Mark(ctx, w.App); !errors.Is(err, app.ErrNotFound) {
		t.Fatalf("a mark before there is one: %v", err)
	}
	big := image.NewNRGBA(image.Rect(0, 0, 1200, 300))
	big.Set(5, 5, color.White)
	var raw bytes.Buffer
	apptest.Must(t, png.Encode(&raw, big))
	apptest.Must(t, w.Do(ctx, mira, company.SetMark{Image: raw.Bytes()}))
	kept, err := company.Mark(ctx, w.App)
	apptest.Must(t, err)
	if size, format, err := image.DecodeConfig(bytes.NewReader(kept)); err != nil || format != "png" ||
		size.Width != 256 || size.Height != 64 {
		t.Errorf("kept as %s %dx%d, %v", format, size.Width, size.Height, err)
	}
	for name, raw := range map[string][]byte{"text": []byte("<svg onload=alert(1)>"), "nothing": nil, "half a picture": raw.Bytes()[:60]} {
		if r := apptest.Refusal(t, w.Do(ctx, mira, company.SetMark{Image: raw})); r.Field != "mark" {
			t.Errorf("%s: %+v", name, r)
		}
	}
}

func TestHolidays(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	expected := func() int {
		return dbtest.Get[int](t, w, `select coalesce(sum(expected), 0) from card where date = '2026-11-12'`)
	}
	before := expected()
	if before == 0 {
		t.Fatal("nothing is expected on a Thursday")
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutHoliday{Date: apptest.Thursday, Title: "Founders' day", Multiplier: "1.5"}))
	planned := dbtest.Get[int](t, w, `select sum(extract(epoch from end_at - start_at) - less)::int from shift where date = '2026-11-12'`)
	if n := expected(); n != planned {
		t.Errorf("%d s are expected on a holiday, of those who are planned %d", n, planned)
	}
	apptest.Must(t, w.Do(ctx, mira, company.DropHoliday{Date: apptest.Thursday}))
	if _, err := w.DB.Exec(`delete from shift where date = '2026-11-12'`); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutHoliday{Date: apptest.Thursday, Title: "Founders' day", Multiplier: "1.5"}))
	if n := expected(); n != 0 {
		t.Errorf("%d s are expected on a holiday on which nobody is planned", n)
	}
	apptest.AllConsistent(t, w)
	place, err := w.Company(ctx)
	apptest.Must(t, err)
	if h := place.Rules[len(place.Rules)-1].Rules.Holidays; len(h) != 1 || h[0].Date != apptest.Thursday || h[0].Multiple != 1_500_000 {
		t.Errorf("the rules pay %v", h)
	}
	apptest.Must(t, w.Do(ctx, mira, company.DropHoliday{Date: apptest.Thursday}))
	if n := expected(); n != before {
		t.Errorf("%d s are expected, %d were", n, before)
	}
	apptest.AllConsistent(t, w)
	for name, c := range map[string]struct {
		act   app.Act
		field string
	}{
		"over a paid day": {company.PutHoliday{Date: apptest.Thursday - 14, Title: "Late"}, "date"},
		"without a name":  {company.PutHoliday{Date: apptest.Thursday, Title: " "}, "title"},
		"half pay":        {company.PutHoliday{Date: apptest.Thursday, Title: "x", Multiplier: "0.5"}, "multiplier"},
	} {
		if r := apptest.Refusal(t, w.Do(ctx, mira, c.act)); r.Field != c.field {
			t.Errorf("%s: %+v", name, r)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, company.FillHolidays{Country: "us", Year: 2027}))
	names := dbtest.Get[string](t, w, `select string_agg(name, ', ' order by date) from holiday
		where date between '2027-01-01' and '2027-12-31'`)
	for _, want := range []string{"New Year's Day", "Independence Day", "Thanksgiving", "Christmas"} {
		if !strings.Contains(names, want) {
			t.Errorf("%s isn't among %s", want, names)
		}
	}
	// Independence Day 2027 is a Sunday, observed on Monday.
	if d := dbtest.Get[string](t, w, `select string_agg(date::text, ' ') from holiday where name like 'Independence%'
		and date > '2027-01-01'`); d != "2027-07-05" {
		t.Errorf("Independence Day is on %s", d)
	}
}

// A rule set holds from a workweek on; what was worked before stays with the
// rules of its time, and the open run pays each week by its own.
func TestRulesFromAWeek(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	daily := json.RawMessage(`{"weekly_overtime_after":"40","daily_overtime_after":"4"}`)
	put := func(from when.Date, rules json.RawMessage) error {
		return w.Do(ctx, mira, company.PutRules{ID: apptest.NewID(), Title: "Daily 4", From: from, Rules: rules})
	}
	sunday := when.NewDate(2026, 11, 15)
	for _, c := range []struct {
		name  string
		from  when.Date
		rules string
		field string
	}{
		{"within a workweek", sunday + 2, string(daily), "from"},
		{"over what was paid", sunday - 14, string(daily), "from"},
		{"within a week of the new rules", sunday, `{"workweek_start":"Mon 00:00"}`, "from"},
		{"an overtime period within a week of the old rules", sunday + 1,
			`{"overtime_period":{"days":14,"start":"2026-11-16","after":"80"}}`, "from"},
		{"rules that contradict", sunday, `{"daily_overtime_after":"8","daily_double_after":"6"}`, "rules.daily_double_after"},
	} {
		if r := apptest.Refusal(t, put(c.from, json.RawMessage(c.rules))); r.Field != c.field || r.Right == "" {
			t.Errorf("%s: %+v", c.name, r)
		}
	}
	overtime := func() (first, second int64) {
		page, err := payroll.PayRun(ctx, w.App, mira, uuid.Nil)
		apptest.Must(t, err)
		return page.Total.Overtime, page.Total.Regular
	}
	before, regular := overtime()
	// A workweek that begins on another day: no hour twice, and none lost (29 CFR 778.302).
	apptest.Must(t, put(sunday-6, json.RawMessage(`{"weekly_overtime_after":"40","workweek_start":"Mon 00:00"}`)))
	if over, rest := overtime(); over+rest != before+regular {
		t.Errorf("weeks from Monday on make %d s of %d", over+rest, before+regular)
	}
	apptest.Must(t, w.Do(ctx, mira, company.DropRules{From: sunday - 6}))
	apptest.Must(t, put(sunday, daily))
	if after, _ := overtime(); after != before {
		t.Errorf("rules from next week changed this week's overtime from %d to %d s", before, after)
	}
	apptest.Must(t, w.Do(ctx, mira, company.DropRules{From: sunday}))
	apptest.Must(t, put(sunday-7, daily)) // the open period began on the eighth and is not paid
	if after, _ := overtime(); after <= before {
		t.Errorf("daily overtime makes %d s, weekly made %d", after, before)
	}
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, company.DropRules{From: dbtest.Get[when.Date](t, w, `select min(starts_on) from rule_set`)})); r.Field != "from" {
		t.Errorf("rules that were paid by are taken out: %+v", r)
	}
	// Other breaks change what was worked, and only from then on.
	worked := func(on string) int {
		return dbtest.Get[int](t, w, `select sum(worked) from card where date `+on)
	}
	early, late := worked("< '2026-11-08'"), worked(">= '2026-11-08'")
	apptest.Must(t, put(sunday-7, json.RawMessage(`{"weekly_overtime_after":"40","unpaid_meal_from_minutes":45}`)))
	if e, l := worked("< '2026-11-08'"), worked(">= '2026-11-08'"); e != early || l <= late {
		t.Errorf("with longer meals paid %d s before and %d s since, %d and %d without", e, l, early, late)
	}
	apptest.AllConsistent(t, w)
	apptest.Must(t, put(sunday-7, daily))
	apptest.AllConsistent(t, w)
	trial, err := company.TryRules(ctx, w.App, mira, "Daily 4", sunday, daily)
	apptest.Must(t, err)
	if now, then := trial.Now.Result.Gross, trial.Then.Result.Gross; then != now || trial.Now.Name != "Daily 4" {
		t.Errorf("the rules tried against themselves: %d and %d", now, then)
	}
}

// What somebody may not see of people is not in the audit list either.
func TestAuditHidesRates(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, piet := w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue")
	apptest.Must(t, w.Do(ctx, mira,
		people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Kofi Larkin").ID, Field: "rate", Value: "77.77"}))
	for who, want := range map[*app.Actor]bool{&mira: true, &piet: false} {
		a, err := company.Audit(ctx, w.App, *who, company.AuditQuery{AuditFilter: store.AuditFilter{Act: "SetPerson"}})
		apptest.Must(t, err)
		if got := strings.Contains(a.Lines[0].What, "77.77"); got != want {
			t.Errorf("%s sees %q", who.Name(), a.Lines[0].What)
		}
	}
}

func TestSitesAndUnits(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	site := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, company.PutSite{ID: site, Title: "Tamsin Quay", Lat: "44.5", Lon: "-63.5", FenceMetres: "150"}))
	apptest.Must(t, w.Do(ctx, mira, company.PutUnit{ID: apptest.NewID(), Kind: "crew", Title: "Quay crew", Site: site}))
	p, err := company.SetUp(ctx, w.App, mira)
	apptest.Must(t, err)
	if len(p.Sites) != 5 || len(p.Units) != 10 || p.Next == nil || p.Next.Name != "Who leads them" {
		t.Errorf("%d sites, %d units, next %+v", len(p.Sites), len(p.Units), p.Next)
	}
	for name, c := range map[string]struct {
		act   app.Act
		field string
	}{
		"no name":           {company.PutSite{ID: apptest.NewID()}, "title"},
		"a name twice":      {company.PutSite{ID: apptest.NewID(), Title: "Tamsin Quay"}, "title"},
		"half a place":      {company.PutSite{ID: apptest.NewID(), Title: "A", Lat: "44"}, "latitude"},
		"off the earth":     {company.PutSite{ID: apptest.NewID(), Title: "A", Lat: "144", Lon: "1"}, "latitude"},
		"a fence nowhere":   {company.PutSite{ID: apptest.NewID(), Title: "A", FenceMetres: "10"}, "fence"},
		"another zone":      {company.PutSite{ID: site, Title: "Tamsin Quay", Zone: "Asia/Tokyo"}, "zone"},
		"a crew twice":      {company.PutUnit{ID: apptest.NewID(), Kind: "crew", Title: "Quay crew"}, "title"},
		"a comma in a name": {company.PutUnit{ID: apptest.NewID(), Kind: "crew", Title: "Quay, crew"}, "title"},
	} {
		if r := apptest.Refusal(t, w.Do(ctx, mira, c.act)); r.Field != c.field {
			t.Errorf("%s: %+v", name, r)
		}
	}
}

// Rules that count over a fortnight are tried on one.
func TestSampleFortnight(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	from := when.NewDate(2026, 11, 15)
	days := func(rules string) (n int, overtime int64) {
		trial, err := company.TryRules(t.Context(), w.App, mira, "x", from, json.RawMessage(rules))
		apptest.Must(t, err)
		for _, d := range trial.Then.Result.Days {
			overtime += d.Overtime
		}
		return len(trial.Then.Result.Days), overtime
	}
	if n, _ := days(`{"weekly_overtime_after": "40"}`); n != 7 {
		t.Errorf("a week has %d days", n)
	}
	n, overtime := days(`{"overtime_period": {"days": 14, "start": "2026-03-01", "after": "80"}}`)
	if n != 12 || overtime <= 0 {
		t.Errorf("8 and 80: %d days, %d s overtime", n, overtime)
	}
}

// Nobody with hours comes to a site of another zone.
func TestSiteOfAnotherZone(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, mira, company.PutSite{ID: apptest.NewID(), Title: "Far shore", Zone: "America/Halifax"}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "site", Value: "Ebbwater works"}))
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "site",
			Value: "Far shore"})); !strings.Contains(r.Wrong, "another zone") {
		t.Errorf("%+v", r)
	}
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPerson{ID: id,
			Values: map[string]string{"given_name": "A", "family_name": "B", "unit": "Harbour crew", "starts_on": "2026-11-24"}}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: id, Field: "site", Value: "Far shore"}))
	apptest.AllConsistent(t, w)
}

// A map is GeoJSON, and lies beneath the jobs' pages; without one there is
// none.
func TestSetMap(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	job := apptest.JobOf(t, w, "2231")
	shapes := func() int {
		p, err := jobs.ReadJobPage(ctx, w.App, mira, job)
		apptest.Must(t, err)
		return len(p.Map)
	}
	if n := shapes(); n != 7 {
		t.Errorf("the demo's coast has %d shapes", n)
	}
	if r := apptest.Refusal(t, w.Do(ctx, mira, company.SetMap{GeoJSON: []byte("a picture")})); r.Field != "map" {
		t.Errorf("what is no map: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetMap{GeoJSON: []byte(`{"type":"FeatureCollection",
		"features":[{"type":"Feature","properties":{"kind":"river"},
		"geometry":{"type":"LineString","coordinates":[[-50.3,40.0],[-50.3,40.2]]}}]}`)}))
	if n := shapes(); n != 1 {
		t.Errorf("another map has %d shapes", n)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetMap{}))
	if n := shapes(); n != 0 {
		t.Errorf("without a map there are %d shapes", n)
	}
}

// The audit list says in words what was done, whatever it was done to.
func TestAuditInWords(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	job := apptest.JobOf(t, w, "2231")
	for _, c := range []struct {
		act  app.Act
		want string
	}{
		{jobs.SetJob{Job: job, Field: "budget", Value: "900"}, "Budget, hours: 900"},
		{jobs.SetJob{Job: job, Field: "budget", Value: "950"}, "Budget, hours: 900 → 950"},
		{jobs.AddJob{ID: apptest.NewID(), Number: "9100", Title: "Lamps"}, "9100: added"},
		{payroll.PutCostCode{Code: "999", Title: "Polishing"}, "Cost code 999: Polishing"},
		{jobs.AddTasks{Job: job, Tasks: []jobs.NewTask{{Title: "Polishing", CostCode: "999"}}}, "Tasks: 1 added"},
		{company.AddSamples{}, "Samples: 4 people and a job added"},
		{company.DropSamples{}, "Samples: 4 people and 1 job taken out"},
	} {
		apptest.Must(t, w.Do(ctx, mira, c.act))
		a, err := company.Audit(ctx, w.App, mira, company.AuditQuery{})
		apptest.Must(t, err)
		if set, ok := c.act.(jobs.SetJob); ok && (set.Job != job || a.Lines[0].About != "2231 Gantry, Route 9") {
			t.Errorf("%T is about %q", c.act, a.Lines[0].About)
		}
		if a.Lines[0].What != c.want || a.Lines[0].ByName != "Mira Castellane" {
			t.Errorf("%T reads %q, want %q", c.act, a.Lines[0].What, c.want)
		}
		if a.Lines[0].Name != app.NameOf(c.act) || a.Lines[0].Did == "" {
			t.Errorf("%T is called %q, %q", c.act, a.Lines[0].Name, a.Lines[0].Did)
		}
		only, err := company.Audit(ctx, w.App, mira, company.AuditQuery{AuditFilter: store.AuditFilter{Act: app.NameOf(c.act)}})
		apptest.Must(t, err)
		for _, l := range only.Lines {
			if l.Did != a.Lines[0].Did {
				t.Errorf("among %q stands %q", a.Lines[0].Did, l.Did)
			}
		}
	}
}

// Each act has words for the audit list.
func TestEveryActIsNamed(t *testing.T) {
	w := dbtest.Open(t)
	p, err := company.Audit(t.Context(), w.App, w.Person(t, "Mira Castellane"), company.AuditQuery{})
	apptest.Must(t, err)
	words := map[string]string{}
	for _, name := range []string{"PutColumns", "MatchColumns", "SeeNotice", "SeeNotices", "GatherMessages", "TellWhatTimeBrings",
		"TellNewSignIn", "MakeShifts", "BookDueLeave", "TellPlace"} {
		words[name] = "leaves no row"
	}
	for _, a := range p.Acts {
		words[a.Value] = a.Label
	}
	all := 0
	for _, acts := range [][]app.Act{app.Acts, bringin.Acts, company.Acts, hours.Acts, jobs.Acts, notice.Acts, payroll.Acts,
		roster.Acts, leave.Acts,
		people.Acts, points.Acts} {
		for _, act := range acts {
			all++
			if words[app.NameOf(act)] == "" {
				t.Errorf("the audit list has no words for %T", act)
			}
		}
	}
	if len(words) != all {
		t.Errorf("the audit list has words for %d acts, there are %d", len(words), all)
	}
}

// Who has two positions is one of the people that a place has.
func TestStepsCountPeople(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	counted := func() string {
		t.Helper()
		p, err := company.SetUp(ctx, w.App, mira)
		apptest.Must(t, err)
		for _, s := range p.Steps {
			if s.Name == "People" {
				return s.What
			}
		}
		return ""
	}
	before := counted()
	apptest.Must(t, w.Do(ctx, mira,
		people.AddPosition{ID: apptest.NewID(), Person: viggo.ID, Unit: "Drawing office", Title: "Draughtsperson", StartsOn: "2026-11-09"}))
	if after := counted(); after != before || before == "" {
		t.Errorf("%s, and with a second position %s", before, after)
	}
}

// The audit list is found by whom it is about or who did it, by card, by act and
// by span; a file holds the same.
func TestFindingInTheAuditList(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := t.Context(), w.Person(t, "Mira Castellane")
	ref := apptest.Ref(t, w, "Hugo Yilmaz", apptest.Thursday)
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref}))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.AddNote{ID: apptest.NewID(), Body: "x"}))
	today := when.NewDate(2026, 11, 13)
	on := func(f store.AuditFilter) company.AuditQuery { return company.AuditQuery{AuditFilter: f} }
	card := func(d when.Date) store.AuditFilter {
		return store.AuditFilter{Card: store.EmploymentDate{Employment: ref.Employment, Date: d}}
	}
	for name, c := range map[string]struct {
		q    company.AuditQuery
		want int
	}{
		"a card":           {on(card(apptest.Thursday)), 1},
		"another card":     {on(card(apptest.Thursday - 1)), 0},
		"about somebody":   {company.AuditQuery{AuditFilter: store.AuditFilter{Who: "hugo yilm", Act: "Approve"}}, 1},
		"by somebody":      {on(store.AuditFilter{Who: "Dao Pham", Act: "AddNote"}), 1},
		"by nobody":        {on(store.AuditFilter{Who: "Nobody Here"}), 0},
		"today":            {company.AuditQuery{AuditFilter: card(apptest.Thursday), From: today, To: today, Whole: true}, 1},
		"before today":     {company.AuditQuery{AuditFilter: card(apptest.Thursday), To: today - 1}, 0},
		"from tomorrow on": {company.AuditQuery{AuditFilter: card(apptest.Thursday), From: today + 1}, 0},
	} {
		p, err := company.Audit(ctx, w.App, mira, c.q)
		apptest.Must(t, err)
		if len(p.Lines) != c.want {
			t.Errorf("%s: %d lines, want %d", name, len(p.Lines), c.want)
		}
	}
}
