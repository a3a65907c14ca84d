package payroll_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// Who is in a group is paid by its runs and by no others; whoever moves is
// paid every second once.
func TestPeriodGroups(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity"), w.Person(t, "Dao Pham")
	join := func(group string, from when.Date) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira,
			people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "period_group", Value: group, From: from}))
	}
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Monthly", Kind: "monthly"}))
	join("Monthly", when.NewDate(2026, 11, 8))
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	has := func(page *payroll.RunPage) (dao, others int) {
		for _, r := range page.Rows {
			if r.Family == "Pham" {
				dao++
			} else if r.Regular > 0 {
				others++
			}
		}
		return dao, others
	}
	ours, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	if d, o := has(ours); d != 0 || o < 40 {
		t.Errorf("the company's run has %d of Dao and %d others", d, o)
	}
	monthly, err := payroll.PayRunOf(ctx, w.App, sana, "Monthly", uuid.Nil)
	apptest.Must(t, err)
	if d, o := has(monthly); d != 1 || o != 0 ||
		monthly.Period != (when.Period{From: when.NewDate(2026, 11, 1), To: when.NewDate(2026, 11, 30)}) {
		t.Errorf("the monthly run of %v has %d of Dao and %d others", monthly.Period, d, o)
	}
	// The pay calendar says of each group when its period ends and its run can be closed, on the rail and beside the runs.
	calendar := func(open []payroll.OpenPeriod) (says []string) {
		for _, o := range open {
			says = append(says, fmt.Sprint(o.Group, " ", o.Period, " ", o.People, " ", o.Due, " ", o.Closes.Format("2 15:04")))
		}
		return says
	}
	want := []string{" {2026-11-08 2026-11-21} 0 true 22 04:00", "Monthly {2026-11-01 2026-11-30} 1 false 1 04:00"}
	if got := calendar(monthly.Groups); !slices.Equal(got, want) {
		t.Errorf("beside the runs: %q, want %q", got, want)
	}
	for _, at := range []struct {
		who  app.Actor
		want []string
	}{{sana, []string{" {2026-11-08 2026-11-21}", " {2026-11-22 2026-12-05}", "Monthly {2026-11-01 2026-11-30}",
		"Monthly {2026-12-01 2026-12-31}"}}, {w.Person(t, "Wren Halloran"), nil}} {
		frame, err := w.ReadFrame(ctx, at.who, when.Period{From: when.NewDate(2026, 11, 23), To: when.NewDate(2026, 11, 23)})
		apptest.Must(t, err)
		var says []string
		for _, d := range frame.Calendar {
			says = append(says, d.Group+" "+fmt.Sprint(d.Period))
		}
		if !slices.Equal(says, at.want) {
			t.Errorf("on the rail of %s: %q, want %q", at.who.Name(), says, at.want)
		}
	}
	if err := w.Do(ctx, sana,
		payroll.CloseRun{ID: apptest.NewID(), Group: "Monthly",
			Seen: monthly.Period.From.String() + " " + monthly.Total.Gross}); err == nil ||
		!strings.Contains(err.Error(), "still running") {
		t.Errorf("closed before its end: %v", err)
	}
	apptest.CloseOpenRun(t, w)
	if n := dbtest.Get[int](t, w, `select count(*) from card where employment_id = $1 and date between '2026-11-08' and '2026-11-21'
		and state = 'paid'`, dao.Employment); n != 0 {
		t.Errorf("%d cards of Dao were paid by the company's run", n)
	}
	w.Set(time.Date(2026, 12, 1, 15, 0, 0, 0, time.UTC))
	apptest.AnswerAll(t, w, store.LeftOut, "Monthly")
	if monthly, err = payroll.PayRunOf(ctx, w.App, sana, "Monthly", uuid.Nil); err != nil || !monthly.CanClose {
		t.Fatalf("the monthly run can't be closed: %v, %v", monthly, err)
	}
	id := apptest.NewID()
	apptest.Must(t, w.Do(ctx, sana,
		payroll.CloseRun{ID: id, Group: "Monthly", Seen: monthly.Period.From.String() + " " + monthly.Total.Gross}))
	closed, err := payroll.PayRun(ctx, w.App, sana, id)
	apptest.Must(t, err)
	if closed.Group != "Monthly" || closed.Total.Regular != monthly.Total.Regular {
		t.Errorf("closed: %s, %d s", closed.Group, closed.Total.Regular)
	}
	join("", 0) // back among the others, whose open period began before
	paid := func() int64 {
		return dbtest.Get[int64](t, w, `select sum(seconds) from pay_line where kind = 'straight' and employment_id = $1`, dao.Employment)
	}
	worked := dbtest.Get[int64](t, w, `select sum(worked) from card where employment_id = $1 and state = 'paid'`, dao.Employment)
	if got := paid(); got != worked {
		t.Errorf("runs paid %d s, paid cards hold %d s", got, worked)
	}
	if ours, err = payroll.PayRun(ctx, w.App, sana, uuid.Nil); err != nil {
		t.Fatal(err)
	}
	for _, r := range ours.Rows {
		if r.Family == "Pham" && r.Regular != 0 {
			t.Errorf("the company's run owes %d s that are paid", r.Regular)
		}
	}

	// What can't be.
	if r := apptest.Refusal(t,
		w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Monthly", Kind: "fortnight", Anchor: "2026-11-15"})); !strings.Contains(r.Wrong,
		"cut into what was paid") {
		t.Errorf("other periods over what is paid: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Monthly", Kind: "weekly", Anchor: "2026-12-01"}))
	for _, bad := range []payroll.PutPeriodGroup{{Title: "", Kind: "weekly"}, {Title: "a,b", Kind: "weekly"},
		{Title: "Weekly", Kind: "weekly", Anchor: "soon"}} {
		apptest.Refusal(t, w.Do(ctx, mira, bad))
	}
	if _, err := payroll.PayRunOf(ctx, w.App, sana, "Nobody's", uuid.Nil); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a group that isn't there: %v", err)
	}
	// A group that somebody is or was in stays: days of theirs are paid by it.
	apptest.Refusal(t, w.Do(ctx, mira, payroll.DropPeriodGroup{Title: "Monthly"}))
	apptest.Must(t, w.Do(ctx, mira, payroll.PutPeriodGroup{Title: "Spare", Kind: "weekly", Anchor: "2026-12-01"}))
	join("Spare", 0)
	apptest.Refusal(t, w.Do(ctx, mira, payroll.DropPeriodGroup{Title: "Spare"}))
	join("", 0)
	apptest.Must(t, w.Do(ctx, mira, payroll.DropPeriodGroup{Title: "Spare"}))
}
