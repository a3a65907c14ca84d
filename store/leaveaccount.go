package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// LeavePolicy is how leave of a kind is earned and kept: Policy is JSON as manudex accrue reads
// it.
type LeavePolicy struct {
	ID       uuid.UUID
	Kind     uuid.UUID `db:"kind_id"`
	KindName string    `db:"kind_name"`
	Name     string
	Policy   []byte
	People   int // who have it
}

// LeavePolicies lists them by kind and name.
func LeavePolicies(ctx context.Context, q Q) ([]LeavePolicy, error) {
	var found []LeavePolicy
	if err := q.SelectContext(ctx, &found, `
		select p.id, p.kind_id, k.name as kind_name, p.name, p.policy,
		       (select count(*) from (select distinct on (employment_id) policy_id from leave_account where kind_id = p.kind_id
		                              order by employment_id, seq desc) a where a.policy_id = p.id) as people
		from leave_policy p join leave_kind k on k.id = p.kind_id order by k.name, p.name`); err != nil {
		return nil, fmt.Errorf("read policies of leave: %w", err)
	}
	return found, nil
}

// GetLeavePolicy reads one.
func GetLeavePolicy(ctx context.Context, q Q, id uuid.UUID) (p LeavePolicy, err error) {
	err = q.GetContext(ctx, &p, `select p.id, p.kind_id, k.name as kind_name, p.name, p.policy, 0 as people
		from leave_policy p join leave_kind k on k.id = p.kind_id where p.id = $1`, id)
	return p, err
}

// InsertLeavePolicy adds one; it does nothing where it is there.
func InsertLeavePolicy(ctx context.Context, q Q, p LeavePolicy, by uuid.UUID, now time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `insert into leave_policy (id, kind_id, name, policy, made_by, made_at) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do nothing`, p.ID, p.Kind, p.Name, string(p.Policy), by, now))
}

// LeaveAccount is that somebody has a policy.
type LeaveAccount struct {
	Employment uuid.UUID `db:"employment_id"`
	Kind       uuid.UUID `db:"kind_id"`
	KindName   string    `db:"kind_name"`
	PolicyName string    `db:"policy_name"`
	Policy     []byte
	From       when.Date `db:"from_on"`
	Opening    string
	Hired      when.Date `db:"starts_on"`
}

// LeaveAccounts reads which policies some employments have, one a kind.
func LeaveAccounts(ctx context.Context, q Q, employments []uuid.UUID) ([]LeaveAccount, error) {
	var found []LeaveAccount
	if err := q.SelectContext(ctx, &found, `
		select distinct on (a.employment_id, k.name) a.employment_id, a.kind_id, k.name as kind_name, p.name as policy_name, p.policy,
		       a.from_on, a.opening::text as opening, e.starts_on
		from leave_account a join leave_policy p on p.id = a.policy_id join leave_kind k on k.id = a.kind_id
		join employment e on e.id = a.employment_id where a.employment_id = any($1)
		order by a.employment_id, k.name, a.seq desc`, UUIDs(employments)); err != nil {
		return nil, fmt.Errorf("read accounts of leave: %w", err)
	}
	return found, nil
}

// GiveLeavePolicy gives a policy to people; who has it by this very act keeps it.
func GiveLeavePolicy(ctx context.Context, q Q, batch uuid.UUID, p LeavePolicy, employments []uuid.UUID, from when.Date, opening string,
	by uuid.UUID, now time.Time) error {
	return insertRows(ctx, q, "leave_account", []string{"id", "employment_id", "kind_id", "policy_id", "from_on", "opening", "given_by",
		"given_at"}, " on conflict (id) do nothing", len(employments), func(i int) []any {
		return []any{uuid.NewSHA1(batch, employments[i][:]), employments[i], p.Kind, p.ID, from.String(), opening, by, now}
	})
}

// AdjustLeave keeps hours that are granted, or put right.
func AdjustLeave(ctx context.Context, q Q, id, employment, kind uuid.UUID, on when.Date, amount, why string, by uuid.UUID,
	now time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `insert into leave_adjustment (id, employment_id, kind_id, date, amount, why, made_by, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (id) do nothing`, id, employment, kind, on.String(), amount, why, by, now))
}

// LeaveEvent is what happens to somebody's account: hours that are taken, adjusted, or worked.
type LeaveEvent struct {
	Employment uuid.UUID `db:"employment_id"`
	Kind       uuid.UUID `db:"kind_id"`
	Date       when.Date
	What       string // "take", "adjust", "worked", or "asked" for what nobody has decided
	Amount     string // hours
}

// LeaveEvents reads those of some employments after a date: what is booked as leave of a kind
// or asked for, adjustments, and hours that somebody approved, of any kind.
func LeaveEvents(ctx context.Context, q Q, employments []uuid.UUID, after when.Date) ([]LeaveEvent, error) {
	var found []LeaveEvent
	if err := q.SelectContext(ctx, &found, `
		select l.employment_id, coalesce(r.kind_id, k.id) as kind_id, l.date, 'take' as what,
		       round(l.seconds / 3600.0, 6)::text as amount
		from leave_day l left join leave_request r on r.id = l.request_id left join leave_kind k on k.name = l.name
		where l.employment_id = any($1) and l.date > $2 and coalesce(r.kind_id, k.id) is not null
		union all
		select d.employment_id, r.kind_id, d.date, 'asked', round(d.seconds / 3600.0, 6)::text
		from leave_request r join leave_request_day d on d.request_id = r.id
		left join lateral (select does from leave_act where request_id = r.id order by seq desc limit 1) s on true
		where d.employment_id = any($1) and d.date > $2 and coalesce(s.does, 'take_back') = 'take_back'
		union all
		select employment_id, kind_id, date, 'adjust', amount::text from leave_adjustment where employment_id = any($1) and date > $2
		union all
		select employment_id, '00000000-0000-0000-0000-000000000000', date, 'worked', round(worked / 3600.0, 6)::text from card
		where employment_id = any($1) and date > $2 and worked > 0 and state in ('approved', 'paid')
		order by 1, 3, 4`, UUIDs(employments), after.String()); err != nil {
		return nil, fmt.Errorf("read what happened to accounts of leave: %w", err)
	}
	return found, nil
}

// HereOn lists the positions that people have on a date, of some crews, of all with nil, but those
// of one person.
func HereOn(ctx context.Context, q Q, units []uuid.UUID, on when.Date, but uuid.UUID) ([]uuid.UUID, error) {
	w := among(on.String())
	w.plain(`e.starts_on <= $1 and coalesce(least(e.ends_on, p.ended_on), 'infinity') >= $1`)
	w.and(`e.person_id <> $%d`, but)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []uuid.UUID
	err := q.SelectContext(ctx, &found, `select e.id from employment e join person p on p.id = e.person_id `+w.sql()+` order by e.id`,
		w.args...)
	return found, err
}
