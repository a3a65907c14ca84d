package leave

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// Away is who is away in a span, by crew or site.
type Away struct {
	Days    when.Period
	Today   when.Date
	Groups  []AwayGroup
	Windows []store.LeaveWindow
	Off     map[when.Date]bool // holidays
	More    bool               // there are others
}

// AwayGroup is a crew, or those of a site.
type AwayGroup struct {
	ID     uuid.UUID
	Name   string
	Least  int     // who has to be left to work on a day, 0 where nothing says so
	Counts []Count // by day
	Rows   []AwayRow
}

// AwayRow is somebody who is away, or asks to be.
type AwayRow struct {
	Employment uuid.UUID
	Name       string
	Bands      []AwayBand
}

// AwayBand is a stretch of days of one kind, with days between on which nothing is expected.
type AwayBand struct {
	Days  when.Period
	Kind  string
	Asked bool
}

// AskedAway is which groups of a span are asked for.
type AskedAway struct {
	Days   when.Period
	Unit   uuid.UUID // one crew, zero for all
	BySite bool
}

const (
	mostAway   = 92   // days
	peopleAway = 1500 // of whom it is drawn
)

// ReadAway reads who is away, of those whose leave the actor manages.
func ReadAway(ctx context.Context, a *app.App, actor app.Actor, asked AskedAway) (*Away, error) {
	if !actor.May("leave.manage") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &Away{Days: asked.Days, Today: place.Today(a.Now()), Off: map[when.Date]bool{}}
	if p.Days.To < p.Days.From || p.Days.Days() > mostAway || p.Days.From == 0 {
		p.Days = when.Period{From: p.Today - when.Date((int(p.Today.Weekday())+6)%7), To: 0}
		p.Days.To = p.Days.From + 41
	}
	filter := store.RosterFilter{Days: p.Days, Units: actor.Units("leave.manage"), Unit: asked.Unit, Sites: asked.BySite,
		Most: peopleAway + 1}
	s, err := readStaffing(ctx, a.DB, place, filter, nil)
	if err != nil {
		return nil, err
	}
	if p.More = len(s.people) > peopleAway; p.More {
		s.people = s.people[:peopleAway]
	}
	if p.Windows, err = store.LeaveWindows(ctx, a.DB, p.Days); err != nil {
		return nil, err
	}
	numbers, err := store.LeastLeft(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	least := map[uuid.UUID]int{}
	for _, l := range numbers {
		least[l.ID] = l.Least
	}
	for _, d := range p.Days.Dates() {
		p.Off[d] = place.Holiday(d)
	}
	p.Groups = s.groups(asked.BySite, least)
	return p, nil
}

// groups draws people together by crew or site, in their order: those who are away.
func (s *staffing) groups(bySite bool, least map[uuid.UUID]int) []AwayGroup {
	var groups []AwayGroup
	at := map[uuid.UUID]int{}
	for _, p := range s.people {
		id, name := p.Unit, p.UnitName
		if bySite {
			id, name = p.Site, p.SiteName
		}
		i, is := at[id]
		if !is {
			i, at[id] = len(groups), len(groups)
			groups = append(groups, AwayGroup{ID: id, Name: name, Least: least[id], Counts: make([]Count, s.days.Days())})
		}
		g := &groups[i]
		for n, d := range s.days.Dates() {
			expected, away, asked := s.on(p, d)
			c := &g.Counts[n]
			if expected {
				c.Expected++
			}
			if away {
				c.Away++
			}
			if asked {
				c.Asked++
			}
		}
		if bands := s.bandsOf(p, s.days); len(bands) > 0 {
			g.Rows = append(g.Rows, AwayRow{Employment: p.Employment, Name: p.Name(), Bands: bands})
		}
	}
	return groups
}

// bandsOf draws somebody's days together: over days on which nothing is expected of them a band
// goes on.
func (s *staffing) bandsOf(p store.RosterPerson, days when.Period) []AwayBand {
	var bands []AwayBand
	for d := days.From; d <= days.To; d++ {
		k := store.EmploymentDate{Employment: p.Employment, Date: d}
		for _, b := range s.bands[k] {
			n := len(bands) - 1
			if n >= 0 && bands[n].Kind == b.Name && bands[n].Asked == b.Asked && s.idle(p, bands[n].Days.To+1, d) {
				bands[n].Days.To = d
				continue
			}
			bands = append(bands, AwayBand{Days: when.Period{From: d, To: d}, Kind: b.Name, Asked: b.Asked})
		}
	}
	return bands
}

// idle says whether nothing is expected of somebody from a day until the one before another.
func (s *staffing) idle(p store.RosterPerson, from, before when.Date) bool {
	for d := from; d < before; d++ {
		if s.plans[store.EmploymentDate{Employment: p.Employment, Date: d}].Plan.Expected > 0 {
			return false
		}
	}
	return true
}

// AwayEvents are the bands as entries of a calendar, whole days: who is away, not of which kind.
func AwayEvents(ctx context.Context, a *app.App, actor app.Actor, asked AskedAway) ([]files.Event, error) {
	p, err := ReadAway(ctx, a, actor, asked)
	if err != nil {
		return nil, err
	}
	var events []files.Event
	for _, g := range p.Groups {
		for _, r := range g.Rows {
			for _, b := range r.Bands {
				if !b.Asked {
					events = append(events, files.Event{ID: r.Employment.String() + b.Days.From.String() + "@manudex", Days: true,
						From: b.Days.From.At(0, time.UTC), To: (b.Days.To + 1).At(0, time.UTC), Summary: r.Name + " is away", Note: g.Name})
				}
			}
		}
	}
	return events, nil
}
