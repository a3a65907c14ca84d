package hours

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// Rework works the cards of a locked employment out anew from a date on, after
// what is expected of it changed. Where they stand stays; stints are not
// touched.
func Rework(ctx context.Context, t *app.Turn, lock store.Locked, employment uuid.UUID, from, to when.Date) error {
	cards, err := store.Cards(ctx, t, store.CardFilter{From: from, To: to, Employment: employment})
	if err != nil || len(cards) == 0 {
		return err
	}
	if err := lock.Holds(cards[0].Person); err != nil {
		return err
	}
	stored, err := store.AllStints(ctx, t, employment)
	if err != nil {
		return err
	}
	punches, err := store.PunchesOf(ctx, t, employment, time.Unix(0, 0), t.Now.Add(24*time.Hour))
	if err != nil {
		return err
	}
	on := make([]when.Date, len(cards))
	for i, c := range cards {
		on[i] = c.Date
	}
	plans, err := store.PlansOf(ctx, t, employment, on, t.Company.Holiday)
	if err != nil {
		return err
	}
	for i, c := range cards {
		var day, after []clock.Stint
		for _, s := range stored {
			switch {
			case s.Date == c.Date:
				day = append(day, s.Stint)
			case s.Date > c.Date:
				after = append(after, s.Stint)
			}
		}
		c.Card = workCard(c.Date, plans[i].Plan, day, punchesOf(day, after, punches), t.Company.LimitsOn(c.Date))
		if err := store.PutCard(ctx, t, c); err != nil {
			return fmt.Errorf("work the card of %s out anew: %w", c.Date, err)
		}
	}
	return nil
}

// ReworkAll works the cards of everybody from a date to another out anew, after
// the rules by which they are judged changed. It locks all of them first.
func ReworkAll(ctx context.Context, t *app.Turn, from, to when.Date) error {
	cards, err := store.Cards(ctx, t, store.CardFilter{From: from, To: to})
	if err != nil {
		return err
	}
	var employments []uuid.UUID
	seen := map[uuid.UUID]bool{}
	for _, c := range cards {
		if !seen[c.Employment] {
			seen[c.Employment] = true
			employments = append(employments, c.Employment)
		}
	}
	lock, err := store.LockPeople(ctx, t, employments)
	if err != nil {
		return err
	}
	for _, e := range employments {
		if err := Rework(ctx, t, lock, e, from, to); err != nil {
			return err
		}
	}
	return nil
}
