package store

import (
	"testing"

	"github.com/google/uuid"
)

// An array of ids is written as PostgreSQL reads it, and comes back as it was.
func TestUUIDs(t *testing.T) {
	for _, ids := range []UUIDs{{}, {uuid.Nil}, {uuid.New(), uuid.MustParse("01a1d577-2e00-792b-8ef0-e756cdb0fce5"), uuid.New()}} {
		text, err := ids.Value()
		if err != nil {
			t.Fatal(err)
		}
		var back UUIDs
		if err := back.Scan(text); err != nil || len(back) != len(ids) {
			t.Fatalf("%v came back as %v, %v", text, back, err)
		}
		for i := range ids {
			if back[i] != ids[i] {
				t.Errorf("%s came back as %s", ids[i], back[i])
			}
		}
	}
	if text, err := UUIDs(nil).Value(); text != nil || err != nil {
		t.Errorf("nil is %v, %v", text, err)
	}
}

func BenchmarkUUIDs(b *testing.B) {
	ids := make(UUIDs, 1000)
	for i := range ids {
		ids[i] = uuid.New()
	}
	for b.Loop() {
		if _, err := ids.Value(); err != nil {
			b.Fatal(err)
		}
	}
}
