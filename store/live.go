package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"
)

// Event says that something about a person, or about a run, changed. It
// carries no content: whoever may see it reads it anew.
type Event struct {
	Person uuid.UUID `json:"p,omitzero"`
	Unit   uuid.UUID `json:"u,omitzero"`
	Act    string    `json:"a"`
}

const channel = "manudex"

// maxPayload keeps a notice below PostgreSQL's limit of 8000 bytes.
const maxPayload = 7900

// Announce tells every node about events. Those that one notice can't hold
// go in several.
func (db *DB) Announce(ctx context.Context, events []Event) error {
	for len(events) > 0 {
		n := min(len(events), 60)
		payload, err := json.Marshal(events[:n])
		if err != nil {
			return err
		}
		if len(payload) > maxPayload {
			return fmt.Errorf("a notice of %d events takes %d bytes", n, len(payload))
		}
		if _, err := db.Pool.Exec(ctx, `select pg_notify($1, $2)`, channel, string(payload)); err != nil {
			return fmt.Errorf("announce: %w", err)
		}
		events = events[n:]
	}
	return nil
}

// Listen calls ready once it is listening and then each with what arrives,
// until the context ends or the connection is lost.
func (db *DB) Listen(ctx context.Context, ready func(), each func([]Event)) error {
	conn, err := db.Pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	// A connection that listened doesn't go back to the pool.
	raw := conn.Hijack()
	defer raw.Close(context.WithoutCancel(ctx))
	if _, err := raw.Exec(ctx, `listen `+channel); err != nil {
		return fmt.Errorf("listen: %w", err)
	}
	ready()
	for {
		n, err := raw.WaitForNotification(ctx)
		if err != nil {
			return fmt.Errorf("listen: %w", err)
		}
		var events []Event
		if err := json.Unmarshal([]byte(n.Payload), &events); err != nil {
			return fmt.Errorf("a notice that is not ours: %w", err)
		}
		each(events)
	}
}
