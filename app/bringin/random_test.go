package bringin_test

import (
	"context"
	"math/rand/v2"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	_ "manudex/app/company" // registers files of holidays
	_ "manudex/app/hours"   // registers files of hours
	_ "manudex/app/jobs"    // registers files of jobs
	_ "manudex/app/people"  // registers files of people
	"manudex/dbtest"
)

// cellsOf are cells that a file could have in a column, right and wrong.
var cellsOf = map[string][]string{
	"number":   {"9001", "2231", "9002", "2240", "9003", "2253", " 9001 ", "9004", "S-1", "123456789012345678901", ""},
	"name":     {"Lamps", "Lamps ", "", "Gantry, Route 9", "x"},
	"customer": {"", "County of Hollin", "county of hollin", "New board", "\t"}, "site": {"", "Route 9", "route 9", "Atlantis"},
	"kind":  {"", "Signs", "SIGNS", "Own work", "none", "Moon"},
	"place": {"", "40.1, -50.2", "40.1;-50.2;150", "40.1 -50.2 150.4", "here", "91,0,0"}, "tags": {"", "First aid", "B, A", "A, B", "A, A"},
	"state":     {"", "open", "closed", "shut"},
	"starts_on": {"2026-01-05", "2026-11-02", "", "5 Jan"}, "ends_on": {"", "2027-01-05"},
	"open_to_all": {"", "yes", "no", "everyone"}, "billable": {"", "yes", "no", "No"},
	"bill_rate": {"", "61", "61.00", "61.5", "-3", "lots"},
	"budget":    {"", "120", "120.0", "120.5", "1e3"}, "public_work": {"", "no"},
	"task": {"", "", "Connecting", "connecting", "Polishing", " Polishing"}, "cost_code": {"", "530", "999"},
	"estimate":      {"", "12", "12.50", "x"},
	"task_billable": {"", "yes", "no"}, "class": {"", "ELE", "ele", "none"}, "task_state": {"", "open", "closed"},

	"given_name": {"Ada", "Bo", ""}, "family_name": {"Lund", "Munro", " Lund"},
	"email": {"", "a@b.example", "A@b.example", "b@b.example", "nobody"}, "unit": {"Plate shop", "plate shop", "Moon crew", ""},
	"level": {"", "worker", "Crew lead", "owner"}, "rate": {"", "22", "22.50", "-1"},
	"pattern": {"", "0 8 8 8 8 8 0", "0 7:30 7:30 7:30 7:30 7:30 0", "8"}, "title": {"", "Fitter"},
	"jobs":   {"", "any", "2231", "2240, 2231", "0000"},
	"mobile": {"", "+1 555 010 0199", "x"}, "classes": {"", "ELE", "ELE, IRW", "WIZ"}, "coding": {"", "required"},
	"leads": {"", "Plate shop"}, "subcontractor": {"", "yes"},
}

// dayCells are those of files about days and years.
var dayCells = map[string][]string{
	"number": {"2042", "2043", "2044", "2045", "2046", "0", ""},
	"date":   {"2026-11-08", "2026-11-09", "2026-11-01", "2026-12-24", "2026-12-31", "2027-06-01", "soon"},
	"title":  {"Lantern eve", "Eve", "", " Eve "}, "multiplier": {"", "1.5", "2.00", "0.5"},
	"hours": {"8", "2.25", "1:30", "", "x"}, "start": {"", "19:00", "6 PM", "noon"}, "end": {"", "20:30", "11 PM"},
	"job": {"", "2231", "2240", "0000"}, "until": {"2026-10-31", "2026-11-07", "2025-12-31", "2027-01-01"},
	"policy": {"10 hours a month", "An hour for every 30 worked", "10 HOURS a month ", "Moon", ""},
	"from":   {"2026-10-31", "2026-11-07", "2025-12-31", "soon"}, "balance": {"40", "7.5", "-8", "x", ""},
	"cap": {"", "60", "80.00", "-1"}, "waiting_until": {"", "2027-01-01", "soon"},
	"regular": {"1204.5", "900", "12:30", ""}, "overtime": {"", "10.5", "x"}, "doubled": {"", "2"},
}

// Whatever a file holds, its rows are judged; and once it is in, the same file
// changes nothing.
func TestAnyFileTwiceChangesNothing(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla := w.Person(t, "Orla Ebbwater")
	r := rand.New(rand.NewPCG(19, 4))
	columns := map[bringin.FileKind][]string{
		bringin.JobsFile: {"number", "name", "customer", "site", "kind", "place", "tags", "state", "starts_on", "ends_on",
			"open_to_all", "billable", "bill_rate", "budget", "public_work", "task", "cost_code", "estimate",
			"task_billable", "class", "task_state"},
		bringin.PeopleFile: {"number", "given_name", "family_name", "email", "unit", "starts_on", "level", "rate", "pattern", "title",
			"jobs", "mobile", "classes", "coding", "leads", "subcontractor"},
		bringin.HoursFile: {"number", "date", "hours", "start", "end", "job"}, bringin.YearFile: {"number", "until", "regular",
			"overtime", "doubled"},
		bringin.HolidaysFile: {"date", "title", "multiplier"},
		bringin.LeaveFile:    {"number", "policy", "from", "balance", "cap", "waiting_until"},
	}
	brought, byKind := 0, map[bringin.FileKind]int{}
	for n := range 80 {
		kind := []bringin.FileKind{bringin.JobsFile, bringin.PeopleFile, bringin.JobsFile, bringin.PeopleFile, bringin.HoursFile,
			bringin.YearFile, bringin.HolidaysFile, bringin.LeaveFile}[n%8]
		head := columns[kind]
		rows := [][]string{head}
		for range 1 + r.IntN(12) {
			row := make([]string, len(head))
			job := r.IntN(2) == 0 // or a task
			for i, key := range head {
				pool := cellsOf[key]
				if kind != bringin.JobsFile && kind != bringin.PeopleFile {
					pool = dayCells[key]
				}
				if r.IntN(3) > 0 || i < 6 && kind == bringin.PeopleFile || key == "number" {
					row[i] = pool[min(r.IntN(len(pool)), r.IntN(len(pool)), r.IntN(len(pool)))] // what is wrong stands last
				}
				if task := i >= 15; kind == bringin.JobsFile && i > 0 && task == job {
					row[i] = ""
				}
			}
			rows = append(rows, row)
		}
		judge := func() *bringin.ImportPage { return apptest.TakeFile(t, w, orla, kind, rows) }
		p := judge()
		byKind[kind] += p.Count[bringin.RowNew] + p.Count[bringin.RowChanged]
		brought += p.Count[bringin.RowNew] + p.Count[bringin.RowChanged]
		bring := bringin.BringIn{Kind: kind, Import: p.ID, Wrong: p.Count[bringin.RowWrong]}
		var act app.Act = bring
		if kind == bringin.HolidaysFile {
			act = bringin.BringInSettings{BringIn: bring}
		}
		if err := w.Do(ctx, orla, act); err != nil {
			t.Fatalf("file %d: %v\n%q", n, err, rows)
		}
		for i, row := range judge().Rows {
			if row.State == bringin.RowNew || row.State == bringin.RowChanged && p.Rows[i].State != bringin.RowWrong {
				t.Errorf("file %d, line %d, %q: first %s, then %s: %s", n, row.Line, row.Cells, p.Rows[i].State, row.State, row.What)
			}
		}
	}
	for kind := range columns {
		if byKind[kind] == 0 {
			t.Errorf("not one row of a file of %s was brought in", kind)
		}
	}
	if brought < 100 {
		t.Errorf("only %d rows were brought in", brought)
	}
	apptest.AllConsistent(t, w)
}
