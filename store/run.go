package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/when"
)

// RunKind is what a run pays.
type RunKind string

// The kinds of run.
const (
	PeriodRun   RunKind = "period"   // a pay period of a group
	OwnRun      RunKind = "own"      // chosen people up to a day
	ReversalRun RunKind = "reversal" // a run before, with every sign turned
)

// Run is a closed pay run.
type Run struct {
	ID       uuid.UUID
	Number   int
	From     when.Date `db:"from_date"`
	To       when.Date `db:"to_date"`
	ClosedAt time.Time `db:"closed_at"`
	ClosedBy uuid.UUID `db:"closed_by"`
	ByName   string    `db:"by_name"`
	Group    string    `db:"period_group"` // whose pay periods, "" for the company's
	Currency string    // of its sums, "" of a run closed before it was kept: the company's
	Gross    decimal.Decimal
	Head     []byte `db:"audit_head"` // what the audit list was sealed to, nil where nothing was sealed yet
	Kind     RunKind
	Reverses *uuid.UUID
	Check    *uuid.UUID `db:"check_id"` // by which it was closed, nil for none
	Why      string     // of a reversal, or of a run of its own
	Digest   []byte     // SHA-256, nil of a run closed before there were any
	Turned   *uuid.UUID // the run that reverses it
	TurnedBy int        `db:"turned_number"`
	Turns    int        `db:"reverses_number"` // the number of the run that it reverses
}

// Period is the pay period of the run.
func (r Run) Period() when.Period { return when.Period{From: r.From, To: r.To} }

const runs = `
	select r.id, r.number, r.from_date, r.to_date, r.closed_at, r.closed_by, r.check_id, p.given_name || ' ' || p.family_name as by_name,
	       r.period_group, r.currency, r.gross, r.audit_head, r.kind, r.reverses, r.why, r.digest, t.id as turned, coalesce(t.number,
		0) as turned_number,
	       coalesce(o.number, 0) as reverses_number
	from run r join person p on p.id = r.closed_by left join run t on t.reverses = r.id left join run o on o.id = r.reverses `

// standing picks the runs r of pay periods that nobody has turned.
const standing = `(r.kind = 'period' and not exists (select 1 from run t where t.reverses = r.id))`

// Runs reads the closed runs, the newest first.
func Runs(ctx context.Context, q Q, limit int) ([]Run, error) {
	var rs []Run
	err := q.SelectContext(ctx, &rs, runs+`order by r.number desc limit $1`, limit)
	return rs, err
}

// GetRun reads a run.
func GetRun(ctx context.Context, q Q, id uuid.UUID) (Run, error) {
	var r Run
	err := q.GetContext(ctx, &r, runs+`where r.id = $1`, id)
	return r, err
}

// FirstOpenDay gives the earliest worked date after the last closed run of a
// group, or of its first card that isn't paid where none was closed; 0 and
// false when there are no cards.
func FirstOpenDay(ctx context.Context, q Q, group string) (when.Date, bool, error) {
	var d *when.Date
	err := q.GetContext(ctx, &d, `select coalesce((select max(r.to_date) + 1 from run r where r.period_group = $1 and `+standing+`),
		(select min(c.date) from card c where c.state <> 'paid' and c.date >= coalesce((select pays_from from company), '-infinity')
		 and not `+emptied+` and `+memberOf("$1")+`))`, group)
	if err != nil || d == nil {
		return 0, false, err
	}
	return *d, true, nil
}

// Closing is a run with all that is kept of it.
type Closing struct {
	Run
	Basis   []byte
	Lines   []PayLine
	People  []RunPerson
	Acts    []CardAct // that mark its cards paid, or, of a reversal, not
	Clocked bool      // some are paid as clocked
}

// NextRun gives the number of the next run, the digest of the run before it, nil for none, and what the
// audit list is sealed to.
func NextRun(ctx context.Context, q Q) (number int, before, head []byte, err error) {
	var v struct {
		Number int
		Digest []byte
		Head   []byte
	}
	if err := q.GetContext(ctx, &v, `
		select coalesce(max(number), 0) + 1 as number, (select digest from run order by number desc limit 1) as digest,
		       (select digest from audit_seal order by batch desc limit 1) as head from run`); err != nil {
		return 0, nil, nil, fmt.Errorf("read the run before: %w", err)
	}
	return v.Number, v.Digest, v.Head, nil
}

// InsertRun writes a closed run with its lines, and marks the cards it pays.
func InsertRun(ctx context.Context, tx Q, c Closing, decimals int) error {
	if _, err := tx.ExecContext(ctx, `
		insert into run (id, number, from_date, to_date, closed_at, closed_by, gross, period_group, audit_head, kind, reverses, why, digest,
			basis, currency, check_id) overriding system value
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)`, c.ID, c.Number, c.From.String(), c.To.String(),
		c.ClosedAt, c.ClosedBy, c.Gross, c.Group, c.Head, c.Kind, c.Reverses, c.Why, c.Digest, c.Basis, c.Currency, c.Check); err != nil {
		return fmt.Errorf("write the run: %w", err)
	}
	if err := insertRows(ctx, tx, "pay_line", PayLineColumns, "", len(c.Lines), func(i int) []any {
		return c.Lines[i].Values(decimals)
	}); err != nil {
		return fmt.Errorf("write pay lines: %w", err)
	}
	if err := insertPersons(ctx, tx, c.ID, c.People); err != nil {
		return err
	}
	if err := InsertCardActs(ctx, tx, c.Acts); err != nil {
		return fmt.Errorf("mark cards paid: %w", err)
	}
	if c.Kind == ReversalRun {
		return unpay(ctx, tx, c.Run)
	}
	// What is kept of them as they were paid before is spent now: kept for the day that this run is turned.
	if _, err := tx.ExecContext(ctx, `
		with paid as (update card c set state = 'paid', adjust = false, late_change = false
		              from card_act a where a.batch_id = $1 and a.move = 'pay' and a.employment_id = c.employment_id and a.date = c.date
		              returning c.employment_id, c.date),
		     expenses as (delete from settled_expense s using paid where s.employment_id = paid.employment_id and s.date = paid.date
		                  returning s.id, s.employment_id, s.date),
		     kept as (insert into spent_expense (id, employment_id, date, run_id) select id, employment_id, date, $1 from expenses),
		     stints as (delete from settled_stint s using paid where s.employment_id = paid.employment_id and s.date = paid.date
		                returning s.*)
		insert into spent_stint (`+settledColumns+`, run_id) select `+settledColumns+`, $1 from stints`, c.ID); err != nil {
		return fmt.Errorf("mark cards paid: %w", err)
	}
	if !c.Clocked {
		return nil
	}
	return payClocked(ctx, tx, c.ID)
}

// settledColumns are those of what is kept of a paid card's stints.
const settledColumns = `id, employment_id, date, kind, job_id, task_id, class_id, start_at, end_at, brought_in, marks, account`

// payClocked marks the cards that a run paid as clocked: as paid, with a change that waits, so that what
// somebody approves later changes the next run. Their stints and expenses are kept as they were paid.
func payClocked(ctx context.Context, q Q, run uuid.UUID) error {
	if _, err := q.ExecContext(ctx, `
		update card c set state = 'paid', adjust = true, late_change = true
		from card_act a where a.batch_id = $1 and a.move = 'pay_as_clocked' and a.employment_id = c.employment_id and a.date = c.date`,
		run); err != nil {
		return fmt.Errorf("mark cards paid as clocked: %w", err)
	}
	if _, err := q.ExecContext(ctx, `
		insert into settled_stint (`+settledColumns+`)
		select s.id, s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at, `+hoursOnly+`, s.marks,
			s.account
		from card_act a join stint s on s.employment_id = a.employment_id and s.date = a.date and s.end_at is not null and s.counted
		where a.batch_id = $1 and a.move = 'pay_as_clocked'`, run); err != nil {
		return fmt.Errorf("keep what is paid as clocked: %w", err)
	}
	if _, err := q.ExecContext(ctx, `
		insert into settled_expense (id, employment_id, date)
		select x.id, x.employment_id, x.date
		from card_act a join expense x on x.employment_id = a.employment_id and x.date = a.date
		where a.batch_id = $1 and a.move = 'pay_as_clocked' and not exists (select 1 from expense_back b where b.expense_id = x.id)`,
		run); err != nil {
		return fmt.Errorf("keep which expenses are paid as clocked: %w", err)
	}
	return nil
}

// unpay marks the cards of a run that is turned: approved again, or, where an earlier run had paid
// them, with their change approved and what was paid before it kept again.
func unpay(ctx context.Context, q Q, turning Run) error {
	for _, s := range []string{`
		delete from settled_stint s using card_act a
		where a.batch_id = $1 and s.employment_id = a.employment_id and s.date = a.date and $2::uuid is not null`, `
		delete from settled_expense s using card_act a
		where a.batch_id = $1 and s.employment_id = a.employment_id and s.date = a.date and $2::uuid is not null`, `
		insert into settled_stint (` + settledColumns + `)
		select ` + settledColumns + ` from spent_stint s where s.run_id = $2 and $1::uuid is not null`, `
		insert into settled_expense (id, employment_id, date)
		select id, employment_id, date from spent_expense where run_id = $2 and $1::uuid is not null`, `
		update card c set
			state = case when a.move = 'unpay_change' then 'paid' when c.adjust and c.late_change then 'open' else 'approved' end,
			signed = c.signed and not (a.move = 'unpay' and c.adjust and c.late_change),
			late_change = c.adjust and c.late_change, adjust = a.move = 'unpay_change'
		from card_act a where a.batch_id = $1 and a.employment_id = c.employment_id and a.date = c.date and $2::uuid is not null`} {
		if _, err := q.ExecContext(ctx, s, turning.ID, turning.Reverses); err != nil {
			return fmt.Errorf("mark the cards of a turned run: %w", err)
		}
	}
	return nil
}

// LastPaidDayOf gives the last day of the last closed run of a group.
func LastPaidDayOf(ctx context.Context, q Q, group string) (last when.Date, found bool, err error) {
	var d *when.Date
	if err := q.GetContext(ctx, &d, `select max(r.to_date) from run r where r.period_group = $1 and `+standing, group); err != nil ||
		d == nil {
		return 0, false, err
	}
	return *d, true, nil
}

// LastPaidDay gives the last day of the last closed run of any group; found is
// false when none was closed.
func LastPaidDay(ctx context.Context, q Q) (last when.Date, found bool, err error) {
	var d *when.Date
	if err := q.GetContext(ctx, &d, `select max(r.to_date) from run r where `+standing); err != nil || d == nil {
		return 0, false, err
	}
	return *d, true, nil
}

// LastPaidOf gives the last day that a closed run of a pay period paid any of some employments for, by the groups that
// they were in; found is false for none.
func LastPaidOf(ctx context.Context, q Q, employments ...uuid.UUID) (last when.Date, found bool, err error) {
	var d *when.Date
	if err := q.GetContext(ctx, &d, `
		select max(least(r.to_date, m.ends_on)) from run r join membership m on m.period_group = r.period_group
		and m.starts_on <= r.to_date and m.ends_on >= r.from_date where m.employment_id = any($1) and `+standing,
		UUIDs(employments)); err != nil {
		return 0, false, fmt.Errorf("read up to when people were paid: %w", err)
	}
	if d == nil {
		return 0, false, nil
	}
	return *d, true, nil
}

// PersonsOfRun lists who was paid by a run or answered for in it.
func PersonsOfRun(ctx context.Context, q Q, run uuid.UUID) ([]uuid.UUID, error) {
	var found []uuid.UUID
	if err := q.SelectContext(ctx, &found, `
		select distinct e.person_id from employment e where e.id in (
			select employment_id from pay_line where run_id = $1 union select employment_id from run_person where run_id = $1)`,
		run); err != nil {
		return nil, fmt.Errorf("read who was in a run: %w", err)
	}
	return found, nil
}

// LaterRun gives the number of a run of the same group that was closed after a run and stands, 0 for
// none.
func LaterRun(ctx context.Context, q Q, r Run) (number int, err error) {
	if err := q.GetContext(ctx, &number, `
		select coalesce(max(l.number), 0) from run l where l.period_group = $1 and l.number > $2 and l.kind <> 'reversal'
		and not exists (select 1 from run t where t.reverses = l.id)`, r.Group, r.Number); err != nil {
		return 0, fmt.Errorf("read the runs after it: %w", err)
	}
	return number, nil
}

// RunWasFetched says whether somebody has had a file of a closed run.
func RunWasFetched(ctx context.Context, q Q, run uuid.UUID) (fetched bool, err error) {
	if err := q.GetContext(ctx, &fetched, `select exists (select 1 from run_file where run_id = $1)
		or exists (select 1 from audit where about = $1 and act = 'payrun.download')`, run); err != nil {
		return false, fmt.Errorf("read whether a file was fetched: %w", err)
	}
	return fetched, nil
}

// CardOfRun is a card that a run paid.
type CardOfRun struct {
	EmploymentDate
	PaidBefore bool `db:"paid_before"` // by a run before it that stands: this one paid its change
}

// CardsOfRun lists the cards that a run paid.
func CardsOfRun(ctx context.Context, q Q, r Run) ([]CardOfRun, error) {
	var found []CardOfRun
	if err := q.SelectContext(ctx, &found, `
		select a.employment_id, a.date, exists (
			select 1 from card_act b join run o on o.id = b.run_id
			where b.employment_id = a.employment_id and b.date = a.date and b.move in ('pay', 'pay_as_clocked') and o.number < $2
			  and not exists (select 1 from run t where t.reverses = o.id)) as paid_before
		from card_act a where a.batch_id = $1 and a.move in ('pay', 'pay_as_clocked') order by a.date, a.employment_id`, r.ID,
		r.Number); err != nil {
		return nil, fmt.Errorf("read the cards of a run: %w", err)
	}
	return found, nil
}

// OwnRunSum is what a closed run paid somebody.
type OwnRunSum struct {
	ID         uuid.UUID
	Number     int
	From       when.Date `db:"from_date"`
	To         when.Date `db:"to_date"`
	Kind       RunKind
	Why        string
	Employment uuid.UUID `db:"employment_id"`
	Currency   string    // "" for the company's
	Gross      decimal.Decimal
	Deducted   decimal.Decimal
}

// RunsOfPerson lists what closed runs paid somebody, by employment, the newest first.
func RunsOfPerson(ctx context.Context, q Q, person uuid.UUID, limit int) ([]OwnRunSum, error) {
	var found []OwnRunSum
	if err := q.SelectContext(ctx, &found, `
		select r.id, r.number, r.from_date, r.to_date, r.kind, r.why, r.currency, l.employment_id,
		       coalesce(sum(l.amount) filter (where l.kind not in ('fringe_plan', 'deduction')), 0) as gross,
		       coalesce(sum(l.amount) filter (where l.kind = 'deduction'), 0) as deducted
		from pay_line l join run r on r.id = l.run_id
		where l.employment_id in (select id from employment where person_id = $1)
		group by r.id, l.employment_id order by r.number desc limit $2`, person, limit); err != nil {
		return nil, fmt.Errorf("read what runs paid somebody: %w", err)
	}
	return found, nil
}

// HoursByHand gives by employment how many seconds of the counted stints of some days rest on an edge that nobody clocked.
func HoursByHand(ctx context.Context, q Q, days when.Period, of []uuid.UUID) (map[uuid.UUID]int64, error) {
	var rows []struct {
		Employment uuid.UUID `db:"employment_id"`
		Seconds    int64
	}
	if err := q.SelectContext(ctx, &rows, `
		select s.employment_id, sum(extract(epoch from s.end_at - s.start_at))::bigint as seconds from stint s
		where s.date between $1 and $2 and s.employment_id = any($3) and s.counted and s.end_at is not null and s.kind = 'work'
		  and not (s.start_by in ('clocked', 'delayed') and s.end_by in ('clocked', 'delayed'))
		group by s.employment_id`, days.From.String(), days.To.String(), UUIDs(of)); err != nil {
		return nil, fmt.Errorf("read what rests on hours by hand: %w", err)
	}
	found := make(map[uuid.UUID]int64, len(rows))
	for _, r := range rows {
		found[r.Employment] = r.Seconds
	}
	return found, nil
}
