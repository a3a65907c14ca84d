package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/pay"
	"manudex/core/when"
)

// PayLine is a line of a closed run.
type PayLine struct {
	Run        uuid.UUID
	Position   int
	Employment uuid.UUID
	Account    string // to which payroll books it
	pay.Entry
}

// Values gives the line in the order of [PayLineColumns], amounts with the
// currency's decimals.
func (l PayLine) Values(decimals int) []any {
	return []any{l.Run, l.Position, l.Employment, l.Week.String(), l.Date.String(), textID(l.Job), textID(l.Task), textID(l.WorkClass),
		l.PayCode, string(l.Kind), l.Class.String(), l.Seconds, l.Rate.String(), l.Amount.Decimal(decimals), l.Account,
		l.Entry.Account}
}

// PayLineColumns are the columns of [PayLine.Values], for bulk loading.
var PayLineColumns = []string{"run_id", "position", "employment_id", "week", "date", "job_id", "task_id", "class_id", "pay_code", "kind",
	"class", "seconds", "rate", "amount", "account", "said_account"}

func textID(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

type payLineRow struct {
	Position   int
	Employment uuid.UUID `db:"employment_id"`
	Week       when.Date
	Date       when.Date
	Job        *string `db:"job_id"`
	Task       *string `db:"task_id"`
	WorkClass  *string `db:"class_id"`
	PayCode    string  `db:"pay_code"`
	Kind       string
	Class      string
	Seconds    int64
	Rate       string
	Amount     decimal.Decimal
	Said       string `db:"said_account"`
	Account    string
}

func (r payLineRow) line(decimals int) (PayLine, error) {
	rate, err := pay.ParseRate(r.Rate)
	if err != nil {
		return PayLine{}, fmt.Errorf("pay line rate %s: %w", r.Rate, err)
	}
	class := pay.Regular
	for _, c := range []pay.Class{pay.Overtime, pay.Double} {
		if c.String() == r.Class {
			class = c
		}
	}
	text := func(s *string) string {
		if s == nil {
			return ""
		}
		return *s
	}
	return PayLine{Employment: r.Employment, Account: r.Account,
		Entry: pay.Entry{Seconds: r.Seconds, Amount: pay.Amount(r.Amount.Shift(int32(decimals)).IntPart()),
			Key: pay.Key{Week: r.Week, Date: r.Date, Job: text(r.Job), Task: text(r.Task), WorkClass: text(r.WorkClass), PayCode: r.PayCode,
				Kind: pay.LineKind(r.Kind), Class: class, Rate: rate, Account: r.Said}}}, nil
}

// PaidLines reads what earlier runs paid in the weeks in scope.
func PaidLines(ctx context.Context, q Q, s PayScope, decimals int) ([]PayLine, error) {
	return PaidBefore(ctx, q, s, 1<<30, decimals)
}

// PaidBefore reads what the runs before a number paid in the weeks in scope.
func PaidBefore(ctx context.Context, q Q, s PayScope, number, decimals int) ([]PayLine, error) {
	ids, weeks, _ := s.earlier()
	var rows []payLineRow
	const line = `l.employment_id, l.week, l.date, l.job_id::text, l.task_id::text, l.class_id::text, l.pay_code, l.kind, l.class,
		l.seconds, l.rate::text, l.amount, l.said_account`
	const before = `l.run_id in (select id from run where number < $5)`
	err := q.SelectContext(ctx, &rows, `
		select `+line+` from pay_line l where l.week >= $1 and ($4::uuid[] = '{}' or l.employment_id = any($4)) and `+before+`
		union all
		select `+line+` from unnest($2::uuid[], $3::date[]) w(employment_id, week)
		join pay_line l on l.week = w.week and l.employment_id = w.employment_id where l.week < $1 and `+before,
		s.From.String(), ids, weeks, orEmpty(s.Only), number)
	if err != nil {
		return nil, fmt.Errorf("read what earlier runs paid: %w", err)
	}
	lines := make([]PayLine, len(rows))
	for i, r := range rows {
		if lines[i], err = r.line(decimals); err != nil {
			return nil, err
		}
	}
	return lines, nil
}

// ExportLine is a line of a run with names in place of ids.
type ExportLine struct {
	Employment uuid.UUID `db:"employment_id"`
	Number     string
	Given      string `db:"given_name"`
	Family     string `db:"family_name"`
	Date       when.Date
	Job        string
	JobName    string `db:"job_name"`
	Task       string
	CostCode   string `db:"cost_code"`
	WorkClass  string `db:"work_class"`
	PayCode    string `db:"pay_code"`
	Kind       string
	Class      string
	Seconds    int64
	Rate       string
	Amount     decimal.Decimal
	Account    string
	Site       string
	Crew       string
	Way        string // how they are paid
}

// ExportLines reads the lines of a run for a file, in the order of the run.
func ExportLines(ctx context.Context, q Q, run uuid.UUID) ([]ExportLine, error) {
	var lines []ExportLine
	err := q.SelectContext(ctx, &lines, `
		select l.employment_id, p.number, p.given_name, p.family_name, l.date,
		       coalesce(j.number, '') as job, coalesce(j.name, '') as job_name,
		       coalesce(t.name, '') as task, coalesce(t.cost_code, '') as cost_code, coalesce(c.code, '') as work_class, l.pay_code,
		       l.kind, l.class, l.seconds, l.rate::text, l.amount, l.account, coalesce(k.site, s.name, '') as site, coalesce(k.crew,
			u.name) as crew,
		       coalesce(k.way, e.pay_way) as way
		from pay_line l join employment e on e.id = l.employment_id join person p on p.id = e.person_id
		join unit u on u.id = e.unit_id left join site s on s.id = e.site_id
		left join job j on j.id = l.job_id left join task t on t.id = l.task_id left join classification c on c.id = l.class_id
		join run r on r.id = l.run_id left join run_person k on k.run_id = coalesce(r.reverses, r.id) and k.employment_id = e.id
		where l.run_id = $1 order by l.position`, run)
	return lines, err
}

// RunSums adds up a closed run by person.
type RunSums struct {
	Employment uuid.UUID `db:"employment_id"`
	Regular    int64
	Overtime   int64
	Double     int64
	Leave      int64
	Banked     int64
	Credited   int64 // what that comes to as time off
	Gross      decimal.Decimal
	Holiday    decimal.Decimal // beside hours: what holidays add to them,
	Added      decimal.Decimal // differentials,
	Extra      decimal.Decimal // bonuses and allowances,
	Expense    decimal.Decimal // what they spent,
	Fringe     decimal.Decimal // and fringe in cash and into plans
	Deducted   decimal.Decimal // after it
	Codes      Texts           // pay codes of its lines
}

// SumRun reads a closed run's sums by person.
func SumRun(ctx context.Context, q Q, run uuid.UUID) ([]RunSums, error) {
	var sums []RunSums
	err := q.SelectContext(ctx, &sums, `
		with line as (select *, kind = 'extra' and exists (select from expense x where x.employment_id = l.employment_id
			and x.date = l.date and x.pay_code = l.pay_code) as spent from pay_line l where l.run_id = $1)
		select employment_id, coalesce(sum(seconds) filter (where kind = 'straight' and class = 'regular'), 0) as regular,
		       coalesce(sum(seconds) filter (where kind = 'straight' and class = 'overtime'), 0) as overtime,
		       coalesce(sum(seconds) filter (where kind = 'straight' and class = 'double'), 0) as double,
		       coalesce(sum(seconds) filter (where kind = 'leave'), 0) as leave,
		       coalesce(sum(seconds) filter (where kind = 'banked'), 0) as banked,
		       round(coalesce(sum(seconds * rate) filter (where kind = 'banked'), 0))::bigint as credited,
		       coalesce(sum(amount) filter (where kind = 'holiday_premium'), 0) as holiday,
		       coalesce(sum(amount) filter (where kind = 'differential'), 0) as added,
		       coalesce(sum(amount) filter (where kind = 'extra' and not spent), 0) as extra,
		       coalesce(sum(amount) filter (where spent), 0) as expense,
		       coalesce(sum(amount) filter (where kind in ('fringe', 'fringe_plan')), 0) as fringe,
		       coalesce(sum(amount) filter (where kind = 'deduction'), 0) as deducted,
		       array_agg(distinct pay_code)::text as codes,
		       coalesce(sum(amount) filter (where kind not in ('fringe_plan', 'deduction')), 0) as gross
		from line group by employment_id`, run)
	return sums, err
}

// PaidWeek is what somebody was paid for hours worked in a week, and how long they were.
type PaidWeek struct {
	Employment uuid.UUID `db:"employment_id"`
	Week       when.Date
	Seconds    int64
	Amount     decimal.Decimal
}

// PaidWeeks reads that of some employments for the weeks that begin in a span, the last first.
func PaidWeeks(ctx context.Context, q Q, employments []uuid.UUID, weeks when.Period) ([]PaidWeek, error) {
	var found []PaidWeek
	if err := q.SelectContext(ctx, &found, `
		select employment_id, week, coalesce(sum(seconds) filter (where kind = 'straight'), 0) as seconds, sum(amount) as amount
		from pay_line where employment_id = any($1) and week between $2 and $3
			and kind not in ('leave', 'extra', 'fringe', 'fringe_plan', 'banked', 'deduction')
		group by employment_id, week having sum(amount) > 0 and sum(seconds) filter (where kind = 'straight') > 0
		order by employment_id, week desc`, UUIDs(employments), weeks.From.String(), weeks.To.String()); err != nil {
		return nil, fmt.Errorf("read paid weeks: %w", err)
	}
	return found, nil
}

// RunLinesOf reads what a closed run paid an employment, in the order of the run.
func RunLinesOf(ctx context.Context, q Q, run, employment uuid.UUID, decimals int) ([]PayLine, error) {
	return keptLines(ctx, q, decimals, `l.run_id = $1 and l.employment_id = $2`, run, employment)
}

// KeptLines reads what a closed run paid, in its order.
func KeptLines(ctx context.Context, q Q, run uuid.UUID, decimals int) ([]PayLine, error) {
	return keptLines(ctx, q, decimals, `l.run_id = $1`, run)
}

func keptLines(ctx context.Context, q Q, decimals int, where string, args ...any) ([]PayLine, error) {
	var rows []payLineRow
	if err := q.SelectContext(ctx, &rows, `
		select l.employment_id, l.week, l.date, l.job_id::text, l.task_id::text, l.class_id::text, l.pay_code, l.kind, l.class,
		       l.seconds, l.rate::text, l.amount, l.said_account, l.account, l.position
		from pay_line l where `+where+` order by l.position`, args...); err != nil {
		return nil, fmt.Errorf("read what a run paid: %w", err)
	}
	lines := make([]PayLine, len(rows))
	for i, r := range rows {
		var err error
		if lines[i], err = r.line(decimals); err != nil {
			return nil, err
		}
		lines[i].Position = r.Position
	}
	return lines, nil
}
