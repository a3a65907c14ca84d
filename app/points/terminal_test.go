package points_test

import (
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/demo"
)

// terminal is a shared terminal at the works, and somebody there who is off the clock.
func terminal(t *testing.T) (w *dbtest.World, d points.Device, number string, key string) {
	t.Helper()
	w = dbtest.Open(t)
	point := dbtest.Get[uuid.UUID](t, w, `select id from clock_point where name = 'east gate'`)
	apptest.Must(t, w.Do(context.Background(), w.Person(t, "Mira Castellane"), points.GiveKey{ID: apptest.NewID(), Point: point,
		Title: "Tablet", Browser: true, Told: func(k string) { key = k }}))
	d, err := points.OpenTerminal(context.Background(), w.App, key)
	apptest.Must(t, err)
	number = dbtest.Get[string](t, w, `select p.number from person p join employment e on e.person_id = p.id
		join unit u on u.id = e.unit_id where u.name = 'Lamp bench, late' and p.level = 'worker'
		and not exists (select from stint n where n.employment_id = e.id and n.end_at is null) order by p.number limit 1`)
	return w, d, number, key
}

// sealed closes a PIN as a browser does.
func sealed(t *testing.T, w *dbtest.World, pin string, for_ uuid.UUID) string {
	t.Helper()
	key, err := points.SealKey(context.Background(), w.App)
	apptest.Must(t, err)
	said, err := json.Marshal(map[string]any{"pin": pin, "for": for_})
	apptest.Must(t, err)
	text, err := rsa.EncryptOAEP(sha256.New(), rand.Reader, &key.PublicKey, said, nil)
	apptest.Must(t, err)
	return base64.StdEncoding.EncodeToString(text)
}

// However many PINs are tried at once, five are looked at, and then none for a minute,
// the right one neither; a right one forgets the wrong ones before it.
func TestWrongPINs(t *testing.T) {
	w, d, number, _ := terminal(t)
	ctx := context.Background()
	look := func(pin string) error {
		_, err := d.Look(ctx, w.App, points.Typed{Number: number, PIN: pin})
		return err
	}
	for range 4 {
		if err := look("1357"); !errors.Is(err, points.ErrPIN) {
			t.Fatalf("a wrong one: %v", err)
		}
	}
	apptest.Must(t, look(demo.PIN)) // it forgets the four
	var wrong, waits int
	var mu sync.Mutex
	var all sync.WaitGroup
	for range 12 {
		all.Go(func() {
			err := look("1357")
			var wait points.WaitError
			mu.Lock()
			defer mu.Unlock()
			switch {
			case errors.Is(err, points.ErrPIN):
				wrong++
			case errors.As(err, &wait):
				waits++
			default:
				t.Errorf("%v", err)
			}
		})
	}
	all.Wait()
	if wrong != 5 || waits != 7 {
		t.Errorf("%d were looked at, %d waited", wrong, waits)
	}
	var wait points.WaitError
	if err := look(demo.PIN); !errors.As(err, &wait) || !wait.Until.After(w.At()) {
		t.Errorf("the right one within the minute: %v", err)
	}
	mira := w.Person(t, "Mira Castellane")
	if troubles, err := points.PINTroubles(ctx, w.App, mira); err != nil || len(troubles) != 1 || troubles[0].Asks {
		t.Errorf("a manager hears of %v %v", troubles, err)
	}
	if troubles, _ := points.PINTroubles(ctx, w.App, w.Person(t, "Dao Pham")); len(troubles) != 0 {
		t.Error("a worker hears of it")
	}
	w.Pass(61 * time.Second)
	apptest.Must(t, look(demo.PIN))
	apptest.Must(t, d.AskNewPIN(ctx, w.App, number))
	if troubles, _ := points.PINTroubles(ctx, w.App, mira); len(troubles) != 1 || !troubles[0].Asks {
		t.Errorf("who forgot theirs: %v", troubles)
	}
	who := dbtest.Get[uuid.UUID](t, w, `select id from person where number = $1`, number)
	given := ""
	apptest.Must(t, w.Do(ctx, mira, people.GivePINs{To: []uuid.UUID{who}, Told: func(_ uuid.UUID, pin string) { given = pin }}))
	if err := look(demo.PIN); !errors.Is(err, points.ErrPIN) || given == demo.PIN {
		t.Errorf("the one before: %v", err)
	}
	apptest.Must(t, look(given))
	if troubles, _ := points.PINTroubles(ctx, w.App, mira); len(troubles) != 0 {
		t.Errorf("answered: %v", troubles)
	}
}

// What is typed is sealed for one thing alone: taken along to another it opens nothing.
// Wrong when it arrives from a queue, it makes a claim; at once, it is said.
func TestSealedPINs(t *testing.T) {
	w, d, number, _ := terminal(t)
	ctx := context.Background()
	press := func(act clock.Act, seal string, id uuid.UUID, queued bool) (points.Outcome, error) {
		w.Pass(time.Minute)
		return d.Take(ctx, w.App, points.Pressed{Typed: points.Typed{Number: number, Sealed: seal},
			Punch: hours.Punch{ID: id, Act: act, Queued: queued}})
	}
	first, second := apptest.NewID(), apptest.NewID()
	seal := sealed(t, w, demo.PIN, first)
	if out, err := press(clock.In, seal, first, false); err != nil || out.Claim {
		t.Fatalf("%+v %v", out, err)
	}
	if out, err := press(clock.In, seal, first, true); err != nil || out.Claim { // sent again
		t.Errorf("again: %+v %v", out, err)
	}
	if _, err := press(clock.Out, seal, second, false); !errors.Is(err, points.ErrPIN) {
		t.Errorf("a seal taken along: %v", err)
	}
	for _, broken := range []string{"", "!", "AAAA", sealed(t, w, "1357", second)} {
		if _, err := press(clock.Out, broken, second, false); !errors.Is(err, points.ErrPIN) {
			t.Errorf("%.10q: %v", broken, err)
		}
		w.Pass(2 * time.Minute)
		if _, err := press(clock.BreakStart, sealed(t, w, demo.PIN, first), first, false); err == nil {
			t.Error("another punch under the id that was recorded")
		}
	}
	if out, err := press(clock.Out, sealed(t, w, "1357", second), second, true); err != nil || !out.Claim ||
		!strings.Contains(out.Why, "PIN") {
		t.Errorf("wrong, from a queue: %+v %v", out, err)
	}
	count := func(table string, id uuid.UUID) int {
		return dbtest.Get[int](t, w, `select count(*) from `+table+` where id = $1`, id)
	}
	if count("punch", first) != 1 || count("punch", second) != 0 || count("claim", second) != 1 {
		t.Errorf("%d %d %d", count("punch", first), count("punch", second), count("claim", second))
	}
	apptest.Consistent(t, w)
}

// Where somebody watches no PIN is asked, and the punch says who watched. What a terminal
// doesn't take is a claim, but for what keeps somebody on the clock.
func TestAWatchedTerminal(t *testing.T) {
	w, d, number, key := terminal(t)
	ctx := context.Background()
	mira, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran")
	put := points.PutPoint{ID: d.ID, Title: "east gate", Site: d.Site, Takes: []string{"in"}, Watcher: wren.Number}
	apptest.Must(t, w.Do(ctx, mira, put))
	d, err := points.OpenTerminal(ctx, w.App, key)
	apptest.Must(t, err)
	press := func(act clock.Act) (uuid.UUID, points.Outcome) {
		t.Helper()
		w.Pass(time.Minute)
		id := apptest.NewID()
		out, err := d.Take(ctx, w.App, points.Pressed{Typed: points.Typed{Number: number},
			Punch: hours.Punch{ID: id, Act: act, Break: clock.Rest}})
		apptest.Must(t, err)
		return id, out
	}
	in, out := press(clock.In)
	if by := dbtest.Get[uuid.UUID](t, w, `select watched_by from punch where id = $1`, in); out.Claim || by != wren.ID {
		t.Errorf("watched by %s, %+v", by, out)
	}
	desk, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(when.NewDate(2026, 11, 13)))
	apptest.Must(t, err)
	said := ""
	for _, r := range desk.Rows {
		said += r.WatchedBy
	}
	if said != "Wren Halloran" {
		t.Errorf("the desk says who watched: %q", said)
	}
	if _, out := press(clock.BreakStart); !out.Claim {
		t.Error("a break was taken where breaks aren't")
	}
	if _, out := press(clock.Out); out.Claim {
		t.Errorf("clocking out: %+v", out)
	}
	put.Watcher = "no such"
	if r := apptest.Refusal(t, w.Do(ctx, mira, put)); r.Field != "watcher" {
		t.Errorf("a watcher whom there isn't: %v", r)
	}
}

// A terminal that nobody used for five weeks opens nothing, nor one that was taken back or
// whose clock point is closed; opened again it does.
func TestHowLongATerminalIsOne(t *testing.T) {
	w, d, _, key := terminal(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	opens := func() bool {
		_, err := points.OpenTerminal(ctx, w.App, key)
		if err != nil && !errors.Is(err, app.ErrNotFound) {
			t.Fatal(err)
		}
		return err == nil
	}
	w.Pass(34 * 24 * time.Hour)
	if !opens() {
		t.Error("unused for 34 days")
	}
	w.Pass(34 * 24 * time.Hour)
	if !opens() {
		t.Error("used 34 days ago")
	}
	apptest.Must(t, w.Do(ctx, mira, points.ClosePoint{ID: d.ID}))
	if opens() {
		t.Error("its clock point is closed")
	}
	apptest.Must(t, w.Do(ctx, mira, points.ClosePoint{ID: d.ID, Open: true}))
	if !opens() {
		t.Error("its clock point is open again")
	}
	w.Pass(36 * 24 * time.Hour)
	if opens() {
		t.Error("unused for 36 days")
	}
	device := ""
	apptest.Must(t, w.Do(ctx, mira, points.GiveKey{ID: apptest.NewID(), Point: d.ID, Title: "Reader", Punches: true,
		Told: func(k string) { device = k }}))
	if _, err := points.OpenTerminal(ctx, w.App, device); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("the key of a device makes a terminal: %v", err)
	}
}

// Without a plan, and where the terminal stands for nothing, somebody is on the clock with
// no job yet: nobody is turned away over it.
func TestNoJobYet(t *testing.T) {
	w, d, number, _ := terminal(t)
	ctx := context.Background()
	if _, err := w.DB.Exec(`update shift set job_id = null, task_id = null where employment_id in (
		select e.id from employment e join person p on p.id = e.person_id where p.number = $1)`, number); err != nil {
		t.Fatal(err)
	}
	id := apptest.NewID()
	out, err := d.Take(ctx, w.App, points.Pressed{Typed: points.Typed{Number: number, PIN: demo.PIN},
		Punch: hours.Punch{ID: id, Act: clock.In}})
	if err != nil || out.Claim {
		t.Fatalf("%+v %v", out, err)
	}
	if none := dbtest.Get[bool](t, w, `select job_id is null and kind = 'work' from stint where id = $1`, id); !none {
		t.Error("they are not on the clock with no job")
	}
	apptest.Consistent(t, w)
}

// A lead clocks one of the crew in by the lead's own PIN, and nobody else does; with a PIN
// that isn't theirs it is nobody's claim.
func TestALeadForOneOfTheCrew(t *testing.T) {
	w, d, number, _ := terminal(t)
	ctx := context.Background()
	other := dbtest.Get[uuid.UUID](t, w, `select e.id from employment e join person p on p.id = e.person_id where p.number = $1`, number)
	lead := dbtest.Get[string](t, w, `select l.number from employment e join unit_lead u on u.unit_id = e.unit_id
		join person l on l.id = u.person_id where e.id = $1 limit 1`, other)
	mate := dbtest.Get[string](t, w, `select p.number from employment e join person p on p.id = e.person_id
		where e.unit_id = (select unit_id from employment where id = $1) and e.id <> $1 and p.level = 'worker' limit 1`, other)
	take := func(by, pin string) (uuid.UUID, error) {
		w.Pass(time.Minute)
		id := apptest.NewID()
		_, err := d.Take(ctx, w.App, points.Pressed{Typed: points.Typed{Number: by, PIN: pin}, Other: other,
			Punch: hours.Punch{ID: id, Act: clock.In, Queued: true}})
		return id, err
	}
	for by, pin := range map[string]string{lead: "1357", mate: demo.PIN} {
		id, err := take(by, pin)
		if n := dbtest.Get[int](t, w, `select count(*) from (select id from punch union all select id from claim) x where id = $1`,
			id); !errors.Is(err, app.ErrForbidden) || n != 0 {
			t.Errorf("by %s with %s: %v, %d kept", by, pin, err, n)
		}
	}
	id, err := take(lead, demo.PIN)
	if by := dbtest.Get[string](t, w, `select x.number from punch p join person x on x.id = p.by_person where p.id = $1`, id); err != nil ||
		by != lead {
		t.Errorf("by the lead: %v, recorded by %s", err, by)
	}
	apptest.Consistent(t, w)
}
