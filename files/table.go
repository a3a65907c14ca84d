package files

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// MaxColumns and MaxRows bound a table: a file of a few kilobytes could
// otherwise ask for gigabytes, as every row is made as wide as the header.
const (
	MaxColumns = 200
	MaxRows    = 20_000 // beside the header
)

// Table is a table that was read: the header first, every row as wide as it is, and
// in which line of the file each stands.
type Table struct {
	Rows  [][]string
	Lines []int
}

// MaxUnpacked bounds what a workbook may unpack to, in bytes.
const MaxUnpacked = 64 << 20

// ReadTable reads a table as offices have it: CSV (RFC 4180) with fields apart by
// commas, semicolons or tabs, whichever its first line has most of, in UTF-8, UTF-16
// with a byte order mark, or else Windows-1252; or the first sheet of a workbook
// (Office Open XML), in which dates come as YYYY-MM-DD. Empty rows are left out. Its
// errors say what to change.
func ReadTable(r io.Reader) (Table, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return Table{}, fmt.Errorf("the file can't be read: %w", err)
	}
	if bytes.HasPrefix(data, []byte("PK\x03\x04")) {
		return readWorkbook(data)
	}
	text, err := decoded(data)
	if err != nil {
		return Table{}, err
	}
	return readCSV(text)
}

// decoded gives the bytes of a text in UTF-8.
func decoded(data []byte) ([]byte, error) {
	switch {
	case len(bytes.TrimSpace(data)) == 0:
		return nil, fmt.Errorf("the file is empty: the first line names the columns")
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		text, err := unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder().Bytes(data)
		if err != nil {
			return nil, fmt.Errorf("the file begins as UTF-16 and isn't: save it as “CSV UTF-8”")
		}
		data = text
	case !utf8.Valid(data):
		text, err := charmap.Windows1252.NewDecoder().Bytes(data)
		if err != nil {
			return nil, fmt.Errorf("the file is in no code that offices use: save it as “CSV UTF-8”")
		}
		data = text
	}
	if bytes.IndexByte(data, 0) >= 0 {
		return nil, fmt.Errorf("this is neither a CSV file nor a workbook: save the table as CSV or XLSX")
	}
	return bytes.TrimPrefix(data, []byte("\xef\xbb\xbf")), nil
}

func readCSV(data []byte) (t Table, err error) {
	first, _, _ := bytes.Cut(data, []byte("\n"))
	c := csv.NewReader(bytes.NewReader(data))
	c.Comma = slices.MaxFunc([]rune{'\t', ';', ','}, func(a, b rune) int {
		return bytes.Count(first, []byte(string(a))) - bytes.Count(first, []byte(string(b)))
	})
	c.FieldsPerRecord = -1
	c.TrimLeadingSpace = true
	for {
		row, err := c.Read()
		if err == io.EOF {
			return t, nil
		}
		if err != nil {
			return Table{}, fmt.Errorf("the file is not proper CSV: %w; look at the quotes in that line", err)
		}
		line, _ := c.FieldPos(0)
		if err := t.add(row, line); err != nil {
			return Table{}, err
		}
	}
}

// add adds a row that stands in a line, unless it is empty.
func (t *Table) add(row []string, line int) (err error) {
	if strings.TrimSpace(strings.Join(row, "")) == "" && t.Rows != nil {
		return nil
	}
	switch {
	case len(row) > MaxColumns:
		return fmt.Errorf("line %d has %d columns: keep at most %d", line, len(row), MaxColumns)
	case len(t.Rows) > MaxRows:
		return fmt.Errorf("the file has more than %d rows: bring it in in parts", MaxRows)
	case t.Rows != nil:
		if row, err = asWide(row, len(t.Rows[0]), line); err != nil {
			return err
		}
	}
	t.Rows, t.Lines = append(t.Rows, row), append(t.Lines, line)
	return nil
}

// asWide makes a row as wide as the header; what is beyond it must be empty.
func asWide(row []string, width, line int) ([]string, error) {
	if len(row) > width {
		if extra := strings.TrimSpace(strings.Join(row[width:], "")); extra != "" {
			return nil, fmt.Errorf("line %d has %d columns, the first line %d: give each column a name, or take the rest out", line,
				len(row), width)
		}
		return row[:width], nil
	}
	return append(row, make([]string, width-len(row))...), nil
}
