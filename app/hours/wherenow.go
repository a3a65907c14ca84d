package hours

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/when"
	"manudex/store"
)

// MapPage is who is where, as far as their punches, or their jobs, tell.
type MapPage struct {
	Around *app.Frame
	People []store.WhereNow
	Sites  []store.Site
	Map    []geo.Shape // drawn beneath
	Crews  []CrewLine
	Units  []store.Named
	Unit   uuid.UUID // only this crew; zero for all
	Now    time.Time
}

// CrewLine is the day of a crew as one line: where it was, is, and goes next.
type CrewLine struct {
	store.Named
	Loc   *time.Location
	Stops []clock.Stop
}

// crewLines makes the lines of crews, of what their people worked and are planned
// to.
func crewLines(stays []store.CrewStay) (lines []CrewLine, err error) {
	for len(stays) > 0 {
		of := CrewLine{Named: store.Named{ID: stays[0].Unit, Name: stays[0].UnitName}}
		if of.Loc, err = time.LoadLocation(stays[0].Zone); err != nil {
			return nil, err
		}
		var crew []clock.Stay
		for len(stays) > 0 && stays[0].Unit == of.ID {
			s := clock.Stay{From: stays[0].From, Place: stays[0].Place, Planned: stays[0].Planned}
			if stays[0].To != nil {
				s.To = *stays[0].To
			}
			crew, stays = append(crew, s), stays[1:]
		}
		of.Stops = clock.Stops(crew)
		lines = append(lines, of)
	}
	return lines, nil
}

// lastSeen is for how long somebody who is off the clock stays on the map.
const lastSeen = 14 * time.Hour

// ReadMap reads who is where, of those whom the actor sees on Today; unit is
// zero for all of them.
func ReadMap(ctx context.Context, a *app.App, actor app.Actor, unit uuid.UUID) (*MapPage, error) {
	if !actor.May("today.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &MapPage{Map: place.Map, Unit: unit, Now: a.Now()}
	if p.Around, err = a.ReadFrame(ctx, actor, when.Period{From: place.Today(p.Now), To: place.Today(p.Now)}); err != nil {
		return nil, err
	}
	if p.People, err = store.WhereAll(ctx, a.DB, p.Now.Add(-lastSeen), actor.Units("today.see")); err != nil {
		return nil, err
	}
	for _, w := range p.People {
		if n := (store.Named{ID: w.Unit, Name: w.UnitName}); !slices.Contains(p.Units, n) {
			p.Units = append(p.Units, n)
		}
	}
	stays, err := store.CrewStays(ctx, a.DB, place.Today(p.Now), p.Now, actor.Units("today.see"))
	if err != nil {
		return nil, err
	}
	if p.Crews, err = crewLines(stays); err != nil {
		return nil, err
	}
	if unit != uuid.Nil {
		p.Crews = slices.DeleteFunc(p.Crews, func(c CrewLine) bool { return c.ID != unit })
		p.People = slices.DeleteFunc(p.People, func(w store.WhereNow) bool { return w.Unit != unit })
	}
	p.Sites, err = store.AllSites(ctx, a.DB)
	return p, err
}
