package store

import (
	"context"

	"github.com/google/uuid"

	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"manudex/core/job"
	"manudex/core/when"
)

// JobName gives "2231 Gantry, Route 9".
func JobName(ctx context.Context, q Q, id uuid.UUID) (string, error) {
	var name string
	err := q.GetContext(ctx, &name, `select number || ' ' || name from job where id = $1`, id)
	return name, err
}

// Job is a job with its settings and what was worked on it.
type Job struct {
	ID           uuid.UUID
	Number, Name string
	Customer     string
	CustomerID   *uuid.UUID `db:"customer_id"`
	Site         string
	Kind         string
	State        string
	StartsOn     *when.Date `db:"starts_on"`
	EndsOn       *when.Date `db:"ends_on"`
	Billable     bool
	BillingAsked bool `db:"billing_asked"`
	Travel       bool
	CountedIn    string `db:"counted_in"` // beside the hours, "" for nothing
	Account      string // to which its hours are booked, "" for those of the people
	Mark         string // of the company's own, "" for none
	BillRate     string `db:"bill_rate"`
	Budget       *int64 `db:"budget_seconds"`
	OpenToAll    bool   `db:"open_to_all"`
	PublicWork   bool   `db:"public_work"`
	Sample       bool
	Tags         string // that whoever works on it needs, with commas
	Lat, Lon     *float64
	Fence        float64 `db:"fence_metres"`
	Tasks        int
	Used         int64 // seconds worked, what is running not counted
	Lately       int64 `db:"used_lately"` // of them in the last fortnight, of a job with a budget
	Running      int   // people on it now
}

const jobColumns = `
	select j.id, j.number, j.name, coalesce(c.name, '') as customer, j.customer_id, coalesce(s.name, '') as site,
	coalesce(k.name, '') as kind, j.state, j.starts_on, j.ends_on, j.billable, j.billing_asked, j.travel, j.counted_in, j.account, j.mark,
	       coalesce(trim_scale(j.bill_rate)::text, '') as bill_rate, j.budget_seconds, j.open_to_all, j.public_work, j.sample, j.lat,
	       j.lon, j.fence_metres,
	       coalesce((select string_agg(tag, ', ' order by tag) from job_tag where job_id = j.id), '') as tags,
	       (select count(*) from task t where t.job_id = j.id and t.state = 'open' and t.joined_into is null) as tasks,
	       coalesce((select sum(seconds) from hours where job_id = j.id and kind = 'work'), 0) as used, j.used_lately,
	       (select count(*) from stint st where st.job_id = j.id and st.kind = 'work' and st.end_at is null) as running
	from job j left join customer c on c.id = j.customer_id left join site s on s.id = j.site_id left join job_kind k on k.id = j.kind_id`

// JobFilter picks jobs. Zero values mean no restriction; an empty State means
// open ones.
type JobFilter struct {
	Text, Customer, State string
	Sites                 []uuid.UUID
	Real                  bool   // no samples
	Sort                  string // of [JobSorts]; "" puts those furthest past their hours first, then those that pass them soonest
	Falling               bool
}

// Budgeted is how the job stands to its hours.
func (j Job) Budgeted() job.Budget {
	b := job.Budget{Used: j.Used, Lately: j.Lately}
	if j.Budget != nil {
		b.Hours = *j.Budget
	}
	return b
}

// jobSorts are what jobs can be ordered by.
var jobSorts = map[string]string{
	"number": `j.number`, "name": `plain(j.name)`, "customer": `plain(c.name)`, "site": `plain(s.name)`,
	"tasks":  `(select count(*) from task t where t.job_id = j.id and t.state = 'open' and t.joined_into is null)`,
	"used":   `(select sum(seconds) from hours where job_id = j.id and kind = 'work')`,
	"budget": `j.budget_seconds`, "left": `j.budget_seconds - j.used_seconds`,
}

// JobSorts lists what jobs can be ordered by.
func JobSorts() []string { return slices.Sorted(maps.Keys(jobSorts)) }

// urgentJobs is the order of jobs by how soon they want a look: the furthest past
// their hours, then those that pass them soonest at the pace of the last fortnight.
const urgentJobs = `case when j.state <> 'open' or coalesce(j.budget_seconds, 0) = 0 then 2
	when j.used_seconds >= j.budget_seconds then 0 when j.used_lately > 0 then 1 else 2 end,
	case when j.state = 'open' and j.used_seconds >= j.budget_seconds then j.used_seconds - j.budget_seconds end desc nulls last,
	case when j.state = 'open' and j.used_lately > 0 then (j.budget_seconds - j.used_seconds)::numeric / j.used_lately end, `

func (f JobFilter) order() string {
	by := urgentJobs
	if of, ok := jobSorts[f.Sort]; ok {
		by = of + map[bool]string{false: ` nulls last, `, true: ` desc nulls last, `}[f.Falling]
	}
	return ` order by ` + by + `j.number`
}

func (f JobFilter) where() *where {
	w := among()
	if strings.TrimSpace(f.Text) != "" {
		w.and(`finds(j.number || ' ' || j.name || ' ' || coalesce(c.name, ''), $%d)`, f.Text)
	}
	if f.Customer != "" {
		w.and(`c.name = $%d`, f.Customer)
	}
	switch f.State {
	case "any":
	case "":
		w.plain(`j.state = 'open'`)
	default:
		w.and(`j.state = $%d`, f.State)
	}
	if len(f.Sites) > 0 {
		w.and(`j.site_id = any($%d)`, UUIDs(f.Sites))
	}
	if f.Real {
		w.plain(`not j.sample`)
	}
	return w
}

// JobCount is how many jobs there are of a state at a site.
type JobCount struct {
	State string
	Site  *uuid.UUID
	N     int
}

// CountJobs counts everything the text of a filter picks, in whatever state and
// wherever.
func CountJobs(ctx context.Context, q Q, f JobFilter) ([]JobCount, error) {
	f.State, f.Sites = "any", nil
	w := f.where()
	var rows []JobCount
	if err := q.SelectContext(ctx, &rows, `select j.state, j.site_id as site, count(*) as n from job j
		left join customer c on c.id = j.customer_id `+w.sql()+` group by 1, 2`, w.args...); err != nil {
		return nil, fmt.Errorf("count jobs by site: %w", err)
	}
	return rows, nil
}

// Jobs reads jobs in the order asked for, and how many there are in all. A negative limit
// reads all.
func Jobs(ctx context.Context, q Q, f JobFilter, offset, limit int) (jobs []Job, total int, err error) {
	w := f.where()
	if err := q.GetContext(ctx, &total, `select count(*) from job j left join customer c on c.id = j.customer_id `+w.sql(),
		w.args...); err != nil {
		return nil, 0, fmt.Errorf("count jobs: %w", err)
	}
	order := f.order() + ` offset ` + w.param(offset)
	if limit >= 0 {
		order += ` limit ` + w.param(limit)
	}
	if err = q.SelectContext(ctx, &jobs, jobColumns+` `+w.sql()+order, w.args...); err != nil {
		return nil, 0, fmt.Errorf("read jobs: %w", err)
	}
	return jobs, total, err
}

// JobWeek is what was worked on a job in a workweek.
type JobWeek struct {
	From    when.Date
	Seconds int64
}

// JobWeeks adds up what was worked on a job in the weeks that begin on the day of
// a first one and every seventh day after it.
func JobWeeks(ctx context.Context, q Q, job uuid.UUID, first when.Date) ([]JobWeek, error) {
	var found []JobWeek
	if err := q.SelectContext(ctx, &found, `
		select $2::date + (date - $2::date) / 7 * 7 as from, sum(seconds) as seconds from hours
		where job_id = $1 and kind = 'work' and date >= $2 group by 1 order by 1`, job, first.String()); err != nil {
		return nil, fmt.Errorf("read the weeks of a job: %w", err)
	}
	return found, nil
}

// BesideJob gives which jobs stand before and after one in a list, the zero id for
// none.
func BesideJob(ctx context.Context, q Q, f JobFilter, job uuid.UUID) (before, after uuid.UUID, err error) {
	w := f.where()
	return beside(ctx, q, `select j.id, row_number() over (`+f.order()+`) as place from job j left join customer c on c.id = j.customer_id
		left join site s on s.id = j.site_id `+w.sql(), w, job)
}

// GetJob reads a job.
func GetJob(ctx context.Context, q Q, id uuid.UUID) (Job, error) {
	var j Job
	err := q.GetContext(ctx, &j, jobColumns+` where j.id = $1`, id)
	return j, err
}

// SetJob sets one column; the column is one of ours and never what somebody
// typed.
func SetJob(ctx context.Context, q Q, id uuid.UUID, column string, value any) error {
	_, err := q.ExecContext(ctx, `update job set `+column+` = $2 where id = $1`, id, value)
	return err
}

// InsertJob adds an open job.
func InsertJob(ctx context.Context, q Q, id uuid.UUID, number, name string) error {
	_, err := q.ExecContext(ctx, `insert into job (id, number, name) values ($1, $2, $3)`, id, number, name)
	return err
}

// JobByNumber gives the id of the job of a number.
func JobByNumber(ctx context.Context, q Q, number string) (uuid.UUID, error) {
	var id uuid.UUID
	err := q.GetContext(ctx, &id, `select id from job where number = $1`, number)
	return id, err
}

// NextJobNumber gives the first whole number above all of up to six digits in use.
func NextJobNumber(ctx context.Context, q Q) (number string, err error) {
	err = q.GetContext(ctx, &number, `
		select coalesce(max(case when number ~ '^[0-9]{1,6}$' then number::int end), 0) + 1 from job`)
	return number, err
}

// CopyJob makes a job like another, under a number of its own: settings, open
// tasks, whom it is open to, the tags it needs, its pay codes and its wages.
func CopyJob(ctx context.Context, q Q, from, to uuid.UUID, number, name string) error {
	for _, statement := range []string{
		`insert into job (id, number, name, customer_id, site_id, public_work, kind_id, billable, billing_asked, travel, counted_in,
			account,
			bill_rate, budget_seconds, open_to_all, lat, lon, fence_metres)
			select $2, $3, $4, customer_id, site_id, public_work, kind_id, billable, billing_asked, travel, counted_in, account,
			bill_rate, budget_seconds, open_to_all, lat, lon, fence_metres from job where id = $1`,
		`insert into task (id, job_id, name, cost_code, position, estimate_seconds, billable, class_id, counted_in)
			select gen_random_uuid(), $2, name, cost_code, position, estimate_seconds, billable, class_id, counted_in from task
			where job_id = $1 and state = 'open' and joined_into is null and $3 <> '' and $4 <> ''`,
		`insert into job_open_to (id, job_id, site_id, unit_id, class_id, person_id)
			select gen_random_uuid(), $2, site_id, unit_id, class_id, person_id from job_open_to where job_id = $1 and $3 <> ''
			and $4 <> ''`,
		`insert into pay_code (id, job_id, pays, code, starts_on) select gen_random_uuid(), $2, pays, code, starts_on from pay_code
			where job_id = $1 and $3 <> '' and $4 <> ''`,
		`insert into job_tag (job_id, tag) select $2, tag from job_tag where job_id = $1 and $3 <> '' and $4 <> ''`,
		`insert into job_wage (job_id, class_id, starts_on, base_rate, fringe_cash, fringe_plan)
			select $2, class_id, starts_on, base_rate, fringe_cash, fringe_plan from job_wage where job_id = $1 and $3 <> '' and $4 <> ''`,
	} {
		if _, err := q.ExecContext(ctx, statement, from, to, number, name); err != nil {
			return fmt.Errorf("copy a job: %w", err)
		}
	}
	return nil
}

// OnJob is somebody on the clock on a job now.
type OnJob struct {
	Person     uuid.UUID `db:"person_id"`
	Employment uuid.UUID `db:"employment_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	Date       when.Date
	Since      time.Time
	Task       string
}

// Name is the person's name.
func (o OnJob) Name() string { return o.Given + " " + o.Family }

// RunningOn lists who is on the clock on a job now, the longest first.
func RunningOn(ctx context.Context, q Q, job uuid.UUID) ([]OnJob, error) {
	var found []OnJob
	err := q.SelectContext(ctx, &found, `
		select s.person_id, s.employment_id, e.unit_id, p.given_name, p.family_name, s.date, s.start_at as since,
		coalesce(t.name, '') as task
		from stint s join employment e on e.id = s.employment_id join person p on p.id = s.person_id left join task t on t.id = s.task_id
		where s.job_id = $1 and s.kind = 'work' and s.end_at is null order by s.start_at, p.family_name`, job)
	if err != nil {
		return nil, fmt.Errorf("read who is on a job: %w", err)
	}
	return found, nil
}

// JobNumbers lists the open jobs by number.
func JobNumbers(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, number as name from job where state = 'open' order by number`)
}

// WorkNames reads what some jobs and tasks are called.
func WorkNames(ctx context.Context, q Q, ids []uuid.UUID) (map[uuid.UUID]string, error) {
	found, err := listNamed(ctx, q, `select id, number || ' ' || name as name from job where id = any($1)
		union all select id, name from task where id = any($1)`, UUIDs(ids))
	names := make(map[uuid.UUID]string, len(found))
	for _, n := range found {
		names[n.ID] = n.Name
	}
	return names, err
}

// JobAccounts gives the accounts of the jobs that have one, ids as text.
func JobAccounts(ctx context.Context, q Q) (map[string]string, error) {
	return textPairs(ctx, q, `select id::text, account from job where account <> ''`)
}
