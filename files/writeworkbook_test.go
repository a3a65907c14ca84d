package files

import (
	"bytes"
	"testing"

	"github.com/xuri/excelize/v2"
)

// A workbook holds numbers as numbers and texts as texts, what looks like a formula too.
func TestWriteWorkbook(t *testing.T) {
	var b bytes.Buffer
	if err := WriteWorkbook(&b, "Hours", []string{"Name", "Hours"}, [][]any{{"=1+1", 7.5}, {"007", -2}}); err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&b)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for cell, want := range map[string]string{"A1": "Name", "A2": "=1+1", "B2": "7.5", "A3": "007", "B3": "-2"} {
		if got, err := f.GetCellValue("Hours", cell, excelize.Options{RawCellValue: true}); err != nil || got != want {
			t.Errorf("%s is %q, %v", cell, got, err)
		}
		if formula, err := f.GetCellFormula("Hours", cell); err != nil || formula != "" {
			t.Errorf("%s is a formula, %q, %v", cell, formula, err)
		}
	}
	for cell, text := range map[string]bool{"A3": true, "B2": false} {
		kind, err := f.GetCellType("Hours", cell)
		if err != nil || (kind == excelize.CellTypeInlineString || kind == excelize.CellTypeSharedString) != text {
			t.Errorf("%s is of kind %v, %v", cell, kind, err)
		}
	}
}
