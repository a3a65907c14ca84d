package people

import (
	"context"
	"crypto/rand"
	"fmt"
	"math/big"
	"sync"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"manudex/app"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/store"
)

// AskPIN is that the actor forgot their PIN: a manager answers with a new one.
type AskPIN struct{ Point uuid.UUID }

// Permission is the act's name in the permission table.
func (AskPIN) Permission() string { return "clock.punch" }

func (k AskPIN) Do(ctx context.Context, t *app.Turn) error {
	if err := store.AskPIN(ctx, t, t.Actor.ID, k.Point, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Unit: store.IDOrNil(t.Actor.Unit), Act: t.Act}, t.Actor.ID, map[string]any{"asks": "PIN"})
	point, err := store.GetClockPoint(ctx, t, k.Point)
	if err != nil {
		return err
	}
	give, err := t.Those(ctx, GivePINs{}.Permission())
	for _, a := range give {
		if a.Reaches(GivePINs{}.Permission(), t.Actor.ID, store.IDOrNil(t.Actor.Unit)) {
			t.Tell(app.Notice{Person: a.ID, Kind: notice.PINHelp, Words: []string{t.Actor.Name(), t.Actor.Number, point.Name},
				Link: "/people/" + t.Actor.ID.String()})
		}
	}
	return err
}

// GivePINs gives people new PINs, made by chance. Told is told each, once: they are kept
// as hashes alone.
type GivePINs struct {
	To   []uuid.UUID
	Told func(person uuid.UUID, pin string)
}

// Permission is the act's name in the permission table.
func (GivePINs) Permission() string { return "people.change" }

// mostPINs is how many one act gives.
const mostPINs = 500

func (g GivePINs) Do(ctx context.Context, t *app.Turn) error {
	if len(g.To) == 0 || len(g.To) > mostPINs {
		return refusal.New("to", "Nobody was chosen, or too many at once", fmt.Sprintf("Choose up to %d people", mostPINs))
	}
	found, err := signInsOf(ctx, t, g.To, "pin")
	if err != nil {
		return err
	}
	for _, id := range g.To {
		switch who := found[id]; {
		case who == nil:
			return app.ErrNotFound
		case who.Refused != nil:
			return who.Refused
		}
	}
	pins, hashes := make([]string, len(g.To)), make([]string, len(g.To))
	var work errgroup.Group // a hash takes its time
	work.SetLimit(2)
	var mu sync.Mutex
	for i := range g.To {
		work.Go(func() error {
			pin, err := newPIN()
			if err != nil {
				return err
			}
			hash, err := hashOf(ctx, pin)
			mu.Lock()
			defer mu.Unlock()
			pins[i], hashes[i] = pin, hash
			return err
		})
	}
	if err := work.Wait(); err != nil {
		return err
	}
	if err := store.PutPINs(ctx, t, g.To, hashes); err != nil {
		return err
	}
	for i, id := range g.To {
		t.Record(store.Event{Person: id, Act: t.Act}, id, map[string]any{"field": "PIN", "to": "set"})
		g.Told(id, pins[i])
	}
	return store.EndPINTroubles(ctx, t, g.To)
}

// newPIN makes a PIN of four digits that isn't one of those that are tried first.
func newPIN() (string, error) {
	for {
		n, err := rand.Int(rand.Reader, big.NewInt(10000))
		if err != nil {
			return "", err
		}
		if pin := fmt.Sprintf("%04d", n); checkPIN(pin) == nil {
			return pin, nil
		}
	}
}

// IsPIN says whether a PIN is the one of which a hash is kept; where none is, nothing is.
func IsPIN(ctx context.Context, pin, hash string) (bool, error) {
	if hash == "" || pin == "" {
		return false, nil
	}
	return matches(ctx, pin, hash)
}
