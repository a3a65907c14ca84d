package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// PlanFeed is the address by which a calendar reads somebody's shifts.
type PlanFeed struct {
	Person uuid.UUID  `db:"person_id"`
	MadeAt time.Time  `db:"made_at"`
	ReadAt *time.Time `db:"read_at"`
}

// GetPlanFeed reads that of somebody, nil where they have none.
func GetPlanFeed(ctx context.Context, q Q, person uuid.UUID) (*PlanFeed, error) {
	var f PlanFeed
	err := q.GetContext(ctx, &f, `select person_id, made_at, read_at from plan_feed where person_id = $1`, person)
	if NotFound(err) {
		return nil, nil
	}
	return &f, err
}

// PutPlanFeed gives somebody a new address; the one before ends.
func PutPlanFeed(ctx context.Context, q Q, person uuid.UUID, token []byte, now time.Time) error {
	_, err := q.ExecContext(ctx, `insert into plan_feed (person_id, token_hash, made_at) values ($1, $2, $3)
		on conflict (person_id) do update set token_hash = excluded.token_hash, made_at = excluded.made_at,
			read_at = null`, person, token, now)
	return err
}

// DropPlanFeed takes it back.
func DropPlanFeed(ctx context.Context, q Q, person uuid.UUID) error {
	_, err := q.ExecContext(ctx, `delete from plan_feed where person_id = $1`, person)
	return err
}

// ReadPlanFeed finds whose an address is, of those who still work here, and notes that it was
// read.
func ReadPlanFeed(ctx context.Context, q Q, token []byte, today when.Date, now time.Time) (person uuid.UUID, err error) {
	err = q.GetContext(ctx, &person, `update plan_feed f set read_at = $3 from person p
		where f.token_hash = $1 and p.id = f.person_id and coalesce(p.ended_on, 'infinity') >= $2 returning f.person_id`,
		token, today.String(), now)
	return person, err
}

// FeedShift is a shift as a calendar has it: as it was told, or called off.
type FeedShift struct {
	ID        uuid.UUID
	Start     time.Time `db:"start_at"`
	End       time.Time `db:"end_at"`
	JobNumber string    `db:"job_number"`
	JobName   string    `db:"job_name"`
	Note      string
	Told      int        // how often it was told
	Changed   *time.Time // last told
	Off       bool
}

// FeedShifts reads what somebody was told of in a span, in all their positions, and what was
// taken out since an instant.
func FeedShifts(ctx context.Context, q Q, person uuid.UUID, days when.Period, since time.Time) ([]FeedShift, error) {
	var found []FeedShift
	if err := q.SelectContext(ctx, &found, `
		with told as (
			select t.shift_id, count(*) as n, max(t.told_at) as at from shift_told t join employment e on e.id = t.employment_id
			where e.person_id = $1 group by t.shift_id)
		select s.id, s.start_at, s.end_at, coalesce(j.number, '') as job_number, coalesce(j.name, '') as job_name, s.note,
		       coalesce(told.n, 0) as told, told.at as changed, false as off
		from shift s join employment e on e.id = s.employment_id left join job j on j.id = s.job_id left join told on told.shift_id = s.id
		where e.person_id = $1 and s.date between $2 and $3
		union all
		select l.shift_id, (l.was ->> 'start')::timestamptz, (l.was ->> 'end')::timestamptz, coalesce(j.number, ''), coalesce(j.name,
			''), '',
		       told.n, told.at, true
		from told join lateral (select shift_id, was, is_now, told_at from shift_told t where t.shift_id = told.shift_id
		                        order by told_at desc, id desc limit 1) l on l.is_now is null and l.told_at >= $4
		left join job j on j.id = (l.was ->> 'job')::uuid
		order by 2`, person, days.From.String(), days.To.String(), since); err != nil {
		return nil, fmt.Errorf("read the shifts of a calendar: %w", err)
	}
	return found, nil
}
