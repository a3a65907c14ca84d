package hours_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/dbtest"
)

// crewOf gives the crew that somebody leads, and the positions on its sheet.
func crewOf(t *testing.T, w *dbtest.World, lead app.Actor, day when.Date) (uuid.UUID, []uuid.UUID) {
	t.Helper()
	p, err := hours.ReadCrewSheet(t.Context(), w.App, lead, uuid.Nil, day, "")
	apptest.Must(t, err)
	ids := make([]uuid.UUID, len(p.Rows))
	for i, l := range p.Rows {
		ids[i] = l.SheetPerson.Employment
	}
	return p.Crew.ID, ids
}

// sheet records on a crew's sheet, and gives what was told.
func sheet(t *testing.T, w *dbtest.World, who app.Actor, c hours.CrewPunches) map[string]string {
	t.Helper()
	told := map[string]string{}
	if c.ID == uuid.Nil {
		c.ID = apptest.NewID()
	}
	c.Tell = func(all []hours.CrewTold) {
		for _, one := range all {
			switch {
			case one.Refused != nil:
				told[one.Name] = "not: " + one.Refused.Wrong
			case one.Claim != "":
				told[one.Name] = "claim: " + one.Claim
			default:
				told[one.Name] = "done"
			}
		}
	}
	apptest.Must(t, w.Do(t.Context(), who, c))
	return told
}

// A lead's day on the sheet of their crew: out for all, in on what is planned for those who
// came, on by one step for some; each leaves the lead's name.
func TestACrewsDayOnItsSheet(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	wren := w.Person(t, "Wren Halloran")
	day := when.NewDate(2026, 11, 13)
	unit, crew := crewOf(t, w, wren, day)
	if len(crew) != 6 {
		t.Fatalf("%d on the sheet", len(crew))
	}
	running := func() int {
		return dbtest.Get[int](t, w, `select count(*) from stint s join employment e on e.id = s.employment_id
			where e.unit_id = $1 and s.end_at is null`, unit)
	}
	out := hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day, People: crew, Steps: []hours.CrewStep{{Act: clock.Out}}}
	if told := sheet(t, w, wren, out); len(told) != 6 || running() != 0 {
		t.Fatalf("told %v, %d still on", told, running())
	}
	punches := dbtest.Get[int](t, w, `select count(*) from punch`)
	sheet(t, w, wren, out) // the same again
	if n := dbtest.Get[int](t, w, `select count(*) from punch`); n != punches {
		t.Errorf("%d punches after the same was sent again, %d before", n, punches)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from punch where point = 'sheet' and act = 'out' and by_person = $1`, wren.ID); n != 5 {
		t.Errorf("%d of others by the sheet", n) // the lead's own is by their phone
	}
	w.Pass(30 * time.Minute)
	apptest.Must(t, w.Do(t.Context(), wren, hours.NotThere{ID: apptest.NewID(), Unit: unit, Day: day, Employment: crew[0]}))
	in := sheet(t, w, wren, hours.CrewPunches{Unit: unit, Day: day, People: crew[1:], Steps: []hours.CrewStep{{Act: clock.In,
		Planned: true}}})
	if len(in) != 5 || running() != 5 {
		t.Fatalf("told %v, %d on", in, running())
	}
	if n := dbtest.Get[int](t, w, `select count(*) from stint s join shift f on f.employment_id = s.employment_id and f.date = s.date
		where s.end_at is null and s.job_id = f.job_id and s.employment_id = any($1)`, crew); n != 5 {
		t.Errorf("%d of 5 on what they are planned on", n)
	}
	again := sheet(t, w, wren, hours.CrewPunches{Unit: unit, Day: day, People: crew, Steps: []hours.CrewStep{{Act: clock.In,
		Planned: true}}})
	done := 0
	for name, what := range again {
		if what == "done" {
			done++
		} else if !strings.Contains(what, "on the clock already, since") {
			t.Errorf("%s: %s", name, what)
		}
	}
	if done != 1 || running() != 6 {
		t.Errorf("clocked in again: %v", again)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from not_there where back_at is null`); n != 0 {
		t.Error("who was clocked in is still said not to have come")
	}
	w.Pass(time.Hour)
	work := apptest.Work(t, w, "2243", "Erecting")
	move := hours.CrewStep{Act: clock.Switch, On: work}
	sheet(t, w, wren, hours.CrewPunches{Unit: unit, Day: day, People: crew[:2], Steps: []hours.CrewStep{move}})
	if n := dbtest.Get[int](t, w, `select count(*) from stint where end_at is null and job_id = $1 and task_id = $2`, work.Job,
		work.Task); n != 2 {
		t.Errorf("%d moved", n)
	}
	apptest.Consistent(t, w)
}

// A lead's sheet and everybody's own phone at once: each is clocked out once, whoever was
// first, and whoever came second is told.
func TestRacingASheetAndPhones(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	wren := w.Person(t, "Wren Halloran")
	day := when.NewDate(2026, 11, 13)
	unit, crew := crewOf(t, w, wren, day)
	var all sync.WaitGroup
	var own atomic.Int32
	var told sync.Map
	for range 3 {
		all.Go(func() {
			err := w.Do(t.Context(), wren, hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day, People: crew,
				Steps: []hours.CrewStep{{Act: clock.Out}}, Tell: func(of []hours.CrewTold) {
					for _, one := range of {
						if one.Refused == nil {
							if _, twice := told.LoadOrStore(one.Name, true); twice {
								t.Errorf("%s was clocked out twice", one.Name)
							}
						}
					}
				}})
			if err != nil {
				t.Error(err)
			}
		})
	}
	for _, name := range []string{"Tomasz Brandt", "Abena Farouk", "Zofia Fjeld"} {
		all.Go(func() {
			err := w.Do(t.Context(), w.Person(t, name), hours.Punch{ID: apptest.NewID(), Act: clock.Out})
			if err == nil {
				own.Add(1)
			} else if r := (*refusal.Refusal)(nil); !errors.As(err, &r) {
				t.Error(err)
			}
		})
	}
	all.Wait()
	sheets := 0
	told.Range(func(any, any) bool { sheets++; return true })
	if n := dbtest.Get[int](t, w, `select count(*) from punch where act = 'out' and received_at = $1`, w.At()); n != len(crew) ||
		sheets+int(own.Load()) != len(crew) {
		t.Errorf("%d punches, %d by sheets and %d by phones, of %d people", n, sheets, own.Load(), len(crew))
	}
	apptest.Consistent(t, w)
}

// A day that is written down is by hand, with all three times; it fits between what was
// clocked or is refused, and of somebody else's hours alone it counts at once.
func TestADayIsWrittenDown(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	w.Pass(26 * time.Hour) // it is Saturday
	wren := w.Person(t, "Wren Halloran")
	day := when.NewDate(2026, 11, 14)
	unit, crew := crewOf(t, w, wren, day)
	at := func(clockTime string) hours.SaidTime {
		d, err := time.Parse("15:04", clockTime)
		apptest.Must(t, err)
		return hours.SaidTime{Date: day, Of: time.Duration(d.Hour())*time.Hour + time.Duration(d.Minute())*time.Minute}
	}
	for _, id := range crew { // all of them are off the clock
		apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day - 1,
			People: []uuid.UUID{id},
			Steps:  []hours.CrewStep{{Act: clock.Out, At: hours.SaidTime{Date: day - 1, Of: 14*time.Hour + 5*time.Minute}}}}))
	}
	work := apptest.Work(t, w, "2247", "Erecting")
	written := []hours.CrewStep{{Act: clock.In, On: work, At: at("07:00")}, {Act: clock.BreakStart, Break: clock.Meal, At: at("11:00")},
		{Act: clock.BreakEnd, At: at("11:30")}, {Act: clock.Out, At: at("12:00")}}
	whole := hours.CrewPunches{Unit: unit, Day: day, People: crew[:2], Steps: written}

	if told := sheet(t, w, wren, whole); len(told) != 2 {
		t.Fatal(told)
	} else {
		for name, what := range told {
			if !strings.HasPrefix(what, "claim: Crew leads don't say times here") {
				t.Errorf("%s, where leads say no times: %s", name, what)
			}
		}
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "lead_times", Value: "yes"}))
	whole.ID = uuid.Nil
	if told := sheet(t, w, wren, whole); told["Tomasz Brandt"] != "done" {
		t.Fatal(told)
	}
	if got := dbtest.Get[string](t, w, `select worked || ' ' || (select count(*) from stint s where s.employment_id = c.employment_id
		and s.date = c.date and s.start_by = 'hand' and s.end_by = 'hand') from card c where employment_id = $1 and date = $2`, crew[0],
		day.String()); got != "16200 3" {
		t.Errorf("worked, and stints by hand: %s", got)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from punch where employment_id = $1 and claimed_at::date = '2026-11-14'
		and device_at > claimed_at and received_at > claimed_at`, crew[0]); n != 4 {
		t.Errorf("%d of 4 punches keep three times", n)
	}
	whole.ID = uuid.Nil
	for name, what := range sheet(t, w, wren, whole) {
		if !strings.HasPrefix(what, "not: That ") {
			t.Errorf("%s, written twice: %s", name, what)
		}
	}
	own := sheet(t, w, wren, hours.CrewPunches{Unit: unit, Day: day, People: []uuid.UUID{*wren.Employment}, Steps: written})
	if !strings.HasPrefix(own["Wren Halloran"], "claim: Somebody else lets times count") {
		t.Errorf("the lead's own: %v", own)
	}
	signed, err := hours.ReadCrewSheet(ctx, w.App, wren, unit, day, "")
	apptest.Must(t, err)
	if len(signed.ToSign) != 2 {
		t.Fatalf("%d to sign", len(signed.ToSign))
	}
	apptest.Must(t, w.Do(ctx, wren, hours.SignSheet{ID: apptest.NewID(), Unit: unit, Day: day, Seen: signed.SignDigest()}))
	if n := dbtest.Get[int](t, w, `select count(*) from card where date = $1 and state = 'signed' and employment_id = any($2)`,
		day.String(),
		crew[:2]); n != 2 {
		t.Errorf("%d signed", n)
	}
	apptest.Consistent(t, w)
}

// What a lead writes is a time of the clocks where whoever it is about works: two sites two
// hours apart make two instants of it.
func TestATimeOnASheetIsOfTheSitesClocks(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	wren, day := w.Person(t, "Wren Halloran"), when.NewDate(2026, 11, 13)
	unit, crew := crewOf(t, w, wren, day)
	west := apptest.NewID()
	set := func(query string, args ...any) {
		_, err := w.DB.ExecContext(t.Context(), query, args...)
		apptest.Must(t, err)
	}
	set(`insert into site (id, name, zone, lat, lon) select $1, 'Westing', 'America/Denver', lat, lon
		from site limit 1`, west)
	set(`update employment set site_id = $2 where id = $1`, crew[0], west)
	apptest.Must(t, w.Do(t.Context(), w.Person(t, "Mira Castellane"), hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day,
		People: crew[:2], Steps: []hours.CrewStep{{Act: clock.Out, At: hours.SaidTime{Date: day, Of: 8 * time.Hour}}}}))
	for i, want := range []string{"15:00", "13:00"} {
		if got := dbtest.Get[string](t, w, `select to_char(claimed_at at time zone 'UTC', 'HH24:MI') from punch
			where employment_id = $1 and received_at = $2`, crew[i], w.At()); got != want {
			t.Errorf("08:00 of number %d was written as %s UTC, not %s", i, got, want)
		}
	}
}

// Whoever wrote a day down by hand doesn't approve it.
func TestWhoWritesADayDoesntApproveIt(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	day := when.NewDate(2026, 11, 12)
	abena := w.Person(t, "Abena Farouk")
	unit := *abena.Unit
	w.Pass(26 * time.Hour)
	apptest.Must(t, w.Do(ctx, mira, hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day + 1, People: []uuid.UUID{*abena.Employment},
		Steps: []hours.CrewStep{{Act: clock.Out, At: hours.SaidTime{Date: day + 1, Of: 14 * time.Hour}}}}))
	p, err := hours.ReadCrewSheet(ctx, w.App, mira, unit, day+1, "")
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, mira, hours.SignSheet{ID: apptest.NewID(), Unit: unit, Day: day + 1, Seen: p.SignDigest()}))
	refused := apptest.Refusal(t, w.Do(ctx, mira, hours.Approve{Card: hours.CardRef{Employment: *abena.Employment, Date: day + 1}}))
	if !strings.HasPrefix(refused.Wrong, "You changed the card") {
		t.Error(refused)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: hours.CardRef{Employment: *abena.Employment,
		Date: day + 1}}))
}

// Somebody of another crew is on a sheet once they are borrowed, for that day alone.
func TestBorrowing(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	wren, dao := w.Person(t, "Wren Halloran"), w.Person(t, "Dao Pham")
	day := when.NewDate(2026, 11, 13)
	unit, _ := crewOf(t, w, wren, day)
	out := hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day, People: []uuid.UUID{*dao.Employment},
		Steps: []hours.CrewStep{{Act: clock.Out}}}
	if err := w.Do(ctx, wren, out); !errors.Is(err, app.ErrNotFound) {
		t.Fatalf("somebody else's: %v", err)
	}
	apptest.Must(t, w.Do(ctx, wren, hours.Borrow{ID: apptest.NewID(), Unit: unit, Day: day, Employment: *dao.Employment}))
	if told := sheet(t, w, wren, out); told["Dao Pham"] != "done" {
		t.Fatal(told)
	}
	next := out
	next.Day, next.ID = day+1, uuid.Nil
	w.Pass(24 * time.Hour)
	if err := w.Do(ctx, wren, hours.CrewPunches{ID: apptest.NewID(), Unit: unit, Day: day + 1, People: out.People,
		Steps: out.Steps}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the day after: %v", err)
	}
	apptest.Must(t, w.Do(ctx, wren, hours.GiveBack{Unit: unit, Day: day, Employment: *dao.Employment}))
	if n := dbtest.Get[int](t, w, `select count(*) from borrowed where back_by = $1`, wren.ID); n != 1 {
		t.Error("who gave them back isn't kept")
	}
}

// Somebody whose name alone is known is clocked at once, is named by the draft, and turns
// out to be somebody who was there: their hours become that one's.
func TestANewcomer(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	wren, mira := w.Person(t, "Wren Halloran"), w.Person(t, "Mira Castellane")
	day := when.NewDate(2026, 11, 13)
	unit, _ := crewOf(t, w, wren, day)
	add := people.AddNewcomer{ID: apptest.NewID(), Employment: apptest.NewID(), Unit: unit, Day: day, Name: "Ned  Carrow",
		Mobile: "555 0188"}
	apptest.Must(t, w.Do(ctx, wren, add))
	apptest.Must(t, w.Do(ctx, wren, add)) // sent again
	other := add
	other.ID, other.Employment, other.Name = apptest.NewID(), apptest.NewID(), "Ned Staithe"
	apptest.Must(t, w.Do(ctx, wren, other)) // several have no number
	if got := dbtest.Get[string](t, w, `select number || '|' || given_name || '|' || incomplete || '|' || (password_hash is not null)
		from person where id = $1`, add.ID); got != "|Ned|true|false" {
		t.Error(got)
	}
	work := apptest.Work(t, w, "2247", "Erecting")
	step := hours.CrewStep{Act: clock.In, On: work}
	if told := sheet(t, w, wren, hours.CrewPunches{Unit: unit, Day: day, People: []uuid.UUID{add.Employment},
		Steps: []hours.CrewStep{step}}); told["Ned Carrow"] != "done" {
		t.Fatal(told)
	}
	into := w.Person(t, "Dao Pham")
	join := people.JoinPerson{ID: apptest.NewID(), Person: add.ID, Into: into.ID}
	if r := apptest.Refusal(t, w.Do(ctx, mira, join)); !strings.Contains(r.Wrong, "on the clock") {
		t.Error(r)
	}
	w.Pass(2 * time.Hour)
	sheet(t, w, wren, hours.CrewPunches{Unit: unit, Day: day, People: []uuid.UUID{add.Employment},
		Steps: []hours.CrewStep{{Act: clock.Out}}})
	if err := w.Do(ctx, wren, join); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("by a lead: %v", err)
	}
	// Dao is on the clock then: the hours would lie over theirs.
	if r := apptest.Refusal(t, w.Do(ctx, mira, join)); !strings.Contains(r.Wrong, "meet") {
		t.Error(r)
	}
	w.Pass(24 * time.Hour)
	page, err := payroll.PayRun(ctx, w.App, w.Person(t, "Orla Ebbwater"), uuid.Nil)
	apptest.Must(t, err)
	if got := strings.Join(page.Newcomers, ", "); got != "Ned Carrow" {
		t.Errorf("the draft names %q", got)
	}
	join.Into = w.Person(t, "Orla Ebbwater").ID
	if r := apptest.Refusal(t, w.Do(ctx, mira, join)); !strings.Contains(r.Wrong, "level") {
		t.Error(r)
	}
	free := freeOn(t, w, day)
	join.Into = free.ID
	before := dbtest.Get[int64](t, w, `select coalesce(sum(worked), 0)::bigint from card where employment_id = $1 and date = $2`,
		*free.Employment,
		day.String())
	apptest.Must(t, w.Do(ctx, mira, join))
	after := dbtest.Get[int64](t, w, `select coalesce(sum(worked), 0)::bigint from card where employment_id = $1 and date = $2`,
		*free.Employment,
		day.String())
	left := dbtest.Get[int64](t, w, `select coalesce(sum(worked), 0)::bigint from card where employment_id = $1`, add.Employment)
	if after-before != 7200 || left != 0 {
		t.Errorf("%d more for who they are, %d left with the newcomer", after-before, left)
	}
	apptest.Consistent(t, w)
}

// freeOn is somebody who has nothing on a date.
func freeOn(t *testing.T, w *dbtest.World, day when.Date) app.Actor {
	t.Helper()
	id := dbtest.Get[uuid.UUID](t, w, `select p.id from person p join employment e on e.person_id = p.id
		where p.level = 'worker' and p.number <> '' and p.ended_on is null and not p.sample
		and not exists (select 1 from stint s where s.employment_id = e.id and (s.date >= $1 or s.end_at is null))
		and not exists (select 1 from employment o where o.person_id = p.id and o.id <> e.id)
		and (select t.hourly from terms t where t.employment_id = e.id order by t.starts_on desc limit 1)
		order by p.number limit 1`, day.String())
	a, err := w.Actor(t.Context(), id)
	apptest.Must(t, err)
	return a
}

// What is counted beside the hours is kept anew, and adds up on the job.
func TestCountingWork(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	wren := w.Person(t, "Wren Halloran")
	day := when.NewDate(2026, 11, 13)
	unit, _ := crewOf(t, w, wren, day)
	work := apptest.Work(t, w, "2247", "Erecting")
	for _, amount := range []string{"3", "4,5"} {
		w.Pass(time.Minute)
		apptest.Must(t, w.Do(ctx, wren, hours.CountWork{ID: apptest.NewID(), Unit: unit, Day: day, Job: work.Job, Task: work.Task,
			Amount: amount}))
	}
	for _, c := range []struct {
		amount, task, why string
	}{{"-1", "Erecting", "no number"}, {"1e3", "Erecting", "no number"}, {"x", "Erecting", "no number"}, {"1.234", "Erecting", "no number"},
		{"1", "Connecting", "Nothing is counted"}} {
		on := apptest.Work(t, w, "2247", c.task)
		r := apptest.Refusal(t, w.Do(ctx, wren, hours.CountWork{ID: apptest.NewID(), Unit: unit, Day: day, Job: on.Job, Task: on.Task,
			Amount: c.amount}))
		if !strings.Contains(r.Wrong, c.why) {
			t.Errorf("%s: %v", c.amount, r)
		}
	}
	p, err := hours.ReadCrewSheet(ctx, w.App, wren, unit, day, "")
	apptest.Must(t, err)
	if len(p.Quantities) != 1 || p.Quantities[0].Amount.String() != "4.5" || p.Quantities[0].ByName != "Wren Halloran" {
		t.Errorf("%+v", p.Quantities)
	}
}
