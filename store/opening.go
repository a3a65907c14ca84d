package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/roster"
	"manudex/core/when"
)

// OpenPlace is a place, or several, of a shift that nobody has yet.
type OpenPlace struct {
	ID        uuid.UUID
	Unit      uuid.UUID `db:"unit_id"`
	UnitName  string    `db:"unit_name"`
	Date      when.Date
	Start     time.Time `db:"start_at"`
	End       time.Time `db:"end_at"`
	Less      int
	Job       *uuid.UUID `db:"job_id"`
	Task      *uuid.UUID `db:"task_id"`
	JobNumber string     `db:"job_number"`
	JobName   string     `db:"job_name"`
	Note      string
	Wanted    int
	Given     int        // places that are given
	Asked     int        // asks that nobody has answered
	OfShift   *uuid.UUID `db:"of_shift"`
	From      *uuid.UUID `db:"from_employment"`
	FromName  string     `db:"from_name"`
	To        *uuid.UUID `db:"to_employment"`
	Sick      bool
	MadeAt    time.Time  `db:"made_at"`
	MadeBy    uuid.UUID  `db:"made_by"`
	ClosedAt  *time.Time `db:"closed_at"`
}

// Left is how many places are left.
func (o OpenPlace) Left() int { return max(0, o.Wanted-o.Given) }

// Open says whether somebody can still have one.
func (o OpenPlace) Open() bool { return o.ClosedAt == nil && o.Left() > 0 }

// Shift is what somebody would have who is given one.
func (o OpenPlace) Shift(id, employment uuid.UUID) roster.Shift {
	return roster.Shift{ID: id, Employment: employment, Date: o.Date, Start: o.Start, End: o.End, Less: o.Less, Job: IDOrNil(o.Job),
		Task: IDOrNil(o.Task), Note: o.Note}
}

const openings = `
	select o.id, o.unit_id, u.name as unit_name, o.date, o.start_at, o.end_at, o.less, o.job_id, o.task_id, o.note, o.wanted, o.of_shift,
	       o.from_employment, o.to_employment, o.sick, o.made_at, o.made_by, o.closed_at, coalesce(j.number, '') as job_number,
	       coalesce(j.name, '') as job_name, coalesce(p.given_name || ' ' || p.family_name, '') as from_name,
	       (select count(*) from opening_ask a where a.opening_id = o.id and a.given) as given,
	       (select count(*) from opening_ask a where a.opening_id = o.id and a.answered_at is null) as asked
	from opening o join unit u on u.id = o.unit_id left join job j on j.id = o.job_id
	left join employment e on e.id = o.from_employment left join person p on p.id = e.person_id `

// Openings reads the open places of a span, of some crews; of all with nil.
func Openings(ctx context.Context, q Q, days when.Period, units []uuid.UUID) ([]OpenPlace, error) {
	w := among(days.From.String(), days.To.String())
	w.plain(`o.closed_at is null and o.date between $1 and $2`)
	if units != nil {
		w.and(`o.unit_id = any($%d)`, UUIDs(units))
	}
	var found []OpenPlace
	if err := q.SelectContext(ctx, &found, openings+w.sql()+` order by o.date, o.start_at, o.id`, w.args...); err != nil {
		return nil, fmt.Errorf("read open places: %w", err)
	}
	return found, nil
}

// LockOpening reads one, locking it until the transaction ends: a place is given once.
func LockOpening(ctx context.Context, q Q, id uuid.UUID) (o OpenPlace, err error) {
	if _, err = q.ExecContext(ctx, `select 1 from opening where id = $1 for update`, id); err != nil {
		return o, err
	}
	err = q.GetContext(ctx, &o, openings+`where o.id = $1`, id)
	return o, err
}

// LockOpeningOf reads the open place of a shift that somebody offers, locking it.
func LockOpeningOf(ctx context.Context, q Q, shift uuid.UUID) (o OpenPlace, err error) {
	var id uuid.UUID
	if err = q.GetContext(ctx, &id, `select id from opening where of_shift = $1 and closed_at is null for update`, shift); err != nil {
		return o, err
	}
	return LockOpening(ctx, q, id)
}

// LockOpeningsFrom locks the open places of what some employments hand over.
func LockOpeningsFrom(ctx context.Context, q Q, employments []uuid.UUID) error {
	_, err := q.ExecContext(ctx, `select id from opening where from_employment = any($1) and closed_at is null order by id for update`,
		UUIDs(employments))
	return err
}

// OpeningsByID reads some.
func OpeningsByID(ctx context.Context, q Q, ids []uuid.UUID) ([]OpenPlace, error) {
	var found []OpenPlace
	if err := q.SelectContext(ctx, &found, openings+`where o.id = any($1) order by o.start_at, o.id`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read open places: %w", err)
	}
	return found, nil
}

// InsertOpening opens places; it does nothing where that was done.
func InsertOpening(ctx context.Context, q Q, o OpenPlace) (bool, error) {
	return did(q.ExecContext(ctx, `insert into opening (id, unit_id, date, start_at, end_at, less, job_id, task_id, note, wanted, of_shift,
		from_employment, to_employment, sick, made_at, made_by)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16) on conflict (id) do nothing`,
		o.ID, o.Unit, o.Date.String(), o.Start, o.End, o.Less, o.Job, o.Task, o.Note, o.Wanted, o.OfShift, o.From, o.To, o.Sick, o.MadeAt,
		o.MadeBy))
}

// InsertOpenings opens what somebody hands over; what is open already stays, and what was closed
// is open again.
func InsertOpenings(ctx context.Context, q Q, open []OpenPlace) error {
	return insertRows(ctx, q, "opening", []string{"id", "unit_id", "date", "start_at", "end_at", "less", "job_id", "task_id", "note",
		"wanted", "of_shift", "from_employment", "sick", "made_at", "made_by"}, `where not exists (
			select 1 from opening o where o.of_shift = jsonb_populate_recordset.of_shift and o.closed_at is null)
		on conflict (id) do update set closed_at = null, closed_by = null`, len(open), func(i int) []any {
		o := open[i]
		return []any{o.ID, o.Unit, o.Date.String(), o.Start, o.End, o.Less, o.Job, o.Task, o.Note, o.Wanted, o.OfShift, o.From, o.Sick,
			o.MadeAt, o.MadeBy}
	})
}

// CloseOpening closes one.
func CloseOpening(ctx context.Context, q Q, id, by uuid.UUID, now time.Time) error {
	_, err := q.ExecContext(ctx, `update opening set closed_at = $3, closed_by = $2 where id = $1 and closed_at is null`, id, by, now)
	return err
}

// OpeningAsk is that somebody asks for a place.
type OpeningAsk struct {
	ID         uuid.UUID
	Opening    uuid.UUID `db:"opening_id"`
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Name       string
	UnitName   string     `db:"unit_name"`
	AskedAt    time.Time  `db:"asked_at"`
	AnsweredAt *time.Time `db:"answered_at"`
	Given      bool
	Why        string
}

const openingAsks = `
	select a.id, a.opening_id, a.employment_id, e.person_id, e.unit_id, p.given_name || ' ' || p.family_name as name, u.name as unit_name,
	       a.asked_at, a.answered_at, a.given, a.why
	from opening_ask a join employment e on e.id = a.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id `

// OpeningAsks reads who asked for some openings, the first first.
func OpeningAsks(ctx context.Context, q Q, ids []uuid.UUID) ([]OpeningAsk, error) {
	var found []OpeningAsk
	if err := q.SelectContext(ctx, &found, openingAsks+`where a.opening_id = any($1) order by a.asked_at, a.id`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read who asks for places: %w", err)
	}
	return found, nil
}

// GetOpeningAsk reads one.
func GetOpeningAsk(ctx context.Context, q Q, id uuid.UUID) (a OpeningAsk, err error) {
	err = q.GetContext(ctx, &a, openingAsks+`where a.id = $1`, id)
	return a, err
}

// AskForOpening keeps that somebody asks; asked again it is the same.
func AskForOpening(ctx context.Context, q Q, id, opening, employment uuid.UUID, now time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `insert into opening_ask (id, opening_id, employment_id, asked_at) values ($1, $2, $3, $4)
		on conflict do nothing`, id, opening, employment, now))
}

// AnswerOpeningAsk keeps what became of an ask: the shift that it is now, or why it isn't.
func AnswerOpeningAsk(ctx context.Context, q Q, ask, by uuid.UUID, now time.Time, shift *uuid.UUID, why string) error {
	_, err := q.ExecContext(ctx, `update opening_ask set answered_at = $3, answered_by = $2, given = $4, shift_id = $5, why = $6
		where id = $1 and answered_at is null`, ask, by, now, shift != nil, shift, why)
	return err
}

// DropOpeningAsks answers the asks of an opening that nobody has answered: it is closed. It
// says whose they were.
func DropOpeningAsks(ctx context.Context, q Q, opening, by uuid.UUID, now time.Time) ([]OpeningAsk, error) {
	var left []OpeningAsk
	err := q.SelectContext(ctx, &left, `update opening_ask a set answered_at = $3, answered_by = $2 from employment e
		where a.opening_id = $1 and a.answered_at is null and e.id = a.employment_id returning a.id, a.opening_id, e.person_id`,
		opening, by, now)
	return left, err
}
