package store

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Units, Sites, Classes and Customers list what settings name.
func Units(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from unit order by name`)
}

// Unit is a crew or department, with who leads it.
type Unit struct {
	ID      uuid.UUID
	Kind    string
	Name    string
	Site    *uuid.UUID `db:"site_id"`
	Account string     // to which payroll books the hours of new people
	Mark    string     // of the company's own, "" for none
	Leads   string
	People  int
}

// AllUnits lists crews and departments by name.
func AllUnits(ctx context.Context, q Q, today when.Date) ([]Unit, error) {
	var found []Unit
	err := q.SelectContext(ctx, &found, `
		select u.id, u.kind, u.name, u.site_id, u.account, u.mark,
		coalesce((select string_agg(p.given_name || ' ' || p.family_name, ', ' order by p.family_name) from unit_lead l
		join person p on p.id = l.person_id where l.unit_id = u.id), '') as leads,
		       (select count(*) from employment e where e.unit_id = u.id and coalesce(e.ends_on, 'infinity') >= $1) as people
		from unit u order by u.name`, today.String())
	return found, err
}

// PutUnit adds a crew or department or changes it.
func PutUnit(ctx context.Context, q Q, id uuid.UUID, kind, name, account, mark string, site uuid.UUID) error {
	_, err := q.ExecContext(ctx, `insert into unit (id, kind, name, account, mark, site_id) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do update set kind = excluded.kind, name = excluded.name, account = excluded.account, mark = excluded.mark,
			site_id = excluded.site_id`, id, kind, name, account, mark, nullID(site))
	return err
}

// SitesOfUnits gives the site of each crew or department that has one.
func SitesOfUnits(ctx context.Context, q Q) (map[uuid.UUID]uuid.UUID, error) {
	var rows []struct{ ID, Site uuid.UUID }
	if err := q.SelectContext(ctx, &rows, `select id, site_id as site from unit where site_id is not null`); err != nil {
		return nil, err
	}
	sites := make(map[uuid.UUID]uuid.UUID, len(rows))
	for _, r := range rows {
		sites[r.ID] = r.Site
	}
	return sites, nil
}
