package web

import (
	"strings"
	"sync"
	"time"
	"unicode"
)

// guesses counts what failed, by key, over the last while: a sliding window of
// two buckets. Each node counts for itself.
type guesses struct {
	window time.Duration
	now    func() time.Time

	mu     sync.Mutex
	since  time.Time
	before map[string]int
	count  map[string]int
}

func newGuesses(window time.Duration, now func() time.Time) *guesses {
	return &guesses{window: window, now: now, since: now(), before: map[string]int{}, count: map[string]int{}}
}

// turn forgets what is older than two windows.
func (g *guesses) turn() {
	switch past := g.now().Sub(g.since); {
	case past >= 2*g.window:
		g.before, g.count, g.since = map[string]int{}, map[string]int{}, g.now()
	case past >= g.window:
		g.before, g.count, g.since = g.count, map[string]int{}, g.since.Add(g.window)
	}
}

// failed counts one more.
func (g *guesses) failed(key string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.turn()
	g.count[key]++
}

// many says whether at least most failed within about a window.
func (g *guesses) many(key string, most int) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.turn()
	left := 1 - float64(g.now().Sub(g.since))/float64(g.window) // of the window before
	return float64(g.before[key])*left+float64(g.count[key]) >= float64(most)
}

// accountKey tells accounts apart as signing in does: whatever the case, and
// numbers by their digits.
func accountKey(text string) string {
	text = strings.ToLower(strings.TrimSpace(text))
	if strings.Contains(text, "@") {
		return text
	}
	digits := strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return r
		}
		return -1
	}, text)
	if digits != "" {
		return digits
	}
	return text
}
