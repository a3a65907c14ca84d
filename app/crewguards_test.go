package app_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// Every "no" of a crew's sheet, and of who is added on it: of who may, and of what can't be.
func TestRefusedOnCrewSheets(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	wren, mira, dao, orla := w.Person(t, "Wren Halloran"), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham"), w.Person(t,
		"Orla Ebbwater")
	today := when.NewDate(2026, 11, 13)
	unit, shop := *wren.Unit, *dao.Unit
	abena := w.Person(t, "Abena Farouk")
	id := apptest.NewID
	punch := func(in uuid.UUID, day when.Date, who uuid.UUID, steps ...hours.CrewStep) hours.CrewPunches {
		return hours.CrewPunches{ID: id(), Unit: in, Day: day, People: []uuid.UUID{who}, Steps: steps}
	}
	out := hours.CrewStep{Act: clock.Out}
	at := func(act clock.Act, hour int) hours.CrewStep {
		return hours.CrewStep{Act: act, On: apptest.Work(t, w, "2247", "Erecting"), At: hours.SaidTime{Date: today,
			Of: time.Duration(hour) * time.Hour}}
	}
	newcomer := func(in uuid.UUID, day when.Date, name, mobile string) people.AddNewcomer {
		return people.AddNewcomer{ID: id(), Employment: id(), Unit: in, Day: day, Name: name, Mobile: mobile}
	}
	ned, other := newcomer(unit, today, "Ned Carrow", "555 0188"), newcomer(unit, today, "Ida Carrow", "555 0189")
	apptest.Must(t, w.Do(ctx, wren, ned))
	apptest.Must(t, w.Do(ctx, wren, other))
	counted := apptest.Work(t, w, "2247", "Erecting")
	count := hours.CountWork{ID: id(), Unit: shop, Day: today, Job: counted.Job, Task: counted.Task, Amount: "1"}
	later := count
	later.Unit, later.Day = unit, today+1
	nothing := later
	nothing.Job, nothing.Day = id(), today
	for _, row := range []refused{
		{dao, punch(unit, today, *abena.Employment, out), "forbidden"},
		{wren, punch(shop, today, *dao.Employment, out), "not found"},
		{wren, punch(unit, today, *dao.Employment, out), "not found"},
		{wren, punch(unit, today, id(), out), "not found"},
		{wren, hours.CrewPunches{ID: id(), Unit: unit, Day: today, Steps: []hours.CrewStep{out}}, "Nobody is ticked"},
		{wren, hours.CrewPunches{ID: id(), Unit: unit, Day: today, People: make([]uuid.UUID, 301), Steps: []hours.CrewStep{out}},
			"too much"},
		{wren, hours.CrewPunches{ID: id(), Unit: unit, Day: today, People: []uuid.UUID{*abena.Employment}, Steps: make([]hours.CrewStep,
			13)},
			"too much"},
		{wren, hours.Borrow{ID: id(), Unit: shop, Day: today, Employment: *abena.Employment}, "not found"},
		{wren, hours.Borrow{ID: id(), Unit: unit, Day: today, Employment: id()}, "not found"},
		{wren, hours.Borrow{ID: id(), Unit: unit, Day: today, Employment: *abena.Employment}, "of this crew"},
		{wren, hours.Borrow{ID: id(), Unit: unit, Day: today + 1, Employment: *dao.Employment}, "of that day"},
		{wren, hours.Borrow{ID: id(), Unit: unit, Day: today - 15, Employment: *dao.Employment}, "of that day"},
		{mira, hours.Borrow{ID: id(), Unit: shop, Day: today - 1, Employment: ned.Employment}, "doesn’t work here"},
		{dao, hours.Borrow{ID: id(), Unit: unit, Day: today, Employment: *dao.Employment}, "forbidden"},
		{wren, hours.GiveBack{Unit: unit, Day: today, Employment: *dao.Employment}, "not found"},
		{wren, hours.GiveBack{Unit: unit, Day: today, Employment: *abena.Employment}, "of this crew"},
		{wren, hours.NotThere{ID: id(), Unit: unit, Day: today, Employment: *dao.Employment}, "not found"},
		{wren, hours.NotThere{ID: id(), Unit: unit, Day: today, Employment: id()}, "not found"},
		{dao, hours.NotThere{ID: id(), Unit: unit, Day: today, Employment: *abena.Employment}, "forbidden"},
		{wren, count, "not found"},
		{wren, later, "not come yet"},
		{wren, nothing, "not found"},
		{wren, hours.SignSheet{ID: id(), Unit: shop, Day: today, Seen: "x"}, "not found"},
		{wren, hours.SignSheet{ID: id(), Unit: unit, Day: today, Seen: "x"}, "No card is ready"},
		{wren, hours.SignSheet{ID: id(), Unit: unit, Day: today + 400, Seen: "x"}, "No card is ready"},
		{dao, hours.SignSheet{ID: id(), Unit: unit, Day: today, Seen: "x"}, "forbidden"},
		{wren, newcomer(shop, today, "Ned Quay", "555 0190"), "not found"},
		{wren, newcomer(unit, today, "Ned", "555 0190"), "name is missing"},
		{wren, newcomer(unit, today, "Ned Quay", ""), "mobile is missing"},
		{wren, newcomer(unit, today, "Ned Quay", "hello"), "mobile"},
		{wren, newcomer(unit, today+1, "Ned Quay", "555 0190"), "of that day"},
		{wren, newcomer(unit, today-15, "Ned Quay", "555 0190"), "of that day"},
		{mira, ned, "conflict"}, // the same id, by somebody else
		{dao, newcomer(unit, today, "Ned Quay", "555 0190"), "forbidden"},
		{wren, people.CompletePerson{Person: ned.ID}, "forbidden"},
		{mira, people.CompletePerson{Person: ned.ID}, "no number yet"},
		{mira, people.CompletePerson{Person: orla.ID}, "level"},
		{mira, people.JoinPerson{ID: id(), Person: ned.ID, Into: ned.ID}, "same person"},
		{mira, people.JoinPerson{ID: id(), Person: abena.ID, Into: dao.ID}, "by themselves"},
		{mira, people.JoinPerson{ID: id(), Person: ned.ID, Into: other.ID}, "on the spot too"},
		{mira, people.JoinPerson{ID: id(), Person: ned.ID, Into: mira.ID}, "for themselves"},
		{mira, people.JoinPerson{ID: id(), Person: ned.ID, Into: orla.ID}, "level"},
		{orla, people.JoinPerson{ID: id(), Person: ned.ID, Into: mira.ID}, "no position"},
		{wren, people.JoinPerson{ID: id(), Person: ned.ID, Into: abena.ID}, "forbidden"},
	} {
		row.try(t, w)
	}
	for _, row := range []struct {
		name string
		act  hours.CrewPunches
		why  string
	}{
		{"to come", punch(unit, today, *abena.Employment, at(clock.Out, 20)), "still to come"},
		{"of another day", punch(unit, today-3, *abena.Employment, at(clock.Out, 9)), "not on the day"},
		{"of a day before", punch(unit, today+1, *abena.Employment, at(clock.Out, 9)), "not on the day"},
		{"in no order", punch(unit, today-1, ned.Employment, at(clock.In, 9), at(clock.Out, 8)), "follow on"},
		{"on a break, of who is off", punch(unit, today, ned.Employment, hours.CrewStep{Act: clock.BreakStart, Break: clock.Meal}),
			"off the clock"},
		{"back, of who is at work", punch(unit, today, *abena.Employment, hours.CrewStep{Act: clock.BreakEnd}), "at work"},
		{"on no job there is", punch(unit, today, ned.Employment, hours.CrewStep{Act: clock.In, On: clock.Assignment{Job: id()}}),
			"There is no such"},
		{"on public work without a class",
			punch(unit, today, ned.Employment, hours.CrewStep{Act: clock.In, On: apptest.Work(t, w, "2231", "Erecting")}), "public work"},
	} {
		told := ""
		row.act.Tell = func(all []hours.CrewTold) {
			for _, one := range all {
				if one.Refused != nil {
					told = one.Refused.Wrong
				}
			}
		}
		apptest.Must(t, w.Do(ctx, mira, row.act))
		if !strings.Contains(told, row.why) {
			t.Errorf("%s: %q, want %q", row.name, told, row.why)
		}
	}
	for what, read := range map[string]func() error{
		"the sheet of another crew": func() error { _, err := hours.ReadCrewSheet(ctx, w.App, wren, shop, today, ""); return err },
		"what another crew works on": func() error {
			_, _, err := hours.CrewChoices(ctx, w.App, wren, shop, today, "")
			return err
		},
	} {
		if err := read(); err != app.ErrNotFound {
			t.Errorf("%s: %v", what, err)
		}
	}
	// Without the right to change others' time, a manager of people joins nobody.
	g := w.Person(t, "Wren Halloran")
	g.Grants = nil
	if _, err := people.MayBe(ctx, w.App, g, ned.ID, ""); err != app.ErrForbidden {
		t.Errorf("whom somebody may be, asked by a lead: %v", err)
	}
}
