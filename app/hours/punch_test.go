package hours_test

import (
	"context"
	"errors"
	"math/rand/v2"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/refusal"
	"manudex/dbtest"
	"manudex/store"
)

func TestADayOfPunches(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ruth := w.Person(t, apptest.OffClock)
	plates, coating := apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2229", "Coating")
	w.Set(time.Date(2026, 11, 16, 11, 0, 7, 0, time.UTC)) // Monday 06:00:07
	for _, p := range []struct {
		hours.Punch
		after time.Duration
	}{
		{hours.Punch{Act: clock.In, On: plates}, 2*time.Hour + 13*time.Second},
		{hours.Punch{Act: clock.Switch, On: coating}, 2 * time.Hour},
		{hours.Punch{Act: clock.BreakStart, Break: clock.Meal}, 31 * time.Minute},
		{hours.Punch{Act: clock.BreakEnd}, 4 * time.Hour},
		{hours.Punch{Act: clock.Out}, time.Minute},
	} {
		p.ID = apptest.NewID()
		apptest.Must(t, w.Do(ctx, ruth, p.Punch))
		w.Pass(p.after)
	}
	page, err := hours.ReadClockPage(ctx, w.App, ruth)
	apptest.Must(t, err)
	if got, want := page.Today, int64(8*3600+13); got != want {
		t.Errorf("worked %d s, want %d", got, want)
	}
	var kinds []string
	for _, s := range page.Day.Stints {
		kinds = append(kinds, string(s.Kind)+" "+s.JobNumber)
	}
	if got := strings.Join(kinds, ", "); got != "work 2226, work 2229, meal 2229, work 2229" {
		t.Errorf("stints: %s", got)
	}
	if page.Day.Break != 31*60 || page.Day.Running() || len(page.Day.Flags) != 0 {
		t.Errorf("card: %+v", page.Day.Card)
	}
	if page.OnClock() {
		t.Error("still on the clock after clocking out")
	}
	apptest.Consistent(t, w)
}

func TestPunchesThatAreRefused(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ruth, dao := w.Person(t, apptest.OffClock), w.Person(t, "Dao Pham")
	plates := apptest.Work(t, w, "2226", "Priming")
	beacon := apptest.Work(t, w, "2224", "Connecting")
	lab := dbtest.Get[uuid.UUID](t, w, `select id from classification where code = 'LAB'`)
	with := func(on clock.Assignment, change func(*clock.Assignment)) clock.Assignment {
		change(&on)
		return on
	}
	in := func(on clock.Assignment) hours.Punch { return hours.Punch{Act: clock.In, On: on} }
	for _, c := range []struct {
		name  string
		who   app.Actor
		punch hours.Punch
		field string
		says  string
	}{
		{"no job", ruth, in(clock.Assignment{}), "job", "Choose the job you are starting on"},
		{"unknown job", ruth, in(clock.Assignment{Job: apptest.NewID()}), "job", "There is no such job"},
		{"closed job", ruth, in(apptest.Work(t, w, "2204", "")), "job", "2204 Pier lamps, North Staithe was closed"},
		{"no task", ruth, in(apptest.Work(t, w, "2226", "")), "task", "Choose the task you are starting on"},
		{"task of another job", ruth, in(with(plates, func(a *clock.Assignment) { a.Task = beacon.Task })), "task", "has no such task"},
		{"public work without a class", ruth, in(beacon), "class", "Choose the classification you work in"},
		{"a class without a wage there", ruth, in(with(beacon, func(a *clock.Assignment) {
			a.Class = apptest.NewID()
		})), "class", "no wage for that classification"},
		{"a class where none is asked", ruth, in(with(plates, func(a *clock.Assignment) { a.Class = lab })), "class", "is not public work"},
		{"out when off", ruth, hours.Punch{Act: clock.Out}, "act", "You are not on the clock"},
		{"switch when off", ruth, hours.Punch{Act: clock.Switch, On: plates}, "act", "You are not on the clock"},
		{"back from no break", dao, hours.Punch{Act: clock.BreakEnd}, "act", "You are not on a break"},
		{"a break of no kind", dao, hours.Punch{Act: clock.BreakStart}, "break", "Choose meal or rest"},
		{"nonsense", dao, hours.Punch{Act: "dance"}, "act", "not something a clock knows"},
		{"somebody who doesn't clock", w.Person(t, "Mira Castellane"), in(plates), "act", "no hourly position"},
	} {
		before := dbtest.Get[int](t, w, `select count(*) from punch`)
		c.punch.ID = apptest.NewID()
		err := w.Do(ctx, c.who, c.punch)
		var refused *refusal.Refusal
		if !errors.As(err, &refused) || refused.Field != c.field || !strings.Contains(refused.Error(), c.says) {
			t.Errorf("%s: %v", c.name, err)
		}
		if after := dbtest.Get[int](t, w, `select count(*) from punch`); after != before {
			t.Errorf("%s: refused and stored all the same", c.name)
		}
	}
}

func TestAJobClosedMeanwhile(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ruth := w.Person(t, apptest.OffClock)
	plates, other := apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2229", "Coating")
	apptest.Must(t, w.Do(ctx, ruth, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: plates}))
	_, err := w.DB.Exec(`update job set state = 'closed' where number in ('2226', '2229')`)
	apptest.Must(t, err)
	w.Pass(time.Hour)
	if err := w.Do(ctx, ruth, hours.Punch{ID: apptest.NewID(), Act: clock.Switch, On: other}); err == nil {
		t.Error("switched to a job that was closed meanwhile")
	}
	apptest.Must(t, w.Do(ctx, ruth, hours.Punch{ID: apptest.NewID(), Act: clock.Out})) // leaving a closed job is always possible
	page, err := hours.ReadClockPage(ctx, w.App, ruth)
	apptest.Must(t, err)
	for _, c := range page.Choices {
		if c.Number == "2226" || c.Number == "2229" {
			t.Errorf("closed job %s is offered", c.Number)
		}
	}
}

func TestReplay(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ruth, dao := w.Person(t, apptest.OffClock), w.Person(t, "Dao Pham")
	p := hours.Punch{ID: apptest.NewID(), Act: clock.In, On: apptest.Work(t, w, "2226", "Priming"), Moment: clock.Moment{Pressed: w.At()}}
	apptest.Must(t, w.Do(ctx, ruth, p))
	w.Pass(time.Minute)
	p.Moment = apptest.Pressed(dbtest.Now)
	apptest.Must(t, w.Do(ctx, ruth, p)) // a double tap, or a phone that never heard the answer
	if n := dbtest.Get[int](t, w, `select count(*) from punch where id = $1`, p.ID); n != 1 {
		t.Errorf("stored %d times", n)
	}
	if at := dbtest.Get[time.Time](t, w, `select claimed_at from punch where id = $1`, p.ID); !at.Equal(dbtest.Now) {
		t.Errorf("the second sending moved the punch to %s", at)
	}
	other := p
	other.On = apptest.Work(t, w, "2229", "Coating")
	if err := w.Do(ctx, ruth, other); !errors.Is(err, app.ErrConflict) {
		t.Errorf("same id, other job: %v", err)
	}
	if err := w.Do(ctx, dao, p); !errors.Is(err, app.ErrConflict) {
		t.Errorf("same id, other person: %v", err)
	}
	apptest.Consistent(t, w)
}

func TestAClockThatJumped(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ruth := w.Person(t, apptest.OffClock)
	ahead := hours.Punch{ID: apptest.NewID(), Act: clock.In,
		On:     apptest.Work(t, w, "2226", "Priming"),
		Moment: clock.Moment{Pressed: w.At().Add(90 * time.Minute), Seen: w.At().Add(90 * time.Minute)}}
	apptest.Must(t, w.Do(ctx, ruth, ahead))
	p, err := store.PunchesOf(ctx, w.DB, *ruth.Employment, w.At().Add(-time.Hour), w.At().Add(time.Hour))
	apptest.Must(t, err)
	if len(p) != 1 || !p[0].Claimed.Equal(w.At()) || !p[0].Device.Equal(ahead.Moment.Pressed) || !p[0].Ahead {
		t.Fatalf("stored as %+v", p)
	}
	page, err := hours.ReadClockPage(ctx, w.App, ruth)
	apptest.Must(t, err)
	found := false
	for _, f := range page.Day.Card.Flags {
		found = found || f.Code == card.ClockOff && f.Seconds == 90*60
	}
	if !found {
		t.Errorf("no flag for the phone's clock: %+v", page.Day.Card.Flags)
	}
	apptest.Consistent(t, w)
}

func TestOffSite(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out, Place: &geo.Point{Lat: 40.2065, Lon: -50.0}}))
	page, err := hours.ReadClockPage(ctx, w.App, dao)
	apptest.Must(t, err)
	if got := page.Day.Card.Flags; len(got) != 1 || got[0].Code != card.OffSite || got[0].Metres < 12000 {
		t.Errorf("flags: %+v", got)
	}
	apptest.Consistent(t, w)
}

// A punch that reaches a signed card opens it again, with a flag.
func TestAPunchAfterSigning(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	page, err := hours.ReadClockPage(ctx, w.App, dao)
	apptest.Must(t, err)
	ref := hours.CardRef{Employment: *dao.Employment, Date: page.Day.Date}
	apptest.Must(t, w.Do(ctx, dao, hours.Sign{Card: ref}))
	w.Pass(10 * time.Minute)
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: apptest.Work(t, w, "2219", "Erecting")}))
	got, err := hours.ReadCardPage(ctx, w.App, dao, ref)
	apptest.Must(t, err)
	if got.Row.State != card.Open || !got.Row.Standing.Late || got.Row.Class != card.Flagged {
		t.Errorf("the card is %+v, %s", got.Row.Standing, got.Row.Class)
	}
	apptest.Consistent(t, w)
}

// Many requests at once for one person, some of them the same sent twice,
// leave stints that don't overlap and cards that add up.
func TestRacingPunches(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	ruth := w.Person(t, apptest.OffClock)
	jobs := []clock.Assignment{apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2229", "Coating"), apptest.Work(t, w, "2253", "")}
	const workers, each = 12, 12
	var wg sync.WaitGroup
	ids := make([][each]uuid.UUID, workers/2) // two workers send the same ids
	for i := range ids {
		for k := range ids[i] {
			ids[i][k] = apptest.NewID()
		}
	}
	stored := make(chan uuid.UUID, workers*each)
	for n := range workers {
		wg.Add(1)
		go func() {
			defer wg.Done()
			r := rand.New(rand.NewPCG(1, uint64(n/2)))
			for k := range each {
				p := hours.Punch{ID: ids[n/2][k],
					Act: []clock.Act{clock.In, clock.Switch, clock.BreakStart, clock.BreakEnd, clock.Out}[r.IntN(5)], On: jobs[r.IntN(3)]}
				if p.Act == clock.BreakStart {
					p.Break = clock.Rest
				}
				err := w.Do(ctx, ruth, p)
				var refused *refusal.Refusal
				switch {
				case err == nil:
					stored <- p.ID
				case !errors.As(err, &refused):
					t.Errorf("%s: %v", p.Act, err)
				}
				w.Pass(time.Second)
			}
		}()
	}
	wg.Wait()
	close(stored)
	distinct := map[uuid.UUID]bool{}
	for id := range stored {
		distinct[id] = true
	}
	if n := dbtest.Get[int](t, w, `select count(*) from punch where employment_id = $1 and received_at >= $2`, *ruth.Employment,
		dbtest.Now); n != len(distinct) {
		t.Errorf("%d punches are stored, %d ids were accepted", n, len(distinct))
	}
	if n := dbtest.Get[int](t, w, `select count(*) from stint a join stint b on a.person_id = b.person_id and a.id < b.id
		and tstzrange(a.start_at, a.end_at) && tstzrange(b.start_at, b.end_at) where a.person_id = $1`, ruth.ID); n != 0 {
		t.Errorf("%d pairs of stints overlap", n)
	}
	apptest.Consistent(t, w)
}

// The database guards the laws itself, whatever writes to it.
func TestTheDatabaseGuardsTheLaws(t *testing.T) {
	w := dbtest.Open(t)
	running := `insert into stint select gen_random_uuid(), person_id, employment_id, date, attendance_at, kind, job_id, task_id, class_id,
		start_at + interval '1 minute', %s, start_by, end_by, base_at from stint where end_at is null limit 1`
	for _, c := range []struct{ name, sql, says string }{
		{"a second open stint", strings.Replace(running, "%s", "null", 1), "stint_open"},
		{"an overlapping stint", strings.Replace(running, "%s", "start_at + interval '2 minutes'", 1), "stint_no_overlap"},
		{"a stint that ends before it starts", strings.Replace(running, "%s", "start_at - interval '2 minutes'", 1), "stint"},
		{"changing a punch", `update punch set claimed_at = claimed_at - interval '1 hour'`, "punch is append-only: update refused"},
		{"deleting a punch", `delete from punch`, "punch is append-only: delete refused"},
		{"changing a move", `update card_act set move = 'approve'`, "append-only"},
		{"changing a pay line", `update pay_line set amount = amount + 1`, "append-only"},
		{"deleting a run", `delete from run`, "append-only"},
		{"changing the audit list", `delete from audit`, "append-only"},
	} {
		if _, err := w.DB.Exec(c.sql); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

func TestAnUnknownZone(t *testing.T) {
	w := dbtest.Open(t)
	_, err := w.DB.Exec(`update company set zone = 'Atlantis/Ebbwater'`)
	apptest.Must(t, err)
	if _, err := w.Company(context.Background()); err == nil ||
		!strings.Contains(err.Error(), `"Atlantis/Ebbwater" is unknown; set an IANA zone`) {
		t.Errorf("an unknown zone gives %v", err)
	}
}

func TestNotes(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := w.Person(t, "Dao Pham")
	n := hours.AddNote{ID: apptest.NewID(), Body: "  Lift was out.  "}
	apptest.Must(t, w.Do(ctx, dao, n))
	apptest.Must(t, w.Do(ctx, dao, n)) // sent twice, kept once
	page, err := hours.ReadClockPage(ctx, w.App, dao)
	apptest.Must(t, err)
	if len(page.Notes) != 1 || page.Notes[0].Body != "Lift was out." {
		t.Errorf("notes: %+v", page.Notes)
	}
	for body, says := range map[string]string{" ": "The note is empty", strings.Repeat("ä", 1001): "Keep it to 1,000 characters"} {
		if err := w.Do(ctx, dao, hours.AddNote{ID: apptest.NewID(), Body: body}); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%.10q: %v", body, err)
		}
	}
}

// Where somebody is, is taken as was set: not at all, at each punch, or also
// along the way; and who needs a location can't punch without.
func TestLocation(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, viggo := w.Person(t, "Mira Castellane"), w.Person(t, "Viggo Bexley")
	set := func(field, value string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: field, Value: value}))
	}
	here := geo.Point{Lat: 40.2065, Lon: -50.1480}
	job := apptest.JobOf(t, w, "2253")
	punch := func(act clock.Act, point clock.Point, place *geo.Point) error {
		w.Pass(time.Minute)
		viggo.Point = point
		return w.Do(ctx, viggo, hours.Punch{ID: apptest.NewID(), Act: act, On: clock.Assignment{Job: job}, Place: place})
	}
	if dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		apptest.Must(t, punch(clock.Out, clock.OwnPhone, nil))
	}
	set("location_required", "yes")
	apptest.Must(t, punch(clock.In, clock.OwnPhone, nil))
	if n := dbtest.Get[int](t, w, `select count(*) from claim where employment_id = $1 and why = 'refused'`, viggo.Employment); n != 1 ||
		dbtest.Get[bool](t, w, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		t.Errorf("without a location: %d claims", n)
	}
	apptest.Must(t, punch(clock.In, clock.OwnPhone, &here))
	last := func() (lat *float64) {
		return dbtest.Get[*float64](t, w, `select lat from punch where employment_id = $1 order by claimed_at desc limit 1`,
			viggo.Employment)
	}
	if lat := last(); lat == nil || *lat != here.Lat {
		t.Errorf("the place of the punch: %v", lat)
	}
	seen := func(metres float64, after time.Duration) error {
		w.Pass(after)
		return w.Do(ctx, viggo, hours.SeePlace{ID: apptest.NewID(), Place: geo.Point{Lat: here.Lat + metres/111_195, Lon: here.Lon}})
	}
	count := func() int {
		return dbtest.Get[int](t, w, `select count(*) from place_seen where employment_id = $1`, viggo.Employment)
	}
	apptest.Refusal(t, seen(0, time.Minute)) // at punches only
	set("location", "along")
	for _, c := range []struct {
		metres float64
		after  time.Duration
		want   int
	}{{0, time.Minute, 1}, {1000, 11 * time.Minute, 1}, {1000, time.Minute, 2}, {1190, 20 * time.Minute, 2}, {1210, time.Minute, 3}} {
		apptest.Must(t, seen(c.metres, c.after))
		if n := count(); n != c.want {
			t.Errorf("%.0f m on, %s later: %d places, want %d", c.metres, c.after, n, c.want)
		}
	}
	viggo.Point = clock.OwnPhone
	apptest.Must(t, w.Do(ctx, viggo, hours.Punch{ID: apptest.NewID(), Act: clock.BreakStart, Break: clock.Meal}))
	apptest.Refusal(t, seen(3000, 20*time.Minute)) // never on a meal
	apptest.Must(t, w.Do(ctx, viggo, hours.Punch{ID: apptest.NewID(), Act: clock.BreakEnd}))
	set("location", "off")
	apptest.Refusal(t, seen(5000, time.Hour))
	apptest.Must(t, punch(clock.Switch, clock.OwnPhone, &here)) // off: none is needed and none is kept
	if lat := last(); lat != nil {
		t.Errorf("switched off, %v was kept", *lat)
	}
	set("location", "along")
	apptest.Must(t, punch(clock.Out, clock.OwnPhone, &here))
	apptest.Refusal(t, seen(9000, time.Hour)) // off the clock
	if n := count(); n != 3 {
		t.Errorf("%d places in the end", n)
	}
	if _, err := w.DB.Exec(`delete from place_seen`); err == nil {
		t.Error("places were deleted")
	}
}
