package hours

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
)

// Rework works the cards that a filter picks out anew, of people who are
// locked, after what is expected of them changed. Where they stand stays;
// of stints it is only said anew which count. However many they are, it takes
// eight statements.
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

// PlanTold works the cards of days anew on which somebody was told of other shifts, of
// people who are locked: days without one get theirs.
func PlanTold(ctx context.Context, t *app.Turn, lock store.Locked, on []store.EmploymentDate) error {
	if len(on) == 0 {
		return nil
	}
	var days []when.Date
	var of []uuid.UUID
	for _, o := range on {
		days, of = append(days, o.Date), append(of, o.Employment)
	}
	there, err := store.Cards(ctx, t, store.CardFilter{From: slices.Min(days), To: slices.Max(days), On: days, Among: of})
	if err != nil {
		return err
	}
	has := map[store.EmploymentDate]bool{}
	for _, c := range there {
		has[store.EmploymentDate{Employment: c.Employment, Date: c.Date}] = true
	}
	lacking := slices.DeleteFunc(slices.Clone(on), func(o store.EmploymentDate) bool { return has[o] })
	plans, err := store.PlansOf(ctx, t, lacking, t.Company.Holiday)
	if err != nil {
		return err
	}
	var fresh []store.Card
	for _, p := range plans {
		c := card.Work(p.Date, nil, p.Plan, card.Evidence{}, t.Company.LimitsOn(p.Date))
		if !c.Empty() {
			fresh = append(fresh, store.Card{Card: c, Standing: card.Start, Employment: p.Employment})
		}
	}
	if err := store.PutCards(ctx, t, fresh...); err != nil {
		return err
	}
	wanted := map[store.EmploymentDate]bool{}
	for _, o := range on {
		wanted[o] = true
	}
	there = slices.DeleteFunc(there, func(c store.Card) bool {
		return !wanted[store.EmploymentDate{Employment: c.Employment, Date: c.Date}]
	})
	if len(there) == 0 {
		return nil
	}
	return reworkCards(ctx, t, lock, there)
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
	books, err := booksFrom(ctx, t, employmentsOf(cards), first)
	if err != nil {
		return err
	}
	each := make([]store.EmploymentDate, len(cards))
	for i, c := range cards {
		each[i] = store.EmploymentDate{Employment: c.Employment, Date: c.Date}
	}
	plans, err := store.PlansOf(ctx, t, each, t.Company.Holiday)
	if err != nil {
		return err
	}
	changed := cards[:0]
	for i, c := range cards {
		was := c.Card
		c.Card = books[c.Employment].card(c.Date, plans[i].Plan)
		c.Around, was.Holiday = was.Around, plans[i].Holiday
		if !reflect.DeepEqual(was, c.Card) {
			changed = append(changed, c)
		}
	}
	if err := store.SetWorked(ctx, t, changed); err != nil {
		return fmt.Errorf("work cards out anew: %w", err)
	}
	on, longest := make([]store.EmploymentDate, len(changed)), make([]int64, len(changed))
	for i, c := range changed {
		on[i], longest[i] = store.EmploymentDate{Employment: c.Employment, Date: c.Date},
			int64(t.Company.LimitsOn(c.Date).LongestShift/time.Second)
	}
	if err := store.CountStints(ctx, t, on, longest); err != nil {
		return err
	}
	return store.KeepHours(ctx, t, on)
}

// booksFrom makes the books of employments from a worked date on.
func booksFrom(ctx context.Context, t *app.Turn, employments []uuid.UUID, from when.Date) (map[uuid.UUID]*dayBook, error) {
	whose, err := store.Employments(ctx, t, employments)
	if err != nil {
		return nil, err
	}
	punches, err := store.PunchesFrom(ctx, t, employments, from)
	if err != nil {
		return nil, err
	}
	amendments, err := store.AmendmentsFrom(ctx, t, employments, from)
	if err != nil {
		return nil, err
	}
	return booksOf(t.Company, whose, punches, amendments)
}

// booksOf makes books of what was read of employments.
func booksOf(place *app.Company, whose []store.Employment, punches []store.Punch, amendments []store.Amendment) (map[uuid.UUID]*dayBook,
	error) {
	punched, amended := map[uuid.UUID][]store.Punch{}, map[uuid.UUID][]store.Amendment{}
	for _, p := range punches {
		punched[p.Employment] = append(punched[p.Employment], p)
	}
	for _, a := range amendments {
		amended[a.Employment] = append(amended[a.Employment], a)
	}
	books := make(map[uuid.UUID]*dayBook, len(whose))
	for _, who := range whose {
		loc, err := who.Loc()
		if err != nil {
			return nil, err
		}
		books[who.ID] = NewDayBook(who, loc, place, punched[who.ID], amended[who.ID])
	}
	return books, nil
}
