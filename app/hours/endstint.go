package hours

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
)

// EndStint ends what somebody else forgot to clock out of, at a time that the
// actor says, with why.
type EndStint struct {
	ID         uuid.UUID // of the batch, for taking it back
	Employment uuid.UUID
	At         time.Time
	Why        string
}

// Permission is the act's name in the permission table.
func (EndStint) Permission() string { return "time.say" }

func (e EndStint) Do(ctx context.Context, t *app.Turn) error {
	who, err := store.LockEmployment(ctx, t, e.Employment)
	if err != nil {
		return err
	}
	switch {
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return app.ErrNotFound
	case who.Person == t.Actor.ID:
		return refusal.New("at", "These are your own hours", "Somebody else says when you left")
	case !maySay(t.Actor, t.Company, who.Person, who.Unit):
		return refusal.New("at", "Crew leads don't say times here", "Tell the office, who do")
	}
	why, err := reason("why", e.Why, "Say in a few words how you know the time")
	if err != nil {
		return err
	}
	if again, err := sentBefore(ctx, t, e.ID); again || err != nil {
		return err
	}
	return EndRunning(ctx, t, who, e.ID, e.At, why)
}

// EndRunning ends what a locked employment has running, at a time that somebody
// says. It is an amendment, and can be taken back.
func EndRunning(ctx context.Context, t *app.Turn, who store.Employment, batch uuid.UUID, at time.Time, why string) error {
	last, err := store.LastStint(ctx, t, who.ID)
	switch {
	case err != nil:
		return err
	case last == nil || !last.Open():
		return refusal.New("at", who.Given+" is not on the clock", "Look at the card again")
	}
	s := scene{Actor: t.Actor, act: t.Act, own: true, place: t.Company, now: t.Now, batch: batch, why: why}
	amended, err := s.amend(ctx, t, []store.Employment{who}, []Change{{Employment: who.ID, Does: clock.EndRunning, Of: last.ID, At: at}})
	switch {
	case err != nil:
		return err
	case amended[0].Refused != nil:
		return amended[0].Refused
	}
	return writeAmended(ctx, t, amended)
}

// maySay says whether somebody who may say times may say those of a person:
// leads only where the company lets them.
func maySay(actor app.Actor, place *app.Company, person, unit uuid.UUID) bool {
	return actor.Reaches("time.edit", person, unit) || place.LeadTimes && actor.Reaches("time.say", person, unit)
}
