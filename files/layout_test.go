package files

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/xuri/excelize/v2"

	"manudex/core/when"
)

// someRun makes the lines of a random run, of a few people with names that files have trouble with.
func someRun(r *rand.Rand) []RunLine {
	var lines []RunLine
	first := when.NewDate(2026, 11, 8)
	names := []string{"Brandt", "O'Neil, Jr", `Q"uote`, "Fjørd", "Müller;x"}
	for p := range 1 + r.IntN(5) {
		for range 1 + r.IntN(12) {
			l := RunLine{Run: 9, From: first, To: first + 13, Number: fmt.Sprint(2000 + p), Family: names[p], Given: "A",
				Date: first + when.Date(r.IntN(14)),
				Job:  "2231", PayCode: []string{"REG", "OVT", "PTO", "BONUS"}[r.IntN(4)], Class: "regular", Rate: "20.125",
				Site: []string{"Yard", "Pier 4"}[p%2], Way: []string{"bank", ""}[p%2], Account: "5000"}
			l.Kind = map[string]string{"REG": "straight", "OVT": "straight", "PTO": "leave", "BONUS": "extra"}[l.PayCode]
			if l.PayCode == "OVT" {
				l.Class = "overtime"
			}
			if l.Kind != "extra" {
				l.Seconds = r.Int64N(40_000) - 4000
			}
			l.Amount = decimal.New(r.Int64N(90_000)-9000, -2).StringFixed(2)
			lines = append(lines, l)
		}
	}
	return lines
}

func someLayout(r *rand.Rand) Layout {
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	l := Layout{Name: "Ours", Rows: one("person", "person_code", "line", "day"), Separator: one(";", "\t", "|"),
		Quotes:   one("needed", "always"),
		Encoding: one("utf-8", "utf-8-bom", "windows-1252", "utf-16"), Header: r.IntN(2) == 0, LineEnd: one("crlf", "lf"),
		Decimal: one(".", ","),
		Date:    one("yyyy-mm-dd", "dd.mm.yyyy", "yyyymmdd"), Hours: one("4 decimals", "2 decimals", "1 decimal", "quarters", "whole",
			"h:mm", "minutes",
			"seconds"), Money: r.IntN(4), FilePer: one("run", "site", "way"),
		Columns: []LayoutColumn{{Name: "NO", Value: "number"}, {Name: "NAME", Value: "family_name"}, {Name: "CO", Constant: `00"42`},
			{Name: "HRS", Value: "hours"}, {Name: "SUM", Value: "amount"}}}
	if l.Rows == "person_code" || l.Rows == "line" {
		l.Columns = append(l.Columns, LayoutColumn{Name: "CODE", Value: "pay_code"})
		l.Codes = map[string]string{"REG": "01", "OVT": "02", "PTO": "11", "BONUS": "90"}
	}
	if l.Rows == "person" {
		l.Columns = append(l.Columns, LayoutColumn{Name: "OT", Value: "hours_of", Code: "OVT"}, LayoutColumn{Name: "NET", Value: "net"})
	}
	return l
}

// read reads a file of a layout back, without its header.
func read(t *testing.T, l Layout, data []byte) [][]string {
	t.Helper()
	text, err := decoded(data)
	if err != nil {
		t.Fatal(err)
	}
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))))
	in.Comma = []rune(l.Separator)[0]
	rows, err := in.ReadAll()
	if err != nil {
		t.Fatalf("%+v: %v\n%s", l, err, text)
	}
	if l.Header {
		return rows[1:]
	}
	return rows
}

// seconds reads hours as a layout writes them.
func seconds(t *testing.T, l Layout, s string) int64 {
	t.Helper()
	s = strings.Replace(s, l.Decimal, ".", 1)
	if l.Hours == "h:mm" {
		h, m, _ := strings.Cut(strings.TrimPrefix(s, "-"), ":")
		n := decimal.RequireFromString(h).IntPart()*3600 + decimal.RequireFromString(m).IntPart()*60
		if strings.HasPrefix(s, "-") {
			return -n
		}
		return n
	}
	d := decimal.RequireFromString(s)
	switch l.Hours {
	case "minutes":
		return d.IntPart() * 60
	case "seconds":
		return d.IntPart()
	}
	return d.Mul(decimal.NewFromInt(3600)).Round(0).IntPart()
}

// Each layout read back equals the run, at its own precision: what is added up comes to its rounded total, each
// person's where there are several rows of one, and each column's otherwise.
func TestALayoutReadBackIsTheRun(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 16))
	for range 1500 {
		lines, l := someRun(r), someLayout(r)
		if err := l.Check(); err != nil {
			t.Fatalf("%+v: %v", l, err)
		}
		made, report, err := l.Make(lines, 2)
		if err != nil {
			t.Fatal(err)
		}
		var rows [][]string
		for _, f := range made {
			rows = append(rows, read(t, l, f.Data)...)
		}
		if len(rows) != report.Rows || len(report.Left) > 0 || len(report.Unknown) > 0 {
			t.Fatalf("%d rows of %d; left %v, unknown %v", len(rows), report.Rows, report.Left, report.Unknown)
		}
		exact, got := map[string]int64{}, map[string]int64{}
		money, gotMoney := map[string]decimal.Decimal{}, map[string]decimal.Decimal{}
		key := func(number string) string {
			if l.Rows == "person" {
				return ""
			}
			return number
		}
		for _, x := range lines {
			if counted(x.Kind) {
				exact[key(x.Number)] += x.Seconds
			}
			money[key(x.Number)] = money[key(x.Number)].Add(x.amount())
		}
		for _, row := range rows {
			got[key(row[0])] += seconds(t, l, row[3])
			gotMoney[key(row[0])] = gotMoney[key(row[0])].Add(decimal.RequireFromString(strings.Replace(row[4], l.Decimal, ".", 1)))
			if row[2] != `00"42` || !slices.ContainsFunc(lines, func(x RunLine) bool { return x.Number == row[0] && x.Family == row[1] }) {
				t.Fatalf("a row of nobody: %v", row)
			}
		}
		for k, want := range exact {
			if step := LayoutHours[l.Hours]; step > 1 {
				want = nearestStep(want, step)
			} else if l.Hours == "4 decimals" {
				got[k] = want // every second is told apart, and sums of hours are off by less
			}
			if got[k] != want {
				t.Fatalf("%s, %s: hours %d, want %d", l.Rows, l.Hours, got[k], want)
			}
			if sum := money[k].Round(int32(l.Money)); !gotMoney[k].Equal(sum) &&
				!(money[k].Sub(gotMoney[k]).Abs().Equal(money[k].Sub(sum).Abs())) {
				t.Fatalf("%s with %d decimals: %s, want %s", l.Rows, l.Money, gotMoney[k], sum)
			}
		}
		data, err := json.Marshal(l)
		if err != nil {
			t.Fatal(err)
		}
		if again, err := ParseLayout(data); err != nil || fmt.Sprint(again) != fmt.Sprint(l) {
			t.Fatalf("%s read again: %+v, %v", data, again, err)
		}
		if columns, err := ParseColumns(WriteColumns(l.Columns)); err != nil || len(columns) != len(l.Columns) {
			t.Fatalf("columns read again: %v, %v", columns, err)
		}
	}
}

// Each person comes to their rounded total, and as many of the pay codes to theirs as is possible: held against every
// choice of cells that leaves the people as they are.
func TestPeopleAndCodesComeToTheirTotals(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 16))
	l := Layout{Rows: "person_code", Hours: "quarters", Columns: []LayoutColumn{{Name: "HRS", Value: "hours"}}}
	step := LayoutHours[l.Hours]
	perfect := 0
	for range 2000 {
		var lines []RunLine
		for p := range 1 + r.IntN(4) {
			for _, code := range []string{"REG", "OVT", "PTO"} {
				if r.IntN(4) > 0 {
					lines = append(lines, RunLine{Number: fmt.Sprint(p), Family: fmt.Sprint(p), PayCode: code, Kind: "straight",
						Seconds: r.Int64N(8000) - 1000, Amount: "0"})
				}
			}
		}
		var report LayoutReport
		rows := l.rows(lines)
		cells := l.round(rows, 2, &report)
		least, got := int64(-1), offBy(rows, cells, step)
		each := map[string]int64{}
		for i, row := range rows {
			each[row.first.Number] += cells[i][0]
			if off := cells[i][0] - floorStep(row.values[0], step); off != 0 && (off != step || row.values[0]%step == 0) {
				t.Fatalf("%d s are written as %d", row.values[0], cells[i][0])
			}
		}
		choose := make([][]int64, len(rows))
		var try func(i int)
		try = func(i int) {
			if i == len(rows) {
				people := map[string]int64{}
				for n, row := range rows {
					people[row.first.Number] += choose[n][0]
				}
				if off := offBy(rows, choose, step); maps.Equal(people, each) && (least < 0 || off < least) {
					least = off
				}
				return
			}
			down := floorStep(rows[i].values[0], step)
			if choose[i] = []int64{down}; rows[i].values[0]%step != 0 {
				try(i + 1)
				choose[i] = []int64{down + step}
			}
			try(i + 1)
		}
		try(0)
		exact := map[string]int64{}
		for _, x := range lines {
			exact[x.Number] += x.Seconds
		}
		for p, sum := range each {
			if sum != nearestStep(exact[p], step) {
				t.Fatalf("a person's %d s come to %d", exact[p], sum)
			}
		}
		if got != least || (got == 0) != (len(report.Off) == 0) {
			t.Fatalf("the codes are off by %d s, and could be by %d: %v", got, least, report.Off)
		}
		if got == 0 {
			perfect++
		}
	}
	if perfect < 500 || perfect == 2000 {
		t.Errorf("all codes come to theirs in %d of 2000 tables", perfect)
	}
}

// offBy adds up by how much pay codes are off their rounded totals.
func offBy(rows []layoutRow, cells [][]int64, step int64) (sum int64) {
	exact, got := map[string]int64{}, map[string]int64{}
	for i, row := range rows {
		exact[row.first.PayCode] += row.values[0]
		got[row.first.PayCode] += cells[i][0]
	}
	for code, v := range exact {
		sum += max(got[code]-nearestStep(v, step), nearestStep(v, step)-got[code])
	}
	return sum
}

// What a layout moves, leaves out, doesn't know or can't write is named.
func TestWhatALayoutSays(t *testing.T) {
	line := func(code string, seconds int64, amount string) RunLine {
		return RunLine{Number: "1", Family: "Brandt", Given: "Tomasz", PayCode: code, Kind: "straight", Class: "regular",
			Seconds: seconds, Amount: amount}
	}
	l := Layout{Name: "x", Rows: "person_code", Separator: ",", Quotes: "needed", Encoding: "windows-1252", LineEnd: "lf", Decimal: ".",
		Date: "yyyy-mm-dd", Hours: "quarters", Money: 2, FilePer: "run", Codes: map[string]string{"REG": "01"},
		Columns: []LayoutColumn{{Name: "CODE", Value: "pay_code"}, {Name: "HRS", Value: "hours"}}}
	_, report, err := l.Make([]RunLine{line("REG", 36_400, "200"), line("OVT", 7_300, "50.50"), line("DBL", 1_000, "8")}, 2)
	if err != nil {
		t.Fatal(err)
	}
	// 44,700 s are 12.4167 h, so 12.5 of 10.1111, 2.0278 and 0.2778: 10, 2 and 0.25 leave 0.25 to the largest remainder.
	want := []string{"Tomasz Brandt, HRS: 10.1111 is written as 10.25, so that the column comes to its rounded total"}
	if !slices.Equal(report.Moved, want) {
		t.Errorf("moved: %v, want %v", report.Moved, want)
	}
	if got := strings.Join(report.Left, "; "); got != "8.00 of DBL; 50.50 of OVT; 200.00 of REG" {
		t.Errorf("left out: %s", got)
	}
	if got := strings.Join(report.Unknown, " "); got != "DBL OVT" {
		t.Errorf("unknown: %s", got)
	}
	l.Columns = []LayoutColumn{{Name: "N", Value: "name"}}
	one := line("REG", 0, "0")
	one.Family = "Łuk"
	files, report, err := l.Make([]RunLine{one}, 2)
	if err != nil || string(files[0].Data) != "\"?uk, Tomasz\"\n" || strings.Join(report.Lost, "") != "Ł" {
		t.Errorf("what the encoding doesn't have: %q, %v, %v", files[0].Data, report.Lost, err)
	}
	l.Quotes = "never"
	if _, _, err := l.Make([]RunLine{one}, 2); err == nil || !strings.Contains(err.Error(), "there are no quotes") {
		t.Errorf("a field that needs quotes: %v", err)
	}
}

func TestALayoutThatCantBe(t *testing.T) {
	good := someLayout(rand.New(rand.NewPCG(1, 1)))
	good.Rows, good.Columns = "person", []LayoutColumn{{Name: "A", Value: "number"}}
	for want, change := range map[string]func(l *Layout){
		"name": func(l *Layout) { l.Name = " " }, "rows": func(l *Layout) { l.Rows = "x" },
		"encoding":  func(l *Layout) { l.Encoding = "ebcdic" },
		"separator": func(l *Layout) { l.Separator, l.Decimal = ",", "," }, "hours": func(l *Layout) { l.Hours = "days" },
		"money": func(l *Layout) { l.Money = 5 }, "date": func(l *Layout) { l.Date = "" }, "quotes": func(l *Layout) { l.Quotes = "" },
		"columns":  func(l *Layout) { l.Columns[0].Value = "salary" },
		"line_end": func(l *Layout) { l.LineEnd = "" }, "decimal": func(l *Layout) { l.Decimal = "'" },
		"file_per": func(l *Layout) { l.FilePer = "" },
	} {
		l := good
		l.Columns = slices.Clone(good.Columns)
		change(&l)
		if err := l.Check(); err == nil {
			t.Errorf("%s: taken", want)
		}
	}
	for _, value := range []string{"pay_code", "date", "job", "hours_of"} {
		l := good
		l.Columns = []LayoutColumn{{Name: "A", Value: value}}
		if err := l.Check(); err == nil {
			t.Errorf("%s in a row of a person: taken", value)
		}
	}
	for _, text := range []string{"A", "A =", `A = "x`} {
		if c, err := ParseColumns(text); err == nil {
			t.Errorf("%q is taken for %v", text, c)
		}
	}
	if _, err := ParseLayout([]byte(`{"name":"x","colour":"red"}`)); err == nil {
		t.Error("a field that is none is taken")
	}
}

// A workbook read back holds the run, and its formulas worked out agree with the values they hold.
func TestAWorkbookReadBack(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	by := when.NewDate(2026, 12, 6)
	for range 30 {
		lines := someRun(r)
		for _, table := range []RunTable{TotalsTable(lines, []LeftOut{{"1", "B", "A", 3600, "hours in dispute", &by}}, 2),
			DaysTable(lines, 2),
			AccountsTable(lines, 2)} {
			var b bytes.Buffer
			if err := table.WriteXLSX(&b); err != nil {
				t.Fatal(err)
			}
			f, err := excelize.OpenReader(&b)
			if err != nil {
				t.Fatal(err)
			}
			last := len(table.Rows) + 2
			for _, c := range table.Totals {
				name, _ := excelize.ColumnNumberToName(c + 1)
				cell := fmt.Sprint(name, last)
				if formula, _ := f.GetCellFormula(table.Name, cell); formula != fmt.Sprintf("SUM(%s2:%s%d)", name, name, last-1) &&
					len(table.Rows) > 0 {
					t.Fatalf("%s %s holds %q", table.Name, cell, formula)
				}
				if len(table.Rows) == 0 {
					continue
				}
				held, _ := f.GetCellValue(table.Name, cell, excelize.Options{RawCellValue: true})
				worked, err := f.CalcCellValue(table.Name, cell, excelize.Options{RawCellValue: true})
				if err != nil {
					t.Fatal(err)
				}
				a, b := decimal.RequireFromString(held), decimal.RequireFromString(worked)
				if a.Sub(b).Abs().GreaterThan(decimal.New(1, -6)) {
					t.Fatalf("%s %s holds %s and comes to %s", table.Name, cell, held, worked)
				}
			}
			for i, row := range table.Rows {
				for c, want := range row {
					name, _ := excelize.CoordinatesToCellName(c+1, i+2)
					got, _ := f.GetCellValue(table.Name, name, excelize.Options{RawCellValue: true})
					switch {
					case want.Amount != nil && !decimal.RequireFromString(got).Equal(*want.Amount),
						want.Seconds != nil && !decimal.RequireFromString(got).Equal(decimal.RequireFromString(Hours4(*want.Seconds))),
						want.Text != "" && got != want.Text:
						t.Fatalf("%s %s is %q, want %+v", table.Name, name, got, want)
					}
					if shown, _ := f.GetCellValue(table.Name, name); want.Date != nil && shown != want.Date.String() {
						t.Fatalf("%s %s is shown as %q, want %s", table.Name, name, shown, want.Date)
					}
				}
			}
			if err := f.Close(); err != nil {
				t.Fatal(err)
			}
		}
		// Both sides of the accounts come to the same.
		var debit, credit decimal.Decimal
		for _, row := range AccountsTable(lines, 2).Rows {
			debit, credit = debit.Add(*row[2].Amount), credit.Add(*row[3].Amount)
		}
		if !debit.Equal(credit) {
			t.Fatalf("%s on one side, %s on the other", debit, credit)
		}
	}
}
