// Package seal makes the digests by which a list that only grows can be held to
// what it was: each row has one, and each batch of rows one that takes in the
// one before. What may have to be erased of a row goes in as a digest of its own,
// salted, so that erasing it leaves the others as they are and gives nothing
// away.
package seal

import (
	"crypto/sha256"
	"encoding/binary"
	"hash"
	"time"
)

// Digest is a SHA-256.
type Digest = [sha256.Size]byte

// Row is what stays of a row of the list, whatever is erased.
type Row struct {
	Seq       int64
	MadeAt    time.Time // to the microsecond
	By, About string    // ids, "" for none
	Act, Name string
	Payload   Digest // see [Payload]
}

// Payload is the digest of what may be erased: with a salt, so that who knows
// only the digest can't try what it might have been.
func Payload(salt []byte, parts ...string) Digest {
	h := sha256.New()
	put(h, salt)
	for _, p := range parts {
		put(h, []byte(p))
	}
	return Digest(h.Sum(nil))
}

// Batch is the digest of a batch of rows, in order, after the one before.
func Batch(before []byte, number int64, rows []Row) Digest {
	h := sha256.New()
	put(h, before)
	count(h, number)
	count(h, int64(len(rows)))
	for _, r := range rows {
		count(h, r.Seq)
		count(h, r.MadeAt.UnixMicro())
		for _, text := range []string{r.By, r.About, r.Act, r.Name} {
			put(h, []byte(text))
		}
		put(h, r.Payload[:])
	}
	return Digest(h.Sum(nil))
}

// put writes bytes with their length before them, so that no two rows write the
// same.
func put(h hash.Hash, b []byte) {
	count(h, int64(len(b)))
	h.Write(b)
}

func count(h hash.Hash, n int64) {
	var b [8]byte
	binary.BigEndian.PutUint64(b[:], uint64(n))
	h.Write(b[:])
}
