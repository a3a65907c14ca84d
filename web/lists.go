package web

import (
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/google/uuid"

	"manudex/app"
)

// A list comes in pieces, and all of them are of one version: what the first
// piece was worked out as is kept for a moment, under a name that the address
// of the next one carries. Nothing is worked out anew for a piece. Where the
// name says nothing any more, or to this node, the answer is the whole list,
// worked out afresh, and says so: it takes the place of all pieces before it.
const (
	listsKept = 64
	listKept  = time.Minute
	wholeMark = "X-Whole" // of an answer that is the whole list
)

// lists are the lists that were worked out a moment ago.
type lists struct {
	mu   sync.Mutex
	kept []keptList // the oldest first
}

type keptList struct {
	name  uuid.UUID
	at    time.Time
	whose string // who asked, what they reached then, and for what
	list  any
}

// keep keeps a list and gives its name.
func (l *lists) keep(whose string, list any, now time.Time) uuid.UUID {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.kept = slices.DeleteFunc(l.kept, func(k keptList) bool { return now.Sub(k.at) > listKept })
	if len(l.kept) >= listsKept {
		l.kept = slices.Delete(l.kept, 0, len(l.kept)-listsKept+1)
	}
	name := uuid.New() // that nobody guesses
	l.kept = append(l.kept, keptList{name, now, whose, list})
	return name
}

// find gives the list of a name, nil when it isn't kept, or not for that.
func (l *lists) find(name uuid.UUID, whose string, now time.Time) any {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, k := range l.kept {
		if k.name == name && k.whose == whose && now.Sub(k.at) <= listKept {
			return k.list
		}
	}
	return nil
}

// piece is which part of a list an answer is.
type piece struct {
	offset, rows int
	first        bool // the page itself, with the list's first rows
	name         uuid.UUID
}

// listOf gives the list that a request asks for a piece of, as it was worked
// out for the first one, and which piece that is. It is worked out by read for
// the first piece, and where it isn't kept any more.
func listOf[T any](s *Server, w http.ResponseWriter, r *http.Request, read func() (T, error)) (list T, p piece, err error) {
	q := r.URL.Query()
	if p.offset, err = parseCount(q.Get("offset")); err != nil {
		return list, p, err
	}
	p.rows, p.first = app.PageRows, p.offset == 0
	whose := whoseList(r)
	if p.name, err = uuid.Parse(q.Get("as")); err == nil && !p.first {
		if kept, ok := s.lists.find(p.name, whose, time.Now()).(T); ok {
			return kept, p, nil
		}
	}
	if list, err = read(); err != nil {
		return list, p, err
	}
	if !p.first {
		w.Header().Set(wholeMark, "true")
		p.offset, p.rows = 0, math.MaxInt32
		return list, p, nil
	}
	p.name = s.lists.keep(whose, list, time.Now())
	return list, p, nil
}

// whoseList says who asks for which list, and what they reach: whoever is moved
// off a crew is not given a row of it from a list of before.
func whoseList(r *http.Request) string {
	q, actor := r.URL.Query(), visitOf(r).actor
	q.Del("offset")
	q.Del("as")
	return fmt.Sprint(actor.ID, actor.Level, actor.LeadsUnits, actor.Grants, r.URL.Path, "?", q.Encode())
}

// next is the address of the piece after one, "" when there is none.
func (p piece) next(r *http.Request, more int) string {
	if more == 0 {
		return ""
	}
	q := r.URL.Query()
	q.Set("offset", strconv.Itoa(p.offset+p.rows))
	q.Set("as", p.name.String())
	return r.URL.Path + "?" + q.Encode()
}
