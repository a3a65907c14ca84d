package people

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/store"
)

// forgottenLasts is how long a link that somebody asked for by mail can be used.
const forgottenLasts = time.Hour

// LinkLasts is how long a sign-in link can be used.
const LinkLasts = 7 * 24 * time.Hour

// GiveSignIn gives people links or printed codes by which they choose a password.
// Each works once; one given before ends.
type GiveSignIn struct {
	To      []Link
	Fitting bool // those whom the actor may not give one are left out; else all or none
}

// Link is a link for somebody.
type Link struct {
	Person uuid.UUID
	Token  string // of NewSignInToken
}

// LinkFor gives one person a link.
func LinkFor(person uuid.UUID, token string) GiveSignIn {
	return GiveSignIn{To: []Link{{person, token}}}
}

// TakeSignIn takes the sign-in away. Nothing of their history changes.
type TakeSignIn struct{ Person uuid.UUID }

// Permission is the act's name in the permission table.
func (GiveSignIn) Permission() string { return "people.change" }

// Permission is the act's name in the permission table.
func (TakeSignIn) Permission() string { return "people.change" }

func (g GiveSignIn) Do(ctx context.Context, t *app.Turn) error {
	ids, hashes := make([]uuid.UUID, len(g.To)), make([][]byte, len(g.To))
	for i, to := range g.To {
		if len(to.Token) < 16 {
			return app.ErrNotFound
		}
		ids[i], hashes[i] = to.Person, app.TokenHash(to.Token)
	}
	of, err := signInsOf(ctx, t, ids, "person")
	if err != nil {
		return err
	}
	given := 0
	for i, id := range ids {
		s := of[id]
		err := s.mayBeGiven()
		switch {
		case err != nil && g.Fitting:
			continue
		case err != nil:
			return err
		}
		ids[given], hashes[given] = id, hashes[i]
		given++
		t.Record(store.Event{Person: id, Unit: s.Unit, Act: t.Act}, id, map[string]any{"sign-in": "link given"})
	}
	if given == 0 {
		return refusal.New("person", "There is nobody here whom you may give a sign-in, and who has none that still holds",
			"Choose others; one that was lost is given anew on the person's page")
	}
	return store.InsertSignInLinks(ctx, t, hashes[:given], ids[:given], t.Actor.ID, t.Now, t.Now.Add(LinkLasts))
}

// mayBeGiven refuses a link for who is not there, or left.
func (s *signInOf) mayBeGiven() error {
	switch {
	case s == nil:
		return app.ErrNotFound
	case s.Refused != nil:
		return s.Refused
	case s.Values["state"] == "ended":
		return refusal.New("person", s.Name()+" doesn't work here any more", "Bring them back first")
	}
	return nil
}

func (g TakeSignIn) Do(ctx context.Context, t *app.Turn) error {
	s, err := signInFor(ctx, t, g.Person, "person")
	if err != nil {
		return err
	}
	if err := store.EndSignInLinks(ctx, t, []uuid.UUID{g.Person}, t.Now); err != nil {
		return err
	}
	if err := store.SetPerson(ctx, t, g.Person, "password_hash", nil); err != nil {
		return err
	}
	if err := store.EndSessions(ctx, t, g.Person); err != nil {
		return err
	}
	t.Record(store.Event{Person: s.Person, Unit: s.Unit, Act: t.Act}, s.Person, map[string]any{"sign-in": "taken away"})
	return nil
}

// Welcome says whom a link welcomes, "" for the owner of a new company, who says so.
// ErrNotFound when it was used, expired or never given.
func Welcome(ctx context.Context, a *app.App, token string) (name string, err error) {
	_, name, err = store.LinkOf(ctx, a.DB, app.TokenHash(token), a.Now())
	if store.NotFound(err) {
		return "", app.ErrNotFound
	}
	return strings.TrimSpace(name), err
}

// Chosen is what somebody chooses who is welcomed.
type Chosen struct {
	Password, PIN string

	// Who they are: asked of the owner of a new company, who has no name yet, and of
	// nobody else.
	Given, Family, Email string
}

// named reads who the owner of a new company is.
func (c *Chosen) named() error {
	for _, part := range []struct {
		name, label string
		value       *string
		check       func(string) (string, error)
	}{{"given_name", "Given name", &c.Given, field.Text(80)}, {"family_name", "Family name", &c.Family, field.Text(80)},
		{"email", "E-mail", &c.Email, field.Email}} {
		kept, err := field.Field{Key: part.name, Label: part.label, Required: true, Check: part.check}.Normal(*part.value)
		if err != nil {
			return err
		}
		*part.value = kept
	}
	return nil
}

// ChoosePassword sets the password of whom a link welcomes, and a PIN for the
// terminals where one is given, and uses the link up. It is the one change
// that needs no session: the link is the right.
func ChoosePassword(ctx context.Context, a *app.App, token string, chosen Chosen) (uuid.UUID, error) {
	person, name, err := store.LinkOf(ctx, a.DB, app.TokenHash(token), a.Now())
	if store.NotFound(err) {
		return uuid.Nil, app.ErrNotFound
	}
	if err != nil {
		return uuid.Nil, fmt.Errorf("read a link: %w", err)
	}
	nameless := strings.TrimSpace(name) == ""
	if nameless {
		if err := chosen.named(); err != nil {
			return uuid.Nil, err
		}
	}
	if err := checkPassword(ctx, a.DB, person, chosen.Password, chosen.Given, chosen.Family); err != nil {
		return uuid.Nil, err
	}
	hash, err := hashOf(ctx, chosen.Password)
	if err != nil {
		return uuid.Nil, err
	}
	err = a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		now := a.Now()
		used, err := store.UseLink(ctx, tx, app.TokenHash(token), now)
		if err != nil {
			return err
		}
		if !used {
			return app.ErrNotFound
		}
		if err := store.SetPerson(ctx, tx, person, "password_hash", hash); err != nil {
			return err
		}
		if nameless {
			if err := store.NamePerson(ctx, tx, person, chosen.Given, chosen.Family, chosen.Email); err != nil {
				return err
			}
		}
		if err := store.EndSessions(ctx, tx, person); err != nil {
			return err
		}
		if chosen.PIN != "" {
			if err := putPIN(ctx, tx, person, chosen.PIN); err != nil {
				return err
			}
		}
		return store.InsertAudits(ctx, tx,
			store.Audit{MadeAt: now, Person: person, Act: "self", About: person,
				Detail: map[string]any{"sign-in": "password chosen by link"}})
	})
	if store.NotFound(err) {
		err = app.ErrNotFound
	}
	return person, err
}
