package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// Audit is one row of what was done: by whom, which act, about what.
type Audit struct {
	MadeAt time.Time
	Person uuid.UUID
	Act    string
	About  uuid.UUID
	Detail any // marshals to a JSON object
}

// InsertAudit writes the row. There is no update and no delete.
func InsertAudit(ctx context.Context, q Q, a Audit) error {
	detail, err := json.Marshal(a.Detail)
	if err != nil {
		return err
	}
	_, err = q.ExecContext(ctx, `insert into audit (made_at, person_id, act, about, detail) values ($1, $2, $3, $4, $5)`,
		a.MadeAt, nullID(a.Person), a.Act, nullID(a.About), string(detail))
	return err
}
