package app

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"manudex/store"
)

// Hub passes the events of all nodes to the live pages of this one, and knows
// those of the last moments, for pages that were read a moment ago.
type Hub struct {
	mu    sync.Mutex
	subs  map[*Subscription]struct{}
	past  []heard   // the oldest first
	whole time.Time // since when no event is missing
}

// heard is an event and when this node heard of it.
type heard struct {
	at time.Time
	store.Event
}

const (
	pastKept   = 8192            // events that a node remembers
	clocksPart = 5 * time.Second // as much as the clocks of two nodes may differ, and a notice be under way
)

// NewHub makes a hub without subscriptions.
func NewHub() *Hub { return &Hub{subs: map[*Subscription]struct{}{}, whole: time.Now()} }

// Changed is what happened since somebody last looked: to whom, or to
// everybody.
type Changed struct {
	All     bool
	Persons map[uuid.UUID]struct{}
}

// Any says whether anything did.
func (c Changed) Any() bool { return c.All || len(c.Persons) > 0 }

// Add notes one more event. One that is about nobody may be about everybody.
func (c *Changed) Add(e store.Event) {
	if e.Person == uuid.Nil {
		c.All = true
		return
	}
	if c.Persons == nil {
		c.Persons = map[uuid.UUID]struct{}{}
	}
	c.Persons[e.Person] = struct{}{}
}

// Subscription is one live page's share of the events. What arrives while the
// page is busy is merged.
type Subscription struct {
	hub  *Hub
	want func(store.Event) bool // nil of one that is the node's own, for all

	mu      sync.Mutex
	changed Changed
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

// Everything begins the node's own subscription, to every event.
func (h *Hub) Everything() *Subscription { return h.Subscribe(nil) }

// Close ends the subscription.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	delete(s.hub.subs, s)
}

// Wake receives when something changed since the last [Subscription.Take].
func (s *Subscription) Wake() <-chan struct{} { return s.wake }

// Take gives what changed since it was last asked.
func (s *Subscription) Take() Changed {
	s.mu.Lock()
	defer s.mu.Unlock()
	changed := s.changed
	s.changed = Changed{}
	return changed
}

func (s *Subscription) mark(events ...store.Event) {
	s.mu.Lock()
	for _, e := range events {
		s.changed.Add(e)
	}
	s.mu.Unlock()
	select {
	case s.wake <- struct{}{}:
	default: // it will wake already
	}
}

// Count gives how many live pages are connected.
func (h *Hub) Count() (n int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.subs {
		if s.want != nil {
			n++
		}
	}
	return n
}

func (h *Hub) pass(events []store.Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	now := time.Now()
	for _, e := range events {
		h.past = append(h.past, heard{now, e})
	}
	if n := len(h.past) - pastKept; n > 0 {
		h.whole = h.past[n-1].at
		h.past = slices.Delete(h.past, 0, n)
	}
	for s := range h.subs {
		for _, e := range events {
			if s.want == nil || s.want(e) {
				s.mark(e)
			}
		}
	}
}

// all wakes every page, after a time when events may have been missed.
func (h *Hub) all() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.past, h.whole = nil, time.Now()
	for s := range h.subs {
		s.mark(store.Event{})
	}
}

// Since gives what any node told since a moment at which a page was read, on
// whichever node: everything may have changed where this one doesn't remember.
func (h *Hub) Since(moment time.Time) (c Changed) {
	h.mu.Lock()
	defer h.mu.Unlock()
	moment = moment.Add(-clocksPart)
	c.All = !h.whole.Before(moment)
	for _, e := range slices.Backward(h.past) {
		if e.at.Before(moment) {
			break
		}
		c.Add(e.Event)
	}
	return c
}

// Follow subscribes an actor to what they may see.
func (a *App) Follow(actor Actor) (*Subscription, error) {
	if !actor.May("live.follow") {
		return nil, ErrForbidden
	}
	return a.Live.Subscribe(func(e store.Event) bool { return actor.Reaches("live.follow", e.Person, e.Unit) }), nil
}

// listen passes events on until the context ends, beginning anew when the
// connection is lost. What may have been missed meanwhile is read anew: by the
// pages, and the settings by the node.
func (a *App) listen(ctx context.Context) {
	heard := func() { a.heard.Store(time.Now().UnixNano()) }
	ear := store.Ear{
		Ready: func() {
			heard()
			a.forget()
			a.Live.all()
		},
		Each: func(events []store.Event) {
			heard()
			if slices.ContainsFunc(events, func(e store.Event) bool { return e.Act == settings }) {
				a.forget()
			}
			a.Live.pass(events)
		},
		Quiet: func(version int64) {
			heard()
			if kept := a.place.Load(); kept != nil && kept.Version != version {
				a.forget() // a node ended before it told
				a.Live.all()
			}
		},
	}
	for ctx.Err() == nil {
		err := a.DB.Listen(ctx, ear)
		if ctx.Err() == nil {
			a.Log.Warn("live events interrupted; connecting again", "err", err)
			pause(ctx, time.Second)
		}
	}
}

// deaf is how long a node may hear nothing of its listening connection, which
// is asked every few seconds.
const deaf = 15 * time.Second

// Hears says whether this node hears what other nodes do.
func (a *App) Hears() bool {
	at := a.heard.Load()
	return at != 0 && time.Since(time.Unix(0, at)) < deaf
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
			n.last(ctx)
			return
		case <-n.wake:
			pause(ctx, gather)
			n.send(ctx, n.take())
		}
	}
}

func (n *announcer) take() []store.Event {
	n.mu.Lock()
	defer n.mu.Unlock()
	events := n.pending
	n.pending = nil
	return events
}

// last announces what is left in hand when the node stops.
func (n *announcer) last(ctx context.Context) {
	soon, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if events := n.take(); len(events) > 0 {
		if err := n.db.Announce(soon, events); err != nil {
			n.log.Warn("events not announced", "events", len(events), "err", err)
		}
	}
}

// send announces events, trying again while the database is away: the pages
// must not stay behind for a lost moment. What can't be sent before the node
// stops is kept in hand.
func (n *announcer) send(ctx context.Context, events []store.Event) {
	for {
		err := n.db.Announce(ctx, events)
		if err == nil {
			return
		}
		if ctx.Err() != nil {
			n.tell(events)
			return
		}
		n.log.Warn("events not announced yet", "events", len(events), "err", err)
		pause(ctx, time.Second)
	}
}
