package app_test

import (
	"context"
	"log/slog"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// statements counts what is sent to the database, and in how many round trips.
type statements struct{ n, trips atomic.Int64 }

func (s *statements) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	s.n.Add(1)
	s.trips.Add(1)
	return ctx
}

func (*statements) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

func (s *statements) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	s.trips.Add(1)
	return ctx
}

func (s *statements) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) { s.n.Add(1) }
func (*statements) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData)       {}

// A punch asks the database five times: it begins, reads what it goes by, reads
// what was planned, writes all that follows, and commits.
func TestAPunchTakesFiveRoundTrips(t *testing.T) {
	w := dbtest.Open(t)
	var count statements
	db, err := store.OpenWith(t.Context(), w.DB.Pool.Config().ConnString(), store.Opening{Tracer: &count})
	apptest.Must(t, err)
	t.Cleanup(db.Close)
	a := app.New(db, w.At, slog.New(slog.DiscardHandler))
	_, err = a.Company(t.Context()) // as a node has it that isn't fresh
	apptest.Must(t, err)
	ruth := w.Person(t, "Ruth Adeyemi")
	for _, p := range []hours.Punch{{Act: clock.In, On: apptest.Work(t, w, "2226", "Priming")}, {Act: clock.BreakStart, Break: clock.Meal},
		{Act: clock.BreakEnd}, {Act: clock.Switch, On: apptest.Work(t, w, "2229", "Coating")}, {Act: clock.Out}} {
		p.ID = apptest.NewID()
		w.Set(w.At().Add(time.Minute))
		before, trips := count.n.Load(), count.trips.Load()
		apptest.Must(t, a.Do(t.Context(), ruth, p))
		if n := count.trips.Load() - trips; n > 5 {
			t.Errorf("%s: %d statements in %d round trips", p.Act, count.n.Load()-before, n)
		}
	}
	apptest.Consistent(t, w)
}

// What is done to many takes as many statements as what is done to a few.
func TestStatementsDontGrowWithPeople(t *testing.T) {
	const most = 40 // of one act
	w := dbtest.Open(t)
	ctx := context.Background()
	var count statements
	db, err := store.OpenWith(ctx, w.DB.Pool.Config().ConnString(), store.Opening{Tracer: &count})
	apptest.Must(t, err)
	t.Cleanup(db.Close)
	a := app.New(db, w.At, slog.New(slog.DiscardHandler))
	mira := w.Person(t, "Mira Castellane")
	taken := func(who app.Actor, act app.Act) int64 {
		t.Helper()
		before := count.n.Load()
		apptest.Must(t, a.Do(ctx, who, act))
		return count.n.Load() - before
	}
	many := func(filter store.SheetFilter, field, value string) (n int, done, undone int64) {
		t.Helper()
		m := people.ManyChange{Filter: filter, Field: field, Value: value}
		p, err := people.PreviewMany(ctx, a, mira, m)
		apptest.Must(t, err)
		c := people.ChangeMany{ID: apptest.NewID(), ManyChange: m, Seen: p.Seen}
		done = taken(mira, c)
		return p.Changes, done, taken(mira, app.Undo{Batch: c.ID})
	}
	// A day without a shift, on which the pattern says what is expected.
	_, err = w.DB.Exec(`delete from shift where date = '2026-11-20'`)
	apptest.Must(t, err)
	crew := store.SheetFilter{InUnits: []uuid.UUID{dbtest.Get[uuid.UUID](t, w, `select id from unit where name = 'Gantry crew B'`)}}
	for field, value := range map[string]string{"pattern": "0 7 7 7 7 7 0", "rate": "44.5", "clock_points": "",
		"paid_by": "salary", "tags": "Work at height", "jobs": "2231", "language": "fr", "location_required": "yes"} {
		few, done, undone := many(crew, field, value)
		all, doneAll, undoneAll := many(store.SheetFilter{}, field, value)
		t.Logf("%s: %d and %d statements for %d people, %d and %d for %d", field, done, undone, few, doneAll, undoneAll, all)
		if few < 2 || all < 4*few || doneAll > done || undoneAll > undone || doneAll > most || undoneAll > most {
			t.Errorf("%s: %d and %d statements for %d people, %d and %d for %d", field, done, undone, few, doneAll, undoneAll, all)
		}
	}
	apptest.AllConsistent(t, w)

	approve := func(who app.Actor) (int, int64) {
		t.Helper()
		days := when.Period{From: apptest.Thursday, To: apptest.Thursday}
		desk, err := hours.ReadDesk(ctx, a, who, hours.DeskQuery{Days: days})
		apptest.Must(t, err)
		return desk.ToApprove, taken(who, hours.ApproveClear{Days: days, Seen: desk.ApproveDigest, ID: apptest.NewID()})
	}
	apptest.Must(t, a.Do(ctx, mira, people.GrantRight{ID: apptest.NewID(), Person: w.Person(t, "Wren Halloran").ID, What: "approve",
		Unit: crew.InUnits[0]}))
	few, done := approve(w.Person(t, "Wren Halloran"))
	all, doneAll := approve(mira)
	t.Logf("approving: %d statements for %d cards, %d for %d", done, few, doneAll, all)
	if few == 0 || all <= few || doneAll > done || doneAll > most {
		t.Errorf("approving: %d statements for %d cards, %d for %d", done, few, doneAll, all)
	}
	_, err = w.DB.Exec(`update person set password_hash = null where level = 'worker'`)
	apptest.Must(t, err)
	ids, err := people.WithoutSignIn(ctx, a, mira, store.SheetFilter{})
	apptest.Must(t, err)
	var links []people.Link
	for _, id := range ids {
		links = append(links, people.Link{Person: id, Token: app.NewSignInToken()})
	}
	two, lot := taken(mira, people.GiveSignIn{To: links[:2]}), taken(mira, people.GiveSignIn{To: links[2:]})
	if len(links) < 10 || lot > two || lot > most {
		t.Errorf("sign-ins: %d statements for 2 people, %d for %d", two, lot, len(links)-2)
	}
	holiday := when.NewDate(2026, 11, 13)
	cards := dbtest.Get[int](t, w, `select count(*) from card where date = $1`, holiday.String())
	if n := taken(mira, company.PutHoliday{Date: holiday, Title: "Founders' day"}); n > most || cards < 40 {
		t.Errorf("a holiday: %d statements for %d cards", n, cards)
	}
	apptest.AllConsistent(t, w)
}
