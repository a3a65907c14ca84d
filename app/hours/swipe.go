package hours

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/store"
)

// Swipe is a card at a reader, of the actor's own: one is in, the next out, and another
// within the company's guard changes nothing. Stands is what the reader stands for.
type Swipe struct {
	ID     uuid.UUID
	Moment clock.Moment
	Queued bool
	Stands clock.Assignment
	Tell   func(Swiped)
}

// Swiped is what became of a swipe.
type Swiped struct {
	Act   clock.Act // in or out
	Again bool      // it came within the guard: nothing changed
	Claim string    // why it is a claim, "" where it isn't
	At    time.Time
}

// Permission is the act's name in the permission table.
func (Swipe) Permission() string { return "clock.punch" }

func (s Swipe) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return noPosition()
	}
	who, err := store.LockEmployment(ctx, t, *t.Actor.Employment)
	if err != nil {
		return err
	}
	p := Punch{ID: s.ID, Act: clock.In, Moment: s.Moment, Queued: s.Queued}
	made := p.made(t)
	_, same, err := store.PunchesAround(ctx, t, who.ID, made.Claimed, s.ID)
	if err != nil {
		return err
	}
	if same != nil { // sent again
		if same.Employment != who.ID {
			return app.ErrConflict
		}
		s.Tell(Swiped{Act: same.Act, At: same.Claimed})
		return nil
	}
	before, err := store.LastPunch(ctx, t, who.ID, made.Claimed)
	if err != nil {
		return err
	}
	if guard := time.Duration(t.Company.SwipeGuard) * time.Second; before != nil && made.Claimed.Sub(before.Claimed) < guard {
		s.Tell(Swiped{Act: before.Act, Again: true, At: before.Claimed})
		return nil
	}
	last, err := store.LastStint(ctx, t, who.ID)
	if err != nil {
		return err
	}
	if last != nil && last.Open() {
		p.Act = clock.Out
	} else if p.On, err = s.work(ctx, t, who); err != nil {
		return err
	}
	told := Swiped{Act: p.Act, At: made.Claimed}
	made = p.made(t)
	err = punchFor(ctx, t, who, made, mayClockIn, nil, func(why string) { told.Claim = why })
	if err == nil {
		s.Tell(told)
	}
	return err
}

// work is what somebody who swipes in works on: what is planned, else what they worked on
// last there, else what the reader stands for, else nothing yet.
func (s Swipe) work(ctx context.Context, t *app.Turn, who store.Employment) (on clock.Assignment, err error) {
	planned, err := store.PlannedAt(ctx, t, who.ID, t.Now)
	if err != nil {
		return on, err
	}
	if planned == nil {
		if on, err = store.LastWorkAt(ctx, t, who.ID, t.Actor.At); err != nil || on.Job != uuid.Nil {
			return on, err
		}
		planned = &s.Stands
	}
	if on = *planned; on.Job != uuid.Nil {
		on.Class, err = store.LastClass(ctx, t, who.ID, on.Job)
	}
	return on, err
}
