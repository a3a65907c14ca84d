package store

import (
	"database/sql/driver"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/core/when"
)

// UUIDs is an array column of ids. Nil is null.
type UUIDs []uuid.UUID

// Value writes the ids as a PostgreSQL array.
func (u UUIDs) Value() (driver.Value, error) {
	if u == nil {
		return nil, nil
	}
	s := make([]string, len(u))
	for i, id := range u {
		s[i] = id.String()
	}
	return "{" + strings.Join(s, ",") + "}", nil
}

// Scan reads a PostgreSQL array of ids.
func (u *UUIDs) Scan(src any) error {
	text, ok := src.(string)
	if !ok {
		return fmt.Errorf("an array of ids came as %T", src)
	}
	*u = nil
	for _, s := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(`{},"`, r) }) {
		id, err := uuid.Parse(s)
		if err != nil {
			return err
		}
		*u = append(*u, id)
	}
	return nil
}

// nullID keeps the zero id as null.
func nullID(id uuid.UUID) *uuid.UUID {
	if id == uuid.Nil {
		return nil
	}
	return &id
}

// IDOrNil gives the id of a column that may be null, the zero id for null.
func IDOrNil(id *uuid.UUID) uuid.UUID {
	if id == nil {
		return uuid.Nil
	}
	return *id
}

// dates writes dates as a PostgreSQL array.
func dates(ds []when.Date) string {
	s := make([]string, len(ds))
	for i, d := range ds {
		s[i] = d.String()
	}
	return "{" + strings.Join(s, ",") + "}"
}

// contains makes an ilike pattern of a text a person typed.
func contains(text string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(strings.TrimSpace(text)) + "%"
}

// scanJSON reads a JSON column into a value.
func scanJSON(src, into any) error {
	switch v := src.(type) {
	case []byte:
		return json.Unmarshal(v, into)
	case string:
		return json.Unmarshal([]byte(v), into)
	}
	return fmt.Errorf("a JSON column came as %T", src)
}
