package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// Reported is how long somebody was at work on a day on something, as somebody says.
type Reported struct {
	EmploymentDate
	On      clock.Assignment
	Seconds int64
	By      uuid.UUID
	MadeAt  time.Time

	JobNumber, JobName  string
	TaskName, ClassName string
}

type reportedRow struct {
	EmploymentDate
	Job       *uuid.UUID `db:"job_id"`
	Task      *uuid.UUID `db:"task_id"`
	Class     *uuid.UUID `db:"class_id"`
	Account   string
	Seconds   int64
	By        uuid.UUID `db:"by_person"`
	MadeAt    time.Time `db:"made_at"`
	JobNumber string    `db:"job_number"`
	JobName   string    `db:"job_name"`
	TaskName  string    `db:"task_name"`
	ClassName string    `db:"class_name"`
}

func (r reportedRow) reported() Reported {
	return Reported{EmploymentDate: r.EmploymentDate, Seconds: r.Seconds, By: r.By, MadeAt: r.MadeAt,
		On:        clock.Assignment{Job: IDOrNil(r.Job), Task: IDOrNil(r.Task), Class: IDOrNil(r.Class), Account: r.Account},
		JobNumber: r.JobNumber, JobName: r.JobName, TaskName: r.TaskName, ClassName: r.ClassName}
}

// newest gives the newest row of each day and what it is on.
const newest = `
	select distinct on (r.employment_id, r.date, r.job_id, r.task_id, r.class_id, r.account) r.*
	from reported r where %s
	order by r.employment_id, r.date, r.job_id, r.task_id, r.class_id, r.account, r.made_at desc, r.id desc`

// InsertReported keeps what was reported. There is no update and no delete; it says whether it
// is new.
func InsertReported(ctx context.Context, q Q, id uuid.UUID, r Reported) (bool, error) {
	return did(q.ExecContext(ctx, `insert into reported (id, employment_id, date, job_id, task_id, class_id, account, seconds, by_person,
			made_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict (id) do nothing`,
		id, r.Employment, r.Date.String(), nullID(r.On.Job), nullID(r.On.Task), nullID(r.On.Class), r.On.Account, r.Seconds, r.By,
		r.MadeAt))
}

// InsertManyReported is [InsertReported] for several, each under a new id.
func InsertManyReported(ctx context.Context, q Q, rows []Reported) error {
	columns := []string{"id", "employment_id", "date", "job_id", "task_id", "class_id", "account", "seconds", "by_person", "made_at"}
	return insertRows(ctx, q, "reported", columns, "", len(rows), func(i int) []any {
		r := rows[i]
		return []any{uuid.Must(uuid.NewV7()), r.Employment, r.Date.String(), nullID(r.On.Job), nullID(r.On.Task), nullID(r.On.Class),
			r.On.Account, r.Seconds, r.By, r.MadeAt}
	})
}

// ReportedBy gives what was reported under an id, nil for nothing.
func ReportedBy(ctx context.Context, q Q, id uuid.UUID) (*Reported, error) {
	var row reportedRow
	err := q.GetContext(ctx, &row,
		`select r.employment_id, r.date, r.job_id, r.task_id, r.class_id, r.account, r.seconds, r.by_person, r.made_at
		from reported r where r.id = $1`, id)
	if NotFound(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read what was reported: %w", err)
	}
	r := row.reported()
	return &r, nil
}

// ReportedIn reads what employments report of some days: the newest of each day and what it
// is on, nought too, by employment, day and job.
func ReportedIn(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]Reported, error) {
	var rows []reportedRow
	if err := q.SelectContext(ctx, &rows, `
		select n.employment_id, n.date, n.job_id, n.task_id, n.class_id, n.account, n.seconds, n.by_person, n.made_at,
		       coalesce(j.number, '') as job_number, coalesce(j.name, '') as job_name, coalesce(t.name, '') as task_name,
		       coalesce(c.name, '') as class_name
		from (`+fmt.Sprintf(newest, `r.employment_id = any($1) and r.date between $2 and $3`)+`) n
		left join job j on j.id = n.job_id left join task t on t.id = n.task_id left join classification c on c.id = n.class_id
		order by n.employment_id, n.date, j.number nulls last, t.position, n.class_id, n.account`,
		UUIDs(employments), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read what was reported: %w", err)
	}
	found := make([]Reported, len(rows))
	for i, r := range rows {
		found[i] = r.reported()
	}
	return found, nil
}

// ByPlan lists those of some employments whose plan is paid unless something else is
// reported.
func ByPlan(ctx context.Context, q Q, employments []uuid.UUID) (map[uuid.UUID]bool, error) {
	var ids []uuid.UUID
	if err := q.SelectContext(ctx, &ids, `select id from employment where reporting = 'pattern' and id = any($1)`,
		UUIDs(employments)); err != nil {
		return nil, fmt.Errorf("read whose plan is paid: %w", err)
	}
	found := make(map[uuid.UUID]bool, len(ids))
	for _, id := range ids {
		found[id] = true
	}
	return found, nil
}

// DueDay is a day whose card isn't filled yet.
type DueDay struct {
	EmploymentDate
	Person uuid.UUID
	Open   bool // nobody has signed or approved it
}

// DueToLay lists the days of a period that are over and whose card isn't filled yet: those of
// which something was reported that isn't on it, and those of people whose plan is paid on
// which nothing stands, or something beside the plan. Cards that somebody has approved are
// left as they are, but for what was reported.
func DueToLay(ctx context.Context, q Q, days when.Period) ([]DueDay, error) {
	var found []DueDay
	if err := q.SelectContext(ctx, &found, `
		select x.employment_id, x.date, e.person_id as person, coalesce(c.state, 'open') = 'open' as open from (
		with said as (
			select employment_id, date, sum(seconds) as seconds
			from (`+fmt.Sprintf(newest, `r.date between $1 and $2`)+`) n group by employment_id, date
		)
		select s.employment_id, s.date from said s
		where s.seconds <> (select coalesce(sum(extract(epoch from x.end_at - x.start_at)), 0) from stint x
		                    where x.employment_id = s.employment_id and x.date = s.date and x.start_by = 'reported')
		union
		select e.id, d.date
		from employment e join person p on p.id = e.person_id
		cross join (select generate_series($1::date, $2::date, interval '1 day')::date as date) d
		cross join lateral (select bool_or(start_by = 'by_plan') as filled, count(*) filter (where start_by <> 'by_plan') as others
		                    from stint x where x.employment_id = e.id and x.date = d.date) st
		where e.reporting = 'pattern' and d.date >= (select min(date) from card) and p.joined_into is null
		  and d.date between e.starts_on and coalesce(least(e.ends_on, p.ended_on), 'infinity') and `+termOn(TermHourly, "e.id", "d.date")+`
		  and coalesce((select c.state from card c where c.employment_id = e.id and c.date = d.date), 'open') = 'open'
		  and case when st.others > 0 then st.filled
		      else st.filled is not true
		           and not exists (select 1 from said s where s.employment_id = e.id and s.date = d.date and s.seconds > 0)
		           and (exists (select 1 from shift f where f.employment_id = e.id and f.date = d.date)
		                or (select h.seconds[extract(dow from d.date)::int + 1] from pattern h
		                    where h.employment_id = e.id and h.starts_on <= d.date order by h.starts_on desc limit 1) > 0)
		           and not exists (select 1 from amendment a where a.employment_id = e.id and a.date = d.date and a.does = 'by_plan') end
		) x join employment e on e.id = x.employment_id left join card c on c.employment_id = x.employment_id and c.date = x.date
		order by 1, 2`, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read which days are to be filled: %w", err)
	}
	return found, nil
}

// KnownAccounts lists the accounts that jobs, people and crews have.
func KnownAccounts(ctx context.Context, q Q) ([]string, error) {
	var found []string
	if err := q.SelectContext(ctx, &found, `select distinct account from (select account from job union all select account from employment
		union all select account from unit) x where account <> '' order by account`); err != nil {
		return nil, fmt.Errorf("read accounts: %w", err)
	}
	return found, nil
}

// WithoutAccount lists those of some cards on which work has no account: none that was said
// for it, of its job or of the person, of those of whom one is wanted.
func WithoutAccount(ctx context.Context, q Q, cards []EmploymentDate) ([]EmploymentDate, error) {
	employments, on := cardArrays(cards)
	var found []EmploymentDate
	if err := q.SelectContext(ctx, &found, `
		select distinct w.employment_id, w.date from `+ofCards+`
		join stint s on s.employment_id = w.employment_id and s.date = w.date and s.kind = 'work'
		join employment e on e.id = s.employment_id left join job j on j.id = s.job_id
		where e.coding = 'required' and s.account = '' and e.account = '' and coalesce(j.account, '') = '' order by 1, 2`,
		employments, on); err != nil {
		return nil, fmt.Errorf("read which hours have no account: %w", err)
	}
	return found, nil
}

// OwnReporting is a position in which somebody reports hours, or whose plan is paid.
type OwnReporting struct {
	ID       uuid.UUID
	Person   uuid.UUID `db:"person_id"`
	Unit     uuid.UUID `db:"unit_id"`
	Title    string
	UnitName string `db:"unit_name"`
	Given    string `db:"given_name"`
	Family   string `db:"family_name"`
	Zone     string
	Account  string // of the person
	OfCrew   string `db:"crew_account"`
	Coding   string
	ByPlan   bool `db:"by_plan"`
	Reports  bool // hours by hand
}

// Reportings lists the positions of a person on a date in which they report hours, or whose
// plan is paid; all of them where any is asked for.
func Reportings(ctx context.Context, q Q, person uuid.UUID, on when.Date, any bool) ([]OwnReporting, error) {
	var found []OwnReporting
	if err := q.SelectContext(ctx, &found, `
		select e.id, e.person_id, e.unit_id, e.title, u.name as unit_name, p.given_name, p.family_name, s.zone, e.account,
			u.account as crew_account,
		       e.coding, e.reporting = 'pattern' as by_plan, $3 = any(string_to_array(e.clock_points, ', ')) as reports
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id join site s on s.id = e.site_id
		where e.person_id = $1 and e.starts_on <= $2 and coalesce(e.ends_on,
			'infinity') >= $2::date - 31 and `+termOn(TermHourly, "e.id", "$2")+`
		  and ($4 or e.reporting = 'pattern' or $3 = any(string_to_array(e.clock_points, ', ')))
		order by e.starts_on, e.id`, person, on.String(), string(clock.Reporting), any); err != nil {
		return nil, fmt.Errorf("read where somebody reports hours: %w", err)
	}
	return found, nil
}
