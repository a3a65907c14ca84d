package payroll

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/notice"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/store"
)

// A correction of days that were paid can take money back. It is offered and not taken: somebody says
// whether it is taken by this run, over several, or not at all, and the person is told. Where it isn't
// taken at once an earning makes up for it in this run, and over several runs deductions keep it.

// TakeMoneyBack says what becomes of money that a correction takes back from somebody. Amount is what they
// were shown who say it.
type TakeMoneyBack struct {
	ID         uuid.UUID
	Group      string
	Employment uuid.UUID
	Amount     string
	How        string // "now", "runs" or "not"
	Runs       int    // over how many, this one among them
}

// Permission is the act's name in the permission table.
func (TakeMoneyBack) Permission() string { return "payrun.answer" }

// What will be paid is changed alone.
func (TakeMoneyBack) Alone() {}

// backCode is the pay code of what makes up for money that isn't taken back at once.
const backCode = "CORRECTION"

// takesBack gives what corrections of days that were paid take back, by employment.
func (d *Draft) takesBack(p *Payroll) map[uuid.UUID]pay.Amount {
	sums := map[uuid.UUID]pay.Amount{}
	for _, l := range d.Lines {
		if l.Date < p.Period.From && l.Key.Gross() {
			sums[l.Employment] += l.Amount
		}
	}
	for id, sum := range sums {
		if sum >= 0 {
			delete(sums, id)
			continue
		}
		sums[id] = -sum
	}
	return sums
}

// undecided lists of whom money is taken back without anybody's having said how, or of another sum than was
// said.
func (r *openRun) undecided() (names []string) {
	for _, p := range r.payees {
		if sum, is := r.back[p.Employment]; is && !r.decided(p.Employment, sum) {
			names = append(names, p.Name())
		}
	}
	return names
}

func (r *openRun) decided(employment uuid.UUID, sum pay.Amount) bool {
	said, is := r.taken[employment]
	return is && said.Amount.Equal(decimal.New(int64(sum), int32(-r.place.CurrencyDecimals)))
}

func (b TakeMoneyBack) Do(ctx context.Context, t *app.Turn) error {
	r, err := readOpenRun(ctx, t, t.Company, b.Group, t.Now)
	if err != nil {
		return err
	}
	payees, err := store.Payees(ctx, t, []uuid.UUID{b.Employment})
	if err != nil {
		return err
	}
	sum, is := r.back[b.Employment]
	amount := sum.Decimal(r.place.CurrencyDecimals)
	switch {
	case len(payees) == 0 || !is:
		return refusal.New("employment", "Nothing is taken back from them any more", "Look at the run again")
	case payees[0].Person == t.Actor.ID:
		return refusal.New("employment", "That is your own pay", "Somebody else says it")
	case b.Amount != amount:
		return refusal.New("amount", "It is "+amount+" by now", "Look at it, and say it again")
	case b.How != "now" && b.How != "runs" && b.How != "not":
		return refusal.New("how", "It isn't said what becomes of it", "Take it by this run, over several, or not at all")
	case b.How == "runs" && (b.Runs < 2 || b.Runs > 52):
		return refusal.New("runs", "That is no number of runs", "Write 2 to 52")
	}
	if b.How != "runs" {
		b.Runs = 1
	}
	whole := decimal.New(int64(sum), int32(-r.place.CurrencyDecimals))
	if err := store.InsertTakenBack(ctx, t, store.TakenBack{ID: b.ID, Group: b.Group, From: r.period.From, Employment: b.Employment,
		Amount: whole, How: b.How, Runs: b.Runs, By: t.Actor.ID, MadeAt: t.Now}); err != nil {
		return err
	}
	if err := b.makeUp(ctx, t, r, sum); err != nil {
		return err
	}
	said := map[string]string{"now": "by this pay run", "runs": fmt.Sprintf("over %d pay runs", b.Runs), "not": "not at all"}[b.How]
	t.Record(store.Event{Act: b.Permission()}, payees[0].Person, map[string]any{"taken back": amount, "how": said})
	t.Tell(app.Notice{Person: payees[0].Person, Kind: notice.TakenBack, Key: b.ID.String(),
		Words: []string{amount + " " + r.place.Currency, said},
		Link:  "/me"})
	return nil
}

// makeUp adds the adjustments of what isn't taken at once.
func (b TakeMoneyBack) makeUp(ctx context.Context, t *app.Turn, r *openRun, sum pay.Amount) error {
	if b.How == "now" {
		return nil
	}
	row := func(does, what string, amount int64) store.Adjustment {
		return store.Adjustment{ID: uuid.Must(uuid.NewV7()), Employment: b.Employment, Does: does, What: what, PayCode: backCode,
			Amount: decimal.New(amount, int32(-r.place.CurrencyDecimals)), From: r.period.To, By: t.Actor.ID, MadeAt: t.Now, Batch: &b.ID}
	}
	rows := []store.Adjustment{row("earning", "Not taken back at once", int64(sum))}
	if b.How == "runs" {
		weights := make([]int64, b.Runs)
		for i := range weights {
			weights[i] = 1
		}
		period := r.period
		for i, part := range pay.Apportion(int64(sum), weights) {
			if part > 0 {
				deduction := row("deduction", fmt.Sprintf("Taken back, %d of %d", i+1, b.Runs), part)
				deduction.From = period.To
				rows = append(rows, deduction)
			}
			var err error
			if period, err = r.payroll.periods.Of(period.To + 1); err != nil {
				return fmt.Errorf("the pay period after %s: %w", period.To, err)
			}
		}
	}
	return store.InsertAdjustments(ctx, t, rows...)
}
