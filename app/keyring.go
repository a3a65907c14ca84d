package app

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
)

// Keyring are the keys by which account numbers are encrypted (AES-256-GCM): the first seals, all open. They
// come from the environment and are in no database.
type Keyring struct{ keys []key }

type key struct {
	id   [4]byte // the beginning of its SHA-256, which what it sealed begins with
	aead cipher.AEAD
}

// ErrNoKey says that there is no key to encrypt or read account numbers by.
var ErrNoKey = errors.New("no key for account numbers: start with MANUDEX_ACCOUNT_KEYS")

// ParseKeyring reads keys of 32 bytes in base64, apart by commas, the one in use first; "" is none.
func ParseKeyring(text string) (Keyring, error) {
	var ring Keyring
	for part := range strings.SplitSeq(text, ",") {
		if part = strings.TrimSpace(part); part == "" {
			continue
		}
		raw, err := base64.StdEncoding.DecodeString(part)
		if err != nil || len(raw) != 32 {
			return ring, fmt.Errorf("a key for account numbers is 32 bytes in base64: make one by head -c 32 /dev/urandom | base64")
		}
		block, err := aes.NewCipher(raw)
		if err != nil {
			return ring, fmt.Errorf("a key for account numbers: %w", err)
		}
		k := key{}
		if k.aead, err = cipher.NewGCM(block); err != nil {
			return ring, fmt.Errorf("a key for account numbers: %w", err)
		}
		sum := sha256.Sum256(raw)
		copy(k.id[:], sum[:])
		ring.keys = append(ring.keys, k)
	}
	return ring, nil
}

// Empty says whether there is no key.
func (r Keyring) Empty() bool { return len(r.keys) == 0 }

// Seal encrypts by the key in use. What it's sealed for has to be named again to open it, so that it can't be
// taken for another's.
func (r Keyring) Seal(plain []byte, about string) ([]byte, error) {
	if r.Empty() {
		return nil, ErrNoKey
	}
	k := r.keys[0]
	nonce := make([]byte, k.aead.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, fmt.Errorf("encrypt: %w", err)
	}
	return k.aead.Seal(append(k.id[:], nonce...), nonce, plain, []byte(about)), nil
}

// Open reads what was sealed by any of the keys.
func (r Keyring) Open(sealed []byte, about string) ([]byte, error) {
	for _, k := range r.keys {
		head := len(k.id) + k.aead.NonceSize()
		if len(sealed) < head || [4]byte(sealed[:4]) != k.id {
			continue
		}
		plain, err := k.aead.Open(nil, sealed[len(k.id):head], sealed[head:], []byte(about))
		if err != nil {
			return nil, fmt.Errorf("what is encrypted isn't what it was: %w", err)
		}
		return plain, nil
	}
	if r.Empty() {
		return nil, ErrNoKey
	}
	return nil, errors.New("it was encrypted by a key that isn't there: put the old one behind the new in MANUDEX_ACCOUNT_KEYS")
}

// Current says whether something was sealed by the key in use.
func (r Keyring) Current(sealed []byte) bool {
	return !r.Empty() && len(sealed) >= 4 && [4]byte(sealed[:4]) == r.keys[0].id
}
