package payroll_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/dbtest"
)

// A run's lines carry the codes of whoever names one first, by the date and
// the class of the hours; what was paid keeps its own.
func TestRunsUsePayCodes(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla, sana := w.Person(t, "Orla Ebbwater"), w.Person(t, "Sana Verity")
	longest := dbtest.Get[uuid.UUID](t, w, `select employment_id from card where date between '2026-11-08' and '2026-11-14' group by 1
		order by sum(worked) desc limit 1`)
	person := dbtest.Get[uuid.UUID](t, w, `select person_id from employment where id = $1`, longest)
	job := dbtest.Get[uuid.UUID](t, w, `select id from job where number = '2231'`)
	kind := dbtest.Get[uuid.UUID](t, w, `select kind_id from job where id = $1`, job)
	before := dbtest.Get[string](t, w, `select string_agg(distinct pay_code, ' ' order by pay_code) from pay_line where kind <> 'leave'`)
	for _, act := range []payroll.PutPayCode{
		{Owner: pay.ByJob, ID: job, Pays: pay.PaysRegular, Code: "R2231", From: "2026-11-10"},
		{Owner: pay.ByJobKind, ID: kind, Pays: pay.PaysRegular, Code: "RKIND", From: "2026-11-09"},
		{Owner: pay.ByPerson, ID: person, Pays: pay.PaysOvertime, Code: "OTB"},
	} {
		apptest.Must(t, w.Do(ctx, orla, act))
	}
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	run, _ := apptest.CloseOpenRun(t, w)
	for _, c := range []struct{ name, where, want string }{
		{"the job's, from its day on",
			`l.job_id = '` + job.String() + `' and l.kind = 'straight' and l.class = 'regular' and l.date >= '2026-11-10'`, "R2231"},
		{"the kind's before", `l.job_id = '` + job.String() + `' and l.kind = 'straight' and l.class = 'regular' and l.date = '2026-11-09'`,
			"RKIND"},
		{"the company's elsewhere", `j.number = '2240' and l.kind = 'straight' and l.class = 'regular'`, "REG"},
		{"overtime, straight and premium, of somebody who names one",
			`l.employment_id = '` + longest.String() + `' and (l.class = 'overtime' or l.kind = 'overtime_premium')`, "OTB"},
		{"overtime of the others",
			`l.employment_id <> '` + longest.String() + `' and (l.class = 'overtime' or l.kind = 'overtime_premium')`, "OT"},
	} {
		got := dbtest.Get[string](t, w, `select coalesce(string_agg(distinct l.pay_code, ' '), '') from pay_line l
			left join job j on j.id = l.job_id where l.run_id = $1 and l.date between '2026-11-08' and '2026-11-21' and `+c.where, run)
		if got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
	if after := dbtest.Get[string](t, w, `select string_agg(distinct pay_code, ' ' order by pay_code) from pay_line where kind <> 'leave'
		and run_id <> $1`, run); after != before {
		t.Errorf("what was paid had codes %s, now %s", before, after)
	}
	if err := w.Do(ctx, orla,
		payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysRegular, Code: "NEW", From: "2026-11-20"}); err == nil ||
		!strings.Contains(err.Error(), "are paid") {
		t.Errorf("a code before what is paid: %v", err)
	}
	// The next run owes nothing of those weeks again.
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	apptest.Must(t, err)
	for _, r := range page.Rows {
		if r.Earlier {
			t.Errorf("%s is owed something of earlier weeks", r.Name())
		}
	}
}

// A job of another kind gets that kind's codes for what isn't paid yet; a run
// that looks at a paid week again owes nothing for it.
func TestAnotherKindOfJob(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla := w.Person(t, "Orla Ebbwater")
	job := apptest.JobOf(t, w, "2231")
	setting := dbtest.Get[uuid.UUID](t, w, `select kind_id from job where id = $1`, job)
	lane := dbtest.Get[uuid.UUID](t, w, `select id from job_kind where name = 'Lane work'`)
	apptest.Must(t, w.Do(ctx, orla, payroll.PutPayCode{Owner: pay.ByJobKind, ID: setting, Pays: pay.PaysRegular, Code: "SETUP"}))
	apptest.Must(t, w.Do(ctx, orla, payroll.PutPayCode{Owner: pay.ByJobKind, ID: lane, Pays: pay.PaysRegular, Code: "LANE"}))
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	// One card of a paid week is left out, so that the next run looks at it again.
	late := dbtest.Get[uuid.UUID](t, w, `select c.employment_id from card c join stint s on s.date = c.date
		and s.employment_id = c.employment_id where s.job_id = $1 and c.date = '2026-11-11' and c.worked > 0 limit 1`, job)
	card := hours.CardRef{Employment: late, Date: when.NewDate(2026, 11, 11)}
	mira := w.Person(t, "Mira Castellane")
	if dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = '2026-11-11'`, late) == "approved" {
		apptest.Must(t, w.Do(ctx, mira, hours.TakeBack{Card: card}))
	}
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21), card)
	apptest.CloseOpenRun(t, w)
	apptest.Must(t, w.Do(ctx, orla, jobs.SetJob{Job: job, Field: "kind", Value: "Lane work"}))
	apptest.Must(t, w.Do(ctx, orla, jobs.SetJob{Job: job, Field: "kind", Value: "Signs"}))
	apptest.Must(t, w.Do(ctx, orla, jobs.SetJob{Job: job, Field: "kind", Value: "Lane work"}))
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: card}))
	w.Set(time.Date(2026, 12, 7, 15, 0, 0, 0, time.UTC))
	run, _ := apptest.CloseOpenRun(t, w)
	if got := dbtest.Get[string](t, w, `select string_agg(distinct pay_code || ' ' || sign(seconds), ', ') from pay_line where run_id = $1
		and job_id = $2 and kind = 'straight' and class = 'regular' and date < '2026-11-22'`, run, job); got != "SETUP 1" {
		t.Errorf("the late card is paid as %s", got)
	}
	if u, err := jobs.ReadJobPage(ctx, w.App, orla, job); err != nil || u.Codes[0].Code != "LANE" {
		t.Errorf("from now on: %+v, %v", u.Codes, err)
	}
}

// A job's page says which code will be used and why, and where others apply.
func TestJobSaysWhichCodes(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla := w.Person(t, "Orla Ebbwater")
	job := dbtest.Get[uuid.UUID](t, w, `select id from job where number = '2253'`)
	electrician := dbtest.Get[uuid.UUID](t, w, `select id from classification where code = 'ELE'`)
	apptest.Must(t, w.Do(ctx, orla, payroll.PutPayCode{Owner: pay.ByClassification, ID: electrician, Pays: pay.PaysRegular, Code: "EL"}))
	uses := func() map[string]payroll.CodeUse {
		p, err := jobs.ReadJobPage(ctx, w.App, orla, job)
		apptest.Must(t, err)
		by := map[string]payroll.CodeUse{}
		for _, u := range p.Codes {
			by[u.Pays] = u
		}
		return by
	}
	u := uses()
	if r := u["regular hours"]; r.Code != "TRN" || r.Asked[len(r.Asked)-1].Owner != pay.ByJob || len(r.But) != 1 || r.But[0].Code != "EL" ||
		r.But[0].Label != "Electrician" {
		t.Errorf("regular hours: %+v", r)
	}
	if o := u["overtime"]; o.Code != "OT" || o.Asked[len(o.Asked)-1].Owner != pay.ByCompany || len(o.But) != 0 {
		t.Errorf("overtime: %+v", o)
	}
	// A code that a person names is told to whom all people are open.
	apptest.Must(t, w.Do(ctx, orla,
		payroll.PutPayCode{Owner: pay.ByPerson, ID: w.Person(t, "Dao Pham").ID, Pays: pay.PaysOvertime, Code: "OTD"}))
	if o := uses()["overtime"]; len(o.But) != 1 || o.But[0].Label != "Dao Pham" {
		t.Errorf("overtime with somebody's own code: %+v", o)
	}
	if p, err := jobs.ReadJobPage(ctx, w.App, w.Person(t, "Wren Halloran"), job); err != nil || len(p.Codes[1].But) != 0 {
		t.Errorf("a lead of another crew sees %+v, %v", p.Codes, err)
	}
	apptest.Must(t, w.Do(ctx, orla,
		payroll.PutCodeOrder{Order: []pay.Owner{pay.ByCompany, pay.ByJob, pay.ByJobKind, pay.ByPerson, pay.ByClassification}}))
	if r := uses()["regular hours"]; r.Code != "REG" || len(r.But) != 0 {
		t.Errorf("with the company asked first: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, orla, payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysOvertime, Code: ""}))
	if o := uses()["overtime"]; o.Code != "REG" || o.As == "" {
		t.Errorf("overtime that nobody names goes by regular hours: %+v", o)
	}
}

// Codes that can't be are refused, and so is naming one for whom the act
// doesn't reach.
func TestCodesAreRefused(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla, piet, wren := w.Person(t, "Orla Ebbwater"), w.Person(t, "Piet Donoghue"), w.Person(t, "Wren Halloran")
	for _, c := range []struct {
		name string
		who  app.Actor
		act  app.Act
		want string
	}{
		{"spaces", orla, payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysRegular, Code: "R E G"}, "without spaces"},
		{"a date that isn't", orla, payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysRegular, Code: "R", From: "soon"}, "YYYY-MM-DD"},
		{"paid for something unknown", orla, payroll.PutPayCode{Owner: pay.ByCompany, Pays: "tips", Code: "R"}, app.ErrNotFound.Error()},
		{"an unknown job", orla, payroll.PutPayCode{Owner: pay.ByJob, ID: apptest.NewID(), Pays: pay.PaysRegular, Code: "R"},
			app.ErrNotFound.Error()},
		{"a lead", wren, payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.PaysRegular, Code: "R"}, app.ErrForbidden.Error()},
		{"of an owner, by a manager", piet, payroll.PutPayCode{Owner: pay.ByPerson, ID: orla.ID, Pays: pay.PaysRegular, Code: "R"},
			"higher level"},
		{"an order without somebody", orla, payroll.PutCodeOrder{Order: pay.FirstOrder[1:]}, "leaves somebody out"},
		{"a cost code without a name", orla, payroll.PutCostCode{Code: "950"}, "needs a name"},
		{"a classification without a name", orla, payroll.PutClass{ID: apptest.NewID(), Code: "WLD"}, "needs a name"},
		{"a classification with spaces", orla, payroll.PutClass{ID: apptest.NewID(), Code: "W LD", Title: "Welder"}, "short name can't be"},
		{"a classification twice", orla, payroll.PutClass{ID: apptest.NewID(), Code: "ELE", Title: "Electrician again"}, "already"},
		{"a task with a cost code that isn't in the list", orla,
			jobs.AddTasks{Job: dbtest.Get[uuid.UUID](t, w, `select id from job where number = '2231'`),
				Tasks: []jobs.NewTask{{Title: "Polishing", CostCode: "999"}}}, "not in the list"},
	} {
		if err := w.Do(ctx, c.who, c.act); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
	apptest.Must(t, w.Do(ctx, orla, payroll.PutCostCode{Code: "999", Title: "Polishing"}))
	job := dbtest.Get[uuid.UUID](t, w, `select id from job where number = '2231'`)
	apptest.Must(t, w.Do(ctx, orla, jobs.AddTasks{Job: job, Tasks: []jobs.NewTask{{Title: "Polishing", CostCode: "999"}}}))
	apptest.Must(t, w.Do(ctx, orla, payroll.PutCostCode{Code: "999", Title: "Polishing", Closed: true}))
	if err := w.Do(ctx, orla, jobs.AddTasks{Job: job, Tasks: []jobs.NewTask{{Title: "Polishing again", CostCode: "999"}}}); err == nil ||
		!strings.Contains(err.Error(), "is closed") {
		t.Errorf("a closed cost code: %v", err)
	}
}
