package payroll_test

import (
	"errors"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/dbtest"
)

// What a run pays somebody is said line by line, each with where it came from; the lines come to
// what the run says, in its draft and once it is closed; and nobody reads it who may not see pay.
func TestWhatARunPaysSomebody(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	sana := w.Person(t, "Sana Verity")
	check := func(run uuid.UUID, explained bool) {
		t.Helper()
		page, err := payroll.PayRun(ctx, w.App, sana, run)
		apptest.Must(t, err)
		if len(page.Rows) < 10 {
			t.Fatalf("%d people in the run", len(page.Rows))
		}
		for _, row := range page.Rows {
			p, err := payroll.ReadPersonPay(ctx, w.App, sana, "", run, row.Employment)
			apptest.Must(t, err)
			var seconds, without int64
			for _, week := range p.Weeks {
				for _, l := range week.Lines {
					if l.Kind == pay.Straight || l.Kind == pay.LeavePay {
						seconds += l.Seconds
					}
					if l.Why == "" {
						without++
					}
				}
			}
			if want := row.Regular + row.Overtime + row.Double + row.Leave; p.Gross != row.Gross || seconds != want && !row.Earlier {
				t.Errorf("%s: %s of %d s, and the run says %s of %d", row.Name(), p.Gross, seconds, row.Gross, want)
			}
			if explained && (without > 0 || p.Lost) {
				t.Errorf("%s: %d lines without a reason: %+v", row.Name(), without, p.Weeks)
			}
		}
	}
	check(uuid.Nil, true)
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	check(run, true)
	dao := *w.Person(t, "Dao Pham").Employment
	if _, err := w.DB.Exec(`update rate set amount = amount + 1 where employment_id = $1`, dao); err != nil {
		t.Fatal(err)
	}
	p, err := payroll.ReadPersonPay(ctx, w.App, sana, "", run, dao)
	apptest.Must(t, err)
	if !p.Lost || p.Gross == "0.00" {
		t.Errorf("with other rates since: lost %v, gross %s", p.Lost, p.Gross)
	}
	for _, who := range []string{"Dao Pham", "Wren Halloran"} {
		if _, err := payroll.ReadPersonPay(ctx, w.App, w.Person(t, who), "", run, dao); !errors.Is(err, app.ErrForbidden) {
			t.Errorf("%s reads it: %v", who, err)
		}
	}
	for _, of := range [][2]uuid.UUID{{run, uuid.New()}, {uuid.New(), dao}} {
		if _, err := payroll.ReadPersonPay(ctx, w.App, sana, "", of[0], of[1]); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("what isn't there: %v", err)
		}
	}
}
