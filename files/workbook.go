package files

import (
	"bytes"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// readWorkbook reads the first sheet of a workbook. Texts stay as they are, 007 too;
// numbers come with all their digits, and what is shown as a date as one.
func readWorkbook(data []byte) (Table, error) {
	wrong := fmt.Errorf("this workbook can't be read: save it as XLSX, or its sheet as CSV")
	f, err := excelize.OpenReader(bytes.NewReader(data), excelize.Options{UnzipSizeLimit: MaxUnpacked, UnzipXMLSizeLimit: MaxUnpacked})
	if err != nil {
		return Table{}, wrong
	}
	defer f.Close()
	sheets := f.GetSheetList()
	if len(sheets) == 0 {
		return Table{}, wrong
	}
	rows, err := f.GetRows(sheets[0], excelize.Options{RawCellValue: true})
	if err != nil {
		return Table{}, wrong
	}
	dates := map[int]bool{} // by style
	var t Table
	for i, row := range rows {
		for k, value := range row {
			if row[k], err = cellText(f, sheets[0], i, k, value, dates); err != nil {
				return Table{}, wrong
			}
		}
		if err := t.add(row, i+1); err != nil {
			return Table{}, err
		}
	}
	if len(t.Rows) == 0 {
		return t, fmt.Errorf("the first sheet of the workbook is empty: its first row names the columns")
	}
	return t, nil
}

// cellText gives what a cell holds: a date where a number is shown as one.
func cellText(f *excelize.File, sheet string, row, column int, value string, dates map[int]bool) (string, error) {
	number, err := strconv.ParseFloat(value, 64)
	if err != nil {
		return value, nil
	}
	name, err := excelize.CoordinatesToCellName(column+1, row+1)
	if err != nil {
		return "", err
	}
	style, err := f.GetCellStyle(sheet, name)
	if err != nil || style == 0 {
		return value, err
	}
	isDate, known := dates[style]
	if !known {
		s, err := f.GetStyle(style)
		if err != nil {
			return "", err
		}
		isDate = showsDate(s)
		dates[style] = isDate
	}
	if kind, err := f.GetCellType(sheet, name); err != nil || !isDate || kind == excelize.CellTypeSharedString ||
		kind == excelize.CellTypeInlineString {
		return value, err
	}
	at, err := excelize.ExcelDateToTime(number, false)
	if err != nil {
		return value, nil
	}
	return at.Format("2006-01-02"), nil
}

var quoted = regexp.MustCompile(`"[^"]*"|\[[^\]]*\]|\\.`)

// showsDate says whether a style shows numbers as dates: one of the formats that are
// numbered so (ECMA-376, 18.8.30), or one with years or days.
func showsDate(s *excelize.Style) bool {
	if s.CustomNumFmt != nil {
		return strings.ContainsAny(strings.ToLower(quoted.ReplaceAllString(*s.CustomNumFmt, "")), "yd")
	}
	n := s.NumFmt
	return n >= 14 && n <= 17 || n == 22 || n >= 27 && n <= 31 || n == 36 || n >= 50 && n <= 54 || n == 57 || n == 58
}
