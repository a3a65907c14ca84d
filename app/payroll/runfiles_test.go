package payroll_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"slices"
	"strings"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/files"
)

// A file of a closed run is made once: it comes again byte for byte, whatever changed since, and all come at once.
func TestAFileOfARunIsMadeOnce(t *testing.T) {
	t.Parallel()
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, sana := w.Person(t, "Mira Castellane"), w.Person(t, "Sana Verity")
	layout := files.Layout{Name: "Ours & theirs", Rows: "person", Separator: ";", Quotes: "needed", Encoding: "utf-8", Header: true,
		LineEnd: "lf",
		Decimal: ",", Date: "dd.mm.yyyy", Hours: "quarters", Money: 2, FilePer: "way",
		Columns: []files.LayoutColumn{{Name: "NR", Value: "number"}, {Name: "STD", Value: "hours"}, {Name: "BRUTTO", Value: "gross"}}}
	apptest.Must(t, w.Do(ctx, sana, payroll.PutLayout{ID: apptest.NewID(), From: when.NewDate(2026, 1, 1), Layout: layout}))
	later := layout
	later.Separator = "|"
	apptest.Must(t, w.Do(ctx, sana, payroll.PutLayout{ID: apptest.NewID(), From: when.NewDate(2027, 1, 1), Layout: later}))
	apptest.Must(t, w.Do(ctx, sana, payroll.PutWay{Title: "Into an account", Layout: "Ours & theirs"}))
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.PutWay{Title: "By hand", Layout: "None such"})); r.Field != "layout" {
		t.Errorf("a layout that is none: %+v", r)
	}
	dao := w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "pay_way", Value: "Into an account"}))
	if r := apptest.Refusal(t, w.Do(ctx, sana, payroll.DropWay{Title: "Into an account"})); r.Field != "title" {
		t.Errorf("a way that somebody is paid by is taken out: %+v", r)
	}
	w.Set(afterPeriod)
	run, _ := apptest.CloseOpenRun(t, w)
	list, err := payroll.ReadRunFiles(ctx, w.App, sana, run)
	apptest.Must(t, err)
	var ours []string
	for _, f := range list.Files {
		if strings.HasPrefix(f.Name, "ours-theirs-") {
			ours = append(ours, f.Name)
		}
		if f.Made != nil {
			t.Errorf("%s is made already", f.Name)
		}
	}
	if len(list.Files) != 9 || len(ours) != 2 || len(list.Reports) != 1 || len(list.Reports[0].Left) > 0 {
		t.Fatalf("offered: %+v, %+v", list.Files, list.Reports)
	}
	// How people are paid is that of the closing: whose way changed since is in the file of the one they had, alone.
	number := dbtest.Get[string](t, w, `select number from person where id = $1`, dao.ID)
	apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "pay_way", Value: ""}))
	first := map[string][]byte{}
	for _, f := range list.Files {
		kept, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, f.Name)
		apptest.Must(t, err)
		if sum := sha256.Sum256(kept.Data); !bytes.Equal(sum[:], kept.SHA256) || len(kept.Data) < 20 {
			t.Errorf("%s: %d bytes, another digest", f.Name, len(kept.Data))
		}
		first[f.Name] = kept.Data
	}
	for _, f := range list.Files {
		theirs := bytes.Count(first[f.Name], []byte("\n"+number+";"))
		if slices.Contains(ours, f.Name) && theirs != strings.Count(f.What, "Into an account") {
			t.Errorf("whose way changed since is %d times in the file %q", theirs, f.What)
		}
	}
	if text := string(first[ours[0]]) + string(first[ours[1]]); !strings.Contains(text, "NR;STD;BRUTTO\n") || strings.Count(text,
		"NR;") != 2 {
		t.Errorf("by the layout of another day: %.80s", text)
	}
	_, err = w.DB.Exec(`update person set family_name = 'Renamed' where family_name = 'Brandt'; update job set number = number || 'x'`)
	apptest.Must(t, err)
	for name, data := range first {
		again, _, err := payroll.FetchRunFile(ctx, w.App, mira, run, name)
		if err != nil || !bytes.Equal(again.Data, data) {
			t.Errorf("%s comes otherwise again, %v", name, err)
		}
	}
	var b bytes.Buffer
	_, err = payroll.FetchAllFiles(ctx, w.App, sana, run, &b)
	apptest.Must(t, err)
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	apptest.Must(t, err)
	for _, f := range z.File {
		r, err := f.Open()
		apptest.Must(t, err)
		data, err := io.ReadAll(r)
		if err != nil || !bytes.Equal(data, first[f.Name]) {
			t.Errorf("%s is otherwise among all, %v", f.Name, err)
		}
	}
	if len(z.File) != len(first) {
		t.Errorf("%d files at once, want %d", len(z.File), len(first))
	}
	if _, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, "none.csv"); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("a file that is none: %v", err)
	}
	for _, name := range []string{"Dao Pham", "Orla Ebbwater"} {
		who := w.Person(t, name)
		_, _, err := payroll.FetchRunFile(ctx, w.App, who, run, "totals.csv")
		if allowed := name == "Orla Ebbwater"; errors.Is(err, app.ErrForbidden) == allowed {
			t.Errorf("%s: %v", name, err)
		}
	}
	// Who was left out stands in the file, with why and by when law wants it paid.
	kept, _, err := payroll.FetchRunFile(ctx, w.App, sana, run, "totals.csv")
	apptest.Must(t, err)
	if text := string(kept.Data); !strings.Contains(text, `left out, in dispute",2026-12-06`) {
		t.Errorf("the totals name nobody who was left out: %.200s", text)
	}
}
