package work_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/hours"
	_ "manudex/app/people" // registers files of people
	"manudex/app/work"
	"manudex/dbtest"
)

// working works the queue until the test ends.
func working(t *testing.T, w *dbtest.World) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- work.Run(ctx, w.App) }()
	t.Cleanup(func() {
		stop()
		if err := <-done; err != nil {
			t.Error(err)
		}
	})
}

// wait waits until a query says so.
func wait(t *testing.T, w *dbtest.World, query string, args ...any) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	for !dbtest.Get[bool](t, w, query, args...) {
		if ctx.Err() != nil {
			t.Fatalf("it never came to be that %s", query)
		}
	}
}

func aFile(t *testing.T, w *dbtest.World, who app.Actor) uuid.UUID {
	t.Helper()
	id := apptest.NewID()
	rows := [][]string{{"Number", "Title"}, {w.Person(t, "Dao Pham").Number, "Keeper"}}
	apptest.Must(t, w.Do(t.Context(), who, bringin.TakeFile{Kind: bringin.PeopleFile, ID: id, FileName: "a.csv", Rows: rows}))
	return id
}

// A file that was asked to be brought in is brought in by whichever node works
// the queue, once, however often that was pressed.
func TestAFileIsBroughtInOnce(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	id := aFile(t, w, mira)
	for range 3 {
		apptest.Must(t, w.Do(t.Context(), mira, bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: id}))
	}
	if n := dbtest.Get[int](t, w, `select count(*) from river_job`); n != 1 {
		t.Errorf("%d jobs wait, want 1", n)
	}
	working(t, w)
	wait(t, w, `select applied_at is not null from import where id = $1`, id)
	wait(t, w, `select bool_and(state = 'completed') from river_job`)
	if n := dbtest.Get[int](t, w, `select count(*) from change where batch_id = $1`, id); n != 1 {
		t.Errorf("%d changes", n)
	}
	if err := w.Do(t.Context(), mira, bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: id}); apptest.Refusal(t, err).Field != "file" {
		t.Errorf("asked for once more: %v", err)
	}
}

// failing asks for a job, and then fails.
type failing struct{ bringin.QueueBringIn }

var errOwn = errors.New("it fails after asking")

func (f failing) Do(ctx context.Context, t *app.Turn) error {
	if err := f.QueueBringIn.Do(ctx, t); err != nil {
		return err
	}
	return errOwn
}

// An act that is rolled back leaves no job.
func TestWhatIsRolledBackLeavesNoJob(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	err := w.Do(t.Context(), mira, failing{bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: aFile(t, w, mira)}})
	if !errors.Is(err, errOwn) {
		t.Fatal(err)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from river_job`); n != 0 {
		t.Errorf("%d jobs are left", n)
	}
}

// A job whose node died in the middle is run by another.
func TestAJobWhoseNodeDied(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	id := aFile(t, w, mira)
	apptest.Must(t, w.Do(t.Context(), mira, bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: id}))
	if _, err := w.DB.Exec(`update river_job set state = 'running', attempt = 1, attempted_at = now() - interval '1 hour',
		attempted_by = array['gone']`); err != nil {
		t.Fatal(err)
	}
	if n, err := w.Stuck(t.Context()); err != nil || n != 1 {
		t.Errorf("%d jobs count as stuck: %v", n, err)
	}
	working(t, w)
	wait(t, w, `select applied_at is not null from import where id = $1`, id)
}

// What is refused is said with the file; what was given up can be run again,
// by whoever may change the settings.
func TestWhatFailed(t *testing.T) {
	w := dbtest.Open(t)
	mira := w.Person(t, "Mira Castellane")
	id := aFile(t, w, mira)
	apptest.Must(t, w.Do(t.Context(), mira, bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: id, Wrong: 7}))
	working(t, w)
	wait(t, w, `select exists (select 1 from import_progress where import_id = $1 and failed like 'Something changed%')`, id)
	wait(t, w, `select bool_and(state = 'completed') from river_job`)

	if _, err := w.DB.Exec(`update river_job set state = 'discarded',
		errors = array['{"error": "the disk was full", "at": "2026-11-13T00:00:00Z", "attempt": 1, "trace": ""}'::jsonb]
		where kind = 'bring_in'`); err != nil {
		t.Fatal(err)
	}
	page, err := app.Work(t.Context(), w.App, mira)
	apptest.Must(t, err)
	for i := len(page.Jobs) - 1; i >= 0; i-- { // others come by time
		if page.Jobs[i].Kind != "bring_in" {
			page.Jobs = append(page.Jobs[:i], page.Jobs[i+1:]...)
		}
	}
	if page.Stuck != 1 || len(page.Jobs) != 1 || page.Jobs[0].Error != "the disk was full" {
		t.Fatalf("the page %+v", page)
	}
	if _, err := app.Work(t.Context(), w.App, w.Person(t, "Wren Halloran")); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead reads the queue: %v", err)
	}
	if err := w.Do(t.Context(), w.Person(t, "Wren Halloran"), app.RetryWork{Job: page.Jobs[0].ID}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead runs a job again: %v", err)
	}
	if err := w.Do(t.Context(), mira, app.RetryWork{Job: 1 << 40}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a job that isn't there: %v", err)
	}
	apptest.Must(t, w.Do(t.Context(), mira, app.RetryWork{Job: page.Jobs[0].ID}))
	wait(t, w, `select bool_and(state = 'completed') from river_job`)
}

// What is derived is worked out anew by a job, which keeps what it found for
// the page to say.
func TestTheNightlyCheck(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := t.Context(), w.Person(t, "Mira Castellane")
	due := func() { // as the queue does each night
		t.Helper()
		_, err := w.DB.Exec(`insert into river_job (kind, args, max_attempts, queue, state) 
			values ('verify', '{}', 1, 'default', 'available')`)
		apptest.Must(t, err)
	}
	working(t, w)
	due()
	wait(t, w, `select count(*) = 1 from checked`)
	p, err := app.Work(ctx, w.App, mira)
	apptest.Must(t, err)
	if c := p.Checked; c == nil || c.Differences != 0 || c.Stints < 3000 || c.Cards < 1000 || c.Since.String() != "2026-10-02" {
		t.Errorf("checked: %+v", c)
	}
	// Somebody changes what is stored behind the application's back.
	for _, damage := range []string{
		`update hours set seconds = seconds + 60 where ctid = (select ctid from hours where date = '2026-11-12' limit 1)`,
		`update hours set seconds = seconds + 60 where ctid = (select ctid from hours where date = '2026-08-12' limit 1)`,
		`update card set worked = worked + 60 where ctid = (select ctid from card where date = '2026-11-11' and worked > 0 limit 1)`,
	} {
		_, err := w.DB.Exec(damage)
		apptest.Must(t, err)
	}
	w.Set(w.At().Add(time.Minute))
	due()
	wait(t, w, `select count(*) = 2 from checked`)
	p, err = app.Work(ctx, w.App, mira)
	apptest.Must(t, err)
	if c := p.Checked; c.Differences != 2 || !strings.Contains(c.First, "2026-11-12") || !strings.Contains(c.First, "2026-11-11") {
		t.Errorf("what was changed is not found: %+v", c)
	}
	if len(p.Found) != 2 || strings.Contains(p.Found[0], "019") || !strings.Contains(p.Found[0], ", ") {
		t.Errorf("whose it is isn't said: %q", p.Found)
	}
	_, _, found, err := hours.Verify(ctx, w.App, hours.ToVerify{})
	if err != nil || len(found) != 3 {
		t.Errorf("all of it: %v, %v", found, err)
	}
}
