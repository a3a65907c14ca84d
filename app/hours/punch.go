// Package hours holds what is recorded of people's hours and what is worked
// out from it: punches, stints and day cards, the acts on cards, and the
// screens on which they are seen.
package hours

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Punch records one act at a clock point for the actor's own employment. Sent
// again under the same id it is answered as before; with other content it is
// ErrConflict.
type Punch struct {
	ID     uuid.UUID
	Act    clock.Act
	Break  clock.Kind
	On     clock.Assignment
	Place  *geo.Point
	Moment clock.Moment // when the device was pressed, as it says; zero for now
}

// Permission is the act's name in the permission table.
func (Punch) Permission() string { return "clock.punch" }

func (p Punch) Do(ctx context.Context, t *app.Turn) error {
	if p.Act != clock.In && p.Act != clock.Switch {
		p.On = clock.Assignment{}
	}
	if t.Actor.Employment == nil {
		return noPosition()
	}
	read, err := p.read(ctx, t)
	if err != nil {
		return err
	}
	who, made := read.who, p.made(t)
	if who.Location == "off" {
		made.Place = nil
	}
	return punchFor(ctx, t, who, made, mayClockIn, read)
}

// made is the punch as it counts when it arrives, by the point that the actor
// acts through.
func (p Punch) made(t *app.Turn) clock.Punch {
	now := t.Now
	made := clock.Punch{ID: p.ID, Act: p.Act, Break: p.Break, On: p.On, Point: t.Actor.Point, Place: p.Place, Device: p.Moment.Pressed}
	made.Claimed, made.Doubt = p.Moment.At(now)
	if made = made.Settle(now); now.Sub(made.Claimed) > time.Minute {
		made.Point = clock.DelayQueue
	}
	return made
}

// reading is what a punch goes by, read in one go.
type reading struct {
	who    store.Employment
	around []store.Punch
	same   *store.Punch // the very punch, where it was sent before
	job    *store.Clockable
}

// Ahead reads it on the way in.
func (p Punch) Ahead(t *app.Turn) ([]store.Ask, any) {
	if t.Actor.Employment == nil {
		return nil, nil
	}
	made, of := p.made(t), *t.Actor.Employment
	r := &reading{}
	asks := []store.Ask{store.AskEmployment(of, &r.who),
		store.AskPunchesAround(of, made.Claimed, made.ID, func(around []store.Punch, same *store.Punch) {
			r.around, r.same = around, same
		})}
	if p.On.Job != uuid.Nil {
		asks = append(asks, store.AskClockable(p.On.Job, p.On.Task, p.On.Class, of, t.Company.Today(made.Claimed), &r.job))
	}
	return asks, r
}

// read gives what was read on the way in, or the employment alone.
func (p Punch) read(ctx context.Context, t *app.Turn) (*reading, error) {
	if r, ok := t.Ahead().(*reading); ok && r.who.ID != uuid.Nil {
		return r, nil
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	return &reading{who: who}, err
}

func noPosition() error {
	return refusal.New("act", "You have no hourly position here today", "Ask the office to add one")
}

// mayClockIn refuses a punch from a clock point that isn't the person's, and,
// from their own device, one without the location it needs. Only who is off
// the clock is asked: a setting never keeps anybody on it (29 CFR 785.11).
func mayClockIn(who store.Employment, p clock.Punch) error {
	own := p.Point.Way() == clock.OwnDevice
	switch {
	case own && !slices.Contains(field.SplitList(who.Points), string(clock.OwnDevice)):
		return refusal.New("point", "You don't clock in from your own phone or browser",
			"Clock at: "+field.OrNothing(who.Points)+". The office can open this to you")
	case own && p.Place == nil && who.Needed && who.Location != "off":
		return refusal.New("place", "Your punches need a location, and none came along",
			"Let this page see where you are, in the settings of your browser, or ask your lead")
	}
	return nil
}

// SeePlace keeps where the actor is along the way, while on the clock: no
// more often than the company says, and only after moving.
type SeePlace struct {
	ID    uuid.UUID
	Place geo.Point
}

// Permission is the act's name in the permission table.
func (SeePlace) Permission() string { return "clock.punch" }

func (s SeePlace) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return app.ErrNotFound
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	if err != nil {
		return err
	}
	last, err := store.LastStint(ctx, t, who.ID)
	if err != nil {
		return err
	}
	if who.Location != "along" || last == nil || !last.Open() {
		return refusal.New("place", "Where you are is not taken now", "Nothing was kept")
	}
	before, err := store.LastTrackPoint(ctx, t, who.ID, last.Start)
	if err != nil {
		return err
	}
	if before != nil && (t.Now.Sub(before.At) < time.Duration(t.Company.LocationInterval)*time.Second ||
		geo.Metres(before.Point, s.Place) < float64(t.Company.LocationMoved)) {
		return nil // too soon, or too near
	}
	return store.InsertTrackPoint(ctx, t, store.TrackPoint{ID: s.ID, Employment: who.ID, At: t.Now, Point: s.Place})
}

// PunchFor records a punch of a locked employment and rebuilds what follows
// from it. Sent again it is answered as before, whatever became of settings
// since; allow, which may be nil, is asked of who is off the clock.
func PunchFor(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch,
	allow func(store.Employment, clock.Punch) error) error {
	return punchFor(ctx, t, who, p, allow, nil)
}

// punchFor is [PunchFor], with what was read before, if anything was.
func punchFor(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch,
	allow func(store.Employment, clock.Punch) error, read *reading) error {
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	made := p.Settle(t.Now)
	if read == nil || t.Ahead() == nil {
		read = &reading{}
		if read.around, read.same, err = store.PunchesAround(ctx, t, who.ID, made.Claimed, p.ID); err != nil {
			return err
		}
	}
	if before := read.same; before != nil {
		asked := clock.Punch{Act: p.Act, Break: p.Break, On: p.On}
		if before.Employment != who.ID || !before.Punch.Same(asked) {
			return app.ErrConflict
		}
		return nil
	}
	if why := claimOf(t, who, made); why != "" && made.Point == clock.DelayQueue {
		return keepClaim(ctx, t, who, made, why, "")
	}
	var refused *refusal.Refusal
	err = recordPunch(ctx, t, who, loc, read, made, allow)
	if errors.As(err, &refused) && made.Point == clock.DelayQueue { // it can't be pressed again
		return keepClaim(ctx, t, who, made, "refused", refused.Error())
	}
	return err
}

// recordPunch records a punch that was not recorded before.
func recordPunch(ctx context.Context, t *app.Turn, who store.Employment, loc *time.Location, read *reading, made clock.Punch,
	allow func(store.Employment, clock.Punch) error) (err error) {
	book := NewDayBook(who, loc, t.Company, read.around)
	if last := book.last(); allow != nil && (last == nil || !last.Open()) {
		if err := allow(who, made); err != nil {
			return err
		}
	}
	if made.Provenance() == clock.Clocked {
		if err := clock.Check(book.last(), made, loc); err != nil {
			return err
		}
	}
	punch := store.Punch{Punch: made, Employment: who.ID, By: t.Actor.ID}
	if punch.OffSite, err = checkJob(ctx, t, who, made, read.job); err != nil {
		return err
	}
	if err := KeepPunch(ctx, t, who, book, punch); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, made.ID, map[string]any{"act": made.Act})
	return nil
}

// KeepPunch writes a punch and what follows from it.
func KeepPunch(ctx context.Context, t *app.Turn, who store.Employment, book *dayBook, punch store.Punch) error {
	changed := book.add(punch)
	return changed.write(ctx, t, who, punch)
}

// jobOf gives what a punch is to be clocked to, read before or now.
func jobOf(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch, known *store.Clockable) (store.Clockable, error) {
	if known != nil {
		return *known, nil
	}
	return store.GetClockable(ctx, t, p.On.Job, p.On.Task, p.On.Class, who.ID, t.Company.Today(p.Claimed))
}

// checkJob refuses a job, task or class that can't be clocked to, and says
// how far outside the fence the punch was made.
func checkJob(ctx context.Context, t *app.Turn, who store.Employment, p clock.Punch, known *store.Clockable) (offSite float64, err error) {
	fence, word := who.SiteFence(), t.Company.JobWord
	if p.Act == clock.In || p.Act == clock.Switch {
		if p.On.Job == uuid.Nil {
			return 0, refusal.New("job", "No "+word+" was chosen", "Choose the "+word+" you are starting on")
		}
		j, err := jobOf(ctx, t, who, p, known)
		if store.NotFound(err) {
			return 0, refusal.New("job", "There is no such "+word, "Choose one from the list")
		}
		if err != nil {
			return 0, err
		}
		if err := clockable(word, j, p.On); err != nil {
			return 0, err
		}
		if f := j.SiteFence(); f.Radius > 0 {
			fence = f
		}
	}
	if p.Place == nil {
		return 0, nil
	}
	return fence.Outside(*p.Place), nil
}

func clockable(word string, j store.Clockable, on clock.Assignment) error {
	name := j.Number + " " + j.Name
	switch {
	case j.State != "open":
		return refusal.New("job", name+" was closed", "Choose another "+word+", or ask the office to open it again")
	case !j.Open:
		return refusal.New("job", name+" is not open to you", "Choose another "+word+", or ask the office to open it to you")
	case j.Into != nil:
		return refusal.New("task", "That task of "+name+" is worked as “"+*j.Into+"”", "Choose that one")
	case on.Task != uuid.Nil && j.TaskState == nil:
		return refusal.New("task", name+" has no such task", "Choose one of its tasks")
	case on.Task != uuid.Nil && *j.TaskState != "open":
		return refusal.New("task", "That task of "+name+" was closed", "Choose another task")
	case on.Task == uuid.Nil && j.HasTasks:
		return refusal.New("task", "No task of "+name+" was chosen", "Choose the task you are starting on")
	case j.PublicWork && on.Class == uuid.Nil:
		return refusal.New("class", name+" is public work", "Choose the classification you work in")
	case j.PublicWork && !j.HasClass:
		return refusal.New("class", name+" has no wage for that classification", "Choose one of its classifications")
	case !j.PublicWork && on.Class != uuid.Nil:
		return refusal.New("class", name+" is not public work", "Leave the classification out")
	}
	return nil
}

// dayBook is everything known about the worked days that a punch can touch:
// the punches from the first attendance of the earliest of them on. Deriving
// from there gives the same stints as deriving from a person's first punch.
type dayBook struct {
	who     store.Employment
	rules   clock.Rules
	limits  func(when.Date) card.Limits
	punches []store.Punch
	stints  []clock.Stint
}

func NewDayBook(who store.Employment, loc *time.Location, place *app.Company, punches []store.Punch) *dayBook {
	b := &dayBook{who: who, rules: place.ClockRules(loc), limits: place.LimitsOn, punches: punches}
	b.stints = b.derive()
	return b
}

func (b *dayBook) derive() []clock.Stint {
	punches := make([]clock.Punch, len(b.punches))
	for i, p := range b.punches {
		punches[i] = p.Punch
	}
	stints, _ := clock.Derive(punches)
	b.rules.Place(stints)
	return stints
}

func (b *dayBook) last() *clock.Stint {
	if len(b.stints) == 0 {
		return nil
	}
	return &b.stints[len(b.stints)-1]
}

// rebuilt is what a new punch changed.
type rebuilt struct {
	book  *dayBook
	gone  []uuid.UUID
	put   []clock.Stint
	dates []when.Date
}

// add takes a punch in and says which derived stints and days changed.
func (b *dayBook) add(p store.Punch) rebuilt {
	old := b.stints
	b.punches = append(b.punches, p)
	b.stints = b.derive()
	r := rebuilt{book: b}
	touch := func(d when.Date) {
		if !slices.Contains(r.dates, d) {
			r.dates = append(r.dates, d)
		}
	}
	for _, s := range old {
		i := slices.IndexFunc(b.stints, func(n clock.Stint) bool { return n.ID == s.ID })
		if i < 0 {
			r.gone = append(r.gone, s.ID)
		}
		if i < 0 || b.stints[i] != s {
			touch(s.Date)
		}
	}
	for _, s := range b.stints {
		if !slices.Contains(old, s) {
			r.put = append(r.put, s)
			touch(s.Date)
		}
	}
	if d, ok := dateOf(p.Punch, b.stints); ok {
		touch(d) // evidence may have changed where no stint did
	}
	return r
}

// dateOf gives the worked date a punch belongs to: that of the stint it
// begins, ends or lies in.
func dateOf(p clock.Punch, stints []clock.Stint) (d when.Date, ok bool) {
	for _, s := range stints {
		if s.Start.After(p.Claimed) {
			break
		}
		d, ok = s.Date, true
	}
	return d, ok
}

// write stores a punch and what it changed: the stints, then the cards of the
// days, together. What was paid is kept as it was, for runs to go by until the
// change is approved.
func (r rebuilt) write(ctx context.Context, t *app.Turn, who store.Employment, punch store.Punch) error {
	if err := who.Lock().Holds(who.Person); err != nil {
		return err
	}
	on := make([]store.EmploymentDate, len(r.dates))
	for i, d := range r.dates {
		on[i] = store.EmploymentDate{Employment: who.ID, Date: d}
	}
	plans, err := store.PlansOf(ctx, t, on, t.Company.Holiday)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(plans, func(p store.Planned) bool { return p.State == card.Paid }) {
		if err := store.SettleStints(ctx, t, who.ID, r.dates); err != nil {
			return err
		}
	}
	all := t.Together()
	if err := store.InsertPunch(ctx, all, punch); err != nil {
		return fmt.Errorf("write the punch: %w", err)
	}
	if err := store.DeleteStints(ctx, all, r.gone); err != nil {
		return fmt.Errorf("take stints away: %w", err)
	}
	put := make([]store.Stint, len(r.put))
	for i, s := range r.put {
		put[i] = store.Stint{Stint: s, Person: who.Person, Employment: who.ID}
	}
	if err := store.PutStints(ctx, all, put); err != nil {
		return fmt.Errorf("write stints: %w", err)
	}
	cards := make([]store.Card, len(plans))
	var acts []store.CardAct
	for i, plan := range plans {
		standing, move, err := reopened(plan.Standing)
		if err != nil {
			return err
		}
		if move != "" {
			acts = append(acts, cardAct(t, who.ID, plan.Date, move, uuid.Must(uuid.NewV7()), "a punch reached the card"))
		}
		cards[i] = store.Card{Card: r.book.card(plan), Standing: standing, Employment: who.ID}
	}
	if err := store.InsertCardActs(ctx, all, acts); err != nil {
		return fmt.Errorf("open cards again: %w", err)
	}
	if err := store.PutCards(ctx, all, cards...); err != nil {
		return fmt.Errorf("write cards: %w", err)
	}
	return store.KeepHours(ctx, all, who.ID, r.dates)
}

// card works out the card of a date from the book.
func (b *dayBook) card(plan store.Planned) card.Card {
	return workCard(plan.Date, plan.Plan, b.stints, b.punches, b.limits(plan.Date))
}

func workCard(date when.Date, plan card.Plan, stints []clock.Stint, punches []store.Punch, lim card.Limits) card.Card {
	var own []clock.Stint
	for _, s := range stints {
		if s.Date == date {
			own = append(own, s)
		}
	}
	return card.Work(date, own, plan, evidence(date, stints, punches), lim)
}

// evidence gathers what the punches of a date say beyond their stints.
func evidence(date when.Date, stints []clock.Stint, punches []store.Punch) (ev card.Evidence) {
	for _, p := range punches {
		if d, ok := dateOf(p.Punch, stints); !ok || d != date {
			continue
		}
		ev.OffSite = max(ev.OffSite, p.OffSite)
		if p.Doubt.Abs() > ev.Doubt.Abs() {
			ev.Doubt = p.Doubt
		}
		if skew := p.Device.Sub(p.Received); !p.Device.IsZero() && p.Provenance() == clock.Clocked && skew.Abs() > ev.Skew.Abs() {
			ev.Skew = skew
		}
	}
	return ev
}

// reopened gives the move that a punch on a card causes, "" for none, and where
// the card then stands: a signed or approved one is open again, a paid one waits
// for somebody to approve the change.
func reopened(stands card.Standing) (card.Standing, card.Move, error) {
	move := card.Reopen
	switch stands.State {
	case card.Open:
		return stands, "", nil
	case card.Paid:
		move = card.Adjust
	}
	next, err := stands.Next(move, false)
	return next, move, err
}

// WorkDays works out the stints and cards of one employment from all its
// punches and plans, as recording them one by one would have. It is how a
// history is made in one go; who needs only ID and Person.
func WorkDays(who store.Employment, loc *time.Location, place *app.Company, punches []store.Punch,
	plans map[when.Date]card.Plan) ([]store.Stint, []card.Card) {
	book := NewDayBook(who, loc, place, punches)
	stints := make([]store.Stint, len(book.stints))
	days := map[when.Date][]clock.Stint{}
	for i, s := range book.stints {
		stints[i] = store.Stint{Stint: s, Person: who.Person, Employment: who.ID}
		days[s.Date] = append(days[s.Date], s)
	}
	on := slices.Collect(maps.Keys(days))
	for d := range plans {
		if days[d] == nil {
			on = append(on, d)
		}
	}
	slices.Sort(on)
	slices.SortFunc(punches, func(a, b store.Punch) int { return a.Claimed.Compare(b.Claimed) })
	rest := book.stints
	var cards []card.Card
	for _, d := range on {
		rest = rest[len(days[d]):]
		if c := workCard(d, plans[d], days[d], punchesOf(days[d], rest, punches), place.LimitsOn(d)); !c.Empty() {
			cards = append(cards, c)
		}
	}
	return stints, cards
}
