package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

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
	Running      int   // people on it now
}

const jobColumns = `
	select j.id, j.number, j.name, coalesce(c.name, '') as customer, j.customer_id, coalesce(s.name, '') as site,
	coalesce(k.name, '') as kind, j.state, j.starts_on, j.ends_on, j.billable,
	       coalesce(trim_scale(j.bill_rate)::text, '') as bill_rate, j.budget_seconds, j.open_to_all, j.public_work, j.sample, j.lat,
	       j.lon, j.fence_metres,
	       coalesce((select string_agg(tag, ', ' order by tag) from job_tag where job_id = j.id), '') as tags,
	       (select count(*) from task t where t.job_id = j.id and t.state = 'open' and t.joined_into is null) as tasks,
	       coalesce((select sum(seconds) from hours where job_id = j.id and kind = 'work'), 0) as used,
	       (select count(*) from stint st where st.job_id = j.id and st.kind = 'work' and st.end_at is null) as running
	from job j left join customer c on c.id = j.customer_id left join site s on s.id = j.site_id left join job_kind k on k.id = j.kind_id`

// JobFilter picks jobs. Zero values mean no restriction; an empty State means
// open ones.
type JobFilter struct {
	Text, Customer, State string
	Site                  uuid.UUID
	Real                  bool // no samples
}

func (f JobFilter) where() *where {
	w := among()
	if strings.TrimSpace(f.Text) != "" {
		w.and(`j.number || ' ' || j.name || ' ' || coalesce(c.name, '') ilike $%d`, contains(f.Text))
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
	if f.Site != uuid.Nil {
		w.and(`j.site_id = $%d`, f.Site)
	}
	if f.Real {
		w.plain(`not j.sample`)
	}
	return w
}

// Jobs reads jobs by number, and how many there are in all. A negative limit
// reads all.
func Jobs(ctx context.Context, q Q, f JobFilter, offset, limit int) (jobs []Job, total int, err error) {
	w := f.where()
	if err := q.GetContext(ctx, &total, `select count(*) from job j left join customer c on c.id = j.customer_id `+w.sql(),
		w.args...); err != nil {
		return nil, 0, fmt.Errorf("count jobs: %w", err)
	}
	order := ` order by j.number offset ` + w.param(offset)
	if limit >= 0 {
		order += ` limit ` + w.param(limit)
	}
	if err = q.SelectContext(ctx, &jobs, jobColumns+` `+w.sql()+order, w.args...); err != nil {
		return nil, 0, fmt.Errorf("read jobs: %w", err)
	}
	return jobs, total, err
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

// PutJobTags sets which tags whoever works on a job needs.
func PutJobTags(ctx context.Context, q Q, job uuid.UUID, tags []string) error {
	if tags == nil {
		tags = []string{}
	}
	if _, err := q.ExecContext(ctx, `delete from job_tag where job_id = $1 and tag <> all($2::text[])`, job, tags); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into job_tag (job_id, tag) select $1, unnest($2::text[]) on conflict do nothing`, job, tags)
	return err
}

// PutFence sets where a job is, or that its site's place holds.
func PutFence(ctx context.Context, q Q, job uuid.UUID, lat, lon *float64, fence float64) error {
	_, err := q.ExecContext(ctx, `update job set lat = $2, lon = $3, fence_metres = $4 where id = $1`, job, lat, lon, fence)
	return err
}

// TagNames lists the tags that people have and jobs need.
func TagNames(ctx context.Context, q Q) ([]string, error) {
	var found []string
	err := q.SelectContext(ctx, &found, `select tag from person_tag union select tag from job_tag order by 1`)
	return found, err
}

// LackingTag is a shift on a job that needs a tag which the person doesn't
// have on that day.
type LackingTag struct {
	Person     uuid.UUID `db:"person_id"`
	Employment uuid.UUID `db:"employment_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	Date       when.Date // of the first such shift
	Job        uuid.UUID `db:"job_id"`
	Number     string
	JobName    string `db:"job_name"`
	Tag        string
	Expires    *when.Date `db:"expires_on"` // nil: they never had it
	Shifts     int        // how many such shifts there are in the span
}

// Name is the person's name.
func (l LackingTag) Name() string { return l.Given + " " + l.Family }

// LackingTags lists the shifts in a span for which a tag lacks, by person, job
// and tag, the soonest first. A nil units means all; a zero person everybody.
func LackingTags(ctx context.Context, q Q, span when.Period, person uuid.UUID, units []uuid.UUID) ([]LackingTag, error) {
	var found []LackingTag
	w := among(span.From.String(), span.To.String())
	w.plain(`(pt.tag is null or pt.expires_on < s.date)`)
	if person != uuid.Nil {
		w.and(`e.person_id = $%d`, person)
	}
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	err := q.SelectContext(ctx, &found, `
		select e.person_id, min(e.id::text)::uuid as employment_id, min(e.unit_id::text)::uuid as unit_id, p.given_name, p.family_name,
		min(s.date) as date, j.id as job_id, j.number, j.name as job_name, jt.tag, pt.expires_on, count(*) as shifts
		from job_tag jt join shift s on s.job_id = jt.job_id and s.date between $1 and $2
		join employment e on e.id = s.employment_id join person p on p.id = e.person_id join job j on j.id = jt.job_id
		left join person_tag pt on pt.person_id = e.person_id and lower(pt.tag) = lower(jt.tag)
		`+w.sql()+`
		group by e.person_id, p.given_name, p.family_name, j.id, j.number, j.name, jt.tag, pt.expires_on order by date, p.family_name,
		p.given_name, jt.tag`,
		w.args...)
	if err != nil {
		return nil, fmt.Errorf("read tags that shifts need: %w", err)
	}
	return found, nil
}

// InsertJob adds an open job.
func InsertJob(ctx context.Context, q Q, id uuid.UUID, number, name string) error {
	_, err := q.ExecContext(ctx, `insert into job (id, number, name) values ($1, $2, $3)`, id, number, name)
	return err
}

// CustomerID gives the customer of a name, adding one that is new; the zero
// id for an empty name.
func CustomerID(ctx context.Context, q Q, name string) (uuid.UUID, error) {
	if name == "" {
		return uuid.Nil, nil
	}
	var id uuid.UUID
	err := q.GetContext(ctx, &id, `insert into customer (id, name) values ($1, $2) on conflict (name) do update set name = excluded.name
		returning id`, uuid.Must(uuid.NewV7()), name)
	return id, err
}

// Customers lists the customers by name.
func Customers(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from customer order by name`)
}

// JobKinds lists the kinds of job by name.
func JobKinds(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from job_kind order by name`)
}

// Kind is a kind of job with the tasks that every such job gets.
type Kind struct {
	ID          uuid.UUID
	Name, Tasks string
	OwnWork     bool `db:"own_work"`
}

// AllKinds lists the kinds of job by name.
func AllKinds(ctx context.Context, q Q) ([]Kind, error) {
	var found []Kind
	err := q.SelectContext(ctx, &found, `select id, name, tasks, own_work from job_kind order by name`)
	return found, err
}

// PutJobKind adds a kind of job or changes its tasks.
func PutJobKind(ctx context.Context, q Q, id uuid.UUID, name, tasks string, own bool) error {
	_, err := q.ExecContext(ctx, `insert into job_kind (id, name, tasks, own_work) values ($1, $2, $3, $4) on conflict (name) do update
		set tasks = excluded.tasks, own_work = excluded.own_work`, id, name, tasks, own)
	return err
}

// KindTasks gives the tasks that every job of a kind gets.
func KindTasks(ctx context.Context, q Q, kind uuid.UUID) (string, error) {
	var tasks string
	err := q.GetContext(ctx, &tasks, `select tasks from job_kind where id = $1`, kind)
	return tasks, err
}

// Task is a task of a job. Estimate and Used are of itself alone.
type Task struct {
	ID       uuid.UUID
	Job      uuid.UUID `db:"job_id"`
	Name     string
	CostCode string `db:"cost_code"`
	Position int
	State    string
	Estimate *int64 `db:"estimate_seconds"`
	Billable bool
	Class    string
	Into     *uuid.UUID `db:"joined_into"`
	Used     int64
	Running  int
}

// Tasks lists the tasks of a job in order.
func Tasks(ctx context.Context, q Q, job uuid.UUID) ([]Task, error) {
	var found []Task
	err := q.SelectContext(ctx, &found, `
		select t.id, t.job_id, t.name, t.cost_code, t.position, t.state, t.estimate_seconds, t.billable, coalesce(c.code, '') as class,
		t.joined_into,
		       coalesce((select sum(seconds) from hours where job_id = t.job_id and task_id = t.id and kind = 'work'), 0) as used,
		       (select count(*) from stint st where st.job_id = t.job_id and st.task_id = t.id and st.kind = 'work'
		       and st.end_at is null) as running
		from task t left join classification c on c.id = t.class_id where t.job_id = $1 order by t.position, t.name`, job)
	return found, err
}

// OnTask says how many are on the clock on a task.
func OnTask(ctx context.Context, q Q, task uuid.UUID) (int, error) {
	var n int
	err := q.GetContext(ctx, &n, `select count(*) from stint where task_id = $1 and kind = 'work' and end_at is null`, task)
	return n, err
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

// TasksOfJobs lists the tasks of many jobs, by job, without what was worked.
func TasksOfJobs(ctx context.Context, q Q, jobs []uuid.UUID) (map[uuid.UUID][]Task, error) {
	var found []Task
	err := q.SelectContext(ctx, &found, `
		select t.id, t.job_id, t.name, t.cost_code, t.position, t.state, t.estimate_seconds, t.billable, coalesce(c.code, '') as class,
		t.joined_into
		from task t left join classification c on c.id = t.class_id where t.job_id = any($1)
		order by t.job_id, t.position, t.name`, UUIDs(jobs))
	if err != nil {
		return nil, fmt.Errorf("read tasks: %w", err)
	}
	by := map[uuid.UUID][]Task{}
	for _, t := range found {
		by[t.Job] = append(by[t.Job], t)
	}
	return by, nil
}

// InsertTask adds an open task at the end of a job's.
func InsertTask(ctx context.Context, q Q, id, job uuid.UUID, name, code string, estimate *int64) error {
	_, err := q.ExecContext(ctx, `insert into task (id, job_id, name, cost_code, estimate_seconds, position)
		values ($1, $2, $3, $4, $5, (select coalesce(max(position), 0) + 1 from task where job_id = $2))`, id, job, name, code, estimate)
	return err
}

// SetTask sets one column; the column is one of ours and never what somebody
// typed.
func SetTask(ctx context.Context, q Q, id uuid.UUID, column string, value any) error {
	_, err := q.ExecContext(ctx, `update task set `+column+` = $2 where id = $1`, id, value)
	return err
}

// DeleteTask takes out a task that nothing was ever recorded on; it says
// whether it could.
func DeleteTask(ctx context.Context, q Q, id uuid.UUID) (bool, error) {
	r, err := q.ExecContext(ctx, `delete from task t where t.id = $1 and not exists (select 1 from punch where task_id = t.id)
		and not exists (select 1 from shift where task_id = t.id) and not exists (select 1 from task x where x.joined_into = t.id)`, id)
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// OpenTo is one of those a restricted job is open to.
type OpenTo struct {
	ID   uuid.UUID
	Kind string // "site", "unit", "class" or "person"
	Name string
}

// OpenTos lists whom a job is open to.
func OpenTos(ctx context.Context, q Q, job uuid.UUID) ([]OpenTo, error) {
	var found []OpenTo
	err := q.SelectContext(ctx, &found, `
		select o.id, case when o.site_id is not null then 'site' when o.unit_id is not null then 'unit' when o.class_id is not null
		then 'class' else 'person' end as kind,
		       coalesce(s.name, u.name, c.name, p.given_name || ' ' || p.family_name) as name
		from job_open_to o left join site s on s.id = o.site_id left join unit u on u.id = o.unit_id
		left join classification c on c.id = o.class_id left join person p on p.id = o.person_id
		where o.job_id = $1 order by 2, 3`, job)
	return found, err
}

// InsertOpenTo opens a job to one more; kind names the column.
func InsertOpenTo(ctx context.Context, q Q, id, job uuid.UUID, kind string, who uuid.UUID) error {
	column := map[string]string{"site": "site_id", "unit": "unit_id", "class": "class_id", "person": "person_id"}[kind]
	_, err := q.ExecContext(ctx, `insert into job_open_to (id, job_id, `+column+`) values ($1, $2, $3) on conflict do nothing`, id, job,
		who)
	return err
}

// DeleteOpenTo closes a job to one of them; it gives the job.
func DeleteOpenTo(ctx context.Context, q Q, id uuid.UUID) (uuid.UUID, error) {
	var job uuid.UUID
	err := q.GetContext(ctx, &job, `delete from job_open_to where id = $1 returning job_id`, id)
	return job, err
}

// openTo says whether an employment e may clock to a job j on a date, $N.
func openTo(on string) string {
	return `(j.starts_on is null or j.starts_on <= ` + on + `) and (j.ends_on is null or j.ends_on >= ` + on + `)
		and (j.open_to_all or exists (select 1 from job_open_to o where o.job_id = j.id
		and (o.site_id = e.site_id or o.unit_id = e.unit_id or o.person_id = e.person_id
		     or o.class_id in (select class_id from employment_class where employment_id = e.id))))
		and (e.every_job or exists (select 1 from employment_job ej where ej.employment_id = e.id and ej.job_id = j.id))`
}

// CountOpenTo says how many people can clock to a job on a date.
func CountOpenTo(ctx context.Context, q Q, job uuid.UUID, on when.Date) (int, error) {
	var n int
	err := q.GetContext(ctx, &n, `select count(distinct e.person_id) from employment e cross join job j where j.id = $1 and `+
		termOn(TermHourly, "e.id", "$2")+` and e.starts_on <= $2 and coalesce(e.ends_on, 'infinity') >= $2 and `+openTo("$2"), job,
		on.String())
	return n, err
}

// Wage is a class of a public work's wage determination.
type Wage struct {
	Class            uuid.UUID `db:"class_id"`
	Code, Name       string
	Base, Cash, Plan string
	StartsOn         when.Date `db:"starts_on"`
}

// Wages lists a job's wage determinations, those of a class by date.
func Wages(ctx context.Context, q Q, job uuid.UUID) ([]Wage, error) {
	var found []Wage
	err := q.SelectContext(ctx, &found, `select w.class_id, c.code, c.name, round(w.base_rate, 2)::text as base,
		round(w.fringe_cash, 2)::text as cash, round(w.fringe_plan, 2)::text as plan, w.starts_on
		from job_wage w join classification c on c.id = w.class_id where w.job_id = $1 order by c.name, w.starts_on`, job)
	return found, err
}

// PutWage sets the determination of a class from a date on.
func PutWage(ctx context.Context, q Q, job uuid.UUID, w Wage) error {
	_, err := q.ExecContext(ctx, `
		insert into job_wage (job_id, class_id, starts_on, base_rate, fringe_cash, fringe_plan)
		values ($1, $2, $3, $4::numeric, $5::numeric, $6::numeric)
		on conflict (job_id, class_id, starts_on) do update set base_rate = excluded.base_rate, fringe_cash = excluded.fringe_cash,
		    fringe_plan = excluded.fringe_plan`, job, w.Class, w.StartsOn.String(), w.Base, w.Cash, w.Plan)
	if err != nil {
		return fmt.Errorf("set a wage determination: %w", err)
	}
	return nil
}

// HasWage says whether a job has a determination of a class that begins
// before a date.
func HasWage(ctx context.Context, q Q, job, class uuid.UUID, before when.Date) (bool, error) {
	var has bool
	err := q.GetContext(ctx, &has, `select exists (select 1 from job_wage where job_id = $1 and class_id = $2 and starts_on < $3)`,
		job, class, before.String())
	return has, err
}

// CopyJob makes a job like another, under a number of its own: settings, open
// tasks, whom it is open to, the tags it needs, its pay codes and its wages.
func CopyJob(ctx context.Context, q Q, from, to uuid.UUID, number, name string) error {
	for _, statement := range []string{
		`insert into job (id, number, name, customer_id, site_id, public_work, kind_id, billable, bill_rate, budget_seconds, open_to_all,
			lat, lon, fence_metres)
			select $2, $3, $4, customer_id, site_id, public_work, kind_id, billable, bill_rate, budget_seconds, open_to_all, lat, lon,
			fence_metres from job where id = $1`,
		`insert into task (id, job_id, name, cost_code, position, estimate_seconds, billable, class_id)
			select gen_random_uuid(), $2, name, cost_code, position, estimate_seconds, billable, class_id from task where job_id = $1
			and state = 'open' and joined_into is null and $3 <> '' and $4 <> ''`,
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

// JobByNumber gives the id of the job of a number.
func JobByNumber(ctx context.Context, q Q, number string) (uuid.UUID, error) {
	var id uuid.UUID
	err := q.GetContext(ctx, &id, `select id from job where number = $1`, number)
	return id, err
}

// Fence is where a job is: its own place, or that of its site.
type Fence struct {
	ID       uuid.UUID
	Number   string
	Name     string
	Lat, Lon float64
	Fence    float64 `db:"fence_metres"`
	Own      bool    // not that of its site
}

// Fences reads where jobs are; those with no place are left out.
func Fences(ctx context.Context, q Q, jobs []uuid.UUID) ([]Fence, error) {
	var found []Fence
	err := q.SelectContext(ctx, &found, `
		select j.id, j.number, j.name, coalesce(j.lat, s.lat) as lat, coalesce(j.lon, s.lon) as lon, case when j.lat is null
		then s.fence_metres else j.fence_metres end as fence_metres, j.lat is not null as own
		from job j left join site s on s.id = j.site_id where j.id = any($1) and coalesce(j.lat, s.lat) is not null
		and coalesce(j.lon, s.lon) is not null order by j.number`, UUIDs(jobs))
	return found, err
}

// HasClass says whether a person holds a classification in any position, or
// has worked in it.
func HasClass(ctx context.Context, q Q, person, class uuid.UUID) (bool, error) {
	var has bool
	err := q.GetContext(ctx, &has, `
		select exists (select 1 from employment_class ec join employment e on e.id = ec.employment_id where e.person_id = $1
		and ec.class_id = $2)
		    or exists (select 1 from stint where person_id = $1 and class_id = $2)`, person, class)
	return has, err
}
