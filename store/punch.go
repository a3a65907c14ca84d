package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/when"
)

// Punch is a stored punch: whose, by whom, and how far outside the fence.
type Punch struct {
	clock.Punch
	Employment uuid.UUID
	By         uuid.UUID
	At         uuid.UUID // the clock point where it was pressed, zero for none
	Watched    uuid.UUID // who watched there, in place of a PIN; zero for nobody
	OffSite    float64   // metres; 0 when inside or unknown
	NoPlace    bool      // it came without the place that is asked for
}

type punchRow struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Act        string
	BreakKind  *string    `db:"break_kind"`
	Job        *uuid.UUID `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Class      *uuid.UUID `db:"class_id"`
	Point      string
	By         uuid.UUID  `db:"by_person"`
	Claimed    time.Time  `db:"claimed_at"`
	Device     *time.Time `db:"device_at"`
	Received   time.Time  `db:"received_at"`
	Ahead      bool
	Doubt      int64 // seconds
	Lat, Lon   *float64
	OffSite    float64    `db:"off_site"`
	NoPlace    bool       `db:"no_place"`
	At         *uuid.UUID `db:"clock_point_id"`
	Marks      clock.Marks
	Watched    *uuid.UUID `db:"watched_by"`
}

const punchColumns = `id, employment_id, act, break_kind, job_id, task_id, class_id, point, by_person, claimed_at, device_at,
	received_at, ahead, doubt, lat, lon, off_site, no_place, clock_point_id, marks,
	watched_by`

func (r punchRow) punch() Punch {
	p := Punch{Employment: r.Employment, By: r.By, OffSite: r.OffSite, NoPlace: r.NoPlace, At: IDOrNil(r.At), Watched: IDOrNil(r.Watched),
		Punch: clock.Punch{
			ID: r.ID, Act: clock.Act(r.Act), Marks: r.Marks,
			On:    clock.Assignment{Job: IDOrNil(r.Job), Task: IDOrNil(r.Task), Class: IDOrNil(r.Class)},
			Point: clock.Point(r.Point), Claimed: r.Claimed, Device: timeOr0(r.Device), Received: r.Received, Ahead: r.Ahead,
			Doubt: time.Duration(r.Doubt) * time.Second}}
	if r.BreakKind != nil {
		p.Break = clock.Kind(*r.BreakKind)
	}
	if r.Lat != nil && r.Lon != nil {
		p.Place = &geo.Point{Lat: *r.Lat, Lon: *r.Lon}
	}
	return p
}

// PunchColumns and Values are a punch as a row, for bulk loading.
var PunchColumns = []string{"id", "employment_id", "act", "break_kind",
	"job_id", "task_id", "class_id", "point", "by_person", "claimed_at", "device_at", "received_at", "ahead",
	"doubt", "lat", "lon", "off_site", "no_place", "clock_point_id", "marks", "watched_by"}

// Values gives the punch in the order of [PunchColumns].
func (p Punch) Values() []any {
	var breakKind *string
	if p.Break != "" {
		k := string(p.Break)
		breakKind = &k
	}
	var lat, lon *float64
	if p.Place != nil {
		lat, lon = &p.Place.Lat, &p.Place.Lon
	}
	return []any{p.ID, p.Employment, string(p.Act), breakKind, nullID(p.On.Job), nullID(p.On.Task), nullID(p.On.Class), string(p.Point),
		p.By, p.Claimed, nullTime(p.Device), p.Received, p.Ahead, int64(p.Doubt / time.Second), lat, lon, p.OffSite, p.NoPlace,
		nullID(p.At), int16(p.Marks), nullID(p.Watched)}
}

// InsertPunch writes a punch. There is no update and no delete.
func InsertPunch(ctx context.Context, q Q, p Punch) error {
	_, err := q.ExecContext(ctx, `
		insert into punch (`+punchColumns+`)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21)`, p.Values()...)
	return err
}

// At is an instant of an employment.
type At struct {
	Employment uuid.UUID
	At         time.Time
}

func atArrays(ats []At) (employments UUIDs, instants []time.Time) {
	instants = make([]time.Time, len(ats))
	for i, a := range ats {
		employments, instants[i] = append(employments, a.Employment), a.At
	}
	return employments, instants
}

// basesAt finds from where on what counts that the stints around some instants
// rest on, $1 and $2: the base of the worked day of the last stint begun by
// then.
const basesAt = `
	with last as (
		select w.employment_id, w.at, (select s.date from stint s where s.employment_id = w.employment_id and s.start_at <= w.at
		                               order by s.start_at desc limit 1) as date
		from unnest($1::uuid[], $2::timestamptz[]) w(employment_id, at)
	), base as (
		select l.employment_id, coalesce((select min(s.base_at) from stint s where s.employment_id = l.employment_id and s.date = l.date),
		       (select min(a.from_at) from amendment a where a.employment_id = l.employment_id and a.from_at <= l.at), l.at) as at
		from last l
	)`

// PunchesAround reads the punches that the stints around an instant rest on.
// The punch with id again is among them wherever it stands, whoever's it is.
func PunchesAround(ctx context.Context, q Q, employment uuid.UUID, at time.Time, again uuid.UUID) (around []Punch, same *Punch, err error) {
	return PunchesAroundAll(ctx, q, []At{{employment, at}}, again)
}

// PunchesAroundAll is [PunchesAround] for several employments, one instant of
// each.
func PunchesAroundAll(ctx context.Context, q Q, ats []At, again uuid.UUID) (around []Punch, same *Punch, err error) {
	employments, instants := atArrays(ats)
	var rows []punchRow
	if err = q.SelectContext(ctx, &rows, punchesAround, employments, instants, again); err != nil {
		return nil, nil, fmt.Errorf("read punches: %w", err)
	}
	around, same = withoutAgain(rows, again)
	return around, same, nil
}

const punchesAround = basesAt + `
	select ` + punchColumns + ` from base b join lateral (select * from punch p where p.employment_id = b.employment_id
	                                                      and p.claimed_at >= b.at) p using (employment_id)
	union all
	select ` + punchColumns + ` from punch where id = $3`

// AskPunchesAround is [PunchesAround], to be sent with other statements.
func AskPunchesAround(employment uuid.UUID, at time.Time, again uuid.UUID, into func(around []Punch, same *Punch)) Ask {
	employments, instants := atArrays([]At{{employment, at}})
	return Ask{punchesAround, []any{employments, instants, again}, func(rows pgx.Rows) error {
		found, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[punchRow])
		if err == nil {
			into(withoutAgain(found, again))
		}
		return err
	}}
}

func withoutAgain(rows []punchRow, again uuid.UUID) (around []Punch, same *Punch) {
	for _, r := range rows {
		p := r.punch()
		if p.ID == again {
			same = &p
			continue
		}
		around = append(around, p)
	}
	return around, same
}

// PunchesOf reads all punches of an employment from an instant on, in order.
func PunchesOf(ctx context.Context, q Q, employment uuid.UUID, from, to time.Time) ([]Punch, error) {
	var rows []punchRow
	err := q.SelectContext(ctx, &rows, `select `+punchColumns+` from punch where employment_id = $1 and claimed_at >= $2
		and claimed_at <= $3 order by claimed_at, received_at, id`, employment, from, to)
	punches := make([]Punch, len(rows))
	for i, r := range rows {
		punches[i] = r.punch()
	}
	return punches, err
}

// sinceStints and sinceDay say from where on what counts that the stints of
// employments, $1, from a worked date on rest on, $2. Of those who have no such
// stint, sinceDay counts from the day after that date on: whoever is still in
// since the evening before began earlier. From the zero date on it counts all.
const (
	sinceStints = `
		join (select employment_id as of, min(base_at) as first from stint where employment_id = any($1) and date >= $2
		      group by employment_id) b on b.of = employment_id`
	sinceDay = `
		join (select e.id as of, case when $2 = '1970-01-01' then '-infinity' else coalesce(min(s.base_at), $2::date + 1) end as first
		      from employment e left join stint s on s.employment_id = e.id and s.date >= $2
		      where e.id = any($1) group by e.id) b on b.of = employment_id`
)

// PunchesFrom reads the punches of employments that their stints from a worked
// date on rest on, by employment and in order.
func PunchesFrom(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]Punch, error) {
	return punchesSince(ctx, q, sinceStints, employments, from)
}

// PunchesFor reads what [PunchesFrom] does, and what those punched since who
// have no stint.
func PunchesFor(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]Punch, error) {
	return punchesSince(ctx, q, sinceDay, employments, from)
}

func punchesSince(ctx context.Context, q Q, since string, employments []uuid.UUID, from when.Date) ([]Punch, error) {
	var rows []punchRow
	err := q.SelectContext(ctx, &rows, `select `+punchColumns+` from punch `+since+` and claimed_at >= b.first
		order by employment_id, claimed_at, received_at, id`, UUIDs(employments), from.String())
	if err != nil {
		return nil, fmt.Errorf("read punches: %w", err)
	}
	punches := make([]Punch, len(rows))
	for i, r := range rows {
		punches[i] = r.punch()
	}
	return punches, nil
}
