package roster

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Want says how many people a job wants on the days of a span that are such weekdays, from one
// local time to another, which is on the next day where it isn't later. Nobody takes what was
// said before back.
type Want struct {
	Job      uuid.UUID
	Days     when.Period
	Weekdays []time.Weekday
	People   int
	From, To time.Duration
}

// Permission is what the act takes.
func (Want) Permission() string { return "jobs.change" }

// mostWanted is how many people a job can want on a day.
const mostWanted = 1000

func (w Want) Do(ctx context.Context, t *app.Turn) error {
	var on []when.Date
	for d := w.Days.From; d <= w.Days.To && len(on) <= ahead; d++ {
		if slices.Contains(w.Weekdays, d.Weekday()) {
			on = append(on, d)
		}
	}
	switch {
	case w.People < 0 || w.People > mostWanted:
		return refusal.New("people", "That is no number of people", "Write 0 to 1000")
	case len(on) == 0:
		return refusal.New("days", "None of these days is such a weekday", "Choose other days, or tick their weekdays")
	case len(on) > ahead:
		return refusal.New("days", "That is more than a year", "Choose an earlier last day")
	}
	job, err := store.GetJob(ctx, t, w.Job)
	if err != nil {
		return err
	}
	from, to := int(w.From/time.Second), int(w.To/time.Second)
	if to <= from {
		to += day
	}
	if err := store.WantOnJob(ctx, t, w.Job, on, w.People, from, to, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, w.Job, map[string]any{"job": job.Number, "wants": w.People, "days": len(on)})
	return nil
}

// Sum is a sum in a currency, a decimal.
type Sum struct{ Amount, Currency string }

// JobPlan is what is planned on a job in the span that is shown, by whoever it is.
type JobPlan struct {
	store.JobHas
	Days    map[when.Date]store.JobDay
	Seconds int64  // planned
	Cost    string // of what is planned from today on, "" for whom rates aren't to be seen
	Others  []Sum  // too, of those who are paid in other currencies than the company's
}

// Lack is how many more people a job wants on a day than are planned.
func (j JobPlan) Lack(d when.Date) int { return max(0, j.Days[d].Wanted-j.Days[d].People) }

// readJobs reads what is planned on the jobs of those who are shown, on those that want
// somebody, and on one that is asked for.
func (r *Roster) readJobs(ctx context.Context, q store.Q, asked uuid.UUID) error {
	days, err := store.JobDays(ctx, q, r.Days)
	if err != nil {
		return err
	}
	shown := map[uuid.UUID]bool{asked: asked != uuid.Nil}
	for _, p := range r.People {
		for _, c := range p.Shifts {
			shown[store.IDOrNil(c.Job)] = true
		}
	}
	delete(shown, uuid.Nil)
	all := map[uuid.UUID]*JobPlan{}
	for _, d := range days {
		if !shown[d.Job] && d.Wanted == 0 {
			continue
		}
		if all[d.Job] == nil {
			all[d.Job] = &JobPlan{Days: map[when.Date]store.JobDay{}}
		}
		all[d.Job].Days[d.Date], all[d.Job].Seconds = d, all[d.Job].Seconds+d.Seconds
	}
	if shown[asked] && all[asked] == nil {
		all[asked] = &JobPlan{Days: map[when.Date]store.JobDay{}}
	}
	ids := make([]uuid.UUID, 0, len(all))
	for id := range all {
		ids = append(ids, id)
	}
	found, err := store.JobsHave(ctx, q, ids)
	if err != nil {
		return err
	}
	for _, j := range found {
		plan := all[j.ID]
		plan.JobHas = j
		r.Jobs = append(r.Jobs, *plan)
	}
	return nil
}
