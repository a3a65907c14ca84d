package hours

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// AddExpense puts what the actor spent on their own card. It is approved, and paid, with
// the card: one that was approved is open again.
type AddExpense struct {
	ID      uuid.UUID
	On      when.Date // zero for the worked day they are on
	Kind    string
	Amount  string
	Work    clock.Assignment // the job, and the task, that it was spent for
	Words   string
	Receipt *files.Photo // nil for none
}

// DropExpense takes an expense back: one's own, or one that somebody may not have paid,
// with why. It stays to be read.
type DropExpense struct {
	Expense uuid.UUID
	Why     string
}

// Permission is the act's name in the permission table.
func (AddExpense) Permission() string { return "note.add" }

// Permission is the act's name in the permission table.
func (DropExpense) Permission() string { return "expense.drop" }

var mostExpense = decimal.New(1_000_000, 0)

func (e AddExpense) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return refusal.New("expense", "You have no timecard to put it on", "Tell your lead")
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	if err != nil {
		return err
	}
	switch before, err := store.GetExpense(ctx, t, e.ID); {
	case err == nil && (before.Employment != who.ID || before.Kind != e.Kind || !before.Amount.Equal(e.amount())):
		return app.ErrConflict
	case err == nil: // sent again
		return nil
	case !store.NotFound(err):
		return err
	}
	date, err := ownCard(ctx, t, "expense", e.On)
	if err != nil {
		return err
	}
	x, err := e.row(ctx, t, who, date)
	if err != nil {
		return err
	}
	return touchCard(ctx, t, who, date, "an expense was added", func() error {
		if err := store.InsertExpense(ctx, t, x); err != nil {
			return err
		}
		t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID,
			map[string]any{"date": date, "expense": x.Kind, "amount": x.Amount.String()})
		if e.Receipt == nil {
			return nil
		}
		return keepPhoto(ctx, t, uuid.NewSHA1(e.ID, []byte("receipt")), date, *e.Receipt, &e.ID)
	})
}

// amount reads the amount, with a comma or a point; zero where it is none.
func (e AddExpense) amount() decimal.Decimal {
	text := strings.Replace(strings.TrimSpace(e.Amount), ",", ".", 1)
	if len(text) > 12 || strings.Trim(text, "0123456789.") != "" { // no powers of ten
		return decimal.Zero
	}
	amount, err := decimal.NewFromString(text)
	if err != nil {
		return decimal.Zero
	}
	return amount
}

// row is the expense as it is kept.
func (e AddExpense) row(ctx context.Context, t *app.Turn, who store.Employment, date when.Date) (x store.Expense, err error) {
	kinds := t.Company.Expenses()
	i := slices.IndexFunc(kinds, func(k app.ExpenseKind) bool { return k.Name == e.Kind })
	amount, words := e.amount(), strings.TrimSpace(e.Words)
	paid, err := t.Company.For(ctx, t, who.ID, date)
	if err != nil {
		return x, err
	}
	switch {
	case i < 0:
		return x, refusal.New("kind", "The kind of expense was not chosen", "Choose one from the list")
	case amount.Sign() <= 0 || amount.Cmp(mostExpense) >= 0 ||
		!amount.Equal(amount.Round(int32(paid.CurrencyDecimals))):
		return x, refusal.New("amount", "The amount can’t be “"+strings.TrimSpace(e.Amount)+"”", "Write it as 12.50")
	case utf8.RuneCountInString(words) > longestNote:
		return x, refusal.New("words", "That is too long", "Keep it to 1,000 characters")
	}
	j, err := store.GetClockable(ctx, t, e.Work.Job, e.Work.Task, uuid.Nil, who.ID, date)
	if store.NotFound(err) || err == nil && (j.State != "open" || !j.Open) {
		return x, refusal.New("job", "No "+t.Company.JobWord+" was chosen", "Choose what you spent it for")
	}
	if e.Work.Task != uuid.Nil && j.TaskState == nil {
		e.Work.Task = uuid.Nil
	}
	return store.Expense{ID: e.ID, Employment: who.ID, Date: date, Kind: kinds[i].Name, PayCode: kinds[i].Code, Amount: amount,
		Job: e.Work.Job, Task: idOrNone(e.Work.Task), Words: words, By: t.Actor.ID, MadeAt: t.Now}, err
}

func (d DropExpense) Do(ctx context.Context, t *app.Turn) error {
	x, err := store.GetExpense(ctx, t, d.Expense)
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	if err != nil {
		return err
	}
	who, err := store.LockEmployment(ctx, t, x.Employment)
	if err != nil {
		return err
	}
	why := "taken back"
	if !t.Actor.Reaches(t.Act, who.Person, who.Unit) {
		return app.ErrNotFound
	}
	if who.Person != t.Actor.ID {
		if why, err = reason("why", d.Why, "Say in a few words why it isn't paid"); err != nil {
			return err
		}
	}
	if x, err = store.GetExpense(ctx, t, d.Expense); err != nil { // as it is now that nobody else writes
		return err
	}
	if x.BackWhy != nil {
		return refusal.New("expense", fmt.Sprintf("%s took this back already", *x.BackBy), "Look at the day again")
	}
	return touchCard(ctx, t, who, x.Date, "an expense was taken back", func() error {
		t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID,
			map[string]any{"date": x.Date, "expense": x.Kind, "amount": x.Amount.String(), "why": why})
		return store.TakeExpenseBack(ctx, t, x, t.Actor.ID, t.Now, why)
	})
}

// touchCard does what changes a card of a locked employment beside its hours: one that
// was signed or approved is open again, of a paid one the change waits.
func touchCard(ctx context.Context, t *app.Turn, who store.Employment, date when.Date, why string, do func() error) error {
	cards, err := store.Cards(ctx, t, store.CardFilter{From: date, To: date, Employment: who.ID})
	if err != nil {
		return err
	}
	if len(cards) == 0 || cards[0].First.IsZero() {
		return refusal.New("date", "Nothing is clocked on that day", "Clock in first, or choose the day on which you worked")
	}
	books, err := booksFrom(ctx, t, []uuid.UUID{who.ID}, date)
	if err != nil {
		return err
	}
	book := books[who.ID]
	book.who = who // which is locked
	r := rebuilt{book: book, why: why}
	r.Touch(date)
	if err := write(ctx, t, r); err != nil {
		return err
	}
	return do()
}
