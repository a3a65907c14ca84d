package hours

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// dayBook is everything known about the worked days that something recorded can
// touch: the punches and amendments from the base of the earliest of them on.
// Working stints out from there gives the same as from a person's first punch.
type dayBook struct {
	who        store.Employment
	rules      clock.Rules
	limits     func(when.Date) card.Limits
	punches    []store.Punch
	amendments []store.Amendment

	stints   []clock.Stint
	findings []clock.Finding
	raw      []clock.Stint               // before amendments, each on the card that its time is on
	facts    map[when.Date]card.Evidence // made when first asked for
	days     map[when.Date][]clock.Stint // too
}

// NewDayBook makes the book of an employment from what was recorded.
func NewDayBook(who store.Employment, loc *time.Location, place *app.Company, punches []store.Punch,
	amendments []store.Amendment) *dayBook {
	b := &dayBook{who: who, rules: place.ClockRules(loc), limits: place.LimitsOn, punches: punches, amendments: amendments}
	b.derive()
	return b
}

// bare gives what core goes by.
func (b *dayBook) bare() (punches []clock.Punch, amendments []clock.Amendment) {
	punches = make([]clock.Punch, len(b.punches))
	for i, p := range b.punches {
		punches[i] = p.Punch
	}
	return punches, bareAmendments(b.amendments)
}

func bareAmendments(of []store.Amendment) []clock.Amendment {
	amendments := make([]clock.Amendment, len(of))
	for i, a := range of {
		amendments[i] = a.Amendment
	}
	return amendments
}

func (b *dayBook) derive() {
	punches, amendments := b.bare()
	b.raw, b.stints, b.findings = clock.Lay(punches, amendments)
	if len(amendments) > 0 {
		b.rules.Place(b.raw, b.raw, nil)
		on := make(map[uuid.UUID]when.Date, len(b.stints))
		b.rules.Place(b.raw, b.stints, amendments)
		for _, s := range b.stints {
			on[s.ID] = s.Date
		}
		for i, s := range b.raw {
			if d, ok := on[s.ID]; ok {
				b.raw[i].Date = d
			}
		}
	} else {
		b.rules.Place(b.raw, b.stints, nil)
	}
	b.facts, b.days = nil, nil
}

func (b *dayBook) last() *clock.Stint {
	if len(b.stints) == 0 {
		return nil
	}
	return &b.stints[len(b.stints)-1]
}

// day gives the stints of a date.
func (b *dayBook) day(d when.Date) []clock.Stint {
	if b.days == nil {
		b.days = make(map[when.Date][]clock.Stint)
		for _, s := range b.stints {
			b.days[s.Date] = append(b.days[s.Date], s)
		}
	}
	return b.days[d]
}

// stored is a stint of the book as it is stored.
func (b *dayBook) stored(s clock.Stint) store.Stint {
	return store.Stint{Stint: s, Person: b.who.Person, Employment: b.who.ID, Counted: s.Open() || b.limits(s.Date).Counted(s, s.End)}
}

// dateOf gives the worked date a punch belongs to: that of the stint it
// begins, ends or lies in, before amendments.
func (b *dayBook) dateOf(p clock.Punch) (d when.Date, ok bool) {
	i, begins := slices.BinarySearchFunc(b.raw, p.Claimed, func(s clock.Stint, at time.Time) int { return s.Start.Compare(at) })
	if !begins {
		i--
	}
	if i < 0 {
		return 0, false
	}
	return b.raw[i].Date, true
}

// evidence gathers what was recorded of a date beyond its stints.
func (b *dayBook) evidence(d when.Date) card.Evidence {
	if b.facts == nil {
		b.facts = make(map[when.Date]card.Evidence)
		for _, p := range b.punches {
			if d, ok := b.dateOf(p.Punch); ok {
				b.facts[d] = witnessed(b.facts[d], p)
			}
		}
		_, amendments := b.bare()
		for _, a := range clock.InForce(amendments) {
			i := slices.IndexFunc(b.amendments, func(x store.Amendment) bool { return x.ID == a.ID })
			if m := b.amendments[i]; m.Odd != "" && !slices.Contains(b.facts[m.Date].Odd, m.Odd) {
				ev := b.facts[m.Date]
				ev.Odd = append(slices.Clone(ev.Odd), m.Odd)
				b.facts[m.Date] = ev
			}
		}
		for _, f := range b.findings {
			if i := slices.IndexFunc(b.amendments, func(a store.Amendment) bool { return a.ID == f.Of }); i >= 0 {
				ev := b.facts[b.amendments[i].Date]
				ev.Unlaid++
				b.facts[b.amendments[i].Date] = ev
			}
		}
	}
	return b.facts[d]
}

func witnessed(ev card.Evidence, p store.Punch) card.Evidence {
	ev.OffSite = max(ev.OffSite, p.OffSite)
	if p.Doubt.Abs() > ev.Doubt.Abs() {
		ev.Doubt = p.Doubt
	}
	if skew := p.Device.Sub(p.Received); !p.Device.IsZero() && p.Provenance() == clock.Clocked && skew.Abs() > ev.Skew.Abs() {
		ev.Skew = skew
	}
	if p.Provenance() == clock.Delayed {
		ev.Delay = max(ev.Delay, p.Received.Sub(p.Claimed))
	}
	ev.NoPlace = ev.NoPlace || p.NoPlace
	return ev
}

// card works out the card of a date from the book.
func (b *dayBook) card(d when.Date, plan card.Plan) card.Card {
	return card.Work(d, b.day(d), plan, b.evidence(d), b.limits(d))
}

// rebuilt is what became of an employment's days by what was recorded.
type rebuilt struct {
	clock.Difference
	book       *dayBook
	punches    []store.Punch // that are new
	amendments []store.Amendment
	why        string // for the cards that it opens again
}

// punch takes punches in and says what changed.
func (b *dayBook) punch(now time.Time, ps ...store.Punch) rebuilt {
	old := b.stints
	b.punches = append(b.punches, ps...)
	b.derive()
	r := rebuilt{clock.Compare(old, b.stints, now), b, ps, nil, "a punch reached the card"}
	for _, p := range ps {
		if d, ok := b.dateOf(p.Punch); ok {
			r.Touch(d) // evidence may have changed where no stint did
		}
	}
	return r
}

// amend lays amendments over the book, one after the other, and says what
// changed. It sets how much each changed the time worked, and what it rests on.
func (b *dayBook) amend(amendments []store.Amendment, why string, now time.Time) rebuilt {
	old := b.stints
	r := rebuilt{book: b, why: why}
	for _, a := range amendments {
		was, worked := b.stints, b.worked(now)
		a.From, a.To = b.reach(a)
		b.amendments = append(slices.Clip(b.amendments), a)
		b.derive()
		if d := clock.Compare(was, b.stints, now); !d.From.IsZero() {
			a.From, a.To = minTime(a.From, d.From), maxTime(a.To, d.To)
		}
		a.Seconds = b.worked(now) - worked
		b.amendments[len(b.amendments)-1] = a
		b.derive() // by what it rests on
		r.amendments = append(r.amendments, a)
		r.Touch(a.Date)
	}
	touched := r.Dates
	r.Difference = clock.Compare(old, b.stints, now)
	for _, d := range touched {
		r.Touch(d)
	}
	return r
}

// reach gives what an amendment speaks of: its own instants, or all that the
// one that it takes back rests on.
func (b *dayBook) reach(a store.Amendment) (from, to time.Time) {
	for _, o := range b.amendments {
		if o.ID == a.Of {
			return o.From, o.To
		}
	}
	from, to = a.At, a.Until
	for _, s := range b.stints {
		if s.ID == a.Of && from.IsZero() {
			from = s.Start
		}
	}
	return from, maxTime(from, to)
}

func minTime(a, b time.Time) time.Time {
	if b.Before(a) {
		return b
	}
	return a
}

func maxTime(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// worked adds up what counts as work in the book, up to now.
func (b *dayBook) worked(now time.Time) (seconds int64) {
	for _, s := range b.stints {
		if lim := b.limits(s.Date); lim.Counted(s, now) {
			seconds += lim.Breaks.Counted(s.Kind, s.Length(now))
		}
	}
	return seconds
}

// write stores what was recorded and what it changed: the stints, then the
// cards of the days, together, in as many statements for many as for one. What
// was paid is kept as it was, for runs to go by until the change is approved.
func write(ctx context.Context, t *app.Turn, changes ...rebuilt) error {
	var on []store.EmploymentDate
	var of []rebuilt
	for _, r := range changes {
		if err := r.book.who.Lock().Holds(r.book.who.Person); err != nil {
			return err
		}
		for _, d := range r.Dates {
			on, of = append(on, store.EmploymentDate{Employment: r.book.who.ID, Date: d}), append(of, r)
		}
	}
	plans, err := store.PlansOf(ctx, t, on, t.Company.Holiday)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(plans, func(p store.Planned) bool { return p.State == card.Paid }) {
		if err := store.SettleStints(ctx, t, on); err != nil {
			return err
		}
	}
	all := t.Together()
	if err := writeStints(ctx, all, changes); err != nil {
		return err
	}
	cards := make([]store.Card, len(plans))
	var acts []store.CardAct
	for i, plan := range plans {
		standing, move, err := reopened(plan.Standing)
		if err != nil {
			return err
		}
		if move != "" {
			acts = append(acts, cardAct(t, plan.Employment, plan.Date, move, uuid.Must(uuid.NewV7()), of[i].why))
		}
		cards[i] = store.Card{Card: of[i].book.card(plan.Date, plan.Plan), Standing: standing, Employment: plan.Employment}
	}
	if err := store.InsertCardActs(ctx, all, acts); err != nil {
		return fmt.Errorf("open cards again: %w", err)
	}
	if err := store.PutCards(ctx, all, cards...); err != nil {
		return fmt.Errorf("write cards: %w", err)
	}
	return store.KeepHours(ctx, all, on)
}

// writeStints stores what was recorded, and the stints that it made.
func writeStints(ctx context.Context, all store.Q, changes []rebuilt) error {
	var amendments []store.Amendment
	var gone []uuid.UUID
	var put []store.Stint
	for _, r := range changes {
		for _, p := range r.punches {
			if err := store.InsertPunch(ctx, all, p); err != nil {
				return fmt.Errorf("write the punch: %w", err)
			}
		}
		amendments, gone = append(amendments, r.amendments...), append(gone, r.Gone...)
		for _, s := range r.Put {
			put = append(put, r.book.stored(s))
		}
	}
	if err := store.InsertAmendments(ctx, all, amendments); err != nil {
		return fmt.Errorf("write amendments: %w", err)
	}
	if err := store.DeleteStints(ctx, all, gone); err != nil {
		return fmt.Errorf("take stints away: %w", err)
	}
	if err := store.PutStints(ctx, all, put); err != nil {
		return fmt.Errorf("write stints: %w", err)
	}
	return nil
}

// reopened gives the move that something recorded on a card causes, "" for
// none, and where the card then stands: a signed or approved one is open again,
// a paid one waits for somebody to approve the change.
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
	book := NewDayBook(who, loc, place, punches, nil)
	stints := make([]store.Stint, len(book.stints))
	on := slices.Collect(maps.Keys(plans))
	for i, s := range book.stints {
		stints[i] = book.stored(s)
		if _, planned := plans[s.Date]; !planned && (i == 0 || book.stints[i-1].Date != s.Date) {
			on = append(on, s.Date)
		}
	}
	slices.Sort(on)
	var cards []card.Card
	for _, d := range on {
		if c := book.card(d, plans[d]); !c.Empty() {
			cards = append(cards, c)
		}
	}
	return stints, cards
}
