package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// Stint is a derived stint with whose it is and, when read for a page, the
// names of what was worked on.
type Stint struct {
	clock.Stint
	Person, Employment  uuid.UUID
	JobNumber, JobName  string
	TaskName, ClassName string
	Counted             bool // see [card.Limits.Counted]; of what runs it says nothing
}

type stintRow struct {
	ID         uuid.UUID
	Person     uuid.UUID `db:"person_id"`
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Attendance time.Time `db:"attendance_at"`
	Kind       string
	Job        *uuid.UUID `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Class      *uuid.UUID `db:"class_id"`
	Start      time.Time  `db:"start_at"`
	End        *time.Time `db:"end_at"`
	StartBy    string     `db:"start_by"`
	EndBy      *string    `db:"end_by"`
	Base       time.Time  `db:"base_at"`
	WasStart   *time.Time `db:"clocked_start"`
	WasEnd     *time.Time `db:"clocked_end"`
	Implied    bool
	Counted    bool
	Marks      clock.Marks
	Account    string
	JobNumber  string `db:"job_number"`
	JobName    string `db:"job_name"`
	TaskName   string `db:"task_name"`
	ClassName  string `db:"class_name"`
}

func (r *stintRow) stint() Stint {
	s := Stint{Person: r.Person, Employment: r.Employment, JobNumber: r.JobNumber, JobName: r.JobName,
		TaskName: r.TaskName, ClassName: r.ClassName, Counted: r.Counted,
		Stint: clock.Stint{ID: r.ID, Kind: clock.Kind(r.Kind),
			On:    clock.Assignment{Job: IDOrNil(r.Job), Task: IDOrNil(r.Task), Class: IDOrNil(r.Class), Account: r.Account},
			Start: r.Start, End: timeOr0(r.End), StartBy: clock.Provenance(r.StartBy), Attendance: r.Attendance, Date: r.Date,
			Base: r.Base, ClockedStart: timeOr0(r.WasStart), ClockedEnd: timeOr0(r.WasEnd), Implied: r.Implied,
			Marks: r.Marks}}
	if r.EndBy != nil {
		s.EndBy = clock.Provenance(*r.EndBy)
	}
	return s
}

// StintColumns are the columns of [Stint.Values], for bulk loading.
var StintColumns = []string{"id", "person_id", "employment_id", "date", "attendance_at", "kind", "job_id", "task_id", "class_id",
	"start_at", "end_at", "start_by", "end_by", "base_at", "clocked_start", "clocked_end",
	"implied", "counted", "marks", "account"}

// Values gives the stint in the order of [StintColumns].
func (s Stint) Values() []any {
	var endBy *string
	if s.EndBy != "" {
		by := string(s.EndBy)
		endBy = &by
	}
	return []any{s.ID, s.Person, s.Employment, s.Date.String(), s.Attendance, string(s.Kind), nullID(s.On.Job),
		nullID(s.On.Task), nullID(s.On.Class),
		s.Start, nullTime(s.End), string(s.StartBy), endBy, s.Base, nullTime(s.ClockedStart), nullTime(s.ClockedEnd), s.Implied,
		s.Counted, int16(s.Marks), s.On.Account}
}

// hoursOnly says of a stint s what [clock.Stint.HoursOnly] says.
const hoursOnly = `array[s.start_by, s.end_by] && array['brought_in', 'reported', 'by_plan']`

// PutStints writes stints or what became of them.
func PutStints(ctx context.Context, q Q, stints []Stint) error {
	return insertRows(ctx, q, "stint", StintColumns, replacing("id", StintColumns), len(stints),
		func(i int) []any { return stints[i].Values() })
}

// CountStints says anew which stints of some cards count, by the longest shift
// of each, in seconds.
func CountStints(ctx context.Context, q Q, cards []EmploymentDate, longest []int64) error {
	employments, on := cardArrays(cards)
	if _, err := q.ExecContext(ctx, `update stint s set counted = w.counts from (
			select s.id, extract(epoch from s.end_at - s.start_at) <= w.longest as counts
			from unnest($1::uuid[], $2::date[], $3::bigint[]) as w(employment_id, date, longest)
			join stint s on s.employment_id = w.employment_id and s.date = w.date and s.implied and s.end_at is not null
		) w where w.id = s.id and s.counted <> w.counts`, employments, on, longest); err != nil {
		return fmt.Errorf("say which stints count: %w", err)
	}
	return nil
}

// DeleteStints takes derived stints away that the punches no longer make.
func DeleteStints(ctx context.Context, q Q, ids []uuid.UUID) error {
	if len(ids) == 0 {
		return nil
	}
	_, err := q.ExecContext(ctx, `delete from stint where id = any($1)`, UUIDs(ids))
	return err
}

const stintColumns = `s.id, s.person_id, s.employment_id, s.date, s.attendance_at, s.kind, s.job_id, s.task_id, s.class_id, s.start_at,
	s.end_at, s.start_by, s.end_by, s.base_at, s.clocked_start, s.clocked_end, s.implied,
	s.counted, s.marks, s.account`

const namedStints = `select ` + stintColumns + `, coalesce(j.number, '') as job_number, coalesce(j.name, '') as job_name,
	coalesce(t.name, '') as task_name, coalesce(c.name, '') as class_name
		from stint s left join job j on j.id = s.job_id left join task t on t.id = s.task_id
		left join classification c on c.id = s.class_id`

func named(rows []stintRow) []Stint {
	stints := make([]Stint, len(rows))
	for i := range rows {
		stints[i] = rows[i].stint()
	}
	return stints
}

// StintsOn reads the stints of some employments on some worked dates, with
// names, by employment and time.
func StintsOn(ctx context.Context, q Q, employments []uuid.UUID, on []when.Date) ([]Stint, error) {
	var rows []stintRow
	err := q.SelectContext(ctx, &rows, namedStints+`
		where s.date = any($2) and s.employment_id = any($1) order by s.employment_id, s.start_at`, UUIDs(employments), dates(on))
	return named(rows), err
}

// StintsBetween reads the stints of some employments in a span, by employment and time, with
// what they are on and no more: whoever reads how they were clocked reads [StintsOn].
func StintsBetween(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]Stint, error) {
	rows, err := q.QueryContext(ctx, `
		select s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at, s.counted, s.marks,
		       coalesce(j.number, ''), coalesce(j.name, ''), coalesce(t.name, '')
		from stint s left join job j on j.id = s.job_id left join task t on t.id = s.task_id
		where s.employment_id = any($1) and s.date between $2 and $3 order by s.employment_id, s.start_at`, UUIDs(employments),
		days.From.String(), days.To.String())
	if err != nil {
		return nil, fmt.Errorf("read stints: %w", err)
	}
	defer rows.Close()
	seen := texts{}
	var found []Stint
	for rows.Next() {
		var s Stint
		var job, task, class *uuid.UUID
		var end *time.Time
		var kind, number, name, taskName sql.RawBytes
		if err := rows.Scan(&s.Employment, &s.Date, &kind, &job, &task, &class, &s.Start, &end, &s.Counted, &s.Marks, &number, &name,
			&taskName); err != nil {
			return nil, fmt.Errorf("read stints: %w", err)
		}
		s.Kind, s.On = clock.Kind(seen.of(kind)), clock.Assignment{Job: IDOrNil(job), Task: IDOrNil(task), Class: IDOrNil(class)}
		if end != nil {
			s.End = *end
		}
		s.JobNumber, s.JobName, s.TaskName = seen.of(number), seen.of(name), seen.of(taskName)
		found = append(found, s)
	}
	return found, rows.Err()
}

// LastStint reads the latest stint of an employment, nil when there is none.
func LastStint(ctx context.Context, q Q, employment uuid.UUID) (*Stint, error) {
	var row stintRow
	err := q.GetContext(ctx, &row, namedStints+` where s.employment_id = $1 order by s.start_at desc limit 1`, employment)
	if NotFound(err) {
		return nil, nil
	}
	s := row.stint()
	return &s, err
}

// UnendedStint reads the latest stint of an employment from a worked date on
// whose end nobody said: that is running, or doesn't count; nil where there is
// none.
func UnendedStint(ctx context.Context, q Q, employment uuid.UUID, since when.Date) (*Stint, error) {
	var row stintRow
	err := q.GetContext(ctx, &row, namedStints+` where s.employment_id = $1 and s.date >= $2 and (s.end_at is null or not s.counted)
		order by s.counted, s.start_at desc limit 1`, employment, since.String())
	if NotFound(err) {
		return nil, nil
	}
	s := row.stint()
	return &s, err
}

// StintsFrom reads the stints of employments from a worked date on, without
// names, by employment and time.
func StintsFrom(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]Stint, error) {
	return bareStints(ctx, q, `s.employment_id = any($1) and s.date >= $2`, UUIDs(employments), from.String())
}

func bareStints(ctx context.Context, q Q, where string, args ...any) ([]Stint, error) {
	var rows []stintRow
	if err := q.SelectContext(ctx, &rows, `select `+stintColumns+`, '' as job_number, '' as job_name, '' as task_name, '' as class_name
		from stint s where `+where+` order by s.employment_id, s.start_at`, args...); err != nil {
		return nil, fmt.Errorf("read stints: %w", err)
	}
	return named(rows), nil
}

// StintsOf reads all stints of an employment, in order.
func StintsOf(ctx context.Context, q Q, employment uuid.UUID) ([]Stint, error) {
	return bareStints(ctx, q, `s.employment_id = $1`, employment)
}

// CountRunning gives how many people are on the clock. A nil units means all.
func CountRunning(ctx context.Context, q Q, units []uuid.UUID) (n int, err error) {
	if units == nil {
		err = q.GetContext(ctx, &n, `select count(*) from stint where end_at is null`)
	} else {
		err = q.GetContext(ctx, &n, `select count(*) from stint s join employment e on e.id = s.employment_id where s.end_at is null
			and e.unit_id = any($1)`, UUIDs(units))
	}
	return n, err
}

// FirstWorked gives the first worked date of those of some employments that
// have one.
func FirstWorked(ctx context.Context, q Q, employments []uuid.UUID) (map[uuid.UUID]when.Date, error) {
	var rows []EmploymentDate
	if err := q.SelectContext(ctx, &rows, `select employment_id, min(date) as date from stint where employment_id = any($1)
		group by employment_id`, UUIDs(employments)); err != nil {
		return nil, fmt.Errorf("read first worked days: %w", err)
	}
	first := make(map[uuid.UUID]when.Date, len(rows))
	for _, r := range rows {
		first[r.Employment] = r.Date
	}
	return first, nil
}

// WorkedOn adds up what was worked on a job on some worked dates, up to now
// where it runs no longer than the longest shift, in seconds. A nil units means
// all.
func WorkedOn(ctx context.Context, q Q, job uuid.UUID, days when.Period, units []uuid.UUID, now time.Time, longest time.Duration) (
	seconds int64, err error) {
	const sum = `
		select coalesce((select sum(h.seconds) from hours h join employment e on e.id = h.employment_id
		                 where h.job_id = $1 and h.kind = 'work' and h.date between $2 and $3%[1]s), 0)
		     + coalesce((select sum(extract(epoch from $4 - s.start_at))::bigint from stint s join employment e on e.id = s.employment_id
		                 where s.job_id = $1 and s.kind = 'work' and s.end_at is null and s.start_at >= $5
		                     and s.date between $2 and $3%[1]s), 0)`
	args := []any{job, days.From.String(), days.To.String(), now, now.Add(-longest)}
	where := ""
	if units != nil {
		where = ` and e.unit_id = any($6)`
		args = append(args, UUIDs(units))
	}
	if err = q.GetContext(ctx, &seconds, fmt.Sprintf(sum, where), args...); err != nil {
		err = fmt.Errorf("add up what was worked on a job: %w", err)
	}
	return seconds, err
}

// OpenStint says whether a person is on the clock.
func OpenStint(ctx context.Context, q Q, person uuid.UUID) (bool, error) {
	var open bool
	err := q.GetContext(ctx, &open, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, person)
	return open, err
}

// RunningStint gives the employment a person is on the clock in, and since
// when the stint runs.
func RunningStint(ctx context.Context, q Q, person uuid.UUID) (employment uuid.UUID, since time.Time, err error) {
	err = q.QueryRowxContext(ctx, `select employment_id, start_at from stint where person_id = $1 and end_at is null`,
		person).Scan(&employment, &since)
	return employment, since, err
}
