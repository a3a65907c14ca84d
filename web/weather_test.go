package web_test

import (
	"context"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
)

// While the database is away a page says so and comes back by itself; a form is
// never told that nothing was changed, as nobody knows.
func TestTheDatabaseIsAway(t *testing.T) {
	s := open(t)
	c := s.signIn(t, "Dao Pham")
	s.DB.Pool.Close()
	for _, path := range []string{"/clock", "/signin", "/readyz"} {
		status, body, h := c.get(path)
		if status != 503 {
			t.Errorf("%s: %d", path, status)
		}
		if path != "/readyz" && (h.Get("Retry-After") == "" || !strings.Contains(body, `data-again="5"`) ||
			!strings.Contains(body, "Back in a moment")) {
			t.Errorf("%s doesn't come back by itself: %s", path, body)
		}
	}
	status, body, _ := c.post("/clock/punch", url.Values{"id": {uuid.NewString()}, "act": {"out"}})
	if status != 503 || strings.Contains(body, "Nothing was changed") || strings.Contains(body, "data-again") {
		t.Errorf("a punch: %d\n%s", status, body)
	}
}

// A stream ends when its session does, and when it can't be asked whether it
// has.
func TestStreamsEndWithTheirSession(t *testing.T) {
	s := open(t)
	for name, end := range map[string]func(c *client){
		"Viggo Bexley": func(c *client) { c.post("/signout", nil) },
		"Dao Pham": func(c *client) { // the sign-in is taken
			apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), people.TakeSignIn{Person: s.Person(t, "Dao Pham").ID}))
		},
	} {
		c := s.signIn(t, name)
		events := stream(t, s, c)
		expect(t, events, "hello")
		end(c)
		beats := 0
		for range events { // until the stream ends
			if beats++; beats > 200 {
				t.Fatalf("%s: the stream goes on", name)
			}
		}
	}
	actor, err := s.Actor(context.Background(), s.Person(t, "Viggo Bexley").ID)
	apptest.Must(t, err)
	before := actor.Standing()
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"),
		people.SetPerson{ID: uuid.New(), Person: actor.ID, Field: "level", Value: "manager"}))
	actor, err = s.Actor(context.Background(), actor.ID)
	apptest.Must(t, err)
	if actor.Standing() == before {
		t.Error("a stream of a worker isn't told from one of a manager")
	}
}

// Instants are shown in the place's zone: late in the evening it is still the
// same day.
func TestInstantsInThePlacesZone(t *testing.T) {
	s := open(t)
	s.Set(when.NewDate(2026, 11, 13).At(20*time.Hour, mustLoc(t, s)))
	mira, dao := s.Person(t, "Mira Castellane"), s.Person(t, "Dao Pham")
	apptest.Must(t, s.Do(t.Context(), mira, people.SetPerson{ID: uuid.New(), Person: dao.ID, Field: "title", Value: "Keeper"}))
	if _, err := s.DB.Exec(`update person set last_seen_at = $2 where id = $1`, dao.ID, s.At()); err != nil {
		t.Fatal(err)
	}
	c := s.signIn(t, "Mira Castellane")
	_, body, _ := c.get("/people/" + dao.ID.String())
	for _, want := range []string{"Last seen\n      13 Nov 2026", "13 Nov 2026 20:00"} {
		if !strings.Contains(body, want) {
			t.Errorf("the page doesn't say %q", want)
		}
	}
}

// Names count by their characters, whatever letters they are in.
func TestNamesCountByCharacters(t *testing.T) {
	s := open(t)
	long := strings.Repeat("ü", 78)
	c := s.signIn(t, "Mira Castellane")
	c.post("/setup/units", url.Values{"id": {uuid.NewString()}, "kind": {"crew"}, "name": {long}, "title": {long}})
	if n := dbtest.Get[int](t, s.World, `select count(*) from unit where name = $1`, long); n != 1 {
		t.Error("78 characters are more than 80")
	}
}

func mustLoc(t *testing.T, s *site) *time.Location {
	t.Helper()
	c, err := s.Company(t.Context())
	apptest.Must(t, err)
	return c.Loc
}
