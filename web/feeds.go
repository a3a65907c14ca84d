package web

import (
	"context"
	"encoding/json"
	"maps"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
)

// feeds keep the lists on live pages up to date. What changed is read once for
// all pages of a node and worked out once for each reach; it goes out as rows
// to those streams whose reach holds them, of which the store is asked again
// before anything is sent. With no list to follow, nothing is kept and nothing
// runs.
type feeds struct {
	s      *Server
	mu     sync.Mutex
	open   map[*follower]struct{}
	going  bool
	joined chan struct{} // somebody new follows
}

const (
	gatherRows = 100 * time.Millisecond // what comes together goes out together
	frameRests = 5 * time.Second        // between two readings of the rail, which adds up a pay period
	readLong   = 10 * time.Minute       // ago, and a list is sent whole
	queueHolds = 50                     // patches, of a stream that is behind
	keptAtMost = 5000                   // cards; a list made of more is read anew by its page
	askWithin  = 20 * time.Second
	healEvery  = 10 // minutes; what a node that ended didn't tell any more is found then
)

// follower is one stream and the lists that its pages show.
type follower struct {
	actor   app.Actor
	session string // as the store knows it
	lists   []*followed
	wake    chan struct{}

	mu    sync.Mutex
	out   []patch
	ended bool
}

// followed is a list on a page.
type followed struct {
	name  string // the page's address
	at    *url.URL
	since time.Time // when the page was read; zero since it is kept up
	key   listKey
	head  string // as last sent
}

// listKey is what an address asks for, today.
type listKey struct {
	path  string
	days  when.Period
	show  card.Class
	today bool // it is Today of today
}

// watchKey is what lists are made of.
type watchKey struct {
	days    when.Period
	running bool
}

// permission is what it takes to see the list.
func (k listKey) permission() string {
	if k.path == "/today" {
		return "today.see"
	}
	return "timecards.see"
}

func (k listKey) watch() watchKey { return watchKey{k.days, k.today} }

// viewKey is a list as all those see it who may the same.
type viewKey struct {
	listKey
	name, standing string
}

// patch is what changes on a page.
type patch struct {
	List  string            `json:"list"`
	Again bool              `json:"again,omitempty"` // the page is to be read anew
	Apart bool              `json:"apart,omitempty"` // the list is too long to be kept: it is read anew when something changed
	Whole bool              `json:"whole,omitempty"` // there are no other rows
	Gone  []string          `json:"gone,omitempty"`  // ids of rows
	Rows  []patchRow        `json:"rows,omitempty"`  // in their order
	Parts map[string]string `json:"parts,omitempty"` // what elements hold, by their id
	Now   int64             `json:"now,omitempty"`   // Unix seconds, where time has passed

	made time.Time
}

// patchRow is a row and the id of the one below it, "" for none.
type patchRow struct {
	ID     string `json:"id"`
	Before string `json:"before"`
	HTML   string `json:"html"`
}

func (p patch) empty() bool {
	return !p.Again && !p.Apart && !p.Whole && len(p.Gone) == 0 && len(p.Rows) == 0 && len(p.Parts) == 0 && p.Now == 0
}

// follow begins to keep the lists of a stream's pages up to date. Those that
// can't be kept so are left out.
func (f *feeds) follow(actor app.Actor, session string, lists []*followed) *follower {
	fl := &follower{actor: actor, session: session, lists: lists, wake: make(chan struct{}, 1)}
	if len(lists) == 0 {
		return fl
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.open[fl] = struct{}{}
	if !f.going {
		f.going = true
		go f.run()
	}
	signal(f.joined)
	return fl
}

func (f *feeds) leave(fl *follower) {
	f.mu.Lock()
	defer f.mu.Unlock()
	delete(f.open, fl)
}

func signal(wake chan struct{}) {
	select {
	case wake <- struct{}{}:
	default: // it will wake already
	}
}

// take gives what is to be sent, and whether the stream is to end.
func (fl *follower) take() (out []patch, ended bool) {
	fl.mu.Lock()
	defer fl.mu.Unlock()
	out, fl.out = fl.out, nil
	return out, fl.ended
}

// put queues a patch. A stream that is far behind reads its page anew instead.
func (fl *follower) put(p patch) {
	if p.empty() {
		return
	}
	fl.mu.Lock()
	if len(fl.out) >= queueHolds {
		fl.out, p = nil, patch{List: p.List, Again: true, made: p.made}
	}
	fl.out = append(fl.out, p)
	fl.mu.Unlock()
	signal(fl.wake)
}

func (fl *follower) end() {
	fl.mu.Lock()
	fl.ended, fl.out = true, nil
	fl.mu.Unlock()
	signal(fl.wake)
}

// keeper is what the feeds know while they run.
type keeper struct {
	*feeds
	watches map[watchKey]*hours.Watch
	views   map[viewKey]*view
	frames  time.Time // when they were last read
	passed  int       // minutes
}

// view is a list as it was last sent to those who may the same.
type view struct {
	marks  map[hours.CardRef]hours.Mark
	groups map[string]bool
	frame  *app.Frame
	stale  bool // the frame is of before something happened
	rail   string
}

// run works until nobody follows.
func (f *feeds) run() {
	k := &keeper{feeds: f, watches: map[watchKey]*hours.Watch{}, views: map[viewKey]*view{}}
	sub := f.s.app.Live.Everything()
	defer sub.Close()
	minute, rail := time.NewTicker(f.s.opts.Passing), time.NewTicker(frameRests)
	defer minute.Stop()
	defer rail.Stop()
	var owed app.Changed // of a round that failed
	for {
		passed := false
		select {
		case <-f.s.stopping:
			return
		case <-sub.Wake():
			time.Sleep(gatherRows)
		case <-f.joined:
		case <-minute.C:
			passed = true
			if k.passed++; k.passed%healEvery == 0 {
				owed.All = true
			}
		case <-rail.C:
		}
		if f.idle() {
			return
		}
		what := sub.Take()
		what.All = what.All || owed.All
		if err := k.round(what, passed); err != nil {
			f.s.log.Warn("live lists are behind", "err", err)
			owed.All = true
			time.Sleep(time.Second)
			signal(f.joined)
			continue
		}
		owed = app.Changed{}
	}
}

// idle says whether nobody follows any more, and then nothing runs.
func (f *feeds) idle() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.going = len(f.open) > 0
	return !f.going
}

// round brings everybody up to date.
func (k *keeper) round(what app.Changed, passed bool) error {
	ctx, cancel := context.WithTimeout(context.Background(), askWithin)
	defer cancel()
	made := time.Now()
	followers, err := k.stillThere(ctx)
	if err != nil {
		return err
	}
	place, err := k.s.app.Company(ctx)
	if err != nil {
		return err
	}
	now := k.s.app.Now()
	if err := k.see(ctx, followers, what, place, now); err != nil {
		return err
	}
	frames := time.Since(k.frames) > frameRests
	if frames {
		k.frames = time.Now()
	}
	done := map[viewKey]*shown{}
	for _, fl := range followers {
		for _, l := range fl.lists {
			key := viewKey{l.key, l.name, fl.actor.Standing()}
			sh := done[key]
			if sh == nil {
				if sh, err = k.show(ctx, key, l.at, fl.actor, what, place, passed, frames); err != nil {
					return err
				}
				done[key] = sh
			}
			p, err := sh.patch(fl.actor, l, now)
			if err != nil {
				return err
			}
			p.made = made
			fl.put(p)
		}
	}
	for _, sh := range done {
		sh.keep()
	}
	maps.DeleteFunc(k.views, func(key viewKey, _ *view) bool { return done[key] == nil })
	return nil
}

// stillThere asks the store who still may what they could when they began to
// follow; the streams of the others end.
func (k *keeper) stillThere(ctx context.Context) ([]*follower, error) {
	k.mu.Lock()
	followers := slices.Collect(maps.Keys(k.open))
	k.mu.Unlock()
	var people []uuid.UUID
	var sessions []string
	for _, fl := range followers {
		people, sessions = append(people, fl.actor.ID), append(sessions, fl.session)
	}
	actors, err := k.s.app.Actors(ctx, people)
	if err != nil {
		return nil, err
	}
	signedIn, err := store.Sessions(ctx, k.s.app.DB, sessions)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(followers, func(fl *follower) bool {
		now, there := actors[fl.actor.ID]
		still := there && signedIn[fl.session] && now.SignsIn && now.SessionEpoch == fl.actor.SessionEpoch &&
			now.Standing() == fl.actor.Standing()
		if !still {
			fl.end()
		}
		return !still
	}), nil
}

// see reads what the lists are made of, as far as it changed, and judges it.
func (k *keeper) see(ctx context.Context, followers []*follower, what app.Changed, place *app.Company, now time.Time) error {
	used := map[watchKey]bool{}
	for _, fl := range followers {
		fl.lists = slices.DeleteFunc(fl.lists, func(l *followed) bool {
			key, err := k.s.listKey(ctx, l.at, now)
			if err == nil && l.key == (listKey{}) { // what it was when it was read
				l.key, err = k.s.listKey(ctx, l.at, now.Add(-time.Since(l.since)))
			}
			if err != nil || l.key != key { // another day has begun
				fl.put(patch{List: l.name, Again: true})
				return true
			}
			if k.tooLong(ctx, key.watch()) {
				fl.put(patch{List: l.name, Apart: true})
				return true
			}
			used[key.watch()] = true
			return false
		})
	}
	maps.DeleteFunc(k.watches, func(key watchKey, _ *hours.Watch) bool { return !used[key] })
	for key := range used {
		w, read := k.watches[key], what
		if w == nil {
			w, read = &hours.Watch{Days: key.days, Running: key.running}, app.Changed{All: true}
		}
		if read.Any() {
			if err := w.Read(ctx, k.s.app, read); err != nil {
				delete(k.watches, key)
				return err
			}
		}
		k.watches[key] = w
		if err := w.Judge(place, now); err != nil {
			return err
		}
	}
	return nil
}

// tooLong says whether what a list is made of is too much to be kept.
func (k *keeper) tooLong(ctx context.Context, key watchKey) bool {
	if k.watches[key] != nil {
		return false
	}
	n, err := store.CountCards(ctx, k.s.app.DB, key.days)
	if err != nil {
		k.s.log.Warn("count the cards of a live list", "err", err)
	}
	return err != nil || n > k.s.opts.KeptAtMost
}

// listKey reads what a page's address asks for at a time.
func (s *Server) listKey(ctx context.Context, at *url.URL, now time.Time) (k listKey, err error) {
	q, err := s.deskQuery(ctx, at.Query(), now)
	if err != nil {
		return k, err
	}
	if q.Person != uuid.Nil || q.Job != uuid.Nil {
		return k, app.ErrNotFound
	}
	place, err := s.app.Company(ctx)
	if err != nil {
		return k, err
	}
	k = listKey{path: at.Path, days: q.Days}
	switch at.Path {
	case "/today":
		k.days.From = k.days.To
	case "/timecards":
		k.show = q.Show
	default:
		return k, app.ErrNotFound
	}
	today := place.Today(now)
	k.today = at.Path == "/today" && k.days == when.Period{From: today, To: today}
	return k, nil
}

// listsOf reads which lists a stream is to keep up: the addresses of pages, and
// when each was read, in Unix milliseconds, or what the stream last heard.
func (s *Server) listsOf(ctx context.Context, actor app.Actor, q url.Values, heard time.Time) []*followed {
	var lists []*followed
	names, moments := q["list"], q["as"]
	for i, name := range names {
		at, err := url.Parse(name)
		if err != nil || i >= len(moments) || i >= maxStreams {
			break
		}
		key, err := s.listKey(ctx, at, s.app.Now())
		if err != nil || !actor.May(key.permission()) {
			continue
		}
		l := &followed{name: name, at: at, since: unixMilli(moments[i])}
		if heard.After(l.since) {
			l.since = heard
		}
		lists = append(lists, l)
	}
	return lists
}

// show works out a list as all those see it who may what an actor may.
func (k *keeper) show(ctx context.Context, key viewKey, at *url.URL, actor app.Actor, what app.Changed, place *app.Company,
	passed, frames bool) (*shown, error) {
	v := k.views[key]
	begins := v == nil
	if begins {
		v = &view{}
		k.views[key] = v
	}
	v.stale = v.stale || what.Any()
	w := k.watches[key.watch()]
	nobody := actor
	nobody.ID = uuid.Nil
	sh := &shown{s: k.s, view: v, watch: w, begins: begins, what: what, passed: passed, place: place, at: at, nobody: nobody}
	if begins || frames && (v.stale || passed) {
		var err error
		if v.frame, err = k.s.app.ReadFrame(ctx, nobody, key.days); err != nil {
			return nil, err
		}
		v.stale = false
		if err := sh.frame(); err != nil {
			return nil, err
		}
	}
	if key.path == "/today" {
		board, err := w.Board(nobody)
		if err != nil {
			return nil, err
		}
		sh.list = &boardList{k.s, board, axisOf(board.Day, place.Loc)}
		return sh, sh.look()
	}
	desk, err := w.Desk(nobody, key.show)
	if err != nil {
		return nil, err
	}
	sh.list = &deskList{k.s, desk, at, place, v.frame}
	return sh, sh.look()
}

// text is a patch as it goes over the stream.
func (p patch) text() (string, error) {
	var b strings.Builder
	err := json.NewEncoder(&b).Encode(p)
	return strings.TrimSuffix(b.String(), "\n"), err
}
