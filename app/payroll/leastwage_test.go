package payroll_test

import (
	"context"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
)

func TestLeastWagesValue(t *testing.T) {
	for text, want := range map[string]string{"15": "15.00",
		" Harbour yard=17.25 from 2027-01-01; 15.00 ;": "15.00; Harbour yard = 17.25 from 2027-01-01",
		"": ""} {
		if got, err := payroll.LeastWagesValue(text); err != nil || got != want {
			t.Errorf("%q is %q, %v; want %q", text, got, err, want)
		}
	}
	for _, text := range []string{"x", "0", "= 15", "15; 15.00", "15 from tomorrow"} {
		if got, err := payroll.LeastWagesValue(text); err == nil {
			t.Errorf("%q is taken for %q", text, got)
		}
	}
}

// Whoever is paid less than the least wage of their site and day, or left with less after a deduction, or by an exempt
// salary, is named; the second keeps the run from closing.
func TestWhoIsPaidLessThanTheLeast(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	set := func(field, value string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, company.SetCompany{Field: field, Value: value}))
	}
	open := func() *payroll.RunPage {
		t.Helper()
		page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
		apptest.Must(t, err)
		return page
	}
	if p := open(); len(p.BelowLeast)+len(p.BelowDeducted)+len(p.BelowSalary) > 0 {
		t.Errorf("without a least wage: %+v", p.BelowLeast)
	}
	site := dbtest.Get[string](t, w, `select s.name from person p join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id where p.family_name = 'Pham' and p.given_name = 'Dao'`)
	set("least_wages", "1.00; "+site+" = 900.00 from 2026-11-11")
	names := func(all []payroll.Below) (text string) {
		for _, b := range all {
			text += b.Name() + ": " + b.Words + "; "
		}
		return text
	}
	p := open()
	if got := names(p.BelowLeast); !strings.Contains(got, "Dao Pham: ") || !strings.Contains(got, "the least is 900.00") ||
		strings.Contains(got, "Mon 9 Nov") {
		t.Errorf("below it: %s", got)
	}
	set("least_wages", "20.00")
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, sana, payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{{Employment: *dao.Employment,
		Does: "deduction", What: "Loan", PayCode: "LOAN", Amount: "500"}}}))
	w.Set(afterPeriod)
	apptest.AnswerAll(t, w, "left_out")
	if p = open(); !strings.Contains(names(p.BelowDeducted), "Dao Pham: ") || p.CanClose || !strings.Contains(p.WhyNot, "Dao Pham") {
		t.Errorf("after a deduction: %s, %s", names(p.BelowDeducted), p.WhyNot)
	}
	set("deduct_under", "warn")
	if p = open(); !strings.Contains(names(p.BelowDeducted), "Dao Pham: ") || !p.CanClose {
		t.Errorf("only said: %s, %s", names(p.BelowDeducted), p.WhyNot)
	}
	set("least_salary", "684.00")
	for field, value := range map[string]string{"paid_by": "salary", "salary": "600 a week, exempt (executive)"} {
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: field, Value: value,
			From: when.NewDate(2026, 11, 8)}))
	}
	if p = open(); names(p.BelowSalary) != "Dao Pham: 600.00 a week, the least is 684.00; " {
		t.Errorf("an exempt salary: %s", names(p.BelowSalary))
	}
}
