package store

import (
	"context"

	"github.com/google/uuid"

	"manudex/core/geo"
	"manudex/core/when"
)

// ClockOption is a job and task that somebody can clock to.
type ClockOption struct {
	Job        uuid.UUID  `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Number     string
	Name       string
	TaskName   string     `db:"task_name"`
	SiteName   string     `db:"site_name"`
	PublicWork bool       `db:"public_work"`
	Class      *uuid.UUID `db:"class_id"` // that the task names for public work
	Travel     bool
	Billable   bool
	AskBilling bool   `db:"ask_billing"` // whoever clocks to it says whether it is billed
	Why        string // "planned", "meant for you", "crew", "recent" or ""
}

const choiceColumns = `j.id as job_id, t.id as task_id, j.number, j.name, coalesce(t.name, '') as task_name,
	coalesce(s.name, '') as site_name, j.public_work, t.class_id,
	j.travel, j.billing_asked as ask_billing, j.billable and coalesce(t.billable, true) as billable`

// OwnOptions lists what a person is planned on today, the tasks that are meant for them, what
// the crew is on today, and what the person worked on lately: open jobs and tasks, in that order, the newest
// first. Where one is planned or remembered as a whole that has tasks, these are
// listed.
func OwnOptions(ctx context.Context, q Q, employment uuid.UUID, today when.Date, limit int) ([]ClockOption, error) {
	var found []ClockOption
	err := q.SelectContext(ctx, &found, `
		with own as (
			select job_id, task_id, 'planned' as why, start_at as at from shift
			where employment_id = $1 and date = $2 and job_id is not null
			union all
			select t.job_id, t.id, 'meant for you', null from task_person m join task t on t.id = m.task_id where m.employment_id = $1
			union all
			select job_id, task_id, 'recent', max(start_at) from stint
			where employment_id = $1 and start_at > $2::date - 30 and kind = 'work' and job_id is not null
			group by job_id, task_id
			union all
			select st.job_id, st.task_id, 'crew', max(st.start_at)
			from stint st join employment o on o.id = st.employment_id
			where o.unit_id = (select unit_id from employment where id = $1) and o.id <> $1 and st.date = $2 and st.kind = 'work'
			and st.job_id is not null group by st.job_id, st.task_id
		), ranked as (
			select o.job_id, t.id as task_id, o.why, o.at, array_position(array['planned', 'meant for you', 'crew', 'recent'],
				o.why) as rank
			from own o left join task t on t.job_id = o.job_id and t.state = 'open' and t.joined_into is null
			     and (o.task_id is null or t.id = o.task_id)
			where t.id is not null or o.task_id is null
		), best as (
			select distinct on (job_id, task_id) * from ranked order by job_id, task_id, rank, at desc
		)
		select `+choiceColumns+`, b.why
		from best b join job j on j.id = b.job_id and j.state = 'open' join employment e on e.id = $1
		left join task t on t.id = b.task_id left join site s on s.id = j.site_id
		where `+openTo("$2")+`
		order by b.rank, b.at desc, j.number, t.position limit $3`, employment, today.String(), limit)
	return found, err
}

// SearchOptions finds the open jobs and tasks that an employment may clock to
// on a date by any part of their names; every word must occur.
func SearchOptions(ctx context.Context, q Q, text string, employment uuid.UUID, on when.Date, limit int) ([]ClockOption, error) {
	var found []ClockOption
	err := q.SelectContext(ctx, &found, `
		select `+choiceColumns+`, '' as why
		from job j join employment e on e.id = $3 left join task t on t.job_id = j.id and t.state = 'open' and t.joined_into is null
		left join site s on s.id = j.site_id
		where j.state = 'open' and `+openTo("$4")+`
		  and finds(j.number || ' ' || j.name || ' ' || coalesce(t.name, '') || ' ' || coalesce(s.name, ''), $1)
		order by j.number, t.position limit $2`, text, limit, employment, on.String())
	return found, err
}

// OneOption reads an open job and task that an employment may clock to on a date; the
// zero task means the job alone.
func OneOption(ctx context.Context, q Q, job, task, employment uuid.UUID, on when.Date) (ClockOption, error) {
	var found ClockOption
	err := q.GetContext(ctx, &found, `
		select `+choiceColumns+`, '' as why
		from job j join employment e on e.id = $3 left join task t on t.job_id = j.id and t.id = $2
		left join site s on s.id = j.site_id
		where j.id = $1 and j.state = 'open' and ($2 = '00000000-0000-0000-0000-000000000000' or t.state = 'open' and t.joined_into is null)
		and `+openTo("$4"), job, task, employment, on.String())
	return found, err
}

// TravelOptions lists what travel between sites is clocked on, that an employment may
// clock to on a date: that of its own site first.
func TravelOptions(ctx context.Context, q Q, employment uuid.UUID, on when.Date) ([]ClockOption, error) {
	var found []ClockOption
	err := q.SelectContext(ctx, &found, `
		select `+choiceColumns+`, '' as why
		from job j join employment e on e.id = $1 left join task t on t.job_id = j.id and t.state = 'open' and t.joined_into is null
		left join site s on s.id = j.site_id
		where j.travel and not j.public_work and j.state = 'open' and `+openTo("$2")+`
		order by j.site_id is distinct from e.site_id, j.number, t.position`, employment, on.String())
	return found, err
}

// Clockable is what a punch needs to know of the job and task it names.
type Clockable struct {
	Employment   uuid.UUID // that asks
	Number, Name string
	State        string
	TaskState    *string `db:"task_state"`
	HasTasks     bool    `db:"has_tasks"`
	PublicWork   bool    `db:"public_work"`
	AskBilling   bool    `db:"ask_billing"`
	HasClass     bool    `db:"has_class"`
	Open         bool    // to the employment that asks, on the date
	Into         *string // name of the task that the task is worked as
	Lat, Lon     *float64
	Fence        *float64
}

// SiteFence is the fence of the job's own place, or else of its site; a zero
// fence when it has none.
func (j Clockable) SiteFence() geo.Fence {
	if j.Fence == nil {
		return geo.Fence{}
	}
	return fence(j.Lat, j.Lon, *j.Fence)
}

// GetClockable reads a job, with its task, whether its wage determination knows
// the class, and whether it is open to an employment on a date.
func GetClockable(ctx context.Context, q Q, job, task, class, employment uuid.UUID, on when.Date) (Clockable, error) {
	var j Clockable
	err := q.GetContext(ctx, &j, clockable, job, task, class, employment, on.String())
	return j, err
}

// AskClockable is [GetClockable], to be sent with other statements; nothing is put
// where there is no such job.
func AskClockable(job, task, class, employment uuid.UUID, on when.Date, into **Clockable) Ask {
	return Ask{clockable, []any{job, task, class, employment, on.String()}, one(func(j Clockable) { *into = &j })}
}

var clockable = clockables + `j.id = $1 and e.id = $4`

var clockables = `
		select e.id as employment, j.number, j.name, j.state, j.public_work, j.billing_asked as ask_billing, t.state as task_state,
		coalesce(j.lat, s.lat) as lat,
		coalesce(j.lon, s.lon) as lon, case when j.lat is null then s.fence_metres else j.fence_metres end as fence,
		       exists (select 1 from task where job_id = j.id and state = 'open' and joined_into is null) as has_tasks, i.name as into,
		       (` + openTo("$5") + `) as open,
		       exists (select 1 from job_wage where job_id = j.id and class_id = $3 and starts_on <= $5) as has_class
		from job j cross join employment e left join task t on t.id = $2 and t.job_id = j.id
		left join task i on i.id = t.joined_into left join site s on s.id = j.site_id
		where `
