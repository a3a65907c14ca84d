package points_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/app/points"
	"manudex/core/clock"
	"manudex/dbtest"
	"manudex/demo"
	"manudex/store"
)

// Who calls is who they say by their PIN or their own mobile; what is done, refused and
// said is in the log, once, whatever is sent again.
func TestCalls(t *testing.T) {
	w, d, number, _ := terminal(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	person := dbtest.Get[uuid.UUID](t, w, `select id from person where number = $1`, number)
	set := func(field, value string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: person, Field: field, Value: value}))
	}
	set("clock_points", "phone line")
	set("mobile", "+16175550177")
	call := func(c points.Call) string {
		t.Helper()
		w.Pass(time.Minute)
		if c.ID == uuid.Nil {
			c.ID = apptest.NewID()
		}
		for range 2 {
			if _, err := d.Call(ctx, w.App, c); err != nil {
				t.Fatal(err)
			}
		}
		log, err := d.Call(ctx, w.App, c)
		apptest.Must(t, err)
		return log.Outcome + " " + log.Why
	}
	in := points.Press{Number: number, Act: clock.In, Job: "2252", Task: "Cleaning"}
	out := points.Press{Number: number, Act: clock.Out}
	for _, c := range []struct {
		name string
		call points.Call
		want string
	}{
		{"a wrong PIN", points.Call{Press: in, PIN: "1357"}, "refused That is not the PIN"},
		{"no PIN, from another phone", points.Call{Press: in, Caller: "+16175550178"}, "refused That is not the PIN"},
		{"nobody's number", points.Call{Press: points.Press{Number: "0", Act: clock.In}, PIN: demo.PIN}, "refused Nobody here"},
		{"a job that there isn't", points.Call{Press: points.Press{Number: number, Act: clock.In, Job: "9999"}, PIN: demo.PIN},
			"refused There is no job"},
		{"by PIN", points.Call{Press: in, PIN: demo.PIN}, "recorded "},
		{"by the own mobile, no number typed",
			points.Call{Press: points.Press{Act: clock.Out}, Caller: "+16175550177", Note: "Hoist stuck"}, "recorded "},
		{"out while off the clock", points.Call{Press: out, PIN: demo.PIN}, "claim "},
		{"a note alone", points.Call{Press: points.Press{Number: number}, PIN: demo.PIN, Note: "Keys are at the gate"}, "recorded "},
	} {
		if got := call(c.call); !strings.HasPrefix(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
	set("clock_points", "own phone or browser")
	if got := call(points.Call{Press: in, PIN: demo.PIN}); !strings.HasPrefix(got, "claim ") || !strings.Contains(got, "by phone") {
		t.Errorf("who isn't given the line: %q", got)
	}
	calls, err := points.ReadCalls(ctx, w.App, mira)
	apptest.Must(t, err)
	known, notes := 0, ""
	for _, c := range calls {
		if c.Person != nil {
			known++
		}
		notes += c.Note + "|"
	}
	if len(calls) != 9 || known != 6 || !strings.Contains(notes, "Hoist stuck|") {
		t.Errorf("%d calls, %d of somebody, notes %q", len(calls), known, notes)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from note where by_person = $1 and body in ('Hoist stuck', 'Keys are at the gate')`,
		person); n != 2 {
		t.Errorf("%d notes on the card", n)
	}
	if _, err := points.ReadCalls(ctx, w.App, w.Person(t, "Dao Pham")); err != app.ErrForbidden {
		t.Errorf("a worker reads the log: %v", err)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from punch p join employment e on e.id = p.employment_id
		where e.person_id = $1 and p.point = 'line'`, person); n != 2 {
		t.Errorf("%d punches", n)
	}
	apptest.Consistent(t, w)
	// What was kept of a call goes with whoever called; the rest of it stays.
	if _, err := w.DB.Exec(`update phone_call set caller = ''`); err == nil {
		t.Error("calls were changed")
	}
	apptest.Must(t, store.ErasePerson(ctx, w.DB, person, w.At()))
	if n := dbtest.Get[int](t, w, `select count(*) from phone_call where person_id = $1 and caller <> ''`, person); n != 0 {
		t.Errorf("%d calls still say from which number", n)
	}
}
