package roster_test

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// offers lists the open places that somebody sees.
func offers(t *testing.T, w *dbtest.World, who app.Actor) []roster.OwnPlace {
	t.Helper()
	o, err := roster.ReadOwnShifts(t.Context(), w.App, who)
	apptest.Must(t, err)
	return o.Open
}

// told counts the notices of a kind that somebody has.
func told(t *testing.T, w *dbtest.World, who app.Actor, kind string) int {
	t.Helper()
	return count(t, w, `select count(*) from notice where person_id = $1 and kind = $2`, who.ID, kind)
}

// An open place is seen by who could have it and by nobody else, asked for, and given by a
// lead: then it is planned and known at once; the last one given closes it.
func TestAnOpenPlace(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren, tomasz, abena, dao := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt"), w.Person(t, "Abena Farouk"),
		w.Person(t, "Dao Pham")
	saturday := monday + 5
	if _, err := w.DB.Exec(`insert into job_tag (job_id, tag) select id, 'Rope' from job where number = '2247'`); err != nil {
		t.Fatal(err)
	}
	for _, id := range []uuid.UUID{tomasz.ID, abena.ID} {
		if _, err := w.DB.Exec(`insert into person_tag (person_id, tag) values ($1, 'Rope')`, id); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := w.DB.Exec(`insert into leave_day (id, employment_id, date, name, pay_code, seconds) values (gen_random_uuid(), $1, $2,
		'Annual leave', 'PTO', 28800)`, *abena.Employment, saturday.String()); err != nil {
		t.Fatal(err)
	}
	place := roster.OpenPlace{ID: apptest.NewID(), Unit: *wren.Unit, On: apptest.Work(t, w, "2247", "Erecting"), Wanted: 2,
		When: roster.When{Date: saturday, From: 7 * hour, To: 13 * hour}}
	for range 2 {
		apptest.Must(t, w.Do(ctx, wren, place))
	}
	if len(offers(t, w, tomasz)) != 1 || len(offers(t, w, abena)) != 0 || len(offers(t, w, dao)) != 0 {
		t.Errorf("seen by %d with the tag, %d on leave, %d without it", len(offers(t, w, tomasz)), len(offers(t, w, abena)),
			len(offers(t, w, dao)))
	}
	if told(t, w, tomasz, "place_open") != 1 || told(t, w, dao, "place_open") != 0 {
		t.Error("who could have it is told, and nobody else")
	}
	ask := roster.AskForPlace{ID: apptest.NewID(), Place: place.ID}
	for range 2 {
		apptest.Must(t, w.Do(ctx, tomasz, ask))
	}
	if told(t, w, wren, "place_asked") != 1 {
		t.Error("the lead isn't told who asks")
	}
	if err := w.Do(ctx, dao, roster.AskForPlace{ID: apptest.NewID(), Place: place.ID}); !strings.Contains(fmt.Sprint(err),
		"can’t have this shift") {
		t.Errorf("who lacks the tag asks: %v", err)
	}
	r := read(t, w, wren, week)
	if len(r.Open) != 1 || r.Open[0].Asked != 1 || r.Open[0].Left() != 2 {
		t.Fatalf("the lead sees %+v", r.Open)
	}
	apptest.Must(t, w.Do(ctx, wren, roster.GivePlace{Ask: ask.ID}))
	if n := count(t, w, `select count(*) from shift s join planned p on p.id = s.id where s.employment_id = $1 and s.date = $2`,
		*tomasz.Employment, saturday.String()); n != 1 || told(t, w, tomasz, "place_given") != 1 {
		t.Errorf("given: %d shifts, told %d times", n, told(t, w, tomasz, "place_given"))
	}
	if n := count(t, w, `select expected from card where employment_id = $1 and date = $2`, *tomasz.Employment,
		saturday.String()); n != 6*3600 {
		t.Errorf("%d s are expected", n)
	}
	if len(offers(t, w, tomasz)) != 1 || offers(t, w, tomasz)[0].Mine == nil || !offers(t, w, tomasz)[0].Mine.Given {
		t.Error("what one was given isn't known as one's own")
	}
	// The tag comes: the second place is declined, asked for by another, and given.
	if _, err := w.DB.Exec(`insert into person_tag (person_id, tag) values ($1, 'Rope')`, dao.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`delete from planned where employment_id = $1 and date = $2`, *dao.Employment, saturday.String()); err != nil {
		t.Fatal(err)
	}
	second := roster.AskForPlace{ID: apptest.NewID(), Place: place.ID}
	apptest.Must(t, w.Do(ctx, dao, second))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), roster.GivePlace{Ask: second.ID}))
	if n := count(t, w, `select count(*) from opening where id = $1 and closed_at is not null`, place.ID); n != 1 {
		t.Error("the last place given leaves it open")
	}
	apptest.AllConsistent(t, w)
}

// A shift that is handed over is its giver's until somebody has it: with the lead's word, or
// at once where the company says so. Its giver is then told who has it.
func TestHandingOver(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren, tomasz, abena := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt"), w.Person(t, "Abena Farouk")
	if _, err := w.DB.Exec(`delete from shift where employment_id = $1 and date = '2026-11-17'`, *abena.Employment); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`delete from planned where employment_id = $1 and date in ('2026-11-17', '2026-11-18')`,
		*abena.Employment); err != nil {
		t.Fatal(err)
	}
	if _, err := w.DB.Exec(`delete from job_tag`); err != nil {
		t.Fatal(err)
	}
	of := func(d when.Date) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w, `select id from shift where employment_id = $1 and date = $2`, *tomasz.Employment, d.String())
	}
	whose := func(d when.Date) string {
		return dbtest.Get[string](t, w, `select coalesce(string_agg(n.given_name, ', ' order by n.given_name), '') from planned p
			join employment e on e.id = p.employment_id join person n on n.id = e.person_id
			where p.date = $1 and n.given_name in ('Tomasz', 'Abena')`, d.String())
	}
	over := roster.HandOver{ID: apptest.NewID(), Shift: of(monday + 1), To: *abena.Employment}
	apptest.Must(t, w.Do(ctx, tomasz, over))
	if told(t, w, abena, "shift_offered") != 1 || whose(monday+1) != "Tomasz" {
		t.Errorf("offered: %s has it", whose(monday+1))
	}
	if err := w.Do(ctx, tomasz, roster.HandOver{ID: apptest.NewID(), Shift: of(monday + 1)}); !strings.Contains(fmt.Sprint(err),
		"offered already") {
		t.Errorf("offered twice: %v", err)
	}
	ask := roster.AskForPlace{ID: apptest.NewID(), Place: over.ID}
	apptest.Must(t, w.Do(ctx, abena, ask))
	if whose(monday+1) != "Tomasz" || told(t, w, wren, "place_asked") != 1 {
		t.Errorf("agreed, and not decided: %s has it", whose(monday+1))
	}
	apptest.Must(t, w.Do(ctx, wren, roster.GivePlace{Ask: ask.ID}))
	if whose(monday+1) != "Abena" || told(t, w, tomasz, "handed_over") != 1 || told(t, w, abena, "place_given") != 1 {
		t.Errorf("decided: %s has it, told %d and %d", whose(monday+1), told(t, w, tomasz, "handed_over"), told(t, w, abena, "place_given"))
	}
	if n := count(t, w, `select count(*) from shift where date = '2026-11-17' and employment_id = $1`, *tomasz.Employment); n != 0 {
		t.Error("it is expected of who gave it")
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "handover_free", Value: "yes"}))
	free := roster.HandOver{ID: apptest.NewID(), Shift: of(monday + 2), To: *abena.Employment}
	apptest.Must(t, w.Do(ctx, tomasz, free))
	if _, err := w.DB.Exec(`delete from shift where employment_id = $1 and date = '2026-11-18'`, *abena.Employment); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, w.Do(ctx, abena, roster.AskForPlace{ID: apptest.NewID(), Place: free.ID}))
	if whose(monday+2) != "Abena" {
		t.Errorf("where nobody decides: %s has it", whose(monday+2))
	}
}

// A shift that was changed since it was offered isn't given as it was. Once the place is
// closed, who offered it and who asked for it know; and of two who ask, the one who doesn't
// have it.
func TestWhatBecomesOfAnOffer(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren, tomasz, abena := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt"), w.Person(t, "Abena Farouk")
	for _, sql := range []string{
		`delete from job_tag`,
		`delete from planned where date = '2026-11-17' and employment_id <> '` + tomasz.Employment.String() + `'`,
		`delete from shift where date = '2026-11-17' and employment_id <> '` + tomasz.Employment.String() + `'`,
	} {
		if _, err := w.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	shift := dbtest.Get[uuid.UUID](t, w, `select id from shift where employment_id = $1 and date = '2026-11-17'`, *tomasz.Employment)
	offer := func() (uuid.UUID, roster.AskForPlace) {
		over := roster.HandOver{ID: apptest.NewID(), Shift: shift}
		ask := roster.AskForPlace{ID: apptest.NewID(), Place: over.ID}
		apptest.Must(t, w.Do(ctx, tomasz, over))
		apptest.Must(t, w.Do(ctx, abena, ask))
		return over.ID, ask
	}
	place, ask := offer()
	later := roster.ChangeShift{Batch: apptest.NewID(), Shift: shift, When: &roster.When{Date: monday + 1, From: 8 * time.Hour,
		To: 16 * time.Hour}}
	apptest.Must(t, w.Do(ctx, wren, later))
	if err := w.Do(ctx, wren, roster.GivePlace{Ask: ask.ID}); !strings.Contains(fmt.Sprint(err), "changed since it was offered") {
		t.Errorf("given as it was: %v", err)
	}
	apptest.Must(t, w.Do(ctx, wren, roster.ClosePlace{Place: place}))
	if told(t, w, abena, "place_gone") != 1 || told(t, w, tomasz, "place_gone") != 1 {
		t.Errorf("closed: %d and %d are told", told(t, w, abena, "place_gone"), told(t, w, tomasz, "place_gone"))
	}
	if err := w.Do(ctx, wren, roster.GivePlace{Ask: ask.ID}); !strings.Contains(fmt.Sprint(err), "answered already") {
		t.Errorf("given once closed: %v", err)
	}
	apptest.Must(t, w.Do(ctx, wren, app.Undo{Batch: later.Batch}))
	_, ask = offer()
	other := roster.AskForPlace{ID: apptest.NewID(), Place: ask.Place}
	apptest.Must(t, w.Do(ctx, wren, other))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), roster.GivePlace{Ask: other.ID}))
	if told(t, w, abena, "place_gone") != 2 || told(t, w, wren, "place_gone") != 0 || told(t, w, tomasz, "place_gone") != 1 {
		t.Error("who asked and doesn't have it isn't told, or somebody else is")
	}
}

// Who offered a shift keeps it as long as nobody has it: who asked for it knows.
func TestAnOfferIsTakenBack(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	wren, tomasz, abena := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt"), w.Person(t, "Abena Farouk")
	for _, sql := range []string{`delete from job_tag`, `delete from planned where employment_id = '` + abena.Employment.String() + `'`} {
		if _, err := w.DB.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	shift := dbtest.Get[uuid.UUID](t, w, `select id from shift where employment_id = $1 and date = '2026-11-17'`, *tomasz.Employment)
	over := roster.HandOver{ID: apptest.NewID(), Shift: shift}
	ask := roster.AskForPlace{ID: apptest.NewID(), Place: over.ID}
	apptest.Must(t, w.Do(ctx, tomasz, over))
	apptest.Must(t, w.Do(ctx, abena, ask))
	keep := roster.TakeOfferBack{Shift: shift}
	for _, other := range []app.Actor{abena, wren} {
		if err := w.Do(ctx, other, keep); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s takes it back: %v", other.Name(), err)
		}
	}
	apptest.Must(t, w.Do(ctx, tomasz, keep))
	if told(t, w, abena, "place_gone") != 1 {
		t.Error("who asked isn't told")
	}
	if err := w.Do(ctx, wren, roster.GivePlace{Ask: ask.ID}); err == nil {
		t.Error("it is given all the same")
	}
	if o, err := roster.ReadOwnShifts(ctx, w.App, tomasz); err != nil || len(o.Handed) != 0 {
		t.Errorf("still offered: %v, %v", o.Handed, err)
	}
	apptest.Must(t, w.Do(ctx, tomasz, roster.HandOver{ID: apptest.NewID(), Shift: shift, To: *abena.Employment}))
	apptest.Must(t, w.Do(ctx, tomasz, keep))
	if told(t, w, abena, "place_gone") != 2 {
		t.Error("to whom it was offered isn't told")
	}
	if err := w.Do(ctx, tomasz, keep); !store.NotFound(err) && !errors.Is(err, app.ErrNotFound) {
		t.Errorf("taken back twice: %v", err)
	}
}

// Of several places at one time that are given to somebody at once, they have one.
func TestGivingAtOnce(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	tomasz, mira := w.Person(t, "Tomasz Brandt"), w.Person(t, "Mira Castellane")
	asks := make([]roster.AskForPlace, 6)
	for i := range asks {
		place := roster.OpenPlace{ID: apptest.NewID(), Unit: *tomasz.Unit, Wanted: 1,
			When: roster.When{Date: monday + 5, From: 7 * hour, To: 13 * hour}}
		asks[i] = roster.AskForPlace{ID: apptest.NewID(), Place: place.ID}
		apptest.Must(t, w.Do(t.Context(), mira, place))
		apptest.Must(t, w.Do(t.Context(), tomasz, asks[i]))
	}
	errs := make(chan error, len(asks))
	for _, ask := range asks {
		go func() { errs <- w.Do(t.Context(), mira, roster.GivePlace{Ask: ask.ID}) }()
	}
	given := 0
	for range asks {
		if err := <-errs; err == nil {
			given++
		} else if !strings.Contains(err.Error(), "can’t have this shift any more") {
			t.Error(err)
		}
	}
	if n := count(t, w, `select count(*) from planned where employment_id = $1 and date = $2`, *tomasz.Employment,
		(monday + 5).String()); n != 1 || given != 1 {
		t.Errorf("given %d times, planned %d", given, n)
	}
}

// Who works at night says so after midnight, of the shift that began the evening before.
func TestSickAtNight(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	wren, tomasz := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt")
	night := roster.PlanShift{ID: apptest.NewID(), Employment: *tomasz.Employment, When: roster.When{Date: monday + 5, From: 22 * time.Hour,
		To: 6 * time.Hour}}
	apptest.Must(t, w.Do(t.Context(), wren, night))
	tellAll(t, w, wren, week)
	w.Set(time.Date(2026, 11, 22, 10, 0, 0, 0, time.UTC)) // five on Sunday, an hour after the days turn
	apptest.Must(t, w.Do(t.Context(), tomasz, roster.SayingSick{ID: apptest.NewID(), Shift: night.ID}))
	if told(t, w, wren, "sick_today") != 1 {
		t.Error("the lead isn't told")
	}
}

// Sick in the morning: the lead is told, the shift is open, it is noted who doesn't come, and
// they are missing until somebody has it.
func TestSickToday(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	w.Set(time.Date(2026, 11, 16, 11, 0, 0, 0, time.UTC)) // six on Monday
	wren, tomasz := w.Person(t, "Wren Halloran"), w.Person(t, "Tomasz Brandt")
	shift := dbtest.Get[uuid.UUID](t, w, `select id from shift where employment_id = $1 and date = '2026-11-16'`, *tomasz.Employment)
	sick := roster.SayingSick{ID: apptest.NewID(), Shift: shift}
	apptest.Must(t, w.Do(ctx, tomasz, sick))
	if told(t, w, wren, "sick_today") != 1 {
		t.Error("the lead isn't told")
	}
	r := read(t, w, wren, week)
	if len(r.Open) != 1 || !r.Open[0].Sick || r.Open[0].FromName != "Tomasz Brandt" {
		t.Errorf("open: %+v", r.Open)
	}
	if n := count(t, w, `select count(*) from not_there where employment_id = $1 and date = '2026-11-16'`, *tomasz.Employment); n != 1 {
		t.Error("it isn't noted that he doesn't come")
	}
	if n := count(t, w, `select count(*) from shift where id = $1 and employment_id = $2`, shift, *tomasz.Employment); n != 1 {
		t.Error("it is nobody's: he would not be missing")
	}
	o, err := roster.ReadOwnShifts(ctx, w.App, tomasz)
	apptest.Must(t, err)
	if !o.Handed[shift].Sick || slices.ContainsFunc(o.Open, func(p roster.OwnPlace) bool { return p.ID == sick.ID }) {
		t.Error("he sees his own shift as open to him, or not as offered")
	}
}
