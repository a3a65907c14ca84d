package store

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/when"
)

// PeopleNamed finds who works here on a date by personnel number or by full
// name; their names are the numbers. A nil units means all units.
func PeopleNamed(ctx context.Context, q Q, text string, units []uuid.UUID, on when.Date) ([]Named, error) {
	var found []Named
	w := among(text, on.String())
	w.plain(`(p.number = $1 or lower(p.given_name || ' ' || p.family_name) = lower($1))`)
	w.plain(`coalesce(least(p.ended_on, e.ends_on), 'infinity') >= $2`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	err := q.SelectContext(ctx, &found, `
		select distinct p.id, p.number as name from person p left join employment e on e.person_id = p.id `+w.sql()+`
		order by 2`, w.args...)
	return found, err
}

// Found is a hit of the find box.
type Found struct {
	ID    uuid.UUID
	Title string
	Hint  string
}

// FindPeople finds people by any words of name, number and mobile number. A nil units means
// all units.
func FindPeople(ctx context.Context, q Q, text string, units []uuid.UUID, on when.Date, limit int) ([]Found, error) {
	var found []Found
	w := among(text, limit, on.String())
	w.plain(`coalesce(least(p.ended_on, e.ends_on), 'infinity') >= $3`)
	w.plain(`finds(p.given_name || ' ' || p.family_name || ' ' || p.number || ' ' || coalesce(p.mobile, ''), $1)`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	err := q.SelectContext(ctx, &found, `
		select p.id, p.given_name || ' ' || p.family_name as title, min(u.name) as hint
		from person p join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		`+w.sql()+` group by p.id order by 2 limit $2`, w.args...)
	return found, err
}

// FindJobs finds jobs by any part of number, name or site, open ones first.
func FindJobs(ctx context.Context, q Q, text string, limit int) ([]Found, error) {
	var found []Found
	err := q.SelectContext(ctx, &found, `
		select j.id, j.number || ' ' || j.name as title, coalesce(s.name, '') || case j.state when 'closed' then ' · closed'
		else '' end as hint
		from job j left join site s on s.id = j.site_id
		where finds(j.number || ' ' || j.name || ' ' || coalesce(s.name, ''), $1)
		order by j.state desc, j.number limit $2`, text, limit)
	return found, err
}
