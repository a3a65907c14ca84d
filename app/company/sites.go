package company

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/mark"
	"manudex/core/refusal"
	"manudex/store"
)

// PutSite adds a site or changes it. Where it lies and how far its fence
// reaches may be left out.
type PutSite struct {
	ID                    uuid.UUID
	Title, Zone           string // an empty zone is that of the place
	Lat, Lon, FenceMetres string
}

// PutUnit adds a crew or a department or changes it.
type PutUnit struct {
	ID          uuid.UUID
	Kind, Title string
	Account     string    // to which payroll books the hours of new people
	Mark        string    // of the company's own: see core/mark
	Site        uuid.UUID // zero for none of its own
}

// Permission is the act's name in the permission table.
func (PutSite) Permission() string { return "setup.change" }

// PutFlagsOff says which flags are not raised at a site.
type PutFlagsOff struct {
	Site uuid.UUID
	Off  []string
}

// Permission is the act's name in the permission table.
func (PutFlagsOff) Permission() string { return "setup.change" }

func (p PutFlagsOff) Do(ctx context.Context, t *app.Turn) error {
	site, err := store.GetSite(ctx, t, p.Site)
	if err != nil {
		return err
	}
	for _, code := range p.Off {
		if !slices.ContainsFunc(card.Offable, func(k card.Kind) bool { return string(k.Code) == code }) {
			return app.ErrNotFound
		}
	}
	if err := store.PutFlagsOff(ctx, t, p.Site, p.Off); err != nil {
		return err
	}
	t.RecordSetting(p.Site, map[string]any{"field": "Flags not raised at " + site.Name, "from": strings.Join(site.FlagsOff, ", "),
		"to": strings.Join(p.Off, ", ")})
	return nil
}

// Permission is the act's name in the permission table.
func (PutUnit) Permission() string { return "setup.change" }

func (p PutSite) Do(ctx context.Context, t *app.Turn) error {
	s := store.Site{ID: p.ID, Name: strings.TrimSpace(p.Title), Zone: strings.TrimSpace(p.Zone)}
	if s.Name == "" || utf8.RuneCountInString(s.Name) > 80 {
		return refusal.New("title", "The site has no name", "Write one of at most 80 characters")
	}
	if s.Zone == "" {
		s.Zone = t.Company.Zone
	}
	if _, err := time.LoadLocation(s.Zone); err != nil || s.Zone == "Local" {
		return refusal.New("zone", "The zone can't be “"+field.Shorten(s.Zone)+"”", "Write an IANA zone such as America/New_York")
	}
	for _, c := range []struct {
		name, text  string
		least, most float64
		into        **float64
	}{{"latitude", p.Lat, -90, 90, &s.Lat}, {"longitude", p.Lon, -180, 180, &s.Lon}} {
		if strings.TrimSpace(c.text) == "" {
			continue
		}
		v, err := strconv.ParseFloat(strings.TrimSpace(c.text), 64)
		if err != nil || v < c.least || v > c.most {
			return refusal.New(c.name, "The "+c.name+" can't be “"+field.Shorten(c.text)+"”", "Write degrees such as 44.6476")
		}
		*c.into = &v
	}
	if (s.Lat == nil) != (s.Lon == nil) {
		return refusal.New("latitude", "A place on the map has a latitude and a longitude", "Write both, or neither")
	}
	if text := strings.TrimSpace(p.FenceMetres); text != "" {
		metres, err := strconv.Atoi(text)
		if err != nil || metres < 0 || metres > 100_000 || metres > 0 && s.Lat == nil {
			return refusal.New("fence", "The fence can't be “"+field.Shorten(text)+"”",
				"Write whole metres, 0 to 100000, for a site with a place on the map")
		}
		s.Fence = float64(metres)
	}
	old, err := store.GetSite(ctx, t, p.ID)
	switch {
	case err != nil && !store.NotFound(err):
		return err
	case err == nil && old.Zone != s.Zone:
		return refusal.New("zone", "The zone of "+old.Name+" stays: hours were put on days by it", "Add another site with the new zone")
	}
	if err := store.PutSite(ctx, t, s); err != nil {
		if store.Violates(err, "site_name_key") {
			return refusal.New("title", "There is a site “"+s.Name+"” already", "Choose another name")
		}
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Site", "from": old.Name, "to": s.Name})
	return nil
}

func (p PutUnit) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(p.Title)
	switch {
	case name == "" || utf8.RuneCountInString(name) > 80 || strings.ContainsAny(name, ",;"):
		return refusal.New("title", "The crew or department needs a name", "Write one of at most 80 characters, without commas")
	case !field.Has(field.UnitKinds, p.Kind):
		return app.ErrNotFound
	case len([]rune(p.Account)) > 60:
		return refusal.New("account", "The account can't be “"+field.Shorten(p.Account)+"”", "Write at most 60 characters")
	}
	own, err := mark.Parse(p.Mark)
	if err != nil {
		return refusal.New("mark", "The mark can't be “"+field.Shorten(p.Mark)+"”", strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	if err := store.PutUnit(ctx, t, p.ID, p.Kind, name, strings.TrimSpace(p.Account), own, p.Site); err != nil {
		if store.Violates(err, "unit_name_key") {
			return refusal.New("title", "There is a crew or department “"+name+"” already", "Choose another name")
		}
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Crew or department", "to": name})
	return nil
}

// PutJobKind adds a kind of job, or changes the tasks that new jobs of it
// get: one a line, its cost code first.
type PutJobKind struct {
	ID           uuid.UUID
	Title, Tasks string
	OwnWork      bool
}

// Permission is the act's name in the permission table.
func (PutJobKind) Permission() string { return "setup.change" }

func (p PutJobKind) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(p.Title)
	if name == "" || utf8.RuneCountInString(name) > 80 {
		return refusal.New("title", "The kind has no name", "Write one of at most 80 characters")
	}
	known, err := store.CostCodes(ctx, t)
	if err != nil {
		return err
	}
	var tasks strings.Builder
	for line := range strings.Lines(p.Tasks) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		code, task, ok := strings.Cut(line, " ")
		if !ok || utf8.RuneCountInString(code) > 20 || utf8.RuneCountInString(task) > 120 {
			return refusal.New("tasks", "A task can't be “"+field.Shorten(line)+"”",
				"Write the cost code, a space and the name: 110 Set up")
		}
		if err := payroll.KnownCostCode(known, code); err != nil {
			return err
		}
		tasks.WriteString(code + " " + strings.TrimSpace(task) + "\n")
	}
	if err := store.PutJobKind(ctx, t, p.ID, name, tasks.String(), p.OwnWork); err != nil {
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Kind of job", "to": name})
	return nil
}

// ReadHabits reads what is known of how the people of each site could clock.
func ReadHabits(ctx context.Context, a *app.App, actor app.Actor) ([]store.SiteHabits, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	return store.Habits(ctx, a.DB, clock.OwnDevice, place.Today(a.Now()))
}
