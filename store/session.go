package store

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"fmt"

	"github.com/google/uuid"
)

// SessionName is how the table of sessions knows one: by the digest of the
// token in its cookie, as scs keeps it.
func SessionName(token string) string {
	sum := sha256.Sum256([]byte(token))
	return base64.RawURLEncoding.EncodeToString(sum[:])
}

// Sessions gives those of some sessions that have not ended.
func Sessions(ctx context.Context, q Q, names []string) (map[string]bool, error) {
	var found []string
	err := q.SelectContext(ctx, &found, `select token from sessions where token = any($1) and expiry > current_timestamp`, names)
	if err != nil {
		return nil, fmt.Errorf("read sessions: %w", err)
	}
	still := make(map[string]bool, len(found))
	for _, name := range found {
		still[name] = true
	}
	return still, nil
}

// EndSessions ends all sessions of a person.
func EndSessions(ctx context.Context, q Q, person uuid.UUID) error {
	_, err := q.ExecContext(ctx, `update person set session_epoch = session_epoch + 1 where id = $1`, person)
	return err
}
