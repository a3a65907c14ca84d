package e2e

import (
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/google/uuid"

	"manudex/dbtest"
)

// A person is added in a minute and clocks in; a setting is changed on the
// page and in the list, by the keyboard alone, and taken back.
func TestAddingAPerson(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/people")
	d.press("^Add a person$")
	d.sees("h1", "Add a person")
	for field, value := range map[string]string{"given_name": "Ottilie", "family_name": "Varga", "rate": "24,50", "title": "Plate worker"} {
		d.MustElement("#n-" + field).MustInput(value)
	}
	d.MustElement("#n-unit").MustSelect("Plate shop")
	d.watch.off = true // the refusal is a 422, which the browser notes
	d.press("^Add this person$")
	d.sees(".wrong", "Rate an hour can't be “24,50”")
	d.watch.off = false
	if kept := d.MustElement("#n-family_name").MustProperty("value").Str(); kept != "Varga" {
		t.Errorf("what was typed is lost: %q", kept)
	}
	d.MustElement("#n-rate").MustSelectAllText().MustInput("24.50")
	d.press("^Add this person$")
	d.sees("h1", "Ottilie Varga")
	d.sees(".said", "is added")
	id := dbtest.Get[uuid.UUID](t, s.World, `select id from person where family_name = 'Varga'`)

	// A setting saves as it is changed, and says so.
	d.press("^Person$")
	box := d.MustElement(`.setting input[name=field][value=mobile]`).MustParent().MustElement("input[name=value]")
	box.MustInput("+1 555 010 0177")
	d.sees(".setting .ok", "Saved")
	d.sees("#live", "Ottilie")
	if got := dbtest.Get[string](t, s.World, `select mobile from person where id = $1`, id); got != "+1 555 010 0177" {
		t.Errorf("mobile %q", got)
	}

	// The list, by the keyboard: to the title of the row, Enter, type, Enter.
	d.open("/people?q=varga")
	d.sees("td.who", "Ottilie Varga")
	d.MustEval(`() => document.querySelector('td[data-key-of="title"]').focus()`)
	d.Keyboard.MustType(input.Enter)
	d.MustElement(`td[data-key-of="title"] input`).MustSelectAllText().MustInput("Press hand")
	d.Keyboard.MustType(input.Enter)
	d.sees("#saved", "Saved: Ottilie Varga, Title: Press hand")
	d.sees(`td[data-key-of="title"]`, "Press hand")
	d.press("Undo")
	d.sees(".said", "Taken back")
	d.sees(`td[data-key-of="title"]`, "Plate worker")
}

// Sixty rows of which three are wrong: seen before anything happens, brought
// in with the wrong ones left out, and the same file again changes nothing.
func TestAFileOfPeople(t *testing.T) {
	s := open(t)
	path := filepath.Join(t.TempDir(), "crew.csv")
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	out := csv.NewWriter(f)
	rows := [][]string{{"Number", "Given name", "Family name", "Belongs to", "Hired", "Rate an hour"}}
	for i := range 60 {
		row := []string{fmt.Sprint(8000 + i), "Given", fmt.Sprint("Family", i), "Paint line", "2026-11-02", "22.00"}
		switch i {
		case 7:
			row[3] = "Nowhere"
		case 17:
			row[5] = "a lot"
		case 27:
			row[1] = ""
		}
		rows = append(rows, row)
	}
	if err := out.WriteAll(rows); err != nil {
		t.Fatal(err)
	}
	f.Close()
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	take := func() {
		d.open("/people")
		d.press("^Bring in a file of people$")
		d.MustElement("#file").MustSetFiles(path)
		d.press("^See what each row would do$")
		d.sees("h1", "crew.csv")
	}
	take()
	// One column is called something else and is matched by hand.
	d.sees(".flagline", "New people can't be added without: Crew or department")
	d.MustElement(`select[aria-label="Belongs to is taken for"]`).MustSelect("Crew or department")
	d.press("^Match them so$")
	d.sees(".sum", "57 new · 0 changed · 0 the same · 3 wrong")
	d.sees("tbody", "Crew or department can't be “Nowhere”")
	d.press("^Bring in 57 rows, leave the 3 wrong out$")
	d.sees("#progress", "The file is in: 57 new, 0 changed, 0 the same, 3 left out")
	d.press("^See the people$")
	d.sees("h1", "People")
	if n := dbtest.Get[int](t, s.World, `select count(*) from person where number like '80%'`); n != 57 {
		t.Errorf("%d people are in", n)
	}
	take() // the column's head is remembered
	d.sees(".sum", "0 new · 0 changed · 57 the same · 3 wrong")
}

// An office's list as it is: Windows-1252, its own heads, dates with the month first,
// sums with a sign, telephone numbers in three ways, a number that a spreadsheet
// spoiled. One upload, one page of repairs, 42 people.
func TestFortyTwoMessyRows(t *testing.T) {
	s := open(t)
	var b strings.Builder
	b.WriteString("First name;Last name;Emp #;Hire date;Cell phone;Job title;Crew;Pay rate\r\n")
	for i := range 42 {
		row := []string{"Beno\xeet", fmt.Sprintf("C\xf4t\xe9 %02d", i), fmt.Sprintf("%03d", i+1), fmt.Sprintf("%d/%d/2021", 1+i%12, 1+i%28),
			fmt.Sprintf("(617) 555-01%02d", i), "Fitter", "paint line ", fmt.Sprintf("$%d.50", 20+i%9)}
		switch i {
		case 3:
			row[4] = fmt.Sprintf("617.555.01%02d", i)
		case 8:
			row[4], row[7] = "1.61756E+10", "$22,5O"
		case 20:
			row[3], row[6] = "2/30/2021", "Paint lnie"
		case 33:
			row[4] = "6175550102" // as row 2, but another name
		}
		b.WriteString(strings.Join(row, ";") + "\r\n")
		if i == 10 {
			b.WriteString(";;;;;;;\r\n")
		}
	}
	path := filepath.Join(t.TempDir(), "list.csv")
	if err := os.WriteFile(path, []byte(b.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/people/file")
	d.MustElement("#file").MustSetFiles(path)
	d.press("^See what each row would do$")
	d.sees(".sum", "42 rows: 40 new · 0 changed · 0 the same · 2 wrong")
	d.sees("tbody", "“1.61756E\\+10” was a telephone number[\\s\\S]*“\\$22,5O” is no number") // both of a row at once
	d.sees("tbody tr:nth-child(2)", "^23\\s")                                                 // the line of the file, with its blank one
	d.sees("tbody", "“2/30/2021” is no day of the calendar[\\s\\S]*can't be “Paint lnie”")
	d.sees("tbody", "Hired: 2021-04-04 · Rate an hour: 23.50") // shown as read
	put := func(row string, cells map[string]string) {
		for cell, text := range cells {
			d.MustElement(row + ` [name="` + cell + `"]`).MustSelectAllText().MustInput(text)
		}
		d.MustElement(row + " .repair button").MustClick()
	}
	put("#row-8", map[string]string{"cell-4": "617 555 0108", "cell-7": "22.50"})
	d.sees(".sum", "41 new · 0 changed · 0 the same · 1 wrong")
	put("#row-20", map[string]string{"cell-3": "2/28/2021", "cell-6": "Paint line"})
	d.sees(".sum", "42 new · 0 changed · 0 the same · 0 wrong")
	d.press("^Bring in 42 rows$")
	d.sees("#progress", "The file is in: 42 new, 0 changed, 0 the same, 0 left out")
	if got := dbtest.Get[string](t, s.World, `select p.given_name || ' ' || p.family_name || ', ' || p.mobile || ', ' ||
		e.starts_on || ', ' || (select amount from rate where employment_id = e.id) from person p join employment e on e.person_id = p.id
		where p.number = '009'`); got != "Benoît Côté 08, +1 617-555-0108, 2021-09-09, 22.500000" {
		t.Errorf("number 009 is %s", got)
	}
}

// One setting for many people: previewed, changed, taken back.
func TestOneSettingForMany(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/people")
	d.press("^6\\s+Gantry crew B$")
	d.sees(".sum", "^6\\s+people")
	count := func(value string) int {
		return dbtest.Get[int](t, s.World, `select count(*) from employment e join unit u on u.id = e.unit_id
			where u.name = 'Gantry crew B' and e.own_edits = $1`, value)
	}
	crew := count("request")
	d.press("^Change one setting for these")
	d.sees("h1", "Change one setting for")
	d.MustElement("#many-field").MustSelect("Changes own hours")
	d.MustElement("#many-value").MustSelect("only through the lead")
	d.sees("tbody", "only through the lead")
	if n := count("lead"); n != 0 {
		t.Errorf("%d are changed by looking", n)
	}
	d.press(fmt.Sprintf("^Change it for %d people$", crew))
	d.sees(".said", fmt.Sprintf("Changed for %d", crew))
	if n := count("lead"); n != crew {
		t.Errorf("%d of %d are changed", n, crew)
	}
	d.press("Undo")
	d.sees(".said", "Taken back")
	if n := count("request"); n != crew {
		t.Errorf("%d of %d are as they were", n, crew)
	}
}

// The overtime rule is changed from the next workweek: tried on a sample week
// first, then in force from that Sunday and not a day before.
func TestChangingTheOvertimeRule(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/setup")
	d.press("^Overtime rules$")
	d.sees("h1", "Overtime rules")
	d.MustElement("select[name=ready]").MustSelect("Daily 8, weekly 40 (as in Alaska)")
	d.sees(".trial td", "8:00 \\+ 1:00 overtime")
	d.MustElement("#r-daily_overtime_after").MustSelectAllText().MustInput("9")
	d.sees(".trial tbody", "9:00\\s+9:00")
	d.MustElement("#r-daily_double_after").MustInput("6")
	d.sees(".wrong", "double time can't begin before daily_overtime_after")
	d.MustElement("#r-daily_double_after").MustSelectAllText().MustInput("12")
	d.sees(".trial td", "double")
	d.press("^Let these rules hold from 2026-11-15$")
	d.sees(".said", "holds from Sunday 15 November 2026")
	d.sees(".sum", "Federal 40-hour week from Sun 19 Jul 2026[\\s\\S]*from Sun 15 Nov 2026")
	if got := dbtest.Get[string](t, s.World,
		`select rules::text from rule_set where starts_on = '2026-11-15'`); got !=
		`{"daily_double_after": "12", "daily_overtime_after": "9", "weekly_overtime_after": "40"}` {
		t.Errorf("the rules kept: %s", got)
	}
	d.open("/setup/audit")
	d.sees("tbody", "Overtime rules from 2026-11-15: Federal 40-hour week → Daily 8")
}

// Tasks of one cost code are joined on a job's page, and split again.
func TestJoiningTasksOnThePage(t *testing.T) {
	s := open(t)
	estimate := filepath.Join(t.TempDir(), "estimate.csv")
	if err := os.WriteFile(estimate, []byte("Task,Cost code,Hours\nCut plates,110,12\nTrim plates,110,3.5\nFreight,110,4\n"),
		0o600); err != nil {
		t.Fatal(err)
	}
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	d.open("/jobs")
	d.press("^Add a job$")
	d.MustElement("input[name=number]").MustInput("3100")
	d.MustElement("input[name=title]").MustInput("Sign faces, Fennick")
	d.press("^Add the job$")
	d.sees("h1", "3100 Sign faces, Fennick")
	d.MustElement("input[type=file]").MustSetFiles(estimate)
	d.press("^See what each row would do$")
	d.sees("h1", "estimate.csv")
	d.sees("tbody", "3100, Cut plates")
	d.MustElement(`input[aria-label="Leave line 4 out"]`).MustClick() // not this one
	d.press("^Bring in 3 rows$")
	d.sees("#progress", "The file is in: 2 new, 0 changed, 0 the same, 1 left out")
	d.open("/jobs/" + dbtest.Get[string](t, s.World, `select id::text from job where number = '3100'`))
	d.sees("table.tasks", "same cost code as another")
	d.MustElement(`select[aria-label="Trim plates is worked as"]`).MustSelect("Cut plates")
	d.sees(".said", "worked as one from now on")
	d.sees("table.tasks tr", "Cut plates[\\s\\S]*15:30")
	d.press("^By itself again$")
	d.sees(".said", "worked by itself again")
	d.sees("table.tasks tr", "Trim plates[\\s\\S]*3:30")

	// Where the cost codes differ, the page asks first.
	d.MustElement("input[name=title]").MustInput("Lettering")
	d.MustElement("form[action$='/tasks'] input[name=code]").MustInput("230")
	d.press("^Add the task$")
	d.sees(".said", "1 task is added")
	d.MustElement(`select[aria-label="Lettering is worked as"]`).MustSelect("Cut plates")
	d.sees("#as", "Lettering has cost code 230, Cut plates has cost code 110")
	if n := dbtest.Get[int](t, s.World, `select count(*) from task where joined_into is not null`); n != 0 {
		t.Errorf("%d tasks are worked as another before it was said", n)
	}
	d.press("^Work Lettering as Cut plates all the same$")
	d.sees(".said", "worked as one from now on")
}
