package hours

import (
	"cmp"
	"slices"
	"time"

	"manudex/app"
	"manudex/core/card"
)

// Sorting is by which column a list of cards is ordered; the zero value is as it
// comes.
type Sorting struct {
	By      string // of [SortedBy]
	Falling bool
}

// cardOrders are what lists of cards can be ordered by, at an instant.
var cardOrders = map[string]func(a, b *DayRow, now time.Time, lim card.Limits) int{
	"person": func(a, b *DayRow, _ time.Time, _ card.Limits) int {
		return cmp.Or(cmp.Compare(a.Family, b.Family), cmp.Compare(a.Given, b.Given))
	},
	"crew":  func(a, b *DayRow, _ time.Time, _ card.Limits) int { return cmp.Compare(a.UnitName, b.UnitName) },
	"day":   func(a, b *DayRow, _ time.Time, _ card.Limits) int { return cmp.Compare(a.Date, b.Date) },
	"in":    func(a, b *DayRow, _ time.Time, _ card.Limits) int { return a.First.Compare(b.First) },
	"break": func(a, b *DayRow, _ time.Time, _ card.Limits) int { return cmp.Compare(a.Break, b.Break) },
	"flags": func(a, b *DayRow, _ time.Time, _ card.Limits) int { return cmp.Compare(len(a.Flags), len(b.Flags)) },
	"state": func(a, b *DayRow, _ time.Time, _ card.Limits) int {
		return cmp.Compare(urgency[a.Class], urgency[b.Class])
	},
	"worked": func(a, b *DayRow, now time.Time, lim card.Limits) int {
		return cmp.Compare(a.Live(now, lim), b.Live(now, lim))
	},
	"over": func(a, b *DayRow, now time.Time, lim card.Limits) int {
		return cmp.Compare(a.Live(now, lim)-a.Due(), b.Live(now, lim)-b.Due())
	},
}

// check refuses an order that there isn't.
func (s Sorting) check() error {
	if s.By != "" && cardOrders[s.By] == nil {
		return app.ErrNotFound
	}
	return nil
}

// sortCards orders what holds cards by a column, those alike as they come.
func sortCards[T any](s Sorting, rows []T, of func(*T) *DayRow, now time.Time, lim card.Limits) {
	by := cardOrders[s.By]
	if by == nil {
		return
	}
	slices.SortStableFunc(rows, func(a, b T) int {
		order := by(of(&a), of(&b), now, lim)
		if s.Falling {
			return -order
		}
		return order
	})
}
