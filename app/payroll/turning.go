package payroll

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/store"
)

// TurnRun turns a closed run: a run that holds each of its lines with the sign turned, after which its
// cards are approved again and the next run pays them anew. Until a file of it was fetched that takes
// the closing back, and whoever closed it doesn't do it themselves.
type TurnRun struct {
	ID, Run uuid.UUID
	Why     string
}

// Permission is the act's name in the permission table.
func (TurnRun) Permission() string { return "payrun.turn" }

// What was paid is changed alone.
func (TurnRun) Alone() {}

func (r TurnRun) Do(ctx context.Context, t *app.Turn) error {
	if err := t.Proved("password"); err != nil {
		return err
	}
	if made, err := store.GetRun(ctx, t, r.ID); err == nil && made.Reverses != nil && *made.Reverses == r.Run &&
		made.ClosedBy == t.Actor.ID {
		return nil // whose answer was lost on the way
	} else if err == nil {
		return app.ErrConflict
	} else if !store.NotFound(err) {
		return fmt.Errorf("read the run: %w", err)
	}
	run, err := store.GetRun(ctx, t, r.Run)
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	if err != nil {
		return err
	}
	r.Why = strings.TrimSpace(r.Why)
	people, err := store.PersonsOfRun(ctx, t, run.ID)
	if err != nil {
		return err
	}
	if err := r.may(ctx, t, run, people); err != nil {
		return err
	}
	decimals := t.Company.PaidIn(run.Currency).CurrencyDecimals
	closing, err := r.turned(ctx, t, run, decimals)
	if err != nil {
		return err
	}
	if err := store.InsertRun(ctx, t, closing, decimals); err != nil {
		return err
	}
	t.Record(store.Event{Act: r.Permission()}, r.ID, map[string]any{"number": closing.Number, "turns": run.Number, "why": r.Why,
		"gross": closing.Gross.StringFixed(int32(decimals)), "cards": len(closing.Acts)})
	return nil
}

// may says why an actor can't turn a run.
func (r TurnRun) may(ctx context.Context, t *app.Turn, run store.Run, people []uuid.UUID) error {
	switch {
	case run.Kind == store.ReversalRun:
		return refusal.New("run", fmt.Sprintf("Run %d turns another", run.Number), "What it turned is paid anew by the next run")
	case run.Turned != nil:
		return refusal.New("run", fmt.Sprintf("Run %d was turned by run %d", run.Number, run.TurnedBy), "The next run pays it anew")
	case r.Why == "" || utf8.RuneCountInString(r.Why) > 200:
		return refusal.New("why", "Nobody says why it is turned", "Write why, in at most 200 characters")
	case slices.Contains(people, t.Actor.ID):
		return refusal.New("run", "Your own pay is in this run", "Another manager or the owner turns it")
	}
	later, err := store.LaterRun(ctx, t, run)
	if err != nil {
		return err
	}
	if later > 0 {
		return refusal.New("run", fmt.Sprintf("Run %d was closed after it and goes by what it paid", later),
			"Turn that one first; or correct the cards, and the next run pays the difference")
	}
	fetched, err := store.RunWasFetched(ctx, t, run.ID)
	if err != nil {
		return err
	}
	if !fetched && run.ClosedBy == t.Actor.ID {
		return refusal.New("run", "You closed this run yourself", "Somebody else takes it back")
	}
	return nil
}

// turned makes the run that turns another.
func (r TurnRun) turned(ctx context.Context, t *app.Turn, run store.Run, decimals int) (store.Closing, error) {
	lines, err := store.KeptLines(ctx, t, run.ID, decimals)
	if err != nil {
		return store.Closing{}, err
	}
	for i := range lines {
		l := &lines[i]
		l.Run, l.Seconds, l.Amount = r.ID, -l.Seconds, -l.Amount
	}
	cards, err := store.CardsOfRun(ctx, t, run)
	if err != nil {
		return store.Closing{}, err
	}
	acts := make([]store.CardAct, len(cards))
	for i, c := range cards {
		acts[i] = store.CardAct{ID: uuid.Must(uuid.NewV7()), Employment: c.Employment, Date: c.Date, Move: card.Unpay, By: t.Actor.ID,
			MadeAt: t.Now, Batch: r.ID, Run: &r.ID}
		if c.PaidBefore {
			acts[i].Move = card.UnpayChange
		}
	}
	c := store.Closing{Lines: lines, Acts: acts, Run: store.Run{ID: r.ID, From: run.From, To: run.To, ClosedAt: t.Now, ClosedBy: t.Actor.ID,
		Group: run.Group, Currency: run.Currency, Gross: run.Gross.Neg(), Kind: store.ReversalRun, Reverses: &run.ID, Why: r.Why}}
	var before []byte
	if c.Number, before, c.Head, err = store.NextRun(ctx, t); err != nil {
		return c, err
	}
	c.Digest = digest(before, c, decimals)
	return c, nil
}
