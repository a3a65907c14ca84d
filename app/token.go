package app

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"strings"
)

// NewSignInToken makes a token for a link, that can be read out and typed:
// 80 bits, in groups of four.
func NewSignInToken() string {
	var b [10]byte
	_, _ = rand.Read(b[:]) // it never fails
	s := base32.StdEncoding.EncodeToString(b[:])
	return strings.ToLower(s[:4] + "-" + s[4:8] + "-" + s[8:12] + "-" + s[12:])
}

// NewFeedToken makes a token for an address that nobody types and that nothing else guards:
// 128 bits.
func NewFeedToken() string {
	var b [16]byte
	_, _ = rand.Read(b[:]) // it never fails
	return strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b[:]))
}

// TokenHash is the digest by which a token is kept, however it is typed.
func TokenHash(token string) []byte {
	plain := strings.ToLower(strings.NewReplacer("-", "", " ", "", "0", "o", "1", "l").Replace(token))
	h := sha256.Sum256([]byte(plain))
	return h[:]
}
