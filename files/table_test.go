package files

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

func TestReadTable(t *testing.T) {
	for _, c := range []struct{ name, in, want string }{
		{"commas", "a,b\n1,2\n", "[[a b] [1 2]]"},
		{"semicolons, byte order mark, CRLF", "\xef\xbb\xbfa;b\r\n1,5;2\r\n", "[[a b] [1,5 2]]"},
		{"tabs", "a\tb\n1\t2", "[[a b] [1 2]]"},
		{"a blank after the comma, before quotes", "a, b\n1, \"2\"\n", "[[a b] [1 2]]"},
		{"quotes", "a,b\n\"x, y\",\"say \"\"so\"\"\"\n", `[[a b] [x, y say "so"]]`},
		{"empty lines and short rows", "a,b,c\n\n1\n,,\n", "[[a b c] [1  ]]"},
		{"Windows-1252", "n\xe4me,city\nBeno\xeet \x96 C\xf4t\xe9,x\n", "[[näme city] [Benoît – Côté x]]"},
		{"UTF-16", "\xff\xfea\x00;\x00b\x00\n\x00\xe9\x00;\x002\x00", "[[a b] [é 2]]"},
		{"an empty column at the end", "a,b\n1,2,\n", "[[a b] [1 2]]"},
	} {
		table, err := ReadTable(strings.NewReader(c.in))
		if got := fmt.Sprint(table.Rows); err != nil || got != c.want {
			t.Errorf("%s: %s, %v; want %s", c.name, got, err, c.want)
		}
	}
	for _, c := range []struct{ name, in, want string }{
		{"nothing", " \n", "the file is empty"},
		{"not text", "a\x00b\n", "neither a CSV file nor a workbook"},
		{"no workbook", "PK\x03\x04 and then nothing", "this workbook can't be read"},
		{"an open quote", "a,b\n\"1,2\n", "not proper CSV"},
		{"more columns than names", "a,b\n1,2,3\n", "line 2 has 3 columns, the first line 2"},
		{"lines are counted as an editor does", "a,b\n\n\n1,2,3\n", "line 4 has 3 columns"},
		{"too many columns", strings.Repeat(",", MaxColumns) + "\n", "line 1 has 201 columns"},
		{"too many rows", "a" + strings.Repeat("\n1", MaxRows+1), "more than 20000 rows"},
	} {
		if rows, err := ReadTable(strings.NewReader(c.in)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, %v; want %q", c.name, rows, err, c.want)
		}
	}
}

// Whatever comes, every row is as wide as the header, or the file is refused.
func FuzzReadTable(f *testing.F) {
	f.Add("a,b\n1,2\n")
	f.Add("a;b;\n\"1;\n\";2\n;;;\n")
	f.Add("\xef\xbb\xbf\"\n\"")
	f.Fuzz(func(t *testing.T, in string) {
		table, err := ReadTable(strings.NewReader(in))
		if err != nil {
			return
		}
		rows := table.Rows
		for _, row := range rows {
			if len(row) != len(rows[0]) {
				t.Fatalf("%d cells under %d names", len(row), len(rows[0]))
			}
		}
	})
}

// A file of a few kilobytes with a very wide header and many short rows is
// refused before it takes memory.
func TestReadTableTakesNoMoreMemoryThanItIsWorth(t *testing.T) {
	small := strings.Repeat("a,", 25_000) + "\n" + strings.Repeat("1\n", 8_000)
	size := testing.AllocsPerRun(1, func() {
		if _, err := ReadTable(strings.NewReader(small)); err == nil {
			t.Error("25,000 columns are taken")
		}
	})
	if size > 1_000 {
		t.Errorf("it took %.0f allocations to refuse it", size)
	}
}

// Lines are those of the file, whatever is left out or goes over several.
func TestLinesOfATable(t *testing.T) {
	table, err := ReadTable(strings.NewReader("a,b\n\n1,\"two\nlines\"\n\n,\n3,4\n"))
	if err != nil || fmt.Sprint(table.Lines) != "[1 3 7]" {
		t.Errorf("%v, %v", table.Lines, err)
	}
}

// A workbook's texts stay texts, its numbers have all their digits, and its dates are
// dates, whatever they are shown as.
func TestWorkbook(t *testing.T) {
	f := excelize.NewFile()
	day := time.Date(2021, 4, 7, 0, 0, 0, 0, time.UTC)
	short, long := "m/d/yy", `[$-409]mmmm d, yyyy`
	styles := []*excelize.Style{{NumFmt: 14}, {CustomNumFmt: &short}, {CustomNumFmt: &long}, {NumFmt: 4}}
	for i, row := range [][]any{{"Number", "Hired", "Cell", "Rate"}, {"007", day, 16175550142, 21.5}, {},
		{"008", day, "(617) 555-0142", 1234.5}} {
		for k, v := range row {
			cell, err := excelize.CoordinatesToCellName(k+1, i+1)
			if err != nil {
				t.Fatal(err)
			}
			if err := f.SetCellValue("Sheet1", cell, v); err != nil {
				t.Fatal(err)
			}
			style := styles[3]
			if k == 1 {
				style = styles[i%3]
			}
			if i > 0 && k != 2 {
				id, err := f.NewStyle(style)
				if err != nil {
					t.Fatal(err)
				}
				if err := f.SetCellStyle("Sheet1", cell, cell, id); err != nil {
					t.Fatal(err)
				}
			}
		}
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	table, err := ReadTable(&b)
	want := "[[Number Hired Cell Rate] [007 2021-04-07 16175550142 21.5] [008 2021-04-07 (617) 555-0142 1234.5]]"
	if got := fmt.Sprint(table.Rows); err != nil || got != want || fmt.Sprint(table.Lines) != "[1 2 4]" {
		t.Errorf("%s in %v, %v", got, table.Lines, err)
	}
}
