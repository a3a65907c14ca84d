package hours_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
)

// What the place asks of days and stints stands on the cards of whom it is asked, is answered
// there, and goes into the file of the run that pays them.
func TestFieldsOfDays(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao, orla := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham"), w.Person(t, "Orla Ebbwater")
	e := *dao.Employment
	vehicle := hours.PutDayField{ID: apptest.NewID(), Title: "Vehicle", Kind: "choice", Choices: "Van 1\nVan 2"}
	layers := hours.PutDayField{ID: apptest.NewID(), Title: "Layers", Kind: "number", OfStint: true}
	others := hours.PutDayField{ID: apptest.NewID(), Title: "Tide", Kind: "text", Unit: *w.Person(t, "Wren Halloran").Unit}
	for _, f := range []hours.PutDayField{vehicle, layers, others} {
		apptest.Must(t, w.Do(ctx, mira, f))
	}
	day := hours.CardRef{Employment: e, Date: when.NewDate(2026, 11, 13)}
	page, err := hours.ReadCardPage(ctx, w.App, dao, day)
	apptest.Must(t, err)
	var stint uuid.UUID
	var names []string
	for _, a := range page.Asked {
		names = append(names, a.Name)
		if a.OfStint {
			stint = a.Stint
		}
	}
	if got := strings.Join(names, " "); !strings.HasPrefix(got, "Vehicle Layers") || strings.Contains(got, "Tide") {
		t.Fatalf("asked of Dao: %s", got)
	}
	say := func(field, stint uuid.UUID, value string) error {
		return w.Do(ctx, dao, hours.SayOfDay{ID: apptest.NewID(), Card: day, Stint: stint, Field: field, Value: value})
	}
	apptest.Must(t, say(vehicle.ID, uuid.Nil, "Van 2"))
	apptest.Must(t, say(layers.ID, stint, "3"))
	for _, c := range []struct {
		err error
		why string
	}{
		{say(vehicle.ID, uuid.Nil, "Van 3"), "Vehicle"}, {say(layers.ID, stint, "many"), "Layers"},
		{say(vehicle.ID, stint, "Van 1"), "no such thing"}, {say(layers.ID, uuid.Nil, "3"), "no such thing"},
		{say(layers.ID, apptest.NewID(), "3"), "no such thing"}, {say(others.ID, uuid.Nil, "low"), "no such thing"},
		{w.Do(ctx, w.Person(t, "Wren Halloran"), hours.SayOfDay{ID: apptest.NewID(), Card: day, Field: vehicle.ID, Value: "Van 1"}),
			"no such thing"},
		{w.Do(ctx, dao, hours.SayOfDay{ID: apptest.NewID(), Card: hours.CardRef{Employment: e, Date: day.Date + 100}, Field: vehicle.ID}),
			"too far ahead"},
		{w.Do(ctx, mira, hours.PutDayField{ID: apptest.NewID(), Title: "vehicle", Kind: "text"}), "asked already"},
		{w.Do(ctx, mira, hours.PutDayField{ID: apptest.NewID(), Title: " ", Kind: "text"}), "no name"},
		{w.Do(ctx, mira, hours.PutDayField{ID: apptest.NewID(), Title: "Kind", Kind: "picture"}), "no such thing"},
		{w.Do(ctx, mira, hours.PutDayField{ID: apptest.NewID(), Title: "Crew", Kind: "text", Unit: apptest.NewID()}), "no such thing"},
	} {
		if c.err == nil || !strings.Contains(c.err.Error(), c.why) {
			t.Errorf("%v, want %q", c.err, c.why)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, hours.CloseDayField{ID: vehicle.ID})) // asked no more, and answered still
	page, err = hours.ReadCardPage(ctx, w.App, mira, day)
	apptest.Must(t, err)
	answers := map[string]string{}
	for _, a := range page.Asked {
		answers[a.Name] += a.Value
	}
	if answers["Vehicle"] != "Van 2" || answers["Layers"] != "3" {
		t.Errorf("answers %v", answers)
	}
	if err := say(vehicle.ID, uuid.Nil, "Van 1"); err == nil {
		t.Error("answered though it is asked no more")
	}

	// Approved, it isn't theirs to change; the run's file holds it.
	w.Set(apptest.AfterPeriod)
	apptest.Must(t, w.Do(ctx, orla, hours.EndStint{ID: apptest.NewID(), Employment: e, At: dbtest.Now.Add(time.Hour), Why: "went home"}))
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: day, Why: "as agreed"}))
	if err := say(layers.ID, stint, "4"); err == nil || !strings.Contains(err.Error(), "approved") {
		t.Errorf("changed on an approved day: %v", err)
	}
	run, _ := apptest.CloseOpenRun(t, w)
	lines, further, _, err := payroll.RunLines(ctx, w.App, orla, run)
	apptest.Must(t, err)
	var b bytes.Buffer
	apptest.Must(t, files.WriteRun(&b, lines, further...))
	rows, err := csv.NewReader(&b).ReadAll()
	apptest.Must(t, err)
	if got := strings.Join(rows[0][len(files.RunHeader):], ","); got != "Vehicle,Layers" {
		t.Fatalf("further columns %q", got)
	}
	found := 0
	for _, row := range rows[1:] {
		if row[6] == "2026-11-13" && row[4] == "Pham" && row[len(row)-2] == "Van 2" && row[len(row)-1] == "3" {
			found++
		} else if row[4] != "Pham" && row[len(row)-2] != "" {
			t.Errorf("somebody else's line says %q", row[len(row)-2])
		}
	}
	if found == 0 {
		t.Error("no line of that day says what was said")
	}
}
