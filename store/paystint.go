package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

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
	Only     UUIDs // some employments' alone, none for all

	AsClocked UUIDs // of whom cards that nobody has approved are paid too
}

// args are the arguments of a statement that begins with [scoped].
func (s PayScope) args() []any {
	ids, weeks, lasts := s.earlier()
	return []any{s.From.String(), s.To.String(), ids, weeks, lasts, s.Group, orEmpty(s.Only), orEmpty(s.AsClocked)}
}

func (s PayScope) earlier() (employments UUIDs, firsts, lasts []time.Time) {
	employments = UUIDs{}
	weeks, ends := make([]when.Date, len(s.Earlier)), make([]when.Date, len(s.Earlier))
	for i, w := range s.Earlier {
		employments = append(employments, w.Employment)
		weeks[i], ends[i] = w.Week, w.Last
	}
	return employments, dates(weeks), dates(ends)
}

// scoped names the cards in scope; $1 and $2 are the dates, $3 to $5 the
// earlier weeks, $6 the group, $7 whose alone, $8 of whom also what nobody has approved: those its run
// would pay, and what any run has paid of those weeks. A card of the day before a week may reach into it. Two
// look-ups by index, not one condition: an "or" would read every card.
var scoped = `with scoped as (
		  select c.employment_id, c.date, ` + pending + ` as pending from card c
		  where c.date between $1::date - 1 and $2 and ` + counts("$6", "$8") + ` and ` + onlyOf("c") + `
		  union
		  select c.employment_id, c.date, ` + pending + ` from unnest($3::uuid[], $4::date[], $5::date[]) w(employment_id, week, last)
		  join card c on c.employment_id = w.employment_id and c.date between w.week - 1 and w.last
		  where c.date < $1::date - 1 and ` + counts("$6", "$8") + ` and ` + onlyOf("c") + `)
		`

// onlyOf picks some employments', all with none.
func onlyOf(table string) string {
	return `($7::uuid[] = '{}' or ` + table + `.employment_id = any($7))`
}

// PayStint is a stint as a run needs it. Job, Task and Class are ids as text,
// "" for none: lines are added up by them.
type PayStint struct {
	Employment       uuid.UUID
	Date             when.Date
	Kind             clock.Kind
	Job, Task, Class string
	Start, End       time.Time
	HoursOnly        bool
	Account          string // that somebody said
	Marks            clock.Marks
}

// PayStints reads the stints in scope by employment and time. A run reads
// tens of thousands, so ids that come again are taken from a map.
func PayStints(ctx context.Context, q Q, s PayScope) ([]PayStint, error) {
	rows, err := q.QueryContext(ctx, scoped+`
		select s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at, `+hoursOnly+`, s.marks, s.account
		from scoped c join stint s on s.date = c.date and s.employment_id = c.employment_id and s.end_at is not null and s.counted
		where not c.pending
		union all
		select s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at, s.brought_in, s.marks, s.account
		from scoped c join settled_stint s on s.date = c.date and s.employment_id = c.employment_id
		where c.pending
		order by employment_id, start_at`, s.args()...)
	if err != nil {
		return nil, fmt.Errorf("read the hours of a run: %w", err)
	}
	defer rows.Close()
	text := texts{}.of
	var stints []PayStint
	var employment string
	for rows.Next() {
		var who, kind, job, task, class, account sql.RawBytes
		var p PayStint
		if err := rows.Scan(&who, &p.Date, &kind, &job, &task, &class, &p.Start, &p.End, &p.HoursOnly, &p.Marks, &account); err != nil {
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
		p.Account = text(account)
		stints = append(stints, p)
	}
	return stints, rows.Err()
}

// owedAtLeaving is what the ledgers of leave say that people are owed at the end of their last
// day, in seconds: of kinds in days by an average day of their last twelve weeks.
const owedAtLeaving = `
	select l.employment_id, l.date, a.kind_id, round(-sum(l.amount) * case when k.in_days then coalesce((select avg(worked) from card c
	       where c.employment_id = l.employment_id and c.date between l.date - 84 and l.date and c.worked > 0), 0) else 3600 end)::bigint
	       as seconds
	from leave_line l join leave_account a on a.id = l.account_id join leave_kind k on k.id = a.kind_id
	where l.what = 'paid_out' and not exists (select 1 from leave_account b where b.employment_id = a.employment_id
	                                          and b.kind_id = a.kind_id and b.seq > a.seq)
	group by l.employment_id, l.date, a.kind_id, k.in_days`

// OwedLeave lists of whom a run of a group has still to pay what leave they were owed when they
// left, before a day: it was booked after the run of their last day was closed.
func OwedLeave(ctx context.Context, q Q, group string, before when.Date) ([]EmploymentDate, error) {
	var found []EmploymentDate
	if err := q.SelectContext(ctx, &found, `
		select distinct o.employment_id, o.date from (`+owedAtLeaving+`) o join leave_kind k on k.id = o.kind_id and k.paid
		join membership m on m.employment_id = o.employment_id and m.period_group = $1 and o.date between m.starts_on and m.ends_on
		where o.date < $2 and o.seconds > coalesce((
			select sum(l.seconds) from pay_line l
			where l.employment_id = o.employment_id and l.week between o.date - 40 and o.date and l.date = o.date and l.kind = 'leave'
			  and l.pay_code = k.pay_code), 0)
		order by o.employment_id, o.date`, group, before.String()); err != nil {
		return nil, fmt.Errorf("read what leave is still owed: %w", err)
	}
	return found, nil
}

// PayLeave is a paid leave day in scope.
type PayLeave struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	PayCode    string `db:"pay_code"`
	Seconds    int64
	RateBy     string `db:"rate_by"` // as core/pay calls it
	RateWeeks  int    `db:"rate_weeks"`
}

// PayLeaves reads the paid leave in scope; and what leave people are owed who left in it, whether
// there is a card of their last day or not.
func PayLeaves(ctx context.Context, q Q, s PayScope) ([]PayLeave, error) {
	var found []PayLeave
	err := q.SelectContext(ctx, &found, scoped+`
		select l.employment_id, l.date, l.pay_code, l.seconds, l.rate_by, l.rate_weeks
		from scoped c join leave_day l on l.date = c.date and l.employment_id = c.employment_id and l.paid
		union all
		select o.employment_id, o.date, k.pay_code, o.seconds, k.rate_by, k.rate_weeks
		from (`+owedAtLeaving+`) o join leave_kind k on k.id = o.kind_id and k.paid
		where o.seconds > 0 and `+onlyOf("o")+` and (o.date between $1::date and $2 or exists (
			select 1 from unnest($3::uuid[], $4::date[], $5::date[]) w(employment_id, week, last)
			where w.employment_id = o.employment_id and o.date between w.week and w.last))
		order by employment_id, date, pay_code`, s.args()...)
	return found, err
}
