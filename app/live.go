package app

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"time"

	"manudex/store"
)

// Hub passes the events of all nodes to the live pages of this one.
type Hub struct {
	mu   sync.Mutex
	subs map[*Subscription]struct{}
}

// NewHub makes a hub without subscriptions.
func NewHub() *Hub { return &Hub{subs: map[*Subscription]struct{}{}} }

// Subscription is one live page's share of the events. What arrives while the
// page is busy is merged: a page only needs to know that it must look again.
type Subscription struct {
	hub  *Hub
	want func(store.Event) bool

	mu      sync.Mutex
	changed bool // something the page shows changed
	wake    chan struct{}
}

// Subscribe begins a subscription to the events that want picks.
func (h *Hub) Subscribe(want func(store.Event) bool) *Subscription {
	s := &Subscription{hub: h, want: want, wake: make(chan struct{}, 1)}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.subs[s] = struct{}{}
	return s
}

// Close ends the subscription.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	delete(s.hub.subs, s)
}

// Wake receives when something changed since the last [Subscription.Take].
func (s *Subscription) Wake() <-chan struct{} { return s.wake }

// Take says whether something changed, and forgets it.
func (s *Subscription) Take() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	changed := s.changed
	s.changed = false
	return changed
}

func (s *Subscription) mark() {
	s.mu.Lock()
	s.changed = true
	s.mu.Unlock()
	select {
	case s.wake <- struct{}{}:
	default: // it will wake already
	}
}

// Count gives how many live pages are connected.
func (h *Hub) Count() int {
	h.mu.Lock()
	defer h.mu.Unlock()
	return len(h.subs)
}

func (h *Hub) pass(events []store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.subs {
		for _, e := range events {
			if s.want(e) {
				s.mark()
				break
			}
		}
	}
}

// all wakes every page, after a time when events may have been missed.
func (h *Hub) all() {
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.subs {
		s.mark()
	}
}

// Follows tells reaches of the live board apart: two that are equal see the
// same.
func (a Actor) Follows() []string {
	reach := []string{a.ID.String(), a.Scope("live.follow").String()}
	for _, u := range a.Units("live.follow") {
		reach = append(reach, u.String())
	}
	slices.Sort(reach)
	return reach
}

// Follow subscribes an actor to what they may see.
func (a *App) Follow(actor Actor) (*Subscription, error) {
	if !actor.May("live.follow") {
		return nil, ErrForbidden
	}
	return a.Live.Subscribe(func(e store.Event) bool { return actor.Reaches("live.follow", e.Person, e.Unit) }), nil
}

// listen passes events on until the context ends, beginning anew when the
// connection is lost.
func (a *App) listen(ctx context.Context) {
	for ctx.Err() == nil {
		err := a.DB.Listen(ctx, a.Live.all, func(events []store.Event) {
			for _, e := range events {
				if e.Act == "settings" {
					a.place.Store(nil)
				}
			}
			a.Live.pass(events)
		})
		if ctx.Err() == nil {
			a.place.Store(nil)
			a.Log.Warn("live events interrupted; connecting again", "err", err)
			pause(ctx, time.Second)
		}
	}
}

func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// announcer sends events to all nodes after their transactions committed.
// PostgreSQL lets one transaction at a time commit with a notice in it, so
// notices don't ride in the transactions of punches: they are gathered for a
// few milliseconds and sent together. Should a node die in between, its pages
// are cut off and catch up when they reconnect; see docs/decisions.
type announcer struct {
	db   *store.DB
	log  *slog.Logger
	wake chan struct{}

	mu      sync.Mutex
	pending []store.Event
}

const gather = 5 * time.Millisecond

func newAnnouncer(db *store.DB, log *slog.Logger) *announcer {
	return &announcer{db: db, log: log, wake: make(chan struct{}, 1)}
}

// tell takes events to be announced. It never waits.
func (n *announcer) tell(events []store.Event) {
	n.mu.Lock()
	for _, e := range events {
		// One event about a person says as much as several.
		if !slices.Contains(n.pending[max(0, len(n.pending)-50):], e) {
			n.pending = append(n.pending, e)
		}
	}
	n.mu.Unlock()
	select {
	case n.wake <- struct{}{}:
	default: // it will wake already
	}
}

func (n *announcer) run(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-n.wake:
			pause(ctx, gather)
			n.mu.Lock()
			events := n.pending
			n.pending = nil
			n.mu.Unlock()
			n.send(ctx, events)
		}
	}
}

// send announces events, trying again while the database is away: the pages
// must not stay behind for a lost moment.
func (n *announcer) send(ctx context.Context, events []store.Event) {
	for {
		err := n.db.Announce(ctx, events)
		if err == nil || ctx.Err() != nil {
			return
		}
		n.log.Warn("events not announced yet", "events", len(events), "err", err)
		pause(ctx, time.Second)
	}
}
