package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/clock"
	"manudex/core/when"
)

// SheetPerson is somebody on a crew's sheet of a day: one of the crew, or borrowed.
type SheetPerson struct {
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	UnitName   string    `db:"unit_name"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	Zone       string
	Incomplete bool       // only their name is known
	Borrowed   bool       // they are of another crew
	NotThere   *uuid.UUID `db:"not_there"` // somebody says that they didn't come
	NotBy      *string    `db:"not_by"`
}

// Name is the person's name.
func (p SheetPerson) Name() string { return p.Given + " " + p.Family }

// SheetPeople lists who is on the sheet of a crew on a day, by family name.
func SheetPeople(ctx context.Context, q Q, unit uuid.UUID, on when.Date) ([]SheetPerson, error) {
	var found []SheetPerson
	if err := q.SelectContext(ctx, &found, `
		select e.id as employment_id, e.person_id, e.unit_id, u.name as unit_name, p.given_name, p.family_name, s.zone, p.incomplete,
		       b.id is not null as borrowed, n.id as not_there, np.given_name || ' ' || np.family_name as not_by
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id join site s on s.id = e.site_id
		left join borrowed b on b.employment_id = e.id and b.unit_id = $1 and b.date = $2 and b.back_at is null
		left join not_there n on n.employment_id = e.id and n.date = $2 and n.back_at is null
		left join person np on np.id = n.by_person
		where (e.unit_id = $1 or b.id is not null) and p.joined_into is null and (`+termOn(TermHourly, "e.id", "$2")+`
		  and e.starts_on <= $2 and coalesce(least(e.ends_on, p.ended_on), 'infinity') >= $2
		  or exists (select 1 from stint x where x.employment_id = e.id and x.date = $2))
		order by p.family_name, p.given_name, e.id`, unit, on.String()); err != nil {
		return nil, fmt.Errorf("read who is on a crew's sheet: %w", err)
	}
	return found, nil
}

// Borrowable finds people of other crews who can be put on a crew's sheet of a day, by any
// part of their name.
func Borrowable(ctx context.Context, q Q, unit uuid.UUID, on when.Date, text string, limit int) ([]SheetPerson, error) {
	var found []SheetPerson
	if err := q.SelectContext(ctx, &found, `
		select e.id as employment_id, e.person_id, e.unit_id, u.name as unit_name, p.given_name, p.family_name, s.zone
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id join site s on s.id = e.site_id
		where e.unit_id <> $1 and not p.sample and p.joined_into is null and `+termOn(TermHourly, "e.id", "$2")+`
		  and e.starts_on <= $2 and coalesce(least(e.ends_on, p.ended_on), 'infinity') >= $2
		  and not exists (select 1 from borrowed b where b.employment_id = e.id and b.unit_id = $1 and b.date = $2 and b.back_at is null)
		  and finds(p.given_name || ' ' || p.family_name, $3)
		order by p.family_name, p.given_name, e.id limit $4`, unit, on.String(), text, limit); err != nil {
		return nil, fmt.Errorf("find whom a crew can borrow: %w", err)
	}
	return found, nil
}

// Borrow puts somebody on the sheet of a crew for a day; who is there stays.
func Borrow(ctx context.Context, q Q, id, unit, employment uuid.UUID, on when.Date, by uuid.UUID, at time.Time) error {
	if _, err := q.ExecContext(ctx, `insert into borrowed (id, unit_id, employment_id, date, by_person, made_at)
		values ($1, $2, $3, $4, $5, $6) on conflict do nothing`, id, unit, employment, on.String(), by, at); err != nil {
		return fmt.Errorf("borrow somebody: %w", err)
	}
	return nil
}

// GiveBack takes somebody off the sheet of a crew again; it says whether they were on it.
func GiveBack(ctx context.Context, q Q, unit, employment uuid.UUID, on when.Date, by uuid.UUID, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update borrowed set back_by = $4, back_at = $5
		where unit_id = $1 and employment_id = $2 and date = $3 and back_at is null`, unit, employment, on.String(), by, at))
}

// BorrowedOn lists who is borrowed by a crew on a day.
func BorrowedOn(ctx context.Context, q Q, unit uuid.UUID, on when.Date) ([]uuid.UUID, error) {
	var ids []uuid.UUID
	if err := q.SelectContext(ctx, &ids, `select employment_id from borrowed where unit_id = $1 and date = $2 and back_at is null`, unit,
		on.String()); err != nil {
		return nil, fmt.Errorf("read whom a crew borrowed: %w", err)
	}
	return ids, nil
}

// SayNotThere keeps that somebody didn't come on a day; said twice it is said once.
func SayNotThere(ctx context.Context, q Q, id, employment uuid.UUID, on when.Date, by uuid.UUID, at time.Time) error {
	if _, err := q.ExecContext(ctx, `insert into not_there (id, employment_id, date, by_person, made_at) values ($1, $2, $3, $4, $5)
		on conflict do nothing`, id, employment, on.String(), by, at); err != nil {
		return fmt.Errorf("keep that somebody didn't come: %w", err)
	}
	return nil
}

// SayThere takes that back, of some on a day.
func SayThere(ctx context.Context, q Q, employments []uuid.UUID, on when.Date, by uuid.UUID, at time.Time) error {
	if _, err := q.ExecContext(ctx, `update not_there set back_by = $3, back_at = $4
		where employment_id = any($1) and date = $2 and back_at is null`, UUIDs(employments), on.String(), by, at); err != nil {
		return fmt.Errorf("take back that somebody didn't come: %w", err)
	}
	return nil
}

// Quantity is how much a crew did on a day of what is counted on a job or a task.
type Quantity struct {
	Job, Task uuid.UUID
	Name      string // of the job, and the task
	CountedIn string
	Amount    *decimal.Decimal // nil where nobody has counted yet
	ByName    string
}

// Quantities lists what is counted on the jobs and tasks that some people worked on, or a
// crew has counted on, on a day.
func Quantities(ctx context.Context, q Q, unit uuid.UUID, employments []uuid.UUID, on when.Date) ([]Quantity, error) {
	var rows []struct {
		Job       uuid.UUID  `db:"job_id"`
		Task      *uuid.UUID `db:"task_id"`
		Name      string
		CountedIn string `db:"counted_in"`
		Amount    *decimal.Decimal
		ByName    *string `db:"by_name"`
	}
	if err := q.SelectContext(ctx, &rows, `
		with newest as (
			select distinct on (job_id, task_id) * from quantity where unit_id = $1 and date = $3
			order by job_id, task_id, made_at desc, id desc
		), on_it as (
			select job_id, task_id from stint where employment_id = any($2) and date = $3 and kind = 'work' and job_id is not null
			union select job_id, null from stint where employment_id = any($2) and date = $3 and kind = 'work' and job_id is not null
			union select job_id, task_id from newest
		)
		select w.job_id, w.task_id, j.number || ' ' || j.name || coalesce(' · ' || t.name, '') as name,
		       case when w.task_id is null then j.counted_in else t.counted_in end as counted_in, n.amount,
		       p.given_name || ' ' || p.family_name as by_name
		from on_it w join job j on j.id = w.job_id left join task t on t.id = w.task_id
		left join newest n on n.job_id = w.job_id and n.task_id is not distinct from w.task_id left join person p on p.id = n.by_person
		where case when w.task_id is null then j.counted_in else t.counted_in end <> '' or n.id is not null
		order by j.number, t.position nulls first`, unit, UUIDs(employments), on.String()); err != nil {
		return nil, fmt.Errorf("read what a crew counted: %w", err)
	}
	found := make([]Quantity, len(rows))
	for i, r := range rows {
		found[i] = Quantity{Job: r.Job, Task: IDOrNil(r.Task), Name: r.Name, CountedIn: r.CountedIn, Amount: r.Amount}
		if r.ByName != nil {
			found[i].ByName = *r.ByName
		}
	}
	return found, nil
}

// CountedIn gives what is counted on a job or one of its tasks, "" for nothing.
func CountedIn(ctx context.Context, q Q, job, task uuid.UUID) (unit string, err error) {
	err = q.GetContext(ctx, &unit, `select case when $2 = '00000000-0000-0000-0000-000000000000' then j.counted_in
		else coalesce(t.counted_in, '') end from job j left join task t on t.id = $2 and t.job_id = j.id where j.id = $1`, job, task)
	return unit, err
}

// InsertQuantity keeps how much a crew did. There is no update and no delete; it says whether
// it is new.
func InsertQuantity(ctx context.Context, q Q, id, unit uuid.UUID, on when.Date, of Quantity, by uuid.UUID, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `insert into quantity (id, unit_id, date, job_id, task_id, amount, counted_in, by_person, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (id) do nothing`, id, unit, on.String(), of.Job, nullID(of.Task), of.Amount,
		of.CountedIn, by, at))
}

// Output is how much was done on a job or a task, in all.
type Output struct {
	Task      *uuid.UUID `db:"task_id"`
	CountedIn string     `db:"counted_in"`
	Amount    decimal.Decimal
	Seconds   int64 // worked on it, by those who counted
}

// OutputOf adds up what was counted on a job: of itself and of its tasks.
func OutputOf(ctx context.Context, q Q, job uuid.UUID) ([]Output, error) {
	var found []Output
	if err := q.SelectContext(ctx, &found, `
		with newest as (
			select distinct on (unit_id, date, task_id) * from quantity where job_id = $1
			order by unit_id, date, task_id, made_at desc, id desc
		)
		select n.task_id, n.counted_in, sum(n.amount) as amount, coalesce(sum((
		       select sum(h.seconds) from hours h join employment e on e.id = h.employment_id
		       where h.job_id = $1 and h.date = n.date and h.kind = 'work' and (n.task_id is null or h.task_id = n.task_id)
		         and (e.unit_id = n.unit_id or exists (select 1 from borrowed b where b.employment_id = e.id and b.date = n.date
		                                               and b.unit_id = n.unit_id and b.back_at is null)))), 0)::bigint as seconds
		from newest n group by n.task_id, n.counted_in order by n.task_id nulls first, n.counted_in`, job); err != nil {
		return nil, fmt.Errorf("add up what was counted: %w", err)
	}
	return found, nil
}

// PlannedWork gives what some people are planned on on a date, their first shift with a job,
// with the classification of its task or that in which each worked on it last.
func PlannedWork(ctx context.Context, q Q, employments []uuid.UUID, on when.Date) (map[uuid.UUID]clock.Assignment, error) {
	var rows []struct {
		Employment uuid.UUID  `db:"employment_id"`
		Job        uuid.UUID  `db:"job_id"`
		Task       *uuid.UUID `db:"task_id"`
		Class      *uuid.UUID `db:"class_id"`
	}
	if err := q.SelectContext(ctx, &rows, `
		select distinct on (s.employment_id) s.employment_id, s.job_id, s.task_id,
		       case when j.public_work then coalesce(t.class_id, l.class_id) end as class_id
		from shift s join job j on j.id = s.job_id left join task t on t.id = s.task_id
		left join lateral (select p.class_id from punch p where p.employment_id = s.employment_id and p.job_id = s.job_id
		                   and p.class_id is not null order by p.claimed_at desc limit 1) l on true
		where s.employment_id = any($1) and s.date = $2 and s.job_id is not null
		order by s.employment_id, s.start_at`, UUIDs(employments), on.String()); err != nil {
		return nil, fmt.Errorf("read what some are planned on: %w", err)
	}
	work := make(map[uuid.UUID]clock.Assignment, len(rows))
	for _, r := range rows {
		work[r.Employment] = clock.Assignment{Job: r.Job, Task: IDOrNil(r.Task), Class: IDOrNil(r.Class)}
	}
	return work, nil
}

// CrewOptions lists what a crew is planned on, is on, and worked on in the last weeks: open
// jobs and tasks that are open to any of it, in that order.
func CrewOptions(ctx context.Context, q Q, employments []uuid.UUID, today when.Date, limit int) ([]ClockOption, error) {
	var found []ClockOption
	if err := q.SelectContext(ctx, &found, `
		with own as (
			select employment_id, job_id, task_id, 'planned' as why, start_at as at from shift
			where employment_id = any($1) and date = $2 and job_id is not null
			union all
			select employment_id, job_id, task_id, case when date = $2 then 'crew' else 'recent' end, start_at from stint
			where employment_id = any($1) and start_at > $2::date - 30 and kind = 'work' and job_id is not null
		), ranked as (
			select o.employment_id, o.job_id, t.id as task_id, o.why, o.at,
			       array_position(array['planned', 'crew', 'recent'], o.why) as rank
			from own o left join task t on t.job_id = o.job_id and t.state = 'open' and t.joined_into is null
			     and (o.task_id is null or t.id = o.task_id)
			where t.id is not null or o.task_id is null
		), best as (
			select distinct on (job_id, task_id) * from ranked order by job_id, task_id, rank, at desc
		)
		select `+choiceColumns+`, b.why
		from best b join job j on j.id = b.job_id and j.state = 'open' join employment e on e.id = b.employment_id
		left join task t on t.id = b.task_id left join site s on s.id = j.site_id
		where `+openTo("$2")+`
		order by b.rank, j.number, t.position limit $3`, UUIDs(employments), today.String(), limit); err != nil {
		return nil, fmt.Errorf("read what a crew works on: %w", err)
	}
	return found, nil
}

// OpenOptions finds open jobs and tasks by any part of their names, that are open to any of
// some people on a date.
func OpenOptions(ctx context.Context, q Q, text string, employments []uuid.UUID, on when.Date, limit int) ([]ClockOption, error) {
	var found []ClockOption
	if err := q.SelectContext(ctx, &found, `
		select `+choiceColumns+`, '' as why
		from job j left join task t on t.job_id = j.id and t.state = 'open' and t.joined_into is null
		left join site s on s.id = j.site_id
		where j.state = 'open' and exists (select 1 from employment e where e.id = any($3) and `+openTo("$4")+`)
		  and finds(j.number || ' ' || j.name || ' ' || coalesce(t.name, '') || ' ' || coalesce(s.name, ''), $1)
		order by j.number, t.position limit $2`, text, limit, UUIDs(employments), on.String()); err != nil {
		return nil, fmt.Errorf("find jobs for a crew: %w", err)
	}
	return found, nil
}

// UnsignedDay is a day of a crew with cards that nobody has signed.
type UnsignedDay struct {
	Date  when.Date
	Cards int
}

// UnsignedDays lists the days of a crew, up to a date, on which hours wait to be signed.
func UnsignedDays(ctx context.Context, q Q, unit uuid.UUID, days when.Period) ([]UnsignedDay, error) {
	var found []UnsignedDay
	if err := q.SelectContext(ctx, &found, `
		select c.date, count(*) as cards from card c join employment e on e.id = c.employment_id
		where e.unit_id = $1 and c.date between $2 and $3 and c.state = 'open' and c.worked > 0 and c.open_since is null
		group by c.date order by c.date desc`, unit, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read which days of a crew aren't signed: %w", err)
	}
	return found, nil
}

// PunchesByID reads some punches, whosever they are.
func PunchesByID(ctx context.Context, q Q, ids []uuid.UUID) (map[uuid.UUID]Punch, error) {
	var rows []punchRow
	if err := q.SelectContext(ctx, &rows, `select `+punchColumns+` from punch where id = any($1)`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read punches: %w", err)
	}
	found := make(map[uuid.UUID]Punch, len(rows))
	for _, r := range rows {
		found[r.ID] = r.punch()
	}
	return found, nil
}

// ClockablesFor is [GetClockable] for several employments, by employment.
func ClockablesFor(ctx context.Context, q Q, on clock.Assignment, employments []uuid.UUID, date when.Date) (map[uuid.UUID]Clockable,
	error) {
	var rows []Clockable
	if err := q.SelectContext(ctx, &rows, clockables+`j.id = $1 and e.id = any($4)`, on.Job, on.Task, on.Class, UUIDs(employments),
		date.String()); err != nil {
		return nil, fmt.Errorf("read what is clocked to: %w", err)
	}
	found := make(map[uuid.UUID]Clockable, len(rows))
	for _, r := range rows {
		found[r.Employment] = r
	}
	return found, nil
}
