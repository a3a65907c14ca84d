package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// ClockPoint is a device of the company's at which the people of a site clock.
type ClockPoint struct {
	ID        uuid.UUID
	Name      string
	Site      uuid.UUID  `db:"site_id"`
	SiteName  string     `db:"site_name"`
	Zone      string     // of the site
	Job       *uuid.UUID `db:"job_id"` // what it stands for, nil for nothing
	Task      *uuid.UUID `db:"task_id"`
	JobNumber string     `db:"job_number"`
	JobName   string     `db:"job_name"`
	TaskName  string     `db:"task_name"`
	ClosedAt  *time.Time `db:"closed_at"`
	Takes     string     // acts, apart by commas: "in", "switch", "break", "out"
	Watcher   *uuid.UUID `db:"watcher_id"` // who vouches there in place of a PIN
	WatchedBy string     `db:"watched_by"` // their name
}

const clockPoints = `
	select c.id, c.name, c.site_id, s.name as site_name, s.zone, c.job_id, c.task_id, coalesce(j.number, '') as job_number,
	       coalesce(j.name, '') as job_name, coalesce(t.name, '') as task_name, c.closed_at,
	       c.takes, c.watcher_id, coalesce(w.given_name || ' ' || w.family_name, '') as watched_by
	from clock_point c join site s on s.id = c.site_id left join job j on j.id = c.job_id left join task t on t.id = c.task_id
	left join person w on w.id = c.watcher_id `

// ClockPoints lists them, those that are closed last.
func ClockPoints(ctx context.Context, q Q) ([]ClockPoint, error) {
	var found []ClockPoint
	if err := q.SelectContext(ctx, &found, clockPoints+`order by c.closed_at is not null, s.name, c.name`); err != nil {
		return nil, fmt.Errorf("read clock points: %w", err)
	}
	return found, nil
}

// GetClockPoint reads one.
func GetClockPoint(ctx context.Context, q Q, id uuid.UUID) (p ClockPoint, err error) {
	err = q.GetContext(ctx, &p, clockPoints+`where c.id = $1`, id)
	return p, err
}

// PutClockPoint adds a clock point, or changes what it is called, where it is and what
// it stands for.
func PutClockPoint(ctx context.Context, q Q, p ClockPoint, by uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `insert into clock_point (id, name, site_id, job_id, task_id, takes, watcher_id, made_at, made_by)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (id) do update set name = excluded.name, site_id = excluded.site_id,
		job_id = excluded.job_id, task_id = excluded.task_id, takes = excluded.takes, watcher_id = excluded.watcher_id`,
		p.ID, p.Name, p.Site, p.Job, p.Task, p.Takes, p.Watcher, at, by)
	return err
}

// CloseClockPoint closes a clock point, or with a nil at opens it again.
func CloseClockPoint(ctx context.Context, q Q, id uuid.UUID, at *time.Time) error {
	_, err := q.ExecContext(ctx, `update clock_point set closed_at = $2 where id = $1`, id, at)
	return err
}

// PointKey is what lets a device act for a clock point.
type PointKey struct {
	ID       uuid.UUID
	Point    uuid.UUID `db:"point_id"`
	Name     string
	Punches  bool
	Terminal bool       // a browser that is a shared terminal holds it
	MadeAt   time.Time  `db:"made_at"`
	MadeBy   string     `db:"made_by"` // by name
	SeenAt   *time.Time `db:"seen_at"`
	EndedAt  *time.Time `db:"ended_at"`
}

// PointKeys lists the keys of all clock points, the newest first.
func PointKeys(ctx context.Context, q Q) ([]PointKey, error) {
	var found []PointKey
	err := q.SelectContext(ctx, &found, `
		select k.id, k.point_id, k.name, k.punches, k.terminal, k.made_at, p.given_name || ' ' || p.family_name as made_by,
		       k.seen_at, k.ended_at
		from point_key k join person p on p.id = k.made_by order by k.made_at desc, k.id`)
	if err != nil {
		return nil, fmt.Errorf("read keys of clock points: %w", err)
	}
	return found, nil
}

// InsertPointKey keeps a key by its digest.
func InsertPointKey(ctx context.Context, q Q, k PointKey, hash []byte, by uuid.UUID) error {
	_, err := q.ExecContext(ctx, `insert into point_key (id, point_id, name, secret_hash, punches, terminal, made_at, made_by)
		values ($1, $2, $3, $4, $5, $6, $7, $8)`, k.ID, k.Point, k.Name, hash, k.Punches, k.Terminal, k.MadeAt, by)
	return err
}

// EndPointKey takes a key back; it gives its clock point, and an error that is
// [NotFound] where there is no such key, or it was taken back already.
func EndPointKey(ctx context.Context, q Q, id, by uuid.UUID, at time.Time) (point uuid.UUID, err error) {
	err = q.GetContext(ctx, &point, `
		update point_key set ended_at = $3, ended_by = $2 where id = $1 and ended_at is null returning point_id`, id, by, at)
	return point, err
}

// KeyHolder is a clock point as a key opens it.
type KeyHolder struct {
	ClockPoint
	Key      uuid.UUID `db:"key_id"`
	Punches  bool
	Terminal bool
}

// terminalLasts is for how long a shared terminal that nobody uses stays one.
const terminalLasts = 35 * 24 * time.Hour

// UseKey finds the clock point that a key opens, by its digest, and notes that it was
// used, no oftener than once a minute. Its error is [NotFound] for a key that there
// isn't, that was taken back, or whose clock point is closed; and for a terminal that was
// unused for five weeks.
func UseKey(ctx context.Context, q Q, hash []byte, at time.Time) (h KeyHolder, err error) {
	err = q.GetContext(ctx, &h, `
		with used as (update point_key set seen_at = $2 where secret_hash = $1 and ended_at is null
		              and (seen_at is null or seen_at < $2::timestamptz - interval '1 minute')
		              and (not terminal or coalesce(seen_at, made_at) > $3))
		select x.*, k.id as key_id, k.punches, k.terminal
		from point_key k join (`+clockPoints+`where c.closed_at is null) x on x.id = k.point_id
		where k.secret_hash = $1 and k.ended_at is null and (not k.terminal or coalesce(k.seen_at, k.made_at) > $3)`,
		hash, at, at.Add(-terminalLasts))
	return h, err
}

// AtPoint is somebody whom a clock point serves, and what they are doing.
type AtPoint struct {
	Person, Employment uuid.UUID
	Number             string
	Given              string      `db:"given_name"`
	Family             string      `db:"family_name"`
	Way                bool        // they were given the way of clocking that points are
	Kind               *clock.Kind // nil while they are off
	Since              *time.Time
	JobNumber          *string `db:"job_number"`
	JobName            *string `db:"job_name"`
	TaskName           *string `db:"task_name"`
	Worked             int64   // seconds today, what runs not counted
	Unit               uuid.UUID
	Terminal           bool // they were given shared terminals
	PIN                bool // they have one
	Language           *string
	Lost               bool // they did not clock out of a day since yesterday
}

// PeopleAt lists whom a clock point serves on a date: who clocks, and belongs to its site;
// all of them, or where number isn't "" that one.
func PeopleAt(ctx context.Context, q Q, p ClockPoint, number string, today when.Date) ([]AtPoint, error) {
	var found []AtPoint
	err := q.SelectContext(ctx, &found, `
		select p.id as person, e.id as employment, p.number, p.given_name, p.family_name,
		       $4 = any(string_to_array(e.clock_points, ', ')) as way, n.kind, n.start_at as since, j.number as job_number,
		       j.name as job_name, t.name as task_name, coalesce(c.worked, 0) as worked, e.unit_id as unit,
		       $5 = any(string_to_array(e.clock_points, ', ')) as terminal, p.pin_hash is not null as pin, p.language,
		       exists (select 1 from stint l where l.employment_id = e.id and l.date between $2::date - 1 and $2
		               and (l.end_at is null and l.date < $2 or l.implied and l.end_at is not null and not l.counted)) as lost
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		left join stint n on n.employment_id = e.id and n.end_at is null
		left join job j on j.id = n.job_id left join task t on t.id = n.task_id
		left join card c on c.employment_id = e.id and c.date = $2
		where coalesce(e.site_id, u.site_id) = $1 and e.starts_on <= $2 and (e.ends_on is null or e.ends_on >= $2)
		  and ($3 = '' or p.number = $3) order by p.family_name, p.given_name, e.id`, p.Site, today.String(), number, string(clock.Device),
		string(clock.Terminal))
	if err != nil {
		return nil, fmt.Errorf("read whom a clock point serves: %w", err)
	}
	return found, nil
}

// JobAt is an open job, or one of its open tasks, that can be clocked to.
type JobAt struct {
	Job      uuid.UUID
	Number   string
	Name     string
	TaskID   *uuid.UUID `db:"task_id"`
	TaskName *string    `db:"task_name"`
}

// JobsAt lists the open jobs of a clock point's site and of no site, with their open tasks.
func JobsAt(ctx context.Context, q Q, p ClockPoint, today when.Date) ([]JobAt, error) {
	var found []JobAt
	err := q.SelectContext(ctx, &found, `
		select j.id as job, j.number, j.name, t.id as task_id, t.name as task_name
		from job j left join task t on t.job_id = j.id and t.state = 'open' and t.joined_into is null
		where j.state = 'open' and (j.site_id = $1 or j.site_id is null)
		  and (j.starts_on is null or j.starts_on <= $2) and (j.ends_on is null or j.ends_on >= $2)
		order by j.number, t.position`, p.Site, today.String())
	if err != nil {
		return nil, fmt.Errorf("read the jobs of a clock point: %w", err)
	}
	return found, nil
}

// PlannedAt gives the job and task that somebody is planned on today, the first shift that
// isn't over; nil where nothing is planned.
func PlannedAt(ctx context.Context, q Q, employment uuid.UUID, now time.Time) (*clock.Assignment, error) {
	var row struct {
		Job  uuid.UUID  `db:"job_id"`
		Task *uuid.UUID `db:"task_id"`
	}
	err := q.GetContext(ctx, &row, `select job_id, task_id from shift where employment_id = $1 and job_id is not null
		and start_at < $2::timestamptz + interval '12 hours' and end_at > $2 order by start_at limit 1`, employment, now)
	if NotFound(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read what somebody is planned on: %w", err)
	}
	return &clock.Assignment{Job: row.Job, Task: IDOrNil(row.Task)}, nil
}

// Served counts whom the clock points of a site serve.
type Served struct {
	People, Without int
	NoPINs          int `db:"no_pins"`
}

// ServedBySite reads that of every site.
func ServedBySite(ctx context.Context, q Q, today when.Date) (map[uuid.UUID]Served, error) {
	var rows []struct {
		Site uuid.UUID `db:"site_id"`
		Served
	}
	err := q.SelectContext(ctx, &rows, `
		select coalesce(e.site_id, u.site_id) as site_id, count(*) as people,
		       count(*) filter (where not $2 = any(string_to_array(e.clock_points, ', '))) as without,
		       count(*) filter (where $3 = any(string_to_array(e.clock_points, ', ')) and p.pin_hash is null) as no_pins
		from employment e join unit u on u.id = e.unit_id join person p on p.id = e.person_id
		where coalesce(e.site_id, u.site_id) is not null and e.starts_on <= $1 and (e.ends_on is null or e.ends_on >= $1) group by 1`,
		today.String(), string(clock.Device), string(clock.Terminal))
	if err != nil {
		return nil, fmt.Errorf("count whom clock points serve: %w", err)
	}
	found := make(map[uuid.UUID]Served, len(rows))
	for _, r := range rows {
		found[r.Site] = r.Served
	}
	return found, nil
}

// AllPlannedAt is [PlannedAt] for everybody of a site, by position.
func AllPlannedAt(ctx context.Context, q Q, site uuid.UUID, now time.Time) (map[uuid.UUID]clock.Assignment, error) {
	var rows []struct {
		Employment uuid.UUID  `db:"employment_id"`
		Job        uuid.UUID  `db:"job_id"`
		Task       *uuid.UUID `db:"task_id"`
	}
	if err := q.SelectContext(ctx, &rows, `
		select distinct on (h.employment_id) h.employment_id, h.job_id, h.task_id
		from shift h join employment e on e.id = h.employment_id join unit u on u.id = e.unit_id
		where coalesce(e.site_id, u.site_id) = $1 and h.job_id is not null
		  and h.start_at < $2::timestamptz + interval '12 hours' and h.end_at > $2 order by h.employment_id, h.start_at`,
		site, now); err != nil {
		return nil, fmt.Errorf("read what people are planned on: %w", err)
	}
	found := make(map[uuid.UUID]clock.Assignment, len(rows))
	for _, r := range rows {
		found[r.Employment] = clock.Assignment{Job: r.Job, Task: IDOrNil(r.Task)}
	}
	return found, nil
}
