package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/core/card"
)

// PutPatterns sets working patterns: seven lengths in seconds, Sunday first,
// apart by spaces.
func PutPatterns(ctx context.Context, q Q, patterns ...Dated) error {
	return putDated(ctx, q, "pattern", "seconds", patterns, func(value string) any { return strings.Fields(value) })
}

// PatternsOf reads all working patterns of employments.
func PatternsOf(ctx context.Context, q Q, employments []uuid.UUID) (map[uuid.UUID][]card.Pattern, error) {
	var rows []struct {
		Employment uuid.UUID `db:"employment_id"`
		Patterns   []byte
	}
	err := q.SelectContext(ctx, &rows, `
		select employment_id, json_agg(json_build_object('from', starts_on, 'seconds', seconds)) as patterns from pattern
		where employment_id = any($1) group by employment_id`, UUIDs(employments))
	if err != nil {
		return nil, fmt.Errorf("read working patterns: %w", err)
	}
	found := make(map[uuid.UUID][]card.Pattern, len(rows))
	for _, r := range rows {
		var patterns []card.Pattern
		if err := json.Unmarshal(r.Patterns, &patterns); err != nil {
			return nil, fmt.Errorf("read working patterns: %w", err)
		}
		found[r.Employment] = patterns
	}
	return found, nil
}
