package people

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/app"
	"manudex/core/notice"
	"manudex/store"
)

// KnownDevice says whether a person has signed in from a browser before, by the
// token that it keeps.
func KnownDevice(ctx context.Context, a *app.App, person uuid.UUID, token string) (bool, error) {
	if token == "" || person == uuid.Nil {
		return false, nil
	}
	return store.KnownDevice(ctx, a.DB, person, app.TokenHash(token))
}

// SeeDevice keeps that somebody signed in from a browser. Of one that they
// never used before they are told by mail, with a link that ends all their
// sessions; of their first ever they aren't.
func SeeDevice(ctx context.Context, a *app.App, actor app.Actor, token, agent, origin string) error {
	end := app.NewSignInToken()
	d := store.Device{ID: uuid.Must(uuid.NewV7()), Person: actor.ID, Token: app.TokenHash(token), End: app.TokenHash(end),
		Agent: agent, LastAt: a.Now()}
	fresh, others, err := store.SeeDevice(ctx, a.DB, d)
	if err != nil || !fresh || others == 0 {
		return err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return err
	}
	if err := a.Do(ctx, actor, TellNewSignIn{agent}); err != nil {
		return err
	}
	if actor.Email == nil || !a.Post.Ready() {
		return nil
	}
	text := fmt.Sprintf("Hello %s,\n\nyou signed in to %s on %s from a browser that was not used before:\n\n%s\n\nIf that wasn't you, "+
		"end all sessions here, and then choose a new password:\n\n%s/signin/end/%s\n",
		actor.Given, place.Name, a.Now().In(place.Loc).Format("Monday 2 January at 15:04"), agent, origin, end)
	if err := a.Post.Send(ctx, *actor.Email, "A new sign-in", text); err != nil {
		a.Log.Warn("tell of a new sign-in", "err", err)
	}
	return nil
}

// TellNewSignIn tells the actor that they signed in from a browser that they never used before.
// The mail that ends all sessions goes besides: it holds a link that no queue keeps.
type TellNewSignIn struct{ Agent string }

// Permission is what the act takes.
func (TellNewSignIn) Permission() string { return "self" }

func (n TellNewSignIn) Do(_ context.Context, t *app.Turn) error {
	t.TellOneself(app.Notice{Kind: notice.NewSignIn, Words: []string{t.Now.In(t.Company.Loc).Format("Monday 2 January 15:04"), n.Agent},
		Link: "/me"})
	return nil
}

// EndSessionsByLink ends all sessions of whom a mail told of a new sign-in.
func EndSessionsByLink(ctx context.Context, a *app.App, token string) error {
	err := a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		person, err := store.DeviceToEnd(ctx, tx, app.TokenHash(token))
		if err != nil {
			return err
		}
		if err := store.EndSessions(ctx, tx, person); err != nil {
			return err
		}
		return store.InsertAudits(ctx, tx,
			store.Audit{MadeAt: a.Now(), Person: person, Act: "self", About: person,
				Detail: map[string]any{"sign-in": "all sessions ended by a link from a mail"}})
	})
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	return err
}

// OwnSignIn is what somebody sees of their own sign-in.
type OwnSignIn struct {
	Devices  []store.Device
	HasCode  bool
	Secret   string // begun and not confirmed
	Recovery int    // codes that are left
	Required bool   // codes are required of them
}

// ReadOwnSignIn reads it.
func ReadOwnSignIn(ctx context.Context, a *app.App, actor app.Actor) (*OwnSignIn, error) {
	if !actor.May("self") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	o := &OwnSignIn{HasCode: actor.HasCode, Required: place.CodesRequired && actor.HoldsPay()}
	if o.Devices, err = store.Devices(ctx, a.DB, actor.ID); err != nil {
		return nil, err
	}
	if o.Recovery, err = store.RecoveryCodesLeft(ctx, a.DB, actor.ID); err != nil {
		return nil, err
	}
	var c store.OneTimeCode
	if err := a.DB.Tx(ctx, func(tx *sqlx.Tx) (err error) { c, err = store.GetOneTimeCode(ctx, tx, actor.ID); return err }); err != nil {
		return nil, err
	}
	if c.Secret != nil && c.Since == nil {
		o.Secret = *c.Secret
	}
	return o, nil
}
