package people

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/files"
	"manudex/store"
)

// nobody is compared against when there is no such person, so that the answer
// takes as long.
var nobody = func() string {
	h, err := HashPassword("nobody has this password")
	if err != nil {
		panic(err)
	}
	return h
}()

// KnownAs gives whose e-mail address, mobile or personnel number a text is, the
// zero id for nobody's. It tells tries to sign in apart, and nobody is told it.
func KnownAs(ctx context.Context, a *app.App, text string) (uuid.UUID, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	id, err := store.PersonKnownAs(ctx, a.DB, strings.TrimSpace(text), phoneIn(text, place.Country), place.Today(a.Now()))
	if store.NotFound(err) {
		return uuid.Nil, nil
	}
	return id, err
}

// phoneIn gives what somebody typed as a telephone number of a country, "" where it
// is none.
func phoneIn(text, country string) string {
	phone, err := files.ReadPhone(text, country)
	if err != nil {
		return ""
	}
	return phone
}

// SignIn checks an e-mail address, a mobile or a personnel number, and a
// password.
func SignIn(ctx context.Context, a *app.App, email, password string) (uuid.UUID, error) {
	email = strings.TrimSpace(email)
	switch {
	case !strings.ContainsAny(email, "@0123456789"):
		return uuid.Nil,
			refusal.New("email", "This is neither an e-mail address nor a number",
				"Write your e-mail address, your mobile or your personnel number")
	case password == "":
		return uuid.Nil, refusal.New("password", "The password is missing", "Type the password that belongs to the address")
	}
	place, err := a.Company(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	id, hash, err := store.Credentials(ctx, a.DB, email, phoneIn(email, place.Country), place.Today(a.Now()))
	if err != nil && !store.NotFound(err) {
		return uuid.Nil, fmt.Errorf("read credentials: %w", err)
	}
	if hash == "" {
		hash = nobody
	}
	ok, err := matches(ctx, password, hash)
	if err != nil {
		return uuid.Nil, err
	}
	if !ok || id == uuid.Nil {
		return uuid.Nil, refusal.New("password", "They don't belong together", "Check both, or ask the office for a new password")
	}
	return id, nil
}

// Note writes an audit row about signing in, or about something that was read
// and is worth knowing of.
func Note(ctx context.Context, a *app.App, person uuid.UUID, act string, about uuid.UUID, detail map[string]any) error {
	err := store.InsertAudits(ctx, a.DB, store.Audit{MadeAt: a.Now(), Person: person, Act: act, About: about, Detail: detail})
	if err != nil {
		return fmt.Errorf("audit: %w", err)
	}
	return nil
}

// ForgotPassword sends a link to whom an address belongs, where mail can be
// sent. Whether there is such a person, nobody is told.
func ForgotPassword(ctx context.Context, a *app.App, text, origin string) error {
	id, err := KnownAs(ctx, a, text)
	if err != nil || id == uuid.Nil || !a.Post.Ready() {
		return err
	}
	actor, err := a.Actor(ctx, id)
	if err != nil || !actor.SignsIn || actor.Email == nil {
		return err
	}
	token := app.NewSignInToken()
	if err := store.InsertSignInLink(ctx, a.DB, app.TokenHash(token), id, id, a.Now(), a.Now().Add(forgottenLasts)); err != nil {
		return fmt.Errorf("keep a link: %w", err)
	}
	if err := Note(ctx, a, id, "self", id, map[string]any{"sign-in": "link asked for by mail"}); err != nil {
		return err
	}
	text = fmt.Sprintf("Hello %s,\n\nsomebody, most likely you, asked for a new password. Choose one here; the link works once and for "+
		"an hour:\n\n%s/welcome/%s\n\nIf it wasn't you, do nothing: your password stays as it is.\n",
		actor.Given, origin, token)
	if err := a.Post.Send(ctx, *actor.Email, "A new password", text); err != nil {
		a.Log.Warn("send a link for a new password", "err", err)
	}
	return nil
}
