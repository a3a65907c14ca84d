package payroll_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/roster"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

const planRules = `{"weekly_overtime_after":"40","show_up":{"part":"0.5","least_hours":"2","most_hours":"4"},
	"short_notice":{"days":14,"changed_hours":"1","lost_part":"0.5","over_minutes":30}}`

// unworked says what a run pays somebody without work, day by day.
func unworked(t *testing.T, w *dbtest.World, run, employment uuid.UUID) string {
	t.Helper()
	return dbtest.Get[string](t, w,
		`select coalesce(string_agg(to_char(date, 'DD') || ' ' || seconds || ' ' || pay_code, ', ' order by date,
		seconds), '') from pay_line where run_id = $1 and employment_id = $2 and kind = 'paid_not_worked'`, run, employment)
}

// tellThem tells somebody what is planned for them, or by them.
func tellThem(t *testing.T, w *dbtest.World, who app.Actor, employment uuid.UUID, days when.Period, asked bool) {
	t.Helper()
	r, err := roster.ReadRoster(t.Context(), w.App, who, roster.Query{Days: days})
	apptest.Must(t, err)
	for _, row := range r.People {
		if row.Employment == employment {
			whom := row.Whom()
			whom.Asked = asked
			apptest.Must(t, w.Do(t.Context(), who, roster.Tell{ID: apptest.NewID(), Days: days, Whom: []roster.Whom{whom}}))
		}
	}
}

// Who comes to a shift and is let go is paid a part of it: of the shift as it was told when
// they came, and not where they left because they wanted to, or said that they were sick.
func TestShowUpIsPaid(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, mira, company.PutRules{ID: apptest.NewID(), Title: "Plans", From: when.NewDate(2026, 11, 15),
		Rules: json.RawMessage(strings.Replace(planRules, `"days":14`, `"days":1`, 1))}))
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	on, monday := apptest.Work(t, w, "2229", "Coating"), when.NewDate(2026, 11, 16)
	press := func(act clock.Act, day when.Date, hour, minute int) {
		t.Helper()
		w.Set(time.Date(2026, 11, 16+int(day-monday), hour+5, minute, 0, 0, time.UTC))
		apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.Punch{ID: apptest.NewID(), Act: act, On: on}))
	}
	shift := func(d when.Date) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w, `select id from shift where employment_id = $1 and date = $2`, *dao.Employment, d.String())
	}
	for d := monday; d <= monday+3; d++ {
		switch d {
		case monday + 1: // shortened once he is there, which takes nothing from him
			press(clock.In, d, 7, 0)
			w.Pass(20 * time.Minute)
			less := 0
			apptest.Must(t, w.Do(ctx, mira, roster.ChangeShift{Batch: apptest.NewID(), Shift: shift(d), Less: &less,
				When: &roster.When{Date: d, From: 7 * time.Hour, To: 9 * time.Hour}}))
			tellThem(t, w, mira, *dao.Employment, when.Period{From: d, To: d}, false)
			press(clock.Out, d, 8, 0)
			continue
		case monday + 3:
			w.Set(time.Date(2026, 11, 19, 11, 0, 0, 0, time.UTC))
			apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), roster.SayingSick{ID: apptest.NewID(), Shift: shift(d)}))
		}
		press(clock.In, d, 7, 0)
		press(clock.Out, d, 8, 0)
	}
	stints, err := store.StintsOn(ctx, w.DB, []uuid.UUID{*dao.Employment}, []when.Date{monday + 2})
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "went to a football match", Changes: []hours.Change{
		{Employment: *dao.Employment, Does: clock.Mark, Of: stints[0].ID, Marks: clock.LeftByChoice}}}))
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	// Monday's was planned 8:00: half of it less the hour worked. Tuesday's too, and of what was
	// taken from it then, 5:30 after it began, half at short notice.
	planned := dbtest.Get[int64](t, w, `select extract(epoch from end_at - start_at)::bigint - less from shift
		where employment_id = $1 and date = '2026-11-16'`, *dao.Employment)
	want := fmt.Sprintf("16 %d REG, 17 %d REG, 17 %d REG", 4*3600-3600, 4*3600-3600, (planned-2*3600)/2)
	if planned != 8*3600 {
		t.Fatalf("%d s are planned", planned)
	}
	if got := unworked(t, w, run, *dao.Employment); got != want {
		t.Errorf("paid without work: %q, not %q", got, want)
	}
	if seconds, gross := apptest.Share(t, w, *dao.Employment); seconds != 0 || !gross.IsZero() {
		t.Errorf("the next run owes %d s, %s", seconds, gross)
	}
	apptest.AllConsistent(t, w)
}

// A plan that is told anew at short notice is paid for: not what somebody asked for, once they
// say so themselves, and not what a planner told themselves.
func TestShortNoticeIsPaid(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	mira, wren, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Wren Halloran"), w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, mira, company.PutRules{ID: apptest.NewID(), Title: "Plans", From: when.NewDate(2026, 11, 15),
		Rules: json.RawMessage(planRules)}))
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	monday := when.NewDate(2026, 11, 16)
	change := func(as, of app.Actor, d when.Date, from, to int, asked bool) {
		t.Helper()
		id := dbtest.Get[uuid.UUID](t, w, `select id from planned where employment_id = $1 and date = $2`, *of.Employment, d.String())
		act := roster.ChangeShift{Batch: apptest.NewID(), Shift: id, When: &roster.When{Date: d, From: time.Duration(from) * time.Hour,
			To: time.Duration(to) * time.Hour}}
		if err := w.Do(ctx, as, act); err != nil {
			t.Fatal(err)
		}
		tellThem(t, w, as, *of.Employment, when.Period{From: d, To: d}, asked)
	}
	own := func() []roster.OwnChange {
		t.Helper()
		o, err := roster.ReadOwnShifts(ctx, w.App, w.Person(t, "Dao Pham"))
		apptest.Must(t, err)
		return o.Changes
	}
	change(mira, dao, monday, 9, 18, false)     // later: an hour
	change(mira, dao, monday+1, 10, 19, true)   // he asked, and says so
	change(mira, dao, monday+2, 11, 20, true)   // he is said to have asked, and says nothing
	change(wren, wren, monday+1, 13, 18, false) // by themselves
	if c := own(); len(c) != 3 || c[0].Asked || !c[1].Asked {
		t.Fatalf("he may agree to %+v", c)
	}
	asked := own()[1]
	apptest.Must(t, w.Do(ctx, dao, roster.AgreeToChange{Told: asked.Told}))
	apptest.Must(t, w.Do(ctx, dao, roster.AgreeToChange{Told: asked.Told})) // sent again
	apptest.Must(t, w.Do(ctx, dao, roster.AgreeToChange{Told: own()[0].Told}))
	if c := own(); len(c) != 1 {
		t.Errorf("agreed to, and still asked: %+v", c)
	}
	late, err := roster.ReadLate(ctx, w.App, mira, when.Period{From: monday, To: monday + 2}, 14)
	apptest.Must(t, err)
	i := slices.IndexFunc(late.List, func(c roster.LateChange) bool { return c.Date == monday+1 && c.Name == "Dao Pham" })
	if i < 0 || late.List[i].AskedBy != "Dao Pham" || late.List[i].AgreedBy != "Dao Pham" || late.List[i].By != "Mira Castellane" {
		t.Errorf("kept of it: %+v", late.List)
	}
	w.Set(time.Date(2026, 11, 18, 20, 0, 0, 0, time.UTC))
	if err := w.Do(ctx, w.Person(t, "Dao Pham"), roster.AgreeToChange{Told: late.List[i].ID}); err == nil {
		t.Error("agreed once it has begun")
	}
	w.Set(apptest.AfterPeriod)
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	if got := unworked(t, w, run, *dao.Employment); got != "16 3600 REG, 18 3600 REG" {
		t.Errorf("Dao Pham is paid %q", got)
	}
	if got := unworked(t, w, run, *wren.Employment); got != "" {
		t.Errorf("for what Wren told Wren %q is paid", got)
	}
	if seconds, gross := apptest.Share(t, w, *dao.Employment); seconds != 0 || !gross.IsZero() {
		t.Errorf("the next run owes %d s, %s", seconds, gross)
	}
	apptest.AllConsistent(t, w)
}
