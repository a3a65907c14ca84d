package hours_test

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/core/clock"
	"manudex/dbtest"
	"manudex/store"
)

// What is offered to clock to: all of it where that is little; else what is planned,
// what the crew is on, what one worked on lately, and nothing that can't be chosen.
func TestWhatIsOffered(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	dao := w.Person(t, "Dao Pham")
	read := func() *hours.ClockPage {
		t.Helper()
		p, err := hours.ReadClockPage(ctx, w.App, dao)
		apptest.Must(t, err)
		return p
	}
	whys := func(p *hours.ClockPage) (all []string) {
		for _, c := range p.Choices {
			all = append(all, c.Why)
		}
		return all
	}
	p := read()
	if p.All || len(p.Choices) == 0 || p.Choices[0].Why != "planned" {
		t.Errorf("of many jobs are offered %v, all %v", whys(p), p.All)
	}
	// Somebody of the crew begins on what nobody of it was on: it comes before what
	// was worked on lately.
	const others = `select j.id from job j where j.state = 'open' and not j.public_work and j.open_to_all and j.starts_on is null
		and not exists (select 1 from task where job_id = j.id and state = 'open')
		and not exists (select 1 from stint s join employment e on e.id = s.employment_id where s.job_id = j.id and e.unit_id = $1)
		order by number limit 1`
	plain := dbtest.Get[uuid.UUID](t, w, others, dao.Unit)
	mate := dbtest.Get[string](t, w, `select p.given_name || ' ' || p.family_name from employment e join person p on p.id = e.person_id
		join stint s on s.employment_id = e.id where e.unit_id = $1 and e.id <> $2 and s.end_at is null and s.kind = 'work' limit 1`,
		dao.Unit, *dao.Employment)
	apptest.Must(t, w.Do(ctx, w.Person(t, mate), hours.Punch{ID: apptest.NewID(), Act: clock.Switch, On: clock.Assignment{Job: plain}}))
	meant := dbtest.Get[uuid.UUID](t, w, `select t.id from task t join job j on j.id = t.job_id where j.number = '2226' and t.state = 'open'
		order by t.name limit 1`)
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), jobs.SetTask{Job: apptest.JobOf(t, w, "2226"), Task: meant,
		Field: "task_people", Value: dao.Given + " " + dao.Family}))
	rank := map[string]int{"planned": 0, "meant for you": 1, "crew": 2, "recent": 3}
	p = read()
	if !slices.ContainsFunc(p.Choices, func(c store.ClockOption) bool {
		return c.Task != nil && *c.Task == meant && c.Why == "meant for you"
	}) {
		t.Errorf("the task that is meant for them isn't offered so: %v", whys(p))
	}
	found := false
	for i, c := range p.Choices {
		found = found || c.Job == plain && c.Why == "crew"
		if i > 0 && rank[c.Why] < rank[p.Choices[i-1].Why] {
			t.Errorf("they come as %v", whys(p))
		}
	}
	if !found {
		t.Errorf("what the crew is on isn't offered: %v", whys(p))
	}
	// A job that has tasks by now is offered by them, not as a whole.
	_, err := w.DB.Exec(`insert into task (id, job_id, name, position, state)
		values ($1, $3, 'Posts', 1, 'open'), ($2, $3, 'Plates', 2, 'open')`,
		apptest.NewID(), apptest.NewID(), plain)
	apptest.Must(t, err)
	var tasks []string
	for _, c := range read().Choices {
		if c.Job == plain {
			tasks = append(tasks, c.TaskName)
		}
	}
	if fmt.Sprint(tasks) != "[Posts Plates]" {
		t.Errorf("its tasks are offered as %q", tasks)
	}
	// Of few jobs all are offered.
	_, err = w.DB.Exec(`update job set state = 'closed' where id <> $1`, plain)
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), jobs.AddJob{ID: apptest.NewID(), Number: "9001", Title: "Nobody was on it"}))
	p = read()
	open, err := store.SearchOptions(ctx, w.DB, "", *dao.Employment, apptest.Thursday+1, 100)
	apptest.Must(t, err)
	if !p.All || len(p.Choices) != len(open) || len(open) < 3 {
		t.Errorf("of %d all are offered: %v, %d", len(open), p.All, len(p.Choices))
	}
}
