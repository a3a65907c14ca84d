package roster

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/store"
)

// DayPlan is the plan of a day as people were told it, by crew.
type DayPlan struct {
	Today, Date when.Date
	Find        string
	Crews       []CrewPlan
	More        bool // there are more than stand here
}

// CrewPlan are the shifts of a crew.
type CrewPlan struct {
	Name   string
	Shifts []CrewShift
}

// mostOfDay is how many shifts of a day are listed.
const mostOfDay = 200

// ReadDayPlan reads the plan of everybody on a date, 0 for today, where the place lets people see
// it. Find keeps those whose name, number, title or crew has it.
func ReadDayPlan(ctx context.Context, a *app.App, actor app.Actor, date when.Date, find string) (*DayPlan, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	if !actor.May("clock.see") || place.PlanSeen != "all" {
		return nil, app.ErrForbidden
	}
	p := &DayPlan{Today: place.Today(a.Now()), Date: date, Find: strings.TrimSpace(find)}
	if p.Date == 0 {
		p.Date = p.Today
	}
	if p.Date < p.Today || p.Date > p.Today+ownAhead {
		return nil, app.ErrNotFound
	}
	day := when.Period{From: p.Date, To: p.Date}
	people, err := store.RosterPeople(ctx, a.DB, store.RosterFilter{Days: day, Find: p.Find})
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(people))
	for i, who := range people {
		ids[i] = who.Employment
	}
	shifts, err := store.PlannedIn(ctx, a.DB, store.Told, ids, day)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]store.PlannedShift{}
	for _, s := range shifts {
		of[s.Employment] = append(of[s.Employment], s)
	}
	listed := 0
	for _, who := range people {
		loc, err := time.LoadLocation(who.Zone)
		if err != nil {
			return nil, err
		}
		for _, s := range of[who.Employment] {
			if listed++; listed > mostOfDay {
				p.More = true
				return p, nil
			}
			if n := len(p.Crews); n == 0 || p.Crews[n-1].Name != who.UnitName {
				p.Crews = append(p.Crews, CrewPlan{Name: who.UnitName})
			}
			crew := &p.Crews[len(p.Crews)-1]
			crew.Shifts = append(crew.Shifts, CrewShift{who.Name(), s, loc})
		}
	}
	return p, nil
}
