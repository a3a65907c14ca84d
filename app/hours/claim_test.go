package hours_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// flagsOf gives the codes of the flags of somebody's card.
func flagsOf(t *testing.T, w *dbtest.World, ref hours.CardRef) (codes []card.Code) {
	t.Helper()
	p, err := hours.ReadCardPage(context.Background(), w.App, w.Person(t, "Mira Castellane"), ref)
	apptest.Must(t, err)
	for _, f := range p.Row.Flags {
		codes = append(codes, f.Code)
	}
	return codes
}

func has(codes []card.Code, code card.Code) bool {
	for _, c := range codes {
		if c == code {
			return true
		}
	}
	return false
}

// A punch that a phone sends later counts when it was pressed, and is looked
// at: the card is not clear by itself. One whose clocks contradict each other
// says by how much.
func TestAPunchSentLater(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := w.Person(t, "Dao Pham")
	pressed := w.At().Add(time.Hour)
	w.Pass(3 * time.Hour)
	m := clock.Moment{Seen: pressed.Add(-time.Hour), SeenWall: pressed.Add(-time.Hour), Since: time.Hour, Pressed: pressed, Sent: w.At()}
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out, Moment: m}))
	ref := hours.CardRef{Employment: *dao.Employment, Date: when.NewDate(2026, 11, 13)}
	if got := dbtest.Get[time.Time](t, w, `select max(end_at) from stint where employment_id = $1`,
		*dao.Employment); !got.Equal(pressed.Truncate(time.Second)) {
		t.Errorf("the stint ends at %s, pressed at %s", got, pressed)
	}
	codes := flagsOf(t, w, ref)
	if !has(codes, card.SentLater) || has(codes, card.ClocksDiffer) || has(codes, card.HandEdge) {
		t.Errorf("flags %v", codes)
	}
	apptest.Consistent(t, w)

	viggo := w.Person(t, "Viggo Bexley")
	m.Pressed = pressed.Add(-20 * time.Minute)
	apptest.Must(t, w.Do(ctx, viggo, hours.Punch{ID: apptest.NewID(), Act: clock.Out, Moment: m}))
	if codes := flagsOf(t, w, hours.CardRef{Employment: *viggo.Employment, Date: ref.Date}); !has(codes, card.ClocksDiffer) {
		t.Errorf("flags %v", codes)
	}
	apptest.Consistent(t, w)
}

// What waited too long, or lies before somebody's first day, is kept as a claim
// and changes nothing until somebody else takes it.
func TestClaims(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, piet, dao, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue"), w.Person(t, "Dao Pham"),
		w.Person(t, "Wren Halloran")
	e := *dao.Employment
	stints := func() string {
		return dbtest.Get[string](t, w, `select coalesce(md5(string_agg(s::text, ';' order by start_at)), '') from stint s
			where employment_id = $1`, e)
	}
	before := stints()
	hired := dbtest.Get[time.Time](t, w, `select starts_on::timestamptz from employment where id = $1`, e)
	on := apptest.Work(t, w, "2229", "Coating")
	late := hours.Punch{ID: apptest.NewID(), Act: clock.In, On: on,
		Moment: apptest.Pressed(w.At().Add(-73 * time.Hour))}
	early := hours.Punch{ID: apptest.NewID(), Act: clock.In, On: on,
		Moment: apptest.Pressed(hired.Add(-48 * time.Hour))}
	refused := hours.Punch{ID: apptest.NewID(), Act: clock.Switch, On: clock.Assignment{Job: uuid.New()},
		Moment: apptest.Pressed(w.At().Add(-time.Hour))}
	for _, p := range []hours.Punch{late, early, refused, late} { // the first is sent twice
		apptest.Must(t, w.Do(ctx, dao, p))
	}
	if now := stints(); now != before {
		t.Error("a claim changed the stints")
	}
	if n := dbtest.Get[int](t, w, `select count(*) from claim where employment_id = $1`, e); n != 3 {
		t.Fatalf("%d claims are kept, want 3", n)
	}
	other := late
	other.Act = clock.Out
	if err := w.Do(ctx, dao, other); !errors.Is(err, app.ErrConflict) {
		t.Errorf("other content under the same id: %v", err)
	}
	page, err := hours.Claims(ctx, w.App, mira)
	apptest.Must(t, err)
	why := map[uuid.UUID]string{}
	for _, c := range page.Open {
		why[c.ID] = c.Why
	}
	if why[late.ID] != "late" || why[early.ID] != "late" && why[early.ID] != "before" || why[refused.ID] != "refused" {
		t.Errorf("why they are claims: %v", why)
	}
	if _, err := hours.Claims(ctx, w.App, wren); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead without the grant reads claims: %v", err)
	}
	take := hours.TakeClaim{ID: apptest.NewID(), Claim: late.ID}
	if err := w.Do(ctx, dao, take); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("taken by whose it is: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, take))
	if now := stints(); now == before {
		t.Error("a claim that was taken counts nowhere")
	}
	apptest.Consistent(t, w)
	if r := apptest.Refusal(t,
		w.Do(ctx, piet, hours.TakeClaim{ID: apptest.NewID(), Claim: late.ID})); !strings.Contains(r.Wrong, "already") {
		t.Errorf("taken twice: %v", r)
	}
	if r := apptest.Refusal(t, w.Do(ctx, mira, hours.DeclineClaim{Claim: refused.ID})); r.Field != "why" {
		t.Errorf("declined without a reason: %v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.DeclineClaim{Claim: refused.ID, Why: "No such job"}))
	clockPage, err := hours.ReadClockPage(ctx, w.App, dao)
	apptest.Must(t, err)
	declined := ""
	for _, c := range clockPage.Claims {
		if c.ID == refused.ID && c.Reason != nil {
			declined = *c.Reason
		}
	}
	if declined != "No such job" {
		t.Errorf("their own page says %q", declined)
	}
	if _, err := w.DB.Exec(`delete from claim`); err == nil {
		t.Error("claims can be deleted")
	}
}
