package store

import (
	"context"

	"github.com/google/uuid"
)

// Sites lists the sites by name.
func Sites(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from site order by name`)
}

// Site is a place where people work.
type Site struct {
	ID       uuid.UUID
	Name     string
	Zone     string
	Lat, Lon *float64
	Fence    float64 `db:"fence_metres"`
	FlagsOff Texts   `db:"flags_off"` // codes of flags that are not raised here
}

// GetSite reads a site.
func GetSite(ctx context.Context, q Q, id uuid.UUID) (Site, error) {
	var s Site
	err := q.GetContext(ctx, &s, `select id, name, zone, lat, lon, fence_metres, flags_off from site where id = $1`, id)
	return s, err
}

// AllSites lists the sites by name.
func AllSites(ctx context.Context, q Q) ([]Site, error) {
	var found []Site
	err := q.SelectContext(ctx, &found, `select id, name, zone, lat, lon, fence_metres, flags_off from site order by name`)
	return found, err
}

// PutSite adds a site or changes it.
func PutSite(ctx context.Context, q Q, s Site) error {
	_, err := q.ExecContext(ctx, `insert into site (id, name, zone, lat, lon, fence_metres) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do update set name = excluded.name, lat = excluded.lat, lon = excluded.lon,
		fence_metres = excluded.fence_metres`, s.ID, s.Name, s.Zone, s.Lat, s.Lon, s.Fence)
	return err
}

// PutFlagsOff says which flags are not raised at a site.
func PutFlagsOff(ctx context.Context, q Q, site uuid.UUID, off []string) error {
	_, err := q.ExecContext(ctx, `update site set flags_off = coalesce($2::text[], '{}') where id = $1`, site, off)
	return err
}
