package payroll_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
	"manudex/store"
)

// A bonus over three weeks, of which two were paid: what their overtime is owed for it comes with it, once. A deduction
// of every run is kept each time, after gross.
func TestBesidesTheHours(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	// Whoever had most overtime in the weeks that are paid.
	e := dbtest.Get[uuid.UUID](t, w, `select employment_id from pay_line where kind = 'straight' and class = 'overtime'
		and week between '2026-10-25' and '2026-11-01' group by 1 order by sum(seconds) desc, 1 limit 1`)
	put := func(rows ...payroll.Adjustment) error {
		return w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: rows})
	}
	apptest.Must(t, put(
		payroll.Adjustment{Employment: e, Does: "earning", What: "Safety bonus", PayCode: "BONUS", Amount: "300.00", InRegularRate: true,
			From: "2026-11-20", OverFrom: "2026-10-25", OverTo: "2026-11-14"},
		payroll.Adjustment{Employment: e, Does: "deduction", What: "Tool fund", PayCode: "TOOLS", Amount: "12.50", Until: "2027-01-31"},
		payroll.Adjustment{Employment: e, Does: "earning", What: "Travel", PayCode: "TRAVEL", Hours: "1.5", Rate: "10"}))
	apptest.Must(t, w.Do(ctx, sana, payroll.PutDifferential{ID: apptest.NewID(), Title: "CRANE", From: "06:00", To: "12:00", PerHour: "2",
		First: "2026-11-09", Last: "2026-11-10", Employments: []uuid.UUID{e}}))
	w.Set(afterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	_, gross := apptest.Share(t, w, e)
	run, _ := apptest.CloseOpenRun(t, w)
	sum := func(run uuid.UUID, kind string, where string) decimal.Decimal {
		return dbtest.Get[decimal.Decimal](t, w, `select coalesce(sum(amount), 0) from pay_line where run_id = $1 and employment_id = $2
			and kind = $3 and `+where, run, e, kind)
	}
	if got := paidIn(t, w, e, run); !got.Equal(gross) {
		t.Errorf("the draft says %s, the run pays %s", gross, got)
	}
	for _, c := range []struct{ kind, where, want string }{
		{"extra", "pay_code = 'BONUS' and date = '2026-11-20'", "300"}, {"extra", "pay_code = 'TRAVEL'", "15"},
		{"deduction", "pay_code = 'TOOLS' and date = '2026-11-21'", "12.5"},
	} {
		if got := sum(run, c.kind, c.where); !got.Equal(decimal.RequireFromString(c.want)) {
			t.Errorf("%s %s: %s, want %s", c.kind, c.where, got, c.want)
		}
	}
	// 29 CFR 778.209: the week's part over its hours, half of it on its overtime.
	rows := dbtest.Get[string](t, w, `
		with worked as (select week, sum(seconds) as s, sum(seconds) filter (where class = 'overtime') as o from pay_line
			where employment_id = $1 and kind = 'straight' and week between '2026-10-25' and '2026-11-08' group by week),
		total as (select sum(s) as s from worked where week < '2026-11-15')
		select string_agg(week::text || ' ' || round(300.0 * worked.s / total.s / worked.s * 0.5 * o, 2), ', ' order by week)
		from worked, total where o > 0`, e)
	got := dbtest.Get[string](t, w, `select string_agg(week::text || ' ' || amount::numeric(9,2), ', ' order by week) from pay_line
		where run_id = $1 and employment_id = $2 and kind = 'bonus_premium'`, run, e)
	if got != rows || !strings.Contains(got, "2026-10-25") && !strings.Contains(got, "2026-11-01") {
		t.Errorf("on the overtime of weeks that were paid: %s, want %s", got, rows)
	}
	if n := sum(run, "differential", "pay_code = 'CRANE'"); n.IsZero() ||
		dbtest.Get[int](t, w, `select count(*) from pay_line where pay_code = 'CRANE' and employment_id <> $1`, e) != 0 {
		t.Errorf("their own differential pays %s, or others got it", n)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from pay_line where run_id = $1 and employment_id = $2 and week < '2026-11-08'
		and kind <> 'bonus_premium'`, run, e); n != 0 {
		t.Errorf("%d other lines of weeks that were paid", n)
	}
	if v := whole(t, w); len(v.Wrong) > 0 {
		t.Errorf("kept: %v", v.Wrong)
	}
	// Nothing of it comes twice; the deduction does, with the next run.
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), company.SetCompany{Field: "deduct_under", Value: "warn"})) // of nothing
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	next, _ := apptest.CloseOpenRun(t, w)
	if b, d := sum(next, "extra", "true"), sum(next, "deduction", "date = '2026-12-05'"); !b.IsZero() ||
		!d.Equal(decimal.RequireFromString("12.5")) {
		t.Errorf("the next run pays %s besides and keeps %s", b, d)
	}
	p, err := payroll.ReadPersonPay(ctx, w.App, sana, "", run, e)
	apptest.Must(t, err)
	said := ""
	for _, week := range p.Weeks {
		for _, l := range week.Lines {
			if l.Kind == pay.BonusPremium || l.Kind == pay.Deducted {
				said += l.Why
			}
		}
	}
	if p.Lost || !strings.Contains(said, "29 CFR 778.209") || !strings.Contains(said, "kept from the pay") {
		t.Errorf("explained: lost %v, %q", p.Lost, said)
	}
	// What a run paid isn't taken back; what every run pays ends with it.
	page, err := payroll.ReadAdjustPage(ctx, w.App, sana, "")
	apptest.Must(t, err)
	if len(page.Rows) != 1 || !page.Rows[0].Paid {
		t.Fatalf("to come: %+v", page.Rows)
	}
	apptest.Must(t, w.Do(ctx, sana, payroll.EndAdjustment{ID: page.Rows[0].ID}))
	if page, err = payroll.ReadAdjustPage(ctx, w.App, sana, ""); err != nil || len(page.Rows) != 0 {
		t.Errorf("ended: %+v, %v", page, err)
	}
	bonus := dbtest.Get[uuid.UUID](t, w, `select id from pay_adjustment where pay_code = 'BONUS'`)
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.EndAdjustment{ID: bonus})); r.Field != "adjustment" {
		t.Errorf("what was paid is taken back: %+v", r)
	}
}

// What a run of somebody's own pay periods paid isn't taken back by way of another group whose runs are further behind.
func TestWhatAGroupPaidStays(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity"), w.Person(t, "Dao Pham")
	first := when.NewDate(2026, 11, 8)
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Weekly", Kind: "weekly", Anchor: first.String()}))
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "period_group", Value: "Weekly",
		From: first}))
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Group: "Weekly", Rows: []payroll.Adjustment{
		{Employment: *dao.Employment, Does: "earning", What: "Bonus", PayCode: "BONUS", Amount: "20"},
		{Employment: *dao.Employment, Does: "deduction", What: "Fund", PayCode: "FUND", Amount: "1", Until: "2026-12-31"}}}))
	crane := payroll.PutDifferential{ID: apptest.NewID(), Group: "Weekly", Title: "CRANE", From: "06:00", To: "12:00", PerHour: "2",
		First: first.String(), Employments: []uuid.UUID{*dao.Employment}}
	apptest.Must(t, w.Do(ctx, sana, crane))
	w.Set(time.Date(2026, 11, 16, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 14))
	apptest.AnswerAll(t, w, store.LeftOut, "Weekly")
	page, err := payroll.PayRunOf(ctx, w.App, sana, "Weekly", uuid.Nil)
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, sana, payroll.CloseRun{ID: apptest.NewID(), Group: "Weekly",
		Seen: page.Period.From.String() + " " + page.Total.Gross}))
	id := func(code string) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w, `select id from pay_adjustment where pay_code = $1`, code)
	}
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.EndAdjustment{ID: id("BONUS")})); r.Field != "adjustment" {
		t.Errorf("a bonus that was paid is taken back: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, sana, payroll.EndAdjustment{ID: id("FUND")}))
	apptest.Must(t, w.Do(ctx, sana, payroll.EndDifferential{ID: crane.ID}))
	for _, ends := range []string{`select until::text from pay_adjustment where pay_code = 'FUND' and gone_at is null`,
		`select ends_on::text from pay_differential where gone_at is null`} {
		if got := dbtest.Get[string](t, w, ends); got != "2026-11-14" {
			t.Errorf("%s: %s", ends, got)
		}
	}
	// Who of a crew has pay periods of their own isn't among those of the company's.
	night := payroll.PutDifferential{ID: apptest.NewID(), Title: "NIGHT", From: "22:00", To: "06:00", PerHour: "1",
		EmploymentOf: dbtest.Get[string](t, w, `select u.name from employment e join unit u on u.id = e.unit_id where e.id = $1`,
			*dao.Employment)}
	apptest.Must(t, w.Do(ctx, sana, night))
	if n := dbtest.Get[int](t, w, `select count(*) + 100 * count(*) filter (where employment_id = $2) from pay_differential_of
		where differential_id = $1`, night.ID, *dao.Employment); n == 0 || n >= 100 {
		t.Errorf("%d of the crew get it, or Dao does", n)
	}
	crane.ID, crane.Group = apptest.NewID(), "" // whose run of these days is open
	if r := apptest.Refusal(t, w.Do(ctx, sana, crane)); r.Field != "first" {
		t.Errorf("for days that were paid: %+v", r)
	}
	next, err := payroll.PayRunOf(ctx, w.App, sana, "Weekly", uuid.Nil)
	apptest.Must(t, err)
	if len(next.TakesBack) != 0 {
		t.Errorf("the next run takes back: %+v", next.TakesBack)
	}
}

// What can't be an adjustment, and that a file comes in whole or not at all.
func TestAdjustmentsThatCantBe(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	e := *w.Person(t, "Tomasz Brandt").Employment
	ok := payroll.Adjustment{Employment: e, Does: "earning", What: "Bonus", PayCode: "B", Amount: "10"}
	for field, change := range map[string]func(a *payroll.Adjustment){
		"does":      func(a *payroll.Adjustment) { a.Does = "gift" },
		"what":      func(a *payroll.Adjustment) { a.What = " " },
		"code":      func(a *payroll.Adjustment) { a.PayCode = "" },
		"amount":    func(a *payroll.Adjustment) { a.Amount = "10.001" },
		"hours":     func(a *payroll.Adjustment) { a.Amount, a.Hours, a.Rate = "", "x", "3" },
		"from":      func(a *payroll.Adjustment) { a.From = "2026-11-07" },
		"until":     func(a *payroll.Adjustment) { a.Until = "2026-11-01" },
		"over_from": func(a *payroll.Adjustment) { a.OverFrom, a.OverTo = "2026-11-01", "2026-11-14" },
		"over_to": func(a *payroll.Adjustment) {
			a.InRegularRate, a.OverFrom, a.OverTo = true, "2026-11-01", "2026-11-28"
		},
	} {
		a := ok
		change(&a)
		if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(),
			Rows: []payroll.Adjustment{a}})); r.Field != field ||
			r.Right == "" {
			t.Errorf("%s: %+v", field, r)
		}
	}
	table := files.Table{Rows: [][]string{{"who", "does", "what", "pay_code", "amount"}, {"Tomasz Brandt", "earning", "Bonus", "B", "10"},
		{"2040", "deduction", "Tools", "T", "-3"}}}
	rows, err := payroll.AdjustmentsOf(ctx, w.App, sana, "", table)
	apptest.Must(t, err)
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: rows,
		File: "x.csv"})); r.Field != "amount" ||
		!strings.HasPrefix(r.Wrong, "Row 2: ") {
		t.Errorf("a file with a row that can't be: %+v", r)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from pay_adjustment`); n != 0 {
		t.Errorf("%d rows of it came in", n)
	}
	table.Rows[2][4] = "3"
	rows, err = payroll.AdjustmentsOf(ctx, w.App, sana, "", table)
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: rows, File: "x.csv"}))
	if n := dbtest.Get[int](t, w, `select count(*) from pay_adjustment where batch_id is not null`); n != 2 {
		t.Errorf("%d rows of it came in, want 2", n)
	}
	table.Rows[1][0] = "Nobody Known"
	if _, err := payroll.AdjustmentsOf(ctx, w.App, sana, "", table); apptest.Refusal(t, err).Field != "who" {
		t.Errorf("somebody unknown: %v", err)
	}
	if _, err := payroll.AdjustmentsOf(ctx, w.App, w.Person(t, "Orla Ebbwater"), "", table); errors.Is(err, app.ErrForbidden) {
		t.Errorf("the owner may not: %v", err)
	}
	if _, err := payroll.ReadAdjustPage(ctx, w.App, w.Person(t, "Tomasz Brandt"), ""); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a worker may: %v", err)
	}
}
