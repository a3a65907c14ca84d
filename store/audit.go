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

// AuditRow is a row of the audit list: who did what about whom, and, where a
// setting was changed, from what to what.
type AuditRow struct {
	Seq     int64
	MadeAt  time.Time `db:"made_at"`
	ByName  string    `db:"by_name"`
	Act     string
	Name    string // of the act; "" of rows that are older than names
	SignIn  string `db:"sign_in"` // what became of a sign-in, in words
	About   string
	Detail  string
	Field   string
	Old     string `db:"old_value"`
	New     string `db:"new_value"`
	Subject *uuid.UUID
	Unit    *uuid.UUID
}

// AuditFilter picks rows of the audit list; zero values mean no restriction.
type AuditFilter struct {
	Before   int64 // only rows before this one
	Act      string
	Who      string // part of the name of whoever did it, or of whom it is about
	From, To time.Time
	Card     EmploymentDate
}

// AuditRows reads the audit list, the newest first.
func AuditRows(ctx context.Context, q Q, f AuditFilter, limit int) ([]AuditRow, error) {
	var found []AuditRow
	w := among(limit)
	if f.Before > 0 {
		w.and(`a.seq < $%d`, f.Before)
	}
	if f.Act != "" {
		w.and(`a.name = $%d`, f.Act)
	}
	if f.Who != "" {
		w.and(`(finds(b.given_name || ' ' || b.family_name, $%d) or finds(coalesce(p.given_name || ' ' || p.family_name,
			ep.given_name || ' ' || ep.family_name), $%d))`, f.Who)
	}
	if !f.From.IsZero() {
		w.and(`a.made_at >= $%d`, f.From)
	}
	if !f.To.IsZero() {
		w.and(`a.made_at < $%d`, f.To)
	}
	if f.Card.Employment != uuid.Nil {
		w.and(`a.about = $%d`, f.Card.Employment)
		w.and(`a.detail ->> 'date' = $%d`, f.Card.Date.String())
	}
	err := q.SelectContext(ctx, &found, `
		select a.seq, a.made_at, coalesce(b.given_name || ' ' || b.family_name, '') as by_name, a.act, a.name, a.detail::text as detail,
		       coalesce(a.detail ->> 'sign-in', '') as sign_in,
		       coalesce(p.given_name || ' ' || p.family_name, ep.given_name || ' ' || ep.family_name, j.number || ' ' || j.name, cu.name,
		       '') as about, coalesce(p.id, ep.id) as subject,
		       (select unit_id from employment x where x.person_id = coalesce(p.id, ep.id) order by starts_on desc limit 1) as unit,
		       coalesce(c.field, '') as field, coalesce(c.old_value, a.detail ->> 'from', '') as old_value,
		       coalesce(c.new_value, a.detail ->> 'to', '') as new_value
		from audit a left join person b on b.id = a.person_id left join person p on p.id = a.about left join employment e on e.id = a.about
		left join person ep on ep.id = e.person_id left join job j on j.id = a.about left join customer cu on cu.id = a.about
		left join change c on c.id = (a.detail ->> 'change')::uuid
		`+w.sql()+` order by a.seq desc limit $1`, w.args...)
	if err != nil {
		return nil, fmt.Errorf("read the audit list: %w", err)
	}
	return found, nil
}
