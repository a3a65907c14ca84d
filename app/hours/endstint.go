package hours

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/store"
)

// EndStint ends what somebody else forgot to clock out of, at a time that the
// actor says, with why.
type EndStint struct {
	ID         uuid.UUID // of the punch
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
	why := strings.TrimSpace(e.Why)
	switch {
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return app.ErrNotFound
	case who.Person == t.Actor.ID:
		return refusal.New("at", "These are your own hours", "Somebody else says when you left")
	case !maySay(t.Actor, t.Company, who.Person, who.Unit):
		return refusal.New("at", "Crew leads don't say times here", "Tell the office, who do")
	case why == "" || utf8.RuneCountInString(why) > longestNote:
		return refusal.New("why", "There is no reason", "Say in a few words how you know the time, in at most 1,000 characters")
	}
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	last, err := store.LastStint(ctx, t, who.ID)
	switch {
	case err != nil:
		return err
	case last == nil || !last.Open():
		return refusal.New("at", who.Given+" is not on the clock", "Look at the card again")
	case !e.At.After(last.Start) || e.At.After(t.Now):
		return refusal.New("at", "They can't have left then: they began at "+last.Start.In(loc).Format("15:04 on Monday 2 January"),
			"Choose a time after that, and not after now")
	}
	if err := PunchFor(ctx, t, who, clock.Punch{ID: e.ID, Act: clock.Out, Point: clock.HandEntry, Claimed: e.At}, nil); err != nil {
		return err
	}
	return store.InsertNote(ctx, t, store.Note{ID: e.ID, Employment: who.ID, Date: last.Date, By: t.Actor.ID, MadeAt: t.Now, Body: why})
}

// maySay says whether somebody who may say times may say those of a person:
// leads only where the company lets them.
func maySay(actor app.Actor, place *app.Company, person, unit uuid.UUID) bool {
	return actor.Reaches("time.edit", person, unit) || place.LeadTimes && actor.Reaches("time.say", person, unit)
}
