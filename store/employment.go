package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/geo"
	"manudex/core/when"
)

// PersonsOfEmployments gives the person of every employment, ids as text.
func PersonsOfEmployments(ctx context.Context, q Q) (map[string]string, error) {
	return textPairs(ctx, q, `select id::text, person_id::text from employment`)
}

// Employment is who an employment is of and where it is done.
type Employment struct {
	ID       uuid.UUID
	Person   uuid.UUID
	Unit     uuid.UUID
	Site     uuid.UUID
	Given    string `db:"given_name"`
	Family   string `db:"family_name"`
	UnitName string `db:"unit_name"`
	SiteName string `db:"site_name"`
	Zone     string
	Lat, Lon *float64
	Fence    float64
	Location string     // "off", "punch" or "along": when where they are is taken
	Needed   bool       // a punch from their own device needs a location
	Points   string     // clock points they may use, with commas
	Edits    string     // how they change their own hours: "at_once", "request" or "lead"
	StartsOn when.Date  `db:"starts_on"`
	EndsOn   *when.Date `db:"ends_on"` // of the employment or the person, the earlier

	lock Locked
}

// Name is the person's name.
func (e Employment) Name() string { return e.Given + " " + e.Family }

// Loc is the zone of the site.
func (e Employment) Loc() (*time.Location, error) {
	loc, err := time.LoadLocation(e.Zone)
	if err != nil {
		return nil, fmt.Errorf("the site's zone %q is unknown; set an IANA zone such as America/New_York", e.Zone)
	}
	return loc, nil
}

// SiteFence is the fence of the employment's site.
func (e Employment) SiteFence() geo.Fence { return fence(e.Lat, e.Lon, e.Fence) }

const employmentColumns = `e.id, e.person_id as person, e.unit_id as unit, e.site_id as site, p.given_name, p.family_name,
	u.name as unit_name, s.name as site_name, s.zone, s.lat, s.lon, s.fence_metres as fence, e.location, e.location_required as needed,
	e.clock_points as points, e.own_edits as edits, e.starts_on, least(e.ends_on, p.ended_on) as ends_on
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id join site s on s.id = e.site_id`

// GetEmployment reads an employment.
func GetEmployment(ctx context.Context, q Q, id uuid.UUID) (Employment, error) {
	var e Employment
	err := q.GetContext(ctx, &e, `select `+employmentColumns+` where e.id = $1`, id)
	return e, err
}

// Employments reads some employments, by id.
func Employments(ctx context.Context, q Q, ids []uuid.UUID) ([]Employment, error) {
	var found []Employment
	if err := q.SelectContext(ctx, &found, `select `+employmentColumns+` where e.id = any($1) order by e.id`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read employments: %w", err)
	}
	return found, nil
}

// Positions lists the employments in which a person can clock on a date.
func Positions(ctx context.Context, q Q, person uuid.UUID, on when.Date) ([]Named, error) {
	var found []Named
	err := q.SelectContext(ctx, &found, `
		select e.id, coalesce(nullif(e.title, ''), u.name) || case when e.title <> '' then ', ' || u.name else '' end as name
		from employment e join unit u on u.id = e.unit_id where e.person_id = $1 and `+
		termOn(TermHourly, "e.id", "$2")+` and e.starts_on <= $2 and coalesce(e.ends_on, 'infinity') >= $2 order by e.starts_on, e.id`,
		person, on.String())
	return found, err
}

// InsertEmployment gives a person one more employment, with what new people
// get.
func InsertEmployment(ctx context.Context, q Q, id, person, unit, site uuid.UUID, title string, from when.Date) error {
	_, err := q.ExecContext(ctx, `
		insert into employment (id, person_id, unit_id, site_id, title, starts_on, clock_points, location, account)
		select $1, $2, $3, $4, $5, $6, new_clock_points, new_location, (select account from unit where id = $3) from company`,
		id, person, unit, site, title, from.String())
	return err
}

// ZonesWouldChange lists those of some employments with hours that would come
// to a site of another zone.
func ZonesWouldChange(ctx context.Context, q Q, sites []Value) ([]uuid.UUID, error) {
	data, err := jsonRows([]string{"id", "site_id"}, len(sites), func(i int) []any { return []any{sites[i].Of, sites[i].To} })
	if err != nil {
		return nil, err
	}
	var found []uuid.UUID
	err = q.SelectContext(ctx, &found, `
		select e.id from jsonb_populate_recordset(null::employment, $1) x join employment e on e.id = x.id
		join site o on o.id = e.site_id join site n on n.id = x.site_id
		where o.zone <> n.zone and exists (select 1 from punch where employment_id = e.id)`, data)
	return found, err
}
