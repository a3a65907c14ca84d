package payroll

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// What changes the settings, or what was or will be paid, is done alone.
func (CloseRun) Alone() {}

// CloseRun closes the run of the open pay period: its lines are kept for
// ever, and the approved cards in it are paid. Seen is the gross that the
// person was shown, so that nothing is paid unseen.
type CloseRun struct {
	ID    uuid.UUID
	Group string // whose pay periods, "" for the company's
	Seen  string
}

// Permission is the act's name in the permission table.
func (CloseRun) Permission() string { return "payrun.close" }

func (c CloseRun) Do(ctx context.Context, t *app.Turn) error {
	if err := t.Proved("password"); err != nil {
		return err
	}
	if closed, err := c.closed(ctx, t); err != nil || closed {
		return err
	}
	period, err := openPeriod(ctx, t, t.Company, c.Group, t.Now)
	if err != nil {
		return err
	}
	payroll, err := readPayroll(ctx, t, t.Company, c.Group, period)
	if err != nil {
		return err
	}
	draft, err := payroll.WorkOut()
	if err != nil {
		return err
	}
	payees, err := store.Payees(ctx, t, slices.Collect(maps.Keys(draft.Sums)))
	if err != nil {
		return err
	}
	ofJobs, err := store.JobAccounts(ctx, t)
	if err != nil {
		return err
	}
	draft.bookTo(payees, ofJobs, t.Company.NoAccount == "crew")
	if err := mayClose(t.Actor, t.Company, period, t.Now, draft, payees); err != nil {
		return err
	}
	gross := draft.Gross.Decimal(t.Company.CurrencyDecimals)
	if c.Seen != period.From.String()+" "+gross {
		return refusal.New("run", "The run changed while you were looking", "It now pays "+gross+"; look at it and close it again")
	}
	payable, err := store.PayableCards(ctx, t, c.Group, period.To)
	if err != nil {
		return err
	}
	run, acts := rowsOfRun(c.ID, period, t.Actor.ID, t.Now, draft, payable, t.Company.CurrencyDecimals)
	run.Group = c.Group
	number, err := store.InsertRun(ctx, t.Tx, run, draft.Lines, acts, t.Company.CurrencyDecimals)
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: c.Permission()}, c.ID,
		map[string]any{"number": number, "from": period.From, "to": period.To, "gross": gross, "cards": len(payable)})
	return nil
}

// closed says whether the run was closed by this very act before, whose answer
// was lost on the way.
func (c CloseRun) closed(ctx context.Context, t *app.Turn) (bool, error) {
	r, err := store.GetRun(ctx, t, c.ID)
	switch {
	case store.NotFound(err):
		return false, nil
	case err != nil:
		return false, fmt.Errorf("read the run: %w", err)
	case r.ClosedBy != t.Actor.ID || r.Group != c.Group ||
		c.Seen != r.From.String()+" "+r.Gross.StringFixed(int32(t.Company.CurrencyDecimals)):
		return false, app.ErrConflict
	}
	return true, nil
}

// rowsOfRun makes the rows of a run that is being closed: the run, the moves
// that mark its cards paid, and the run on its lines.
func rowsOfRun(id uuid.UUID, period when.Period, by uuid.UUID, now time.Time, draft *Draft, payable []store.EmploymentDate,
	decimals int) (store.Run, []store.CardAct) {
	for i := range draft.Lines {
		draft.Lines[i].Run = id
	}
	acts := make([]store.CardAct, len(payable))
	for i, c := range payable {
		acts[i] = store.CardAct{ID: uuid.Must(uuid.NewV7()), Employment: c.Employment, Date: c.Date, Move: card.Pay, By: by,
			MadeAt: now, Batch: id, Run: &id}
	}
	return store.Run{ID: id, From: period.From, To: period.To, ClosedAt: now, ClosedBy: by,
		Gross: decimal.New(int64(draft.Gross), int32(-decimals))}, acts
}

// mayClose says why an actor can't close the run of a period now.
func mayClose(actor app.Actor, place *app.Company, period when.Period, now time.Time, draft *Draft, payees []store.Payee) error {
	if from := app.ClosesFrom(place, period); now.Before(from) {
		return refusal.New("run", "The pay period is still running",
			"It can be closed from "+from.In(place.Loc).Format("Mon 2 Jan, 15:04"))
	}
	for _, p := range payees {
		if draft.Sums[p.Employment] != nil && p.Person == actor.ID {
			return refusal.New("run", "Your own pay is in this run", "Another manager or the owner closes it")
		}
	}
	if without := draft.lacking(payees); len(without) > 0 {
		names := strings.Join(without[:min(3, len(without))], ", ")
		if len(without) > 3 {
			names += fmt.Sprintf(" and %d more", len(without)-3)
		}
		return refusal.New("run", "An account is required and missing for "+names,
			"Give them one on their pages, or for many at once under People")
	}
	return nil
}
