package hours_test

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/png"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
	"manudex/store"
)

func aPhoto(t *testing.T) files.Photo {
	t.Helper()
	var b bytes.Buffer
	apptest.Must(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 40, 30))))
	p, err := files.ReadPhoto(b.Bytes())
	apptest.Must(t, err)
	return p
}

// An expense is approved and paid with its day; one taken back after it was paid is
// taken off again once somebody else approves that, and not before.
func TestExpenses(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	ref := apptest.Ref(t, w, "Dao Pham", apptest.Thursday)
	photo := aPhoto(t)
	spend := hours.AddExpense{ID: apptest.NewID(), On: apptest.Thursday, Kind: "Fuel", Amount: "42.10",
		Work: clock.Assignment{Job: apptest.JobOf(t, w, "2229")}, Words: "two cans", Receipt: &photo}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "expense_kinds", Value: ""}))
	if r := apptest.Refusal(t, w.Do(ctx, dao, spend)); r.Field != "kind" {
		t.Errorf("where no kinds are named: %v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: "expense_kinds", Value: "Fuel=FUEL, Parking = PARK"}))
	apptest.ApproveSome(t, w, ref.Employment)
	_, before := apptest.Share(t, w, ref.Employment)
	for range 2 { // sent twice it is there once
		apptest.Must(t, w.Do(ctx, dao, spend))
	}
	other := spend
	other.Amount = "43"
	if err := w.Do(ctx, dao, other); err == nil {
		t.Error("the same id with another amount was taken")
	}
	state := func() string {
		return dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = $2`, ref.Employment, ref.Date.String())
	}
	if s := state(); s != string(card.Open) {
		t.Errorf("the approved card is %s", s)
	}
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: ref.Date, To: ref.Date, Employment: ref.Employment})
	apptest.Must(t, err)
	place, err := w.Company(ctx)
	apptest.Must(t, err)
	flags := cards[0].FlagsAt(w.At(), place.LimitsOn(ref.Date))
	if n := len(flags); n == 0 || flags[n-1].Code != card.Spent && !strings.Contains(flagCodes(flags), string(card.Spent)) {
		t.Errorf("the card says %v", flags)
	}
	apptest.ApproveSome(t, w, ref.Employment)
	gross := func() decimal.Decimal {
		_, g := apptest.Share(t, w, ref.Employment)
		return g.Sub(before)
	}
	if g := gross(); g.String() != "42.1" {
		t.Errorf("the run pays %s more", g)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from photo where expense_id = $1`, spend.ID); n != 1 {
		t.Errorf("%d receipts", n)
	}
	// Paid, and then it isn't.
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	paid := func(run uuid.UUID) string {
		return dbtest.Get[string](t, w, `select coalesce(sum(amount), 0)::text from pay_line where run_id = $1 and employment_id = $2
			and kind = 'extra' and pay_code = 'FUEL'`, run, ref.Employment)
	}
	if p := paid(run); p != "42.1000" {
		t.Errorf("the run paid %s", p)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.DropExpense{Expense: spend.ID, Why: "private"}))
	draft := func() string {
		page, err := payroll.PayRun(ctx, w.App, w.Person(t, "Sana Verity"), uuid.Nil)
		apptest.Must(t, err)
		for _, r := range page.Rows {
			if r.Employment == ref.Employment {
				return r.Gross
			}
		}
		return "0"
	}
	waiting := draft()
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: ref}))
	if was, is := decimal.RequireFromString(waiting), decimal.RequireFromString(draft()); was.Sub(is).String() != "42.1" {
		t.Errorf("the next run pays %s, and %s once it is approved", was, is)
	}
	apptest.AllConsistent(t, w)
}

func flagCodes(flags []card.Flag) string {
	var codes []string
	for _, f := range flags {
		codes = append(codes, string(f.Code))
	}
	return strings.Join(codes, " ")
}

// Called in for half an hour, three and a half are paid on top; who says that they had no
// meal loses none; both stand out on the card, and somebody else can take either away.
func TestCalledInAndNoMeal(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	apptest.Must(t, w.Do(ctx, mira, company.PutRules{ID: apptest.NewID(), Title: "Call-outs", From: when.NewDate(2026, 11, 15),
		Rules: json.RawMessage(`{"weekly_overtime_after":"40","minimum_callout_hours":"4",
			"automatic_meal":{"after_hours":"6","minutes":30}}`)}))
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	w.Set(time.Date(2026, 11, 16, 12, 0, 0, 0, time.UTC))
	on := apptest.Work(t, w, "2229", "Coating")
	day := when.NewDate(2026, 11, 16)
	press := func(act clock.Act, m clock.Marks, after time.Duration) {
		t.Helper()
		w.Pass(after)
		apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.Punch{ID: apptest.NewID(), Act: act, On: on, Marks: m}))
	}
	press(clock.In, clock.CalledIn|clock.NoMeal, 0) // of a meal nothing is said before one leaves
	press(clock.Out, 0, 30*time.Minute)
	press(clock.In, 0, 5*time.Hour) // another attendance, 13:30 there
	w.Pass(7 * time.Hour)
	p, err := hours.ReadClockPage(ctx, w.App, w.Person(t, "Dao Pham"))
	apptest.Must(t, err)
	if !p.CallOut || p.MealTaken != 1800 || !p.AskMeal.Equal(w.At().Add(-time.Hour)) {
		t.Errorf("asked for the meal from %v, of %d s; called in %v", p.AskMeal, p.MealTaken, p.CallOut)
	}
	press(clock.Out, clock.NoMeal, time.Hour)
	apptest.AllConsistent(t, w)
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: day, To: day, Employment: *dao.Employment})
	apptest.Must(t, err)
	place, err := w.Company(ctx)
	apptest.Must(t, err)
	if codes := flagCodes(cards[0].FlagsAt(w.At(), place.LimitsOn(day))); !strings.Contains(codes, "called_in") ||
		!strings.Contains(codes, "no_meal") {
		t.Errorf("the card says %s", codes)
	}
	ref := hours.CardRef{Employment: *dao.Employment, Date: day}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.Sign{Card: ref}))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: ref}))
	paid := func(run uuid.UUID, want string) {
		t.Helper()
		got := dbtest.Get[string](t, w, `select coalesce(string_agg(kind || ' ' || n, ', ' order by kind), '') from (
			select kind, sum(seconds) as n from pay_line
			where run_id = $1 and employment_id = $2 and date = $3 and kind in ('straight', 'callout') group by kind) x`,
			run, ref.Employment, day.String())
		if got != want {
			t.Errorf("the run pays %q, want %q", got, want)
		}
	}
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	first, _ := apptest.CloseOpenRun(t, w)
	paid(first, "callout 12600, straight 30600")
	stints, err := store.StintsOn(ctx, w.DB, []uuid.UUID{ref.Employment}, []when.Date{day})
	apptest.Must(t, err)
	var changes []hours.Change
	for _, s := range stints {
		changes = append(changes, hours.Change{Employment: ref.Employment, Does: clock.Mark, Of: s.ID})
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Changes: changes, Why: "neither was so"}))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), hours.Approve{Card: ref}))
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	second, _ := apptest.CloseOpenRun(t, w)
	paid(second, "callout -12600, straight -1800")
	apptest.AllConsistent(t, w)
}

// Only where the job asks is it kept whether work is billed, and a customer's hours say so.
func TestBilledOrNot(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	on := apptest.Work(t, w, "2229", "Coating")
	press := func(act clock.Act, m clock.Marks) uuid.UUID {
		t.Helper()
		w.Pass(time.Minute)
		id := apptest.NewID()
		for range 2 {
			apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: id, Act: act, On: on, Marks: m}))
		}
		return id
	}
	marks := func(id uuid.UUID) clock.Marks {
		return clock.Marks(dbtest.Get[int](t, w, `select coalesce((select marks from stint where id = $1), -1)`, id))
	}
	if dbtest.Get[bool](t, w, `select exists (select 1 from stint where employment_id = $1 and end_at is null)`, dao.Employment) {
		press(clock.Out, 0)
	}
	if m := marks(press(clock.In, clock.NotBilled)); m != 0 {
		t.Errorf("a job that doesn't ask: %b", m)
	}
	press(clock.Out, 0)
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: on.Job, Field: "billing_asked", Value: "yes"}))
	if m := marks(press(clock.In, clock.NotBilled)); m != clock.NotBilled {
		t.Errorf("not billed: %b", m)
	}
	if m := marks(press(clock.Switch, clock.Billed)); m != clock.Billed {
		t.Errorf("billed: %b", m)
	}
	press(clock.Out, 0)
	if n := dbtest.Get[int](t, w, `select count(distinct billing) from hours where employment_id = $1 and job_id = $2 and date = $3
		and billing > 0`, dao.Employment, on.Job, w.At().Format(time.DateOnly)); n != 2 {
		t.Errorf("kept hours tell %d kinds apart", n)
	}
	apptest.AllConsistent(t, w)
}

// A job for travel is offered apart, one press away, to whoever may clock to it.
func TestTravel(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	travel := func() *store.ClockOption {
		p, err := hours.ReadClockPage(ctx, w.App, dao)
		apptest.Must(t, err)
		return p.Travel
	}
	job := apptest.JobOf(t, w, "2253")
	was := travel()
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "travel", Value: "yes"}))
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "open_to_all", Value: "yes"}))
	if is := travel(); is == nil || was == nil && is.Job != job {
		t.Errorf("travel: %+v, then %+v", was, is)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.SetJob{Job: job, Field: "open_to_all", Value: "no"}))
	if is := travel(); is != nil && is.Job == job {
		t.Error("a job that isn't open to them is offered for travel")
	}
}

// A card holds so many photos and no more; they are whoever's who is on the card.
func TestPhotosOnACard(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := w.Person(t, "Dao Pham")
	ref := apptest.Ref(t, w, "Dao Pham", apptest.Thursday)
	id := apptest.NewID()
	for range 2 {
		apptest.Must(t, w.Do(ctx, dao, hours.AddPhoto{ID: id, Photo: aPhoto(t), On: apptest.Thursday}))
	}
	read := func(name string) error {
		_, err := hours.ReadPhoto(ctx, w.App, w.Person(t, name), ref, id)
		return err
	}
	apptest.Must(t, read("Dao Pham"))
	apptest.Must(t, read("Mira Castellane"))
	if err := read("Viggo Bexley"); err == nil {
		t.Error("somebody who doesn't see the card saw a photo on it")
	}
	for range 19 {
		apptest.Must(t, w.Do(ctx, dao, hours.AddPhoto{ID: apptest.NewID(), Photo: aPhoto(t), On: apptest.Thursday}))
	}
	if r := apptest.Refusal(t, w.Do(ctx, dao, hours.AddPhoto{ID: apptest.NewID(), Photo: aPhoto(t),
		On: apptest.Thursday})); r.Field != "photo" {
		t.Errorf("one too many: %v", r)
	}
	if _, err := w.DB.Exec(`delete from photo`); err == nil {
		t.Error("photos were deleted")
	}
}
