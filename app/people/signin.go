package people

import (
	"context"
	"fmt"
	"strings"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/store"
)

// PasswordParams are the costs of argon2id for stored passwords (RFC 9106,
// second recommended option, with one lane for small machines).
var PasswordParams = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// HashPassword makes what is stored of a password.
func HashPassword(password string) (string, error) {
	return argon2id.CreateHash(password, PasswordParams)
}

// nobody is compared against when there is no such person, so that the answer
// takes as long.
var nobody = func() string {
	h, err := HashPassword("nobody has this password")
	if err != nil {
		panic(err)
	}
	return h
}()

// SignIn checks an e-mail address, a mobile or a personnel number, and a
// password.
func SignIn(ctx context.Context, a *app.App, email, password string) (uuid.UUID, error) {
	email = strings.TrimSpace(email)
	switch {
	case !strings.ContainsAny(email, "@0123456789"):
		return uuid.Nil, clock.Refuse("email", "This is neither an e-mail address nor a number", "Write your e-mail address, your mobile or your personnel number")
	case password == "":
		return uuid.Nil, clock.Refuse("password", "The password is missing", "Type the password that belongs to the address")
	}
	place, err := a.Company(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	id, hash, err := store.Credentials(ctx, a.DB, email, place.Today(a.Now()))
	if err != nil && !store.NotFound(err) {
		return uuid.Nil, fmt.Errorf("read credentials: %w", err)
	}
	if hash == "" {
		hash = nobody
	}
	ok, err := argon2id.ComparePasswordAndHash(password, hash)
	if err != nil {
		return uuid.Nil, fmt.Errorf("compare passwords: %w", err)
	}
	if !ok || id == uuid.Nil {
		return uuid.Nil, clock.Refuse("password", "They don't belong together", "Check both, or ask the office for a new password")
	}
	return id, nil
}
