package app_test

import (
	"errors"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
)

// Every "no" of who may run payroll and is paid by it: their own hours, adjustments, differentials, corrections, runs.
func TestRefusedOwnPay(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, orla := doing(t, w), w.Person(t, "Orla Ebbwater")
	wren := w.Person(t, "Wren Halloran")
	do(orla, people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "run_payroll"})
	wren = w.Person(t, "Wren Halloran")
	own, dao := *wren.Employment, *w.Person(t, "Dao Pham").Employment
	bonus := func(e uuid.UUID) payroll.PutAdjustments {
		return payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{{Employment: e, Does: "earning", What: "Bonus",
			PayCode: "B",
			Amount:  "5"}}}
	}
	night := func(e uuid.UUID) payroll.PutDifferential {
		return payroll.PutDifferential{ID: apptest.NewID(), Title: "NIGHT", From: "20:00", To: "04:00", PerHour: "1",
			Employments: []uuid.UUID{e}}
	}
	mine := night(own)
	do(orla, bonus(own))
	do(orla, mine)
	adjustment := dbtest.Get[uuid.UUID](t, w, `select id from pay_adjustment where employment_id = $1`, own)
	prepare := func(e uuid.UUID) payroll.PrepareRun {
		return payroll.PrepareRun{ID: apptest.NewID(), Employments: []uuid.UUID{e}, To: "2026-11-12", Why: "missed hours"}
	}
	keys, err := app.ParseKeyring("MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE=")
	apptest.Must(t, err)
	run := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`)
	prepared := prepare(own)
	do(orla, prepared)
	for _, row := range []refused{
		{wren, payroll.AnswerHours{ID: apptest.NewID(), Employment: own, Answer: "as_clocked"}, "your own"},
		{wren, payroll.AnswerHours{ID: apptest.NewID(), Employment: own, Answer: "perhaps"}, "your own"},
		{orla, payroll.AnswerHours{ID: apptest.NewID(), Employment: dao, Answer: "perhaps"}, "not found"},
		{orla, payroll.AnswerHours{ID: apptest.NewID(), Employment: apptest.NewID(), Answer: "left_out"}, "not found"},
		{orla, payroll.AnswerHours{ID: apptest.NewID(), Employment: dao, Answer: "left_out"}, "nobody says why"},
		{orla, payroll.AnswerHours{ID: apptest.NewID(), Employment: dao, Answer: "left_out", Reason: "x", PayBy: "soon"}, "day can't be"},
		{orla, payroll.AnswerHours{ID: apptest.NewID(), Employment: dao, Answer: "left_out", Reason: "x", PayBy: "2026-01-01"}, "is over"},
		{orla, payroll.AnswerHours{ID: apptest.NewID(), Group: "Moonly", Employment: dao}, "not found"},
		{wren, bonus(own), "your own pay"},
		{orla, bonus(apptest.NewID()), "not found"},
		{orla, payroll.PutAdjustments{ID: apptest.NewID()}, "nothing in it"},
		{wren, payroll.EndAdjustment{ID: adjustment}, "your own pay"},
		{orla, payroll.EndAdjustment{ID: apptest.NewID()}, "not found"},
		{wren, night(own), "among those who get it"},
		{wren, payroll.EndDifferential{ID: mine.ID}, "among those who get it"},
		{orla, payroll.EndDifferential{ID: apptest.NewID()}, "not found"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "1"}, "nobody would get it"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), From: "20:00", To: "04:00", PerHour: "1",
			Employments: []uuid.UUID{dao}}, "no name"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "8", To: "04:00", PerHour: "1"}, "is no time"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "", PerHour: "1"}, "is no time"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "1",
			Percent: "5"}, "a percentage"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "-1"}, "can't be paid"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "1",
			First:       "2026-11-07",
			Employments: []uuid.UUID{dao}}, "closed up to"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "1",
			First: "x"}, "day can't be"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "1",
			Last: "2026-01-01"}, "day can't be"},
		{orla, payroll.PutDifferential{ID: apptest.NewID(), Title: "X", From: "20:00", To: "04:00", PerHour: "1",
			Employments: []uuid.UUID{apptest.NewID()}}, "not found"},
		{wren, prepare(own), "your own pay"},
		{orla, prepare(apptest.NewID()), "not found"},
		{wren, payroll.CloseRun{ID: apptest.NewID(), Own: prepared.ID, Seen: "x"}, "your own pay"},
		{orla, payroll.CloseRun{ID: apptest.NewID(), Own: apptest.NewID(), Seen: "x"}, "not found"},
		{orla, payroll.CloseRun{ID: apptest.NewID(), Own: prepared.ID, Group: "Moonly", Seen: "x"}, "not found"},
		{orla, payroll.GiveUpRun{ID: apptest.NewID()}, "not found"},
		{wren, payroll.CheckRun{ID: apptest.NewID(), Seen: "x"}, "your own pay"},
		{orla, payroll.CheckRun{ID: apptest.NewID(), Seen: "x"}, "changed while you were looking"},
		{orla, payroll.AddTask{ID: apptest.NewID(), Words: " "}, "nothing was written"},
		{orla, payroll.AddTask{ID: apptest.NewID(), Group: "Moonly", Words: "x"}, "not found"},
		{orla, payroll.DropTask{ID: apptest.NewID()}, "not found"},
		{orla, payroll.TickTask{ID: apptest.NewID(), Group: "Moonly"}, "not found"},
		{orla, payroll.TakeMoneyBack{ID: apptest.NewID(), Employment: dao, Amount: "1.00", How: "now"}, "nothing is taken back"},
		{orla, payroll.PutLayout{ID: apptest.NewID(), Layout: files.Layout{Name: "x"}}, "isn't known"},
		{orla, payroll.DropLayout{ID: apptest.NewID()}, "not found"},
		{orla, payroll.PutWay{Title: "a, b"}, "no name"},
		{orla, payroll.PutWay{Title: "a", Layout: "none"}, "no such layout"},
		{orla, payroll.DropWay{Title: "none"}, "no such way"},
		{w.Person(t, "Piet Donoghue"), bonus(dao), "forbidden"},
		{wren, payroll.PutAccount{Person: wren.ID, Account: files.Account{IBAN: "x"}, Keys: keys}, "your own account"},
		{orla, payroll.PutAccount{Person: wren.ID, Account: files.Account{IBAN: "x"}, Keys: keys}, "no iban"},
		{orla, payroll.PutAccount{Person: wren.ID, Account: files.Account{IBAN: "x"}}, "no key"},
		{orla, payroll.PutDebtor{ID: apptest.NewID(), Title: " ", Keys: keys}, "whose account"},
		{orla, payroll.PutDebtor{ID: apptest.NewID(), Title: "We", Keys: keys}, "no account number"},
		{orla, payroll.BringNet{Run: apptest.NewID(), Rows: []payroll.NetRow{{Who: "1", Net: "1"}}}, "not found"},
		{orla, payroll.BringNet{Run: run}, "nothing in it"},
		{wren, payroll.BringNet{Run: run, Rows: []payroll.NetRow{{Who: wren.Name(), Net: "1"}}}, "your own pay"},
		{orla, payroll.MakeTransfers{Run: apptest.NewID(), On: 1, Keys: keys}, "not found"},
		{orla, payroll.MakeTransfers{Run: run, On: 1, Keys: keys}, "can't pay on"},
		{orla, payroll.MakeTransfers{Run: run, On: when.NewDate(2026, 11, 16)}, "no key"},
		{orla, payroll.MakeTransfers{Run: run, On: when.NewDate(2026, 11, 16), Keys: keys}, "out of which account"},
	} {
		row.try(t, w)
	}
}

// Every "no" of turning a run.
func TestRefusedTurns(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, orla, sana := doing(t, w), w.Person(t, "Orla Ebbwater"), w.Person(t, "Sana Verity")
	wren := w.Person(t, "Wren Halloran")
	do(orla, people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "run_payroll"})
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	wren = w.Person(t, "Wren Halloran")
	earlier := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`)
	run, _ := apptest.CloseOpenRun(t, w)
	turn := func(run uuid.UUID, why string) payroll.TurnRun {
		return payroll.TurnRun{ID: apptest.NewID(), Run: run, Why: why}
	}
	twice := turn(run, "wrong")
	for _, row := range []refused{
		{unproved(orla), turn(run, "wrong"), "password is needed"},
		{orla, turn(apptest.NewID(), "wrong"), "not found"},
		{orla, turn(run, " "), "nobody says why"},
		{wren, turn(run, "wrong"), "your own pay"},
		{orla, turn(earlier, "wrong"), "goes by what it paid"},
		{sana, turn(run, "wrong"), "you closed this run yourself"},
		{orla, twice, ""},
		{orla, twice, ""}, // whose answer was lost
		{sana, twice, "conflict"},
		{orla, turn(run, "wrong"), "was turned by run"},
		{orla, turn(twice.ID, "wrong"), "turns another"},
	} {
		row.try(t, w)
	}
}

// What somebody is paid is told to nobody without the grant: by no page, file, find box, notice or row of the audit list.
func TestPayIsToldToNobodyElse(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := t.Context()
	orla := w.Person(t, "Orla Ebbwater")
	dao := w.Person(t, "Dao Pham")
	doing(t, w)(orla, payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{{Employment: *dao.Employment, Does: "earning",
		What: "Moonlight", PayCode: "B", Amount: "4711.17"}}})
	run := dbtest.Get[uuid.UUID](t, w, `select id from run order by number desc limit 1`)
	for _, name := range []string{"Viggo Bexley", "Wren Halloran", "Piet Donoghue"} {
		who := w.Person(t, name)
		for what, read := range map[string]func() error{
			"the run":         func() error { _, err := payroll.PayRun(ctx, w.App, who, uuid.Nil); return err },
			"a closed run":    func() error { _, err := payroll.PayRun(ctx, w.App, who, run); return err },
			"another's pay":   func() error { _, err := payroll.ReadPersonPay(ctx, w.App, who, "", run, *dao.Employment); return err },
			"adjustments":     func() error { _, err := payroll.ReadAdjustPage(ctx, w.App, who, ""); return err },
			"somebody":        func() error { _, err := payroll.Called(ctx, w.App, who, "", "Dao Pham"); return err },
			"files":           func() error { _, err := payroll.ReadRunFiles(ctx, w.App, who, run); return err },
			"a file":          func() error { _, _, err := payroll.FetchRunFile(ctx, w.App, who, run, "totals.csv"); return err },
			"all files":       func() error { _, err := payroll.FetchAllFiles(ctx, w.App, who, run, io.Discard); return err },
			"layouts":         func() error { _, err := payroll.ReadLayoutsPage(ctx, w.App, who); return err },
			"a layout tried":  func() error { _, _, err := payroll.TryLayout(ctx, w.App, who, run, files.Layout{}); return err },
			"prepared runs":   func() error { _, err := payroll.Prepared(ctx, w.App, who, ""); return err },
			"a prepared run":  func() error { _, err := payroll.PreparedPage(ctx, w.App, who, run); return err },
			"their own pay":   func() error { _, err := payroll.ReadOwnPay(ctx, w.App, who); return err },
			"a run of theirs": func() error { _, err := payroll.ReadOwnRun(ctx, w.App, who, run, *dao.Employment); return err },
		} {
			if err := read(); !errors.Is(err, app.ErrForbidden) {
				t.Errorf("%s reads %s: %v", name, what, err)
			}
		}
	}
	told := func(who app.Actor) string {
		page, err := company.Audit(ctx, w.App, who, company.AuditQuery{})
		apptest.Must(t, err)
		text := ""
		for _, l := range page.Lines {
			text += l.What + "\n"
		}
		return text
	}
	if text := told(w.Person(t, "Piet Donoghue")); strings.Contains(text, "4711") || strings.Contains(text, "Moonlight") {
		t.Error("a manager without the grant reads it in the audit list")
	}
	if text := told(orla); !strings.Contains(text, "4711.17") {
		t.Errorf("the owner doesn't: %.200s", text)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from notice where words::text like '%4711%'`); n != 0 {
		t.Errorf("%d notices tell it", n)
	}
}
