package hours

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// Difference is a derived row that is not what the recorded acts make it.
type Difference struct {
	Employment uuid.UUID
	What       string
}

// ToVerify says what is worked out anew: of the employments named, or of all,
// from a worked date on, or everything.
type ToVerify struct {
	Employments []uuid.UUID
	Since       when.Date
}

// Verify works stints, cards and hours out anew from punches, plans and moves
// and compares them with the stored ones. It changes nothing.
func Verify(ctx context.Context, a *app.App, v ToVerify) (stints, cards int, found []Difference, err error) {
	place, err := app.ReadCompany(ctx, a.DB)
	if err != nil {
		return 0, 0, nil, err
	}
	if len(v.Employments) == 0 {
		if err := a.DB.SelectContext(ctx, &v.Employments, `select id from employment order by id`); err != nil {
			return 0, 0, nil, err
		}
	}
	for ids := range slices.Chunk(v.Employments, verifiedAtOnce) {
		s, c, diffs, err := verifySome(ctx, a.DB, place, ids, v.Since)
		if err != nil {
			return stints, cards, found, fmt.Errorf("verify: %w", err)
		}
		stints, cards, found = stints+s, cards+c, append(found, diffs...)
	}
	wrong, err := store.WrongHours(ctx, a.DB, v.Employments, v.Since)
	for _, w := range wrong {
		found = append(found, Difference{w.Employment, fmt.Sprintf("the hours of %s are not what their stints make", w.Date)})
	}
	if err != nil {
		return stints, cards, found, err
	}
	waits, err := store.WrongWaiting(ctx, a.DB, v.Employments, v.Since)
	for _, w := range waits {
		found = append(found, Difference{w.Employment, fmt.Sprintf("what waits on the card of %s is not what was asked", w.Date)})
	}
	return stints, cards, found, err
}

// verifiedAtOnce is how many employments are read in one go.
const verifiedAtOnce = 50

// recorded is what was recorded of an employment, and what is stored of it.
type recorded struct {
	book   *dayBook
	stints []store.Stint
	cards  []store.Card
	plans  []store.Planned // of the cards
	moves  map[when.Date][]card.Move
}

func verifySome(ctx context.Context, q store.Q, place *app.Company, ids []uuid.UUID, since when.Date) (
	stints, cards int, found []Difference, err error) {
	all, err := readRecorded(ctx, q, place, ids, since)
	if err != nil {
		return 0, 0, nil, err
	}
	for _, id := range ids {
		r := all[id]
		stints, cards, found = stints+len(r.stints), cards+len(r.cards), append(found, r.verify(since)...)
	}
	return stints, cards, found, nil
}

func readRecorded(ctx context.Context, q store.Q, place *app.Company, ids []uuid.UUID, since when.Date) (map[uuid.UUID]*recorded, error) {
	punches, err := store.PunchesFor(ctx, q, ids, since)
	if err != nil {
		return nil, err
	}
	amendments, err := store.AmendmentsFor(ctx, q, ids, since)
	if err != nil {
		return nil, err
	}
	whose, err := store.Employments(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	books, err := booksOf(place, whose, punches, amendments)
	if err != nil {
		return nil, err
	}
	stints, err := store.StintsFrom(ctx, q, ids, since)
	if err != nil {
		return nil, err
	}
	cards, err := store.Cards(ctx, q, store.CardFilter{From: since, To: field.Forever, Among: ids})
	if err != nil {
		return nil, err
	}
	acts, err := store.CardActsOf(ctx, q, ids, since)
	if err != nil {
		return nil, err
	}
	on := make([]store.EmploymentDate, len(cards))
	for i, c := range cards {
		on[i] = store.EmploymentDate{Employment: c.Employment, Date: c.Date}
	}
	plans, err := store.PlansOf(ctx, q, on, place.Holiday)
	if err != nil {
		return nil, err
	}
	all := make(map[uuid.UUID]*recorded, len(ids))
	for _, id := range ids {
		all[id] = &recorded{book: books[id], moves: map[when.Date][]card.Move{}}
	}
	for _, s := range stints {
		all[s.Employment].stints = append(all[s.Employment].stints, s)
	}
	for i, c := range cards { // they come by date
		r := all[c.Employment]
		r.cards, r.plans = append(r.cards, c), append(r.plans, plans[i])
	}
	for _, m := range acts {
		r := all[m.Employment]
		r.moves[m.Date] = append(r.moves[m.Date], m.Move)
	}
	return all, nil
}

// verify works everything out from what was recorded, and compares.
func (r *recorded) verify(since when.Date) (found []Difference) {
	differ := func(format string, v ...any) {
		found = append(found, Difference{r.book.who.ID, fmt.Sprintf(format, v...)})
	}
	made := slices.DeleteFunc(slices.Clone(r.book.stints), func(s clock.Stint) bool { return s.Date < since })
	same := func(a clock.Stint, b store.Stint) bool {
		return sameStint(a, b) && r.book.stored(a).Counted == b.Counted
	}
	if !slices.EqualFunc(made, r.stints, same) {
		differ("%d stints are stored, what was recorded makes %d, or they differ", len(r.stints), len(made))
	}
	on := map[when.Date]bool{}
	for i, c := range r.cards {
		on[c.Date] = true
		want := store.Card{Card: r.book.card(c.Date, r.plans[i].Plan), Standing: card.Replay(r.moves[c.Date]), Employment: c.Employment}
		if got, made := written(c), written(want); got != made {
			differ("the card of %s is stored as %s, worked out as %s", c.Date, got, made)
		}
	}
	for _, s := range made {
		if !on[s.Date] {
			differ("the stint of %s has no card", s.Date)
		}
	}
	return found
}

// sameStint says whether a stint is stored as it is made.
func sameStint(a clock.Stint, b store.Stint) bool {
	return a.ID == b.ID && a.Kind == b.Kind && a.On == b.On && a.Start.Equal(b.Start) && a.End.Equal(b.End) &&
		a.StartBy == b.StartBy && a.EndBy == b.EndBy && a.Attendance.Equal(b.Attendance) && a.Date == b.Date &&
		a.Implied == b.Implied && a.ClockedStart.Equal(b.ClockedStart) && a.ClockedEnd.Equal(b.ClockedEnd) && a.Base.Equal(b.Base)
}

// written gives a card's row as text, instants in UTC.
func written(c store.Card) string {
	values := c.Values()
	for i, v := range values {
		switch v := v.(type) {
		case *time.Time:
			if v != nil {
				values[i] = v.UTC().Format(time.RFC3339)
			}
		case json.RawMessage:
			values[i] = string(v)
		}
	}
	return fmt.Sprint(values...)
}
