package app_test

import (
	"fmt"
	"testing"

	"manudex/app"
	"manudex/dbtest"
)

// takeFile brings a file as far as its dry run.
func takeFile(t testing.TB, w *dbtest.World, who app.Actor, kind app.FileKind, rows [][]string) *app.ImportPage {
	t.Helper()
	id := newID()
	must(t, w.Do(t.Context(), who, app.TakeFile{Kind: kind, ID: id, FileName: "rows.csv", Rows: rows}))
	p, err := w.ImportPage(t.Context(), who, kind, id)
	must(t, err)
	return p
}

// rowCounts counts the rows that are new, changed, the same and wrong.
func rowCounts(p *app.ImportPage) string {
	return fmt.Sprint(p.Count[app.RowNew], p.Count[app.RowChanged], p.Count[app.RowSame], p.Count[app.RowWrong])
}
