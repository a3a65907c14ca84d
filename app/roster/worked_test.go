package roster_test

import (
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/roster"
	"manudex/core/when"
	"manudex/dbtest"
)

// Planned and worked hours come to the same whatever they are held against each other by, the
// largest difference stands first, and days that aren't over are left out.
func TestPlannedAgainstWorked(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira := w.Person(t, "Mira Castellane")
	days := when.Period{From: monday - 15, To: monday + 10}
	planned := dbtest.Get[int64](t, w, `select sum(extract(epoch from end_at - start_at) - less)::bigint from shift
		where date between '2026-11-01' and '2026-11-12'`)
	worked := dbtest.Get[int64](t, w, `select sum(worked)::bigint from card where date between '2026-11-01' and '2026-11-12'`)
	for _, by := range roster.WorkedBy {
		p, err := roster.ReadWorked(ctx, w.App, mira, days, by, uuid.Nil)
		apptest.Must(t, err)
		if p.Planned != planned || by != "job" && p.Worked != worked || p.Days.To != monday-4 {
			t.Errorf("by %s %d planned of %d, %d worked of %d, up to %s", by, p.Planned, planned, p.Worked, worked, p.Days.To)
		}
		for i := 1; i < len(p.Rows); i++ {
			if abs(p.Rows[i].Over()) > abs(p.Rows[i-1].Over()) {
				t.Errorf("by %s row %d differs more than the one above", by, i)
			}
		}
	}
	byJob, err := roster.ReadWorked(ctx, w.App, mira, days, "job", uuid.Nil)
	apptest.Must(t, err)
	if on := dbtest.Get[int64](t, w,
		`select sum(seconds)::bigint from hours where kind = 'work' and date between '2026-11-01' and '2026-11-12'`); on !=
		byJob.Worked {
		t.Errorf("%d s on jobs, of %d", byJob.Worked, on)
	}
	wren := w.Person(t, "Wren Halloran")
	p, err := roster.ReadWorked(ctx, w.App, wren, days, "crew", uuid.Nil)
	apptest.Must(t, err)
	if len(p.Rows) != 1 || p.Rows[0].Name != "Gantry crew B" {
		t.Errorf("a lead sees %+v", p.Rows)
	}
	if _, err := roster.ReadWorked(ctx, w.App, wren, days, "crew", *w.Person(t, "Dao Pham").Unit); err != app.ErrNotFound {
		t.Errorf("another crew: %v", err)
	}
	if _, err := roster.ReadWorked(ctx, w.App, w.Person(t, "Dao Pham"), days, "crew", uuid.Nil); err != app.ErrForbidden {
		t.Errorf("a worker: %v", err)
	}
	if _, err := roster.ReadWorked(ctx, w.App, mira, days, "mood", uuid.Nil); err != app.ErrNotFound {
		t.Errorf("by mood: %v", err)
	}
	if _, err := roster.ReadWorked(ctx, w.App, mira, when.Period{From: monday, To: monday + 3}, "day", uuid.Nil); err == nil {
		t.Error("days to come are held against what was worked")
	}
}

func abs(n int64) int64 { return max(n, -n) }
