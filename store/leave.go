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
	InDays     bool   `db:"in_days"` // else in hours
	Low        string // what becomes of asking for more than there is: "refuse", or "warn"
	Few        string // and where too few would be left to work
	Photo      bool   `db:"photo_needed"`
	MayGive    bool   `db:"may_give"` // people may give it to others
	RateBy     string `db:"rate_by"`  // at which rate it is paid, as core/pay calls it
	RateWeeks  int    `db:"rate_weeks"`
	Banks      bool   // overtime that is banked comes here: of one kind alone
	Docks      string // of unpaid leave: why whole days of it lower a salary, as core/pay calls it, "" for no
}

const leaveKinds = `select id, name, paid, pay_code, note_needed, closed, in_days, low, few, photo_needed, may_give, rate_by,
	rate_weeks, banks, docks from leave_kind `

// LeaveKinds lists them by name.
func LeaveKinds(ctx context.Context, q Q) ([]LeaveKind, error) {
	var found []LeaveKind
	if err := q.SelectContext(ctx, &found, leaveKinds+`order by closed, name`); err != nil {
		return nil, fmt.Errorf("read kinds of leave: %w", err)
	}
	return found, nil
}

// GetLeaveKind reads one.
func GetLeaveKind(ctx context.Context, q Q, id uuid.UUID) (k LeaveKind, err error) {
	err = q.GetContext(ctx, &k, leaveKinds+`where id = $1`, id)
	return k, err
}

// PutLeaveKind adds a kind, or changes it.
func PutLeaveKind(ctx context.Context, q Q, k LeaveKind) error {
	columns := []string{"id", "name", "paid", "pay_code", "note_needed", "closed", "in_days", "low", "few", "photo_needed", "may_give",
		"rate_by", "rate_weeks", "banks", "docks"}
	return insertRows(ctx, q, "leave_kind", columns, replacing("id", columns), 1, func(int) []any {
		return []any{k.ID, k.Name, k.Paid, k.PayCode, k.NoteNeeded, k.Closed, k.InDays, k.Low, k.Few, k.Photo, k.MayGive,
			k.RateBy, k.RateWeeks, k.Banks, k.Docks}
	})
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
	Amount     string    // in the unit of the kind
	InDays     bool      `db:"in_days"`
	Photo      bool      // there is one
	Instead    uuid.UUID `db:"instead_of"` // the request whose place it takes, zero for none
	Does       string    // the last act: "" while it is asked, or "take_back"
	Before     string    // the act before that
	Why        string
	ByName     string     `db:"by_name"` // whose act it is
	At         *time.Time `db:"made_at"`
}

// Open says whether nobody has decided it.
func (r LeaveRequest) Open() bool { return r.Does == "" || r.Does == "take_back" }

// Booked says whether its days are leave.
func (r LeaveRequest) Booked() bool { return r.Does == "approve" || r.Does == "ask_back" }

// Back says whether somebody asks to have back what is booked.
func (r LeaveRequest) Back() bool { return r.Does == "ask_back" }

const leaveRequests = `
	select r.id, r.employment_id, e.person_id, e.unit_id, u.name as unit_name, p.given_name || ' ' || p.family_name as name, s.zone,
	       r.kind_id, k.name as kind_name, k.paid, k.pay_code, r.note, r.asked_by, a.given_name || ' ' || a.family_name as asked_name,
	       r.asked_at, d.first, d.last, d.days, d.seconds, d.amount::text as amount, k.in_days,
	       exists (select 1 from leave_photo where request_id = r.id) as photo,
	       coalesce(r.instead_of, '00000000-0000-0000-0000-000000000000') as instead_of, coalesce(l.does, '') as does,
		coalesce(l.before, '') as before, coalesce(l.why, '') as why,
	       coalesce(b.given_name || ' ' || b.family_name, '') as by_name, l.made_at
	from leave_request r join employment e on e.id = r.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
	join site s on s.id = e.site_id join leave_kind k on k.id = r.kind_id join person a on a.id = r.asked_by
	join lateral (select min(date) as first, max(date) as last, count(*) as days, sum(seconds) as seconds,
	                     sum(coalesce(amount, round(seconds / 3600.0,
		6))) as amount from leave_request_day where request_id = r.id) d on true
	left join lateral (select does, why, by_person, made_at, lead(does) over (order by seq desc) as before
	                   from leave_act where request_id = r.id order by seq desc limit 1) l on true
	left join person b on b.id = l.by_person `

// OpenLeave lists what nobody has decided, the oldest first; of some crews, of all with nil.
func OpenLeave(ctx context.Context, q Q, units []uuid.UUID, most int) ([]LeaveRequest, error) {
	w := among(most)
	w.plain(`coalesce(l.does, 'take_back') in ('take_back', 'ask_back')`)
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
	Amount  string // in the unit of the kind
}

// LeaveDays reads those of some requests.
func LeaveDays(ctx context.Context, q Q, requests []uuid.UUID) ([]LeaveDay, error) {
	var found []LeaveDay
	if err := q.SelectContext(ctx, &found, `
		select request_id, date, seconds, coalesce(amount, round(seconds / 3600.0, 6))::text as amount from leave_request_day
		where request_id = any($1) order by request_id, date`, UUIDs(requests)); err != nil {
		return nil, fmt.Errorf("read days of leave: %w", err)
	}
	return found, nil
}

// LeaveRequestsOn lists the requests for some days, whatever became of them.
func LeaveRequestsOn(ctx context.Context, q Q, on []EmploymentDate) (map[EmploymentDate][]uuid.UUID, error) {
	employments, days := cardArrays(on)
	var rows []struct {
		EmploymentDate
		Request uuid.UUID `db:"request_id"`
	}
	if err := q.SelectContext(ctx, &rows, `select d.employment_id, d.date, d.request_id from unnest($1::uuid[], $2::date[])
		w(employment_id, date) join leave_request_day d using (employment_id, date)`, employments, days); err != nil {
		return nil, fmt.Errorf("read requests for days: %w", err)
	}
	found := map[EmploymentDate][]uuid.UUID{}
	for _, r := range rows {
		found[r.EmploymentDate] = append(found[r.EmploymentDate], r.Request)
	}
	return found, nil
}

// InsertLeaveRequest keeps that leave is asked for; asked again under its id it is the same.
func InsertLeaveRequest(ctx context.Context, q Q, r LeaveRequest, days []LeaveDay) (fresh bool, err error) {
	if fresh, err = did(q.ExecContext(ctx, `insert into leave_request (id, employment_id, kind_id, note, asked_by, asked_at, instead_of)
		values ($1, $2, $3, $4, $5, $6, nullif($7, '00000000-0000-0000-0000-000000000000'::uuid)) on conflict (id) do nothing`,
		r.ID, r.Employment, r.Kind, r.Note, r.AskedBy, r.AskedAt, r.Instead)); err != nil || !fresh {
		return fresh, err
	}
	return true, insertRows(ctx, q, "leave_request_day", []string{"request_id", "employment_id", "date", "seconds", "amount"}, "",
		len(days),
		func(i int) []any {
			return []any{r.ID, r.Employment, days[i].Date.String(), days[i].Seconds, days[i].Amount}
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
	_, err := q.ExecContext(ctx,
		`insert into leave_day (id, employment_id, date, name, pay_code, paid, seconds, request_id, rate_by, rate_weeks, docks)
		select gen_random_uuid(), r.employment_id, d.date, k.name, k.pay_code, k.paid, d.seconds, r.id, k.rate_by, k.rate_weeks,
		       case when k.paid then '' else k.docks end
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

// InsertLeavePhoto keeps the picture of a paper with a request.
func InsertLeavePhoto(ctx context.Context, q Q, request, employment uuid.UUID, width, height int, jpeg []byte, now time.Time) error {
	_, err := q.ExecContext(ctx, `insert into leave_photo (request_id, employment_id, width, height, jpeg, made_at)
		values ($1, $2, $3, $4, $5, $6)`, request, employment, width, height, jpeg, now)
	return err
}

// LeavePhoto reads it.
func LeavePhoto(ctx context.Context, q Q, request uuid.UUID) (jpeg []byte, err error) {
	err = q.GetContext(ctx, &jpeg, `select jpeg from leave_photo where request_id = $1`, request)
	return jpeg, err
}

// PaidTo gives the last day of somebody's that a closed run paid, nil for none.
func PaidTo(ctx context.Context, q Q, employment uuid.UUID) (last *when.Date, err error) {
	err = q.GetContext(ctx, &last, `select max(date) from card where employment_id = $1 and state = 'paid'`, employment)
	return last, err
}

// LeaveKindUsed says whether somebody has asked for a kind, or has a policy of it.
func LeaveKindUsed(ctx context.Context, q Q, kind uuid.UUID) (used bool, err error) {
	err = q.GetContext(ctx, &used, `select exists (select 1 from leave_request where kind_id = $1)
		or exists (select 1 from leave_policy where kind_id = $1) or exists (select 1 from leave_adjustment where kind_id = $1)`, kind)
	return used, err
}
