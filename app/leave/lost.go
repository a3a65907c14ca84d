package leave

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/leave"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Losing is what somebody will lose on a date if they take nothing before it.
type Losing struct {
	Employment uuid.UUID
	Person     uuid.UUID
	Name       string
	UnitName   string
	Kind       string
	InDays     bool
	Date       when.Date // from which it is lost
	Amount     leave.Amount
	Why        leave.Kind // the turn of the year, or that it expires
	Own        bool
}

// TellLosing tells people what they will lose until a day.
type TellLosing struct {
	Employments []uuid.UUID
	Until       when.Date // zero for the end of the January to come
}

// Permission is what the act takes.
func (TellLosing) Permission() string { return "leave.manage" }

const mostLosing = 5000 // that are told at once

func (l TellLosing) Do(ctx context.Context, t *app.Turn) error {
	if len(l.Employments) == 0 || len(l.Employments) > mostLosing {
		return refusal.New("who", "Nobody is chosen, or too many are", "Tick whom you tell")
	}
	whose, err := store.Employments(ctx, t, l.Employments)
	if err != nil {
		return err
	}
	for _, e := range whose {
		if !t.Actor.Reaches(t.Act, e.Person, e.Unit) {
			return app.ErrNotFound
		}
	}
	today := t.Company.Today(t.Now)
	lost, err := losing(ctx, t, whose, today, lostUntil(today, l.Until))
	if err != nil {
		return err
	}
	for _, x := range lost {
		t.Record(store.Event{Person: x.Person, Act: t.Act}, x.Employment, map[string]any{"leave": x.Amount.String()})
		t.Tell(app.Notice{Person: x.Person, Kind: notice.LeaveLost, Key: x.Employment.String() + x.Kind + x.Date.String() + today.String(),
			Words: []string{unit(x.Amount, x.InDays), x.Kind, x.Date.Format("Mon 2 Jan 2006")}, Link: "/leave"})
	}
	return nil
}

// unit says an amount in its unit.
func unit(a leave.Amount, inDays bool) string {
	if inDays {
		return a.String() + " days"
	}
	return a.String() + " h"
}

// losingAhead is for how many days it is looked ahead.
const losingAhead = 400

// lostUntil is until when it is looked: as asked for, else until the end of the January to come.
func lostUntil(today, asked when.Date) when.Date {
	if asked <= today || asked > today+losingAhead {
		return when.NewDate(today.Year()+1, 1, 31)
	}
	return asked
}

// losing lists what some people lose until a day, with what is booked and nothing else, the most
// first.
func losing(ctx context.Context, q store.Q, whose []store.Employment, today, until when.Date) ([]Losing, error) {
	ids := make([]uuid.UUID, len(whose))
	for i, e := range whose {
		ids[i] = e.ID
	}
	all, err := accounts(ctx, q, ids, today)
	if err != nil {
		return nil, err
	}
	var found []Losing
	for _, e := range whose {
		for _, a := range all[e.ID] {
			sums := map[when.Date]*Losing{}
			for _, l := range leave.Work(a.Ahead(today), until).Ledger {
				if l.Date <= today || l.Kind != leave.LostAtReset && l.Kind != leave.Expired {
					continue
				}
				if sums[l.Date] == nil {
					sums[l.Date] = &Losing{Employment: e.ID, Person: e.Person, Name: e.Name(), UnitName: e.UnitName, Kind: a.KindName,
						InDays: a.InDays, Date: l.Date, Why: l.Kind}
				}
				sums[l.Date].Amount -= l.Amount
			}
			for _, x := range sums {
				found = append(found, *x)
			}
		}
	}
	slices.SortFunc(found, func(a, b Losing) int {
		switch {
		case a.Amount != b.Amount:
			return int(b.Amount - a.Amount)
		case a.Date != b.Date:
			return int(a.Date - b.Date)
		}
		return slices.Compare([]byte(a.Name+a.Kind), []byte(b.Name+b.Kind))
	})
	return found, nil
}

// Lost is the list before the year ends.
type Lost struct {
	Today, Until when.Date
	List         []Losing
	People       int
	More         int // that aren't listed
}

// shownLosing is how many stand on the page.
const shownLosing = 500

// ReadLosing reads who of those whose leave the actor manages will lose some until a day.
func ReadLosing(ctx context.Context, a *app.App, actor app.Actor, until when.Date) (*Lost, error) {
	if !actor.May("leave.manage") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	today := place.Today(a.Now())
	p := &Lost{Today: today, Until: lostUntil(today, until)}
	ids, err := store.HereOn(ctx, a.DB, actor.Units("leave.manage"), today, uuid.Nil)
	if err != nil {
		return nil, err
	}
	whose, err := store.Employments(ctx, a.DB, ids)
	if err != nil {
		return nil, err
	}
	if p.List, err = losing(ctx, a.DB, whose, today, p.Until); err != nil {
		return nil, err
	}
	people := map[uuid.UUID]bool{}
	for i := range p.List {
		people[p.List[i].Person] = true
		p.List[i].Own = p.List[i].Person == actor.ID
	}
	p.People, p.More = len(people), max(0, len(p.List)-shownLosing)
	p.List = p.List[:len(p.List)-p.More]
	return p, nil
}
