package app_test

import (
	"bytes"
	"encoding/base64"
	"errors"
	"testing"

	"manudex/app"
)

// What one key sealed opens by it, beside a newer one, for what it was sealed for alone, and not once a byte has changed.
func TestKeyring(t *testing.T) {
	first, second := base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{1}, 32)),
		base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{2}, 32))
	ring := func(text string) app.Keyring {
		r, err := app.ParseKeyring(text)
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	old, both, other := ring(first), ring(second+", "+first), ring(second)
	sealed, err := old.Seal([]byte("GB29"), "dao")
	if err != nil || bytes.Contains(sealed, []byte("GB29")) {
		t.Fatalf("%x, %v", sealed, err)
	}
	if again, err := old.Seal([]byte("GB29"), "dao"); err != nil || bytes.Equal(again, sealed) {
		t.Error("the same is sealed to the same")
	}
	for _, r := range []app.Keyring{old, both} {
		if plain, err := r.Open(sealed, "dao"); err != nil || string(plain) != "GB29" {
			t.Errorf("%q, %v", plain, err)
		}
	}
	if both.Current(sealed) || !old.Current(sealed) {
		t.Error("by which key it was sealed")
	}
	if _, err := old.Open(sealed, "viggo"); err == nil {
		t.Error("it opens as another's")
	}
	if _, err := other.Open(sealed, "dao"); err == nil {
		t.Error("another key opens it")
	}
	sealed[len(sealed)-1] ^= 1
	if _, err := old.Open(sealed, "dao"); err == nil {
		t.Error("changed, it opens")
	}
	if _, err := ring("").Seal(nil, ""); !errors.Is(err, app.ErrNoKey) {
		t.Errorf("without a key: %v", err)
	}
	for _, text := range []string{"x", base64.StdEncoding.EncodeToString([]byte("short"))} {
		if _, err := app.ParseKeyring(text); err == nil {
			t.Errorf("%q is taken for a key", text)
		}
	}
}
