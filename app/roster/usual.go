package roster

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// KeepUsual keeps the week of a crew by a name, in the place of what stood by it.
type KeepUsual struct {
	ID   uuid.UUID
	Unit uuid.UUID
	Name string
	Week when.Date // its first day
}

// LayUsual plans a crew's usual week from a day on: what is planned there stays, or where
// Replace is set makes room.
type LayUsual struct {
	Batch   uuid.UUID
	Usual   uuid.UUID
	Week    when.Date
	Replace bool
}

// DropUsual takes a usual week out.
type DropUsual struct{ Usual uuid.UUID }

// Permission is what the act takes.
func (KeepUsual) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (LayUsual) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (DropUsual) Permission() string { return "roster.plan" }

const day = 24 * 3600

func (k KeepUsual) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(k.Name)
	switch {
	case !t.Actor.Reaches(t.Act, uuid.Nil, k.Unit):
		return app.ErrNotFound
	case name == "" || utf8.RuneCountInString(name) > 40:
		return refusal.New("name", "The name is missing or too long", "Write at most 40 characters, such as Winter")
	}
	days := when.Period{From: k.Week, To: k.Week + 6}
	people, err := store.RosterPeople(ctx, t, store.RosterFilter{Days: days, Unit: k.Unit})
	if err != nil {
		return err
	}
	zones := map[uuid.UUID]*time.Location{}
	var of []uuid.UUID
	for _, p := range people {
		if zones[p.Employment], err = time.LoadLocation(p.Zone); err != nil {
			return err
		}
		of = append(of, p.Employment)
	}
	planned, err := store.PlannedIn(ctx, t, store.Draft, of, days)
	if err != nil {
		return err
	}
	if len(planned) == 0 {
		return refusal.New("week", "Nothing is planned in this week", "Plan it first, and keep it then")
	}
	usual := make([]store.UsualShift, len(planned))
	for i, s := range planned {
		loc := zones[s.Employment]
		usual[i] = store.UsualShift{Employment: s.Employment, Day: int(s.Date - k.Week), From: secondOf(s.Start, s.Date, loc),
			To: secondOf(s.End, s.Date, loc), Less: s.Less, Job: store.IDOrNil(s.Job), Task: store.IDOrNil(s.Task), Note: s.Note}
	}
	data, err := json.Marshal(usual)
	if err != nil {
		return err
	}
	if err := store.PutUsualWeek(ctx, t, store.UsualWeek{ID: k.ID, Unit: k.Unit, Name: name, Shifts: data, Kept: t.Now}); err != nil {
		return err
	}
	t.Record(store.Event{Unit: k.Unit, Act: t.Act}, k.ID, map[string]any{"usual": name, "shifts": len(usual)})
	return nil
}

// secondOf is which second of a day the clocks show at an instant, past midnight counted on.
func secondOf(at time.Time, d when.Date, loc *time.Location) int {
	local := at.In(loc)
	return int(when.DateOf(at, loc)-d)*day + local.Hour()*3600 + local.Minute()*60 + local.Second()
}

// atSecond is the instant at which they show it.
func atSecond(d when.Date, second int, loc *time.Location) time.Time {
	over := second / day
	if second < 0 {
		over--
	}
	return (d + when.Date(over)).At(time.Duration(second-over*day)*time.Second, loc)
}

func (l LayUsual) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: l.Batch}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	usual, err := store.GetUsualWeek(ctx, t, l.Usual)
	if err != nil {
		return err
	}
	var shifts []store.UsualShift
	if err := json.Unmarshal(usual.Shifts, &shifts); err != nil {
		return fmt.Errorf("read a usual week: %w", err)
	}
	days := when.Period{From: l.Week, To: l.Week + 6}
	people, err := store.RosterPeople(ctx, t, store.RosterFilter{Days: days, Unit: usual.Unit})
	if err != nil {
		return err
	}
	here := map[uuid.UUID]bool{} // who left the crew since isn't planned by it
	var of []uuid.UUID
	for _, p := range people {
		here[p.Employment] = true
		of = append(of, p.Employment)
	}
	if len(of) == 0 {
		return refusal.New("week", "Nobody of this crew works then", "Choose another week")
	}
	if err := d.lock(ctx, t, of); err != nil {
		return err
	}
	today := t.Company.Today(t.Now)
	days.From = max(days.From, today)
	if err := d.room(ctx, t, of, days, l.Replace); err != nil {
		return err
	}
	for i, s := range shifts {
		date := l.Week + when.Date(s.Day)
		if !here[s.Employment] || date < today {
			continue
		}
		loc := d.zone(s.Employment)
		d.copied(roster.Shift{ID: uuid.NewSHA1(l.Batch, fmt.Append(nil, i)), Employment: s.Employment, Date: date,
			Start: atSecond(date, s.From, loc), End: atSecond(date, s.To, loc), Less: s.Less, Job: s.Job, Task: s.Task, Note: s.Note})
	}
	if len(d.changes) == 0 {
		return refusal.New("week", "This week is planned already", "Choose another, or let the usual week replace it")
	}
	return d.write(ctx, t)
}

func (x DropUsual) Do(ctx context.Context, t *app.Turn) error {
	unit, err := store.DropUsualWeek(ctx, t, x.Usual)
	if err != nil {
		return err
	}
	if !t.Actor.Reaches(t.Act, uuid.Nil, unit) {
		return app.ErrNotFound
	}
	t.Record(store.Event{Unit: unit, Act: t.Act}, x.Usual, map[string]any{"usual": "taken out"})
	return nil
}
