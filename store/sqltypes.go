package store

import (
	"database/sql/driver"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"

	"manudex/core/when"
)

// UUIDs is an array column of ids. Nil is null.
type UUIDs []uuid.UUID

// pgTypes reads columns that database/sql hands over as text.
var pgTypes = pgtype.NewMap()

// Value writes the array as text, which takes a tenth of what it takes to ask each id for its
// own value.
func (u UUIDs) Value() (driver.Value, error) {
	if u == nil {
		return nil, nil
	}
	const each = 36 + 1
	text := make([]byte, 1, 2+each*len(u))
	text[0] = '{'
	for i, id := range u {
		if i > 0 {
			text = append(text, ',')
		}
		text = text[:len(text)+36]
		of := text[len(text)-36:]
		hex.Encode(of, id[:4])
		of[8] = '-'
		hex.Encode(of[9:], id[4:6])
		of[13] = '-'
		hex.Encode(of[14:], id[6:8])
		of[18] = '-'
		hex.Encode(of[19:], id[8:10])
		of[23] = '-'
		hex.Encode(of[24:], id[10:])
	}
	return string(append(text, '}')), nil
}

// Scan reads an array of ids.
func (u *UUIDs) Scan(src any) error {
	text, ok := src.(string)
	if !ok {
		return fmt.Errorf("an array of ids came as %T", src)
	}
	return pgTypes.Scan(pgtype.UUIDArrayOID, pgtype.TextFormatCode, []byte(text), (*[]uuid.UUID)(u))
}

// Texts is an array column of texts.
type Texts []string

// Scan reads an array of texts.
func (t *Texts) Scan(src any) error {
	text, ok := src.(string)
	if !ok {
		return fmt.Errorf("an array of texts came as %T", src)
	}
	return pgTypes.Scan(pgtype.TextArrayOID, pgtype.TextFormatCode, []byte(text), (*[]string)(t))
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

// dates gives dates as an array of them is asked for.
func dates(ds []when.Date) []time.Time {
	days := make([]time.Time, len(ds))
	for i, d := range ds {
		days[i] = d.At(0, time.UTC)
	}
	return days
}

// scanJSON reads a JSON column into a value.
func scanJSON(src, into any) error {
	var text []byte
	switch v := src.(type) {
	case []byte:
		text = v
	case string:
		text = []byte(v)
	default:
		return fmt.Errorf("a JSON column came as %T", src)
	}
	return json.Unmarshal(text, into)
}
