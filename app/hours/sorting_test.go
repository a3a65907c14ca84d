package hours_test

import (
	"context"
	"errors"
	"slices"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/dbtest"
)

// The desk is ordered by any of its columns, and picked by crew and site; the
// board is ordered within each state.
func TestListsOfCards(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	read := func(q hours.DeskQuery) []hours.DayRow {
		d, err := hours.ReadDesk(ctx, w.App, mira, q)
		apptest.Must(t, err)
		return d.Rows
	}
	q := apptest.OneDay(apptest.Thursday)
	all := len(read(q))
	for by, less := range map[string]func(a, b hours.DayRow) bool{
		"worked": func(a, b hours.DayRow) bool { return a.Worked <= b.Worked },
		"break":  func(a, b hours.DayRow) bool { return a.Break <= b.Break },
		"person": func(a, b hours.DayRow) bool { return a.Family <= b.Family },
		"crew":   func(a, b hours.DayRow) bool { return a.UnitName <= b.UnitName },
		"flags":  func(a, b hours.DayRow) bool { return len(a.Flags) <= len(b.Flags) },
		"in":     func(a, b hours.DayRow) bool { return !a.First.After(b.First) },
		"over":   func(a, b hours.DayRow) bool { return a.Worked-a.Due() <= b.Worked-b.Due() },
	} {
		for _, falling := range []bool{false, true} {
			q.Sort = hours.Sorting{By: by, Falling: falling}
			rows := read(q)
			if falling {
				slices.Reverse(rows)
			}
			for i := 1; i < len(rows); i++ {
				if !less(rows[i-1], rows[i]) {
					t.Errorf("by %s, falling %v: %s stands wrong", by, falling, rows[i].Name())
					break
				}
			}
			if len(rows) != all {
				t.Errorf("by %s there are %d rows, else %d", by, len(rows), all)
			}
		}
	}
	q.Sort = hours.Sorting{}
	unit := dbtest.Get[uuid.UUID](t, w, `select id from unit where name = 'Harbour crew'`)
	site := dbtest.Get[uuid.UUID](t, w, `select id from site where name = 'Route 9'`)
	q.Among = hours.Among{Sites: []uuid.UUID{site}}
	at := read(q)
	q.Among.Units = []uuid.UUID{unit}
	if none := read(q); len(at) == 0 || len(at) == all || len(none) != 0 {
		t.Errorf("%d at Route 9, %d of the harbour crew there", len(at), len(none))
	}
	for _, r := range at {
		if r.SiteName != "Route 9" {
			t.Errorf("%s is at %s", r.Name(), r.SiteName)
		}
	}

	b, err := hours.ReadBoard(ctx, w.App, mira, hours.BoardQuery{Among: hours.Among{Units: []uuid.UUID{unit}},
		Sort: hours.Sorting{By: "person", Falling: true}})
	apptest.Must(t, err)
	if len(b.Rows) == 0 || len(b.Rows) > 6 {
		t.Errorf("the board of one crew has %d rows", len(b.Rows))
	}
	for i, r := range b.Rows {
		if r.UnitName != "Harbour crew" || i > 0 && r.Presence == b.Rows[i-1].Presence && r.Family > b.Rows[i-1].Family {
			t.Errorf("%s of %s stands at %d", r.Name(), r.UnitName, i)
		}
	}
	if _, err := hours.ReadBoard(ctx, w.App, mira, hours.BoardQuery{Sort: hours.Sorting{By: "moon"}}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("an order that there isn't: %v", err)
	}
	q.Sort.By = "moon"
	if _, err := hours.ReadDesk(ctx, w.App, mira, q); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("an order of the desk that there isn't: %v", err)
	}
}
