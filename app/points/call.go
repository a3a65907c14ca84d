package points

import (
	"cmp"
	"context"
	"errors"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
)

// Call is what somebody did by a phone line: an act, a note, or both. Who calls is told by
// their personnel number, or by the number that called where it is one's own mobile; that
// mobile, or the PIN, makes sure of it.
type Call struct {
	Press
	Caller string // as the line tells it (E.164), "" where it is hidden
	PIN    string
	Note   string // spoken, as text
}

// longestSpoken is how long a spoken note may be, in characters.
const longestSpoken = 1000

// Call does what was asked on the phone, and keeps that it was: for whom, what was done,
// what was refused and why, and the note. Sent again it is answered as before. What names
// nothing that there is, is refused in the log too; its error is about the line alone.
func (d Device) Call(ctx context.Context, a *app.App, c Call) (store.PhoneCall, error) {
	if !d.Punches {
		return store.PhoneCall{}, app.ErrForbidden
	}
	switch before, err := store.GetCall(ctx, a.DB, c.ID); {
	case err == nil && before.Point != d.ID:
		return before, app.ErrConflict
	case err == nil || !store.NotFound(err):
		return before, err
	}
	if utf8.RuneCountInString(c.Note) > longestSpoken {
		return store.PhoneCall{}, refusal.New("note", "The note is too long", "Send at most 1,000 characters of it")
	}
	log := store.PhoneCall{ID: c.ID, Point: d.ID, Caller: c.Caller, Act: string(c.Act), Outcome: "recorded",
		Note: strings.TrimSpace(c.Note), At: a.Now()}
	err := d.called(ctx, a, c, &log)
	var refused *refusal.Refusal
	var waits WaitError
	switch {
	case err == nil:
	case errors.Is(err, app.ErrNotFound):
		log.Outcome, log.Why = "refused", "Nobody here has that number"
	case errors.Is(err, ErrPIN):
		log.Outcome, log.Why = "refused", "That is not the PIN of this number"
	case errors.As(err, &waits):
		log.Outcome, log.Why = "refused", "Too many wrong PINs"
	case errors.As(err, &refused):
		log.Outcome, log.Why = "refused", refused.Error()
	default:
		return log, err // to be sent again
	}
	return log, store.InsertCall(ctx, a.DB, log)
}

func (d Device) called(ctx context.Context, a *app.App, c Call, log *store.PhoneCall) error {
	if c.Number == "" && c.Caller != "" {
		number, err := store.NumberOfMobile(ctx, a.DB, c.Caller)
		if err != nil && !store.NotFound(err) {
			return err
		}
		c.Number = number
	}
	who, err := d.Person(ctx, a, c.Number)
	if err != nil {
		return err
	}
	own, err := store.HasMobile(ctx, a.DB, who.Person, c.Caller)
	if err != nil {
		return err
	}
	if !own {
		if err := d.vouch(ctx, a, who.Person, Typed{PIN: c.PIN}); err != nil {
			return err
		}
	}
	log.Person = &who.Person
	actor, err := d.actor(ctx, a, who)
	if err != nil {
		return err
	}
	actor.Point = clock.AtLine
	if c.Act != "" {
		on, err := d.work(ctx, a, who, c.Press)
		if err != nil {
			return err
		}
		if on.Job != uuid.Nil && on.Class == uuid.Nil {
			if on.Class, err = store.LastClass(ctx, a.DB, who.Employment, on.Job); err != nil {
				return err
			}
		}
		if err := a.Do(ctx, actor, hours.Punch{ID: c.ID, Act: c.Act, Break: c.Break, On: on,
			Moment:  clock.Moment{Pressed: c.Pressed, Sent: c.Sent, Since: -1},
			Claimed: func(why string) { log.Outcome, log.Why = "claim", cmp.Or(why, "refused") }}); err != nil {
			return err
		}
	}
	if log.Note == "" {
		return nil
	}
	return a.Do(ctx, actor, hours.AddNote{ID: uuid.NewSHA1(c.ID, []byte("note")), Body: log.Note})
}

// ReadCalls lists the calls of the last weeks for who sees the set-up.
func ReadCalls(ctx context.Context, a *app.App, actor app.Actor) ([]store.PhoneCall, error) {
	if !actor.May("setup.see") || !actor.May("timecards.see") {
		return nil, app.ErrForbidden
	}
	return store.Calls(ctx, a.DB, a.Now().AddDate(0, 0, -28), 50)
}
