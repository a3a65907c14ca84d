package people

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/store"
)

// SetPIN sets the PIN by which a person is known at shared terminals, beside
// the personnel number; an empty one takes it away. It is kept as a hash and
// told to nobody.
type SetPIN struct {
	Person uuid.UUID
	PIN    string
}

// Permission is the act's name in the permission table.
func (SetPIN) Permission() string { return "people.change" }

func (s SetPIN) Do(ctx context.Context, t *app.Turn) error {
	who, err := signInFor(ctx, t, s.Person, "pin")
	if err != nil {
		return err
	}
	words := "taken away"
	if s.PIN != "" {
		words = "set"
	}
	if err := putPIN(ctx, t, s.Person, s.PIN); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.Person, map[string]any{"field": "PIN", "to": words})
	return nil
}

// putPIN keeps a PIN, or that there is none.
func putPIN(ctx context.Context, q store.Q, person uuid.UUID, pin string) error {
	if pin == "" {
		return store.SetPerson(ctx, q, person, "pin_hash", nil)
	}
	if err := checkPIN(pin); err != nil {
		return err
	}
	hash, err := hashOf(ctx, pin)
	if err != nil {
		return err
	}
	return store.SetPerson(ctx, q, person, "pin_hash", hash)
}

// checkPIN refuses what is no PIN, or what anybody would try first: one digit
// again and again, or digits in a row.
func checkPIN(pin string) error {
	if len(pin) < 4 || len(pin) > 8 || strings.Trim(pin, "0123456789") != "" {
		return refusal.New("pin", "That is no PIN", "Write 4 to 8 digits")
	}
	same, up, down := true, true, true
	for i := 1; i < len(pin); i++ {
		step := int(pin[i]) - int(pin[i-1])
		same, up, down = same && step == 0, up && step == 1, down && step == -1
	}
	if same || up || down {
		return refusal.New("pin", "That PIN is tried first by whoever guesses", "Choose digits that are not in a row and not all the same")
	}
	return nil
}
