package store

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/geo"
)

// Fence is where a job is: its own place, or that of its site.
type Fence struct {
	ID       uuid.UUID
	Number   string
	Name     string
	Lat, Lon float64
	Fence    float64 `db:"fence_metres"`
	Own      bool    // not that of its site
}

// Fences reads where jobs are; those with no place are left out.
func Fences(ctx context.Context, q Q, jobs []uuid.UUID) ([]Fence, error) {
	var found []Fence
	err := q.SelectContext(ctx, &found, `
		select j.id, j.number, j.name, coalesce(j.lat, s.lat) as lat, coalesce(j.lon, s.lon) as lon, case when j.lat is null
		then s.fence_metres else j.fence_metres end as fence_metres, j.lat is not null as own
		from job j left join site s on s.id = j.site_id where j.id = any($1) and coalesce(j.lat, s.lat) is not null
		and coalesce(j.lon, s.lon) is not null order by j.number`, UUIDs(jobs))
	return found, err
}

// PutFence sets where a job is, or that its site's place holds.
func PutFence(ctx context.Context, q Q, job uuid.UUID, lat, lon *float64, fence float64) error {
	_, err := q.ExecContext(ctx, `update job set lat = $2, lon = $3, fence_metres = $4 where id = $1`, job, lat, lon, fence)
	return err
}

func fence(lat, lon *float64, metres float64) geo.Fence {
	if lat == nil || lon == nil {
		return geo.Fence{}
	}
	return geo.Fence{Point: geo.Point{Lat: *lat, Lon: *lon}, Radius: metres}
}
