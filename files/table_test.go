package files

import (
	"fmt"
	"strings"
	"testing"
)

func TestReadTable(t *testing.T) {
	for _, c := range []struct{ name, in, want string }{
		{"commas", "a,b\n1,2\n", "[[a b] [1 2]]"},
		{"semicolons, byte order mark, CRLF", "\xef\xbb\xbfa;b\r\n1,5;2\r\n", "[[a b] [1,5 2]]"},
		{"tabs", "a\tb\n1\t2", "[[a b] [1 2]]"},
		{"a blank after the comma, before quotes", "a, b\n1, \"2\"\n", "[[a b] [1 2]]"},
		{"quotes", "a,b\n\"x, y\",\"say \"\"so\"\"\"\n", `[[a b] [x, y say "so"]]`},
		{"empty lines and short rows", "a,b,c\n\n1\n,,\n", "[[a b c] [1  ]]"},
		{"an empty column at the end", "a,b\n1,2,\n", "[[a b] [1 2]]"},
	} {
		rows, err := ReadTable(strings.NewReader(c.in))
		if got := fmt.Sprint(rows); err != nil || got != c.want {
			t.Errorf("%s: %s, %v; want %s", c.name, got, err, c.want)
		}
	}
	for _, c := range []struct{ name, in, want string }{
		{"nothing", " \n", "the file is empty"},
		{"not UTF-8", "n\xe4me\n", "not in UTF-8"},
		{"not text", "a\x00b\n", "not a CSV file"},
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
		rows, err := ReadTable(strings.NewReader(in))
		if err != nil {
			return
		}
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
