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
	for _, id := range v.Employments {
		s, c, diffs, err := verifyOne(ctx, a, place, id, v.Since)
		if err != nil {
			return stints, cards, found, fmt.Errorf("verify %s: %w", id, err)
		}
		stints, cards, found = stints+s, cards+c, append(found, diffs...)
	}
	wrong, err := store.WrongHours(ctx, a.DB, v.Employments, v.Since)
	for _, w := range wrong {
		found = append(found, Difference{w.Employment, fmt.Sprintf("the hours of %s are not what their stints make", w.Date)})
	}
	return stints, cards, found, err
}

// restOn reads the punches that stints from a worked date on rest on; all of
// an employment's where the date is zero.
func restOn(ctx context.Context, a *app.App, id uuid.UUID, since when.Date, stored []store.Stint) ([]store.Punch, error) {
	from := time.Unix(0, 0)
	switch {
	case since == 0:
	case len(stored) > 0:
		from = stored[0].Attendance
	default: // whoever is still in since the evening before began earlier
		from = (since + 1).At(0, time.UTC)
	}
	return store.PunchesOf(ctx, a.DB, id, from, a.Now().Add(24*time.Hour))
}

func verifyOne(ctx context.Context, a *app.App, place *app.Company, id uuid.UUID, since when.Date) (
	nStints, nCards int, found []Difference, err error) {
	who, err := store.GetEmployment(ctx, a.DB, id)
	if err != nil {
		return 0, 0, nil, err
	}
	loc, err := who.Loc()
	if err != nil {
		return 0, 0, nil, err
	}
	stored, err := store.StintsFrom(ctx, a.DB, []uuid.UUID{id}, since)
	if err != nil {
		return 0, 0, nil, err
	}
	punches, err := restOn(ctx, a, id, since, stored)
	if err != nil {
		return 0, 0, nil, err
	}
	book := NewDayBook(who, loc, place, punches)
	differ := func(format string, v ...any) {
		found = append(found, Difference{id, fmt.Sprintf(format, v...)})
	}
	same := func(a clock.Stint, b store.Stint) bool {
		return a.ID == b.ID && a.Kind == b.Kind && a.On == b.On && a.Start.Equal(b.Start) && a.End.Equal(b.End) &&
			a.StartBy == b.StartBy && a.EndBy == b.EndBy && a.Attendance.Equal(b.Attendance) && a.Date == b.Date
	}
	if !slices.EqualFunc(book.stints, stored, same) {
		differ("%d stints are stored, the punches make %d, or they differ", len(stored), len(book.stints))
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: since, To: field.Forever, Employment: id})
	if err != nil {
		return 0, 0, nil, err
	}
	acts, err := store.CardActsOf(ctx, a.DB, id)
	if err != nil {
		return 0, 0, nil, err
	}
	moves := map[when.Date][]card.Move{}
	for _, m := range acts {
		moves[m.Date] = append(moves[m.Date], m.Move)
	}
	on := make([]store.EmploymentDate, len(cards))
	for i, c := range cards {
		on[i] = store.EmploymentDate{Employment: id, Date: c.Date}
	}
	plans, err := store.PlansOf(ctx, a.DB, on, place.Holiday)
	if err != nil {
		return 0, 0, nil, err
	}
	stints := book.stints
	for i, c := range cards {
		var day []clock.Stint
		for len(stints) > 0 && stints[0].Date <= c.Date {
			if stints[0].Date == c.Date {
				day = append(day, stints[0])
			} else {
				differ("the stint of %s has no card", stints[0].Date)
			}
			stints = stints[1:]
		}
		want := store.Card{Card: workCard(c.Date, plans[i].Plan, day, punchesOf(day, stints, punches), place.LimitsOn(c.Date)),
			Standing: card.Replay(moves[c.Date]), Employment: id}
		if got, made := written(c), written(want); got != made {
			differ("the card of %s is stored as %s, worked out as %s", c.Date, got, made)
		}
	}
	return len(stored), len(cards), found, nil
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
