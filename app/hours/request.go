package hours

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// AskChange asks for a change of one's own hours, or of those of a crew one
// leads. Where somebody changes their own hours at once, and the card is open,
// it is made; it counts as any hours by hand do, once somebody else approves
// the card.
type AskChange struct {
	ID     uuid.UUID // of the request, or of the batch that it makes
	Change Change
	Why    string
	Tell   func(made bool) // where it isn't nil, is told whether the change was made at once
}

// TakeRequest makes the change that somebody asks for: as it was asked, or in
// part, at the times given.
type TakeRequest struct {
	Request   uuid.UUID
	Batch     uuid.UUID // of the amendments that it makes
	At, Until time.Time // zero: as asked
}

// DeclineRequest keeps a request as one that was not made, with why.
type DeclineRequest struct {
	Request uuid.UUID
	Why     string
}

// Permission is what the act takes: it is about one's own hours, or one's crew's.
func (AskChange) Permission() string { return "time.ask" }

// Permission is what the act takes.
func (TakeRequest) Permission() string { return "time.edit" }

// Permission is what the act takes.
func (DeclineRequest) Permission() string { return "time.edit" }

func (a AskChange) Do(ctx context.Context, t *app.Turn) error {
	why, err := reason("why", a.Why, "Say in a few words what happened")
	if err != nil {
		return err
	}
	who, err := store.LockEmployment(ctx, t, a.Change.Employment)
	if err != nil {
		return err
	}
	own := who.Person == t.Actor.ID
	if own && who.Edits == "lead" && a.Change.Does != clock.EndRunning {
		return refusal.New("change", "Your lead changes your hours here", "Tell them, or leave a note for the office")
	}
	before, err := store.GetRequest(ctx, t, a.ID)
	switch {
	case err == nil && (before.By != t.Actor.ID || before.Employment != who.ID || before.Does != a.Change.Does):
		return app.ErrConflict
	case err == nil:
		return nil // sent again
	case !store.NotFound(err):
		return err
	}
	if again, err := sentBefore(ctx, t, a.ID); again || err != nil {
		return err
	}
	s := scene{Actor: t.Actor, act: t.Act, own: true, asks: true, place: t.Company, now: t.Now, batch: a.ID, why: why}
	amended, err := s.amend(ctx, t, []store.Employment{who}, []Change{a.Change})
	if err != nil {
		return err
	}
	s.asks = false
	young := s.oldest(amended[0].rebuilt.Dates) == nil
	return a.keep(ctx, t, who, amended[0], why, own && young)
}

// keep makes the change, or keeps it as asked for.
func (a AskChange) keep(ctx context.Context, t *app.Turn, who store.Employment, amended Amended, why string, may bool) error {
	if amended.Refused != nil {
		return amended.Refused
	}
	atOnce := false
	if may && who.Edits == "at_once" {
		plans, err := store.PlansOf(ctx, t, cardsOf(who.ID, amended.rebuilt.Dates), t.Company.Holiday)
		if err != nil {
			return err
		}
		atOnce = true
		for _, p := range plans {
			atOnce = atOnce && p.State == card.Open
		}
	}
	if a.Tell != nil {
		a.Tell(atOnce)
	}
	if atOnce {
		return writeAmended(ctx, t, []Amended{amended})
	}
	c := a.Change
	date := amended.rebuilt.amendments[0].Date
	r := store.Request{ID: a.ID, Employment: who.ID, Date: date, Does: c.Does, Of: idOrNone(c.Of), At: timeOrNone(c.At),
		Until: timeOrNone(c.Until), Job: idOrNone(c.On.Job), Task: idOrNone(c.On.Task), Class: idOrNone(c.On.Class), By: t.Actor.ID,
		MadeAt: t.Now,
		Why:    why}
	if c.Kind != "" {
		r.Kind = &c.Kind
	}
	if err := store.InsertRequest(ctx, t, r); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, map[string]any{"date": date, "asked": c.Does, "why": why})
	return waits(ctx, t, who, date)
}

func timeOrNone(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func timeOrZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

func cardsOf(employment uuid.UUID, dates []when.Date) []store.EmploymentDate {
	cards := make([]store.EmploymentDate, len(dates))
	for i, d := range dates {
		cards[i] = store.EmploymentDate{Employment: employment, Date: d}
	}
	return cards
}

// waits counts what waits on a card anew, after something was asked or
// answered. A day without one gets a card.
func waits(ctx context.Context, t *app.Turn, who store.Employment, date when.Date) error {
	on := cardsOf(who.ID, []when.Date{date})
	plans, err := store.PlansOf(ctx, t, on, t.Company.Holiday)
	if err != nil {
		return err
	}
	if err := store.EnsureCard(ctx, t, store.Card{Card: card.Card{Date: date, Plan: plans[0].Plan}, Standing: card.Start,
		Employment: who.ID}); err != nil {
		return err
	}
	return store.CountWaiting(ctx, t, on)
}

// openRequest reads a request that the actor may answer, with its person
// locked.
func openRequest(ctx context.Context, t *app.Turn, id uuid.UUID) (store.Request, store.Employment, error) {
	r, err := store.GetRequest(ctx, t, id)
	if err != nil {
		return r, store.Employment{}, err
	}
	who, err := store.LockEmployment(ctx, t, r.Employment)
	if err != nil {
		return r, who, err
	}
	if r, err = store.GetRequest(ctx, t, id); err != nil { // as it is now that nobody else answers
		return r, who, err
	}
	switch {
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return r, who, app.ErrNotFound
	case who.Person == t.Actor.ID:
		return r, who, refusal.New("request", "These are your own hours", "Somebody else takes or declines it")
	case r.By == t.Actor.ID:
		return r, who, refusal.New("request", "You asked for this yourself", "Somebody else takes or declines it")
	case r.Answered():
		return r, who, refusal.New("request", *r.AnsweredBy+" has answered this already", "Look at the list again")
	}
	return r, who, nil
}

// tellAnswered tells whoever asked, and whose hours it is about, what became of it.
func tellAnswered(t *app.Turn, asked uuid.UUID, who store.Employment, date when.Date, what string) {
	n := app.Notice{Person: asked, Kind: notice.Answered, Words: []string{t.Actor.Name(), dayWords(date), what},
		Link: cardLink(who.ID, date)}
	t.Tell(n)
	if n.Person = who.Person; n.Person != asked {
		t.Tell(n)
	}
}

func (a TakeRequest) Do(ctx context.Context, t *app.Turn) error {
	if again, err := sentBefore(ctx, t, a.Batch); again || err != nil {
		return err
	}
	r, who, err := openRequest(ctx, t, a.Request)
	if err != nil {
		return err
	}
	c := Change{Employment: r.Employment, Does: r.Does, Of: store.IDOrNil(r.Of), At: timeOrZero(r.At), Until: timeOrZero(r.Until),
		On: r.On()}
	if r.Kind != nil {
		c.Kind = *r.Kind
	}
	if !a.At.IsZero() && r.At != nil {
		c.At = a.At
	}
	if !a.Until.IsZero() && r.Until != nil {
		c.Until = a.Until
	}
	s := scene{Actor: t.Actor, act: t.Act, place: t.Company, now: t.Now, batch: a.Batch, why: r.Why}
	amended, err := s.amend(ctx, t, []store.Employment{who}, []Change{c})
	switch {
	case err != nil:
		return err
	case amended[0].Refused != nil:
		return amended[0].Refused
	}
	if err := keepAmended(ctx, t, amended); err != nil {
		return err
	}
	tellAnswered(t, r.By, who, r.Date, "it is made")
	if err := store.AnswerRequest(ctx, t, r.ID, t.Actor.ID, t.Now, &a.Batch, ""); err != nil {
		return err
	}
	return waits(ctx, t, who, r.Date)
}

func (a DeclineRequest) Do(ctx context.Context, t *app.Turn) error {
	why, err := reason("why", a.Why, "Say in a few words why the hours stay")
	if err != nil {
		return err
	}
	r, who, err := openRequest(ctx, t, a.Request)
	if err != nil {
		return err
	}
	if err := store.AnswerRequest(ctx, t, r.ID, t.Actor.ID, t.Now, nil, why); err != nil {
		return err
	}
	tellAnswered(t, r.By, who, r.Date, "“"+why+"”")
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID,
		map[string]any{"date": r.Date, "request": "declined", "why": why})
	return waits(ctx, t, who, r.Date)
}
