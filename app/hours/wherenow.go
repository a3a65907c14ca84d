package hours

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
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
	Units  []store.Named
	Unit   uuid.UUID // only this crew; zero for all
	Now    time.Time
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
	if unit != uuid.Nil {
		p.People = slices.DeleteFunc(p.People, func(w store.WhereNow) bool { return w.Unit != unit })
	}
	p.Sites, err = store.AllSites(ctx, a.DB)
	return p, err
}
