package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/geo"
)

// TrackPoint is where somebody was along the way.
type TrackPoint struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	At         time.Time
	geo.Point
}

// InsertTrackPoint keeps a place; sent again it stays as it was.
func InsertTrackPoint(ctx context.Context, q Q, p TrackPoint) error {
	_, err := q.ExecContext(ctx, `insert into place_seen (id, employment_id, at, lat, lon) values ($1, $2, $3, $4, $5)
		on conflict do nothing`, p.ID, p.Employment, p.At, p.Lat, p.Lon)
	return err
}

// LastTrackPoint gives the last place of an employment since an instant, nil
// for none.
func LastTrackPoint(ctx context.Context, q Q, employment uuid.UUID, since time.Time) (*TrackPoint, error) {
	places, err := TrackPoints(ctx, q, employment, since, since.Add(366*24*time.Hour))
	if err != nil || len(places) == 0 {
		return nil, err
	}
	return &places[len(places)-1], nil
}

// TrackPoints lists where an employment was between two instants, in order.
func TrackPoints(ctx context.Context, q Q, employment uuid.UUID, from, to time.Time) ([]TrackPoint, error) {
	var found []TrackPoint
	err := q.SelectContext(ctx, &found, `select id, employment_id, at, lat, lon from place_seen where employment_id = $1
		and at between $2 and $3 order by at`, employment, from, to)
	return found, err
}

// PlacesOf lists the instants of which a place of an employment is kept, at a punch or
// along the way, the newest first.
func PlacesOf(ctx context.Context, q Q, employment uuid.UUID, from, to time.Time) ([]time.Time, error) {
	var found []time.Time
	if err := q.SelectContext(ctx, &found, `
		select at from place_seen where employment_id = $1 and at between $2 and $3
		union all
		select claimed_at from punch where employment_id = $1 and claimed_at between $2 and $3 and lat is not null
		order by 1 desc`, employment, from, to); err != nil {
		return nil, fmt.Errorf("read which places are kept: %w", err)
	}
	return found, nil
}
