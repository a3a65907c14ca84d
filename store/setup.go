package store

import (
	"context"

	"manudex/core/when"
)

// SetUp counts what a place needs before people can clock in and be paid.
type SetUp struct {
	Sites, Units, People, Jobs, Tasks, Rules, Rates, Patterns, Leads int

	Owners       int
	Unwelcomed   int  // people without a password
	OvertimeCode bool `db:"overtime_code"` // the company names a pay code for it
	Punches      bool // anybody's
	Began        bool // somebody real has punched
}

// CountSetUp counts it.
func CountSetUp(ctx context.Context, q Q, today when.Date) (SetUp, error) {
	var s SetUp
	err := q.GetContext(ctx, &s, `
		with real as (select e.* from employment e join person p on p.id = e.person_id where not p.sample
		and coalesce(e.ends_on, 'infinity') >= $1)
		select (select count(*) from site) as sites, (select count(*) from unit where not sample) as units,
		(select count(distinct person_id) from real) as people,
		       (select count(*) from job where state = 'open' and not sample) as jobs,
		       (select count(*) from task t join job j on j.id = t.job_id where t.state = 'open' and not j.sample) as tasks,
		       (select count(*) from rule_set) as rules,
		       (select count(*) from real e where `+termOn(TermHourly, "e.id", "$1")+
		` and not exists (select 1 from rate where employment_id = e.id)) as rates,
		       (select count(*) from real e where not exists (select 1 from pattern where employment_id = e.id)) as patterns,
		       (select count(*) from unit u where not u.sample and not exists (select 1 from unit_lead where unit_id = u.id)) as leads,
		       (select count(*) from person where level = 'owner' and ended_on is null) as owners,
		       (select count(*) from person p where p.password_hash is null
		        and exists (select 1 from real r where r.person_id = p.id)) as unwelcomed,
		       exists (select 1 from pay_code where pays = 'overtime' and coalesce(class_id, job_id, kind_id, person_id) is null
		               and code <> '') as overtime_code,
		       exists (select 1 from punch u where exists (select 1 from employment e join person p on p.id = e.person_id
		       where e.id = u.employment_id and not p.sample)) as began,
		       exists (select 1 from punch) as punches`, today.String())
	return s, err
}
