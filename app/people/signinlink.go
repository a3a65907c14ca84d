package people

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// forgottenLasts is how long a link that somebody asked for by mail can be used.
const forgottenLasts = time.Hour

// LinkLasts is how long a sign-in link can be used.
const LinkLasts = 7 * 24 * time.Hour

// GiveSignIn gives a person a link or printed code by which they choose a
// password. It works once; one given before ends.
type GiveSignIn struct {
	Person uuid.UUID
	Token  string // of NewSignInToken
}

// TakeSignIn takes the sign-in away. Nothing of their history changes.
type TakeSignIn struct{ Person uuid.UUID }

// Permission is the act's name in the permission table.
func (GiveSignIn) Permission() string { return "people.change" }

// Permission is the act's name in the permission table.
func (TakeSignIn) Permission() string { return "people.change" }

func (g GiveSignIn) Do(ctx context.Context, t *app.Turn) error {
	s, err := maySignInFor(ctx, t, g.Person, "person")
	switch {
	case err != nil:
		return err
	case s.Values["state"] == "ended":
		return refusal.New("person", s.Name()+" doesn't work here any more", "Bring them back first")
	case len(g.Token) < 16:
		return app.ErrNotFound
	}
	if err := store.InsertSignInLink(ctx, t, app.TokenHash(g.Token), g.Person, t.Actor.ID, t.Now, t.Now.Add(LinkLasts)); err != nil {
		return err
	}
	t.Record(store.Event{Person: s.Person, Unit: s.Unit, Act: t.Act}, s.Person, map[string]any{"sign-in": "link given"})
	return nil
}

func (g TakeSignIn) Do(ctx context.Context, t *app.Turn) error {
	s, err := maySignInFor(ctx, t, g.Person, "person")
	if err != nil {
		return err
	}
	if err := store.EndSignInLinks(ctx, t, g.Person, t.Now); err != nil {
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

// Welcome says whom a link welcomes. ErrNotFound when it was used, expired or
// never given.
func Welcome(ctx context.Context, a *app.App, token string) (name string, err error) {
	_, name, err = store.LinkOf(ctx, a.DB, app.TokenHash(token), a.Now())
	if store.NotFound(err) {
		return "", app.ErrNotFound
	}
	return name, err
}

// ChoosePassword sets the password of whom a link welcomes, and a PIN for the
// terminals where one is given, and uses the link up. It is the one change
// that needs no session: the link is the right.
func ChoosePassword(ctx context.Context, a *app.App, token, password, pin string) (uuid.UUID, error) {
	person, _, err := store.LinkOf(ctx, a.DB, app.TokenHash(token), a.Now())
	if store.NotFound(err) {
		return uuid.Nil, app.ErrNotFound
	}
	if err != nil {
		return uuid.Nil, fmt.Errorf("read a link: %w", err)
	}
	if err := checkPassword(ctx, a.DB, person, password); err != nil {
		return uuid.Nil, err
	}
	hash, err := hashOf(ctx, password)
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
		if err := store.EndSessions(ctx, tx, person); err != nil {
			return err
		}
		if pin != "" {
			if err := putPIN(ctx, tx, person, pin); err != nil {
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
