package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/core/geo"
	"manudex/core/when"
)

// Person is somebody who works here, with the employment they clock in.
type Person struct {
	ID         uuid.UUID
	Number     string
	Given      string `db:"given_name"`
	Family     string `db:"family_name"`
	Email      *string
	Level      string
	Employment *uuid.UUID // nil for those who don't clock
	Unit       *uuid.UUID
	Zone       *string
	SignsIn    bool   `db:"signs_in"`
	LeadsUnits UUIDs  `db:"leads_units"`
	Grants     Grants // beyond the level

	HasCode      bool `db:"has_code"`      // signs in with a one-time code too
	SessionEpoch int  `db:"session_epoch"` // sessions of an earlier one are over
	Ended        bool // their last day is over; they are on the clock still
	Running      bool // on the clock
}

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

// OnClock says whether the person is on the clock.
func (p Person) OnClock() bool { return p.Running }

// Name is the name as people say it.
func (p Person) Name() string { return p.Given + " " + p.Family }

// personOn reads people who work here on a date $1, or are on the clock still.
// Of several positions it is the one they are on the clock in, whatever became
// of it since, else the one asked for, else the first.
var personOn = `
		select p.id, p.number, p.given_name, p.family_name, p.email, p.level, e.id as employment, e.unit_id as unit, s.zone,
		       p.password_hash is not null as signs_in, p.code_since is not null as has_code, p.session_epoch,
		       coalesce(p.ended_on, 'infinity') < $1 as ended, running.id is not null as running,
		       array(select unit_id::text from unit_lead where person_id = p.id order by unit_id) as leads_units,
		       (select coalesce(json_agg(json_build_object('what', g.what, 'everyone', g.unit_id is null and g.site_id is null,
		            'units', array(select u.id from unit u where u.id = g.unit_id or u.site_id = g.site_id order by u.id))
		            order by g.id), '[]')
		        from grant_given g where g.person_id = p.id and g.taken_at is null) as grants
		from person p
		left join stint running on running.person_id = p.id and running.end_at is null
		left join lateral (select x.id, x.unit_id, x.site_id from employment x
		                   where x.person_id = p.id
		                     and (x.id = running.employment_id or ` + termOn(TermHourly, "x.id", "$1") + ` and x.starts_on <= $1
		                     	and coalesce(x.ends_on, 'infinity') >= $1)
		                   order by x.id = running.employment_id desc nulls last, x.id = $2 desc, x.starts_on, x.id limit 1) e on true
		left join site s on s.id = e.site_id
		where (coalesce(p.ended_on, 'infinity') >= $1 or running.id is not null)`

// GetPerson reads a person in a position, where they have several.
func GetPerson(ctx context.Context, q Q, id uuid.UUID, on when.Date, position uuid.UUID) (Person, error) {
	var p Person
	err := q.GetContext(ctx, &p, personOn+` and p.id = $3`, on.String(), position, id)
	return p, err
}

// GetPersons reads those of some people who are still there.
func GetPersons(ctx context.Context, q Q, ids []uuid.UUID, on when.Date) ([]Person, error) {
	var found []Person
	err := q.SelectContext(ctx, &found, personOn+` and p.id = any($3)`, on.String(), uuid.Nil, UUIDs(ids))
	if err != nil {
		err = fmt.Errorf("read people: %w", err)
	}
	return found, err
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

// Credentials gives the id and password hash of somebody who works here on a
// date or is on the clock still, by e-mail address, mobile or number.
func Credentials(ctx context.Context, q Q, who string, on when.Date) (id uuid.UUID, hash string, err error) {
	err = q.QueryRowxContext(ctx, `
		select id, coalesce(password_hash, '') from person p
		where (lower(email) = lower($1) or number = $1 or length($3) > 6 and regexp_replace(mobile, '[^0-9]', '', 'g') = $3)
		  and (coalesce(ended_on, 'infinity') >= $2 or exists (select 1 from stint where person_id = p.id and end_at is null))
		order by lower(email) = lower($1) desc nulls last, number = $1 desc limit 1`, who, on.String(), digits(who)).Scan(&id, &hash)
	return id, hash, err
}

// UnitsLedBy lists the crews and departments that a person leads.
func UnitsLedBy(ctx context.Context, q Q, person uuid.UUID) ([]Named, error) {
	var found []Named
	err := q.SelectContext(ctx, &found, `select u.id, u.name from unit_lead l join unit u on u.id = l.unit_id where l.person_id = $1
		order by u.name`, person)
	return found, err
}

// Lowered is what a person was and might: levels they no longer have, and
// rights that were taken from them.
type Lowered struct{ Levels, Rights []string }

// LoweredSince reads what was taken from a person since an instant.
func LoweredSince(ctx context.Context, q Q, person uuid.UUID, since time.Time) (l Lowered, err error) {
	if err = q.SelectContext(ctx, &l.Levels, `select old_value from change where person_id = $1 and field = 'level' and made_at > $2`,
		person, since); err != nil {
		return l, fmt.Errorf("read former levels: %w", err)
	}
	err = q.SelectContext(ctx, &l.Rights, `select detail ->> 'taken' from audit where about = $1 and made_at > $2 and detail ? 'taken'`,
		person, since)
	if err != nil {
		err = fmt.Errorf("read former rights: %w", err)
	}
	return l, err
}

// EndSessions ends all sessions of a person.
func EndSessions(ctx context.Context, q Q, person uuid.UUID) error {
	_, err := q.ExecContext(ctx, `update person set session_epoch = session_epoch + 1 where id = $1`, person)
	return err
}

// Employment is who an employment is of and where it is done.
type Employment struct {
	ID       uuid.UUID
	Person   uuid.UUID
	Unit     uuid.UUID
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

func fence(lat, lon *float64, metres float64) geo.Fence {
	if lat == nil || lon == nil {
		return geo.Fence{}
	}
	return geo.Fence{Point: geo.Point{Lat: *lat, Lon: *lon}, Radius: metres}
}

const employmentColumns = `e.id, e.person_id as person, e.unit_id as unit, p.given_name, p.family_name, u.name as unit_name,
	s.name as site_name, s.zone, s.lat, s.lon, s.fence_metres as fence, e.location, e.location_required as needed,
	e.clock_points as points, e.starts_on, least(e.ends_on, p.ended_on) as ends_on
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
		select distinct p.id, p.number as name from person p join employment e on e.person_id = p.id `+w.sql()+` order by 2`, w.args...)
	return found, err
}

// Found is a hit of the find box.
type Found struct {
	ID    uuid.UUID
	Title string
	Hint  string
}

// FindPeople finds people by any part of name or number. A nil units means
// all units.
func FindPeople(ctx context.Context, q Q, text string, units []uuid.UUID, on when.Date, limit int) ([]Found, error) {
	var found []Found
	w := among(contains(text), limit, on.String())
	w.plain(`coalesce(least(p.ended_on, e.ends_on), 'infinity') >= $3`)
	w.plain(`(p.given_name || ' ' || p.family_name ilike $1 or p.number ilike $1)`)
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
		where j.number || ' ' || j.name || ' ' || coalesce(s.name, '') ilike $1
		order by j.state desc, j.number limit $2`, contains(text), limit)
	return found, err
}

// digits keeps the digits of a text.
func digits(text string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, text)
}
