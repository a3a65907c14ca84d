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
	return stints, cards, found, err
}

// verifiedAtOnce is how many employments are read in one go.
const verifiedAtOnce = 50

// recorded is what was recorded of an employment, and what is stored of it.
type recorded struct {
	history
	cards []store.Card
	plans []store.Planned // of the cards
	moves map[when.Date][]card.Move
}

func verifySome(ctx context.Context, q store.Q, place *app.Company, ids []uuid.UUID, since when.Date) (
	stints, cards int, found []Difference, err error) {
	all, err := readRecorded(ctx, q, place, ids, since)
	if err != nil {
		return 0, 0, nil, err
	}
	whose, err := store.Employments(ctx, q, ids)
	if err != nil {
		return 0, 0, nil, err
	}
	for _, who := range whose {
		r := all[who.ID]
		diffs, err := r.verify(who, place)
		if err != nil {
			return 0, 0, nil, err
		}
		stints, cards, found = stints+len(r.stints), cards+len(r.cards), append(found, diffs...)
	}
	return stints, cards, found, nil
}

func readRecorded(ctx context.Context, q store.Q, place *app.Company, ids []uuid.UUID, since when.Date) (map[uuid.UUID]*recorded, error) {
	punches, err := store.PunchesFor(ctx, q, ids, since)
	if err != nil {
		return nil, err
	}
	of, err := histories(ctx, q, ids, since, punches)
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
		all[id] = &recorded{history: *of[id], moves: map[when.Date][]card.Move{}}
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
func (r *recorded) verify(who store.Employment, place *app.Company) (found []Difference, err error) {
	loc, err := who.Loc()
	if err != nil {
		return nil, err
	}
	book := NewDayBook(who, loc, place, r.punches)
	differ := func(format string, v ...any) {
		found = append(found, Difference{who.ID, fmt.Sprintf(format, v...)})
	}
	same := func(a clock.Stint, b store.Stint) bool {
		return a.ID == b.ID && a.Kind == b.Kind && a.On == b.On && a.Start.Equal(b.Start) && a.End.Equal(b.End) &&
			a.StartBy == b.StartBy && a.EndBy == b.EndBy && a.Attendance.Equal(b.Attendance) && a.Date == b.Date
	}
	if !slices.EqualFunc(book.stints, r.stints, same) {
		differ("%d stints are stored, the punches make %d, or they differ", len(r.stints), len(book.stints))
	}
	stints := book.stints
	for i, c := range r.cards {
		var day []clock.Stint
		for len(stints) > 0 && stints[0].Date <= c.Date {
			if stints[0].Date == c.Date {
				day = append(day, stints[0])
			} else {
				differ("the stint of %s has no card", stints[0].Date)
			}
			stints = stints[1:]
		}
		want := store.Card{Card: workCard(c.Date, r.plans[i].Plan, day, punchesOf(day, stints, r.punches), place.LimitsOn(c.Date)),
			Standing: card.Replay(r.moves[c.Date]), Employment: who.ID}
		if got, made := written(c), written(want); got != made {
			differ("the card of %s is stored as %s, worked out as %s", c.Date, got, made)
		}
	}
	return found, nil
}

// punchesOf gives the punches of a day: from its first stint to the first of
// the stints that come after it.
func punchesOf(day, after []clock.Stint, punches []store.Punch) []store.Punch {
	if len(day) == 0 {
		return nil
	}
	at := func(t time.Time) int {
		i, _ := slices.BinarySearchFunc(punches, t, func(p store.Punch, t time.Time) int { return p.Claimed.Compare(t) })
		return i
	}
	if len(after) == 0 {
		return punches[at(day[0].Start):]
	}
	return punches[at(day[0].Start):at(after[0].Start)]
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
