package app_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
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

var thursday = when.NewDate(2026, 11, 12)

func oneDay(d when.Date) app.DeskQuery { return app.DeskQuery{Days: when.Period{From: d, To: d}} }

// refOf finds the card of somebody on a date.
func refOf(t testing.TB, w *dbtest.World, name string, d when.Date) app.CardRef {
	t.Helper()
	return app.CardRef{Employment: *w.Person(t, name).Employment, Date: d}
}

// jobOf finds a job by its number.
func jobOf(t testing.TB, w *dbtest.World, number string) uuid.UUID {
	t.Helper()
	return dbtest.Get[uuid.UUID](t, w, `select id from job where number = $1`, number)
}

var afterPeriod = time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)

// share is what the open run holds for an employment.
func share(t testing.TB, w *dbtest.World, employment uuid.UUID) (seconds int64, gross decimal.Decimal) {
	t.Helper()
	page, err := w.PayRun(context.Background(), w.Person(t, "Sana Verity"), uuid.Nil)
	must(t, err)
	for _, r := range page.Rows {
		if r.Employment == employment {
			seconds, gross = seconds+r.Regular+r.Overtime+r.Double+r.Leave, gross.Add(decimal.RequireFromString(r.Gross))
		}
	}
	return seconds, gross
}

// approveSome approves the finished days of the open period of one person.
func approveSome(t testing.TB, w *dbtest.World, employment uuid.UUID) {
	t.Helper()
	ctx := context.Background()
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: when.NewDate(2026, 11, 8), To: when.NewDate(2026, 11, 12), Employment: employment})
	must(t, err)
	for _, c := range cards {
		if c.State == "approved" || c.Running() {
			continue
		}
		ref := app.CardRef{Employment: employment, Date: c.Date}
		who, err := w.Actor(ctx, c.Person)
		must(t, err)
		if c.State == "open" {
			must(t, w.Do(ctx, who, app.Sign{Card: ref}))
		}
		must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), app.Approve{Card: ref}))
	}
}

// approveAll signs and approves every card of the open period up to a date.
func approveAll(t testing.TB, w *dbtest.World, to when.Date, but ...app.CardRef) {
	t.Helper()
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: when.NewDate(2026, 11, 8), To: to})
	must(t, err)
	for _, c := range cards {
		ref := app.CardRef{Employment: c.Employment, Date: c.Date}
		if c.Running() || c.Family == "Sample" || c.State == card.Approved || len(but) > 0 && but[0] == ref {
			continue
		}
		if c.State == card.Open {
			who, err := w.Actor(ctx, c.Person)
			must(t, err)
			must(t, w.Do(ctx, who, app.Sign{Card: ref}))
		}
		must(t, w.Do(ctx, mira, app.Approve{Card: ref}))
	}
}

// closeOpenRun closes the open run and gives its id and period.
func closeOpenRun(t testing.TB, w *dbtest.World) (uuid.UUID, when.Period) {
	t.Helper()
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	page, err := w.PayRun(ctx, sana, uuid.Nil)
	must(t, err)
	if !page.CanClose {
		t.Fatalf("can't close: %s", page.WhyNot)
	}
	id := newID()
	must(t, w.Do(ctx, sana, app.CloseRun{ID: id, Seen: page.Period.From.String() + " " + page.Total.Gross}))
	return id, page.Period
}

// sheetOf reads a person's settings as somebody sees them.
func sheetOf(t testing.TB, w *dbtest.World, as app.Actor, person uuid.UUID) store.Sheet {
	t.Helper()
	p, err := w.PersonPage(context.Background(), as, person)
	must(t, err)
	return p.Sheets[0]
}

// refusal gives the field and words of a refusal, or fails.
func refusal(t testing.TB, err error) *clock.Refusal {
	t.Helper()
	var r *clock.Refusal
	if !errors.As(err, &r) {
		t.Fatalf("not refused: %v", err)
	}
	return r
}

// sixty makes a file of 60 rows, of which three are wrong.
func sixty(w *dbtest.World) [][]string {
	rows := [][]string{{"Number", "Given name", "family_name", "Crew or department", "Hired", "E-mail", "Rate an hour", "Shoe size"}}
	for i := range 60 {
		row := []string{fmt.Sprint(7000 + i), "Given" + fmt.Sprint(i), "Family" + fmt.Sprint(i), "Plate shop", "2026-11-02", fmt.Sprintf("p%d@ebbwater.example", i), "21.50", "43"}
		switch i {
		case 10:
			row[3] = "Moon crew"
		case 20:
			row[4] = "soon"
		case 30:
			row[0] = "7029"
		}
		rows = append(rows, row)
	}
	return rows
}

// Nobody of the plate shop's late people is on the clock at the tests' now.
const offClock = "Ruth Adeyemi"

func newID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

// work gives the assignment of a job by number and task by name.
func work(t testing.TB, w *dbtest.World, number, task string) clock.Assignment {
	t.Helper()
	on := clock.Assignment{Job: dbtest.Get[uuid.UUID](t, w, `select id from job where number = $1`, number)}
	if task != "" {
		on.Task = dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 and name = $2`, on.Job, task)
	}
	return on
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// consistent proves that the derived rows are what the recorded acts make.
func consistent(t testing.TB, w *dbtest.World) {
	t.Helper()
	_, _, found, err := w.Verify(context.Background())
	must(t, err)
	for _, d := range found {
		t.Errorf("%s: %s", d.Employment, d.What)
	}
}
