package payroll

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/card"
	"manudex/store"
)

// What changes the settings, or what was or will be paid, is done alone.
func (CloseRun) Alone() {}

// CloseRun closes the run of the open pay period: its lines are kept for
// ever, and the approved cards in it are paid. Seen is the gross that the
// person was shown, so that nothing is paid unseen.
type CloseRun struct {
	ID    uuid.UUID
	Group string    // whose pay periods, "" for the company's
	Own   uuid.UUID // a run of its own that was prepared, zero for that of the period
	Seen  string
	Lines string // [RunPage.Lines] that they were shown, "" for those of whatever gross is the same
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
	var own *store.PreparedRun
	if c.Own != uuid.Nil {
		prepared, err := store.GetPreparedRun(ctx, t, c.Own)
		if store.NotFound(err) || err == nil && prepared.Group != c.Group {
			return app.ErrNotFound
		}
		if err != nil {
			return fmt.Errorf("read a run that was prepared: %w", err)
		}
		own = &prepared
	}
	run, err := readRun(ctx, t, t.Company, c.Group, own, t.Now)
	if err != nil {
		return err
	}
	if err := run.mayClose(t.Actor); err != nil {
		return err
	}
	if err := run.same(c.Seen, c.Lines, "It now pays "+run.draft.Gross.Decimal(run.place.CurrencyDecimals)+
		"; look at it and close it again"); err != nil {
		return err
	}
	closing, err := run.closing(ctx, t, c.ID)
	if err != nil {
		return err
	}
	if err := store.InsertRun(ctx, t, closing, run.place.CurrencyDecimals); err != nil {
		return err
	}
	if own != nil {
		if _, err := store.EndPreparedRun(ctx, t, own.ID, &c.ID, t.Now); err != nil {
			return fmt.Errorf("end a run that was prepared: %w", err)
		}
	}
	detail := map[string]any{"number": closing.Number, "from": closing.From, "to": closing.To,
		"gross": closing.Gross.StringFixed(int32(run.place.CurrencyDecimals)), "cards": len(closing.Acts)}
	for _, p := range closing.People {
		if p.Answer != "" {
			detail[p.Answer] = 1 + number(detail[p.Answer])
		}
	}
	t.Record(store.Event{Act: c.Permission()}, c.ID, detail)
	return nil
}

func number(v any) int {
	n, _ := v.(int)
	return n
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
		c.Seen != r.From.String()+" "+r.Gross.StringFixed(int32(t.Company.PaidIn(r.Currency).CurrencyDecimals)):
		return false, app.ErrConflict
	}
	return true, nil
}

// closing makes all that is kept of the run that is being closed: the run, its lines, what they were
// worked out from, and the moves that mark its cards paid.
func (r *openRun) closing(ctx context.Context, t *app.Turn, id uuid.UUID) (store.Closing, error) {
	c := store.Closing{Lines: r.draft.Lines, Run: store.Run{ID: id, From: r.period.From, To: r.period.To, ClosedAt: t.Now,
		ClosedBy: t.Actor.ID, Group: r.group, Kind: store.PeriodRun, Currency: r.place.Currency,
		Gross: decimal.New(int64(r.draft.Gross), int32(-r.place.CurrencyDecimals))}}
	if r.own != nil {
		c.Kind, c.Why = store.OwnRun, r.own.Why
	} else if r.check != nil && !r.lapsed() {
		c.Check = &r.check.ID
	}
	payable, err := store.PayableCards(ctx, t, r.group, r.period.To)
	if err != nil {
		return c, err
	}
	answers := slices.Collect(maps.Values(r.answers))
	clocked, err := store.ClockedCards(ctx, t, r.group, r.period.To, clockedOf(answers))
	if err != nil {
		return c, err
	}
	c.Clocked = len(clocked) > 0
	for move, cards := range map[card.Move][]store.EmploymentDate{card.Pay: payable, card.PayAsClocked: clocked} {
		for _, of := range cards {
			if !r.holds(of.Employment) {
				continue
			}
			c.Acts = append(c.Acts, store.CardAct{ID: uuid.Must(uuid.NewV7()), Employment: of.Employment, Date: of.Date, Move: move,
				By: t.Actor.ID, MadeAt: t.Now, Batch: id, Run: &id})
		}
	}
	return c, r.keep(ctx, t, &c)
}

// keep adds what the run went by, its number and its digest.
func (r *openRun) keep(ctx context.Context, t *app.Turn, c *store.Closing) error {
	var err error
	if c.People, err = r.payroll.keep(); err != nil {
		return err
	}
	at := map[uuid.UUID]int{}
	for i, p := range c.People {
		at[p.Employment] = i
	}
	for id, a := range r.answers {
		w := r.waits[id]
		if !w.Asked {
			continue // all was approved since
		}
		i, in := at[id]
		if !in {
			i = len(c.People)
			c.People = append(c.People, store.RunPerson{Employment: id})
		}
		p := &c.People[i]
		p.Answer, p.Reason, p.PayBy, p.Waiting = a.Answer, a.Reason, a.PayBy, w.Worked
	}
	payees := map[uuid.UUID]store.Payee{}
	for _, p := range r.payees {
		payees[p.Employment] = p
	}
	for i := range c.People {
		if p, is := payees[c.People[i].Employment]; is {
			c.People[i].Crew, c.People[i].Site, c.People[i].Way = &p.UnitName, &p.SiteName, &p.Way
		}
	}
	slices.SortFunc(c.People, func(a, b store.RunPerson) int { return slices.Compare(a.Employment[:], b.Employment[:]) })
	var pack packer
	if c.Basis, err = pack.pack(r.payroll.basis(r.place)); err != nil {
		return err
	}
	for i := range c.Lines {
		c.Lines[i].Run = c.ID
	}
	var before []byte
	if c.Number, before, c.Head, err = store.NextRun(ctx, t); err != nil {
		return err
	}
	c.Digest = digest(before, *c, r.place.CurrencyDecimals)
	return nil
}
