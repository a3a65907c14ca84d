package web_test

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app/people"
	"manudex/dbtest"
)

// Who has two positions chooses in which they clock; on the clock it stays.
func TestChoosePosition(t *testing.T) {
	s := open(t)
	mira, viggo := s.Person(t, "Mira Castellane"), s.Person(t, "Viggo Bexley")
	second := uuid.Must(uuid.NewV7())
	c := s.signIn(t, "Viggo Bexley")
	if _, body, _ := c.get("/clock"); strings.Contains(body, "You clock as") {
		t.Error("a position is asked for where there is one")
	}
	if err := s.Do(t.Context(), mira,
		people.AddPosition{ID: second, Person: viggo.ID, Unit: "Drawing office", Title: "Draughtsperson",
			StartsOn: "2026-11-09"}); err != nil {
		t.Fatal(err)
	}
	if dbtest.Get[bool](t, s.World, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, viggo.ID) {
		if status, _, _ := c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"out"}}); status != http.StatusSeeOther {
			t.Fatalf("clocking out: %d", status)
		}
	}
	if _, body, _ := c.get("/clock"); !strings.Contains(body, "You clock as") || !strings.Contains(body, "Draughtsperson, Drawing office") {
		t.Errorf("no choice of positions: %s", body)
	}
	if status, _, _ := c.post("/clock/position",
		url.Values{"position": {s.Person(t, "Kofi Larkin").Employment.String()}}); status != http.StatusNotFound {
		t.Errorf("somebody else's position: %d", status)
	}
	if status, _, _ := c.post("/clock/position", url.Values{"position": {second.String()}}); status != http.StatusSeeOther {
		t.Fatalf("choosing: %d", status)
	}
	job := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2253'`)
	if status, body, _ := c.post("/clock/punch",
		url.Values{"id": {uuid.NewString()}, "act": {"in"}, "choice": {job.String()}}); status != http.StatusSeeOther {
		t.Fatalf("clocking in: %d %s", status, body)
	}
	if on := dbtest.Get[uuid.UUID](t, s.World, `select employment_id from stint where person_id = $1 and end_at is null`,
		viggo.ID); on != second {
		t.Errorf("clocked in as %s, chose %s", on, second)
	}
	// Another browser, where nothing was chosen, shows what runs.
	other := s.signIn(t, "Viggo Bexley")
	if _, body, _ := other.get("/clock"); !strings.Contains(body, "as Draughtsperson") || strings.Contains(body, "You clock as") {
		t.Error("on the clock, another browser doesn't show the position that runs")
	}
	if status, _, _ := other.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"out"}}); status != http.StatusSeeOther {
		t.Errorf("clocking out there: %d", status)
	}
}
