package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/clock"
	"manudex/core/pay"
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
}

// Period is the pay period of the run.
func (r Run) Period() when.Period { return when.Period{From: r.From, To: r.To} }

const runs = `select r.id, r.number, r.from_date, r.to_date, r.closed_at, r.closed_by, p.given_name || ' ' || p.family_name as by_name,
	r.period_group, r.gross
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
		(select min(c.date) from card c where c.state <> 'paid' and `+memberOf("$1")+`))`, group)
	if err != nil || d == nil {
		return 0, false, err
	}
	return *d, true, nil
}

// EmploymentWeek is a workweek of an employment, or an overtime period, by
// its first and last date.
type EmploymentWeek struct {
	Employment uuid.UUID
	Week, Last when.Date
}

// PayScope says which cards a run is worked out from: those of a group that
// are approved, and all that are paid, from From to To and in the earlier weeks
// named.
type PayScope struct {
	Group    string
	From, To when.Date
	Earlier  []EmploymentWeek
}

func (s PayScope) earlier() (employments UUIDs, firsts, lasts string) {
	employments = UUIDs{}
	weeks, ends := make([]when.Date, len(s.Earlier)), make([]when.Date, len(s.Earlier))
	for i, w := range s.Earlier {
		employments = append(employments, w.Employment)
		weeks[i], ends[i] = w.Week, w.Last
	}
	return employments, dates(weeks), dates(ends)
}

// scoped names the cards in scope; $1 and $2 are the dates, $3 to $5 the
// earlier weeks, $6 the group: those its run would pay, and what any run has
// paid of those weeks. A card of the day before a week may reach into it. Two
// look-ups by index, not one condition: an "or" would read every card.
var scoped = `with scoped as (
		  select c.employment_id, c.date, ` + pending + ` as pending from card c
		  where c.date between $1::date - 1 and $2 and ` + counts("$6") + `
		  union
		  select c.employment_id, c.date, ` + pending + ` from unnest($3::uuid[], $4::date[], $5::date[]) w(employment_id, week, last)
		  join card c on c.employment_id = w.employment_id and c.date between w.week - 1 and w.last
		  where c.date < $1::date - 1 and ` + counts("$6") + `)
		`

// PayStint is a stint as a run needs it. Job, Task and Class are ids as text,
// "" for none: lines are added up by them.
type PayStint struct {
	Employment       uuid.UUID
	Date             when.Date
	Kind             clock.Kind
	Job, Task, Class string
	Start, End       time.Time
}

// PayStints reads the stints in scope by employment and time. A run reads
// tens of thousands, so ids that come again are taken from a map.
func PayStints(ctx context.Context, q Q, s PayScope) ([]PayStint, error) {
	ids, weeks, lasts := s.earlier()
	rows, err := q.QueryContext(ctx, scoped+`
		select s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at
		from scoped c join stint s on s.date = c.date and s.employment_id = c.employment_id and s.end_at is not null
		where not c.pending
		union all
		select s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at
		from scoped c join settled_stint s on s.date = c.date and s.employment_id = c.employment_id
		where c.pending
		order by employment_id, start_at`, s.From.String(), s.To.String(), ids, weeks, lasts, s.Group)
	if err != nil {
		return nil, fmt.Errorf("read the hours of a run: %w", err)
	}
	defer rows.Close()
	seen := map[string]string{}
	text := func(b sql.RawBytes) string {
		t, ok := seen[string(b)]
		if !ok {
			t = string(b)
			seen[t] = t
		}
		return t
	}
	var stints []PayStint
	var employment string
	for rows.Next() {
		var who, kind, job, task, class sql.RawBytes
		var p PayStint
		if err := rows.Scan(&who, &p.Date, &kind, &job, &task, &class, &p.Start, &p.End); err != nil {
			return nil, err
		}
		if n := len(stints); n > 0 && employment == string(who) {
			p.Employment = stints[n-1].Employment
		} else if p.Employment, err = uuid.ParseBytes(who); err != nil {
			return nil, err
		} else {
			employment = string(who)
		}
		p.Kind, p.Job, p.Task, p.Class = clock.Kind(text(kind)), text(job), text(task), text(class)
		stints = append(stints, p)
	}
	return stints, rows.Err()
}

// PayLeave is a paid leave day in scope.
type PayLeave struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	PayCode    string `db:"pay_code"`
	Seconds    int64
}

// PayLeaves reads the paid leave in scope.
func PayLeaves(ctx context.Context, q Q, s PayScope) ([]PayLeave, error) {
	ids, weeks, lasts := s.earlier()
	var found []PayLeave
	err := q.SelectContext(ctx, &found, scoped+`
		select l.employment_id, l.date, l.pay_code, l.seconds
		from scoped c join leave_day l on l.date = c.date and l.employment_id = c.employment_id and l.paid
		order by l.employment_id, l.date, l.pay_code`, s.From.String(), s.To.String(), ids, weeks, lasts, s.Group)
	return found, err
}

// PayLine is a line of a closed run.
type PayLine struct {
	Run        uuid.UUID
	Position   int
	Employment uuid.UUID
	Account    string // to which payroll books it
	pay.Entry
}

// PayLineColumns are the columns of [PayLine.Values], for bulk loading.
var PayLineColumns = []string{"run_id", "position", "employment_id", "week", "date", "job_id", "task_id", "class_id", "pay_code", "kind",
	"class", "seconds", "rate", "amount", "account"}

// Values gives the line in the order of [PayLineColumns], amounts with the
// currency's decimals.
func (l PayLine) Values(decimals int) []any {
	return []any{l.Run, l.Position, l.Employment, l.Week.String(), l.Date.String(), textID(l.Job), textID(l.Task), textID(l.WorkClass),
		l.PayCode, string(l.Kind), l.Class.String(), l.Seconds, l.Rate.String(), l.Amount.Decimal(decimals), l.Account}
}

func textID(s string) *string {
	if s == "" {
		return nil
	}
	return &s
}

type payLineRow struct {
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
	return PayLine{Employment: r.Employment,
		Entry: pay.Entry{Seconds: r.Seconds, Amount: pay.Amount(r.Amount.Shift(int32(decimals)).IntPart()),
			Key: pay.Key{Week: r.Week, Date: r.Date, Job: text(r.Job), Task: text(r.Task), WorkClass: text(r.WorkClass), PayCode: r.PayCode,
				Kind: pay.LineKind(r.Kind), Class: class, Rate: rate}}}, nil
}

// PaidLines reads what earlier runs paid in the weeks in scope.
func PaidLines(ctx context.Context, q Q, s PayScope, decimals int) ([]PayLine, error) {
	ids, weeks, _ := s.earlier()
	var rows []payLineRow
	const line = `l.employment_id, l.week, l.date, l.job_id::text, l.task_id::text, l.class_id::text, l.pay_code, l.kind, l.class,
		l.seconds, l.rate::text, l.amount`
	err := q.SelectContext(ctx, &rows, `
		select `+line+` from pay_line l where l.week >= $1
		union all
		select `+line+` from unnest($2::uuid[], $3::date[]) w(employment_id, week)
		join pay_line l on l.week = w.week and l.employment_id = w.employment_id where l.week < $1`,
		s.From.String(), ids, weeks)
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

// InsertRun writes a closed run with its lines and marks the cards it pays.
// It returns the run's number.
func InsertRun(ctx context.Context, tx Q, r Run, lines []PayLine, paid []CardAct, decimals int) (int, error) {
	err := tx.GetContext(ctx, &r.Number, `insert into run (id, from_date, to_date, closed_at, closed_by, gross, period_group)
		values ($1, $2, $3, $4, $5, $6, $7) returning number`,
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
		              returning c.employment_id, c.date)
		delete from settled_stint s using paid where s.employment_id = paid.employment_id and s.date = paid.date`, r.ID)
	return r.Number, err
}

// ExportLine is a line of a run with names in place of ids.
type ExportLine struct {
	Number    string
	Given     string `db:"given_name"`
	Family    string `db:"family_name"`
	Date      when.Date
	Job       string
	JobName   string `db:"job_name"`
	Task      string
	CostCode  string `db:"cost_code"`
	WorkClass string `db:"work_class"`
	PayCode   string `db:"pay_code"`
	Kind      string
	Class     string
	Seconds   int64
	Rate      string
	Amount    decimal.Decimal
	Account   string
}

// ExportLines reads the lines of a run for a file, in the order of the run.
func ExportLines(ctx context.Context, q Q, run uuid.UUID) ([]ExportLine, error) {
	var lines []ExportLine
	err := q.SelectContext(ctx, &lines, `
		select p.number, p.given_name, p.family_name, l.date, coalesce(j.number, '') as job, coalesce(j.name, '') as job_name,
		       coalesce(t.name, '') as task, coalesce(t.cost_code, '') as cost_code, coalesce(c.code, '') as work_class, l.pay_code,
		       l.kind, l.class, l.seconds, l.rate::text, l.amount, l.account
		from pay_line l join employment e on e.id = l.employment_id join person p on p.id = e.person_id
		left join job j on j.id = l.job_id left join task t on t.id = l.task_id left join classification c on c.id = l.class_id
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
	Gross      decimal.Decimal
}

// SumRun reads a closed run's sums by person.
func SumRun(ctx context.Context, q Q, run uuid.UUID) ([]RunSums, error) {
	var sums []RunSums
	err := q.SelectContext(ctx, &sums, `
		select employment_id, coalesce(sum(seconds) filter (where kind = 'straight' and class = 'regular'), 0) as regular,
		       coalesce(sum(seconds) filter (where kind = 'straight' and class = 'overtime'), 0) as overtime,
		       coalesce(sum(seconds) filter (where kind = 'straight' and class = 'double'), 0) as double,
		       coalesce(sum(seconds) filter (where kind = 'leave'), 0) as leave,
		       coalesce(sum(amount) filter (where kind <> 'fringe_plan'), 0) as gross
		from pay_line where run_id = $1 group by employment_id`, run)
	return sums, err
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
