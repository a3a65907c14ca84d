package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// One-time codes (RFC 6238): six digits, a new one every 30 seconds, from a
// secret that an authenticator keeps. Eight recovery codes stand in for it,
// each once.

const (
	codeStep      = 30 // seconds
	recoveryCodes = 8
)

var codeOptions = totp.ValidateOpts{Period: codeStep, Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1}

// NewCodeSecret makes a secret of 160 bits, in base32.
func NewCodeSecret() string {
	var b [20]byte
	_, _ = rand.Read(b[:]) // it never fails
	return base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b[:])
}

// NewRecoveryCodes makes codes of 50 bits, in two groups of five.
func NewRecoveryCodes() []string {
	codes := make([]string, recoveryCodes)
	for i := range codes {
		var b [10]byte
		_, _ = rand.Read(b[:]) // it never fails
		s := strings.ToLower(base32.StdEncoding.EncodeToString(b[:]))
		codes[i] = s[:5] + "-" + s[5:10]
	}
	return codes
}

func recoveryHash(code string) []byte {
	h := sha256.Sum256([]byte(lettersOf(code)))
	return h[:]
}

// CodeAddress is what an authenticator reads off the screen.
func CodeAddress(company, account, secret string) (string, error) {
	raw, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(secret)
	if err != nil {
		return "", err
	}
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Manudex, " + company, AccountName: account, Secret: raw, Period: codeStep})
	if err != nil {
		return "", err
	}
	return key.URL(), nil
}

// stepOf gives the step whose code was typed, at now or one step beside it; 0
// for none.
func stepOf(secret, code string, now time.Time) int64 {
	code = strings.ReplaceAll(strings.TrimSpace(code), " ", "")
	for _, beside := range []int64{0, -1, 1} {
		at := now.Add(time.Duration(beside*codeStep) * time.Second)
		if want, err := totp.GenerateCodeCustom(secret, at, codeOptions); err == nil && want == code {
			return at.Unix() / codeStep
		}
	}
	return 0
}

// wrongCode is the refusal of a code that isn't right now.
func wrongCode() error {
	return refusal.New("code", "That is not the code of this moment",
		"Type the six digits that the authenticator shows now, or one of your recovery codes")
}

// BeginCode keeps a secret that counts once its first code was typed.
type BeginCode struct{ Secret string }

// ConfirmCode lets a secret count by its first code; from then on signing in
// takes one. Recovery are the codes that stand in for it, shown once.
type ConfirmCode struct {
	Code     string
	Recovery []string
}

// DropCode takes one's own code away.
type DropCode struct{ Code string }

// ResetCode takes another's code away, who lost their authenticator.
type ResetCode struct{ Person uuid.UUID }

// Permission is what the act takes.
func (BeginCode) Permission() string { return "self" }

// Permission is what the act takes.
func (ConfirmCode) Permission() string { return "self" }

// Permission is what the act takes.
func (DropCode) Permission() string { return "self" }

// Permission is what the act takes.
func (ResetCode) Permission() string { return "people.change" }

func (b BeginCode) Do(ctx context.Context, t *app.Turn) error {
	if err := t.Proved("password"); err != nil {
		return err
	}
	c, err := store.GetOneTimeCode(ctx, t, t.Actor.ID)
	if err != nil {
		return err
	}
	if c.Since != nil {
		return refusal.New("code", "You have codes already", "Take them away first, to begin with another authenticator")
	}
	return store.PutOneTimeCode(ctx, t, t.Actor.ID, store.OneTimeCode{Secret: &b.Secret})
}

func (c ConfirmCode) Do(ctx context.Context, t *app.Turn) error {
	kept, err := store.GetOneTimeCode(ctx, t, t.Actor.ID)
	if err != nil {
		return err
	}
	if kept.Secret == nil || kept.Since != nil {
		return refusal.New("code", "There is nothing to confirm", "Begin anew")
	}
	step := stepOf(*kept.Secret, c.Code, t.Now)
	if step == 0 {
		return wrongCode()
	}
	kept.Since, kept.Step = &t.Now, step
	if err := store.PutOneTimeCode(ctx, t, t.Actor.ID, kept); err != nil {
		return err
	}
	hashes := make([][]byte, len(c.Recovery))
	for i, code := range c.Recovery {
		hashes[i] = recoveryHash(code)
	}
	if err := store.PutRecoveryCodes(ctx, t, t.Actor.ID, hashes); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"sign-in": "one-time codes begun"})
	return nil
}

func (d DropCode) Do(ctx context.Context, t *app.Turn) error {
	if err := useCode(ctx, t, t.Actor.ID, d.Code, t.Now); err != nil {
		return err
	}
	return dropCode(ctx, t, t.Actor.ID)
}

func (r ResetCode) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Level != "owner" {
		return app.ErrForbidden
	}
	if err := t.Proved("password"); err != nil {
		return err
	}
	if _, err := signInFor(ctx, t, r.Person, "code"); err != nil {
		return err
	}
	return dropCode(ctx, t, r.Person)
}

func dropCode(ctx context.Context, t *app.Turn, person uuid.UUID) error {
	if err := store.PutOneTimeCode(ctx, t, person, store.OneTimeCode{}); err != nil {
		return err
	}
	if err := store.PutRecoveryCodes(ctx, t, person, nil); err != nil {
		return err
	}
	t.Record(store.Event{Person: person, Act: t.Act}, person, map[string]any{"sign-in": "one-time codes taken away"})
	return nil
}

// useCode uses a one-time code or a recovery code up.
func useCode(ctx context.Context, q store.Q, person uuid.UUID, code string, now time.Time) error {
	kept, err := store.GetOneTimeCode(ctx, q, person)
	if err != nil {
		return err
	}
	if kept.Secret == nil || kept.Since == nil {
		return wrongCode()
	}
	if step := stepOf(*kept.Secret, code, now); step > kept.Step {
		kept.Step = step
		return store.PutOneTimeCode(ctx, q, person, kept)
	}
	used, err := store.UseRecoveryCode(ctx, q, person, recoveryHash(code), now)
	if err != nil {
		return err
	}
	if !used {
		return wrongCode()
	}
	return nil
}

// UseCode checks the code of somebody who has typed their password.
func UseCode(ctx context.Context, a *app.App, person uuid.UUID, code string) error {
	return a.DB.Tx(ctx, func(tx *sqlx.Tx) error { return useCode(ctx, tx, person, code, a.Now()) })
}

// TakeCodesAway takes the one-time codes of somebody away, named by what they
// sign in with, on the server: for the only owner, whom nobody else can help.
func TakeCodesAway(ctx context.Context, a *app.App, text string) error {
	id, err := KnownAs(ctx, a, text)
	if err != nil {
		return err
	}
	if id == uuid.Nil {
		return app.ErrNotFound
	}
	return a.DB.Tx(ctx, func(tx *sqlx.Tx) error {
		if err := store.PutOneTimeCode(ctx, tx, id, store.OneTimeCode{}); err != nil {
			return err
		}
		if err := store.PutRecoveryCodes(ctx, tx, id, nil); err != nil {
			return err
		}
		return store.InsertAudits(ctx, tx,
			store.Audit{MadeAt: a.Now(), Act: "self", About: id,
				Detail: map[string]any{"sign-in": "one-time codes taken away on the server"}})
	})
}
