package points

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
)

// PutPoint adds a clock point, or changes what it is called, where it is and what it
// stands for: a job by its number and a task of it by its name, both of which may be "".
type PutPoint struct {
	ID        uuid.UUID
	Title     string
	Site      uuid.UUID
	Job, Task string   // number and name
	Takes     []string // acts that it takes, of [Takes]; none for all
	Watcher   string   // the number of who vouches there in place of a PIN; "" for nobody
}

// Takes are the acts that a clock point can take, in the order of a day; clocking out is among
// them everywhere.
var Takes = []string{"in", "switch", "break", "out"}

// Permission is the act's name in the permission table.
func (PutPoint) Permission() string { return "setup.change" }

func (p PutPoint) Do(ctx context.Context, t *app.Turn) error {
	title := strings.TrimSpace(p.Title)
	if title == "" || utf8.RuneCountInString(title) > 60 {
		return refusal.New("title", "The clock point has no name", "Write one of at most 60 characters, such as Gate, north side")
	}
	sites, err := store.Sites(ctx, t)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(sites, func(s store.Named) bool { return s.ID == p.Site }) {
		return refusal.New("site", "No site was chosen", "Choose where it stands: it serves the people of that site")
	}
	row := store.ClockPoint{ID: p.ID, Name: title, Site: p.Site, Takes: takes(p.Takes)}
	if number := strings.TrimSpace(p.Watcher); number != "" {
		watcher, err := store.PersonOfNumber(ctx, t, number)
		if store.NotFound(err) {
			return refusal.New("watcher", "There is nobody with number "+number, "Write the number of who watches, or leave it empty")
		}
		if err != nil {
			return err
		}
		row.Watcher = &watcher
	}
	on, err := standsFor(ctx, t, strings.TrimSpace(p.Job), strings.TrimSpace(p.Task))
	if err != nil {
		return err
	}
	if on.Job != uuid.Nil {
		row.Job = &on.Job
	}
	if on.Task != uuid.Nil {
		row.Task = &on.Task
	}
	err = store.PutClockPoint(ctx, t, row, t.Actor.ID, t.Now)
	if store.Violates(err, "clock_point_name") {
		return refusal.New("title", "There is a clock point of that name", "Choose another")
	}
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, p.ID, map[string]any{"field": "Clock point", "to": title})
	return nil
}

// takes is the acts that were chosen as they are kept: what holds somebody on the clock
// is always taken.
func takes(chosen []string) string {
	var kept []string
	for _, act := range Takes {
		if len(chosen) == 0 || act == "out" || slices.Contains(chosen, act) {
			kept = append(kept, act)
		}
	}
	return strings.Join(kept, ", ")
}

// standsFor finds what a clock point stands for, nothing where no job is named.
func standsFor(ctx context.Context, t *app.Turn, job, task string) (on clock.Assignment, err error) {
	if job == "" && task != "" {
		return on, refusal.New("job", "A task is named, and no "+t.Company.JobWord, "Write the number of its "+t.Company.JobWord)
	}
	if job == "" {
		return on, nil
	}
	return named(ctx, t, t.Company.JobWord, job, task)
}

// named finds a job by its number, and a task of it by its name, "" for none. Whether they
// are open is asked of whoever clocks to them.
func named(ctx context.Context, q store.Q, word, job, task string) (on clock.Assignment, err error) {
	on.Job, err = store.JobByNumber(ctx, q, job)
	if store.NotFound(err) {
		return on, refusal.New("job", fmt.Sprintf("There is no %s “%s”", word, job), "Write the number of one that there is")
	}
	if err != nil || task == "" {
		return on, err
	}
	tasks, err := store.TasksOfJobs(ctx, q, []uuid.UUID{on.Job})
	if err != nil {
		return on, err
	}
	i := slices.IndexFunc(tasks[on.Job], func(t store.Task) bool { return strings.EqualFold(t.Name, task) })
	if i < 0 {
		return on, refusal.New("task", fmt.Sprintf("%s has no task “%s”", job, task), "Write it as it stands on its page")
	}
	on.Task = tasks[on.Job][i].ID
	return on, nil
}

// ClosePoint closes a clock point, so that its keys open nothing, or opens it again. What
// came through it stays.
type ClosePoint struct {
	ID   uuid.UUID
	Open bool
}

// Permission is the act's name in the permission table.
func (ClosePoint) Permission() string { return "setup.change" }

func (c ClosePoint) Do(ctx context.Context, t *app.Turn) error {
	p, err := store.GetClockPoint(ctx, t, c.ID)
	if err != nil {
		return err
	}
	at, to := &t.Now, "closed"
	if c.Open {
		at, to = nil, "open"
	}
	t.Record(store.Event{Act: t.Act}, c.ID, map[string]any{"field": "Clock point " + p.Name, "to": to})
	return store.CloseClockPoint(ctx, t, c.ID, at)
}

// GiveKey makes a key for a device of a clock point. Told is told the key, which is kept
// nowhere.
type GiveKey struct {
	ID      uuid.UUID
	Point   uuid.UUID
	Title   string
	Punches bool // else it reads only
	Browser bool // it makes the browser that holds it a shared terminal
	Told    func(key string)
}

// Permission is the act's name in the permission table.
func (GiveKey) Permission() string { return "setup.change" }

// mostKeys is how many keys of one clock point can be in force.
const mostKeys = 20

func (g GiveKey) Do(ctx context.Context, t *app.Turn) error {
	title := strings.TrimSpace(g.Title)
	if title == "" || utf8.RuneCountInString(title) > 60 {
		return refusal.New("title", "The key has no name", "Write which device it is for, in at most 60 characters")
	}
	p, err := store.GetClockPoint(ctx, t, g.Point)
	if err != nil {
		return err
	}
	keys, err := store.PointKeys(ctx, t)
	if err != nil {
		return err
	}
	n := 0
	for _, k := range keys {
		if k.Point == g.Point && k.EndedAt == nil {
			n++
		}
	}
	if n >= mostKeys {
		return refusal.New("title", "This clock point has 20 keys already", "Take those back that no device uses")
	}
	key := newKey()
	if err := store.InsertPointKey(ctx, t, store.PointKey{ID: g.ID, Point: g.Point, Name: title, Punches: g.Punches || g.Browser,
		Terminal: g.Browser, MadeAt: t.Now},
		hashOf(key), t.Actor.ID); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, g.Point, map[string]any{"field": "Key of " + p.Name, "to": title + " was given one"})
	if g.Told != nil {
		g.Told(key)
	}
	return nil
}

// newKey makes a key of 192 random bits.
func newKey() string {
	var b [24]byte
	_, _ = rand.Read(b[:]) // it never fails
	return "mx_" + base64.RawURLEncoding.EncodeToString(b[:])
}

// hashOf is the digest by which a key is known. A key is random, so that nothing slower
// is needed.
func hashOf(key string) []byte {
	h := sha256.Sum256([]byte(strings.TrimSpace(key)))
	return h[:]
}

// EndKey takes a key back: it opens nothing any more.
type EndKey struct{ Key uuid.UUID }

// Permission is the act's name in the permission table.
func (EndKey) Permission() string { return "setup.change" }

func (e EndKey) Do(ctx context.Context, t *app.Turn) error {
	point, err := store.EndPointKey(ctx, t, e.Key, t.Actor.ID, t.Now)
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, point, map[string]any{"field": "Key of a clock point", "to": "taken back"})
	return nil
}

// PointRow is a clock point with its keys.
type PointRow struct {
	store.ClockPoint
	Keys    []store.PointKey
	Serves  int // people of its site
	NoPINs  int // of them, who clock at shared terminals and have none
	Without int // of them, who were not given this way of clocking
}

// ReadPoints lists the clock points.
func ReadPoints(ctx context.Context, a *app.App, actor app.Actor) ([]PointRow, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	points, err := store.ClockPoints(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	keys, err := store.PointKeys(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	served, err := store.ServedBySite(ctx, a.DB, place.Today(a.Now()))
	rows := make([]PointRow, len(points))
	for i, p := range points {
		rows[i] = PointRow{ClockPoint: p, Serves: served[p.Site].People, Without: served[p.Site].Without,
			NoPINs: served[p.Site].NoPINs}
		for _, k := range keys {
			if k.Point == p.ID {
				rows[i].Keys = append(rows[i].Keys, k)
			}
		}
	}
	return rows, err
}
