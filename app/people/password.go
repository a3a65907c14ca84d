package people

import (
	"context"
	_ "embed"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"time"
	"unicode"

	"github.com/alexedwards/argon2id"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// PasswordParams are the costs of argon2id for stored passwords (RFC 9106,
// second recommended option, with one lane for small machines).
var PasswordParams = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// hashing are the places of those who hash or compare a password now: each
// takes 19 MB and a core, so no more than there are cores do at once.
var hashing = make(chan struct{}, runtime.GOMAXPROCS(0))

// hashWait is how long somebody waits for a place.
const hashWait = 2 * time.Second

// hashed does something costly with a password once there is a place for it;
// app.ErrBusy when there is none in time.
func hashed(ctx context.Context, do func() error) error {
	late := time.NewTimer(hashWait)
	defer late.Stop()
	select {
	case hashing <- struct{}{}:
		defer func() { <-hashing }()
		return do()
	case <-late.C:
		return app.ErrBusy
	case <-ctx.Done():
		return ctx.Err()
	}
}

// HashPassword makes what is stored of a password.
func HashPassword(password string) (string, error) {
	return argon2id.CreateHash(password, PasswordParams)
}

// hashOf makes what is stored of a password, in its turn.
func hashOf(ctx context.Context, password string) (hash string, err error) {
	err = hashed(ctx, func() (err error) { hash, err = HashPassword(password); return err })
	return hash, err
}

// matches says whether a password is the one of which a hash is stored.
func matches(ctx context.Context, password, hash string) (ok bool, err error) {
	err = hashed(ctx, func() (err error) { ok, err = argon2id.ComparePasswordAndHash(password, hash); return err })
	return ok, err
}

// How short and how long a password may be, in characters.
const (
	leastPassword = 8
	mostPassword  = 128
)

// Passwords that are tried first by whoever guesses: the 11,611 of at least
// eight characters among the 30,000 commonest in a list that the zxcvbn project
// made from public breaches (MIT licence).
//
//go:embed commonpasswords.txt
var commonList string

var commonPasswords = strings.Fields(commonList) // in order

// checkPassword refuses a password that is too short or too long, commonly
// used, or made of the person's own names.
func checkPassword(ctx context.Context, q store.Q, person uuid.UUID, password string, named ...string) error {
	n := len([]rune(password))
	switch {
	case n < leastPassword:
		return refusal.New("password", "The password is too short",
			fmt.Sprintf("Choose one of at least %d characters; a few words are good", leastPassword))
	case n > mostPassword:
		return refusal.New("password", "The password is too long", fmt.Sprintf("Choose one of at most %d characters", mostPassword))
	case sameThroughout(password):
		return refusal.New("password", "That is one character again and again", "Choose a few words")
	}
	if _, common := slices.BinarySearch(commonPasswords, strings.ToLower(password)); common {
		return refusal.New("password", "That password is known to whoever guesses", "Choose a few words that don't belong together")
	}
	names, err := store.OwnNames(ctx, q, person)
	if err != nil {
		return fmt.Errorf("read a person's names: %w", err)
	}
	if left := lettersOf(password); ownWords(left, slices.Concat(names, named, []string{"manudex"})) {
		return refusal.New("password", "That is made of a name of yours or of the company",
			"Choose a few words that don't belong together")
	}
	return nil
}

func sameThroughout(password string) bool {
	first := []rune(password)[0]
	return strings.Trim(password, string(first)) == ""
}

// lettersOf keeps the letters and digits of a text, in lower case.
func lettersOf(text string) string {
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return -1
		}
		return unicode.ToLower(r)
	}, text)
}

// ownWords says whether a password is nothing but names, apart from up to four
// digits or letters.
func ownWords(password string, names []string) bool {
	const little = 4
	slices.SortFunc(names, func(a, b string) int { return len(b) - len(a) })
	left, found := password, false
	for _, name := range names {
		for _, word := range append([]string{name}, strings.Fields(name)...) {
			if word = lettersOf(word); len(word) >= 3 && strings.Contains(left, word) {
				left, found = strings.ReplaceAll(left, word, ""), true
			}
		}
	}
	return found && len([]rune(left)) <= little
}

// ChangePassword changes one's own password and ends one's other sessions.
type ChangePassword struct{ Old, New string }

// Permission is what the act takes.
func (ChangePassword) Permission() string { return "self" }

func (c ChangePassword) Do(ctx context.Context, t *app.Turn) error {
	if err := prove(ctx, t, t.Actor.ID, c.Old, "old"); err != nil {
		return err
	}
	if err := checkPassword(ctx, t, t.Actor.ID, c.New); err != nil {
		return err
	}
	hash, err := hashOf(ctx, c.New)
	if err != nil {
		return err
	}
	if err := store.SetPerson(ctx, t, t.Actor.ID, "password_hash", hash); err != nil {
		return err
	}
	if err := store.EndSessions(ctx, t, t.Actor.ID); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"sign-in": "password changed"})
	return nil
}

// EndMySessions ends all one's sessions, wherever they are.
type EndMySessions struct{}

// Permission is what the act takes.
func (EndMySessions) Permission() string { return "self" }

func (EndMySessions) Do(ctx context.Context, t *app.Turn) error {
	if err := store.EndSessions(ctx, t, t.Actor.ID); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"sign-in": "all sessions ended"})
	return nil
}

// prove refuses a password that isn't a person's.
func prove(ctx context.Context, q store.Q, person uuid.UUID, password, field string) error {
	hash, err := store.PasswordOf(ctx, q, person)
	if err != nil {
		return fmt.Errorf("read a password: %w", err)
	}
	if password == "" || hash == "" {
		return refusal.New(field, "Your password is needed for this", "Type it once more")
	}
	ok, err := matches(ctx, password, hash)
	if err != nil {
		return err
	}
	if !ok {
		return refusal.New(field, "That is not your password", "Type it once more")
	}
	return nil
}

// Prove gives the actor as one who has just typed their password.
func Prove(ctx context.Context, a *app.App, actor app.Actor, password string) (app.Actor, error) {
	if err := prove(ctx, a.DB, actor.ID, password, "password"); err != nil {
		return actor, err
	}
	actor.Proved = true
	return actor, nil
}
