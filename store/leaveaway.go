package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// LeaveWindow is days on which nobody takes leave, or that are to be thought of.
type LeaveWindow struct {
	ID       uuid.UUID
	Name     string
	From     when.Date  `db:"from_on"`
	To       when.Date  `db:"to_on"`
	Unit     *uuid.UUID `db:"unit_id"` // nil for everybody
	UnitName string     `db:"unit_name"`
	Closed   bool       // else it is only to be thought of
}

// LeaveWindows reads those that touch a span, the earliest first.
func LeaveWindows(ctx context.Context, q Q, days when.Period) ([]LeaveWindow, error) {
	var found []LeaveWindow
	if err := q.SelectContext(ctx, &found, `
		select w.id, w.name, w.from_on, w.to_on, w.unit_id, coalesce(u.name, '') as unit_name, w.closed
		from leave_window w left join unit u on u.id = w.unit_id where w.from_on <= $2 and w.to_on >= $1
		order by w.from_on, w.name, w.id`, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read days without leave: %w", err)
	}
	return found, nil
}

// InsertLeaveWindow adds one; it does nothing where it is there.
func InsertLeaveWindow(ctx context.Context, q Q, w LeaveWindow, by uuid.UUID, now time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `insert into leave_window (id, name, from_on, to_on, unit_id, closed, made_by, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (id) do nothing`, w.ID, w.Name, w.From.String(), w.To.String(), w.Unit,
		w.Closed, by, now))
}

// DropLeaveWindow takes one out, and gives its name: "" where there is none.
func DropLeaveWindow(ctx context.Context, q Q, id uuid.UUID) (name string, err error) {
	err = q.GetContext(ctx, &name, `delete from leave_window where id = $1 returning name`, id)
	return name, err
}

// Least is how many of a crew, or at a site, have to be left to work; 0 where nothing says so.
type Least struct {
	ID    uuid.UUID
	Name  string
	Least int
	Site  bool // else a crew
}

// LeastLeft reads that of all crews and sites, crews first.
func LeastLeft(ctx context.Context, q Q) ([]Least, error) {
	var found []Least
	if err := q.SelectContext(ctx, &found, `select id, name, coalesce(least, 0) as least, false as site from unit
		union all select id, name, coalesce(least, 0), true from site order by site, name, id`); err != nil {
		return nil, fmt.Errorf("read how many have to be left: %w", err)
	}
	return found, nil
}

// PutLeast sets it; 0 for none.
func PutLeast(ctx context.Context, q Q, l Least) (bool, error) {
	table := "unit"
	if l.Site {
		table = "site"
	}
	return did(q.ExecContext(ctx, `update `+table+` set least = nullif($2, 0) where id = $1`, l.ID, l.Least))
}

// Band is a stretch of days that somebody is away, or asks to be: a request, or days that are
// booked otherwise.
type Band struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Name       string // of the kind
	Asked      bool   // and nobody has decided
	Seconds    int64
}

// Bands reads the days of a span on which some employments are on leave, or ask for it, by
// person and date.
func Bands(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]Band, error) {
	var found []Band
	if err := q.SelectContext(ctx, &found, `
		select employment_id, date, min(name) as name, false as asked, sum(seconds) as seconds from leave_day
		where employment_id = any($1) and date between $2 and $3 group by employment_id, date
		union all
		select d.employment_id, d.date, min(k.name), true, sum(d.seconds)
		from leave_request_day d join leave_request r on r.id = d.request_id join leave_kind k on k.id = r.kind_id
		left join lateral (select does from leave_act where request_id = r.id order by seq desc limit 1) l on true
		where d.employment_id = any($1) and d.date between $2 and $3 and coalesce(l.does, 'take_back') = 'take_back'
		group by d.employment_id, d.date
		order by 1, 2, 4`, UUIDs(employments), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read who is away: %w", err)
	}
	return found, nil
}
