package files

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"
)

// MaxColumns and MaxRows bound a table: a file of a few kilobytes could
// otherwise ask for gigabytes, as every row is made as wide as the header.
const (
	MaxColumns = 200
	MaxRows    = 20_000 // beside the header
)

// ReadTable reads a CSV file (RFC 4180) with a header: fields apart by commas,
// semicolons or tabs, whichever its first line has most of; UTF-8, with or
// without a byte order mark. Rows come out as wide as the header, empty lines
// left out. Its errors say what to change.
func ReadTable(r io.Reader) ([][]string, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, fmt.Errorf("the file can't be read: %w", err)
	}
	data = bytes.TrimPrefix(data, []byte("\xef\xbb\xbf"))
	switch {
	case len(bytes.TrimSpace(data)) == 0:
		return nil, fmt.Errorf("the file is empty: the first line names the columns")
	case !utf8.Valid(data):
		return nil, fmt.Errorf("the file is not in UTF-8: save it as “CSV UTF-8”")
	case bytes.IndexByte(data, 0) >= 0:
		return nil, fmt.Errorf("this is not a CSV file: save the table as CSV")
	}
	first, _, _ := bytes.Cut(data, []byte("\n"))
	c := csv.NewReader(bytes.NewReader(data))
	c.Comma = slices.MaxFunc([]rune{'\t', ';', ','}, func(a, b rune) int {
		return bytes.Count(first, []byte(string(a))) - bytes.Count(first, []byte(string(b)))
	})
	c.FieldsPerRecord = -1
	c.TrimLeadingSpace = true
	var table [][]string
	for {
		row, err := c.Read()
		if err == io.EOF {
			return table, nil
		}
		if err != nil {
			return nil, fmt.Errorf("the file is not proper CSV: %w; look at the quotes in that line", err)
		}
		if strings.TrimSpace(strings.Join(row, "")) == "" && table != nil {
			continue
		}
		line, _ := c.FieldPos(0)
		switch {
		case len(row) > MaxColumns:
			return nil, fmt.Errorf("line %d has %d columns: keep at most %d", line, len(row), MaxColumns)
		case len(table) > MaxRows:
			return nil, fmt.Errorf("the file has more than %d rows: bring it in in parts", MaxRows)
		case table != nil:
			if row, err = asWide(row, len(table[0]), line); err != nil {
				return nil, err
			}
		}
		table = append(table, row)
	}
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
