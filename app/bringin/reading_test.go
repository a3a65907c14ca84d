package bringin_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/bringin"
	"manudex/dbtest"
	"manudex/files"
)

// A column in which no row decides is asked about, never guessed: its rows are wrong
// until it is answered. Heads are guessed, and what a column was taken for is
// remembered. Everything wrong with a row is said at once, and can be put right.
func TestReadingAFile(t *testing.T) {
	w := dbtest.Open(t)
	ctx := t.Context()
	orla := w.Person(t, "Orla Ebbwater")
	rows := [][]string{
		{"Emp No.", "Surname", "First Name", "Date of hire", "Crew", "Wage", "Cell #", "Spare"},
		{"901", "Lund", "Bo", "4/7/2026", "Paint line", "1.234", "(617) 555-0142", "a"},
		{"902", "Munro", "Ada", "5/5/2026", "Paint line", "21", "617.555.0143", "b"},
		{"903", "Holt", "Pia", "6/8/2026", "Moon crew", "2.500", "1.6E+10", "c"},
		{"904", "Lund", "Bo", "5/5/2026", "Paint line", "21", "+1 617 555 0142", "d"},
	}
	p := apptest.TakeFile(t, w, orla, bringin.PeopleFile, rows)
	if got := fmt.Sprint(p.Matched); got != "[number family_name given_name starts_on unit rate  ]" {
		t.Fatalf("the columns are taken for %s", got)
	}
	matched := append([]string{}, p.Matched...)
	matched[6] = "mobile"
	apptest.Must(t, w.Do(ctx, orla, bringin.MatchColumns{Kind: bringin.PeopleFile, Import: p.ID, Matched: matched}))
	read := func() *bringin.ImportPage {
		t.Helper()
		p, err := bringin.ReadImportPage(ctx, w.App, orla, bringin.PeopleFile, p.ID)
		apptest.Must(t, err)
		return p
	}
	q := read()
	if len(q.Questions) != 2 || q.Questions[0].Sample != "4/7/2026" || q.Questions[0].Ways["dmy"] != "2026-07-04" ||
		q.Questions[0].Ways["mdy"] != "2026-04-07" || q.Questions[1].Ways["point"] != "1.234" || q.Questions[1].Ways["comma"] != "1234" {
		t.Errorf("asked: %+v", q.Questions)
	}
	if got := apptest.RowCounts(q); got != "2 0 0 2" || !strings.Contains(q.Rows[0].What, "say above which comes first") {
		t.Errorf("before it is answered: %s, %s", got, q.Rows[0].What)
	}
	if what := q.Rows[2].What; len(q.Rows[2].Faults) != 4 || strings.Contains(what, "missing") {
		t.Errorf("what is wrong with a row: %q", what)
	}
	if !strings.Contains(q.Rows[3].Doubt, "as number 901") {
		t.Errorf("a likely double: %q", q.Rows[3].Doubt)
	}
	for column, manner := range map[int]files.Manner{3: files.DayFirst, 5: files.Point} {
		apptest.Must(t, w.Do(ctx, orla, bringin.ReadColumnAs{Kind: bringin.PeopleFile, Import: p.ID, Column: column, Manner: manner}))
	}
	q = read()
	if got := apptest.RowCounts(q); got != "3 0 0 1" || len(q.Questions) != 0 ||
		!strings.Contains(q.Rows[0].What, "Hired: 2026-07-04 · Rate an hour: 1.234") {
		t.Errorf("answered: %s, %+v, %s", got, q.Questions, q.Rows[0].What)
	}
	apptest.Must(t, w.Do(ctx, orla, bringin.PutRight{Kind: bringin.PeopleFile, Import: p.ID, Row: 2,
		Cells: map[int]string{4: "Paint line", 6: "617-555-0144"}}))
	if q = read(); apptest.RowCounts(q) != "4 0 0 0" || q.Rows[2].Cells[7] != "c" || q.Rows[2].Values["mobile"] != "+1 617-555-0144" {
		t.Errorf("put right: %s, %+v", apptest.RowCounts(q), q.Rows[2])
	}
	apptest.Must(t, w.Do(ctx, orla, bringin.BringIn{Kind: bringin.PeopleFile, Import: p.ID}))
	again := apptest.TakeFile(t, w, orla, bringin.PeopleFile, rows[:2])
	if again.Matched[6] != "mobile" || again.Matched[7] != "" {
		t.Errorf("the next file's columns are taken for %q", again.Matched)
	}
	if r := apptest.Refusal(t, w.Do(ctx, orla, bringin.PutRight{Kind: bringin.PeopleFile, Import: p.ID, Row: 0,
		Cells: map[int]string{0: "7"}})); !strings.Contains(r.Wrong, "in already") {
		t.Errorf("a file that is in: %+v", r)
	}
}

// What can't be put right, or is somebody else's file, isn't there.
func TestRepairsStayWithinAFile(t *testing.T) {
	w := dbtest.Open(t)
	orla, mira := w.Person(t, "Orla Ebbwater"), w.Person(t, "Mira Castellane")
	p := apptest.TakeFile(t, w, orla, bringin.PeopleFile, [][]string{{"Number", "Hired"}, {"7", "1/2/2026"}})
	for name, act := range map[string]app.Act{
		"no such row":     bringin.PutRight{Kind: bringin.PeopleFile, Import: p.ID, Row: 1, Cells: map[int]string{0: "8"}},
		"no such column":  bringin.PutRight{Kind: bringin.PeopleFile, Import: p.ID, Row: 0, Cells: map[int]string{2: "8"}},
		"no such manner":  bringin.ReadColumnAs{Kind: bringin.PeopleFile, Import: p.ID, Column: 1, Manner: "sideways"},
		"a column beyond": bringin.ReadColumnAs{Kind: bringin.PeopleFile, Import: p.ID, Column: 2, Manner: files.DayFirst},
		"of another kind": bringin.PutRight{Kind: bringin.JobsFile, Import: p.ID, Row: 0, Cells: map[int]string{0: "8"}},
	} {
		if err := w.Do(t.Context(), orla, act); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, act := range map[string]app.Act{
		"another's row":    bringin.PutRight{Kind: bringin.PeopleFile, Import: p.ID, Row: 0, Cells: map[int]string{0: "8"}},
		"another's column": bringin.ReadColumnAs{Kind: bringin.PeopleFile, Import: p.ID, Column: 1, Manner: files.DayFirst},
	} {
		if err := w.Do(t.Context(), mira, act); !errors.Is(err, app.ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
	long := bringin.PutRight{Kind: bringin.PeopleFile, Import: p.ID, Row: 0, Cells: map[int]string{0: strings.Repeat("x", 2001)}}
	if r := apptest.Refusal(t, w.Do(t.Context(), orla, long)); !strings.Contains(r.Wrong, "too long") {
		t.Errorf("a cell that is too long: %+v", r)
	}
}
