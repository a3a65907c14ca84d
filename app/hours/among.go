package hours

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/store"
)

// Among restricts a list to some crews and some sites; empty ones restrict
// nothing.
type Among struct{ Units, Sites []uuid.UUID }

// None says that nothing is restricted.
func (a Among) None() bool { return len(a.Units) == 0 && len(a.Sites) == 0 }

// Places are the crews and sites that somebody can choose from.
type Places struct{ Units, Sites []store.Named }

// readPlaces reads the crews that a permission reaches, and the sites.
func readPlaces(ctx context.Context, a *app.App, actor app.Actor, permission string) (p Places, err error) {
	if p.Units, err = store.Units(ctx, a.DB); err != nil {
		return p, err
	}
	if reach := actor.Units(permission); reach != nil {
		p.Units = slices.DeleteFunc(p.Units, func(u store.Named) bool { return !slices.Contains(reach, u.ID) })
	}
	p.Sites, err = store.Sites(ctx, a.DB)
	return p, err
}

// pick leaves the rows that are among some.
func (p Places) pick(rows []DayRow, of Among) []DayRow {
	if of.None() {
		return rows
	}
	var sites []string // rows know their site by its name
	for _, s := range p.Sites {
		if slices.Contains(of.Sites, s.ID) {
			sites = append(sites, s.Name)
		}
	}
	return pickRows(rows, func(r *DayRow) bool {
		return (len(of.Units) == 0 || slices.Contains(of.Units, r.Unit)) && (len(of.Sites) == 0 || slices.Contains(sites, r.SiteName))
	})
}
