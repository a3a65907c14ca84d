package store

import (
	"context"
	"time"

	"github.com/google/uuid"

	"manudex/core/geo"
)

// SeenPlace is where somebody was along the way.
type SeenPlace struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	At         time.Time
	geo.Point
}

// InsertSeenPlace keeps a place; sent again it stays as it was.
func InsertSeenPlace(ctx context.Context, q Q, p SeenPlace) error {
	_, err := q.ExecContext(ctx, `insert into place_seen (id, employment_id, at, lat, lon) values ($1, $2, $3, $4, $5)
		on conflict do nothing`, p.ID, p.Employment, p.At, p.Lat, p.Lon)
	return err
}

// LastSeenPlace gives the last place of an employment since an instant, nil
// for none.
func LastSeenPlace(ctx context.Context, q Q, employment uuid.UUID, since time.Time) (*SeenPlace, error) {
	places, err := SeenPlaces(ctx, q, employment, since, since.Add(366*24*time.Hour))
	if err != nil || len(places) == 0 {
		return nil, err
	}
	return &places[len(places)-1], nil
}

// SeenPlaces lists where an employment was between two instants, in order.
func SeenPlaces(ctx context.Context, q Q, employment uuid.UUID, from, to time.Time) ([]SeenPlace, error) {
	var found []SeenPlace
	err := q.SelectContext(ctx, &found, `select id, employment_id, at, lat, lon from place_seen where employment_id = $1
		and at between $2 and $3 order by at`, employment, from, to)
	return found, err
}
