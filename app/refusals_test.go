package app_test

import (
	"context"
	"fmt"
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
	"manudex/app/points"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
	"manudex/store"
)

// What can't be, whoever asks: a row for every "no" that is not about who may,
// which the guard table holds. Take the condition out, and its row fails.
type refused struct {
	who app.Actor
	act app.Act
	why string
}

func (r refused) try(t *testing.T, w *dbtest.World) {
	t.Helper()
	got := answer(w.Do(context.Background(), r.who, r.act))
	if !strings.Contains(strings.ToLower(got), strings.ToLower(r.why)) {
		t.Errorf("%T %+v by %s: %q, want %q", r.act, r.act, r.who.Name(), got, r.why)
	}
}

func loc(t *testing.T, zone string) *time.Location {
	t.Helper()
	l, err := time.LoadLocation(zone)
	apptest.Must(t, err)
	return l
}

func long(n int) string { return strings.Repeat("x", n) }

func TestRefusedHours(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do := doing(t, w)
	orla, mira, dao, ruth := w.Person(t, "Orla Ebbwater"), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham"),
		w.Person(t, "Ruth Adeyemi")
	wren := w.Person(t, "Wren Halloran")
	priming := apptest.Work(t, w, "2226", "Priming")
	in := func(on clock.Assignment) hours.Punch {
		return hours.Punch{ID: apptest.NewID(), Act: clock.In, On: on}
	}
	task := func(job uuid.UUID, name string) uuid.UUID {
		t.Helper()
		return dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 and name = $2`, job, name)
	}
	spentOn, closed := apptest.JobOf(t, w, "2229"), apptest.JobOf(t, w, "2201")
	spent := func(kind, amount string, job uuid.UUID) hours.AddExpense {
		return hours.AddExpense{ID: apptest.NewID(), Kind: kind, Amount: amount, Work: clock.Assignment{Job: job}}
	}
	dropped, kept := spent("Fuel", "1", spentOn), spent("Fuel", "1", spentOn)
	do(dao, dropped)
	do(dao, hours.DropExpense{Expense: dropped.ID})
	do(dao, kept)
	// A job for each way in which one can't be clocked to.
	job := func(number string) uuid.UUID {
		id := apptest.NewID()
		do(orla, jobs.AddJob{ID: id, Number: number, Title: number, Customer: "Sundry"})
		do(orla, jobs.AddTasks{Job: id, Tasks: []jobs.NewTask{{Title: "Cutting"}, {Title: "Filing"}, {Title: "Packing"}}})
		return id
	}
	closed, theirs, tasked, public := job("G-1"), job("G-2"), job("G-3"), apptest.JobOf(t, w, "2231")
	do(orla, jobs.SetJob{Job: closed, Field: "state", Value: "closed"})
	do(orla, jobs.SetJob{Job: theirs, Field: "open_to_all", Value: "no"})
	do(orla, jobs.WorkAs{Job: tasked, Into: task(tasked, "Cutting"), Task: task(tasked, "Filing"), Recode: true})
	do(ruth, in(clock.Assignment{Job: tasked, Task: task(tasked, "Packing")})) // one nobody worked on would go
	w.Set(w.At().Add(time.Minute))
	do(ruth, hours.Punch{ID: apptest.NewID(), Act: clock.Out})
	do(orla, jobs.CloseTask{Job: tasked, Task: task(tasked, "Packing")})
	waged := dbtest.Get[uuid.UUID](t, w, `select class_id from job_wage where job_id = $1 limit 1`, public)
	publicTask := dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 and state = 'open' and joined_into is null limit 1`,
		public)
	twice := in(priming)
	do(ruth, twice)
	again := twice
	again.Act = clock.Out
	do(ruth, hours.Punch{ID: apptest.NewID(), Act: clock.Out})
	w.Set(w.At().Add(time.Minute))
	claim := hours.Punch{ID: apptest.NewID(), Act: clock.Out, Moment: apptest.Pressed(w.At().Add(-80 * time.Hour))}
	do(dao, claim)
	other := claim
	other.Act = clock.In
	other.On = priming
	end := func(of app.Actor, at time.Time, why string) hours.EndStint {
		return hours.EndStint{ID: apptest.NewID(), Employment: *of.Employment, At: at, Why: why}
	}
	batch := apptest.NewID()
	desk, err := hours.ReadDesk(t.Context(), w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	do(mira, hours.ApproveClear{Days: desk.Query.Days, Seen: desk.ApproveDigest, ID: batch})
	do(mira, app.Undo{Batch: batch})
	// What was paid on one day is by a claim that was taken on the day before.
	paid := dbtest.Get[time.Time](t, w, `select min(start_at) from stint s join card c using (employment_id, date)
		where employment_id = $1 and c.state = 'paid' and date between '2026-11-03' and '2026-11-06'`, *dao.Employment)
	early := hours.Punch{ID: apptest.NewID(), Act: clock.In, On: priming, Moment: apptest.Pressed(paid.Add(-8 * time.Hour))}
	do(dao, early)
	do(mira, hours.TakeClaim{ID: apptest.NewID(), Claim: early.ID})
	before := hours.CardRef{Employment: *dao.Employment, Date: when.DateOf(paid.Add(-8*time.Hour), loc(t, "America/New_York"))}
	w.Set(w.At().Add(time.Hour))
	for _, r := range []refused{
		{w.Person(t, "Piet Donoghue"), hours.Approve{Card: before}, "whose change waits"},
		{ruth, again, "conflict"},
		{ruth, in(clock.Assignment{}), "was chosen"},
		{ruth, in(clock.Assignment{Job: closed, Task: task(closed, "Cutting")}), "was closed"},
		{ruth, in(clock.Assignment{Job: theirs, Task: task(theirs, "Cutting")}), "not open to you"},
		{ruth, in(clock.Assignment{Job: tasked, Task: task(tasked, "Filing")}), "is worked as"},
		{ruth, in(clock.Assignment{Job: tasked, Task: apptest.NewID()}), "no such task"},
		{ruth, in(clock.Assignment{Job: tasked, Task: task(tasked, "Packing")}), "that task of g-3 g-3 was closed"},
		{ruth, in(clock.Assignment{Job: tasked}), "no task"},
		{ruth, in(clock.Assignment{Job: public, Task: publicTask}), "is public work"},
		{ruth, in(clock.Assignment{Job: public, Task: publicTask, Class: apptest.NewID()}), "no wage for that"},
		{ruth, in(clock.Assignment{Job: tasked, Task: task(tasked, "Cutting"), Class: waged}), "not public work"},
		{mira, hours.SeePlace{ID: apptest.NewID()}, "not found"},
		{ruth, hours.AddNote{ID: apptest.NewID(), Body: " "}, "note is empty"},
		{ruth, hours.AddNote{ID: apptest.NewID(), Body: long(1001)}, "too long"},
		{mira, hours.AddNote{ID: apptest.NewID(), Body: "x"}, "no timecard"},
		{mira, hours.AddPhoto{ID: apptest.NewID()}, "no timecard"},
		{mira, hours.PunchOther{Employment: apptest.NewID()}, "not found"},
		{mira, people.GivePINs{}, "nobody was chosen"},
		{mira, people.LearnBadge{Person: dao.ID, Text: ";4111111111111111?"}, "payment card"},
		{mira, people.LearnBadge{Person: dao.ID, Text: "%EMP"}, "could not be read"},
		{mira, people.LearnBadge{Person: apptest.NewID(), Text: "0004711"}, "not found"},
		{mira, people.DropBadges{Person: dao.ID}, "have no card"},
		{mira, hours.Swipe{ID: apptest.NewID()}, "no hourly position"},
		{mira, people.GivePINs{To: []uuid.UUID{apptest.NewID()}}, "not found"},
		{ruth, hours.AddPhoto{ID: apptest.NewID(), On: when.NewDate(2031, 1, 1)}, "not found"},
		{mira, hours.AddExpense{ID: apptest.NewID()}, "no timecard"},
		{ruth, spent("Ferries", "1", spentOn), "kind of expense"},
		{ruth, spent("Fuel", "-1", spentOn), "amount can’t be"},
		{ruth, spent("Fuel", "1.005", spentOn), "amount can’t be"},
		{ruth, spent("Fuel", "10000000", spentOn), "amount can’t be"},
		{ruth, spent("Fuel", "a few", spentOn), "amount can’t be"},
		{ruth, spent("Fuel", "1e9", spentOn), "amount can’t be"},
		{w.Person(t, "Ikem Mendoza"), spent("Fuel", "1", spentOn), "nothing is clocked on that day"},
		{ruth, spent("Fuel", "1", apptest.NewID()), "was chosen"},
		{ruth, spent("Fuel", "1", closed), "was chosen"},
		{ruth, hours.AddExpense{ID: apptest.NewID(), Kind: "Fuel", Amount: "1", Work: clock.Assignment{Job: spentOn}, Words: long(1001)},
			"too long"},
		{ruth, hours.AddExpense{ID: apptest.NewID(), Kind: "Fuel", Amount: "1", Work: clock.Assignment{Job: spentOn},
			On: when.NewDate(2026, 11, 1)}, "not found"},
		{dao, hours.AddExpense{ID: dropped.ID, Kind: "Fuel", Amount: "2", Work: clock.Assignment{Job: spentOn}}, "conflict"},
		{dao, hours.DropExpense{Expense: apptest.NewID()}, "not found"},
		{mira, hours.DropExpense{Expense: kept.ID, Why: " "}, "no reason"},
		{mira, hours.DropExpense{Expense: dropped.ID, Why: "x"}, "took this back already"},
		{mira, hours.TakeClaim{ID: apptest.NewID(), Claim: claim.ID, At: w.At().Add(time.Hour)}, "still to come"},
		{dao, other, "conflict"},
		{mira, hours.DeclineClaim{Claim: claim.ID, Why: " "}, "no reason"},
		{wren, end(w.Person(t, "Tomasz Brandt"), w.At().Add(-time.Minute), "x"), "don't say times here"},
		{mira, end(dao, w.At().Add(-time.Minute), " "), "no reason"},
		{mira, end(ruth, w.At().Add(-5*time.Minute), "x"), "not on the clock"},
		{mira, end(dao, w.At().Add(-20*time.Hour), "x"), "It began at"},
		{mira, app.Undo{Batch: batch}, "can be taken back any more"},
		{mira, hours.ApproveClear{Days: when.Period{From: when.NewDate(2031, 1, 1), To: when.NewDate(2031, 1, 2)}, ID: apptest.NewID()},
			"no card is ready"},
	} {
		r.try(t, w)
	}
	if _, err := hours.ReadCardPage(t.Context(), w.App, dao,
		apptest.Ref(t, w, "Ruth Adeyemi", apptest.Thursday)); answer(err) != "not found" {
		t.Errorf("a colleague's card: %v", err)
	}
}

// doing gives what does acts that must be done.
func doing(t *testing.T, w *dbtest.World) func(app.Actor, app.Act) {
	return func(who app.Actor, act app.Act) {
		t.Helper()
		apptest.Must(t, w.Do(t.Context(), who, act))
	}
}

func TestRefusedJobs(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, orla := doing(t, w), w.Person(t, "Orla Ebbwater")
	id := apptest.NewID()
	do(orla, jobs.AddJob{ID: id, Number: "G-1", Title: "Gate", Customer: "Sundry"})
	do(orla, jobs.AddTasks{Job: id, Tasks: []jobs.NewTask{{Title: "Cutting"}, {Title: "Filing"}, {Title: "Packing"}}})
	task := func(name string) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 and name = $2`, id, name)
	}
	do(orla, jobs.WorkAs{Job: id, Into: task("Cutting"), Task: task("Filing")})
	do(orla, payroll.PutCostCode{Code: "C-9", Title: "Old", Closed: true})
	customer := dbtest.Get[uuid.UUID](t, w, `select customer_id from job where id = $1`, id)
	name := dbtest.Get[string](t, w, `select given_name from person where level = 'worker' limit 1`)
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "given_name", Value: "Twin"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Twin Pham").ID, Field: "family_name", Value: "Twin"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Ruth Adeyemi").ID, Field: "given_name", Value: "Twin"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Twin Adeyemi").ID, Field: "family_name", Value: "Twin"})
	for _, r := range []refused{
		{orla, jobs.AddJob{ID: apptest.NewID(), Title: "x"}, "number is missing"},
		{orla, jobs.AddJob{ID: apptest.NewID(), Number: "G-2"}, "name is missing"},
		{orla, jobs.SetJob{Job: id, Field: "moon", Value: "x"}, "not found"},
		{orla, jobs.OpenJobTo{ID: apptest.NewID(), Job: id, Kind: "moon"}, "not found"},
		{orla, jobs.OpenJobTo{ID: apptest.NewID(), Job: id, Kind: "person", Named: name + " Nobody"}, "nobody here"},
		{orla, jobs.OpenJobTo{ID: apptest.NewID(), Job: id, Kind: "person", Named: "Twin Twin"}, "2 people are called"},
		{orla, jobs.RenameCustomer{ID: customer, Title: " "}, "needs a name"},
		{orla, jobs.ShareHours{ID: apptest.NewID(), Customer: customer, To: " ", Token: app.NewSignInToken()}, "who gets it"},
		{orla, jobs.ShareHours{ID: apptest.NewID(), Customer: customer, To: "x", Token: "short"}, "not found"},
		{orla, jobs.AddTasks{Job: id}, "no task was chosen"},
		{orla, jobs.AddTasks{Job: id, Tasks: []jobs.NewTask{{Title: " "}}}, "needs a name"},
		{orla, jobs.AddTasks{Job: id, Tasks: []jobs.NewTask{{Title: "x", CostCode: "none"}}}, "not in the list"},
		{orla, jobs.AddTasks{Job: id, Tasks: []jobs.NewTask{{Title: "x", CostCode: "C-9"}}}, "is closed"},
		{orla, jobs.CloseTask{Job: id, Task: apptest.NewID()}, "not found"},
		{orla, jobs.WorkAs{Job: id, Into: task("Filing"), Task: task("Packing")}, "not worked by itself"},
		{orla, jobs.WorkAs{Job: id, Into: task("Packing"), Task: task("Packing")}, "as itself already"},
		{orla, jobs.WorkAs{Job: id, Into: apptest.NewID(), Task: task("Packing")}, "not found"},
		{orla, jobs.WorkAs{Job: id, Into: task("Packing"), Task: apptest.NewID()}, "not found"},
		{orla, jobs.SplitTask{Job: id, Task: task("Packing")}, "by itself already"},
	} {
		r.try(t, w)
	}
	if _, err := jobs.TaskValues(t.Context(), w.App, orla, id, apptest.NewID()); answer(err) != "not found" {
		t.Errorf("settings of a task there isn't: %v", err)
	}
	busy := dbtest.Get[string](t, w, `select j.number from stint s join job j on j.id = s.job_id where s.end_at is null and s.kind = 'work'
		limit 1`)
	head := []string{"Number", "Name", "Customer", "State", "Task", "Estimate"}
	for _, row := range []struct {
		rows [][]string
		why  string
	}{
		{[][]string{{"", "x", "", "", "", ""}}, "number is missing"},
		{[][]string{{"G-8", "x", "Sundry", "", "", ""}, {"G-8", "x", "Sundry", "", "", ""}}, "stands in line 2 already"},
		{[][]string{{busy, "", "", "closed", "", ""}}, "on the clock on it"},
		{[][]string{{"G-8", "", "Sundry", "", "", ""}}, "name is missing"},
		{[][]string{{"G-1", "x", "", "", "Milling", ""}}, "stands beside a task"},
		{[][]string{{"G-8", "", "", "", "Milling", ""}}, "no job g-8"},
	} {
		refusedRow(t, w, orla, bringin.JobsFile, append([][]string{head}, row.rows...), row.why)
	}
}

// refusedRow is a file whose last row is refused.
func refusedRow(t *testing.T, w *dbtest.World, who app.Actor, kind bringin.FileKind, rows [][]string, why string) {
	t.Helper()
	p := apptest.TakeFile(t, w, who, kind, rows)
	last := p.Rows[len(p.Rows)-1]
	if last.State != bringin.RowWrong || !strings.Contains(strings.ToLower(last.What), strings.ToLower(why)) {
		t.Errorf("a file of %v: %s %q, want %q", rows[1:], last.State, last.What, why)
	}
}

func TestRefusedFiles(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx, do, mira := t.Context(), doing(t, w), w.Person(t, "Mira Castellane")
	rows := [][]string{{"Number", "Title"}, {w.Person(t, "Dao Pham").Number, "Keeper"}}
	p := apptest.TakeFile(t, w, mira, bringin.PeopleFile, rows)
	do(mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID})
	open := apptest.TakeFile(t, w, mira, bringin.PeopleFile, rows)
	take := func(rows [][]string) app.Act {
		return bringin.TakeFile{Kind: bringin.PeopleFile, ID: apptest.NewID(), FileName: "a.csv", Rows: rows}
	}
	many := make([][]string, files.MaxRows+2)
	for i := range many {
		many[i] = rows[0]
	}
	match := func(keys ...string) app.Act {
		return bringin.MatchColumns{Kind: bringin.PeopleFile, Import: open.ID, Matched: keys}
	}
	right := func(file uuid.UUID, row, column int, text string) app.Act {
		return bringin.PutRight{Kind: bringin.PeopleFile, Import: file, Row: row, Cells: map[int]string{column: text}}
	}
	as := func(column int, m files.Manner) app.Act {
		return bringin.ReadColumnAs{Kind: bringin.PeopleFile, Import: open.ID, Column: column, Manner: m}
	}
	for _, r := range []refused{
		{mira, take(rows[:1]), "no rows"},
		{mira, bringin.TakeFile{Kind: "moon", ID: apptest.NewID(), FileName: "a.csv", Rows: rows}, "not found"},
		{mira, match("number"), "not found"},
		{mira, match("number", "moon"), "not found"},
		{mira, match("number", "number"), "two columns are"},
		{mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID}, "in already"},
		{mira, bringin.QueueBringIn{Kind: bringin.PeopleFile, Import: p.ID}, "in already"},
		{mira, right(p.ID, 0, 0, "7"), "in already"}, {mira, right(open.ID, 9, 0, "7"), "not found"},
		{mira, right(open.ID, -1, 0, "7"), "not found"}, {mira, right(open.ID, 0, 2, "7"), "not found"},
		{mira, right(open.ID, 0, -1, "7"), "not found"}, {mira, right(open.ID, 0, 0, strings.Repeat("7", 2001)), "too long"},
		{mira, as(2, files.DayFirst), "not found"}, {mira, as(-1, files.DayFirst), "not found"}, {mira, as(0, "sideways"), "not found"},
		{w.Person(t, "Dao Pham"), app.Undo{Batch: p.ID}, "forbidden"},
	} {
		r.try(t, w)
	}
	// Of what was changed again since, nothing is left to take back.
	do(mira, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "title", Value: "Another"})
	named := apptest.TakeFile(t, w, mira, bringin.JobsFile, [][]string{{"Number", "Name"}, {"2231", "Gantry nine"}})
	do(mira, bringin.BringIn{Kind: bringin.JobsFile, Import: named.ID})
	do(mira, jobs.SetJob{Job: apptest.JobOf(t, w, "2231"), Field: "name", Value: "Gantry ten"})
	for _, file := range []uuid.UUID{p.ID, named.ID} {
		refused{mira, app.Undo{Batch: file}, "nothing could be taken back"}.try(t, w)
	}
	if got := answer(w.Do(ctx, mira, take(many))); got != fmt.Sprintf("The file has %d rows", files.MaxRows+1) {
		t.Errorf("too many rows: %q", got)
	}
	ruth := w.Person(t, "Ruth Adeyemi")
	mail := dbtest.Get[string](t, w, `select email from person where email is not null and id <> $1 limit 1`, ruth.ID)
	for _, row := range []struct {
		rows [][]string
		why  string
	}{
		{[][]string{{"Number", "Title"}, {"", "x"}}, "number is missing"},
		{[][]string{{"Number", "Title"}, {ruth.Number, "x"}, {ruth.Number, "y"}}, "stands in line 2 already"},
		{[][]string{{"Number", "E-mail"}, {ruth.Number, mail}}, "belongs to number"},
		{[][]string{{"Number", "Given name"}, {"9001", "A"}}, "is missing"},
	} {
		refusedRow(t, w, mira, bringin.PeopleFile, row.rows, row.why)
	}
	// Somebody changes the setting between judging the rows and locking the people.
	stale := apptest.TakeFile(t, w, mira, bringin.PeopleFile, [][]string{{"Number", "Title"}, {ruth.Number, "Keeper of paint"}})
	tx, err := w.DB.Beginx()
	apptest.Must(t, err)
	defer tx.Rollback()
	_, err = tx.Exec(`update employment set title = 'Other' where person_id = $1`, ruth.ID)
	apptest.Must(t, err)
	_, err = tx.Exec(`select 1 from person where id = $1 for no key update`, ruth.ID)
	apptest.Must(t, err)
	in := make(chan error, 1)
	go func() { in <- w.Do(ctx, mira, bringin.BringIn{Kind: bringin.PeopleFile, Import: stale.ID}) }()
	for waits := false; !waits; {
		waits = dbtest.Get[bool](t, w, `select exists (select 1 from pg_stat_activity where datname = current_database()
			and wait_event_type = 'Lock')`)
	}
	apptest.Must(t, tx.Commit())
	if got := answer(<-in); got != "Line 2: Title of Ruth Adeyemi was changed meanwhile" {
		t.Errorf("a setting that was changed meanwhile: %q", got)
	}
}

func TestRefusedSettings(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, orla := doing(t, w), w.Person(t, "Orla Ebbwater")
	rules := func(title string, from when.Date, text string) app.Act {
		return company.PutRules{ID: apptest.NewID(), Title: title, From: from, Rules: []byte(text)}
	}
	sunday := when.NewDate(2026, 11, 15)
	step := func(step string, values map[string]string) app.Act {
		return company.TakeStep{Step: step, Values: values}
	}
	site := func(title, lat string) app.Act {
		return company.PutSite{ID: apptest.NewID(), Title: title, Lat: lat, FenceMetres: ""}
	}
	unit := func(kind, title, account string) app.Act {
		return company.PutUnit{ID: apptest.NewID(), Kind: kind, Title: title, Account: account}
	}
	kind := func(title, tasks string) app.Act {
		return company.PutJobKind{ID: apptest.NewID(), Title: title, Tasks: tasks}
	}
	do(orla, payroll.PutPeriodGroup{Title: "Monthly", Kind: "monthly"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "period_group", Value: "Monthly"})
	code := func(owner pay.Owner, id uuid.UUID, pays pay.Pays, code string) app.Act {
		return payroll.PutPayCode{Owner: owner, ID: id, Pays: pays, Code: code}
	}
	ask := func(subject, named, reach string, site uuid.UUID) app.Act {
		return company.PutAsk{ID: apptest.NewID(), Subject: subject, Named: named, Reach: reach, Site: site}
	}
	do(orla, ask("Safety", "Wren Halloran", "", uuid.Nil))
	for _, r := range []refused{
		{orla, ask(" ", "Wren Halloran", "", uuid.Nil), "subject is missing"},
		{orla, ask("Safety", "Dao Pham", "", uuid.Nil), "asked about “Safety” there already"},
		{orla, ask("Pay", "Nobody Here", "", uuid.Nil), "nobody here has"},
		{orla, ask("Pay", "Dao Pham", strings.Repeat("x", 81), uuid.Nil), "how they are reached"},
		{orla, ask("Pay", "Dao Pham", "", apptest.NewID()), "not found"},
		{orla, company.DropAsk{ID: apptest.NewID()}, "not found"},
		{orla, company.SetCompany{Field: "keep_years", Value: "1"}, "kept for 3 years at least"},
		{orla, step("moon", nil), "not found"},
		{orla, step("period", map[string]string{"period_kind": "weekly", "period_anchor": "2026-11-11"}), "cut into what was paid"},
		{orla, company.TakeStep{Step: "rules", Ready: "moon"}, "no rules were chosen"},
		{orla, company.TakeStep{Step: "rules", Ready: "us-federal", Week: "Fun"}, "can't begin on"},
		{orla, company.PutHoliday{Date: sunday, Title: " "}, "no name"},
		{orla, company.DropHoliday{Date: when.NewDate(2027, 2, 3)}, "not found"},
		{orla, company.PutAway{Part: "moon", Away: true}, "not found"}, {orla, company.PutAway{Part: "tags", Away: true}, "are in use"},
		{orla, company.SetCompany{Field: "pays_from", Value: "2026-11-08"}, "pay runs are closed up to"},
		{orla, company.FillHolidays{Country: "moon", Year: 2027}, "not found"},
		{orla, company.FillHolidays{Country: "us", Year: 1990}, "not found"},
		{orla, company.DropSamples{}, "no samples"},
		{orla, company.SetCompany{Field: "moon", Value: "x"}, "not found"},
		{orla, company.SetCompany{Field: "name", Value: " "}, "name is missing"},
		{orla, rules(" ", sunday, `{}`), "no name"},
		{orla, rules("x", sunday, `{"weekly_overtime_after":"x"}`), "weekly_overtime_after is"},
		{orla, rules("x", sunday, `{"workweek_start":"Mon 00:00"}`), "within a workweek"},
		{orla, rules("x", sunday+1, `{"overtime_period":{"days":14,"start":"`+(sunday+1).String()+`","after":"80"}}`),
			"an overtime period of the rules before"},
		{orla, site(" ", ""), "no name"},
		{orla, site("x", "40.1"), "a latitude and a longitude"},
		{orla, unit("crew", "a, b", ""), "needs a name"},
		{orla, unit("moon", "x", ""), "not found"},
		{orla, unit("crew", "x", long(61)), "the account can't be"},
		{orla, kind(" ", ""), "no name"},
		{orla, kind("x", "110"), "a task can't be"},
		{orla, kind("x", "none Set up"), "not in the list"},
		{orla, code("moon", uuid.Nil, pay.PaysRegular, "X"), "not found"},
		{orla, code(pay.ByCompany, uuid.Nil, "moon", "X"), "not found"},
		{orla, code(pay.ByCompany, apptest.NewID(), pay.PaysRegular, "X"), "not found"},
		{orla, code(pay.ByCompany, uuid.Nil, pay.PaysRegular, "a b"), "a pay code can't be"},
		{orla, payroll.PutCodeOrder{Order: []pay.Owner{pay.ByJob}}, "leaves somebody out"},
		{orla, payroll.PutCostCode{Code: "a b", Title: "x"}, "a cost code can't be"},
		{orla, payroll.PutCostCode{Code: "X-1", Title: " "}, "needs a name"},
		{orla, payroll.PutClass{ID: apptest.NewID(), Code: "a b", Title: "x"}, "short name can't be"},
		{orla, payroll.PutClass{ID: apptest.NewID(), Code: "X-1", Title: " "}, "needs a name"},
		{orla, payroll.PutPeriodGroup{Title: "a, b", Kind: "monthly"}, "no name"},
		{orla, payroll.DropPeriodGroup{Title: "Monthly"}, "somebody is in"},
		{orla, payroll.CloseRun{ID: apptest.NewID(), Group: "Moonly", Seen: "x"}, "not found"},
	} {
		r.try(t, w)
	}
	if _, err := company.ReadFirstStepPage(t.Context(), w.App, orla, "moon"); answer(err) != "not found" {
		t.Errorf("a step there isn't: %v", err)
	}
	now := w.At()
	w.Set(time.Date(1930, 1, 6, 12, 0, 0, 0, time.UTC)) // before any ready-made rules held
	refused{orla, company.TakeStep{Step: "rules", Ready: "us-federal", Week: "Mon"}, "not found"}.try(t, w)
	w.Set(now)
	// Samples come once, and go alone.
	do(orla, company.AddSamples{})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Viggo Bexley").ID, Field: "unit", Value: "Sample crew"})
	sample := dbtest.Get[uuid.UUID](t, w, `select id from person where sample limit 1`)
	for _, r := range []refused{
		{orla, company.AddSamples{}, "samples already"},
		{orla, company.DropSamples{}, "is no sample"},
		{orla, people.LinkFor(sample, app.NewSignInToken()), "is a sample"},
	} {
		r.try(t, w)
	}
}

// Samples want a site, and their numbers.
func TestRefusedSamples(t *testing.T) {
	t.Parallel()
	db := dbtest.Empty(t)
	ctx := t.Context()
	_, err := company.Begin(ctx, db, dbtest.Now, company.First{Company: "Lantern works", Zone: "America/Halifax", Currency: "CAD",
		Given: "Ada", Family: "Munro", Email: "ada@lantern.example"})
	apptest.Must(t, err)
	w := &dbtest.World{}
	w.Set(dbtest.Now)
	w.App = app.New(db, w.At, nil)
	ada := w.Person(t, "Ada Munro")
	refused{ada, company.AddSamples{}, "no site yet"}.try(t, w)
	do := doing(t, w)
	do(ada, company.PutSite{ID: apptest.NewID(), Title: "Shed", FenceMetres: ""})
	_, err = db.Exec(`update person set number = 'S-1'`)
	apptest.Must(t, err)
	refused{ada, company.AddSamples{}, "number s-1 is taken"}.try(t, w)
}

func TestRefusedPeople(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx, do := t.Context(), doing(t, w)
	orla, mira, dao, wren := w.Person(t, "Orla Ebbwater"), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham"),
		w.Person(t, "Wren Halloran")
	setOf := func(person uuid.UUID, field, value string) app.Act {
		return people.SetPerson{ID: apptest.NewID(), Person: person, Field: field, Value: value}
	}
	do(orla, company.PutSite{ID: apptest.NewID(), Title: "Far shore", Zone: "Europe/Paris", FenceMetres: ""})
	do(orla, company.PutUnit{ID: apptest.NewID(), Kind: "crew", Title: "Nowhere crew"})
	add := func(values map[string]string) app.Act { return people.AddPerson{ID: apptest.NewID(), Values: values} }
	many := func(value string) people.ManyChange {
		return people.ManyChange{Filter: store.SheetFilter{Person: dao.ID}, Field: "title", Value: value}
	}
	preview := func(value string) string {
		p, err := people.PreviewMany(ctx, w.App, orla, many(value))
		apptest.Must(t, err)
		return p.Seen
	}
	change := func(value string) uuid.UUID {
		id := apptest.NewID()
		do(orla, people.ChangeMany{ID: id, ManyChange: many(value), Seen: preview(value)})
		return id
	}
	undone := change("Rigger")
	do(orla, app.Undo{Batch: undone})
	first, _ := change("Fitter"), change("Welder")
	owner2 := w.Person(t, "Viggo Bexley")
	batch := apptest.NewID()
	do(orla, people.SetPerson{ID: batch, Person: owner2.ID, Field: "zone", Value: "Europe/Paris"})
	do(orla, setOf(owner2.ID, "level", "owner"))
	field := people.PutOwnField{ID: apptest.NewID(), Title: "Boots", Kind: "choice", Choices: "42\n43"}
	do(orla, field)
	do(orla, setOf(dao.ID, field.ID.String(), "42"))
	own := func(id uuid.UUID, title, kind, choices string) app.Act {
		return people.PutOwnField{ID: id, Title: title, Kind: kind, Choices: choices}
	}
	gone := w.Person(t, "Kofi Larkin")
	do(orla, people.EndPerson{ID: apptest.NewID(), Person: gone.ID, On: when.NewDate(2026, 11, 12)})
	pin := func(pin string) app.Act { return people.SetPIN{Person: dao.ID, PIN: pin} }
	password := func(to string) app.Act { return people.ChangePassword{Old: "beacon and gantry", New: to} }
	for _, r := range []refused{
		{orla, setOf(dao.ID, "given_name", " "), "is missing"},
		{orla, setOf(mira.ID, "pattern", "0 8 8 8 8 8 0"), "doesn't clock in"},
		{orla, setOf(dao.ID, "site", "Far shore"), "another zone"},
		{orla, add(map[string]string{"given_name": "A", "unit": "Plate shop", "starts_on": "2026-11-13"}), "is missing"},
		{orla, add(map[string]string{"given_name": "A", "family_name": "B", "unit": "Nowhere crew", "starts_on": "2026-11-13"}),
			"site is missing"},
		{orla, people.AddPosition{ID: apptest.NewID(), Person: dao.ID, Unit: "Plate shop", StartsOn: "2026-11-13"}, "title is missing"},
		{orla, people.EndPerson{ID: apptest.NewID(), Person: dao.ID, On: when.NewDate(2000, 1, 1)}, "before the day of hire"},
		{orla, people.EndPerson{ID: apptest.NewID(), Person: dao.ID, On: when.NewDate(2026, 11, 13), Out: w.At().Add(time.Hour)},
			"can't have clocked out"},
		{orla, people.ErasePerson{Person: gone.ID, Number: "0"}, "doesn't belong to"},
		{orla, people.ChangeMany{ID: apptest.NewID(), ManyChange: many("Welder"), Seen: preview("Welder")}, "nothing would change"},
		{orla, app.Undo{Batch: apptest.NewID()}, "not found"},
		{orla, app.Undo{Batch: undone}, "undone already"},
		{orla, app.Undo{Batch: first}, "changed again since"},
		{mira, app.Undo{Batch: batch}, "forbidden"},
		{orla, own(apptest.NewID(), " ", "text", ""), "no name"},
		{orla, own(apptest.NewID(), "Title", "text", ""), "a setting “title” already"},
		{orla, own(apptest.NewID(), "Hats", "moon", ""), "not found"},
		{orla, own(field.ID, "Boots", "choice", "43\n44"), "people have “42”"},
		{orla, own(apptest.NewID(), "Hats", "choice", "a\na"), "a choice can't be"},
		{orla, own(apptest.NewID(), "Hats", "choice", "a"), "nothing to choose"},
		{orla, people.DropOwnField{ID: field.ID}, "have a value in it"},
		{orla, pin("12"), "is no pin"},
		{orla, pin("1234"), "tried first"},
		{dao, people.ChangePassword{New: "lathe and lantern"}, "password is needed"},
		{dao, people.ChangePassword{Old: "wrong", New: "lathe and lantern"}, "not your password"},
		{dao, password("short"), "too short"},
		{dao, password(long(200) + "a"), "too long"},
		{dao, password("aaaaaaaaaaaa"), "again and again"},
		{dao, password("password123"), "known to whoever guesses"},
		{dao, password("manudex-dao-pham"), "a name of yours"},
		{orla, people.ConfirmCode{Code: "123456"}, "nothing to confirm"},
	} {
		r.try(t, w)
	}
	_, err := w.DB.Exec(`update person set code_since = $2, code_secret = 'x' where id = $1`, orla.ID, w.At())
	apptest.Must(t, err)
	refused{orla, people.BeginCode{Secret: people.NewCodeSecret()}, "codes already"}.try(t, w)

	link := app.NewSignInToken()
	do(orla, people.LinkFor(dao.ID, link))
	for name, read := range map[string]struct {
		err func() error
		why string
	}{
		"an order by a field there isn't": {func() error {
			_, err := people.ReadPeople(ctx, w.App, orla,
				people.PeopleQuery{SheetFilter: store.SheetFilter{Sort: store.SheetSort{Key: uuid.NewString()}}})
			return err
		}, "not found"},
		"an order of jobs there isn't": {func() error {
			_, err := jobs.ReadJobs(ctx, w.App, orla, store.JobFilter{Sort: "moon"}, 0)
			return err
		}, "not found"},
		"beside a job in an order there isn't": {func() error {
			_, _, err := jobs.Beside(ctx, w.App, orla, store.JobFilter{Sort: "moon"}, orla.ID)
			return err
		}, "not found"},
		"everything about nobody": {func() error {
			_, err := people.Everything(ctx, w.App, orla, uuid.New())
			return err
		}, "not found"},
		"a language there isn't": {func() error {
			return w.Do(ctx, orla, people.ChooseLanguage{})
		}, "no pages in that language"},
		"a view there isn't": {func() error {
			_, err := people.ReadPeople(ctx, w.App, orla, people.PeopleQuery{View: "own"})
			return err
		}, "not found"},
		"a lead orders by rates": {func() error {
			_, err := people.ReadPeople(ctx, w.App, wren,
				people.PeopleQuery{SheetFilter: store.SheetFilter{Sort: store.SheetSort{Key: "rate"}}})
			return err
		}, "not found"},
		"a lead asks who has no rate": {func() error {
			_, err := people.ReadPeople(ctx, w.App, wren, people.PeopleQuery{SheetFilter: store.SheetFilter{Without: "rate"}})
			return err
		}, "not found"},
		"a page of another crew": {func() error { _, err := people.ReadPersonPage(ctx, w.App, wren, dao.ID); return err }, "not found"},
		"a lead asks who has no password": {func() error {
			_, err := people.WithoutSignIn(ctx, w.App, wren, store.SheetFilter{})
			return err
		}, "forbidden"},
		"codes of nobody":            {func() error { return people.TakeCodesAway(ctx, w.App, "nobody@x.example") }, "not found"},
		"neither address nor number": {func() error { _, err := people.SignIn(ctx, w.App, "dao", "x"); return err }, "neither"},
		"no password": {func() error {
			_, err := people.SignIn(ctx, w.App, "dao.pham@ebbwater.example", "")
			return err
		}, "is missing"},
		"a wrong password": {func() error { _, err := people.SignIn(ctx, w.App, "dao.pham@ebbwater.example", "wrong"); return err },
			"don't belong together"},
		"a weak password by link": {func() error {
			_, err := people.ChoosePassword(ctx, w.App, link, people.Chosen{Password: "short"})
			return err
		}, "too short"},
		"a weak PIN by link": {func() error {
			_, err := people.ChoosePassword(ctx, w.App, link, people.Chosen{Password: "lathe and lantern", PIN: "1234"})
			return err
		},
			"tried first"},
		"the password at a gate": {func() error { _, err := people.Prove(ctx, w.App, dao, "wrong"); return err }, "not your password"},
	} {
		if got := answer(read.err()); !strings.Contains(strings.ToLower(got), read.why) {
			t.Errorf("%s: %q, want %q", name, got, read.why)
		}
	}
}

// Closing, by whom it pays and while something lacks.
func TestRefusedRuns(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, orla := doing(t, w), w.Person(t, "Orla Ebbwater")
	wren := w.Person(t, "Wren Halloran")
	do(orla, people.GrantRight{ID: apptest.NewID(), Person: wren.ID, What: "run_payroll"})
	w.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, w, when.NewDate(2026, 11, 21))
	wren = w.Person(t, "Wren Halloran")
	p, err := payroll.PayRun(t.Context(), w.App, orla, uuid.Nil)
	apptest.Must(t, err)
	apptest.AnswerAll(t, w, store.LeftOut)
	p, err = payroll.PayRun(t.Context(), w.App, orla, uuid.Nil)
	apptest.Must(t, err)
	refused{wren, payroll.CloseRun{ID: apptest.NewID(), Seen: p.Period.From.String() + " " + p.Total.Gross}, "your own pay"}.try(t, w)
	refused{orla, payroll.CloseRun{ID: apptest.NewID(), Seen: "x"}, "changed while you were looking"}.try(t, w)
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "coding", Value: "required"})
	do(orla, people.SetPerson{ID: apptest.NewID(), Person: w.Person(t, "Dao Pham").ID, Field: "account", Value: ""})
	refused{orla, payroll.CloseRun{ID: apptest.NewID(), Seen: p.Period.From.String() + " " + p.Total.Gross}, "dao pham"}.try(t, w)
}

// What a file of days, of sums or of holidays can't hold.
func TestRefusedFilesOfMovingIn(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, mira, orla := doing(t, w), w.Person(t, "Mira Castellane"), w.Person(t, "Orla Ebbwater")
	dao := w.Person(t, "Dao Pham").Number
	own := w.Person(t, "Wren Halloran")
	do(orla, people.GrantRight{ID: apptest.NewID(), Person: own.ID, What: "amend_time"})
	own = w.Person(t, "Wren Halloran")
	days, years, holidays := []string{"Number", "Date", "Hours", "Began", "Ended", "Job", "Task", "Class"},
		[]string{"Number", "Until", "Regular", "Overtime", "Doubled"}, []string{"Date", "Name", "Multiplier"}
	balances, tenHours := []string{"Number", "Policy", "As of", "Balance", "Cap"}, "10 hours a month"
	boss := own
	boss.Level = "manager"
	for _, row := range []struct {
		who  app.Actor
		kind bringin.FileKind
		head []string
		rows [][]string
		why  string
	}{
		{mira, bringin.HoursFile, days, [][]string{{"", "2026-11-08", "8"}}, "number is missing"},
		{mira, bringin.HoursFile, days, [][]string{{"0", "2026-11-08", "8"}}, "nobody with number 0"},
		{own, bringin.HoursFile, days, [][]string{{own.Number, "2026-11-08", "8"}}, "your own hours"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "", "8"}}, "date is missing"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-13", "8"}}, "isn't over"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-07", "8"}}, "pay runs are closed"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "", "", "15:00"}}, "doesn't begin"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "0"}}, "no hours"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "8", "8:00", "12:00"}}, "don't fit between"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "25"}}, "more than a day"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "17"}}, "more than 16:00 on one day"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "8", "", "", "", "Weld"}}, "no job"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "8", "", "", "0000"}}, "no job 0000"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "8", "", "", "2231", "Moon"}}, "has no task"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "8", "", "", "2231", "", "Moon"}}, "no work classification"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-12", "8"}}, "other hours already"},
		{mira, bringin.HoursFile, days, [][]string{{dao, "2026-11-08", "8", "7:00"}, {dao, "2026-11-08", "8", "9:00"}}, "would meet"},
		{mira, bringin.YearFile, years, [][]string{{"", "2026-10-31", "8"}}, "number is missing"},
		{mira, bringin.YearFile, years, [][]string{{"0", "2026-10-31", "8"}}, "nobody with number 0"},
		{own, bringin.YearFile, years, [][]string{{own.Number, "2026-10-31", "8"}}, "your own hours"},
		{mira, bringin.YearFile, years, [][]string{{dao, "", "8"}}, "is missing"},
		{mira, bringin.YearFile, years, [][]string{{dao, "2026-11-13", "8"}}, "isn't over"},
		{mira, bringin.YearFile, years, [][]string{{dao, "2026-10-31", ""}}, "no hours"},
		{mira, bringin.YearFile, years, [][]string{{dao, "2026-10-31", "9000"}}, "more than a year"},
		{mira, bringin.YearFile, years, [][]string{{dao, "2026-10-31", "8"}, {dao, "2026-09-30", "8"}}, "line 2 already"},
		{mira, bringin.HolidaysFile, holidays, [][]string{{"", "Eve"}}, "date is missing"},
		{mira, bringin.HolidaysFile, holidays, [][]string{{"2026-10-01", "Eve"}}, "pay runs are closed"},
		{mira, bringin.HolidaysFile, holidays, [][]string{{"2026-12-24", ""}}, "no name"},
		{mira, bringin.HolidaysFile, holidays, [][]string{{"2026-12-24", "Eve", "0.5"}}, "multiplier can't be"},
		{mira, bringin.HolidaysFile, holidays, [][]string{{"2026-12-24", "Eve"}, {"2026-12-24", "Eve"}}, "line 2 already"},
		{mira, bringin.LeaveFile, balances, [][]string{{"", tenHours, "2026-10-31", "8"}}, "number is missing"},
		{boss, bringin.LeaveFile, balances, [][]string{{own.Number, tenHours, "2026-10-31", "8"}}, "your own hours"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, "Moon", "2026-10-31", "8"}}, "no policy “moon”"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, tenHours, "", "8"}}, "no day on which"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, tenHours, "2026-11-20", "8"}}, "no day on which"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, tenHours, "2021-11-20", "8"}}, "no day on which"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, tenHours, "2026-10-31", "7000000"}}, "is no balance"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, tenHours, "2026-10-31", "8", "-5"}}, "the policy says"},
		{mira, bringin.LeaveFile, balances, [][]string{{dao, tenHours, "2026-10-31", "8"}, {dao, tenHours, "2026-09-30", "8"}},
			"line 2 already"},
	} {
		refusedRow(t, w, row.who, row.kind, append([][]string{row.head}, row.rows...), row.why)
	}

	stood := apptest.TakeFile(t, w, mira, bringin.LeaveFile, [][]string{balances, {dao, tenHours, "2026-10-31", "8"}})
	do(mira, bringin.BringIn{Kind: bringin.LeaveFile, Import: stood.ID})
	stands := apptest.TakeFile(t, w, mira, bringin.LeaveFile, [][]string{balances, {dao, tenHours, "2026-10-31", "9"}})
	do(mira, bringin.BringIn{Kind: bringin.LeaveFile, Import: stands.ID})
	first := apptest.TakeFile(t, w, mira, bringin.YearFile, [][]string{years, {dao, "2026-10-31", "8"}})
	do(mira, bringin.BringIn{Kind: bringin.YearFile, Import: first.ID})
	next := apptest.TakeFile(t, w, mira, bringin.YearFile, [][]string{years, {dao, "2026-09-30", "8"}})
	do(mira, bringin.BringIn{Kind: bringin.YearFile, Import: next.ID})
	eve := apptest.TakeFile(t, w, mira, bringin.HolidaysFile, [][]string{holidays, {"2026-12-24", "Eve"}})
	do(mira, bringin.BringInSettings{BringIn: bringin.BringIn{Kind: bringin.HolidaysFile, Import: eve.ID}})
	do(mira, company.PutHoliday{Date: when.NewDate(2026, 12, 24), Title: "Another eve"})
	for _, r := range []refused{
		{mira, app.Undo{Batch: first.ID}, "replaced all of it"},
		{mira, app.Undo{Batch: stood.ID}, "given otherwise since"},
		{mira, app.Undo{Batch: eve.ID}, "not found"},
		{mira, app.UndoSettings{Undo: app.Undo{Batch: eve.ID}}, "nothing could be taken back"},
		{mira, app.UndoSettings{Undo: app.Undo{Batch: next.ID}}, "not found"},
	} {
		r.try(t, w)
	}
}

// Clock points and their keys: what can't be set of them.
func TestRefusedClockPoints(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	do, mira := doing(t, w), w.Person(t, "Mira Castellane")
	site := dbtest.Get[uuid.UUID](t, w, `select id from site order by name limit 1`)
	gate := points.PutPoint{ID: apptest.NewID(), Title: "Gate", Site: site}
	do(mira, gate)
	key := points.GiveKey{ID: apptest.NewID(), Point: gate.ID, Title: "Reader"}
	do(mira, key)
	put := func(change func(*points.PutPoint)) app.Act {
		p := points.PutPoint{ID: apptest.NewID(), Title: "Yard", Site: site}
		change(&p)
		return p
	}
	for _, r := range []refused{
		{mira, put(func(p *points.PutPoint) { p.Title = " " }), "no name"},
		{mira, put(func(p *points.PutPoint) { p.Title = "gate" }), "of that name"},
		{mira, put(func(p *points.PutPoint) { p.Site = uuid.Nil }), "no site"},
		{mira, put(func(p *points.PutPoint) { p.Job = "0" }), "there is no job"},
		{mira, put(func(p *points.PutPoint) { p.Task = "Weld" }), "a task is named"},
		{mira, put(func(p *points.PutPoint) { p.Job, p.Task = "2231", "Moon" }), "has no task"},
		{mira, points.ClosePoint{ID: apptest.NewID()}, "not found"},
		{mira, points.GiveKey{ID: apptest.NewID(), Point: gate.ID}, "no name"},
		{mira, points.GiveKey{ID: apptest.NewID(), Point: apptest.NewID(), Title: "x"}, "not found"},
		{mira, points.EndKey{Key: apptest.NewID()}, "not found"},
	} {
		r.try(t, w)
	}
	do(mira, points.EndKey{Key: key.ID})
	for range 20 {
		do(mira, points.GiveKey{ID: apptest.NewID(), Point: gate.ID, Title: "Reader"})
	}
	for _, r := range []refused{
		{mira, points.EndKey{Key: key.ID}, "not found"},
		{mira, points.GiveKey{ID: apptest.NewID(), Point: gate.ID, Title: "Reader"}, "20 keys already"},
	} {
		r.try(t, w)
	}
}
