// Package apptest has what the tests of the rooms of app share.
package apptest

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// TakeFile brings a file as far as its dry run.
func TakeFile(t testing.TB, w *dbtest.World, who app.Actor, kind bringin.FileKind, rows [][]string) *bringin.ImportPage {
	t.Helper()
	id := NewID()
	Must(t, w.Do(t.Context(), who, bringin.TakeFile{Kind: kind, ID: id, FileName: "rows.csv", Rows: rows}))
	p, err := bringin.ReadImportPage(t.Context(), w.App, who, kind, id)
	Must(t, err)
	return p
}

// RowCounts counts the rows that are new, changed, the same and wrong.
func RowCounts(p *bringin.ImportPage) string {
	return fmt.Sprint(p.Count[bringin.RowNew], p.Count[bringin.RowChanged], p.Count[bringin.RowSame], p.Count[bringin.RowWrong])
}

var Thursday = when.NewDate(2026, 11, 12)

func OneDay(d when.Date) hours.DeskQuery { return hours.DeskQuery{Days: when.Period{From: d, To: d}} }

// Ref finds the card of somebody on a date.
func Ref(t testing.TB, w *dbtest.World, name string, d when.Date) hours.CardRef {
	t.Helper()
	return hours.CardRef{Employment: *w.Person(t, name).Employment, Date: d}
}

// JobOf finds a job by its number.
func JobOf(t testing.TB, w *dbtest.World, number string) uuid.UUID {
	t.Helper()
	return dbtest.Get[uuid.UUID](t, w, `select id from job where number = $1`, number)
}

var AfterPeriod = time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC)

// Share is what the open run holds for an employment.
func Share(t testing.TB, w *dbtest.World, employment uuid.UUID) (seconds int64, gross decimal.Decimal) {
	t.Helper()
	page, err := payroll.PayRun(context.Background(), w.App, w.Person(t, "Sana Verity"), uuid.Nil)
	Must(t, err)
	for _, r := range page.Rows {
		if r.Employment == employment {
			seconds, gross = seconds+r.Regular+r.Overtime+r.Double+r.Leave, gross.Add(decimal.RequireFromString(r.Gross))
		}
	}
	return seconds, gross
}

// ApproveSome approves the finished days of the open period of one person.
func ApproveSome(t testing.TB, w *dbtest.World, employment uuid.UUID) {
	t.Helper()
	ctx := context.Background()
	cards, err := store.Cards(ctx, w.DB,
		store.CardFilter{From: when.NewDate(2026, 11, 8), To: when.NewDate(2026, 11, 12), Employment: employment})
	Must(t, err)
	for _, c := range cards {
		if c.State == "approved" || c.Running() {
			continue
		}
		ref := hours.CardRef{Employment: employment, Date: c.Date}
		who, err := w.Actor(ctx, c.Person)
		Must(t, err)
		if c.State == "open" {
			Must(t, w.Do(ctx, who, hours.Sign{Card: ref}))
		}
		Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), hours.Approve{Card: ref}))
	}
}

// ApproveAll signs and approves every card of the open period up to a date, as those people and a
// manager would one by one.
func ApproveAll(t testing.TB, w *dbtest.World, to when.Date, but ...hours.CardRef) {
	t.Helper()
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: when.NewDate(2026, 11, 8), To: to})
	Must(t, err)
	var acts []store.CardAct
	var moved []store.Card
	for _, c := range cards {
		ref := hours.CardRef{Employment: c.Employment, Date: c.Date}
		if c.Running() || c.Family == "Sample" || c.State == card.Approved || c.State == card.Paid || slices.Contains(but, ref) {
			continue
		}
		moves := []card.Move{card.Sign, card.Approve}
		if c.State == card.Signed {
			moves = moves[1:]
		}
		for _, m := range moves {
			by := c.Person
			if m == card.Approve {
				by = mira.ID
			}
			c.Standing, err = c.Standing.Next(m, false)
			Must(t, err)
			acts = append(acts, store.CardAct{ID: NewID(), Employment: c.Employment, Date: c.Date, Move: m, By: by, MadeAt: w.App.Now(),
				Batch: NewID()})
		}
		moved = append(moved, c)
	}
	Must(t, store.InsertCardActs(ctx, w.DB, acts))
	Must(t, store.SetStandings(ctx, w.DB, moved))
}

// CloseOpenRun closes the open run and gives its id and period.
func CloseOpenRun(t testing.TB, w *dbtest.World) (uuid.UUID, when.Period) {
	t.Helper()
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	AnswerAll(t, w, store.LeftOut)
	page, err := payroll.PayRun(ctx, w.App, sana, uuid.Nil)
	Must(t, err)
	for _, b := range page.TakesBack {
		if b.How == "" {
			Must(t, w.Do(ctx, sana, payroll.TakeMoneyBack{ID: NewID(), Employment: b.Employment, Amount: b.Amount, How: "now"}))
		}
	}
	if page, err = payroll.PayRun(ctx, w.App, sana, uuid.Nil); err != nil {
		t.Fatal(err)
	}
	if !page.CanClose {
		t.Fatalf("can't close: %s", page.WhyNot)
	}
	id := NewID()
	Must(t, w.Do(ctx, sana, payroll.CloseRun{ID: id, Seen: page.Period.From.String() + " " + page.Total.Gross}))
	return id, page.Period
}

// AnswerAll answers everybody's hours that nobody has approved, in the open runs of groups: of the
// company with none.
func AnswerAll(t testing.TB, w *dbtest.World, answer string, groups ...string) {
	t.Helper()
	ctx := context.Background()
	sana := w.Person(t, "Sana Verity")
	if len(groups) == 0 {
		groups = []string{""}
	}
	for _, group := range groups {
		page, err := payroll.PayRunOf(ctx, w.App, sana, group, uuid.Nil)
		Must(t, err)
		for _, r := range page.Rows {
			if r.Asked && r.Answer == nil {
				Must(t, w.Do(ctx, sana, payroll.AnswerHours{ID: NewID(), Group: group, Employment: r.Employment, Answer: answer,
					Reason: "in dispute"}))
			}
		}
	}
}

// SheetOf reads a person's settings as somebody sees them.
func SheetOf(t testing.TB, w *dbtest.World, as app.Actor, person uuid.UUID) store.Sheet {
	t.Helper()
	p, err := people.ReadPersonPage(context.Background(), w.App, as, person)
	Must(t, err)
	return p.Sheets[0]
}

// Refusal gives the field and words of a refusal, or fails.
func Refusal(t testing.TB, err error) *refusal.Refusal {
	t.Helper()
	var r *refusal.Refusal
	if !errors.As(err, &r) {
		t.Fatalf("not refused: %v", err)
	}
	return r
}

// Sixty makes a file of 60 rows, of which three are wrong.
func Sixty(w *dbtest.World) [][]string {
	rows := [][]string{{"Number", "Given name", "family_name", "Crew or department", "Hired", "E-mail", "Rate an hour", "Shoe size"}}
	for i := range 60 {
		row := []string{fmt.Sprint(7000 + i), "Given" + fmt.Sprint(i), "Family" + fmt.Sprint(i), "Plate shop", "2026-11-02",
			fmt.Sprintf("p%d@ebbwater.example", i), "21.50", "43"}
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
const OffClock = "Ruth Adeyemi"

func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

// Work gives the assignment of a job by number and task by name.
func Work(t testing.TB, w *dbtest.World, number, task string) clock.Assignment {
	t.Helper()
	on := clock.Assignment{Job: dbtest.Get[uuid.UUID](t, w, `select id from job where number = $1`, number)}
	if task != "" {
		on.Task = dbtest.Get[uuid.UUID](t, w, `select id from task where job_id = $1 and name = $2`, on.Job, task)
	}
	return on
}

func Must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// Consistent checks that the stored stints and cards are what the recorded acts
// make them, of everybody who punched, whose hours were amended, whose card was
// moved or whose settings were changed since the test began.
func Consistent(t testing.TB, w *dbtest.World) {
	t.Helper()
	var touched []uuid.UUID
	Must(t, w.DB.SelectContext(context.Background(), &touched, `select employment_id from punch where received_at >= $1
		union select employment_id from card_act where made_at >= $1
		union select employment_id from amendment where made_at >= $1
		union select employment_id from request where made_at >= $1
		union select e.id from change c join employment e on e.person_id = c.person_id where c.made_at >= $1`, dbtest.Now))
	if len(touched) == 0 {
		t.Error("nobody's hours were touched: there is nothing to check")
	}
	consistent(t, w, touched...)
}

// AllConsistent checks everybody's.
func AllConsistent(t testing.TB, w *dbtest.World) {
	t.Helper()
	consistent(t, w)
}

func consistent(t testing.TB, w *dbtest.World, ids ...uuid.UUID) {
	t.Helper()
	_, _, found, err := hours.Verify(context.Background(), w.App, hours.ToVerify{Employments: ids})
	Must(t, err)
	for _, d := range found {
		t.Errorf("%s: %s", d.Employment, d.What)
	}
}

// Pressed is what a device says that was pressed at an instant, and sends it
// now.
func Pressed(at time.Time) clock.Moment { return clock.Moment{Seen: at, Since: 0} }
