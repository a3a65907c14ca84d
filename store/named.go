package store

import (
	"context"

	"github.com/google/uuid"
)

// Named is an id with its name.
type Named struct {
	ID   uuid.UUID
	Name string
}

func listNamed(ctx context.Context, q Q, query string, args ...any) ([]Named, error) {
	var found []Named
	err := q.SelectContext(ctx, &found, query, args...)
	return found, err
}
