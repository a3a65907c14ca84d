package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// Audit is one row of what was done: by whom, which act, about what.
type Audit struct {
	MadeAt time.Time
	Person uuid.UUID
	Act    string // the permission it took
	Name   string // of the act, "" where there is none
	About  uuid.UUID
	Detail any // marshals to a JSON object
}

// InsertAudits writes rows. There is no update and no delete.
func InsertAudits(ctx context.Context, q Q, rows ...Audit) error {
	columns := []string{"made_at", "person_id", "act", "name", "about", "detail"}
	err := insertRows(ctx, q, "audit", columns, "", len(rows), func(i int) []any {
		a := rows[i]
		return []any{a.MadeAt, nullID(a.Person), a.Act, a.Name, nullID(a.About), a.Detail}
	})
	if err != nil {
		return fmt.Errorf("note what was done: %w", err)
	}
	return nil
}
