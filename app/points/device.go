package points

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Device is whoever holds a key: it acts for people at a clock point.
type Device struct{ store.KeyHolder }

// Open finds the clock point that a key opens; app.ErrNotFound where it opens none: there
// is no such key, it was taken back, or its clock point is closed.
func Open(ctx context.Context, a *app.App, key string) (Device, error) {
	h, err := store.UseKey(ctx, a.DB, hashOf(key), a.Now())
	if store.NotFound(err) {
		return Device{}, app.ErrNotFound
	}
	return Device{h}, err
}

// People lists whom the clock point serves, and what they are doing.
func (d Device) People(ctx context.Context, a *app.App) ([]store.AtPoint, error) {
	today, err := d.today(ctx, a)
	if err != nil {
		return nil, err
	}
	return store.PeopleAt(ctx, a.DB, d.ClockPoint, "", today)
}

// Person gives somebody by personnel number; app.ErrNotFound for whom the clock point
// doesn't serve.
func (d Device) Person(ctx context.Context, a *app.App, number string) (store.AtPoint, error) {
	today, err := d.today(ctx, a)
	if err != nil {
		return store.AtPoint{}, err
	}
	found, err := store.PeopleAt(ctx, a.DB, d.ClockPoint, strings.TrimSpace(number), today)
	if err == nil && (len(found) == 0 || strings.TrimSpace(number) == "") {
		err = app.ErrNotFound
	}
	if err != nil {
		return store.AtPoint{}, err
	}
	for _, p := range found { // the position they are on the clock in, of several
		if p.Kind != nil {
			return p, nil
		}
	}
	return found[0], nil
}

// Jobs lists what can be clocked to at the clock point.
func (d Device) Jobs(ctx context.Context, a *app.App) ([]store.JobAt, error) {
	today, err := d.today(ctx, a)
	if err != nil {
		return nil, err
	}
	return store.JobsAt(ctx, a.DB, d.ClockPoint, today)
}

func (d Device) today(ctx context.Context, a *app.App) (when.Date, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return 0, err
	}
	return place.Today(a.Now()), nil
}

// Press is one act at the device, as it sends it. The zero job and task leave it to the
// plan of the day, or else to what the clock point stands for.
type Press struct {
	ID               uuid.UUID // made by the sender: sent again it is answered as before
	Number           string
	Act              clock.Act
	Break            clock.Kind
	Job, Task, Class string    // number of the job, name of the task, code of the classification
	Pressed, Sent    time.Time // by the device’s clock; zero for now
}

// Outcome is what became of a press: recorded, or kept as a claim that somebody else takes,
// with why.
type Outcome struct {
	Claim bool
	Why   string
}

// Press records what was pressed. What can't be recorded is kept as a claim: nobody is
// turned away (29 CFR 785.11). Its error is app.ErrForbidden for a key that only reads,
// app.ErrNotFound for whom the clock point doesn't serve, app.ErrConflict for an id that
// was sent with other content, and a refusal for what names nothing that there is.
func (d Device) Press(ctx context.Context, a *app.App, p Press) (Outcome, error) {
	if !d.Punches {
		return Outcome{}, app.ErrForbidden
	}
	who, err := d.Person(ctx, a, p.Number)
	if err != nil {
		return Outcome{}, err
	}
	on, err := d.work(ctx, a, who, p)
	if err != nil {
		return Outcome{}, err
	}
	actor, err := a.ActorIn(ctx, who.Person, who.Employment)
	if err != nil {
		return Outcome{}, err
	}
	actor.Point, actor.At = clock.AtPoint, d.ID
	var out Outcome
	err = a.Do(ctx, actor, hours.Punch{ID: p.ID, Act: p.Act, Break: p.Break, On: on,
		Moment: clock.Moment{Pressed: p.Pressed, Sent: p.Sent}, Claimed: func(why string) { out = Outcome{true, why} }})
	return out, err
}

// work finds what a press is about by what it names, or else by the plan and by what the
// clock point stands for.
func (d Device) work(ctx context.Context, a *app.App, who store.AtPoint, p Press) (on clock.Assignment, err error) {
	if p.Act != clock.In && p.Act != clock.Switch {
		return on, nil
	}
	if p.Job == "" {
		planned, err := store.PlannedAt(ctx, a.DB, who.Employment, a.Now())
		switch {
		case err != nil:
			return on, err
		case planned != nil:
			on = *planned
		case d.ClockPoint.Job != nil:
			on.Job, on.Task = *d.ClockPoint.Job, store.IDOrNil(d.ClockPoint.Task)
		}
	} else if on, err = named(ctx, a.DB, "job", p.Job, p.Task); err != nil {
		return on, err
	}
	if p.Class != "" {
		classes, err := store.AllClasses(ctx, a.DB)
		if err != nil {
			return on, err
		}
		for _, c := range classes {
			if strings.EqualFold(c.Code, p.Class) {
				on.Class = c.ID
			}
		}
		if on.Class == uuid.Nil {
			return on, refusal.New("classification", fmt.Sprintf("There is no classification %q", p.Class), "Send one of Setup, Codes")
		}
	}
	return on, nil
}
