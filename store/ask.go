package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
)

// AskWhom is whom to ask about a subject, and how they are reached.
type AskWhom struct {
	ID       uuid.UUID
	Subject  string
	Site     *uuid.UUID `db:"site_id"` // nil: at every site that has nobody of its own
	SiteName string     `db:"site_name"`
	Person   uuid.UUID  `db:"person_id"`
	Name     string
	Reach    string
}

// Asks lists whom to ask, by subject and site.
func Asks(ctx context.Context, q Q) ([]AskWhom, error) {
	var found []AskWhom
	if err := q.SelectContext(ctx, &found, `
		select a.id, a.subject, a.site_id, coalesce(s.name, '') as site_name, a.person_id,
		       p.given_name || ' ' || p.family_name as name, a.reach
		from ask a join person p on p.id = a.person_id left join site s on s.id = a.site_id
		order by lower(a.subject), s.name nulls first`); err != nil {
		return nil, fmt.Errorf("read whom to ask: %w", err)
	}
	return found, nil
}

// PutAsk adds whom to ask, or changes it.
func PutAsk(ctx context.Context, q Q, a AskWhom) error {
	_, err := q.ExecContext(ctx, `insert into ask (id, subject, site_id, person_id, reach) values ($1, $2, $3, $4, $5)
		on conflict (id) do update set subject = excluded.subject, site_id = excluded.site_id, person_id = excluded.person_id,
		reach = excluded.reach`, a.ID, a.Subject, a.Site, a.Person, a.Reach)
	return err
}

// DropAsk takes it out, and gives its subject; "" where there is none.
func DropAsk(ctx context.Context, q Q, id uuid.UUID) (subject string, err error) {
	err = q.GetContext(ctx, &subject, `delete from ask where id = $1 returning subject`, id)
	if NotFound(err) {
		return "", nil
	}
	return subject, err
}

// GetAsk reads whom to ask about one subject.
func GetAsk(ctx context.Context, q Q, id uuid.UUID) (a AskWhom, err error) {
	err = q.GetContext(ctx, &a, `select id, subject, site_id, person_id, reach from ask where id = $1`, id)
	return a, err
}
