package hours

import (
	"context"
	"encoding/json"
	"fmt"
	"hash/maphash"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
)

// Watch is the cards of some days as a node keeps them while live pages show
// them: everybody's, read whole once, and from then on those alone to whom
// something happened. What of it somebody sees is theirs to ask of it: see
// [Watch.Board] and [Watch.Desk].
type Watch struct {
	Days    when.Period
	Running bool // whoever is still on the clock since before is among them, as on Today

	rows  []DayRow // in the order of the store
	facts map[CardRef]uint64
	now   time.Time
	place *app.Company
}

// Mark tells two looks at a card apart: while it is the same, the row that
// shows the card is too, but for what runs.
type Mark struct {
	facts    uint64 // what is recorded
	class    card.Class
	presence Presence
	flags    string
}

var seed = maphash.MakeSeed()

// Read reads what changed.
func (w *Watch) Read(ctx context.Context, a *app.App, what app.Changed) error {
	filter := store.CardFilter{From: w.Days.From, To: w.Days.To, OrRunning: w.Running}
	if !what.All {
		filter.Persons = make([]uuid.UUID, 0, len(what.Persons))
		for id := range what.Persons {
			filter.Persons = append(filter.Persons, id)
		}
	}
	cards, err := store.Cards(ctx, a.DB, filter)
	if err != nil {
		return fmt.Errorf("read cards: %w", err)
	}
	rows := rowsOf(cards)
	if err := fill(ctx, a, rows); err != nil {
		return err
	}
	if what.All {
		w.rows, w.facts = nil, make(map[CardRef]uint64, len(rows))
	}
	w.rows = slices.DeleteFunc(w.rows, func(r DayRow) bool {
		_, changed := what.Persons[r.Person]
		return changed
	})
	for _, r := range rows {
		facts, err := json.Marshal([]any{r.Card, r.Stints, r.Shifts})
		if err != nil {
			return fmt.Errorf("tell cards apart: %w", err)
		}
		w.facts[CardRef{r.Employment, r.Date}] = maphash.Bytes(seed, facts)
	}
	w.rows = append(w.rows, rows...)
	slices.SortFunc(w.rows, func(x, y DayRow) int { return x.Before(y.Card) })
	return nil
}

// Judge makes the rows what they are at now, nobody's own.
func (w *Watch) Judge(place *app.Company, now time.Time) error {
	w.place, w.now = place, now
	return judge(w.rows, app.Actor{}, place, now)
}

// within gives the rows in the units that a permission reaches.
func (w *Watch) within(actor app.Actor, permission string) ([]DayRow, error) {
	if !actor.May(permission) {
		return nil, app.ErrForbidden
	}
	units := actor.Units(permission)
	return pickRows(w.rows, func(r *DayRow) bool { return units == nil || slices.Contains(units, r.Unit) }), nil
}

// Board is what an actor sees of it on Today.
func (w *Watch) Board(actor app.Actor) (*Board, error) {
	rows, err := w.within(actor, "today.see")
	if err != nil {
		return nil, err
	}
	b := &Board{Now: w.now, Day: w.Days.From, Today: w.place.Today(w.now), Count: map[Presence]int{}}
	b.take(w.place, rows)
	for i := range b.all {
		b.all[i].Worked = b.all[i].Live(b.Now, b.limits)
	}
	b.Rows = b.all
	return b, nil
}

// Desk is what an actor sees of it on the timecard desk.
func (w *Watch) Desk(actor app.Actor, show card.Class) (*Desk, error) {
	rows, err := w.within(actor, "timecards.see")
	if err != nil {
		return nil, err
	}
	d := &Desk{Query: DeskQuery{Days: w.Days, Show: show}, Now: w.now, SignRequired: w.place.SignRequired, Limits: w.place.Limits,
		Today: w.place.Today(w.now)}
	d.take(actor, w.place, rows)
	d.Rows = d.all
	return d, nil
}

// As gives the desk as one of those sees it who may the same: nobody is offered
// their own card to approve.
func (d *Desk) As(actor app.Actor, place *app.Company) *Desk {
	if !slices.ContainsFunc(d.judged, func(r DayRow) bool { return r.Person == actor.ID }) {
		return d
	}
	own := *d
	own.offer(actor, place, d.judged)
	return &own
}

// LeftOut lists the rows that the desk would hold if it showed them all.
func (d *Desk) LeftOut() []DayRow {
	return pickRows(d.judged, func(r *DayRow) bool { return r.Class != d.Query.Show })
}

// Mark is the mark of a row as it is.
func (w *Watch) Mark(r DayRow) Mark {
	m := Mark{facts: w.facts[CardRef{r.Employment, r.Date}], class: r.Class, presence: present(r, w.now, w.place.Limits).Presence}
	var flags strings.Builder
	for _, f := range r.Flags {
		flags.WriteString(string(f.Code))
		flags.WriteByte(' ')
	}
	m.flags = flags.String()
	return m
}

// MarkAt is the mark that a row had at another time, with nothing recorded
// since.
func (w *Watch) MarkAt(r DayRow, at time.Time) Mark {
	r.judge(w.place, at, w.place.Today(at))
	then := Watch{facts: w.facts, now: at, place: w.place}
	return then.Mark(r)
}

// As gives a row as the actor sees it whose own it may be.
func (r DayRow) As(actor app.Actor) DayRow {
	r.Own = r.Person == actor.ID
	return r
}
