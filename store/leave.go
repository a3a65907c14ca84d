package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// LeaveKind is a kind of leave.
type LeaveKind struct {
	ID         uuid.UUID
	Name       string
	Paid       bool
	PayCode    string `db:"pay_code"`
	NoteNeeded bool   `db:"note_needed"`
	Closed     bool   // it can't be asked for any more
}

// LeaveKinds lists them by name.
func LeaveKinds(ctx context.Context, q Q) ([]LeaveKind, error) {
	var found []LeaveKind
	if err := q.SelectContext(ctx, &found, `select id, name, paid, pay_code, note_needed, closed from leave_kind
		order by closed, name`); err != nil {
		return nil, fmt.Errorf("read kinds of leave: %w", err)
	}
	return found, nil
}

// GetLeaveKind reads one.
func GetLeaveKind(ctx context.Context, q Q, id uuid.UUID) (k LeaveKind, err error) {
	err = q.GetContext(ctx, &k, `select id, name, paid, pay_code, note_needed, closed from leave_kind where id = $1`, id)
	return k, err
}

// PutLeaveKind adds a kind, or changes it.
func PutLeaveKind(ctx context.Context, q Q, k LeaveKind) error {
	_, err := q.ExecContext(ctx, `insert into leave_kind (id, name, paid, pay_code, note_needed, closed) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do update set name = excluded.name, paid = excluded.paid, pay_code = excluded.pay_code,
			note_needed = excluded.note_needed, closed = excluded.closed`, k.ID, k.Name, k.Paid, k.PayCode, k.NoteNeeded, k.Closed)
	return err
}

// LeaveRequest is leave that somebody asks for, as it stands.
type LeaveRequest struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	UnitName   string    `db:"unit_name"`
	Name       string
	Zone       string
	Kind       uuid.UUID `db:"kind_id"`
	KindName   string    `db:"kind_name"`
	Paid       bool
	PayCode    string `db:"pay_code"`
	Note       string
	AskedBy    uuid.UUID `db:"asked_by"`
	AskedName  string    `db:"asked_name"`
	AskedAt    time.Time `db:"asked_at"`
	First      when.Date
	Last       when.Date
	Days       int
	Seconds    int64
	Does       string // the last act: "" while it is asked, or "take_back"
	Why        string
	ByName     string     `db:"by_name"` // whose act it is
	At         *time.Time `db:"made_at"`
}

// Open says whether nobody has decided it.
func (r LeaveRequest) Open() bool { return r.Does == "" || r.Does == "take_back" }

// Booked says whether its days are leave.
func (r LeaveRequest) Booked() bool { return r.Does == "approve" }

const leaveRequests = `
	select r.id, r.employment_id, e.person_id, e.unit_id, u.name as unit_name, p.given_name || ' ' || p.family_name as name, s.zone,
	       r.kind_id, k.name as kind_name, k.paid, k.pay_code, r.note, r.asked_by, a.given_name || ' ' || a.family_name as asked_name,
	       r.asked_at, d.first, d.last, d.days, d.seconds, coalesce(l.does, '') as does, coalesce(l.why, '') as why,
	       coalesce(b.given_name || ' ' || b.family_name, '') as by_name, l.made_at
	from leave_request r join employment e on e.id = r.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
	join site s on s.id = e.site_id join leave_kind k on k.id = r.kind_id join person a on a.id = r.asked_by
	join lateral (select min(date) as first, max(date) as last, count(*) as days, sum(seconds) as seconds from leave_request_day
	              where request_id = r.id) d on true
	left join lateral (select does, why, by_person, made_at from leave_act where request_id = r.id order by seq desc limit 1) l on true
	left join person b on b.id = l.by_person `

// OpenLeave lists what nobody has decided, the oldest first; of some crews, of all with nil.
func OpenLeave(ctx context.Context, q Q, units []uuid.UUID, most int) ([]LeaveRequest, error) {
	w := among(most)
	w.plain(`coalesce(l.does, 'take_back') = 'take_back'`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []LeaveRequest
	if err := q.SelectContext(ctx, &found, leaveRequests+w.sql()+` order by r.asked_at, r.id limit $1`, w.args...); err != nil {
		return nil, fmt.Errorf("read what leave is asked for: %w", err)
	}
	return found, nil
}

// LeaveOf lists what somebody asked for with days from a date on, the nearest first.
func LeaveOf(ctx context.Context, q Q, employment uuid.UUID, from when.Date) ([]LeaveRequest, error) {
	var found []LeaveRequest
	if err := q.SelectContext(ctx, &found, leaveRequests+`where r.employment_id = $1 and d.last >= $2 order by d.first, r.asked_at`,
		employment, from.String()); err != nil {
		return nil, fmt.Errorf("read somebody's leave: %w", err)
	}
	return found, nil
}

// LeaveByID reads some, in the order in which they were asked for.
func LeaveByID(ctx context.Context, q Q, ids []uuid.UUID) ([]LeaveRequest, error) {
	var found []LeaveRequest
	if err := q.SelectContext(ctx, &found, leaveRequests+`where r.id = any($1) order by r.asked_at, r.id`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read what leave is asked for: %w", err)
	}
	return found, nil
}

// LeaveDay is a day of a request.
type LeaveDay struct {
	Request uuid.UUID `db:"request_id"`
	Date    when.Date
	Seconds int64
}

// LeaveDays reads those of some requests.
func LeaveDays(ctx context.Context, q Q, requests []uuid.UUID) ([]LeaveDay, error) {
	var found []LeaveDay
	if err := q.SelectContext(ctx, &found, `select request_id, date, seconds from leave_request_day where request_id = any($1)
		order by request_id, date`, UUIDs(requests)); err != nil {
		return nil, fmt.Errorf("read days of leave: %w", err)
	}
	return found, nil
}

// InsertLeaveRequest keeps that leave is asked for; asked again under its id it is the same.
func InsertLeaveRequest(ctx context.Context, q Q, r LeaveRequest, days []LeaveDay) (fresh bool, err error) {
	if fresh, err = did(q.ExecContext(ctx, `insert into leave_request (id, employment_id, kind_id, note, asked_by, asked_at)
		values ($1, $2, $3, $4, $5,
			$6) on conflict (id) do nothing`, r.ID, r.Employment, r.Kind, r.Note, r.AskedBy, r.AskedAt)); err != nil ||
		!fresh {
		return fresh, err
	}
	return true, insertRows(ctx, q, "leave_request_day", []string{"request_id", "employment_id", "date", "seconds"}, "", len(days),
		func(i int) []any {
			return []any{r.ID, r.Employment, days[i].Date.String(), days[i].Seconds}
		})
}

// InsertLeaveActs keeps what became of requests.
func InsertLeaveActs(ctx context.Context, q Q, requests []LeaveRequest, does, why string, by uuid.UUID, now time.Time) error {
	return insertRows(ctx, q, "leave_act", []string{"id", "request_id", "employment_id", "does", "why", "by_person", "made_at"}, "",
		len(requests), func(i int) []any {
			return []any{uuid.Must(uuid.NewV7()), requests[i].ID, requests[i].Employment, does, why, by, now}
		})
}

// BookLeave makes the days of requests leave.
func BookLeave(ctx context.Context, q Q, requests []uuid.UUID) error {
	_, err := q.ExecContext(ctx, `insert into leave_day (id, employment_id, date, name, pay_code, paid, seconds, request_id)
		select gen_random_uuid(), r.employment_id, d.date, k.name, k.pay_code, k.paid, d.seconds, r.id
		from leave_request r join leave_request_day d on d.request_id = r.id join leave_kind k on k.id = r.kind_id
		where r.id = any($1)`, UUIDs(requests))
	return err
}

// UnbookLeave takes the days of requests away again.
func UnbookLeave(ctx context.Context, q Q, requests []uuid.UUID) error {
	_, err := q.ExecContext(ctx, `delete from leave_day where request_id = any($1)`, UUIDs(requests))
	return err
}

// LeaveAskedIn reads the days of a span for which some employments ask for leave that nobody
// has decided.
func LeaveAskedIn(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]LeaveOn, error) {
	var found []LeaveOn
	if err := q.SelectContext(ctx, &found, `
		select r.employment_id, d.date, min(k.name) as name, sum(d.seconds) as seconds
		from leave_request r join leave_request_day d on d.request_id = r.id join leave_kind k on k.id = r.kind_id
		left join lateral (select does from leave_act where request_id = r.id order by seq desc limit 1) l on true
		where d.employment_id = any($1) and d.date between $2 and $3 and coalesce(l.does, 'take_back') = 'take_back'
		group by r.employment_id, d.date`, UUIDs(employments), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read leave that is asked for: %w", err)
	}
	return found, nil
}

// PaidDays lists the days of some employments, among some, whose cards are paid.
func PaidDays(ctx context.Context, q Q, on []EmploymentDate) ([]EmploymentDate, error) {
	employments, days := cardArrays(on)
	var found []struct {
		Employment uuid.UUID `db:"employment_id"`
		Date       when.Date
	}
	if err := q.SelectContext(ctx, &found, `select c.employment_id, c.date from unnest($1::uuid[], $2::date[]) w(employment_id, date)
		join card c using (employment_id, date) where c.state = 'paid' order by c.date`, employments, days); err != nil {
		return nil, fmt.Errorf("read which days are paid: %w", err)
	}
	paid := make([]EmploymentDate, len(found))
	for i, f := range found {
		paid[i] = EmploymentDate{Employment: f.Employment, Date: f.Date}
	}
	return paid, nil
}

// AwayOn is how many of a crew are on leave on a day.
type AwayOn struct {
	Unit   uuid.UUID `db:"unit_id"`
	Date   when.Date
	People int
}

// AwayByUnit counts who of some crews is on leave on the days of a span.
func AwayByUnit(ctx context.Context, q Q, units []uuid.UUID, days when.Period) ([]AwayOn, error) {
	var found []AwayOn
	if err := q.SelectContext(ctx, &found, `select e.unit_id, l.date, count(distinct l.employment_id) as people
		from leave_day l join employment e on e.id = l.employment_id where e.unit_id = any($1) and l.date between $2 and $3
		group by e.unit_id, l.date`, UUIDs(units), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("count who is away: %w", err)
	}
	return found, nil
}

// EmploymentsNamed finds the positions, on a date, of people of a number or name; of some
// crews, of all with nil.
func EmploymentsNamed(ctx context.Context, q Q, text string, units []uuid.UUID, on when.Date) ([]Named, error) {
	w := among(text, on.String())
	w.plain(`(p.number = $1 or lower(p.given_name || ' ' || p.family_name) = lower($1))`)
	w.plain(`e.starts_on <= $2 and coalesce(least(p.ended_on, e.ends_on), 'infinity') >= $2`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []Named
	err := q.SelectContext(ctx, &found, `select e.id, p.number as name from employment e join person p on p.id = e.person_id `+w.sql()+`
		order by 2, e.starts_on desc`, w.args...)
	return found, err
}
