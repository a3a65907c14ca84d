package hours_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/dbtest"
	"manudex/store"
)

func TestApproveTheClearCards(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	desk, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	if desk.ToApprove == 0 || desk.ToApprove != desk.Counts.Clear || desk.Counts.Flagged == 0 {
		t.Fatalf("%d to approve of %+v", desk.ToApprove, desk.Counts)
	}
	// Somebody signs while Mira looks: what she didn't see is not approved.
	unsigned := ""
	for _, r := range desk.Rows {
		if r.Class == card.NotSigned {
			unsigned = r.Name()
		}
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, unsigned), hours.Sign{Card: apptest.Ref(t, w, unsigned, apptest.Thursday)}))
	stale := hours.ApproveClear{Days: desk.Query.Days, Seen: desk.ApproveDigest, ID: apptest.NewID()}
	if err := w.Do(ctx, mira, stale); err == nil || !strings.Contains(err.Error(), "The list changed while you were looking") {
		t.Fatalf("a stale list: %v", err)
	}
	desk, err = hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	n := desk.ToApprove
	batch := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, hours.ApproveClear{Days: desk.Query.Days, Seen: desk.ApproveDigest, ID: batch}))
	desk, err = hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	if desk.Counts.Done != n || desk.ToApprove != 0 {
		t.Errorf("after approving %d: %+v", n, desk.Counts)
	}
	// One of them is taken back by itself: the undo says so, and takes the rest.
	alone := dbtest.Get[uuid.UUID](t, w, `select employment_id from card_act where batch_id = $1 limit 1`, batch)
	ref := hours.CardRef{Employment: alone, Date: apptest.Thursday}
	apptest.Must(t, w.Do(ctx, mira, hours.TakeBack{Card: ref}))
	var done app.Undone
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: batch, Tell: func(d app.Undone) { done = d }}))
	if len(done.Left) != 1 || !strings.HasSuffix(done.Left[0], "12 November: taken back already") ||
		done.Words != fmt.Sprintf("%d approvals", n-1) {
		t.Errorf("the undo says %+v", done)
	}
	desk, err = hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	if desk.ToApprove != n || desk.Counts.Done != 0 {
		t.Errorf("after taking back: %+v", desk.Counts)
	}
	if err := w.Do(ctx, mira, app.Undo{Batch: batch}); err == nil {
		t.Error("took back twice")
	}
	apptest.Consistent(t, w)
}

func TestApproveOne(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	tomasz := apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	ruth := apptest.Ref(t, w, "Ruth Adeyemi", apptest.Thursday)
	state := func(ref hours.CardRef) string {
		return dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = $2`, ref.Employment, ref.Date.String())
	}
	if state(tomasz) == "open" {
		apptest.Must(t, w.Do(ctx, w.Person(t, "Tomasz Brandt"), hours.Sign{Card: tomasz}))
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: tomasz})) // flagged: a manager may answer for it
	if s := state(tomasz); s != "approved" {
		t.Errorf("approved one and it is %s", s)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.TakeBack{Card: tomasz}))
	if s := state(tomasz); s != "signed" {
		t.Errorf("taken back and it is %s", s)
	}
	for _, c := range []struct {
		name string
		who  string
		act  app.Act
		says string
	}{
		{"not signed", "Mira Castellane", hours.Approve{Card: ruth}, "not signed yet"},
		{"running", "Mira Castellane", hours.Approve{Card: apptest.Ref(t, w, "Dao Pham", apptest.Thursday+1)}, "still on the clock"},
		{"a day to come", "Mira Castellane", hours.Approve{Card: apptest.Ref(t, w, "Dao Pham", apptest.Thursday+4)}, "has not come yet"},
		{"sign twice", "Tomasz Brandt", hours.Sign{Card: tomasz}, "Only an open card can be signed"},
		{"take back what is not approved", "Mira Castellane", hours.TakeBack{Card: tomasz}, "can be taken back"},
		{"take back what is paid", "Mira Castellane", hours.TakeBack{Card: apptest.Ref(t, w, "Dao Pham", apptest.Thursday-14)},
			"not paid yet can be taken back"},
	} {
		if err := w.Do(ctx, w.Person(t, c.who), c.act); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
	apptest.Consistent(t, w)
}

// Nobody approves their own card, whatever their level.
func TestNobodyApprovesTheirOwnCard(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	for _, level := range []string{"manager", "owner"} {
		_, err := w.DB.Exec(`update person set level = $1 where given_name = 'Ines' and family_name = 'Okonjo'`, level)
		apptest.Must(t, err)
		ines := w.Person(t, "Ines Okonjo")
		own := apptest.Ref(t, w, "Ines Okonjo", apptest.Thursday)
		if err := w.Do(ctx, ines, hours.Approve{Card: own}); err == nil || !strings.Contains(err.Error(), "This is your own card") {
			t.Errorf("%s approved their own card: %v", level, err)
		}
		desk, err := hours.ReadDesk(ctx, w.App, ines, apptest.OneDay(apptest.Thursday))
		apptest.Must(t, err)
		if desk.Counts.Clear != desk.ToApprove+1 || !desk.OwnWaiting {
			t.Errorf("%s: %d clear, %d to approve, own waiting %v", level, desk.Counts.Clear, desk.ToApprove, desk.OwnWaiting)
		}
	}
	mira, own := w.Person(t, "Mira Castellane"), apptest.Ref(t, w, "Ines Okonjo", apptest.Thursday)
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: own}))
	if err := w.Do(ctx, w.Person(t, "Ines Okonjo"), hours.TakeBack{Card: own}); err == nil {
		t.Error("took the approval of their own card back")
	}
}

// A lead signs for their crew and nobody else's, and sees no other cards.
func TestALeadsReach(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	wren := w.Person(t, "Wren Halloran") // leads gantry crew B
	desk, err := hours.ReadDesk(ctx, w.App, wren, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	if desk.Counts.Cards != 6 {
		t.Errorf("sees %d cards, want the crew's 6", desk.Counts.Cards)
	}
	for _, r := range desk.Rows {
		if r.UnitName != "Gantry crew B" {
			t.Errorf("sees %s of %s", r.Name(), r.UnitName)
		}
	}
	dao := apptest.Ref(t, w, "Dao Pham", apptest.Thursday)
	for name, act := range map[string]app.Act{"sign": hours.Sign{Card: dao}} {
		if err := w.Do(ctx, wren, act); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s of another crew's card: %v", name, err)
		}
	}
	if _, err := hours.ReadCardPage(ctx, w.App, wren, dao); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("reading another crew's card: %v", err)
	}
	if err := w.Do(ctx, wren,
		hours.Approve{Card: apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead approving: %v", err)
	}
	if _, err := hours.ReadDesk(ctx, w.App, wren,
		hours.DeskQuery{Days: desk.Query.Days, Person: w.Person(t, "Dao Pham").ID}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the desk of somebody of another crew: %v", err)
	}
	if own, err := hours.ReadDesk(ctx, w.App, wren,
		hours.DeskQuery{Days: desk.Query.Days, Person: w.Person(t, "Tomasz Brandt").ID}); err != nil || own.Counts.Cards != 1 {
		t.Errorf("the desk of one of the crew: %v", err)
	}
	people, _, err := hours.Find(ctx, w.App, wren, "a")
	apptest.Must(t, err)
	for _, p := range people {
		if p.Hint != "Gantry crew B" {
			t.Errorf("finds %s of %s", p.Title, p.Hint)
		}
	}
	// The crew's finished cards are signed in one go, once their day is over.
	w.Set(time.Date(2026, 11, 13, 23, 0, 0, 0, time.UTC))
	tomasz := w.Person(t, "Tomasz Brandt")
	apptest.Must(t, w.Do(ctx, tomasz, hours.Punch{ID: apptest.NewID(), Act: "out"}))
	desk, err = hours.ReadDesk(ctx, w.App, wren, apptest.OneDay(apptest.Thursday+1))
	apptest.Must(t, err)
	if desk.ToSign != 0 { // he left seven hours after his shift: that wants a look, not a signature in passing
		t.Errorf("%d to sign", desk.ToSign)
	}
	apptest.Must(t, w.Do(ctx, wren, hours.Sign{Card: apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday+1)}))
	apptest.Consistent(t, w)
}

func TestAWorkersReach(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	_, err := w.DB.Exec(`delete from unit_lead using person p where p.id = person_id and p.given_name = 'Dao'`)
	apptest.Must(t, err)
	dao := w.Person(t, "Dao Pham")
	other := apptest.Ref(t, w, "Viggo Bexley", apptest.Thursday)
	if _, err := hours.ReadCardPage(ctx, w.App, dao, other); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("reads a colleague's card: %v", err)
	}
	if err := w.Do(ctx, dao, hours.Sign{Card: other}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("signs a colleague's card: %v", err)
	}
	if _, err := hours.ReadCardPage(ctx, w.App, dao, apptest.Ref(t, w, "Dao Pham", apptest.Thursday)); err != nil {
		t.Errorf("can't read their own card: %v", err)
	}
	for name, read := range map[string]func() error{
		"desk": func() error { _, err := hours.ReadDesk(ctx, w.App, dao, apptest.OneDay(apptest.Thursday)); return err },
		"board": func() error {
			_, err := hours.ReadBoard(ctx, w.App, dao, hours.BoardQuery{Day: apptest.Thursday})
			return err
		},
		"pay run": func() error { _, err := payroll.PayRun(ctx, w.App, dao, uuid.Nil); return err },
		"file":    func() error { _, _, _, err := payroll.RunLines(ctx, w.App, dao, apptest.NewID()); return err },
		"find":    func() error { _, _, err := hours.Find(ctx, w.App, dao, "a"); return err },
	} {
		if err := read(); !errors.Is(err, app.ErrForbidden) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestBoard(t *testing.T) {
	w := dbtest.Open(t)
	board, err := hours.ReadBoard(context.Background(), w.App, w.Person(t, "Mira Castellane"), hours.BoardQuery{})
	apptest.Must(t, err)
	running := dbtest.Get[int](t, w, `select count(*) from stint where end_at is null`)
	if got := board.Count[hours.WorkingNow] + board.Count[hours.OnBreak]; got != running || running == 0 {
		t.Errorf("%d on the board are on the clock, %d are", got, running)
	}
	if board.Rows[0].Presence != hours.MissingNow || board.Rows[0].Name() != "Ruth Adeyemi" {
		t.Errorf("first is %s, %s", board.Rows[0].Name(), board.Rows[0].Presence)
	}
	for _, r := range board.Rows {
		if r.Presence == hours.Away && r.Leave == 0 && !r.ShiftFrom.IsZero() {
			t.Errorf("%s has a shift and is called away", r.Name())
		}
	}
}

// What is running counts as it goes, but a meal doesn't: hours shown never
// fall when it turns out unpaid.
func TestLiveHours(t *testing.T) {
	at := time.Date(2026, 11, 13, 10, 0, 0, 0, time.UTC)
	lim := card.Limits{Breaks: clock.USBreaks}
	for _, c := range []struct {
		kind clock.Kind
		min  int
		want int64
	}{{clock.Work, 15, 4*3600 + 900}, {clock.Rest, 15, 4*3600 + 900}, {clock.Rest, 25, 4 * 3600}, {clock.Meal, 5, 4 * 3600},
		{clock.Meal, 45, 4 * 3600}} {
		r := hours.DayRow{Card: store.Card{Card: card.Card{Worked: 4 * 3600, OpenSince: at, OpenKind: c.kind}},
			Stints: []store.Stint{{Stint: clock.Stint{Kind: c.kind, Start: at}}}}
		if got := r.Live(at.Add(time.Duration(c.min)*time.Minute), lim); got != c.want {
			t.Errorf("%s for %d min: %d s, want %d", c.kind, c.min, got, c.want)
		}
	}
}

// Who has not signed is asked to, once for each time that is pressed; it stands
// on their own page until they sign, and moves nothing.
func TestRemind(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, dao := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	ref := apptest.Ref(t, w, "Dao Pham", apptest.Thursday)
	state := func() string {
		return dbtest.Get[string](t, w, `select state || signed from card where employment_id = $1 and date = $2`, ref.Employment,
			ref.Date.String())
	}
	if state() == "openfalse" {
		apptest.Must(t, w.Do(ctx, dao, hours.Sign{Card: ref}))
	}
	ask := hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{ref}}
	if r := apptest.Refusal(t, w.Do(ctx, mira, ask)); r.Wrong != "Nobody has to sign any of these" {
		t.Errorf("of a signed card: %v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.SendBack{Card: ref, Why: "No meal?"}))
	apptest.Must(t, w.Do(ctx, mira, ask))
	apptest.Must(t, w.Do(ctx, mira, ask)) // sent twice
	if got := state(); got != "openfalse" {
		t.Errorf("the card is %s", got)
	}
	asked := func() (n int, by string) {
		t.Helper()
		p, err := hours.ReadClockPage(ctx, w.App, dao)
		apptest.Must(t, err)
		for _, c := range p.ToSign {
			if c.Date == ref.Date {
				return len(p.Asks), p.Asks[c.Date].ByName
			}
		}
		return len(p.Asks), "nobody"
	}
	if n, by := asked(); n != 1 || by != "Mira Castellane" {
		t.Errorf("%d days, asked by %s", n, by)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card_act where move = 'remind'`); n != 1 {
		t.Errorf("%d reminders", n)
	}
	apptest.Must(t, w.Do(ctx, dao, hours.Sign{Card: ref}))
	if _, by := asked(); by != "nobody" {
		t.Errorf("signed, and %s asks for it", by)
	}

	// All of a day, but one's own and those that are signed.
	open := dbtest.Get[int](t, w, `select count(*) from card where date = $1 and state = 'open' and worked > 0 and open_since is null`,
		ref.Date.String())
	apptest.Must(t, w.Do(ctx, mira, hours.Remind{ID: apptest.NewID(), Day: ref.Date}))
	if n := dbtest.Get[int](t, w, `select count(*) from card_act where move = 'remind'`) - 1; n != open || n == 0 {
		t.Errorf("%d were asked, %d have not signed", n, open)
	}
	apptest.AllConsistent(t, w)
}
