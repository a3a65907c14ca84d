package seal

import (
	"slices"
	"testing"
	"time"
)

func rows() []Row {
	at := time.Date(2026, 11, 12, 10, 0, 0, 1000, time.UTC)
	return []Row{{1, at, "a", "b", "act", "name", Payload([]byte("salt"), "x", "y")},
		{2, at.Add(time.Second), "a", "", "act", "", Payload([]byte("other"), "x", "y")}}
}

// Any change of any row, of their order, of the batch's number or of the one
// before changes the digest.
func TestBatch(t *testing.T) {
	want := Batch([]byte("before"), 7, rows())
	if again := Batch([]byte("before"), 7, rows()); again != want {
		t.Fatal("the same rows make another digest")
	}
	changed := map[string]Digest{"another before": Batch([]byte("befor"), 7, rows()), "another number": Batch([]byte("before"), 8, rows()),
		"a row less": Batch([]byte("before"), 7, rows()[:1])}
	turned := rows()
	slices.Reverse(turned)
	changed["another order"] = Batch([]byte("before"), 7, turned)
	for name, change := range map[string]func(*Row){
		"seq": func(r *Row) { r.Seq++ }, "made": func(r *Row) { r.MadeAt = r.MadeAt.Add(time.Microsecond) },
		"by": func(r *Row) { r.By = "c" }, "about": func(r *Row) { r.About = "" }, "act": func(r *Row) { r.Act += "x" },
		"name": func(r *Row) { r.Name = "" }, "payload": func(r *Row) { r.Payload[0]++ },
		"moved from one field to the next": func(r *Row) { r.Act, r.Name = "actn", "ame" },
	} {
		rs := rows()
		change(&rs[0])
		changed[name] = Batch([]byte("before"), 7, rs)
	}
	for name, got := range changed {
		if got == want {
			t.Errorf("%s: the digest is the same", name)
		}
	}
}

// The same payload has another digest with another salt, and parts don't run
// into each other.
func TestPayload(t *testing.T) {
	a := Payload([]byte("s"), "ab", "c")
	for name, b := range map[string]Digest{"another salt": Payload([]byte("t"), "ab", "c"),
		"parts cut elsewhere":         Payload([]byte("s"), "a", "bc"),
		"salt and part cut elsewhere": Payload([]byte("sa"), "b", "c")} {
		if a == b {
			t.Errorf("%s: the same digest", name)
		}
	}
}
