package hours_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// Whatever is set of somebody on the clock, they can take a break, go on with
// another job and clock out; only clocking in goes by the new setting.
func TestASettingKeepsNobodyOnTheClock(t *testing.T) {
	for _, set := range []struct{ field, value string }{
		{"paid_by", "salary"}, {"clock_points", ""},
		{"location_required", "yes"}, {"subcontractor", "yes"},
	} {
		w := dbtest.Open(t)
		ctx := context.Background()
		mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: set.field, Value: set.value}))
		for _, p := range []hours.Punch{{Act: clock.BreakStart, Break: clock.Rest}, {Act: clock.BreakEnd},
			{Act: clock.Switch, On: apptest.Work(t, w, "2229", "Coating")}, {Act: clock.Out}} {
			w.Pass(time.Minute)
			p.ID = apptest.NewID()
			if err := w.Do(ctx, w.Person(t, "Dao Pham"), p); err != nil {
				t.Errorf("%s = %q: %s: %v", set.field, set.value, p.Act, err)
			}
		}
		if dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, dao.ID) {
			t.Errorf("%s = %q: still on the clock", set.field, set.value)
		}
		w.Pass(time.Minute)
		claimed := ""
		if err := w.Do(ctx, w.Person(t, "Dao Pham"), hours.Punch{ID: apptest.NewID(), Act: clock.In,
			On: apptest.Work(t, w, "2229", "Coating"), Claimed: func(why string) { claimed = why }}); err != nil {
			claimed = apptest.Refusal(t, err).Wrong // who has no position at all
		}
		if on := dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`,
			dao.ID); on != (set.field == "subcontractor") || on == (claimed != "") {
			t.Errorf("%s = %q: clocked in %v, claimed %q", set.field, set.value, on, claimed)
		}
		apptest.Consistent(t, w)
	}
}

// Nobody is hired after they worked.
func TestHiredAfterTheFirstHours(t *testing.T) {
	w := dbtest.Open(t)
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	r := apptest.Refusal(t,
		w.Do(context.Background(), mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "starts_on", Value: "2026-11-14"}))
	if r.Field != "starts_on" {
		t.Errorf("refused for %s: %v", r.Field, r)
	}
}

// Who works over midnight of their last day clocks out, and does nothing else.
func TestTheLastNight(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla, mira, wren := w.Person(t, "Orla Ebbwater"), w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran")
	apptest.Must(t, w.Do(ctx, orla, people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "approve"}))
	apptest.Must(t, w.Do(ctx, mira, people.EndPerson{ID: apptest.NewID(), Person: wren.ID, On: when.NewDate(2026, 11, 13)}))
	w.Set(time.Date(2026, 11, 14, 5, 30, 0, 0, time.UTC)) // half past midnight: the worked day goes on
	if !w.Person(t, "Wren Halloran").May("card.approve") {
		t.Error("the last worked day is over before its end")
	}
	w.Set(time.Date(2026, 11, 14, 9, 30, 0, 0, time.UTC)) // half past four
	wren = w.Person(t, "Wren Halloran")
	if wren.May("card.approve") || wren.May("today.see") {
		t.Error("who left still approves and sees the board")
	}
	if _, err := people.SignIn(ctx, w.App, *wren.Email, "beacon and gantry"); err != nil {
		t.Errorf("who is on the clock can't sign in to clock out: %v", err)
	}
	apptest.Must(t, w.Do(ctx, wren, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	if _, err := w.Actor(ctx, wren.ID); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("after clocking out: %v", err)
	}
	if _, err := people.SignIn(ctx, w.App, *wren.Email, "beacon and gantry"); err == nil {
		t.Error("who left signs in")
	}
}

// A punch that is recorded already is answered as before, whatever the office
// has set since.
func TestAReplayIsRecognisedBeforeItIsJudged(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	out := hours.Punch{ID: apptest.NewID(), Act: clock.Out}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), out))
	apptest.Must(t, w.Do(ctx, mira,
		people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "clock_points", Value: ""}))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), out))
	out.Act = clock.BreakEnd
	if err := w.Do(ctx, w.Person(t, "Dao Pham"), out); !errors.Is(err, app.ErrConflict) {
		t.Errorf("other content under the same id: %v", err)
	}
}
