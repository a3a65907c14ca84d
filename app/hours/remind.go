package hours

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Remind asks the people of cards that nobody has signed to sign them: those
// named, or all of a day that is over. It stands on their own page, and on the
// card's record.
type Remind struct {
	ID    uuid.UUID // of the batch: sent again, nobody is asked twice
	Cards []CardRef
	Day   when.Date // all of this day instead
}

// Permission is what the act takes.
func (Remind) Permission() string { return "card.remind" }

// remindable says whether somebody can be asked to sign a card: it is somebody
// else's, its day's work is over, and signing is what it waits for.
func remindable(c store.Card, actor app.Actor, place *app.Company, now time.Time) bool {
	return place.SignRequired && c.State == card.Open && c.Person != actor.ID && c.Worked > 0 && c.Date <= place.Today(now) &&
		finished(c, now)
}

func (r Remind) Do(ctx context.Context, t *app.Turn) error {
	if len(r.Cards) > mostChanges {
		return refusal.New("cards", "That is too much at once", fmt.Sprintf("Tick at most %d", mostChanges))
	}
	if done, err := store.CardActsBatch(ctx, t, r.ID); err != nil || len(done) > 0 {
		return err
	}
	refs := r.Cards
	if r.Day != 0 {
		cards, err := store.Cards(ctx, t, store.CardFilter{From: r.Day, To: r.Day, Units: t.Actor.Units(t.Act)})
		if err != nil {
			return err
		}
		refs = refsOf(cards)
	}
	if len(refs) == 0 {
		return refusal.New("cards", "No card was ticked", "Tick those that nobody has signed")
	}
	cards, err := lockCards(ctx, t, refs)
	if err != nil {
		return err
	}
	if len(cards) < len(refs) {
		return app.ErrNotFound
	}
	for _, c := range cards {
		if !t.Actor.Reaches(t.Act, c.Person, c.Unit) {
			return app.ErrNotFound
		}
	}
	unsigned := pickCards(cards, func(c store.Card) bool { return remindable(c, t.Actor, t.Company, t.Now) })
	if len(unsigned) == 0 {
		return refusal.New("cards", "Nobody has to sign any of these", "Remind of cards of days that are over and that nobody has signed")
	}
	return move(ctx, t, unsigned, card.Remind, r.ID, "")
}
