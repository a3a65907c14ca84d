package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// WhereNow is somebody and where they are known to be: where their newest punch
// or place along the way was made, or else where their job, or their site, is.
type WhereNow struct {
	Employment uuid.UUID `db:"employment_id"`
	Name       string
	Unit       uuid.UUID `db:"unit_id"`
	UnitName   string    `db:"unit_name"`
	Zone       string
	On         bool       // the clock
	Since      time.Time  // of the stint; when they left, of those who are off
	JobNumber  string     `db:"job_number"`
	JobName    string     `db:"job_name"`
	SeenAt     *time.Time `db:"seen_at"` // nil: the place is that of the job or the site
	Lat, Lon   *float64
	PlaceName  string `db:"place_name"` // of the job's site, or their own
}

// WhereAll reads where those are who are on the clock, or were since an instant,
// by crew and name. A nil units means all.
func WhereAll(ctx context.Context, q Q, since time.Time, units []uuid.UUID) ([]WhereNow, error) {
	w := among(since)
	w.plain(`(s.end_at is null or s.end_at >= $1)`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []WhereNow
	if err := q.SelectContext(ctx, &found, `
		with latest as (
			select distinct on (s.employment_id) s.employment_id, s.job_id, s.start_at, s.end_at, e.unit_id, e.person_id, e.site_id
			from stint s join employment e on e.id = s.employment_id `+w.sql()+` order by s.employment_id, s.start_at desc
		)
		select l.employment_id, p.given_name || ' ' || p.family_name as name, l.unit_id, u.name as unit_name, o.zone,
			l.end_at is null as "on",
		       coalesce(l.end_at, l.start_at) as since, coalesce(j.number, '') as job_number, coalesce(j.name, '') as job_name,
		       seen.at as seen_at, coalesce(seen.lat, j.lat, js.lat, o.lat) as lat, coalesce(seen.lon, j.lon, js.lon, o.lon) as lon,
		       coalesce(js.name, o.name) as place_name
		from latest l join person p on p.id = l.person_id join unit u on u.id = l.unit_id join site o on o.id = l.site_id
		left join job j on j.id = l.job_id left join site js on js.id = j.site_id
		left join lateral (
			select x.at, x.lat, x.lon from (
				(select claimed_at as at, lat, lon from punch where employment_id = l.employment_id and claimed_at >= $1 and lat is not null
				 order by claimed_at desc limit 1)
				union all
				(select at, lat, lon from place_seen where employment_id = l.employment_id and at >= $1 order by at desc limit 1)
			) x order by x.at desc limit 1) seen on true
		order by u.name, p.family_name, p.given_name`, w.args...); err != nil {
		return nil, fmt.Errorf("read where everybody is: %w", err)
	}
	return found, nil
}

// CrewStay is what somebody of a crew worked, or is planned to work from now on,
// at one place.
type CrewStay struct {
	Unit     uuid.UUID `db:"unit_id"`
	UnitName string    `db:"unit_name"`
	Zone     string
	From     time.Time  `db:"start_at"`
	To       *time.Time `db:"end_at"`
	Place    string     // the job's site, the job where it has a place of its own, or the person's site
	Planned  bool
}

// CrewStays reads where the crews and departments are on a day, by name and time:
// what was worked, and the shifts to come after now. A nil units means all.
func CrewStays(ctx context.Context, q Q, day when.Date, now time.Time, units []uuid.UUID) ([]CrewStay, error) {
	w := among(day.String(), now)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []CrewStay
	if err := q.SelectContext(ctx, &found, `
		select e.unit_id, u.name as unit_name, o.zone, x.start_at, x.end_at, x.planned,
		       coalesce(js.name, case when j.lat is not null then j.name end, o.name) as place
		from (select employment_id, job_id, start_at, end_at, false as planned from stint where date = $1 and kind = 'work'
		      union all
		      select employment_id, job_id, start_at, end_at, true from shift where date = $1 and start_at > $2) x
		join employment e on e.id = x.employment_id join unit u on u.id = e.unit_id join site o on o.id = e.site_id
		left join job j on j.id = x.job_id left join site js on js.id = j.site_id `+w.sql()+`
		order by u.name collate "C", e.unit_id, x.start_at, x.employment_id`, w.args...); err != nil {
		return nil, fmt.Errorf("read where the crews are: %w", err)
	}
	return found, nil
}
