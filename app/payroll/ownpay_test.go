package payroll_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/payroll"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
)

// People see what closed runs paid them, and nobody else, where the place lets them; the open run isn't among them.
func TestOwnPay(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	dao, tomasz := w.Person(t, "Dao Pham"), w.Person(t, "Tomasz Brandt")
	if _, err := payroll.ReadOwnPay(ctx, w.App, dao); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("where the place doesn't let them: %v", err)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), company.SetCompany{Field: "own_pay", Value: "yes"}))
	own, err := payroll.ReadOwnPay(ctx, w.App, dao)
	apptest.Must(t, err)
	runs := dbtest.Get[int](t, w, `select count(distinct run_id) from pay_line where employment_id = $1`, *dao.Employment)
	if len(own.Runs) != runs || runs == 0 {
		t.Fatalf("%d runs, want %d", len(own.Runs), runs)
	}
	last := own.Runs[0]
	p, err := payroll.ReadOwnRun(ctx, w.App, dao, last.ID, last.Employment)
	apptest.Must(t, err)
	if p.Gross != last.Gross.StringFixed(2) || p.Name() != "Dao Pham" || len(p.Weeks) == 0 {
		t.Errorf("%s of %s, want %s", p.Gross, p.Name(), last.Gross)
	}
	if _, err := payroll.ReadOwnRun(ctx, w.App, dao, last.ID, *tomasz.Employment); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("somebody else's: %v", err)
	}
	if _, err := payroll.ReadOwnRun(ctx, w.App, dao, uuid.Nil, last.Employment); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("of the open run: %v", err)
	}
	if _, err := payroll.ReadPersonPay(ctx, w.App, dao, "", last.ID, last.Employment); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("as a clerk: %v", err)
	}
}

// A run held against another names whose pay differs by more than was asked, and why.
func TestHeldAgainstAnotherRun(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	e := *w.Person(t, "Tomasz Brandt").Employment
	before := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`)
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{{Employment: e, Does: "earning",
		What: "Bonus", PayCode: "BONUS", Amount: "5000"}}}))
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	of := func(over int) map[string]payroll.Compared {
		page, err := payroll.ComparedRun(ctx, w.App, sana, "", uuid.Nil, before, over)
		apptest.Must(t, err)
		found := map[string]payroll.Compared{}
		for _, r := range page.Rows {
			if r.Compared != nil {
				found[r.Name()] = *r.Compared
			}
		}
		return found
	}
	c := of(20)["Tomasz Brandt"]
	if c.Percent <= 20 || c.Was == "" || !strings.Contains(c.Why, "extras 0.00 → 5000.00") || !strings.Contains(c.Why, "new code BONUS") ||
		!strings.Contains(c.Why, "hours ") {
		t.Errorf("with a bonus: %+v", c)
	}
	if few, many := len(of(1000)), len(of(1)); few >= many {
		t.Errorf("by more than 1000 %%: %d, by more than 1 %%: %d", few, many)
	}
	if _, err := payroll.ComparedRun(ctx, w.App, sana, "", uuid.Nil, apptest.NewID(), 20); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a run that is none: %v", err)
	}
}

// The open run says how much of somebody's hours rests on an edge that nobody clocked, and which layout doesn't know a
// pay code of it.
func TestWhatTheOpenRunRestsOn(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	apptest.Must(t, w.Do(ctx, sana, payroll.PutLayout{ID: apptest.NewID(), From: when.NewDate(2026, 1, 1),
		Layout: files.Layout{Name: "Bureau",
			Rows: "person_code", Separator: ",", Quotes: "needed", Encoding: "utf-8", LineEnd: "lf", Decimal: ".", Date: "yyyy-mm-dd",
			Hours: "2 decimals", Money: 2, FilePer: "run", Codes: map[string]string{"PTO": "11"},
			Columns: []files.LayoutColumn{{Name: "A", Value: "number"}}}}))
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if text := strings.Join(page.Unknown, "; "); !strings.Contains(text, "Bureau doesn't know REG") || strings.Contains(text, "PTO") {
		t.Errorf("unknown: %s", text)
	}
	want := dbtest.Get[int64](t, w, `select coalesce(sum(extract(epoch from end_at - start_at)), 0)::bigint from stint
		where date between '2026-11-08' and '2026-11-21' and counted and kind = 'work' and end_at is not null
		and 'hand' in (start_by, end_by)`)
	var got int64
	for _, r := range page.Rows {
		got += r.ByHand
	}
	if got < want || got == 0 {
		t.Errorf("%d s by hand, at least %d", got, want)
	}
}
