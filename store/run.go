package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/when"
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
	Gross    decimal.Decimal
	Head     []byte `db:"audit_head"` // what the audit list was sealed to, nil where nothing was sealed yet
}

// Period is the pay period of the run.
func (r Run) Period() when.Period { return when.Period{From: r.From, To: r.To} }

const runs = `select r.id, r.number, r.from_date, r.to_date, r.closed_at, r.closed_by, p.given_name || ' ' || p.family_name as by_name,
	r.period_group, r.gross, r.audit_head
		from run r join person p on p.id = r.closed_by `

// Runs reads the closed runs, the newest first.
func Runs(ctx context.Context, q Q, limit int) ([]Run, error) {
	var rs []Run
	err := q.SelectContext(ctx, &rs, runs+`order by r.from_date desc limit $1`, limit)
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
	err := q.GetContext(ctx, &d, `select coalesce((select max(to_date) + 1 from run where period_group = $1),
		(select min(c.date) from card c where c.state <> 'paid' and c.date >= coalesce((select pays_from from company), '-infinity')
		 and not `+emptied+` and `+memberOf("$1")+`))`, group)
	if err != nil || d == nil {
		return 0, false, err
	}
	return *d, true, nil
}

// InsertRun writes a closed run with its lines and marks the cards it pays.
// It returns the run's number.
func InsertRun(ctx context.Context, tx Q, r Run, lines []PayLine, paid []CardAct, decimals int) (int, error) {
	err := tx.GetContext(ctx, &r.Number, `insert into run (id, from_date, to_date, closed_at, closed_by, gross, period_group, audit_head)
		values ($1, $2, $3, $4, $5, $6, $7, (select digest from audit_seal order by batch desc limit 1)) returning number`,
		r.ID, r.From.String(), r.To.String(), r.ClosedAt, r.ClosedBy, r.Gross, r.Group)
	if err != nil {
		return 0, fmt.Errorf("write the run: %w", err)
	}
	if err := insertRows(ctx, tx, "pay_line", PayLineColumns, "", len(lines), func(i int) []any {
		return lines[i].Values(decimals)
	}); err != nil {
		return 0, fmt.Errorf("write pay lines: %w", err)
	}
	if err := InsertCardActs(ctx, tx, paid); err != nil {
		return 0, fmt.Errorf("mark cards paid: %w", err)
	}
	_, err = tx.ExecContext(ctx, `
		with paid as (update card c set state = 'paid', adjust = false, late_change = false
		              from card_act a where a.run_id = $1 and a.employment_id = c.employment_id and a.date = c.date
		              returning c.employment_id, c.date),
		     spent as (delete from settled_expense s using paid where s.employment_id = paid.employment_id and s.date = paid.date)
		delete from settled_stint s using paid where s.employment_id = paid.employment_id and s.date = paid.date`, r.ID)
	return r.Number, err
}

// LastPaidDayOf gives the last day of the last closed run of a group.
func LastPaidDayOf(ctx context.Context, q Q, group string) (last when.Date, found bool, err error) {
	var d *when.Date
	if err := q.GetContext(ctx, &d, `select max(to_date) from run where period_group = $1`, group); err != nil || d == nil {
		return 0, false, err
	}
	return *d, true, nil
}

// LastPaidDay gives the last day of the last closed run of any group; found is
// false when none was closed.
func LastPaidDay(ctx context.Context, q Q) (last when.Date, found bool, err error) {
	var d *when.Date
	if err := q.GetContext(ctx, &d, `select max(to_date) from run`); err != nil || d == nil {
		return 0, false, err
	}
	return *d, true, nil
}
