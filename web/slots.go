package web

import (
	"context"
	"net/http"
	"strings"
	"time"

	"manudex/app"
)

// Whoever clocks must not wait for whoever reads: what is not the clock's has
// fewer places than the pool has connections, and what reads very much has
// fewer still.
const (
	heavySlots = 2 // exports, day sheets and pay runs at once, on one node
	slotWait   = 20 * time.Second
)

// deskSlots leaves a third of the connections to the clock and to signing in.
func deskSlots(connections int) int { return max(1, connections*2/3) }

// slots bound how many do something at once.
type slots chan struct{}

// take waits for a place, and gives what leaves it. It is app.ErrBusy when none
// came free in time.
func (s slots) take(ctx context.Context) (leave func(), err error) {
	late := time.NewTimer(slotWait)
	defer late.Stop()
	select {
	case s <- struct{}{}:
		return func() { <-s }, nil
	case <-late.C:
		return nil, app.ErrBusy
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// heavily bounds what reads very much.
func (s *Server) heavily(handle handler) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		leave, err := s.heavy.take(r.Context())
		if err != nil {
			return err
		}
		defer leave()
		return handle(w, r)
	}
}

// quick says whether a route is the clock's, or leads in or out, or is a stream:
// it takes no place of those who read.
func (r route) quick() bool {
	switch {
	case r.needs == "" || r.needs == signingIn || r.needs == "self" || r.needs == "live.follow":
		return true
	}
	return strings.HasPrefix(r.pattern, "/clock")
}
