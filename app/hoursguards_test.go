package app_test

import (
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

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

// The guard table of what changes hours that were recorded, asks for that, and
// objects to it; see TestGuards.
func TestGuardsOfHours(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx, do := t.Context(), doing(t, w)
	person := func(name string) app.Actor { return w.Person(t, name) }
	orla, mira, piet, dao, kofi := person("Orla Ebbwater"), person("Mira Castellane"), person("Piet Donoghue"), person("Dao Pham"),
		person("Kofi Larkin")
	viggo := person("Viggo Bexley")
	// A manager who clocks, an editor of one crew, a lead.
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: "level", Value: "manager"})
	viggo = person("Viggo Bexley")
	wren, tomasz := person("Wren Halloran"), person("Tomasz Brandt")
	do(orla, people.GrantRight{ID: apptest.NewID(), Person: kofi.ID, What: "amend_time", Unit: *wren.Unit})
	do(orla, people.GrantRight{ID: apptest.NewID(), Person: kofi.ID, What: "approve", Unit: *wren.Unit})
	kofi = person("Kofi Larkin") // changes the time of Wren's crew and approves it, and is of another
	of := func(who app.Actor, date when.Date) (hours.CardRef, store.Stint) {
		t.Helper()
		stints, err := store.StintsOn(ctx, w.DB, []uuid.UUID{*who.Employment}, []when.Date{date})
		apptest.Must(t, err)
		return hours.CardRef{Employment: *who.Employment, Date: date}, stints[0]
	}
	change := func(ref hours.CardRef, s store.Stint, does clock.AmendAct) hours.Change {
		return hours.Change{Employment: ref.Employment, Does: does, Of: s.ID, At: s.Start.Add(time.Minute), Kind: clock.Work, On: s.On}
	}
	amend := func(c ...hours.Change) hours.Amend { return hours.Amend{Batch: apptest.NewID(), Changes: c, Why: "x"} }
	ask := func(c hours.Change) hours.AskChange { return hours.AskChange{ID: apptest.NewID(), Change: c, Why: "x"} }
	own, ownStint := of(viggo, when.NewDate(2026, 11, 11))
	daos, daoStint := of(dao, apptest.Thursday)
	toms, tomStint := of(tomasz, apptest.Thursday)
	long := dbtest.Get[when.Date](t, w, `select max(date) from stint where employment_id = $1 and date < '2026-09-10'`, *dao.Employment)
	old, oldStint := of(dao, long)
	move := func(ref hours.CardRef, s store.Stint) hours.Change { return change(ref, s, clock.MoveStart) }
	two := amend(move(daos, daoStint), hours.Change{Employment: uuid.New(), Does: clock.Remove, Of: apptest.NewID()})

	done := amend(move(toms, tomStint))
	do(mira, done)
	asked, answered, byMira, viggos := ask(move(daos, daoStint)), ask(move(daos, daoStint)), ask(move(daos, daoStint)),
		ask(move(own, ownStint))
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "own_edits", Value: "request"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: viggo.ID, Field: "own_edits", Value: "request"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Tomasz Brandt").ID, Field: "own_edits", Value: "lead"})
	do(dao, asked)
	do(dao, answered)
	do(mira, byMira)
	do(viggo, viggos)
	do(mira, hours.DeclineRequest{Request: answered.ID, Why: "x"})
	do(mira, amend(change(own, ownStint, clock.MoveStart)))
	objected := hours.Object{ID: apptest.NewID(), Card: own, Body: "x"}
	do(viggo, objected)
	settled := hours.Object{ID: apptest.NewID(), Card: own, Body: "y"}
	do(viggo, settled)
	do(piet, hours.AnswerObjection{Objection: settled.ID, Body: "x"})
	by := func(id uuid.UUID) hours.TakeRequest { return hours.TakeRequest{Request: id, Batch: apptest.NewID()} }
	// An end that was said, and after which they clocked in; a change that was
	// taken back.
	running, err := store.LastStint(ctx, w.DB, daos.Employment)
	apptest.Must(t, err)
	ended := amend(hours.Change{Employment: daos.Employment, Does: clock.EndRunning, Of: running.ID, At: w.At().Add(-time.Minute)})
	do(mira, ended)
	do(dao, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: running.On})
	undone := amend(move(toms, tomStint))
	undone.Changes[0].At = tomStint.Start.Add(2 * time.Minute)
	do(mira, undone)
	do(mira, app.Undo{Batch: undone.Batch})
	again := asked
	again.Change.Does = clock.Remove
	twice := done
	for _, row := range []struct {
		who app.Actor
		act app.Act
		why string
	}{
		{viggo, amend(move(own, ownStint)), "your own hours"},
		{dao, amend(move(daos, daoStint)), "forbidden"},
		{wren, amend(move(toms, tomStint)), "forbidden"},
		{kofi, amend(move(daos, daoStint)), "not found"},
		{mira, two, "not found"},
		{mira, amend(), "nothing was chosen"},
		{mira, hours.Amend{Batch: apptest.NewID(), Changes: []hours.Change{move(daos, daoStint)}, Why: " "}, "no reason"},
		{mira, amend(make([]hours.Change, 2001)...), "too much at once"},
		{mira, amend(move(old, oldStint)), "more than 62 days ago"},
		{piet, twice, "conflict"},
		{mira, amend(hours.Change{Employment: daos.Employment, Does: clock.Reassign, Of: daoStint.ID, Kind: clock.Work}), "was chosen"},
		{mira, amend(hours.Change{Employment: daos.Employment, Does: clock.Reassign, Of: daoStint.ID, Kind: clock.Work,
			On: clock.Assignment{Job: apptest.NewID()}}), "no such job"},
		{dao, app.Undo{Batch: done.Batch}, "not found"},
		{mira, app.Undo{Batch: ended.Batch}, "clocked in since"},
		{mira, app.Undo{Batch: undone.Batch}, "taken back already"},
		{tomasz, ask(move(toms, tomStint)), "your lead changes"},
		{kofi, hours.DeclineRequest{Request: asked.ID, Why: "x"}, "not found"},
		{wren, app.Undo{Batch: done.Batch}, "not found"},

		{kofi, ask(move(daos, daoStint)), "not found"},
		{wren, ask(move(daos, daoStint)), "not found"},
		{dao, hours.AskChange{ID: apptest.NewID(), Change: move(daos, daoStint)}, "no reason"},
		{dao, again, "conflict"},
		{dao, ask(hours.Change{Employment: daos.Employment, Does: clock.MoveEnd, Of: daoStint.ID, At: w.At().Add(time.Hour)}),
			"would meet"},
		{viggo, by(viggos.ID), "your own hours"},
		{mira, by(byMira.ID), "asked for this yourself"},
		{piet, by(answered.ID), "answered this already"},
		{kofi, by(asked.ID), "not found"},
		{piet, by(apptest.NewID()), "not found"},
		{viggo, hours.DeclineRequest{Request: viggos.ID, Why: "x"}, "your own hours"},
		{piet, hours.DeclineRequest{Request: asked.ID, Why: ""}, "no reason"},

		{dao, hours.Object{ID: apptest.NewID(), Card: own, Body: "x"}, "not found"},
		{dao, hours.Object{ID: apptest.NewID(), Card: daos, Body: " "}, "no reason"},
		{viggo, hours.Object{ID: objected.ID, Card: own, Body: "something else"}, "conflict"},
		{dao, hours.Object{ID: apptest.NewID(), Card: daos, Body: "x"}, "nobody else has changed"},
		{viggo, hours.AnswerObjection{Objection: objected.ID, Body: "x"}, "your own objection"},
		{mira, hours.AnswerObjection{Objection: objected.ID, Body: "x"}, "changed or approved this day yourself"},
		{orla, hours.AnswerObjection{Objection: settled.ID, Body: "x"}, "answered this already"},
		{mira, hours.Approve{Card: hours.CardRef{Employment: apptest.NewID(), Date: apptest.Thursday}}, "not found"},
		{kofi, hours.AnswerObjection{Objection: objected.ID, Body: "x"}, "not found"},
		{kofi, hours.Hold{Card: daos}, "not found"},
		{kofi, hours.Release{Card: daos}, "not found"},
		{kofi, hours.SendBack{Card: daos, Why: "x"}, "not found"},
		{kofi, hours.ApproveTicked{ID: apptest.NewID(), Cards: []hours.CardRef{daos}, Why: "x"}, "not found"},
		{piet, hours.AnswerObjection{Objection: objected.ID, Body: " "}, "no reason"},
		{piet, hours.AnswerObjection{Objection: apptest.NewID(), Body: "x"}, "not found"},

		{dao, hours.SendBack{Card: toms, Why: "x"}, "not found"},
		{wren, hours.SendBack{Card: daos, Why: "x"}, "not found"},
		{mira, hours.SendBack{Card: daos, Why: " "}, "no reason"},
		{mira, hours.Hold{Card: toms}, "is not signed"},
		{viggo, hours.Hold{Card: own}, "your own card"},
		{mira, hours.Hold{Card: hours.CardRef{Employment: apptest.NewID(), Date: apptest.Thursday}}, "not found"},
		{mira, hours.DropFinding{ID: apptest.NewID()}, "not found"},
		{mira, hours.KeepFinding{ID: apptest.NewID(), Title: " "}, "no name"},
		{mira, hours.KeepFinding{ID: apptest.NewID(), Title: "x", Text: strings.Repeat("x", 1001)}, "too much to keep"},
		{dao, hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{daos}}, "forbidden"},
		{wren, hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{daos}}, "not found"},
		{kofi, hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{toms, daos}}, "not found"},
		{mira, hours.Remind{ID: apptest.NewID()}, "no card was ticked"},
		{mira, hours.Remind{ID: apptest.NewID(), Cards: make([]hours.CardRef, 2001)}, "too much at once"},
		{mira, hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{{Employment: apptest.NewID(), Date: apptest.Thursday}}},
			"not found"},
		{viggo, hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{own}}, "nobody has to sign"},
		{mira, hours.Remind{ID: apptest.NewID(), Cards: []hours.CardRef{{Employment: daos.Employment, Date: apptest.Thursday + 7}}},
			"nobody has to sign"},
		{mira, hours.ApproveTicked{ID: apptest.NewID()}, "no card was ticked"},
		{mira, hours.ApproveTicked{ID: apptest.NewID(), Cards: make([]hours.CardRef, 2001)}, "too much at once"},
		{mira, hours.ApproveTicked{ID: apptest.NewID(), Cards: []hours.CardRef{{Employment: apptest.NewID(), Date: apptest.Thursday}}},
			"not found"},
		{mira, hours.ApproveTicked{ID: apptest.NewID(), Cards: []hours.CardRef{toms, toms}, Why: strings.Repeat("x", 1001)}, "too long"},
		{viggo, hours.ApproveTicked{ID: apptest.NewID(), Cards: []hours.CardRef{own}, Why: "x"}, "objects to a change"},
		{mira, hours.Approve{Card: own, Why: "x"}, "objects to a change"},
		{piet, hours.Approve{Card: daos, Why: "x"}, "is asked for"},
		{mira, hours.Approve{Card: toms, Why: strings.Repeat("x", 1001)}, "too long"},
	} {
		if got := answer(w.Do(ctx, row.who, row.act)); !strings.Contains(strings.ToLower(got), row.why) {
			t.Errorf("%T by %s: %q, want %q", row.act, row.who.Name(), got, row.why)
		}
	}
	public, publicStint := of(person("Hugo Yilmaz"), apptest.Thursday)
	if _, err := w.DB.Exec(`update job set public_work = true where id = $1`, publicStint.On.Job); err != nil {
		t.Fatal(err)
	}
	if got := answer(w.Do(ctx, piet, hours.Approve{Card: public})); !strings.Contains(got, "no classification") {
		t.Errorf("public work without a classification, approved: %q", got)
	}
	do(dao, ask(move(old, oldStint)))    // asked for however late
	do(orla, amend(move(old, oldStint))) // an owner changes what is older
	do(orla, company.SetCompany{Field: "change_days", Value: "0"})
	do(mira, amend(change(old, oldStint, clock.Remove))) // and everybody where there is no limit
	for name, read := range map[string]func() error{
		"a claim":         func() error { _, _, err := hours.ReadClaim(ctx, w.App, kofi, apptest.NewID()); return err },
		"a request":       func() error { _, _, err := hours.ReadRequest(ctx, w.App, kofi, asked.ID); return err },
		"jobs for a card": func() error { _, err := hours.SearchFor(ctx, w.App, dao, toms, "2226"); return err },
		"a preview": func() error {
			_, err := hours.PreviewAmend(ctx, w.App, kofi, amend(move(daos, daoStint)))
			return err
		},
	} {
		if got := answer(read()); got != "not found" {
			t.Errorf("%s: %q", name, got)
		}
	}
	if _, err := hours.PreviewAmend(ctx, w.App, dao, amend(move(daos, daoStint))); answer(err) != "forbidden" {
		t.Errorf("a preview by a worker: %v", err)
	}
}
