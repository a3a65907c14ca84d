package hours_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// A day on which somebody was expected and did nothing gets a card, once, that
// says so when the day is over, and so do the days of the two weeks that come; a holiday
// gets none, nor whoever doesn't clock.
func TestExpectedAndNoCard(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	const lacking = `
		select e.id from employment e where clock_points <> '' and not exists (
		    select 1 from card where employment_id = e.id and date = $1) order by id limit 1 offset $2`
	sunday := when.NewDate(2026, 11, 8)
	expect := func(offset int, seconds int) uuid.UUID {
		t.Helper()
		id := dbtest.Get[uuid.UUID](t, w, lacking, sunday.String(), offset)
		_, err := w.DB.Exec(`update pattern set seconds[1] = $2 where employment_id = $1`, id, seconds)
		apptest.Must(t, err)
		return id
	}
	keep := func() int {
		t.Helper()
		n, err := hours.KeepExpected(ctx, w.App)
		apptest.Must(t, err)
		return n
	}
	before := keep()
	id := expect(0, 8*3600)
	other := expect(1, 4*3600)
	if _, err := w.DB.Exec(`update employment set clock_points = '' where id = $1`, other); err != nil {
		t.Fatal(err)
	}
	if n := keep(); n != 3 { // this Sunday and the two that come
		t.Errorf("%d cards were made, besides %d", n, before)
	}
	if n := keep(); n != 0 {
		t.Errorf("%d cards were made again", n)
	}
	ref := hours.CardRef{Employment: id, Date: sunday}
	if codes := flagsOf(t, w, ref); len(codes) != 1 || codes[0] != card.NoneCame {
		t.Errorf("the card says %v", codes)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.PutHoliday{Date: sunday, Title: "Harbour day"}))
	third := expect(1, 8*3600)
	if n := keep(); n != 2 {
		t.Errorf("%d cards were made, where the first of three Sundays is a holiday", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card where employment_id = any($1) and date = $2`, store.UUIDs{third, other},
		sunday.String()); n != 0 {
		t.Errorf("%d cards of who isn't expected", n)
	}
}

// A working pattern with times makes somebody be expected at a time: they are missing
// when they haven't come, and not on a holiday, on leave, or once the pattern has no
// times any more.
func TestMissingByAPattern(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	friday := apptest.Thursday + 1
	var who struct {
		ID, Person uuid.UUID
	}
	apptest.Must(t, w.DB.Get(&who, `select e.id, e.person_id as person from employment e where clock_points <> ''
		and not exists (select 1 from shift where employment_id = e.id and date = $1)
		and not exists (select 1 from stint where employment_id = e.id and date = $1)
		and not exists (select 1 from leave_day where employment_id = e.id and date = $1) order by id limit 1`, friday.String()))
	works := func(pattern string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: who.Person, Field: "pattern", Value: pattern,
			From: friday}))
		_, err := hours.KeepExpected(ctx, w.App)
		apptest.Must(t, err)
		apptest.AllConsistent(t, w)
	}
	presence := func() (p hours.Presence, since time.Time) {
		t.Helper()
		board, err := hours.ReadBoard(ctx, w.App, mira, hours.BoardQuery{})
		apptest.Must(t, err)
		for _, r := range board.Rows {
			if r.Employment == who.ID {
				return r.Presence, r.Since
			}
		}
		return "", time.Time{}
	}
	works("Mon–Fri 07:00–15:30 less 0:30")
	seven := time.Date(2026, 11, 13, 7, 0, 0, 0, time.FixedZone("", -5*3600))
	if p, since := presence(); p != hours.MissingNow || !since.Equal(seven) {
		t.Errorf("who should be here since 7 is %q since %s", p, since)
	}
	works("Mon–Fri 11:00–19:30 less 0:30")
	if p, _ := presence(); p != hours.DueLater {
		t.Errorf("who comes at 11 is %q at 10:12", p)
	}
	works("Mon–Fri 8")
	if p, _ := presence(); p == hours.MissingNow || p == hours.DueLater {
		t.Errorf("whose pattern has no times is %q", p)
	}
	works("Mon–Fri 07:00–15:30 less 0:30")
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.PutHoliday{Date: friday, Title: "Harbour day"}))
	if p, _ := presence(); p == hours.MissingNow {
		t.Error("missing on a holiday")
	}
	apptest.AllConsistent(t, w)
}

// Where nobody has times and no shift is planned, Today says that nobody can be
// missing.
func TestNobodyIsExpectedAtATime(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	untimed := func() bool {
		t.Helper()
		board, err := hours.ReadBoard(t.Context(), w.App, mira, hours.BoardQuery{})
		apptest.Must(t, err)
		return board.Untimed
	}
	if untimed() {
		t.Error("with shifts planned")
	}
	_, err := w.DB.Exec(`delete from shift; update card set shift_from = null, shift_to = null`)
	apptest.Must(t, err)
	if !untimed() {
		t.Error("it isn't said")
	}
	_, err = w.DB.Exec(`update pattern set starts = array[null, 25200, null, null, null, null, null]::int[],
		ends = array[null, 55800, null, null, null, null, null]::int[]
		where employment_id = (select min(employment_id::text)::uuid from pattern)`)
	apptest.Must(t, err)
	if untimed() {
		t.Error("with a pattern that has times")
	}
}

// A week beyond its limit is flagged from the day on that goes beyond it, and a
// job without hours left from the day on that used them up.
func TestFlagsOfWeeksAndBudgets(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ref, stints, _ := tomasz(t, w)
	before := hours.CardRef{Employment: ref.Employment, Date: ref.Date - 1}
	week := dbtest.Get[int](t, w, `select sum(worked) from card where employment_id = $1 and date between '2026-11-08' and $2`,
		ref.Employment, before.Date.String())
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "most_a_week", Value: fmt.Sprint((week + 59) / 60)}))
	if has(flagsOf(t, w, before), card.OverWeek) || !has(flagsOf(t, w, ref), card.OverWeek) {
		t.Errorf("a week of %d s is flagged on %v, %v", week, flagsOf(t, w, before), flagsOf(t, w, ref))
	}

	job := stints[0].On.Job
	used := dbtest.Get[int](t, w, `select sum(seconds) from hours where job_id = $1 and kind = 'work' and date < $2`, job,
		ref.Date.String())
	budget := func(seconds int) {
		t.Helper()
		_, err := w.DB.Exec(`update job set budget_seconds = $2 where id = $1`, job, seconds)
		apptest.Must(t, err)
		apptest.Must(t, hours.KeepJobHours(ctx, w.App))
	}
	budget(used)
	if codes := flagsOf(t, w, ref); !has(codes, card.OutOfHours) {
		t.Errorf("a job whose %d s were used the day before: %v", used, codes)
	}
	if on := dbtest.Get[string](t, w, `select out_on::text from job where id = $1`, job); on != ref.Date.String() {
		t.Errorf("it was out of hours on %s", on)
	}
	budget(100_000_000)
	if codes := flagsOf(t, w, ref); has(codes, card.OutOfHours) {
		t.Errorf("a job with hours left: %v", codes)
	}

	_, err := w.DB.Exec(`update stint set job_id = null, task_id = null where id = $1`, stints[0].ID)
	apptest.Must(t, err)
	if codes := flagsOf(t, w, ref); !has(codes, card.NoJob) {
		t.Errorf("hours on no job: %v", codes)
	}
}
