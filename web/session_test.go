package web_test

import (
	"context"
	"net/url"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/people"
	"manudex/core/when"
)

// The remedy for a stolen phone works: whatever ends sessions ends all there
// are, for good.
func TestOldSessionsStayDead(t *testing.T) {
	for _, c := range []struct {
		name string
		ends func(s *site, office app.Actor, person uuid.UUID) error
		back func(s *site, office app.Actor, person uuid.UUID) error
	}{
		{"a new password by a link", func(s *site, office app.Actor, person uuid.UUID) error { return choose(s, office, person) }, nil},
		{"the sign-in taken, and given anew", func(s *site, office app.Actor, person uuid.UUID) error {
			return s.Do(context.Background(), office, people.TakeSignIn{Person: person})
		}, choose},
		{"ended, and brought back", func(s *site, office app.Actor, person uuid.UUID) error {
			return s.Do(context.Background(), office, people.EndPerson{ID: uuid.New(), Person: person, On: when.NewDate(2026, 11, 12)})
		}, func(s *site, office app.Actor, person uuid.UUID) error {
			return s.Do(context.Background(), office, people.BringBack{ID: uuid.New(), Person: person})
		}},
	} {
		s := open(t)
		office, nadia := s.Person(t, "Mira Castellane"), s.Person(t, "Ruth Adeyemi").ID
		phone := s.signIn(t, "Ruth Adeyemi")
		if status, _, _ := phone.get("/clock"); status != 200 {
			t.Fatalf("%s: signed in, and answered %d", c.name, status)
		}
		if err := c.ends(s, office, nadia); err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		if status, _, _ := phone.get("/clock"); status != 303 {
			t.Errorf("%s: the old session is answered %d", c.name, status)
		}
		if c.back != nil {
			if err := c.back(s, office, nadia); err != nil {
				t.Fatalf("%s: back: %v", c.name, err)
			}
			if status, _, _ := phone.get("/clock"); status != 303 {
				t.Errorf("%s: afterwards the old session is answered %d", c.name, status)
			}
		}
	}
}

// choose gives a link and chooses a password by it.
func choose(s *site, office app.Actor, person uuid.UUID) error {
	token := app.NewSignInToken()
	if err := s.Do(context.Background(), office, people.LinkFor(person, token)); err != nil {
		return err
	}
	_, err := people.ChoosePassword(context.Background(), s.World.App, token, people.Chosen{Password: "three tall beacons"})
	return err
}

// Choosing a password signs in where it was chosen.
func TestChoosingAPasswordSignsIn(t *testing.T) {
	s := open(t)
	token := app.NewSignInToken()
	if err := s.Do(context.Background(), s.Person(t, "Mira Castellane"),
		people.LinkFor(s.Person(t, "Ruth Adeyemi").ID, token)); err != nil {
		t.Fatal(err)
	}
	c := s.stranger(t)
	c.post("/welcome/"+token, url.Values{"password": {"three tall beacons"}})
	if status, _, _ := c.get("/clock"); status != 200 {
		t.Errorf("answered %d", status)
	}
}
