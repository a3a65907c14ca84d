package app_test

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// Every "no" of hours by hand.
func TestRefusedReports(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	do := doing(t, w)
	mira, orla, ruth, wren := w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater"), w.Person(t, "Ruth Adeyemi"),
		w.Person(t, "Wren Halloran")
	dao := w.Person(t, "Dao Pham")
	do(dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out})
	do(mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Employment: *dao.Employment, Field: "clock_points",
		Value: string(clock.Reporting)})
	do(orla, company.SetCompany{Field: "account_words", Value: "paint = 4711"})
	e, monday := *dao.Employment, when.NewDate(2026, 11, 9)
	on := apptest.Work(t, w, "2226", "Priming")
	say := func(of uuid.UUID, d when.Date, on clock.Assignment, text string) hours.ReportHours {
		return hours.ReportHours{ID: apptest.NewID(), Employment: of, Date: d, On: on, Hours: text}
	}
	said := say(e, monday+7, on, "20")
	do(dao, said)
	other := said
	other.Hours = "3"
	public := apptest.Work(t, w, "2231", "Erecting")
	account, nowhere := on, clock.Assignment{Job: apptest.NewID()}
	account.Account = "9999"
	more := on
	more.Account = "4711"
	taskAlone := clock.Assignment{Task: on.Task}
	next := when.Period{From: monday + 20, To: monday + 33}
	approved := when.NewDate(2026, 11, 10)
	sign := func(of uuid.UUID, seen string) hours.SignReported {
		return hours.SignReported{ID: apptest.NewID(), Employment: of, Days: when.Period{From: monday, To: monday + 4}, Seen: seen}
	}
	for _, row := range []refused{
		{ruth, say(*ruth.Employment, monday, on, "8"), "don't report hours by hand"},
		{ruth, say(e, monday, on, "8"), "not found"},
		{wren, say(e, monday, on, "8"), "not found"},
		{mira, say(apptest.NewID(), monday, on, "8"), "not found"},
		{dao, say(e, monday, on, "eight"), "no length of time"},
		{dao, say(e, monday, on, "25"), "more than a day"},
		{dao, say(e, monday+7, more, "5"), "25:00 on one day"},
		{dao, say(e, monday+100, on, "8"), "too far ahead"},
		{dao, say(e, monday-100, on, "8"), "more than 62 days ago"},
		{dao, say(e, when.NewDate(2001, 1, 1), on, "8"), "before the first day"},
		{dao, say(e, approved, on, "8"), "is approved"},
		{dao, say(e, monday+7, account, "1"), "no account"},
		{dao, say(e, monday+7, nowhere, "1"), "no such"},
		{dao, say(e, monday+7, public, "1"), "public work"},
		{dao, say(e, monday+7, taskAlone, "1"), "not found"},
		{dao, other, "conflict"},
		{ruth, hours.ReportLike{Employment: *ruth.Employment, Days: next}, "don't report hours by hand"},
		{ruth, hours.ReportLike{Employment: e, Days: next}, "not found"},
		{mira, hours.ReportLike{Employment: apptest.NewID(), Days: next}, "not found"},
		{dao, hours.ReportLike{Employment: e, Days: when.Period{From: monday, To: monday + 90}}, "not found"},
		{dao, hours.ReportLike{Employment: e, Days: when.Period{From: monday - 20, To: monday - 7}}, "nothing to begin with"},
		{ruth, sign(e, "x"), "not found"},
		{dao, sign(e, "x"), "No card is ready"}, // they are approved
		{dao, hours.SignReported{ID: apptest.NewID(), Employment: e, Days: when.Period{From: monday + 60, To: monday + 61}},
			"No card is ready"},
		{ruth, hours.LayHours{On: []store.EmploymentDate{{Employment: e, Date: monday}}}, "not found"},
		{mira, hours.LayHours{On: make([]store.EmploymentDate, 2001)}, "too much"},
		{orla, company.SetCompany{Field: "account_words", Value: "paint"}, "has no account"},
		{orla, company.SetCompany{Field: "account_words", Value: "paint = 1, Paint = 2"}, "twice"},
		{orla, company.SetCompany{Field: "account_words", Value: "a word that is far too long = 1"}, "too long"},
		{orla, company.SetCompany{Field: "no_account", Value: "maybe"}, "can't be"},
	} {
		row.try(t, w)
	}
	do(orla, company.SetCompany{Field: "change_days", Value: "0"})
	refused{dao, say(e, monday-100, on, "8"), "too long ago"}.try(t, w)
	for what, read := range map[string]func() error{
		"what somebody else reports": func() error { _, err := hours.ReadReportPage(ctx, w.App, ruth, dao.ID, monday); return err },
		"what somebody else reports on": func() error {
			_, _, err := hours.ReportChoices(ctx, w.App, ruth, e, "")
			return err
		},
		"what nobody reports on": func() error {
			_, _, err := hours.ReportChoices(ctx, w.App, mira, apptest.NewID(), "")
			return err
		},
	} {
		if err := read(); err != app.ErrNotFound {
			t.Errorf("%s: %v", what, err)
		}
	}
	w.Pass(96 * time.Hour) // what was written ahead is over
	apptest.Must(t, hours.KeepReported(ctx, w.App))
	unseen := sign(e, "x")
	unseen.Days = when.Period{From: monday + 7, To: monday + 7}
	refused{dao, unseen, "changed while you were looking"}.try(t, w)
	// What runs leaves no room.
	abena := w.Person(t, "Abena Farouk")
	do(mira, people.SetPerson{ID: apptest.NewID(), Person: abena.ID, Employment: *abena.Employment, Field: "clock_points",
		Value: "own phone or browser, " + string(clock.Reporting)})
	abena = w.Person(t, "Abena Farouk")
	if !abena.OnClock() {
		t.Error("nobody is on the clock to try it with")
	} else {
		refused{abena, say(*abena.Employment, when.NewDate(2026, 11, 13), on, "8"), "no room"}.try(t, w)
	}
	if err := w.ByTime(ctx, hours.LayHours{}); err != nil {
		t.Error(err)
	}
}
