package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// Grant is a right given to a single person. Units are those it reaches,
// unless it reaches everyone.
type Grant struct {
	What     string
	Everyone bool
	Units    []uuid.UUID
}

// Grants come from the database as JSON.
type Grants []Grant

// Scan reads grants.
func (g *Grants) Scan(src any) error { return scanJSON(src, g) }

// GrantRow is a right given to a person, as the person's page lists it.
type GrantRow struct {
	ID   uuid.UUID
	What string
	Unit *string
	Site *string
}

// GrantsOf lists a person's grants.
func GrantsOf(ctx context.Context, q Q, person uuid.UUID) ([]GrantRow, error) {
	var found []GrantRow
	err := q.SelectContext(ctx, &found, `select g.id, g.what, u.name as unit, s.name as site from grant_given g
		left join unit u on u.id = g.unit_id left join site s on s.id = g.site_id
		where g.person_id = $1 and g.taken_at is null order by g.what, u.name, s.name`, person)
	return found, err
}

// InsertGrant gives a right; giving it twice changes nothing.
func InsertGrant(ctx context.Context, q Q, id, person uuid.UUID, what string, unit, site, by uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `
		insert into grant_given (id, person_id, what, unit_id, site_id, given_by, given_at) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict do nothing`, id, person, what, nullID(unit), nullID(site), by, at)
	return err
}

// GetGrant reads whose grant it is, and what.
func GetGrant(ctx context.Context, q Q, id uuid.UUID) (person uuid.UUID, what string, err error) {
	err = q.QueryRowxContext(ctx, `select person_id, what from grant_given where id = $1 and taken_at is null`, id).Scan(&person, &what)
	return person, what, err
}

// TakeGrant takes a right away; that it was there stays.
func TakeGrant(ctx context.Context, q Q, id, by uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `update grant_given set taken_by = $2, taken_at = $3 where id = $1 and taken_at is null`, id, by, at)
	return err
}

// Power is what a person's sign-in gives whoever has it, or gave until lately.
type Power struct {
	Leads  []Named
	Rights []string // those taken away lately among them
	Levels []string // that they lately had, and have no more
}

// PowersOf reads the powers of some people, by id: what was taken from them since
// an instant counts.
func PowersOf(ctx context.Context, q Q, people []uuid.UUID, since time.Time) (map[uuid.UUID]*Power, error) {
	var rows []struct {
		Person uuid.UUID
		Kind   string
		Unit   *uuid.UUID
		Text   string
	}
	err := q.SelectContext(ctx, &rows, `
		select l.person_id as person, 'leads' as kind, u.id as unit, u.name as text
		from unit_lead l join unit u on u.id = l.unit_id where l.person_id = any($1)
		union all
		select person_id, 'right', null, what from grant_given where person_id = any($1) and taken_at is null
		union all
		select about, 'right', null, detail ->> 'taken' from audit where about = any($1) and made_at > $2 and detail ? 'taken'
		union all
		select person_id, 'level', null, old_value from change where person_id = any($1) and field = 'level' and made_at > $2
		order by 1, 2, 4`, UUIDs(people), since)
	if err != nil {
		return nil, fmt.Errorf("read what people may: %w", err)
	}
	found := make(map[uuid.UUID]*Power, len(people))
	for _, id := range people {
		found[id] = &Power{}
	}
	for _, r := range rows {
		switch p := found[r.Person]; r.Kind {
		case "leads":
			p.Leads = append(p.Leads, Named{*r.Unit, r.Text})
		case "right":
			p.Rights = append(p.Rights, r.Text)
		default:
			p.Levels = append(p.Levels, r.Text)
		}
	}
	return found, nil
}
