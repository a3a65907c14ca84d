package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// JobHours is what was worked on a job or task, in seconds.
type JobHours struct {
	Number, Name string
	Task         string
	Seconds      int64
}

// HoursByJob adds up what an employment worked in a period by job and task, the most
// first; what is running isn't in it.
func HoursByJob(ctx context.Context, q Q, employment uuid.UUID, p when.Period) ([]JobHours, error) {
	var found []JobHours
	if err := q.SelectContext(ctx, &found, `
		select coalesce(j.number, '') as number, coalesce(j.name, '') as name, coalesce(t.name, '') as task, sum(h.seconds) as seconds
		from hours h left join job j on j.id = h.job_id left join task t on t.id = h.task_id
		where h.employment_id = $1 and h.date between $2 and $3 and h.kind = 'work'
		group by 1, 2, 3 order by 4 desc, 1, 3`, employment, p.From.String(), p.To.String()); err != nil {
		return nil, fmt.Errorf("add hours up by job: %w", err)
	}
	return found, nil
}
