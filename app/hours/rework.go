package hours

import (
	"context"
	"fmt"
	"reflect"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// Rework works the cards that a filter picks out anew, of people who are
// locked, after what is expected of them changed. Where they stand stays;
// stints are not touched. However many they are, it takes five statements.
func Rework(ctx context.Context, t *app.Turn, lock store.Locked, f store.CardFilter) error {
	cards, err := store.Cards(ctx, t, f)
	if err != nil || len(cards) == 0 {
		return err
	}
	return reworkCards(ctx, t, lock, cards)
}

// ReworkAll works the cards of everybody that a filter picks out anew, after
// the rules by which they are judged changed. It locks all of them first.
func ReworkAll(ctx context.Context, t *app.Turn, f store.CardFilter) error {
	cards, err := store.Cards(ctx, t, f)
	if err != nil || len(cards) == 0 {
		return err
	}
	lock, err := store.LockPeople(ctx, t, employmentsOf(cards))
	if err != nil {
		return err
	}
	return Rework(ctx, t, lock, f) // as they stand now that nobody else writes
}

func employmentsOf(cards []store.Card) []uuid.UUID {
	var ids []uuid.UUID
	seen := map[uuid.UUID]bool{}
	for _, c := range cards {
		if !seen[c.Employment] {
			seen[c.Employment] = true
			ids = append(ids, c.Employment)
		}
	}
	return ids
}

func reworkCards(ctx context.Context, t *app.Turn, lock store.Locked, cards []store.Card) error {
	first := cards[0].Date
	for _, c := range cards {
		if err := lock.Holds(c.Person); err != nil {
			return err
		}
		first = min(first, c.Date)
	}
	of, err := historyFrom(ctx, t, employmentsOf(cards), first)
	if err != nil {
		return err
	}
	patterns, err := store.PatternsOf(ctx, t, employmentsOf(cards))
	if err != nil {
		return err
	}
	changed := cards[:0]
	for _, c := range cards {
		was, h := c.Card, of[c.Employment]
		day, after := h.day(c.Date)
		plan := c.Plan // its shift and leave stay; what else is expected may have changed
		plan.Expected = card.Expected(c.Date, patterns[c.Employment], t.Company.Holiday(c.Date))
		c.Card = workCard(c.Date, plan, day, punchesOf(day, after, h.punches), t.Company.LimitsOn(c.Date))
		if !reflect.DeepEqual(was, c.Card) {
			changed = append(changed, c)
		}
	}
	if err := store.SetWorked(ctx, t, changed); err != nil {
		return fmt.Errorf("work cards out anew: %w", err)
	}
	return nil
}

// history is what is known of an employment from a worked date on.
type history struct {
	stints  []store.Stint
	punches []store.Punch
}

// day gives the stints of a date, and those of later ones.
func (h *history) day(d when.Date) (day, after []clock.Stint) {
	for _, s := range h.stints {
		switch {
		case s.Date == d:
			day = append(day, s.Stint)
		case s.Date > d:
			return day, append(after, s.Stint) // the next one says where the day ends
		}
	}
	return day, nil
}

// historyFrom reads the histories of employments in two statements.
func historyFrom(ctx context.Context, q store.Q, employments []uuid.UUID, from when.Date) (map[uuid.UUID]*history, error) {
	punches, err := store.PunchesFrom(ctx, q, employments, from)
	if err != nil {
		return nil, err
	}
	return histories(ctx, q, employments, from, punches)
}

// histories adds the stints of employments to their punches.
func histories(ctx context.Context, q store.Q, employments []uuid.UUID, from when.Date, punches []store.Punch) (map[uuid.UUID]*history,
	error) {
	stints, err := store.StintsFrom(ctx, q, employments, from)
	if err != nil {
		return nil, err
	}
	of := make(map[uuid.UUID]*history, len(employments))
	for _, e := range employments {
		of[e] = &history{}
	}
	for _, s := range stints {
		of[s.Employment].stints = append(of[s.Employment].stints, s)
	}
	for _, p := range punches {
		of[p.Employment].punches = append(of[p.Employment].punches, p)
	}
	return of, nil
}
