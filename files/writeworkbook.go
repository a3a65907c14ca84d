package files

import (
	"fmt"
	"io"

	"github.com/xuri/excelize/v2"
)

// WriteWorkbook writes one sheet (Office Open XML): its head stands still, and cells are
// texts, whole numbers or decimal ones, as they are given. A text is never a formula.
func WriteWorkbook(w io.Writer, sheet string, head []string, rows [][]any) error {
	f := excelize.NewFile()
	defer f.Close()
	if err := f.SetSheetName("Sheet1", sheet); err != nil {
		return fmt.Errorf("write a workbook: %w", err)
	}
	out, err := f.NewStreamWriter(sheet)
	if err != nil {
		return fmt.Errorf("write a workbook: %w", err)
	}
	if err := out.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return fmt.Errorf("write a workbook: %w", err)
	}
	cells := make([]any, len(head))
	for i, h := range head {
		cells[i] = h
	}
	for i, row := range append([][]any{cells}, rows...) {
		if err := out.SetRow(fmt.Sprintf("A%d", i+1), row); err != nil {
			return fmt.Errorf("write a workbook: %w", err)
		}
	}
	if err := out.Flush(); err != nil {
		return fmt.Errorf("write a workbook: %w", err)
	}
	return f.Write(w)
}
