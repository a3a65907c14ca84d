package bringin_test

import (
	"context"
	"math/rand/v2"
	"testing"

	"manudex/app/apptest"
	"manudex/app/bringin"
	_ "manudex/app/jobs"   // registers files of jobs
	_ "manudex/app/people" // registers files of people
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
	}
	brought := 0
	for n := range 60 {
		kind := []bringin.FileKind{bringin.JobsFile, bringin.PeopleFile}[n%2]
		head := columns[kind]
		rows := [][]string{head}
		for range 1 + r.IntN(12) {
			row := make([]string, len(head))
			job := r.IntN(2) == 0 // or a task
			for i, key := range head {
				if pool := cellsOf[key]; r.IntN(3) > 0 || i < 6 && kind == bringin.PeopleFile || key == "number" {
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
		brought += p.Count[bringin.RowNew] + p.Count[bringin.RowChanged]
		if err := w.Do(ctx, orla, bringin.BringIn{Kind: kind, Import: p.ID, Wrong: p.Count[bringin.RowWrong]}); err != nil {
			t.Fatalf("file %d: %v\n%q", n, err, rows)
		}
		for i, row := range judge().Rows {
			if row.State == bringin.RowNew || row.State == bringin.RowChanged && p.Rows[i].State != bringin.RowWrong {
				t.Errorf("file %d, line %d, %q: first %s, then %s: %s", n, row.Line, row.Cells, p.Rows[i].State, row.State, row.What)
			}
		}
	}
	if brought < 100 {
		t.Errorf("only %d rows were brought in", brought)
	}
	apptest.AllConsistent(t, w)
}
