package store

import (
	"context"
	"encoding/json"
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
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Kind       uuid.UUID `db:"kind_id"`
	KindName   string    `db:"kind_name"`
	InDays     bool      `db:"in_days"`
	MayGive    bool      `db:"may_give"`
	PolicyID   uuid.UUID `db:"policy_id"`
	PolicyName string    `db:"policy_name"`
	Policy     []byte    // with what is another for them
	Own        []byte    // that alone
	From       when.Date `db:"from_on"`
	Opening    string
	Hired      when.Date `db:"starts_on"`
	Ends       when.Date // the last day of employment, 0 for none
}

// LeaveAccounts reads which policies some employments have, one a kind.
func LeaveAccounts(ctx context.Context, q Q, employments []uuid.UUID) ([]LeaveAccount, error) {
	var found []LeaveAccount
	if err := q.SelectContext(ctx, &found, `
		select a.id, a.employment_id, a.kind_id, k.name as kind_name, k.in_days, k.may_give,
		       p.id as policy_id, p.name as policy_name, p.policy || coalesce(a.own, '{}') as policy, coalesce(a.own, '{}') as own,
		       a.from_on, a.opening::text as opening, e.starts_on, coalesce(least(e.ends_on, n.ended_on), '1970-01-01') as ends
		from (select distinct on (employment_id, kind_id) * from leave_account where employment_id = any($1)
		      order by employment_id, kind_id, seq desc) a
		join leave_policy p on p.id = a.policy_id join leave_kind k on k.id = a.kind_id
		join employment e on e.id = a.employment_id join person n on n.id = e.person_id
		order by a.employment_id, k.name`, UUIDs(employments)); err != nil {
		return nil, fmt.Errorf("read accounts of leave: %w", err)
	}
	return found, nil
}

// GivenPolicy is a policy as somebody is given it.
type GivenPolicy struct {
	Employment uuid.UUID
	From       when.Date
	Opening    string
	Own        []byte // nil for nothing
}

// GiveLeavePolicy gives a policy to people; who has it by this very act keeps it.
func GiveLeavePolicy(ctx context.Context, q Q, batch uuid.UUID, p LeavePolicy, to []GivenPolicy, by uuid.UUID, now time.Time) error {
	return insertRows(ctx, q, "leave_account", []string{"id", "employment_id", "kind_id", "policy_id", "from_on", "opening", "own",
		"batch", "given_by", "given_at"}, " on conflict (id) do nothing", len(to), func(i int) []any {
		g := to[i]
		return []any{uuid.NewSHA1(batch, append(p.Kind[:], g.Employment[:]...)), g.Employment, p.Kind, p.ID, g.From.String(), g.Opening,
			json.RawMessage(g.Own), batch, by, now}
	})
}

// GivenBy lists the employments that were given policies by one act, or file.
func GivenBy(ctx context.Context, q Q, batch uuid.UUID) ([]uuid.UUID, error) {
	var found []uuid.UUID
	if err := q.SelectContext(ctx, &found, `select distinct employment_id from leave_account where batch = $1 order by 1`,
		batch); err != nil {
		return nil, fmt.Errorf("read who was given policies of leave: %w", err)
	}
	return found, nil
}

// GiveLeaveBack gives those whom a batch gave a policy, and nobody another since, what they had before;
// whoever had none has none. It counts the accounts.
func GiveLeaveBack(ctx context.Context, q Q, batch, by uuid.UUID, now time.Time) (int, error) {
	res, err := q.ExecContext(ctx, `
		insert into leave_account (id, employment_id, kind_id, policy_id, from_on, opening, own, given_by, given_at)
		select gen_random_uuid(), a.employment_id, a.kind_id, b.policy_id, coalesce(b.from_on, a.from_on), coalesce(b.opening, 0),
			b.own, $2, $3
		from leave_account a
		left join lateral (select policy_id, from_on, opening, own from leave_account where employment_id = a.employment_id
		                   and kind_id = a.kind_id and seq < a.seq order by seq desc limit 1) b on true
		where a.batch = $1 and not exists (select 1 from leave_account where employment_id = a.employment_id and kind_id = a.kind_id
		                                   and seq > a.seq)`, batch, by, now)
	if err != nil {
		return 0, fmt.Errorf("give back policies of leave: %w", err)
	}
	n, err := res.RowsAffected()
	return int(n), err
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
	What       string // "take", "adjust", "grant", "give", "receive", "worked", "asked" or "pending" where nobody has decided
	Amount     string // in the unit of the kind
}

// LeaveEvents reads those of some employments after a date: what is booked as leave of a kind
// or asked for, adjustments, and what is given and received; of those who earn by hours also
// the hours worked, and of those who earn by overtime that of closed runs, of any kind.
func LeaveEvents(ctx context.Context, q Q, employments, byHours, byOvertime []uuid.UUID, after when.Date) ([]LeaveEvent, error) {
	var found []LeaveEvent
	if err := q.SelectContext(ctx, &found, `
		select l.employment_id, coalesce(r.kind_id, k.id) as kind_id, l.date, 'take' as what,
		       (case when k.in_days then coalesce(d.amount, 1) else round(l.seconds / 3600.0, 6) end)::text as amount
		from leave_day l left join leave_request r on r.id = l.request_id
		join leave_kind k on k.id = r.kind_id or r.kind_id is null and k.name = l.name
		left join leave_request_day d on d.request_id = r.id and d.date = l.date
		where l.employment_id = any($1) and l.date > $2
		union all
		select d.employment_id, r.kind_id, d.date, 'asked', coalesce(d.amount, round(d.seconds / 3600.0, 6))::text
		from leave_request r join leave_request_day d on d.request_id = r.id
		left join lateral (select does from leave_act where request_id = r.id order by seq desc limit 1) s on true
		where d.employment_id = any($1) and d.date > $2 and coalesce(s.does, 'take_back') = 'take_back'
		union all
		select employment_id, kind_id, date, 'adjust', amount::text from leave_adjustment where employment_id = any($1) and date > $2
		union all
		select employment_id, kind_id, done_on, 'give', amount::text from leave_gift
		where employment_id = any($1) and does = 'approve' and done_on > $2
		union all
		select to_employment, kind_id, done_on, 'receive', amount::text from leave_gift
		where to_employment = any($1) and does = 'approve' and done_on > $2
		union all
		select l.employment_id, k.id, l.date, 'grant', round(sum(l.seconds * l.rate) / 3600, 6)::text
		from pay_line l join leave_kind k on k.banks where l.class <> 'regular' and l.kind = 'banked' and l.employment_id = any($1)
			and l.date > $2
		group by l.employment_id, k.id, l.date having sum(l.seconds * l.rate) > 0
		union all
		select employment_id, '00000000-0000-0000-0000-000000000000', date,
		       case when state in ('approved', 'paid') then 'worked' else 'pending' end, round(worked / 3600.0, 6)::text from card
		where employment_id = any($3) and date > $2 and worked > 0
		union all
		select employment_id, '00000000-0000-0000-0000-000000000000', date, 'overtime', round(sum(seconds) / 3600.0, 6)::text from pay_line
		where employment_id = any($4) and date > $2 and class <> 'regular' and kind in ('straight', 'banked')
		group by employment_id, date having sum(seconds) > 0
		order by 1, 3, 4`, UUIDs(employments), after.String(), UUIDs(byHours), UUIDs(byOvertime)); err != nil {
		return nil, fmt.Errorf("read what happened to accounts of leave: %w", err)
	}
	return found, nil
}

// LeaveLine is a line of the ledger as it is booked.
type LeaveLine struct {
	Account    uuid.UUID `db:"account_id"`
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	What       string
	Amount     string
	BookedAt   time.Time `db:"booked_at"`
	Again      bool      // the day was booked before, and came to something else
}

// LeaveBooked reads what is booked to some accounts, added up by day and kind.
func LeaveBooked(ctx context.Context, q Q, accounts []uuid.UUID) ([]LeaveLine, error) {
	var found []LeaveLine
	if err := q.SelectContext(ctx, &found, `select account_id, date, what, sum(amount)::text as amount from leave_line
		where account_id = any($1) group by account_id, date, what order by account_id, date`, UUIDs(accounts)); err != nil {
		return nil, fmt.Errorf("read ledgers of leave: %w", err)
	}
	return found, nil
}

// LeaveLines lists the last lines of an account, the newest first.
func LeaveLines(ctx context.Context, q Q, account uuid.UUID, most int) ([]LeaveLine, error) {
	var found []LeaveLine
	if err := q.SelectContext(ctx, &found, `
		select account_id, employment_id, date, what, amount::text as amount, booked_at,
		       row_number() over (partition by date, what order by seq) > 1 as again
		from leave_line where account_id = $1 order by date desc, seq desc limit $2`, account, most); err != nil {
		return nil, fmt.Errorf("read a ledger of leave: %w", err)
	}
	return found, nil
}

// InsertLeaveLines books lines.
func InsertLeaveLines(ctx context.Context, q Q, lines []LeaveLine, now time.Time) error {
	return insertRows(ctx, q, "leave_line", []string{"account_id", "employment_id", "date", "what", "amount", "booked_at"}, "", len(lines),
		func(i int) []any {
			l := lines[i]
			return []any{l.Account, l.Employment, l.Date.String(), l.What, l.Amount, now}
		})
}

// WithLeaveAccounts lists the employments that have an account of leave, after one in their
// order, at most so many.
func WithLeaveAccounts(ctx context.Context, q Q, after uuid.UUID, most int) ([]uuid.UUID, error) {
	var found []uuid.UUID
	if err := q.SelectContext(ctx, &found, `select distinct employment_id from leave_account where employment_id > $1
		order by employment_id limit $2`, after, most); err != nil {
		return nil, fmt.Errorf("read who has leave: %w", err)
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
