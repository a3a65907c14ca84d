package payroll

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// OfferedFile is a file that can be had of a closed run.
type OfferedFile struct {
	Name string
	What string         // what is in it
	Made *store.RunFile // who made it and when, nil where nobody has yet
}

// RunFiles is what a closed run can be had as.
type RunFiles struct {
	Run     store.Run
	Files   []OfferedFile
	Reports []NamedReport // what the layouts do to it that isn't to be overlooked
}

// NamedReport is what a layout says of a run.
type NamedReport struct {
	Layout string
	files.LayoutReport
}

// standard are the files of every run.
var standard = []struct{ name, what string }{
	{"totals.csv", "sums by person and pay code, with who was left out"}, {"totals.xlsx", "the same, as a workbook"},
	{"lines.csv", "every line"}, {"days.csv", "hours by class and day"}, {"days.xlsx", "the same, as a workbook"},
	{"accounts.csv", "sums by account, on both sides"}, {"accounts.xlsx", "the same, as a workbook"},
}

// media says what kind of file a name is of.
func media(name string) string {
	switch {
	case strings.HasSuffix(name, ".xlsx"):
		return "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
	case strings.HasSuffix(name, ".csv"):
		return "text/csv; charset=utf-8; header=present"
	}
	return "text/plain"
}

// ReadRunFiles lists the files of a closed run.
func ReadRunFiles(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) (*RunFiles, error) {
	lines, _, r, err := RunLines(ctx, a, actor, run)
	if err != nil {
		return nil, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	made, err := store.RunFiles(ctx, a.DB, run)
	if err != nil {
		return nil, err
	}
	out := &RunFiles{Run: r}
	for _, s := range standard {
		out.Files = append(out.Files, OfferedFile{Name: s.name, What: s.what})
	}
	layouts, err := layoutsOn(ctx, a.DB, r.To)
	if err != nil {
		return nil, err
	}
	for _, l := range layouts {
		produced, report, err := l.Make(lines, place.PaidIn(r.Currency).CurrencyDecimals)
		if err != nil {
			report.Left = append(report.Left, err.Error())
		}
		out.Reports = append(out.Reports, NamedReport{l.Name, report})
		for _, f := range produced {
			out.Files = append(out.Files, OfferedFile{Name: layoutFileName(l, f.Of), What: strings.TrimSpace(l.Name + " " + f.Of)})
		}
	}
	for i := range made { // also by layouts that are no more
		at := slices.IndexFunc(out.Files, func(f OfferedFile) bool { return f.Name == made[i].Name })
		if at < 0 {
			at = len(out.Files)
			out.Files = append(out.Files, OfferedFile{Name: made[i].Name, What: madeBefore(made[i])})
		}
		out.Files[at].Made = &made[i]
	}
	return out, nil
}

func madeBefore(f store.RunFile) string {
	if f.Sealed {
		return "credit transfers, ISO 20022 pain.001"
	}
	return "made before"
}

// layoutsOn gives the layouts in force on a day, by name.
func layoutsOn(ctx context.Context, q store.Q, d when.Date) ([]files.Layout, error) {
	all, err := store.PayLayouts(ctx, q)
	if err != nil {
		return nil, err
	}
	var found []files.Layout
	for _, l := range all {
		if l.StartsOn > d {
			continue
		}
		var layout files.Layout
		if err := json.Unmarshal(l.Layout, &layout); err != nil {
			return nil, fmt.Errorf("read the layout %s: %w", l.Name, err)
		}
		layout.Name = l.Name
		if n := len(found); n > 0 && found[n-1].Name == l.Name {
			found[n-1] = layout
			continue
		}
		found = append(found, layout)
	}
	return found, nil
}

// layoutFileName is what a file of a layout is called: plain letters and digits.
func layoutFileName(l files.Layout, of string) string {
	name := l.Name
	if of != "" {
		name += " " + of
	}
	sum := sha256.Sum256([]byte(name)) // two names may be written alike
	return fmt.Sprintf("%s-%x.txt", files.FileName(name), sum[:2])
}

// FetchRunFile gives a file of a closed run: as it was made, or made now and kept. It is never made twice.
func FetchRunFile(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID, name string) (store.RunFile, store.Run, error) {
	lines, further, r, err := RunLines(ctx, a, actor, run)
	if err != nil {
		return store.RunFile{}, r, err
	}
	kept, err := store.GetRunFile(ctx, a.DB, run, name)
	if err == nil && kept.Sealed {
		if actor.Scope("payrun.accounts") != app.All {
			return store.RunFile{}, r, app.ErrForbidden
		}
		if kept.Data, err = a.Keys.Open(kept.Data, "file "+run.String()+" "+name); err != nil {
			return store.RunFile{}, r, fmt.Errorf("read a file of a run: %w", err)
		}
	}
	if err == nil {
		return kept, r, nil
	}
	if !store.NotFound(err) {
		return kept, r, fmt.Errorf("read a file of a run: %w", err)
	}
	data, err := makeFile(ctx, a, r, lines, further, name)
	if err != nil {
		return kept, r, err
	}
	sum := sha256.Sum256(data)
	kept, err = store.KeepRunFile(ctx, a.DB, store.RunFile{Run: run, Name: name, Media: media(name), Data: data, SHA256: sum[:],
		By:     actor.ID,
		MadeAt: a.Now()})
	return kept, r, err
}

// makeFile makes a file of a run by its name.
func makeFile(ctx context.Context, a *app.App, r store.Run, lines []files.RunLine, further []string, name string) ([]byte, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	base, kind, _ := strings.Cut(name, ".")
	if name == "lines.csv" {
		err := files.WriteRun(&b, lines, further...)
		return b.Bytes(), err
	}
	if slices.ContainsFunc(standard, func(s struct{ name, what string }) bool { return s.name == name }) {
		table, err := runTable(ctx, a.DB, base, r, lines, place.PaidIn(r.Currency).CurrencyDecimals)
		if err != nil {
			return nil, err
		}
		write := table.WriteCSV
		if kind == "xlsx" {
			write = table.WriteXLSX
		}
		err = write(&b)
		return b.Bytes(), err
	}
	layouts, err := layoutsOn(ctx, a.DB, r.To)
	if err != nil {
		return nil, err
	}
	for _, l := range layouts {
		made, _, err := l.Make(lines, place.PaidIn(r.Currency).CurrencyDecimals)
		if err != nil {
			return nil, err
		}
		for _, f := range made {
			if layoutFileName(l, f.Of) == name {
				return f.Data, nil
			}
		}
	}
	return nil, app.ErrNotFound
}

// runTable makes a table of a run by its name.
func runTable(ctx context.Context, q store.Q, name string, r store.Run, lines []files.RunLine, decimals int) (files.RunTable, error) {
	switch name {
	case "days":
		return files.DaysTable(lines, decimals), nil
	case "accounts":
		return files.AccountsTable(lines, decimals), nil
	}
	answered, err := store.RunAnswered(ctx, q, r.ID)
	if err != nil {
		return files.RunTable{}, err
	}
	var of []uuid.UUID
	for _, p := range answered {
		of = append(of, p.Employment)
	}
	payees, err := store.Payees(ctx, q, of)
	if err != nil {
		return files.RunTable{}, err
	}
	var out []files.LeftOut
	for _, p := range payees {
		at := slices.IndexFunc(answered, func(r store.RunPerson) bool { return r.Employment == p.Employment })
		said := answered[at]
		why := "left out, " + said.Reason
		if said.Answer == store.AsClocked {
			why = "paid as clocked, looked at later"
		}
		out = append(out, files.LeftOut{Number: p.Number, Family: p.Family, Given: p.Given, Seconds: said.Waiting, Why: why,
			PayBy: said.PayBy})
	}
	return files.TotalsTable(lines, out, decimals), nil
}

// FetchAllFiles gives all files of a closed run as one (ZIP).
func FetchAllFiles(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID, w io.Writer) (store.Run, error) {
	list, err := ReadRunFiles(ctx, a, actor, run)
	if err != nil {
		return store.Run{}, err
	}
	z := zip.NewWriter(w)
	for _, f := range list.Files {
		if f.Made != nil && f.Made.Sealed && actor.Scope("payrun.accounts") != app.All {
			continue
		}
		kept, _, err := FetchRunFile(ctx, a, actor, run, f.Name)
		if err != nil {
			return list.Run, err
		}
		out, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Deflate, Modified: kept.MadeAt})
		if err != nil {
			return list.Run, fmt.Errorf("write all files of a run: %w", err)
		}
		if _, err := out.Write(kept.Data); err != nil {
			return list.Run, fmt.Errorf("write all files of a run: %w", err)
		}
	}
	return list.Run, z.Close()
}
