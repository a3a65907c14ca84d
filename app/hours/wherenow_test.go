package hours_test

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/dbtest"
	"manudex/store"
)

// Whoever is on the clock is where their newest punch was made, or where their
// job or site is; a lead is shown their crew alone.
func TestWhoIsWhere(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, dao := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	of := func(name string, who *hours.MapPage) *store.WhereNow {
		for i := range who.People {
			if who.People[i].Name == name {
				return &who.People[i]
			}
		}
		return nil
	}
	p, err := hours.ReadMap(ctx, w.App, mira, uuid.Nil)
	apptest.Must(t, err)
	if n := dbtest.Get[int](t, w, `select count(*) from stint where end_at is null`); len(p.People) < n {
		t.Errorf("%d people on the map, %d are on the clock", len(p.People), n)
	}
	at := of("Dao Pham", p)
	if at == nil || at.SeenAt != nil || at.Lat == nil || !at.On || at.JobNumber == "" {
		t.Fatalf("he is by his job or site: %+v", at)
	}
	w.Pass(time.Minute)
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.BreakStart, Break: clock.Rest,
		Place: &geo.Point{Lat: 44.5, Lon: -63.2}}))
	p, err = hours.ReadMap(ctx, w.App, mira, uuid.Nil)
	apptest.Must(t, err)
	if at = of("Dao Pham", p); at.SeenAt == nil || *at.Lat != 44.5 || *at.Lon != -63.2 {
		t.Errorf("he is where he punched: %+v", at)
	}
	w.Pass(time.Minute)
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.Out}))
	p, err = hours.ReadMap(ctx, w.App, mira, *dao.Unit)
	apptest.Must(t, err)
	if at = of("Dao Pham", p); at == nil || at.On || *at.Lat != 44.5 {
		t.Errorf("off the clock he is where he was last: %+v", at)
	}
	for _, o := range p.People {
		if o.Unit != *dao.Unit {
			t.Errorf("%s is of another crew", o.Name)
		}
	}
	if len(p.Crews) != 1 || p.Crews[0].ID != *dao.Unit || len(p.Crews[0].Stops) == 0 || p.Crews[0].Stops[0].At.After(w.At()) {
		t.Errorf("his crew's day: %+v", p.Crews)
	}
	site := dbtest.Get[uuid.UUID](t, w, `insert into site (id, name, zone) values ($1, 'Far Point', 'America/New_York') returning id`,
		apptest.NewID())
	_, err = w.DB.Exec(`update job set site_id = $1 where id in (select job_id from stint s join employment e on e.id = s.employment_id
		where e.unit_id = $2 and s.date = '2026-11-13')`, site, *dao.Unit)
	apptest.Must(t, err)
	if p, err = hours.ReadMap(ctx, w.App, mira, *dao.Unit); err != nil || p.Crews[0].Stops[0].Place != "Far Point" {
		t.Errorf("at the job's site: %+v, %v", p.Crews, err)
	}
	wren := w.Person(t, "Wren Halloran")
	lead, err := hours.ReadMap(ctx, w.App, wren, uuid.Nil)
	apptest.Must(t, err)
	for _, o := range lead.People {
		if o.Unit != *wren.Unit {
			t.Errorf("a lead is shown %s of %s", o.Name, o.UnitName)
		}
	}
	for _, c := range lead.Crews {
		if c.ID != *wren.Unit {
			t.Errorf("a lead is shown where %s goes", c.Name)
		}
	}
}
