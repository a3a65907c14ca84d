package store_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// A census counts whom lists show, however they are parted.
func TestCensus(t *testing.T) {
	w := dbtest.Open(t)
	ctx, on := context.Background(), when.NewDate(2026, 11, 13)
	for name, f := range map[string]store.SheetFilter{"all": {}, "some found": {Text: "a"},
		"of other crews too": {Kinds: []string{"crew"}}} {
		rows, err := store.Census(ctx, w.DB, on, f)
		if err != nil {
			t.Fatal(err)
		}
		any := func(f store.SheetFilter) store.SheetFilter { f.State = "any"; return f }
		for what, c := range map[string]struct {
			is func(store.CensusRow) bool
			as store.SheetFilter
		}{
			"everyone":     {func(store.CensusRow) bool { return true }, any(store.SheetFilter{})},
			"in the field": {func(r store.CensusRow) bool { return r.Kind == "crew" }, any(store.SheetFilter{Kinds: []string{"crew"}})},
			"in the office": {func(r store.CensusRow) bool { return r.Kind == "office" },
				any(store.SheetFilter{Kinds: []string{"office"}})},
			"leads": {func(r store.CensusRow) bool { return r.Level == "lead" }, any(store.SheetFilter{Levels: []string{"lead"}})},
			"here":  {func(r store.CensusRow) bool { return r.State == "here" }, store.SheetFilter{State: "here"}},
			"without sign-in": {func(r store.CensusRow) bool { return slices.Contains(r.Lacks, "sign-in") },
				any(store.SheetFilter{Without: "sign-in"})},
		} {
			n := 0
			for _, r := range rows {
				if c.is(r) {
					n += r.N
				}
			}
			c.as.Text = f.Text
			listed, _, err := store.Sheets(ctx, w.DB, on, c.as, 0, -1)
			if err != nil {
				t.Fatal(err)
			}
			want := len(listed)
			if n != want || want == 0 && what != "without sign-in" {
				t.Errorf("%s, %s: counted %d, listed %d", name, what, n, want)
			}
		}
	}
}

// Every order puts everybody once, falling is the other way round but for those
// without a value, and who stands beside whom is as the list says.
func TestOrdersOfPeople(t *testing.T) {
	w := dbtest.Open(t)
	ctx, on := context.Background(), when.NewDate(2026, 11, 13)
	for _, key := range []string{"", "family_name", "number", "unit", "level", "pattern", "state", "starts_on"} {
		values := func(s store.SheetSort) (of []string, ids []uuid.UUID) {
			sheets, _, err := store.Sheets(ctx, w.DB, on, store.SheetFilter{Sort: s}, 0, -1)
			if err != nil {
				t.Fatal(err)
			}
			for _, sheet := range sheets {
				of, ids = append(of, sheet.Values[key]), append(ids, sheet.Person)
			}
			return of, ids
		}
		up, ids := values(store.SheetSort{Key: key})
		down, _ := values(store.SheetSort{Key: key, Falling: true})
		if len(up) != 58 || len(down) != 58 {
			t.Fatalf("%s: %d and %d people", key, len(up), len(down))
		}
		if key == "" {
			continue
		}
		there := func(v string) bool { return v == "" }
		up, down = slices.DeleteFunc(up, there), slices.DeleteFunc(down, there)
		slices.Reverse(down)
		if !slices.IsSortedFunc(up, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) }) ||
			!slices.Equal(up, down) {
			t.Errorf("by %s: %v, and falling %v", key, up, down)
		}
		for i := 1; i+1 < len(ids); i += 17 {
			before, after, err := store.Beside(ctx, w.DB, on, store.SheetFilter{Sort: store.SheetSort{Key: key}}, ids[i])
			if err != nil || before != ids[i-1] || after != ids[i+1] {
				t.Errorf("by %s, beside %d: %v", key, i, err)
			}
		}
	}
	first, _, err := store.Sheets(ctx, w.DB, on, store.SheetFilter{}, 0, 1)
	if err != nil {
		t.Fatal(err)
	}
	if before, _, err := store.Beside(ctx, w.DB, on, store.SheetFilter{}, first[0].Person); err != nil || before != uuid.Nil {
		t.Errorf("before the first stands %v, %v", before, err)
	}
	before, after, err := store.Beside(ctx, w.DB, on, store.SheetFilter{Text: "nobody at all"}, first[0].Person)
	if err != nil || before != uuid.Nil || after != uuid.Nil {
		t.Errorf("of a list they aren't in: %v, %v, %v", before, after, err)
	}
}

// Jobs stand in the order in which they want a look.
func TestUrgentJobs(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	if _, err := w.DB.Exec(`update job set budget_seconds = null, used_seconds = 0, used_lately = 0`); err != nil {
		t.Fatal(err)
	}
	for number, v := range map[string][3]int{"2243": {1000, 1500, 0}, "2226": {1000, 3000, 10}, "2211": {5000, 4000, 500},
		"2250": {5000, 4900, 10}, "2207": {100, 50, 0}} {
		if _, err := w.DB.Exec(`update job set budget_seconds = $2, used_seconds = $3, used_lately = $4 where number = $1`,
			number, v[0], v[1], v[2]); err != nil {
			t.Fatal(err)
		}
	}
	jobs, total, err := store.Jobs(ctx, w.DB, store.JobFilter{}, 0, -1)
	if err != nil {
		t.Fatal(err)
	}
	var numbers []string
	for _, j := range jobs {
		numbers = append(numbers, j.Number)
	}
	if want := []string{"2226", "2243", "2211", "2250"}; !slices.Equal(numbers[:4], want) || !slices.IsSorted(numbers[4:]) {
		t.Errorf("the order is %v, want %v first", numbers, want)
	}
	for _, by := range store.JobSorts() {
		f := store.JobFilter{Sort: by, Falling: true}
		sorted, n, err := store.Jobs(ctx, w.DB, f, 0, -1)
		if err != nil || n != total {
			t.Fatalf("by %s: %d jobs, %v", by, n, err)
		}
		before, after, err := store.BesideJob(ctx, w.DB, f, sorted[3].ID)
		if err != nil || before != sorted[2].ID || after != sorted[4].ID {
			t.Errorf("by %s: beside the fourth: %v", by, err)
		}
	}
	sorted, _, err := store.Jobs(ctx, w.DB, store.JobFilter{Sort: "left"}, 0, 1)
	if err != nil || sorted[0].Number != "2226" {
		t.Errorf("with the least left: %+v, %v", sorted, err)
	}
}
