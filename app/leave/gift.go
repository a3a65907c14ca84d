package leave

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/leave"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/store"
)

// GiveLeave offers hours or days of one's own leave to a colleague; they have them once somebody
// else has agreed.
type GiveLeave struct {
	ID     uuid.UUID
	Kind   uuid.UUID
	To     string // number, or given and family name, of somebody of one's own crew
	Amount string
	Note   string
}

// DecideGift agrees to that, or declines it with a reason. Neither who gives nor who receives does.
type DecideGift struct {
	Gift    uuid.UUID
	Approve bool
	Why     string
}

// TakeGiftBack takes one's own offer back, as long as nobody has decided it.
type TakeGiftBack struct{ Gift uuid.UUID }

// Permission is what the act takes.
func (GiveLeave) Permission() string { return "leave.ask" }

// Permission is what the act takes.
func (DecideGift) Permission() string { return "leave.manage" }

// Permission is what the act takes.
func (TakeGiftBack) Permission() string { return "leave.ask" }

func (g GiveLeave) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return app.ErrNotFound
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	if err != nil {
		return err
	}
	kind, err := store.GetLeaveKind(ctx, t, g.Kind)
	if err != nil {
		return err
	}
	amount, wrong := leave.ParseAmount(strings.TrimSpace(g.Amount))
	note := strings.TrimSpace(g.Note)
	switch {
	case !kind.MayGive:
		return refusal.New("kind", kind.Name+" can’t be given to others", "Choose another kind")
	case wrong != nil || amount <= 0:
		return refusal.New("amount", "That is no amount to give", "Write it like 8 or 4.5")
	case utf8.RuneCountInString(note) > longestNote:
		return refusal.New("note", "The note is too long", "Write at most 500 characters")
	}
	to, err := g.receiver(ctx, t, who)
	if err != nil {
		return err
	}
	gift := store.LeaveGift{ID: g.ID, Employment: who.ID, To: to, Kind: kind.ID, Amount: amount.Exact(), Note: note, AskedAt: t.Now}
	if err := has(ctx, t, gift, amount); err != nil {
		return err
	}
	fresh, err := store.InsertLeaveGift(ctx, t, gift)
	if err != nil || !fresh {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, g.ID, map[string]any{"leave": amount.String()})
	toWhom, err := store.GetEmployment(ctx, t, to)
	if err != nil {
		return err
	}
	return tellThose(ctx, t, who.Unit, app.Notice{Kind: notice.LeaveGiven, Key: g.ID.String(), Words: []string{who.Name(), toWhom.Name()}})
}

// receiver finds the colleague.
func (g GiveLeave) receiver(ctx context.Context, t *app.Turn, who store.Employment) (uuid.UUID, error) {
	found, err := store.EmploymentsNamed(ctx, t, strings.TrimSpace(g.To), []uuid.UUID{who.Unit}, t.Company.Today(t.Now))
	switch {
	case err != nil:
		return uuid.Nil, err
	case len(found) == 0:
		return uuid.Nil, refusal.New("to", "Nobody of your crew has that number or name", "Write the personnel number, or both names")
	case len(found) > 1:
		return uuid.Nil, refusal.New("to", "Several are called so", "Write the personnel number")
	case found[0].ID == who.ID:
		return uuid.Nil, refusal.New("to", "That is you", "Choose a colleague")
	}
	return found[0].ID, nil
}

// has refuses to give what one hasn't, or what the other has no account for.
func has(ctx context.Context, t *app.Turn, g store.LeaveGift, amount leave.Amount) error {
	today := t.Company.Today(t.Now)
	of, err := accounts(ctx, t, []uuid.UUID{g.Employment, g.To}, today)
	if err != nil {
		return err
	}
	gives, receives := accountOf(of[g.Employment], g.Kind), accountOf(of[g.To], g.Kind)
	switch {
	case gives == nil:
		return refusal.New("kind", "You have no balance of this kind", "Choose another kind")
	case receives == nil:
		return refusal.New("to", "They have no balance of this kind", "Choose somebody else")
	}
	gives.Input.Events = append(gives.Input.Events, gives.Asked...)
	if got := leave.Ask(gives.Input, max(today, gives.From+1), amount, gives.Until); !got.Accepted {
		return refusal.New("amount", "You haven’t that much to give: "+barred(got), "Write less")
	}
	return nil
}

func accountOf(all []Account, kind uuid.UUID) *Account {
	for _, a := range all {
		if a.Kind == kind {
			return &a
		}
	}
	return nil
}

func (d DecideGift) Do(ctx context.Context, t *app.Turn) error {
	why := strings.TrimSpace(d.Why)
	if !d.Approve && (why == "" || utf8.RuneCountInString(why) > longestNote) {
		return refusal.New("why", "There is no reason", "Say in a few words why, in at most 500 characters")
	}
	g, err := store.GetLeaveGift(ctx, t, d.Gift)
	if err != nil {
		return err
	}
	both := []uuid.UUID{g.Employment, g.To}
	lock, err := store.LockPeople(ctx, t, both)
	if err != nil {
		return err
	}
	if g, err = store.GetLeaveGift(ctx, t, d.Gift); err != nil { // as it is now that nobody else decides
		return err
	}
	switch {
	case !t.Actor.Reaches(t.Act, g.FromPerson, g.FromUnit):
		return app.ErrNotFound
	case g.FromPerson == t.Actor.ID || g.ToPerson == t.Actor.ID:
		return refusal.New("gift", "This is your own leave", "Somebody else decides it")
	case g.Does != "":
		return refusal.New("gift", "This is decided already", "Look at the list again")
	}
	does := decline
	if d.Approve {
		does = approve
		amount, err := leave.ParseAmount(trimmed(g.Amount))
		if err != nil {
			return err
		}
		if err := has(ctx, t, g, amount); err != nil {
			return err
		}
	}
	if err := store.DecideLeaveGift(ctx, t, g.ID, does, why, t.Company.Today(t.Now), t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: g.FromPerson, Unit: g.FromUnit, Act: t.Act}, g.ID, map[string]any{"leave": does})
	word := map[string]string{approve: "approved", decline: "declined"}[does]
	for _, who := range []uuid.UUID{g.FromPerson, g.ToPerson} {
		if does == approve || who == g.FromPerson {
			t.Tell(app.Notice{Person: who, Kind: notice.LeaveGift, Key: g.ID.String() + does, Words: []string{g.FromName, g.ToName, word},
				Link: "/leave"})
		}
	}
	return bookDue(ctx, t, lock, both)
}

func (b TakeGiftBack) Do(ctx context.Context, t *app.Turn) error {
	g, err := store.GetLeaveGift(ctx, t, b.Gift)
	if err != nil {
		return err
	}
	if g.FromPerson != t.Actor.ID {
		return app.ErrNotFound
	}
	if _, err := store.LockPeople(ctx, t, []uuid.UUID{g.Employment}); err != nil {
		return err
	}
	if g, err = store.GetLeaveGift(ctx, t, b.Gift); err != nil {
		return err
	}
	if g.Does == withdraw {
		return nil
	}
	if g.Does != "" {
		return refusal.New("gift", "This is decided already", "Talk to your lead")
	}
	t.Record(store.Event{Person: g.FromPerson, Unit: g.FromUnit, Act: t.Act}, g.ID, map[string]any{"leave": withdraw})
	return store.DecideLeaveGift(ctx, t, g.ID, withdraw, "", t.Company.Today(t.Now), t.Actor.ID, t.Now)
}
