package bringin_test

import (
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// lanterns is a company that has just begun: an owner, and Bo Lund on a bench for 20 an
// hour from 06:00, with a job; pay in half months, overtime beyond 40 hours of a week
// from Sunday, and a meal taken out of whatever is longer than six hours.
func lanterns(t *testing.T) (w *dbtest.World, owner app.Actor, bo uuid.UUID) {
	t.Helper()
	db := dbtest.Empty(t)
	ctx := t.Context()
	apptest.Must(t, db.Migrate(ctx))
	now := dbtest.Now
	token, err := company.Begin(ctx, db, now, company.First{Company: "Lantern works", Zone: "America/New_York", Currency: "usd"})
	apptest.Must(t, err)
	w = &dbtest.World{App: app.New(db, func() time.Time { return now }, slog.New(slog.DiscardHandler))}
	id, err := people.ChoosePassword(ctx, w.App, token, people.Chosen{Given: "Ada", Family: "Munro", Email: "ada@lantern.example",
		Password: "seven small lanterns"})
	apptest.Must(t, err)
	owner, err = w.Actor(ctx, id)
	apptest.Must(t, err)
	site := apptest.NewID()
	for _, act := range []app.Act{
		company.TakeStep{Step: "period", Values: map[string]string{"period_kind": "twice_a_month", "period_anchor": "2026-11-01"}},
		company.SetCompany{Field: "sign_required", Value: "no"},
		company.PutRules{ID: apptest.NewID(), Title: "The works", From: when.NewDate(2026, 10, 25),
			Rules: []byte(`{"weekly_overtime_after": "40",
			"automatic_meal": {"after_hours": "6", "minutes": 30}, "rounding": {"minutes": 15, "apply": "edge"}}`)},
		company.PutSite{ID: site, Title: "The works"}, company.PutUnit{ID: apptest.NewID(), Kind: "crew", Title: "Bench", Site: site},
	} {
		apptest.Must(t, w.Do(ctx, owner, act))
	}
	chief := apptest.NewID()
	apptest.Must(t, w.Do(ctx, owner, people.AddPerson{ID: chief, Values: map[string]string{"given_name": "Cy", "family_name": "Holt",
		"unit":      "Bench",
		"starts_on": "2026-01-05", "level": "manager", "rate": "30"}}))
	bo = apptest.NewID()
	apptest.Must(t, w.Do(ctx, owner, people.AddPerson{ID: bo, Values: map[string]string{"number": "7", "given_name": "Bo",
		"family_name": "Lund",
		"unit":        "Bench", "starts_on": "2026-01-05", "rate": "20", "pattern": "Mon–Fri 06:00–14:30 less 30"}}))
	return w, owner, bo
}

func take(t *testing.T, w *dbtest.World, who app.Actor, kind bringin.FileKind, rows ...[]string) *bringin.ImportPage {
	t.Helper()
	return apptest.TakeFile(t, w, who, kind, rows)
}

// Days that were worked before a company came here count towards the overtime of the
// week that its pay begins in, are paid from its first day on alone (29 CFR 778.104: each
// workweek stands by itself), and as the file has them: no meal is taken out of them,
// and nothing is rounded.
func TestDaysWorkedBefore(t *testing.T) {
	w, owner, bo := lanterns(t)
	ctx := t.Context()
	chief, err := w.Actor(ctx, dbtest.Get[uuid.UUID](t, w, `select id from person where given_name = 'Cy'`))
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, owner, company.SetCompany{Field: "pays_from", Value: "2026-11-04"}))
	rows := [][]string{{"Emp #", "Date", "Hrs", "Time In", "Time Out"},
		{"7", "11/2/2026", "10", "", ""}, {"7", "11/3/2026", "10:00", "", ""},
		{"7", "11/4/2026", "6", "", ""}, {"7", "11/4/2026", "4", "", ""}, // one after the other
		{"7", "11/5/2026", "", "7:00 AM", "5:00 PM"}, {"7", "11/6/2026", "10.11", "7:00", "18:00"},
		{"8", "11/6/2026", "10", "", ""}, {"7", "10/31/2026", "8", "", ""}, {"7", "11/13/2026", "8", "", ""},
		{"7", "11/9/2026", "", "", "14:00"}, {"7", "11/10/2026", "9", "8:00", "12:00"}, {"7", "11/11/2026", "17", "", ""}}
	p := take(t, w, owner, bringin.HoursFile, rows...)
	if got := apptest.RowCounts(p); got != "6 0 0 6" {
		t.Fatalf("new, changed, same, wrong: %s", got)
	}
	for line, what := range map[int]string{2: "Mon 2 November, 10:00; counts towards the week, paid elsewhere", 4: "Wed 4 November, 6:00",
		8: "There is nobody with number 8", 9: "before the week in which pay begins here",
		10: "isn't over", 11: "It ends, and doesn't begin",
		12: "9:00 don't fit", 13: "more than 16:00 on one day"} {
		if r := p.Rows[line-2]; !strings.Contains(r.What, what) {
			t.Errorf("line %d: %s %q, want %q", line, r.State, r.What, what)
		}
	}
	apptest.Must(t, w.Do(ctx, owner, bringin.BringIn{Kind: bringin.HoursFile, Import: p.ID, Wrong: 6}))
	apptest.AllConsistent(t, w)
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: when.NewDate(2026, 11, 1), To: when.NewDate(2026, 11, 6)})
	apptest.Must(t, err)
	var sum int64
	for _, c := range cards {
		sum += c.Worked
		if place, _ := w.Company(ctx); !c.BroughtIn || len(c.FlagsAt(dbtest.Now, place.LimitsOn(c.Date))) > 0 {
			t.Errorf("%s: brought in %v, flags %v", c.Date, c.BroughtIn, c.FlagsAt(dbtest.Now, place.LimitsOn(c.Date)))
		}
		approve := hours.Approve{Card: hours.CardRef{Employment: c.Employment, Date: c.Date}}
		if r := apptest.Refusal(t, w.Do(ctx, owner, approve)); !strings.Contains(r.Right, "Somebody else approves it") {
			t.Errorf("by whoever brought them in: %+v", r)
		}
		apptest.Must(t, w.Do(ctx, chief, approve))
	}
	if len(cards) != 5 || sum != 50*3600+396 {
		t.Errorf("%d cards of %d s", len(cards), sum)
	}
	if at := dbtest.Get[string](t, w,
		`select string_agg(to_char(start_at at time zone 'America/New_York', 'DD HH24:MI'), ', ' order by start_at)
		from stint`); at != "02 06:00, 03 06:00, 04 06:00, 04 12:00, 05 07:00, 06 07:00" {
		t.Errorf("they stand at %s", at)
	}
	page, err := payroll.PayRun(ctx, w.App, owner, uuid.Nil)
	apptest.Must(t, err)
	// Paid: Wed 10, Thu 10, Fri 10.11 h at 20.00, and half of 20 on the 10.11 beyond 40.
	if r := page.Rows[0]; r.Regular != 20*3600 || r.Overtime != 10*3600+396 || r.Gross != "703.30" {
		t.Errorf("the run pays %+v", r)
	}

	him, err := w.Actor(ctx, bo)
	apptest.Must(t, err)
	if c, err := hours.ReadClockPage(ctx, w.App, him); err != nil || len(c.Changed) > 0 {
		t.Errorf("his clock page tells of %d changes: %v", len(c.Changed), err)
	}
	if got := apptest.RowCounts(take(t, w, owner, bringin.HoursFile, rows...)); got != "0 0 6 6" {
		t.Errorf("the same file again: %s", got)
	}
	other := take(t, w, owner, bringin.HoursFile, rows[0], []string{"7", "2026-11-05", "3", "", ""})
	if r := other.Rows[0]; r.State != bringin.RowWrong || !strings.Contains(r.What, "other hours already") {
		t.Errorf("other hours on a day that has some: %s %q", r.State, r.What)
	}
	undo := app.Undo{Batch: p.ID}
	apptest.Must(t, w.Do(ctx, owner, undo))
	if n := dbtest.Get[int](t, w, `select count(*) from stint`); n != 0 {
		t.Errorf("%d stints are left of a file that was taken back", n)
	}
	if r := apptest.Refusal(t, w.Do(ctx, owner, undo)); !strings.Contains(r.Wrong, "taken back already") {
		t.Errorf("twice: %+v", r)
	}
	apptest.AllConsistent(t, w)
}

// Where nobody has said from when on people are paid here, days of the running pay
// period come in; after a run was closed, those that it didn't pay.
func TestWhichDaysComeIn(t *testing.T) {
	w, owner, _ := lanterns(t)
	head := []string{"Emp #", "Date", "Hours"}
	p := take(t, w, owner, bringin.HoursFile, head, []string{"7", "2026-10-30", "8"}, []string{"7", "2026-11-02", "8"}, []string{"", "",
		""})
	if !strings.Contains(p.Rows[0].What, "Setup, Moving in") || p.Rows[1].State != bringin.RowNew || len(p.Rows[2].Faults) != 3 {
		t.Errorf("%+v", p.Rows)
	}
	demo := dbtest.Open(t)
	mira := demo.Person(t, "Mira Castellane")
	dao := apptest.SheetOf(t, demo, mira, demo.Person(t, "Dao Pham").ID).Values["number"]
	p = take(t, demo, mira, bringin.HoursFile, append(head, "Job number", "Task", "Class"),
		[]string{dao, "2026-11-05", "8"}, []string{dao, "2026-11-12", "8"},
		[]string{dao, "2026-11-08", "8", "1", ""}, []string{dao, "2026-11-08", "8", "2231", "Moon"},
		[]string{dao, "2026-11-08", "8", "", "Moon"}, []string{dao, "2026-11-08", "8", "", "", "Moon"},
		[]string{dao, "2026-11-08", "25"}, []string{apptest.SheetOf(t, demo, mira, mira.ID).Values["number"], "2026-11-12", "8"})
	for i, what := range []string{"Pay runs are closed up to", "has other hours already", "There is no job 1", "2231 has no task “Moon”",
		"A task is given, and no job", "There is no work classification “Moon”", "more than a day", "There is nobody with number"} {
		if r := p.Rows[i]; r.State != bringin.RowWrong || !strings.Contains(r.What, what) {
			t.Errorf("row %d: %s %q, want %q", i, r.State, r.What, what)
		}
	}
}

// The first day paid here is fixed once a run has been closed.
func TestFirstDayPaidHere(t *testing.T) {
	w := dbtest.Open(t)
	r := apptest.Refusal(t, w.Do(t.Context(), w.Person(t, "Mira Castellane"), company.SetCompany{Field: "pays_from", Value: "2026-11-01"}))
	if !strings.Contains(r.Wrong, "Pay runs are closed up to") {
		t.Errorf("%+v", r)
	}
}

// The sums of a year are added to what the cards say after them, replace those that
// came in before, and are taken back as one.
func TestSumsOfTheYear(t *testing.T) {
	w, owner, bo := lanterns(t)
	ctx := t.Context()
	employment := dbtest.Get[uuid.UUID](t, w, `select id from employment where person_id = $1`, bo)
	days := take(t, w, owner, bringin.HoursFile, []string{"Emp #", "Date", "Hours"}, []string{"7", "2026-11-02", "8"},
		[]string{"7", "2026-11-03", "9"})
	apptest.Must(t, w.Do(ctx, owner, bringin.BringIn{Kind: bringin.HoursFile, Import: days.ID}))
	head := []string{"Emp #", "As of", "Reg Hours", "OT Hours", "DT"}
	p := take(t, w, owner, bringin.YearFile, head, []string{"7", "2026-11-02", "1,204.50", "100:30", "2"}, []string{"7", "2026-11-02",
		"1", "", ""},
		[]string{"8", "2026-11-20", "", "", ""})
	if got := apptest.RowCounts(p); got != "1 0 0 2" || len(p.Rows[2].Faults) != 3 || !strings.Contains(p.Rows[1].What, "line 2 already") {
		t.Fatalf("%s: %+v", got, p.Rows)
	}
	apptest.Must(t, w.Do(ctx, owner, bringin.BringIn{Kind: bringin.YearFile, Import: p.ID, Wrong: 2}))
	year := func() string {
		s, err := hours.ReadYear(ctx, w.App, owner, employment)
		apptest.Must(t, err)
		return fmt.Sprintf("%d of which %d before, %d overtime, %d double", s.Worked/1800, s.Before/1800, s.Overtime/1800, s.Doubled/1800)
	}
	// 1,204:30 + 100:30 + 2:00 up to the 2nd, and the 9 hours of the 3rd.
	if got := year(); got != "2632 of which 2614 before, 201 overtime, 4 double" {
		t.Errorf("the year in half hours: %s", got)
	}
	again := take(t, w, owner, bringin.YearFile, head, []string{"7", "2026-10-31", "1000", "", ""})
	if r := again.Rows[0]; r.State != bringin.RowChanged || r.What !=
		"1307:00 up to 2 November 2026, of it 102:30 overtime or double → 1000:00 up to 31 October 2026" {
		t.Errorf("other sums of the same year: %s %q", r.State, r.What)
	}
	apptest.Must(t, w.Do(ctx, owner, bringin.BringIn{Kind: bringin.YearFile, Import: again.ID}))
	if got := year(); got != "2034 of which 2000 before, 0 overtime, 0 double" {
		t.Errorf("the year in half hours: %s", got)
	}
	if r := apptest.Refusal(t, w.Do(ctx, owner, app.Undo{Batch: p.ID})); !strings.Contains(r.Wrong, "replaced all of it since") {
		t.Errorf("the first file: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, owner, app.Undo{Batch: again.ID}))
	if got := year(); got != "34 of which 0 before, 0 overtime, 0 double" {
		t.Errorf("taken back, in half hours: %s", got)
	}
	boHimself, err := w.Actor(ctx, bo)
	apptest.Must(t, err)
	if _, err := hours.ReadYear(ctx, w.App, boHimself, apptest.NewID()); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("somebody else's year: %v", err)
	}
}

// A file of holidays makes days free, and is taken back but for what was changed since.
func TestHolidaysFromAFile(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	rows := [][]string{{"Observed", "Holiday", "Factor"}, {"2026-12-23", "", ""}, {"2026-12-24", "Lantern eve", "1.50"},
		{"2026-12-25", "Lantern day", "2"}, {"2026-12-25", "Twice", ""}, {"2026-10-01", "Long ago", ""}, {"2026-12-28", "Too much", "99"}}
	p := take(t, w, mira, bringin.HolidaysFile, rows...)
	if got := apptest.RowCounts(p); got != "2 0 0 4" && got != "1 1 0 4" {
		t.Fatalf("new, changed, same, wrong: %s: %+v", got, p.Rows)
	}
	for i, what := range map[int]string{0: "no name", 3: "stands in line 4 already", 4: "Pay runs are closed",
		5: "multiplier can't be “99”"} {
		if r := p.Rows[i]; !strings.Contains(r.What, what) {
			t.Errorf("row %d: %q, want %q", i, r.What, what)
		}
	}
	others := func() string {
		return dbtest.Get[string](t, w,
			`select coalesce(string_agg(date || name, ' ' order by date), '') from holiday where date <> '2026-12-25'`)
	}
	before := others()
	apptest.Must(t, w.Do(ctx, mira, bringin.BringInSettings{BringIn: bringin.BringIn{Kind: bringin.HolidaysFile, Import: p.ID, Wrong: 4}}))
	if m := dbtest.Get[string](t, w, `select trim_scale(multiplier)::text from holiday where date = '2026-12-24'`); m != "1.5" {
		t.Errorf("its hours pay %s", m)
	}
	if got := apptest.RowCounts(take(t, w, mira, bringin.HolidaysFile, rows...)); got != "0 0 2 4" {
		t.Errorf("the same file again: %s", got)
	}
	if err := w.Do(ctx, mira, app.Undo{Batch: p.ID}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("settings were taken back beside other acts: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutHoliday{Date: when.NewDate(2026, 12, 25), Title: "Beacon day"}))
	var done app.Undone
	apptest.Must(t, w.Do(ctx, mira, app.UndoSettings{Undo: app.Undo{Batch: p.ID, Tell: func(d app.Undone) { done = d }}}))
	if done.Words != "1 holiday" || len(done.Left) != 1 || !strings.Contains(done.Left[0], "25 December 2026 was changed since") {
		t.Errorf("taken back: %+v", done)
	}
	if after := others(); after != before {
		t.Errorf("the holidays were %s and are %s", before, after)
	}
	apptest.AllConsistent(t, w)
}
