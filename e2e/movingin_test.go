package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"manudex/dbtest"
)

// An office that moves in brings the days of the open period and the sums of the year: a
// wrong row is put right where it stands, the card says where its hours come from, the
// person sees their year, and a file is taken back whole.
func TestMovingIn(t *testing.T) {
	s := open(t)
	file := func(name, text string) string {
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	number := dbtest.Get[string](t, s.World, `select number from person where given_name = 'Dao'`)
	days := file("days.csv", "Emp #;Work date;Hrs;Job #\n"+number+";11/8/2026;7.5;2231\n"+number+";11/8/2026;0:45;9999\n")
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/setup")
	d.press("^Moving in$")
	d.press("^Bring in days worked before$")
	d.MustElement("#file").MustSetFiles(days)
	d.press("^See what each row would do$")
	d.press("^8 November 2026$") // no row says whether the day or the month comes first
	d.sees(".sum", "1 new · 0 changed · 0 the same · 1 wrong")
	d.sees("tbody", "There is no job 9999")
	d.sees("tbody", "Sun 8 November, 7:30, 2231")
	d.MustElement(`input[name="cell-3"]`).MustSelectAllText().MustInput("2231")
	d.press("^Put it right$")
	d.press("^Bring in 2 rows$")
	d.sees("#progress", "The file is in: 2 new, 0 changed, 0 the same, 0 left out")
	d.open("/setup/on/moving")
	d.press("^1 card is brought in$")
	d.sees("tbody", "Dao Pham")
	d.open("/cards/" + dbtest.Get[string](t, s.World,
		`select employment_id || '/2026-11-08' from stint where start_by = 'brought_in' limit 1`))
	d.sees("main", "brought in")
	d.sees("main", "brought in from days.csv")

	sums := file("year.csv", "Emp #,As of,Reg hours,OT hours\n"+number+",2026-10-31,\"1,604.5\",80:30\n")
	d.open("/setup/year")
	d.MustElement("#file").MustSetFiles(sums)
	d.press("^See what each row would do$")
	d.sees("tbody", "1685:00 up to 31 October 2026, of it 80:30 overtime or double")
	d.press("^Bring in 1 row$")
	d.sees("#progress", "The file is in")
	dao := s.device(390, 844)
	dao.signIn("Dao Pham")
	dao.open("/clock/days")
	dao.sees("main", "1685:00 of it brought in up to Sat 31 Oct")

	d.open("/setup/hours")
	d.press("^days.csv$")
	d.press("^Take the whole file back$")
	d.sees("main", "It was taken back")
	if n := dbtest.Get[int](t, s.World, `select count(*) from stint where start_by = 'brought_in'`); n != 0 {
		t.Errorf("%d stints of the file are left", n)
	}
}

// What a place has no use for is put away with one press, and comes back with another.
func TestAPartPutAway(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/setup")
	d.MustElement(`button[aria-label="Put away: Other pay periods"]`).MustClick()
	d.sees(".parts", "Put away. It would give people who are paid by the month")
	d.open("/people?view=pay")
	d.open("/setup/on/pay")
	if has, _, _ := d.Has("#periods"); has {
		t.Error("groups with pay periods stand on their page")
	}
	d.open("/setup")
	d.MustElement(`button[aria-label="Use it: Other pay periods"]`).MustClick()
	d.sees(".parts", "On the pages. It gives people who are paid by the month")
	d.open("/setup/on/pay")
	d.sees("#periods", "Groups with pay periods of their own")
}
