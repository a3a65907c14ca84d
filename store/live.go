package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
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
		n, payload, err := notice(events)
		if err != nil {
			return err
		}
		if _, err := db.Pool.Exec(ctx, `select pg_notify($1, $2)`, channel, payload); err != nil {
			return fmt.Errorf("announce: %w", err)
		}
		events = events[n:]
	}
	return nil
}

// notice writes as many events as one notice holds, at least one.
func notice(events []Event) (n int, payload string, err error) {
	payload = "["
	for n < len(events) {
		one, err := json.Marshal(events[n])
		if err != nil {
			return 0, "", err
		}
		if n > 0 && len(payload)+len(one)+2 > maxPayload {
			break
		}
		if n > 0 {
			payload += ","
		}
		payload += string(one)
		n++
	}
	return n, payload + "]", nil
}

// listenPause is how long a quiet connection is listened on before it is asked
// whether it is still there.
const listenPause = 5 * time.Second

// Ear is what hears the notices of all nodes.
type Ear struct {
	Ready func()              // it is listening; what was told before may have been missed
	Each  func([]Event)       // something was told
	Quiet func(version int64) // nothing was, and the connection lives; the version of the settings
}

// Listen hears notices until the context ends or the connection is lost, be it
// without a word.
func (db *DB) Listen(ctx context.Context, ear Ear) error {
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
	ear.Ready()
	for {
		n, err := waitForNotice(ctx, raw)
		if err != nil {
			return fmt.Errorf("listen: %w", err)
		}
		if n == nil {
			version, err := askQuiet(ctx, raw)
			if err != nil {
				return fmt.Errorf("listen: %w", err)
			}
			ear.Quiet(version)
			continue
		}
		var events []Event
		if err := json.Unmarshal([]byte(n.Payload), &events); err != nil {
			return fmt.Errorf("a notice that is not ours: %w", err)
		}
		ear.Each(events)
	}
}

// waitForNotice gives the next notice, nil when none came for a while.
func waitForNotice(ctx context.Context, conn *pgx.Conn) (*pgconn.Notification, error) {
	wait, cancel := context.WithTimeout(ctx, listenPause)
	defer cancel()
	n, err := conn.WaitForNotification(wait)
	if err != nil && ctx.Err() == nil && wait.Err() != nil {
		return nil, nil
	}
	return n, err
}

// askQuiet proves that a quiet connection lives, by the version of the
// settings.
func askQuiet(ctx context.Context, conn *pgx.Conn) (version int64, err error) {
	ask, cancel := context.WithTimeout(ctx, listenPause)
	defer cancel()
	err = conn.QueryRow(ask, `select coalesce((select version from company), 0)`).Scan(&version)
	return version, err
}
