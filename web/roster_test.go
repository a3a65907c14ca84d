package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
)

// tell tells everybody of a span what they don't know.
func tell(t *testing.T, s *site, days when.Period) {
	t.Helper()
	mira := s.Person(t, "Mira Castellane")
	p, err := roster.ReadRoster(t.Context(), s.App, mira, roster.Query{Days: days})
	apptest.Must(t, err)
	act := roster.Tell{ID: apptest.NewID(), Days: days}
	for _, row := range p.People {
		if len(row.Untold) > 0 {
			act.Whom = append(act.Whom, row.Whom())
		}
	}
	apptest.Must(t, s.Do(t.Context(), mira, act))
}

// A calendar reads one's own shifts by a secret address: each keeps its id, counts its changes
// and says when it is called off; nobody else's stand in it, nor pay. The address ends when
// it is taken back, made anew, or when somebody leaves.
func TestACalendarReadsOnesShifts(t *testing.T) {
	s := open(t)
	dao, anybody := s.signIn(t, "Dao Pham"), s.stranger(t)
	make := func() string {
		t.Helper()
		_, page, _ := dao.post("/shifts/calendar", nil)
		found := regexp.MustCompile(`/calendar/[a-z2-7]{26}\.ics`).FindString(page)
		if found == "" {
			t.Fatalf("no address in %s", page)
		}
		return found
	}
	address := make()
	status, text, h := anybody.get(address)
	if status != http.StatusOK || !strings.HasPrefix(h.Get("Content-Type"), "text/calendar") || h.Get("Cache-Control") != "no-store" {
		t.Fatalf("%d %s", status, h)
	}
	if status, file, h := dao.get("/shifts.ics"); status != http.StatusOK || file != text ||
		h.Get("Content-Disposition") != `attachment; filename="shifts.ics"` {
		t.Errorf("as a file: %d %s\n%s", status, h, file)
	}
	monday := when.NewDate(2026, 11, 16)
	id := dbtest.Get[uuid.UUID](t, s.World, `select id from shift where employment_id = $1 and date = '2026-11-16'`,
		*s.Person(t, "Dao Pham").Employment)
	event := func() string {
		t.Helper()
		_, text, _ := anybody.get(address)
		for _, e := range strings.Split(text, "BEGIN:VEVENT") {
			if strings.Contains(e, "UID:"+id.String()+"@manudex") {
				return e
			}
		}
		return ""
	}
	if e := event(); !strings.Contains(e, "DTSTART:20261116T113000Z") || !strings.Contains(e, "SEQUENCE:0") || !strings.Contains(e,
		"SUMMARY:2249") {
		t.Errorf("the shift is %s", e)
	}
	if n := strings.Count(text, "BEGIN:VEVENT"); n < 20 || strings.Contains(text, "Wren") || strings.Contains(text, "Annual") {
		t.Errorf("%d events, or what is others'", n)
	}
	days := when.Period{From: monday, To: monday}
	at := roster.When{Date: monday, From: 8 * 3600e9, To: 15 * 3600e9}
	mira := s.Person(t, "Mira Castellane")
	for range 2 { // told twice with a change each
		at.From += 1800e9
		apptest.Must(t, s.Do(t.Context(), mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: id, When: &at}))
		if e := event(); !strings.Contains(e, "DTSTART") || strings.Contains(e, at.From.String()) {
			t.Error("a draft is in it")
		}
		tell(t, s, days)
	}
	if e := event(); !strings.Contains(e, "DTSTART:20261116T140000Z") || !strings.Contains(e, "SEQUENCE:1") {
		t.Errorf("changed it is %s", e)
	}
	apptest.Must(t, s.Do(t.Context(), mira, roster.DropShifts{Batch: apptest.NewID(), Shifts: []uuid.UUID{id}}))
	tell(t, s, days)
	if e := event(); !strings.Contains(e, "STATUS:CANCELLED") || !strings.Contains(e, "SEQUENCE:2") {
		t.Errorf("called off it is %s", e)
	}
	s.Set(s.At().AddDate(0, 0, 31))
	if e := event(); e != "" {
		t.Errorf("a month later it is %s", e)
	}
	s.Set(dbtest.Now)
	other := make()
	if status, _, _ := anybody.get(address); status != http.StatusNotFound {
		t.Errorf("the address before: %d", status)
	}
	if status, _, _ := anybody.get(strings.TrimSuffix(other, ".ics")); status != http.StatusNotFound {
		t.Errorf("without its ending: %d", status)
	}
	if _, err := s.DB.Exec(`update person set ended_on = '2026-11-12' where given_name = 'Dao'`); err != nil {
		t.Fatal(err)
	}
	if status, _, _ := anybody.get(other); status != http.StatusNotFound {
		t.Errorf("who left: %d", status)
	}
	if _, err := s.DB.Exec(`update person set ended_on = null where given_name = 'Dao'`); err != nil {
		t.Fatal(err)
	}
	if status, _, _ := dao.post("/shifts/calendar/drop", nil); status != http.StatusSeeOther {
		t.Errorf("taken back: %d", status)
	}
	if status, _, _ := anybody.get(other); status != http.StatusNotFound {
		t.Errorf("after it was taken back: %d", status)
	}
}

// The form of a shift keeps what was typed where it is wrong, and says what.
func TestTheFormOfAShift(t *testing.T) {
	s := open(t)
	mira := s.signIn(t, "Mira Castellane")
	dao := s.Person(t, "Dao Pham").Employment.String()
	post := func(change url.Values) string {
		t.Helper()
		form := url.Values{"id": {uuid.NewString()}, "employment": {dao}, "date": {"2026-11-15"}, "from": {"08:00"}, "to": {"12:00"},
			"less": {"0"}}
		for k, v := range change {
			form[k] = v
		}
		mira.post("/roster/plan", form)
		_, page, _ := mira.get("/roster?from=2026-11-15&to=2026-11-21")
		return regexp.MustCompile(`(?s)<div class="said.*?</span>`).FindString(page)
	}
	for _, row := range []struct {
		form url.Values
		says string
	}{
		{url.Values{"from": {"8"}}, "That is no time of day"},
		{url.Values{"less": {"x"}}, "That is no number of minutes"},
		{url.Values{"less": {"300"}}, "That is no number of minutes"},
		{url.Values{"repeat": {"rule"}, "rule": {"often"}}, "That is no rule"},
		{url.Values{}, "Planned. Nobody is told of it yet"},
	} {
		if said := post(row.form); !strings.Contains(said, row.says) {
			t.Errorf("%v: %q", row.form, said)
		}
	}
	if n := dbtest.Get[int](t, s.World, `select count(*) from planned where employment_id = $1 and date = '2026-11-15'`, dao); n != 1 {
		t.Errorf("%d are planned", n)
	}
}

// The shifts of one's crew stand beside one's own where the place lets people see them, as
// they were told, and nobody's of another crew.
func TestTheCrewsShifts(t *testing.T) {
	s := open(t)
	tomasz := s.signIn(t, "Tomasz Brandt")
	if _, page, _ := tomasz.get("/shifts"); strings.Contains(page, "Abena Farouk <b>") {
		t.Error("others' shifts are shown where nobody lets people see them")
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "plan_seen", Value: "yes"}))
	_, page, _ := tomasz.get("/shifts")
	if !strings.Contains(page, "Abena Farouk <b>07:00–15:30</b> 2238") || strings.Contains(page, "Dao Pham <b>") ||
		strings.Contains(page, "Wren Halloran <b>07:00–13:00") {
		t.Errorf("the crew's shifts: %s", page)
	}
	if code, _, _ := tomasz.get("/shifts/all"); code != http.StatusForbidden || strings.Contains(page, `href="/shifts/all"`) {
		t.Errorf("everybody's answers %d where people see those of their crew", code)
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "plan_seen", Value: "all"}))
	if _, page, _ = tomasz.get("/shifts"); !strings.Contains(page, `href="/shifts/all"`) {
		t.Error("nothing leads to everybody's shifts")
	}
	_, page, _ = tomasz.get("/shifts/all?day=2026-11-16")
	if !strings.Contains(page, "Abena Farouk <b>07:00–15:30</b> 2238") || !strings.Contains(page, "Dao Pham <b>") {
		t.Errorf("everybody's shifts: %s", page)
	}
	_, page, _ = tomasz.get("/shifts/all?day=2026-11-16&q=Farouk")
	if !strings.Contains(page, "Abena Farouk <b>") || strings.Contains(page, "Dao Pham <b>") {
		t.Errorf("those of a name: %s", page)
	}
	for _, day := range []string{"2026-11-12", "2027-11-16"} {
		if code, _, _ := tomasz.get("/shifts/all?day=" + day); code != http.StatusNotFound {
			t.Errorf("%s answers %d", day, code)
		}
	}
}

// Marks stand where a view asks for them, and nowhere else.
func TestMarksWhereAskedFor(t *testing.T) {
	s := open(t)
	mira := s.signIn(t, "Mira Castellane")
	if _, page, _ := mira.get("/roster?from=2026-11-15&to=2026-11-21"); strings.Contains(page, ">with marks</a>") {
		t.Error("where nobody has a mark they are offered")
	}
	for _, sql := range []string{
		`update person set mark = 'DP dots' where given_name = 'Dao' and family_name = 'Pham'`,
		`update unit set mark = 'PL bars' where name = 'Paint line'`,
		`update job set mark = 'RS checks' where number = '2211'`,
	} {
		if _, err := s.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	marks := []string{`aria-label="DP dots"`, `aria-label="PL bars"`, `>RS</text>`}
	for path, want := range map[string][]bool{
		"/roster?from=2026-11-15&to=2026-11-21&q=Paint": {false, true, true},
		"/roster?from=2026-11-15&to=2026-11-21&q=Dao":   {true, false, false},
		"/people?q=Dao": {true, false, false},
		"/jobs":         {false, false, true},
	} {
		sep := "?"
		if strings.Contains(path, "?") {
			sep = "&"
		}
		_, plain, _ := mira.get(path)
		_, marked, _ := mira.get(path + sep + "marks=yes")
		for i, mark := range marks {
			if strings.Contains(plain, mark) {
				t.Errorf("%s shows %s and wasn't asked to", path, mark)
			}
			if strings.Contains(marked, mark) != want[i] {
				t.Errorf("%s with marks: %s is there: %v", path, mark, !want[i])
			}
		}
	}
}

// On one's own page an offer is taken back, and what changed at short notice is agreed to; the
// list of short notice says who asked and who agreed.
func TestOwnOffersAndChanges(t *testing.T) {
	s := open(t)
	dao, mira := s.signIn(t, "Dao Pham"), s.signIn(t, "Mira Castellane")
	of := *s.Person(t, "Dao Pham").Employment
	shift := dbtest.Get[uuid.UUID](t, s.World, `select id from shift where employment_id = $1 and date = '2026-11-17'`, of)
	shows := func(want bool, words string) string {
		t.Helper()
		_, page, _ := dao.get("/shifts")
		if strings.Contains(page, words) != want {
			t.Errorf("%q on the page: %v", words, !want)
		}
		return page
	}
	shows(false, "Keep it after all")
	dao.post("/shifts/"+shift.String()+"/over", url.Values{"id": {uuid.NewString()}})
	shows(true, "Keep it after all")
	dao.post("/shifts/"+shift.String()+"/keep", nil)
	shows(false, "Keep it after all")

	mira.post("/roster/shifts/"+shift.String(), url.Values{"batch": {uuid.NewString()}, "date": {"2026-11-17"}, "from": {"10:00"},
		"to": {"18:00"}})
	_, page, _ := mira.get("/roster/tell?from=2026-11-15&to=2026-11-21&q=Dao")
	whom := regexp.MustCompile(`name="whom" value="([^"]+)"`).FindStringSubmatch(page)
	if whom == nil || !strings.Contains(page, `name="asked" value="`+of.String()+`"`) {
		t.Fatalf("he can't be told that he asked for it: %s", page)
	}
	shows(false, "I asked for this")
	mira.post("/roster/tell", url.Values{"id": {uuid.NewString()}, "from": {"2026-11-15"}, "to": {"2026-11-21"}, "whom": {whom[1]},
		"asked": {of.String()}})
	late := func(words string) {
		t.Helper()
		if _, page, _ := mira.get("/roster/late"); !strings.Contains(page, words) {
			t.Errorf("the list of short notice doesn't say %q", words)
		}
	}
	late("Dao Pham, which they haven’t confirmed")
	agree := regexp.MustCompile(`/shifts/changes/[0-9a-f-]+/agree`).FindString(shows(true, "I asked for this"))
	if status, _, _ := dao.post(agree, nil); status != http.StatusSeeOther {
		t.Errorf("agreeing: %d", status)
	}
	shows(false, "I asked for this")
	late("Dao Pham, Fri 13 Nov")
}
