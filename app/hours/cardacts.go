package hours

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// CardRef names a day card.
type CardRef struct {
	Employment uuid.UUID
	Date       when.Date
}

// Sign signs one card: the worker's own, or one of a crew its lead leads.
type Sign struct{ Card CardRef }

// Approve approves one card, flagged or not. One that nobody signed, where
// cards are signed, takes a reason.
type Approve struct {
	Card CardRef
	Why  string // a note; a reason where nobody signed
}

// SendBack sends a signed card back to be put right, with what is wrong; whose
// it is so takes the signature back.
type SendBack struct {
	Card CardRef
	Why  string
}

// TakeBack takes an approval back: that of one card, or all that one act
// approved.
type TakeBack struct{ Card CardRef }

// ApproveClear approves the clear cards of some days. Seen is the digest of
// those the person was shown, so that nothing is approved unseen.
type ApproveClear struct {
	Days when.Period
	Only []CardRef // of these alone, nil for all: those that somebody looked for
	Seen string
	ID   uuid.UUID // of the batch, for taking it back
}

// ApproveTicked approves the cards that somebody ticked, flagged or not: all of
// them, or none.
type ApproveTicked struct {
	ID    uuid.UUID // of the batch, for taking it back
	Cards []CardRef
	Why   string // a note; a reason where nobody signed
}

// SignClear signs the finished, unflagged cards of the actor's crews.
type SignClear struct {
	Days when.Period
	Only []CardRef // as of [ApproveClear]
	Seen string
	ID   uuid.UUID
}

// The acts' names in the permission table.
func (Sign) Permission() string          { return "card.sign" }
func (SignClear) Permission() string     { return "card.sign" }
func (Approve) Permission() string       { return "card.approve" }
func (ApproveClear) Permission() string  { return "card.approve" }
func (ApproveTicked) Permission() string { return "card.approve" }
func (TakeBack) Permission() string      { return "card.take_back" }
func (SendBack) Permission() string      { return "card.send_back" }

func (s Sign) Do(ctx context.Context, t *app.Turn) error {
	return moveOne(ctx, t, s.Card, card.Sign, "")
}

func (a Approve) Do(ctx context.Context, t *app.Turn) error {
	why := strings.TrimSpace(a.Why)
	if utf8.RuneCountInString(why) > longestNote {
		return refusal.New("why", "The note is too long", "Keep it to 1,000 characters")
	}
	return moveOne(ctx, t, a.Card, card.Approve, why)
}

func (s SendBack) Do(ctx context.Context, t *app.Turn) error {
	why, err := reason("why", s.Why, "Say in a few words what is to be put right")
	if err != nil {
		return err
	}
	return moveOne(ctx, t, s.Card, card.SendBack, why)
}

func (b TakeBack) Do(ctx context.Context, t *app.Turn) error {
	return moveOne(ctx, t, b.Card, card.TakeBack, "")
}

func init() { app.Undoes(TakeBack{}.Permission(), undoApprovals) }

// undoApprovals takes back the approvals that one act gave.
func undoApprovals(ctx context.Context, t *app.Turn, batch uuid.UUID) (done app.Undone, found bool, err error) {
	acts, err := store.CardActsBatch(ctx, t, batch)
	if err != nil {
		return done, false, err
	}
	var refs []CardRef
	for _, a := range acts {
		if a.Move == card.Approve {
			refs = append(refs, CardRef{a.Employment, a.Date})
		}
	}
	switch {
	case len(refs) == 0:
		return done, false, nil
	case !t.Actor.May(t.Act):
		return done, false, app.ErrForbidden
	}
	cards, err := lockCards(ctx, t, refs)
	if err != nil {
		return done, false, err
	}
	back := pickCards(cards, func(c store.Card) bool {
		why := staysApproved(t, c)
		if why != "" {
			done.Left = append(done.Left, c.Name()+", "+c.Date.Format("2 January")+": "+why)
		}
		return why == ""
	})
	if len(back) == 0 {
		return done, false,
			refusal.New("card", "None of these approvals can be taken back any more", "They were paid, or taken back already")
	}
	done.Words = fmt.Sprintf("%d approvals", len(back))
	if len(back) == 1 {
		done.Words = "1 approval"
	}
	return done, true, move(ctx, t, back, card.TakeBack, uuid.Must(uuid.NewV7()), "")
}

// staysApproved says why an approval can't be taken back, "" where it can.
func staysApproved(t *app.Turn, c store.Card) string {
	switch {
	case c.Person == t.Actor.ID:
		return "your own"
	case !t.Actor.Reaches(t.Act, c.Person, c.Unit):
		return "not yours to take back"
	case c.State == card.Paid && !c.Adjust:
		return "paid meanwhile"
	case c.State != card.Approved && !c.Adjust:
		return "taken back already"
	}
	return ""
}

// moveOne makes a move on one card.
func moveOne(ctx context.Context, t *app.Turn, ref CardRef, m card.Move, why string) error {
	cards, err := lockCards(ctx, t, []CardRef{ref})
	if err != nil {
		return err
	}
	if len(cards) == 0 {
		return app.ErrNotFound
	}
	if err := movable(t, cards[0]); err != nil {
		return err
	}
	holds, err := store.Holds(ctx, t, cardsOf(ref.Employment, []when.Date{ref.Date}), t.Now)
	if err != nil {
		return err
	}
	if len(holds) > 0 && holds[0].By != t.Actor.ID {
		return heldBy(holds[0], t.Company.Loc)
	}
	return move(ctx, t, cards, m, uuid.Must(uuid.NewV7()), why)
}

// movable refuses a card that isn't the actor's to move, or whose day isn't
// over.
func movable(t *app.Turn, c store.Card) error {
	switch {
	case !t.Actor.Reaches(t.Act, c.Person, c.Unit):
		return app.ErrNotFound
	case c.Running():
		return refusal.New("card", c.Name()+" is still on the clock", "Wait until the day is clocked out")
	case c.Date > t.Company.Today(t.Now):
		return refusal.New("card", "This day has not come yet", "Wait until it is over")
	}
	return nil
}

// mayMove refuses signatures of hours that lack the account that the place wants, and
// approvals of cards that somebody else has to give, or that would pay hours twice.
func mayMove(ctx context.Context, t *app.Turn, cards []store.Card, m card.Move) error {
	if m == card.Sign && t.Company.NoAccount == "stop" {
		without, err := store.WithoutAccount(ctx, t, datesOf(cards))
		if err != nil {
			return err
		}
		if len(without) > 0 {
			return refusal.New("card", "Hours of "+without[0].Date.Format("2 January")+" have no account",
				"Say to which they are booked first")
		}
	}
	if m != card.Approve {
		return nil
	}
	for _, c := range cards {
		switch {
		case c.Objections > 0:
			return refusal.New("card", c.Given+" objects to a change of this day", "Somebody who didn’t make it answers that first")
		case c.NoClass:
			return refusal.New("card", "Hours on public work have no classification", "Put them on one first")
		case c.Requests > 0:
			return refusal.New("card", "A change of this day is asked for", "Take or decline it first")
		}
	}
	refs := datesOf(cards)
	hand, err := store.HandChanges(ctx, t, refs, t.Actor.ID)
	if err != nil {
		return err
	}
	if len(hand) > 0 && hand[0].Seconds > int64(t.Company.HandChange) {
		return refusal.New("card",
			"You changed the card of "+hand[0].Date.Format("2 January")+" by hand, by "+card.HoursMinutes(hand[0].Seconds),
			"Somebody else approves it")
	}
	waiting, err := store.Unsettled(ctx, t, refs)
	if err != nil {
		return err
	}
	if len(waiting) > 0 {
		on := waiting[0].Format("2 January")
		return refusal.New("card", "Hours of this day were paid on "+on+", whose change waits", "Approve the change of "+on+" first")
	}
	return nil
}

// datesOf names cards.
func datesOf(cards []store.Card) []store.EmploymentDate {
	refs := make([]store.EmploymentDate, len(cards))
	for i, c := range cards {
		refs[i] = store.EmploymentDate{Employment: c.Employment, Date: c.Date}
	}
	return refs
}

// tellMoved tells somebody of a move of their card that asks something of them.
func tellMoved(t *app.Turn, c store.Card, m card.Move, why string) {
	n := app.Notice{Person: c.Person, Link: cardLink(c.Employment, c.Date), Words: []string{t.Actor.Name(), dayWords(c.Date)}}
	switch m {
	case card.SendBack:
		n.Kind, n.Words = notice.CardSentBack, append(n.Words, why)
	case card.Remind:
		n.Kind = notice.SignAsked
	default:
		return
	}
	t.Tell(n)
}

// move makes a move on locked cards and records it. Whoever holds them has done
// with them, but for a reminder, which leaves everything where it is.
func move(ctx context.Context, t *app.Turn, cards []store.Card, m card.Move, batch uuid.UUID, why string) error {
	if err := mayMove(ctx, t, cards, m); err != nil {
		return err
	}
	acts := make([]store.CardAct, len(cards))
	for i := range cards {
		c := &cards[i]
		if (m == card.Approve || m == card.TakeBack) && c.Person == t.Actor.ID {
			return refusal.New("card", "This is your own card", "Somebody else approves it")
		}
		next, err := c.Standing.Next(m, t.Company.SignRequired && why == "")
		if err != nil {
			return ofOne(cards, *c, err)
		}
		c.Standing, acts[i] = next, cardAct(t, c.Employment, c.Date, m, batch, why)
		t.Record(store.Event{Person: c.Person, Unit: c.Unit, Act: t.Act}, c.Employment, map[string]any{"date": c.Date, "move": m})
		tellMoved(t, *c, m, why)
	}
	if err := store.InsertCardActs(ctx, t, acts); err != nil {
		return fmt.Errorf("write the move %s: %w", m, err)
	}
	if m == card.Remind {
		return nil
	}
	if err := store.ReleaseHolds(ctx, t, datesOf(cards)); err != nil {
		return err
	}
	return store.SetStandings(ctx, t, cards)
}

// ofOne says of which of several cards something is refused.
func ofOne(cards []store.Card, c store.Card, err error) error {
	var refused *refusal.Refusal
	if len(cards) == 1 || !errors.As(err, &refused) {
		return err
	}
	return refusal.New(refused.Field, c.Name()+", "+c.Date.Format("2 January")+": "+refused.Wrong, refused.Right)
}

func cardAct(t *app.Turn, employment uuid.UUID, date when.Date, m card.Move, batch uuid.UUID, reason string) store.CardAct {
	return store.CardAct{ID: uuid.Must(uuid.NewV7()), Employment: employment, Date: date, Move: m, By: t.Actor.ID, MadeAt: t.Now,
		Batch: batch, Reason: reason}
}

// lockCards locks the people and reads the cards as they then stand.
func lockCards(ctx context.Context, t *app.Turn, refs []CardRef) ([]store.Card, error) {
	wanted := map[CardRef]bool{}
	ids := make([]uuid.UUID, 0, len(refs))
	span := when.Period{From: refs[0].Date, To: refs[0].Date}
	for _, r := range refs {
		wanted[r] = true
		ids = append(ids, r.Employment)
		span.From, span.To = min(span.From, r.Date), max(span.To, r.Date)
	}
	if _, err := store.LockPeople(ctx, t, ids); err != nil {
		return nil, err
	}
	all, err := store.Cards(ctx, t, store.CardFilter{From: span.From, To: span.To, Among: ids})
	if err != nil {
		return nil, err
	}
	var cards []store.Card
	for _, c := range all {
		if wanted[CardRef{c.Employment, c.Date}] {
			cards = append(cards, c)
		}
	}
	return cards, nil
}

func (a ApproveClear) Do(ctx context.Context, t *app.Turn) error {
	return moveAll(ctx, t, a.Days, a.Only, a.Seen, a.ID, card.Approve)
}

func (a ApproveTicked) Do(ctx context.Context, t *app.Turn) error {
	why := strings.TrimSpace(a.Why)
	switch {
	case len(a.Cards) == 0:
		return refusal.New("cards", "No card was ticked", "Tick those that you looked at")
	case len(a.Cards) > mostChanges:
		return refusal.New("cards", "That is too much at once", fmt.Sprintf("Tick at most %d", mostChanges))
	case utf8.RuneCountInString(why) > longestNote:
		return refusal.New("why", "The note is too long", "Keep it to 1,000 characters")
	}
	cards, err := lockCards(ctx, t, a.Cards)
	if err != nil {
		return err
	}
	if len(cards) < len(a.Cards) {
		return app.ErrNotFound
	}
	for _, c := range cards {
		if err := movable(t, c); err != nil {
			return err
		}
	}
	free, err := notHeld(ctx, t, cards)
	if err != nil {
		return err
	}
	if len(free) < len(cards) {
		return refusal.New("cards", "Somebody else is looking at one of them", "Leave it out, or wait until it is released")
	}
	return move(ctx, t, cards, card.Approve, a.ID, why)
}

func (s SignClear) Do(ctx context.Context, t *app.Turn) error {
	return moveAll(ctx, t, s.Days, s.Only, s.Seen, s.ID, card.Sign)
}

// moveAll makes one move on all cards that are ready for it, provided they
// are those that the actor saw. Those that somebody else holds stay.
func moveAll(ctx context.Context, t *app.Turn, days when.Period, only []CardRef, seen string, batch uuid.UUID, m card.Move) error {
	among := make(map[CardRef]bool, len(only))
	for _, r := range only {
		among[r] = true
	}
	pick := func() ([]store.Card, []CardRef, error) {
		cards, err := store.Cards(ctx, t, store.CardFilter{From: days.From, To: days.To, Units: t.Actor.Units(t.Act)})
		if err != nil {
			return nil, nil, err
		}
		cards = readyTo(m, cards, t.Actor, t.Company, t.Now)
		if only != nil {
			cards = pickCards(cards, func(c store.Card) bool { return among[CardRef{c.Employment, c.Date}] })
		}
		return cards, refsOf(cards), nil
	}
	_, refs, err := pick()
	if err != nil {
		return err
	}
	if len(refs) == 0 {
		return refusal.New("cards", "No card is ready any more", "Look at the list again")
	}
	if _, err := lockCards(ctx, t, refs); err != nil {
		return err
	}
	cards, refs, err := pick() // as they stand now that nobody can change them
	if err != nil {
		return err
	}
	if Digest(refs) != seen {
		return refusal.New("cards", "The list changed while you were looking", "Look at it again and press once more")
	}
	if cards, err = notHeld(ctx, t, cards); err != nil {
		return err
	}
	return move(ctx, t, cards, m, batch, "")
}

// notHeld gives the cards that nobody else holds.
func notHeld(ctx context.Context, t *app.Turn, cards []store.Card) ([]store.Card, error) {
	holds, err := store.Holds(ctx, t, datesOf(cards), t.Now)
	if err != nil || len(holds) == 0 {
		return cards, err
	}
	held := map[store.EmploymentDate]bool{}
	for _, h := range holds {
		held[h.EmploymentDate] = h.By != t.Actor.ID
	}
	return pickCards(cards, func(c store.Card) bool { return !held[store.EmploymentDate{Employment: c.Employment, Date: c.Date}] }), nil
}

// readyTo picks the cards that a bulk move is offered for.
func readyTo(m card.Move, cards []store.Card, actor app.Actor, p *app.Company, now time.Time) []store.Card {
	today := p.Today(now)
	return pickCards(cards, func(c store.Card) bool {
		return c.Date <= today && ready(m, c, c.ClassAt(c.Standing, now, p.Limits), actor, now)
	})
}

// ready says whether the card of a day that has begun is among those of a bulk
// move: to a lead's signature when the day's work is over, to an approval when
// it is clear and somebody else's.
func ready(m card.Move, c store.Card, class card.Class, actor app.Actor, now time.Time) bool {
	if m == card.Sign {
		return class == card.NotSigned && finished(c, now)
	}
	return class == card.Clear && c.Person != actor.ID && actor.Reaches("card.approve", c.Person, c.Unit)
}

func pickCards(cards []store.Card, want func(store.Card) bool) []store.Card {
	var picked []store.Card
	for _, c := range cards {
		if want(c) {
			picked = append(picked, c)
		}
	}
	return picked
}

// finished says whether a day's work is over: something was clocked or its
// shift has ended.
func finished(c store.Card, now time.Time) bool {
	return !c.Running() && (c.Worked > 0 || c.ShiftTo.Before(now))
}

func refsOf(cards []store.Card) []CardRef {
	refs := make([]CardRef, len(cards))
	for i, c := range cards {
		refs[i] = CardRef{c.Employment, c.Date}
	}
	return refs
}

// Digest stands for a set of cards on a form: the same cards, the same text.
func Digest(refs []CardRef) string {
	h := sha256.New()
	for _, r := range refs {
		h.Write(r.Employment[:])
		h.Write([]byte(r.Date.String()))
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}
