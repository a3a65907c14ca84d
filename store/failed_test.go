package store_test

import (
	"context"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// An error of the database says in which function it arose, and is still known
// for what it is.
func TestErrorsSayWhatWasBeingDone(t *testing.T) {
	db := dbtest.Empty(t)
	ended, cancel := context.WithCancel(context.Background())
	cancel()
	days := when.Period{From: when.NewDate(2026, 11, 1), To: when.NewDate(2026, 11, 2)}
	for name, err := range map[string]error{
		"Rail":       func() error { _, err := store.Rail(ended, db, days, nil); return err }(),
		"CardActs":   func() error { _, err := store.CardActs(ended, db, uuid.New(), days.From); return err }(),
		"SetCompany": store.SetCompany(ended, db, "name", "x"),
		"Units": db.Act(context.Background(), func(tx *store.Tx) error {
			_, err := store.Units(ended, tx)
			return err
		}),
	} {
		if err == nil || !strings.HasPrefix(err.Error(), name+": ") {
			t.Errorf("%s fails with %v", name, err)
		}
	}
	if _, err := store.GetPerson(context.Background(), db, uuid.New(), days.From, uuid.Nil); !store.NotFound(err) {
		t.Errorf("nobody is found with %v", err)
	}
}
