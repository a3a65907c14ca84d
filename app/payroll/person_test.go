package payroll_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/core/clock"
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
	some, spent := map[pay.LineKind]bool{}, map[uuid.UUID]string{}
	both := func(sums ...string) string {
		var all decimal.Decimal
		for _, s := range sums {
			if s != "" {
				all = all.Add(decimal.RequireFromString(s))
			}
		}
		return all.String()
	}
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
			sums, earlier := map[pay.LineKind]decimal.Decimal{}, row.Earlier
			for _, week := range p.Weeks {
				earlier = earlier || week.Before != ""
				plain := map[string]bool{}
				for _, l := range week.Lines {
					if key := fmt.Sprint(l.Date, l.Job, l.Task, l.PayCode, l.Rate); run == uuid.Nil && l.Kind == pay.Straight &&
						l.Class == pay.Regular {
						if plain[key] && strings.Count(l.Why, "Regular: no threshold") == 1 {
							t.Errorf("%s: hours of one day, work and rate are several lines: %s", row.Name(), key)
						}
						plain[key] = true
					}
					sums[l.Kind] = sums[l.Kind].Add(decimal.RequireFromString(l.Amount))
					if l.Kind == pay.Straight || l.Kind == pay.LeavePay {
						seconds += l.Seconds
					}
					if l.Why == "" {
						without++
					}
				}
			}
			if want := row.Regular + row.Overtime + row.Double + row.Leave; p.Gross != row.Gross || seconds != want && !earlier {
				t.Errorf("%s: %s of %d s, and the run says %s of %d", row.Name(), p.Gross, seconds, row.Gross, want)
			}
			if spent[row.Employment] != row.Beside[payroll.Expense] {
				t.Errorf("%s spent %q, and the run says %q", row.Name(), spent[row.Employment], row.Beside[payroll.Expense])
			}
			for _, sum := range []struct {
				said  string
				kinds []pay.LineKind
			}{{both(row.Beside[payroll.Extra], row.Beside[payroll.Expense]), []pay.LineKind{pay.ExtraPay}},
				{row.Beside[payroll.Differential], []pay.LineKind{pay.DifferentialPay}},
				{row.Beside[payroll.Holiday], []pay.LineKind{pay.HolidayPremium}},
				{row.Beside[payroll.Fringe], []pay.LineKind{pay.Fringe, pay.FringePlan}}} {
				var of decimal.Decimal
				for _, k := range sum.kinds {
					of = of.Add(sums[k])
				}
				if said, _ := decimal.NewFromString(sum.said); !earlier && !said.Equal(of) {
					t.Errorf("%s: %v are %s, and the run says %q", row.Name(), sum.kinds, of, sum.said)
				}
				some[sum.kinds[0]] = some[sum.kinds[0]] || !earlier && !of.IsZero()
			}
			if explained && (without > 0 || p.Lost) {
				t.Errorf("%s: %d lines without a reason: %+v", row.Name(), without, p.Weeks)
			}
		}
	}
	dao := *w.Person(t, "Dao Pham").Employment
	spent[dao] = "42.10" // beside a bonus of the same day
	apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.AddExpense{ID: apptest.NewID(), On: apptest.Thursday, Kind: "Fuel",
		Amount: "42.10", Work: clock.Assignment{Job: apptest.JobOf(t, w, "2229")}}))
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{{Employment: dao,
		Does: "earning", What: "Bonus", PayCode: "BONUS", Amount: "75", From: apptest.Thursday.String()}}}))
	apptest.ApproveSome(t, w, dao)
	apptest.Must(t, w.Do(ctx, sana, payroll.PutDifferential{ID: apptest.NewID(), Title: "CRANE", From: "06:00", To: "12:00", PerHour: "2",
		First: "2026-11-08", Employments: []uuid.UUID{dao}}))
	if _, err := w.DB.Exec(`update job_wage set fringe_cash = 1.25, fringe_plan = 2`); err != nil {
		t.Fatal(err)
	}
	check(uuid.Nil, true)
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	check(run, true)
	if _, err := w.DB.Exec(`update rate set amount = amount + 1 where employment_id = $1`, dao); err != nil {
		t.Fatal(err)
	}
	check(run, true) // by what was kept
	paid, err := payroll.ReadPersonPay(ctx, w.App, sana, "", run, dao)
	apptest.Must(t, err)
	back := apptest.NewID()
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), payroll.TurnRun{ID: back, Run: run, Why: "a rate was wrong"}))
	turned, err := payroll.ReadPersonPay(ctx, w.App, sana, "", back, dao)
	apptest.Must(t, err)
	if turned.Lost || turned.Gross != "-"+paid.Gross {
		t.Errorf("%s turned: lost %v, gross %s", paid.Gross, turned.Lost, turned.Gross)
	}
	if _, err := w.DB.Exec(`alter table run disable trigger user; update run set basis = null`); err != nil {
		t.Fatal(err)
	}
	p, err := payroll.ReadPersonPay(ctx, w.App, sana, "", run, dao)
	apptest.Must(t, err)
	if !p.Lost || p.Gross == "0.00" {
		t.Errorf("with nothing kept and other rates since: lost %v, gross %s", p.Lost, p.Gross)
	}
	if !some[pay.DifferentialPay] || !some[pay.Fringe] {
		t.Errorf("nobody is paid one of these: %v", some)
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
