package app_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// The guard table: every "no" that stands in an act, and not in the permission
// table, is a row. Who tries what on whom, and why not. Take a guard out, and
// its row fails.
//
// Two of the words that say why are errors: "forbidden" and "not found".
func TestGuards(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	g := guarded(t, w)
	for _, row := range []struct {
		who    app.Actor
		act    app.Act
		why    string
		target string // what is tried on whom, for who reads this
	}{
		// One's own hours and pay
		{g.manager, hours.Approve{Card: g.managerCard}, "your own card", "a manager's own card"},
		{g.manager, hours.TakeBack{Card: g.managerCard}, "your own card", "their own approval"},
		{g.manager, hours.EndStint{ID: apptest.NewID(), Employment: g.managerCard.Employment, At: w.At().Add(-time.Minute), Why: "x"},
			"your own hours", "their own stint"},
		{g.manager, hours.TakeClaim{ID: apptest.NewID(), Claim: g.managerClaim}, "your own claim", "their own claim"},
		{g.manager, hours.DeclineClaim{Claim: g.managerClaim, Why: "x"}, "your own claim", "their own claim"},
		{g.managerPaid, payroll.CloseRun{ID: apptest.NewID(), Seen: "x"}, "still running", "a run whose period runs"},
		{g.worker, hours.TakeClaim{ID: apptest.NewID(), Claim: g.workerClaim}, "forbidden", "a claim, by a worker"},
		{g.clockingOwner, set(g.ownerClocks, "rate", "99"), "own pay", "an owner's own rate"},
		{g.clockingOwner, set(g.ownerClocks, "paid_by", "salary"), "of themselves", "how an owner is paid"},
		{g.clockingOwner, set(g.ownerClocks, "subcontractor", "yes"), "of themselves", "whether an owner is in runs"},
		{g.clockingOwner, set(g.ownerClocks, "period_group", ""), "of themselves", "whose pay periods are an owner's"},
		{g.clockingOwner, set(g.ownerClocks, "classes", ""), "of themselves", "an owner's classifications"},
		{g.clockingOwner, set(g.ownerClocks, "starts_on", "2020-01-01"), "of themselves", "an owner's day of hire"},
		{g.clockingOwner, jobs.SetWage{Job: g.publicJob, Class: g.ownerClass, Base: "99"}, "own pay",
			"a wage in a classification of one's own"},
		{g.clockingOwner,
			people.AddPosition{ID: apptest.NewID(), Person: g.ownerClocks, Unit: "Plate shop", Title: "x", StartsOn: "2026-11-13"},
			"for themselves", "a position of one's own"},
		{g.clockingOwner, payroll.PutPayCode{Owner: pay.ByPerson, ID: g.ownerClocks, Pays: pay.PaysRegular, Code: "X"}, "for themselves",
			"a pay code of one's own"},
		{g.noPay, jobs.SetWage{Job: g.publicJob, Class: g.otherClass, Base: "99"}, "forbidden", "a wage, by who may not see pay"},
		{g.noPay, set(g.workerID, "rate", "99"), "forbidden", "a rate, by who may not see it"},
		{g.noPay, people.AddPerson{ID: apptest.NewID(), Values: newPerson("rate", "99")}, "not yours to set", "the rate of somebody new"},
		{g.changer, hours.Approve{Card: g.changedCard}, "You changed the card", "a card that one changed by hand"},

		// Cards
		{g.worker, hours.Sign{Card: g.otherCard}, "not found", "a colleague's card"},
		{g.lead, hours.Sign{Card: g.otherCard}, "not found", "a card of another crew"},
		{g.approver, hours.Approve{Card: g.otherCard}, "not found", "a card beyond the right's crew"},
		{g.manager, hours.Approve{Card: g.openCard}, "not signed yet", "a card that nobody signed"},
		{g.manager, hours.Approve{Card: g.runningCard}, "still on the clock", "a card that runs"},
		{g.lead, hours.Sign{Card: g.futureCard}, "not come yet", "a card to come"},
		{g.manager, hours.ApproveClear{Days: g.days, Seen: "x", ID: apptest.NewID()}, "changed while you were looking",
			"cards that were not shown"},
		{g.manager, app.Undo{Batch: apptest.NewID()}, "not found", "what nobody did"},
		{g.worker, app.Undo{Batch: g.approvals}, "forbidden", "approvals, taken back by a worker"},
		{g.worker, app.Undo{Batch: g.othersBatch}, "forbidden", "a change of a person, taken back by a worker"},
		{g.worker, hours.EndStint{ID: apptest.NewID(), Employment: g.runningCard.Employment, At: w.At(), Why: "x"}, "forbidden",
			"a stint, without the right"},
		{g.approver, hours.EndStint{ID: apptest.NewID(), Employment: g.runningCard.Employment, At: w.At(), Why: "x"}, "not found",
			"a stint of another crew, by a lead"},
		{g.editor, hours.EndStint{ID: apptest.NewID(), Employment: g.runningCard.Employment, At: w.At(), Why: "x"}, "not found",
			"a stint beyond the right's crew"},
		{g.editor, hours.TakeClaim{ID: apptest.NewID(), Claim: g.workerClaim}, "not found", "a claim beyond the right's crew"},
		{g.manager, hours.TakeClaim{ID: apptest.NewID(), Claim: g.takenClaim}, "already", "a claim that is answered"},

		{g.elsewhere, hours.DropExpense{Expense: g.spent}, "not found", "what somebody else spent"},
		{g.editor, hours.DropExpense{Expense: g.spent, Why: "x"}, "not found", "what was spent beyond the right's crew"},

		{g.worker, hours.PunchOther{Employment: g.otherCard.Employment, Punch: hours.Punch{ID: apptest.NewID(), Act: clock.Out}},
			"forbidden", "another's clock, by a worker"},
		{g.lead, hours.PunchOther{Employment: *g.worker.Employment, Punch: hours.Punch{ID: apptest.NewID(), Act: clock.Out}},
			"not found", "the clock of another crew, by a lead"},
		{g.manager, hours.PunchOther{Employment: *g.manager.Employment, Punch: hours.Punch{ID: apptest.NewID(), Act: clock.Out}},
			"your own hours", "one's own clock, as another's"},
		{g.noPay, people.LearnBadge{Person: g.owner.ID, Text: "0004711"}, "level", "a card of somebody above"},
		{g.noPay, people.DropBadges{Person: g.owner.ID}, "level", "the cards of somebody above"},
		{g.noPay, people.GivePINs{To: []uuid.UUID{g.owner.ID}, Told: func(uuid.UUID, string) {}}, "level", "the PIN of somebody above"},

		// The clock
		{g.manager2, hours.Punch{ID: apptest.NewID(), Act: clock.In}, "no hourly position",
			"the clock, of who has no position"},
		{g.worker, hours.SeePlace{ID: apptest.NewID()}, "not taken now", "a place that is not taken"},

		// Whom one may change
		{g.lead, set(g.leadID, "leads", "Gantry crew B, Plate shop"), "forbidden", "the crews one leads"},
		{g.peopleLead, set(g.leadID, "leads", "Gantry crew B, Plate shop"), "of themselves", "the crews one leads, with the right"},
		{g.peopleLead, set(g.crewID, "leads", "Plate shop"), "not yours", "a crew beyond, to lead"},
		{g.peopleLead, set(g.crewID, "unit", "Plate shop"), "not yours", "moving somebody out of reach"},
		{g.peopleLead, set(g.otherID, "title", "x"), "not found", "somebody beyond the crew"},
		{g.peopleLead, people.AddPosition{ID: apptest.NewID(), Person: g.crewID, Unit: "Plate shop", Title: "x", StartsOn: "2026-11-13"},
			"not yours", "a position beyond the crew"},
		{g.peopleLead, people.AddPosition{ID: apptest.NewID(), Person: g.otherID, Unit: "Gantry crew B", Title: "x",
			StartsOn: "2026-11-13"}, "not found", "a position of somebody beyond"},
		{g.peopleLead, people.AddPerson{ID: apptest.NewID(), Values: newPerson("leads", "Plate shop")}, "not yours",
			"a new lead of a crew beyond"},
		{g.peopleLead, people.AddPerson{ID: apptest.NewID(), Values: newPerson("level", "manager")}, "higher level", "a new manager"},
		{g.lead, people.AddPerson{ID: apptest.NewID(), Values: newPerson("unit", "Plate shop")}, "one of your crews",
			"somebody new in another crew"},
		{g.peopleWorker, set(g.leadOfWorker, "title", "x"), "higher level", "one's own lead"},
		{g.peopleWorker, set(g.leadOfWorker, "level", "worker"), "higher level", "one's own lead's level"},
		{g.noPay, set(g.managerPaid.ID, "level", "worker"), "of your own", "an equal's level"},
		{g.noPay, set(g.managerPaid.ID, "email", "x@y.example"), "of your own", "an equal's e-mail"},
		{g.noPay, set(g.managerPaid.ID, "mobile", "+1 555 010 0100"), "of your own", "an equal's mobile"},
		{g.noPay, set(g.managerPaid.ID, "number", "77777"), "of your own", "an equal's number"},
		{g.manager2, set(g.owner.ID, "title", "x"), "higher level", "an owner"},
		{g.manager2, set(g.workerID, "level", "owner"), "higher level", "a level above one's own"},
		{g.manager2, set(g.manager2.ID, "level", "worker"), "own level", "one's own level"},
		{g.manager2, set(g.workerID, "signs_in", "no"), "not found", "what is not changed here"},
		{g.manager2, set(g.owner2, "title", "x"), "higher level", "another owner"},
		{g.manager2, people.SetPerson{ID: apptest.NewID(), Person: g.workerID, Field: "rate", Value: "9", From: when.NewDate(2026, 11, 1)},
			"paid already", "a rate over paid days"},
		{g.manager2, people.SetPerson{ID: apptest.NewID(), Person: g.workerID, Field: "subcontractor", Value: "yes",
			From: when.NewDate(2026, 11, 1)}, "was paid up to", "terms over paid days"},
		{g.manager2, set(g.workerID, "starts_on", "2026-11-13"), "has hours from", "a hire after the first hours"},
		{g.manager2, people.EndPerson{ID: apptest.NewID(), Person: g.manager2.ID, On: when.NewDate(2026, 11, 30)},
			"for themselves", "one's own last day"},
		{g.manager2, people.EndPerson{ID: apptest.NewID(), Person: g.owner.ID, On: when.NewDate(2026, 11, 30)},
			"higher level", "an owner's last day"},
		{g.manager2, people.EndPerson{ID: apptest.NewID(), Person: g.workerID, On: when.NewDate(2026, 11, 12)}, "on the clock",
			"a last day over a running stint"},
		{g.owner, people.ErasePerson{Person: g.owner.ID, Number: g.owner.Number}, "erases themselves", "one's own data"},
		{g.owner, people.ErasePerson{Person: g.workerID, Number: "2001"}, "still works here", "data of who works here"},
		{g.manager2, people.ErasePerson{Person: g.workerID, Number: "2001"}, "forbidden", "data, by a manager"},
		{g.peopleLead, people.ChangeMany{ID: apptest.NewID(), ManyChange: people.ManyChange{Field: "title", Value: "x"}, Seen: "1 x"},
			"changed since this was shown", "a change of many that was not shown"},
		{g.peopleLead, people.ChangeMany{ID: apptest.NewID(), ManyChange: people.ManyChange{Field: "rate", Value: "9"}, Seen: "1 x"},
			"can't be changed for many", "rates of many, by who may not see them"},
		{g.peopleLead, app.Undo{Batch: g.othersBatch}, "not found", "a change beyond the crew, taken back"},

		// Sign-ins
		{g.peopleWorker, people.SetPIN{Person: g.leadOfWorker, PIN: "8261"}, "higher level", "one's lead's PIN"},
		{g.manager2, people.SetPIN{Person: g.manager2.ID, PIN: "8261"}, "for themselves", "one's own PIN, by the office's way"},
		{g.peopleWorker, people.LinkFor(g.leadOfWorker, app.NewSignInToken()), "higher level", "one's lead's sign-in"},
		{g.manager2, people.LinkFor(g.manager2.ID, app.NewSignInToken()), "for themselves", "one's own sign-in"},
		{g.noPay, people.LinkFor(g.manager2.ID, app.NewSignInToken()), "of your own", "an equal's sign-in"},
		{g.noPay, people.TakeSignIn{Person: g.manager2.ID}, "of your own", "taking an equal's"},
		{g.noPay, people.LinkFor(g.clerkWorker, app.NewSignInToken()), "may run payroll, and you may not",
			"a sign-in with rights one lacks"},
		{g.peopleLead, people.LinkFor(g.leadsElsewhere, app.NewSignInToken()), "leads Plate shop",
			"a sign-in of who leads crews beyond"},
		{g.noPay, people.LinkFor(g.demoted, app.NewSignInToken()), "until a moment ago", "a sign-in of who was lowered"},
		{g.noPay, people.LinkFor(g.stripped, app.NewSignInToken()), "may run payroll, and you may not",
			"a sign-in of whose right was taken"},
		{g.manager2, people.LinkFor(g.ended, app.NewSignInToken()), "doesn't work here", "a sign-in of who left"},
		{g.manager2, people.LinkFor(g.workerID, "short"), "not found", "a token that is none"},
		{g.manager2, people.ResetCode{Person: g.workerID}, "forbidden", "another's codes, by a manager"},
		{unproved(g.owner), people.ResetCode{Person: g.workerID}, "password is needed", "another's codes, without the password"},
		{unproved(g.owner), people.BeginCode{Secret: people.NewCodeSecret()}, "password is needed",
			"codes of one's own, without the password"},

		// Rights
		{unproved(g.owner), people.GrantRight{ID: apptest.NewID(), Person: g.workerID, What: "approve"}, "password is needed",
			"a right, without the password"},
		{unproved(g.owner), people.TakeRight{Grant: g.payGrant}, "password is needed", "taking one, without the password"},
		{g.manager2, people.GrantRight{ID: apptest.NewID(), Person: g.workerID, What: "run_payroll"},
			"don't have yourself", "a pay right passed on"},
		{g.manager2, people.TakeRight{Grant: g.payGrant}, "don't have yourself", "a pay right taken"},
		{g.manager2, people.GrantRight{ID: apptest.NewID(), Person: g.manager2.ID, What: "approve"},
			"their own rights", "a right for oneself"},
		{g.manager2, people.GrantRight{ID: apptest.NewID(), Person: g.owner.ID, What: "approve"}, "higher level", "a right for an owner"},
		{g.manager2, people.GrantRight{ID: apptest.NewID(), Person: g.workerID, What: "nothing"}, "not found", "a right there isn't"},
		{g.owner, people.GrantRight{ID: apptest.NewID(), Person: g.workerID, What: "run_payroll", Unit: g.plateShop},
			"for everyone", "payroll for some"},
		{g.manager2, people.AddAuditor{ID: apptest.NewID(), Given: "A", Family: "B", Last: when.NewDate(2026, 11, 20)}, "forbidden",
			"an auditor, by a manager"},
		{unproved(g.owner), people.AddAuditor{ID: apptest.NewID(), Given: "A", Family: "B", Last: when.NewDate(2026, 11, 20)},
			"password is needed", "an auditor, without the password"},
		{g.owner, people.AddAuditor{ID: apptest.NewID(), Given: "A", Last: when.NewDate(2026, 11, 20)}, "name is missing",
			"an auditor without a name"},
		{g.owner, people.AddAuditor{ID: apptest.NewID(), Given: "A", Family: "B", Last: when.NewDate(2026, 11, 12)},
			"ends on a day", "an audit that is over"},
		{g.owner, payroll.PutPeriodGroup{Title: "Monthly", Kind: "moon"}, "not found", "a kind of pay period that is none"},
		{g.owner, people.AddAuditor{ID: apptest.NewID(), Given: "A", Family: "B", Last: when.NewDate(2028, 11, 12)}, "ends on a day",
			"an audit without an end"},
		{g.auditor, set(g.workerID, "title", "x"), "forbidden", "anything, by an auditor"},

		// Runs, and what they are worked out from
		{unproved(g.owner), payroll.CloseRun{ID: apptest.NewID(), Seen: "x"}, "password is needed", "a run, without the password"},
		{g.manager2, company.PutFlagsOff{Site: apptest.NewID()}, "not found", "flags of a site that there is not"},
		{g.manager2, company.PutFlagsOff{Site: g.site, Off: []string{"no_class"}}, "not found", "a flag that is always raised, off"},
		{g.manager2, company.PutHoliday{Date: when.NewDate(2026, 11, 2), Title: "x"}, "paid already", "a holiday over paid days"},
		{g.manager2, company.DropHoliday{Date: when.NewDate(2026, 9, 7)}, "paid already", "a holiday taken out of paid days"},
		{g.manager2, company.PutRules{ID: apptest.NewID(), Title: "x", From: when.NewDate(2026, 11, 1), Rules: []byte(`{}`)},
			"paid already", "rules over paid days"},
		{g.manager2, company.PutRules{ID: apptest.NewID(), Title: "x", From: when.NewDate(2026, 11, 18), Rules: []byte(`{}`)},
			"within a workweek", "rules within a workweek"},
		{g.manager2, company.DropRules{From: when.NewDate(2026, 1, 4)}, "paid by these rules", "rules that were paid by"},
		{g.manager2, company.SetCompany{Field: "period_anchor", Value: "2026-11-11"}, "cut into what was paid",
			"pay periods over paid days"},
		{g.manager2, company.SetCompany{Field: "zone", Value: "Europe/Paris"}, "stays as it is", "the zone, after the first hours"},
		{g.manager2, payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysRegular, Code: "X", From: "2026-11-01"},
			"are paid", "codes over paid days"},
		{g.owner, jobs.SetWage{Job: g.publicJob, Class: g.otherClass, Base: "99", From: when.NewDate(2026, 11, 1)},
			"paid already", "a wage over paid days"},
		{g.manager2, jobs.WorkAs{Job: g.busyJob, Into: g.quietTask, Task: g.busyTask, Recode: true},
			"on the clock on", "joining a task in use"},
		{g.manager2, jobs.CloseTask{Job: g.busyJob, Task: g.busyTask}, "on the clock on it", "closing a task in use"},
		{g.manager2, jobs.SetJob{Job: g.busyJob, Field: "state", Value: "closed"}, "on the clock on it", "closing a job in use"},

		// Files
		{g.noPay, bringin.BringIn{Kind: bringin.PeopleFile, Import: g.othersFile}, "not found", "another's file"},
		{g.noPay, bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: g.othersFile}, "not found", "another's file, later"},
		{g.manager2, bringin.BringIn{Kind: bringin.JobsFile, Import: g.othersFile}, "not found", "a file as another kind"},
		{g.manager2, bringin.BringIn{Kind: bringin.PeopleFile, Import: g.othersFile, Wrong: 5}, "changed since this was shown",
			"a file that was not shown so"},
	} {
		got := answer(w.Do(ctx, row.who, row.act))
		if !strings.Contains(strings.ToLower(got), strings.ToLower(row.why)) {
			t.Errorf("%s (%T by %s): %q, want %q", row.target, row.act, row.who.Name(), got, row.why)
		}
	}
	// Who isn't let in to work is told why, and that they tried is kept for somebody else.
	for _, row := range []struct {
		who app.Actor
		why string
	}{{g.elsewhere, "own phone or browser"}, {g.placed, "need a location"}} {
		id, why := apptest.NewID(), ""
		if err := w.Do(ctx, row.who, hours.Punch{ID: id, Act: clock.In, On: g.on, Claimed: func(s string) { why = s }}); err != nil {
			t.Error(err)
		}
		if !strings.Contains(why, row.why) {
			t.Errorf("clocking in by %s: %q, want %q", row.who.Name(), why, row.why)
		}
		if claims := dbtest.Get[int](t, w,
			`select count(*) from claim c where id = $1 and not exists (select 1 from punch where id = c.id)`,
			id); claims != 1 {
			t.Errorf("%s is not let in: %d claims", row.who.Name(), claims)
		}
	}
	// What a row of a file may not do is said of the row.
	for _, row := range []struct {
		who  app.Actor
		rows [][]string
		why  string
	}{
		{g.peopleLead, [][]string{{"Number", "Given name", "Family name", "Crew or department", "Hired"},
			{"9001", "A", "B", "Plate shop", "2026-11-13"}}, "not yours"},
		{g.manager2, [][]string{{"Number", "Given name", "Family name", "Crew or department", "Hired", "Level"},
			{"9001", "A", "B", "Plate shop", "2026-11-13", "owner"}}, "higher level"},
		{g.peopleLead, [][]string{{"Number", "Given name", "Family name", "Crew or department", "Hired", "Leads"},
			{"9001", "A", "B", "Gantry crew B", "2026-11-13", "Plate shop"}}, "not yours"},
		{g.peopleLead, [][]string{{"Number", "Title"}, {numberOf(t, w, g.otherID), "x"}}, "can't change"},
		{g.noPay, [][]string{{"Number", "E-mail"}, {numberOf(t, w, g.manager2.ID), "x@y.example"}}, "of your own"},
	} {
		p := apptest.TakeFile(t, w, row.who, bringin.PeopleFile, row.rows)
		if len(p.Rows) != 1 || p.Rows[0].State != bringin.RowWrong || !strings.Contains(p.Rows[0].What, row.why) {
			t.Errorf("a file of %v by %s: %+v, want %q", row.rows[1], row.who.Name(), p.Rows, row.why)
		}
	}
}

// answer is the "no" of an act or a read, in the words of the tables.
func answer(err error) string {
	var refused *refusal.Refusal
	switch {
	case errors.Is(err, app.ErrForbidden):
		return "forbidden"
	case errors.Is(err, app.ErrNotFound):
		return "not found"
	case errors.Is(err, app.ErrConflict):
		return "conflict"
	case errors.As(err, &refused):
		return refused.Wrong
	case err != nil:
		return "error: " + err.Error()
	}
	return ""
}

// What is read says who may on its own, beside the route that leads to it.
func TestReadsAskWhoMay(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx, dao := context.Background(), w.Person(t, "Dao Pham")
	for name, read := range map[string]func() error{
		"a customer":     func() error { _, err := jobs.ReadCustomerPage(ctx, w.App, dao, uuid.New()); return err },
		"a job":          func() error { _, err := jobs.ReadJobPage(ctx, w.App, dao, uuid.New()); return err },
		"the audit list": func() error { _, err := company.Audit(ctx, w.App, dao, company.AuditQuery{}); return err },
		"how far a file is": func() error {
			_, err := bringin.ImportProgress(ctx, w.App, dao, bringin.PeopleFile, uuid.New())
			return err
		},
		"files brought in": func() error { _, err := bringin.Lately(ctx, w.App, dao, bringin.PeopleFile); return err },
		"own days, by who doesn't clock": func() error {
			_, err := hours.ReadOwnDays(ctx, w.App, w.Person(t, "Mira Castellane"), 0)
			return err
		},
		"the desk":      func() error { _, err := hours.ReadDesk(ctx, w.App, dao, hours.DeskQuery{}); return err },
		"the people":    func() error { _, err := people.ReadPeople(ctx, w.App, dao, people.PeopleQuery{}); return err },
		"a pay run":     func() error { _, err := payroll.PayRunOf(ctx, w.App, dao, "", uuid.Nil); return err },
		"a run's lines": func() error { _, _, _, err := payroll.RunLines(ctx, w.App, dao, uuid.New()); return err },
		"the codes":     func() error { _, err := payroll.ReadCodesPage(ctx, w.App, dao); return err },
		"the board":     func() error { _, err := hours.ReadBoard(ctx, w.App, dao, hours.BoardQuery{}); return err },
		"decisions":     func() error { _, err := hours.ReadDecisions(ctx, w.App, dao); return err },
		"ticked cards": func() error {
			_, err := hours.ReadRows(ctx, w.App, dao, "time.edit", nil)
			return err
		},
		"the map":    func() error { _, err := hours.ReadMap(ctx, w.App, dao, uuid.Nil); return err },
		"day sheets": func() error { _, err := hours.ReadSheets(ctx, w.App, dao, 0); return err },
		"claims":     func() error { _, err := hours.Claims(ctx, w.App, dao); return err },
		"a crew's sheet": func() error {
			_, err := hours.ReadCrewSheet(ctx, w.App, dao, uuid.Nil, 0, "")
			return err
		},
		"whom somebody may be": func() error { _, err := people.MayBe(ctx, w.App, dao, uuid.Nil, ""); return err },
		"who stands beside": func() error {
			_, _, err := people.Beside(ctx, w.App, dao, store.SheetFilter{}, dao.ID)
			return err
		},
		"the job beside": func() error {
			_, _, err := jobs.Beside(ctx, w.App, dao, store.JobFilter{}, dao.ID)
			return err
		},
		"how long things are kept": func() error { _, err := company.ReadKeeping(ctx, w.App, dao); return err },
		"everything about another": func() error {
			_, err := people.Everything(ctx, w.App, dao, w.Person(t, "Wren Halloran").ID)
			return err
		},
		"the jobs": func() error { _, err := jobs.ReadJobs(ctx, w.App, dao, store.JobFilter{}, 0); return err },
		"a file": func() error {
			_, err := bringin.ReadImportPage(ctx, w.App, dao, bringin.JobsFile, uuid.New())
			return err
		},
		"the settings":         func() error { _, err := company.SetUp(ctx, w.App, dao); return err },
		"the rules":            func() error { _, err := company.ReadRulesPage(ctx, w.App, dao); return err },
		"work that runs later": func() error { _, err := app.Work(ctx, w.App, dao); return err },
		"the first steps":      func() error { _, err := company.ReadFirstStepPage(ctx, w.App, dao, ""); return err },
		"a trial of rules": func() error {
			_, err := company.TryRules(ctx, w.App, dao, "x", 0, []byte(`{}`))
			return err
		},
		"the columns of jobs": func() error { _, err := jobs.JobColumns(ctx, w.App, dao); return err },
		"the rows of jobs":    func() error { _, err := jobs.JobRows(ctx, w.App, dao, store.JobFilter{}); return err },
		"a task's settings": func() error {
			_, err := jobs.TaskValues(ctx, w.App, dao, uuid.New(), uuid.New())
			return err
		},
		"a change of many": func() error {
			_, err := people.PreviewMany(ctx, w.App, dao, people.ManyChange{Field: "title"})
			return err
		},
		"a setting of the place":   func() error { _, err := company.Setting(ctx, w.App, dao, "name"); return err },
		"a setting of a job":       func() error { _, err := jobs.ReadSetting(ctx, w.App, dao, uuid.New(), "name"); return err },
		"who can clock to a job":   func() error { _, err := jobs.CanClock(ctx, w.App, dao, uuid.New()); return err },
		"rows of Today":            func() error { _, err := (&hours.Watch{}).Board(dao); return err },
		"rows of cards":            func() error { _, err := (&hours.Watch{}).Desk(dao, ""); return err },
		"live events, by nobody":   func() error { _, err := w.Follow(app.Actor{}); return err },
		"a clock, by nobody":       func() error { _, err := hours.ReadClockPage(ctx, w.App, app.Actor{}); return err },
		"jobs to clock, by nobody": func() error { _, _, err := hours.SearchChoices(ctx, w.App, app.Actor{}, "a"); return err },
		"what is found, by nobody": func() error { _, _, err := hours.Find(ctx, w.App, app.Actor{}, "a"); return err },
		"own sign-in, by nobody":   func() error { _, err := people.ReadOwnSignIn(ctx, w.App, app.Actor{}); return err },
		"who may what":             func() error { _, err := people.Rights(ctx, w.App, dao, 0); return err },
	} {
		if err := read(); !errors.Is(err, app.ErrForbidden) {
			t.Errorf("%s, read by a worker: %v", name, err)
		}
	}
	mira := w.Person(t, "Mira Castellane")
	for name, read := range map[string]func() error{
		"somebody's setting": func() error {
			_, err := people.ReadSetting(ctx, w.App, dao, people.SetPerson{Person: mira.ID, Field: "title"})
			return err
		},
		"a setting of the place that there is not": func() error { _, err := company.Setting(ctx, w.App, mira, "none"); return err },
	} {
		if err := read(); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// A job's row that says something of a task names the task.
func TestAFilesTaskIsNamed(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	p := apptest.TakeFile(t, w, w.Person(t, "Mira Castellane"), bringin.JobsFile,
		[][]string{{"Number", "Name", "Estimate"}, {"9901", "Gate", "40"}})
	if len(p.Rows) != 1 || p.Rows[0].State != bringin.RowWrong || !strings.Contains(p.Rows[0].What, "no task") {
		t.Errorf("%+v", p.Rows)
	}
}

// guards are the people and things of the table.
type guards struct {
	owner, clockingOwner, manager, manager2, managerPaid, noPay, lead, worker, auditor app.Actor
	approver, editor, changer, peopleLead, peopleWorker                                app.Actor // with a right for a crew
	elsewhere, placed                                                                  app.Actor

	ownerClocks, owner2, workerID, leadID, crewID, otherID, leadOfWorker              uuid.UUID
	clerkWorker, leadsElsewhere, demoted, stripped, ended                             uuid.UUID
	managerCard, otherCard, openCard, runningCard, futureCard, changedCard            hours.CardRef
	managerClaim, workerClaim, takenClaim, spent                                      uuid.UUID
	publicJob, ownerClass, otherClass, busyJob, busyTask, quietTask, plateShop, batch uuid.UUID
	payGrant, othersBatch, approvals, othersFile                                      uuid.UUID
	on                                                                                clock.Assignment
	site                                                                              uuid.UUID
	days                                                                              when.Period
}

func set(person uuid.UUID, field, value string) app.Act {
	return people.SetPerson{ID: apptest.NewID(), Person: person, Field: field, Value: value}
}

func newPerson(field, value string) map[string]string {
	values := map[string]string{"given_name": "N", "family_name": "E", "unit": "Gantry crew B", "starts_on": "2026-11-13"}
	values[field] = value
	return values
}

func unproved(a app.Actor) app.Actor {
	a.Proved = false
	return a
}

func numberOf(t *testing.T, w *dbtest.World, person uuid.UUID) string {
	return dbtest.Get[string](t, w, `select number from person where id = $1`, person)
}

// guarded sets the table's world up.
func guarded(t *testing.T, w *dbtest.World) (g guards) {
	t.Helper()
	do := func(who app.Actor, act app.Act) {
		t.Helper()
		apptest.Must(t, w.Do(context.Background(), who, act))
	}
	id := func(query string, args ...any) uuid.UUID { return dbtest.Get[uuid.UUID](t, w, query, args...) }
	person := func(name string) app.Actor { return w.Person(t, name) }
	grant := func(name, what string, unit uuid.UUID) app.Actor {
		do(g.owner, people.GrantRight{ID: apptest.NewID(), Person: person(name).ID, What: what, Unit: unit})
		return person(name)
	}
	g.owner, g.manager2, g.managerPaid, g.noPay = person("Orla Ebbwater"), person("Mira Castellane"),
		person("Sana Verity"), person("Piet Donoghue")
	g.plateShop = id(`select id from unit where name = 'Plate shop'`)
	g.site = id(`select id from site order by name limit 1`)
	gantryB := id(`select id from unit where name = 'Gantry crew B'`)
	thursday := when.NewDate(2026, 11, 12)
	g.days = when.Period{From: thursday, To: thursday}
	g.on = apptest.Work(t, w, "2226", "Priming")

	// People whose standing makes the difference. Viggo becomes a manager who
	// clocks, Ines an owner who does.
	g.otherID, g.otherCard = person("Kofi Larkin").ID, apptest.Ref(t, w, "Kofi Larkin", thursday)
	g.worker, g.workerID = person("Dao Pham"), person("Dao Pham").ID
	g.leadOfWorker = id(`select person_id from unit_lead where unit_id = $1 limit 1`, *g.worker.Unit)
	g.runningCard = hours.CardRef{Employment: *g.worker.Employment, Date: when.NewDate(2026, 11, 13)}
	g.lead, g.leadID = person("Wren Halloran"), person("Wren Halloran").ID
	g.crewID = person("Tomasz Brandt").ID
	claim := func(who app.Actor) uuid.UUID {
		c := hours.Punch{ID: apptest.NewID(), Act: clock.Out, Moment: apptest.Pressed(w.At().Add(-80 * time.Hour))}
		do(who, c)
		return c.ID
	}
	g.workerClaim, g.takenClaim = claim(g.worker), claim(g.worker)
	g.spent = apptest.NewID()
	do(g.worker, hours.AddExpense{ID: g.spent, Kind: "Fuel", Amount: "5", Work: clock.Assignment{Job: g.on.Job}})
	do(g.noPay, hours.DeclineClaim{Claim: g.takenClaim, Why: "x"})
	do(g.owner, set(person("Viggo Bexley").ID, "level", "manager"))
	g.manager, g.managerCard = person("Viggo Bexley"), apptest.Ref(t, w, "Viggo Bexley", thursday)
	g.managerClaim = claim(g.manager)
	// A lead of Dao's crew is one who can be reached by who manages its people.
	g.ownerClass = id(`select class_id from stint where class_id is not null group by class_id order by count(*) desc limit 1`)
	g.ownerClocks = id(`select person_id from stint where class_id = $1 and person_id not in ($2, $3, $4, $5, $6, $7) limit 1`,
		g.ownerClass, g.workerID, g.manager.ID, g.crewID, g.leadID, g.otherID, g.leadOfWorker)
	g.otherClass = id(`select w.class_id from job_wage w where w.class_id <> $1
		and not exists (select 1 from stint where class_id = w.class_id and person_id = $2) limit 1`, g.ownerClass, g.ownerClocks)
	g.publicJob = id(`select job_id from job_wage where class_id = $1 limit 1`, g.otherClass)
	_, err := w.DB.Exec(`update person set level = 'owner' where id = $1`, g.ownerClocks)
	apptest.Must(t, err)
	g.owner2 = g.ownerClocks
	g.clockingOwner, err = w.Actor(context.Background(), g.ownerClocks)
	apptest.Must(t, err)
	g.clockingOwner.Proved = true

	g.approver = grant("Wren Halloran", "approve", gantryB)
	g.peopleLead = grant("Wren Halloran", "manage_people", gantryB)
	g.editor = grant("Wren Halloran", "amend_time", gantryB)
	g.approver, g.peopleLead = g.editor, g.editor
	g.approver.Grants = g.approver.Grants[:0:0]
	for _, r := range g.editor.Grants {
		if r.What != "amend_time" {
			g.approver.Grants = append(g.approver.Grants, r)
		}
	}
	g.lead.Grants = nil
	g.peopleWorker = grant("Dao Pham", "manage_people", *g.worker.Unit)

	g.openCard = ref(t, w, `select c.employment_id, c.date from card c join employment e on e.id = c.employment_id
		where c.state = 'open' and c.worked > 0 and c.open_since is null and c.date < '2026-11-13' limit 1`)
	g.futureCard = ref(t, w, `select c.employment_id, c.date from card c join employment e on e.id = c.employment_id
		where e.unit_id = '`+gantryB.String()+`' and c.date > '2026-11-13' limit 1`)
	// Somebody changes a card by hand, and it is signed.
	changed := id(`select employment_id from stint where end_at is null and kind = 'work' and employment_id <> $1 and start_at < $2
		and person_id not in ($3, $4) limit 1`, *g.worker.Employment, w.At().Add(-2*time.Hour), g.ownerClocks, g.leadID)
	g.changer = g.noPay
	do(g.noPay, hours.EndStint{ID: apptest.NewID(), Employment: changed, At: w.At().Add(-time.Hour), Why: "x"})
	g.changedCard = hours.CardRef{Employment: changed, Date: when.NewDate(2026, 11, 13)}
	whose, err := w.Actor(context.Background(), id(`select person_id from employment where id = $1`, changed))
	apptest.Must(t, err)
	do(whose, hours.Sign{Card: g.changedCard})

	g.clerkWorker = person("Kofi Larkin").ID
	do(g.owner, people.GrantRight{ID: apptest.NewID(), Person: g.clerkWorker, What: "run_payroll"})
	g.payGrant = id(`select id from grant_given where person_id = $1 and what = 'run_payroll' and taken_at is null`, g.clerkWorker)
	add := func(values map[string]string) uuid.UUID {
		p := people.AddPerson{ID: apptest.NewID(), Values: values}
		do(g.owner, p)
		return p.ID
	}
	g.leadsElsewhere = add(newPerson("leads", "Plate shop"))
	g.demoted, g.stripped, g.ended = add(newPerson("level", "manager")), add(newPerson("unit", "Plate shop")),
		add(newPerson("unit", "Plate shop"))
	do(g.owner, set(g.demoted, "level", "worker"))
	taken := people.GrantRight{ID: apptest.NewID(), Person: g.stripped, What: "run_payroll"}
	do(g.owner, taken)
	do(g.owner, people.TakeRight{Grant: taken.ID})
	do(g.owner, people.EndPerson{ID: apptest.NewID(), Person: g.ended, On: when.NewDate(2026, 11, 13)})
	_, err = w.DB.Exec(`update employment set ends_on = '2026-11-12' where person_id = $1`, g.ended)
	apptest.Must(t, err)
	auditor := people.AddAuditor{ID: apptest.NewID(), Given: "Ada", Family: "Quillon", Last: when.NewDate(2026, 11, 20)}
	do(g.owner, auditor)
	g.auditor, err = w.Actor(context.Background(), auditor.ID)
	apptest.Must(t, err)

	for _, p := range []struct {
		into         *app.Actor
		field, value string
	}{{&g.elsewhere, "clock_points", ""}, {&g.placed, "location_required", "yes"}} {
		off := add(map[string]string{"given_name": "O", "family_name": "F" + p.field, "unit": "Plate shop", "starts_on": "2026-11-01"})
		do(g.owner, set(off, p.field, p.value))
		*p.into, err = w.Actor(context.Background(), off)
		apptest.Must(t, err)
		p.into.Point = clock.OwnPhone
	}
	_, err = w.DB.Exec(`update employment set location = 'punch' where id = $1`, *g.placed.Employment)
	apptest.Must(t, err)

	g.busyJob = id(`select job_id from stint where end_at is null and task_id is not null group by job_id
		having (select count(*) from task t where t.job_id = stint.job_id and t.state = 'open') > 1 limit 1`)
	g.busyTask = id(`select task_id from stint where end_at is null and job_id = $1 and task_id is not null limit 1`, g.busyJob)
	g.quietTask = id(`select id from task where job_id = $1 and id <> $2 and state = 'open' limit 1`, g.busyJob, g.busyTask)
	g.approvals = id(`select batch_id from card_act where move = 'approve' limit 1`)
	g.othersBatch = apptest.NewID()
	do(g.manager2, people.SetPerson{ID: g.othersBatch, Person: g.otherID, Field: "title", Value: "Lane keeper"})
	g.othersFile = apptest.NewID()
	do(g.manager2, bringin.TakeFile{Kind: bringin.PeopleFile, ID: g.othersFile, FileName: "x.csv",
		Rows: [][]string{{"Number", "Title"}, {g.worker.Number, "Keeper"}}})
	return g
}

func ref(t *testing.T, w *dbtest.World, query string) hours.CardRef {
	t.Helper()
	var found store.EmploymentDate
	apptest.Must(t, w.DB.Get(&found, query))
	return hours.CardRef{Employment: found.Employment, Date: found.Date}
}
