package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/when"
)

// sameShift says of a planned shift p and one that was told, s, that they are the same to whom
// they are told: see [roster.Shift.Same].
const sameShift = `p.id = s.id and p.employment_id = s.employment_id and p.date = s.date and p.start_at = s.start_at and p.end_at = s.end_at
	and p.job_id is not distinct from s.job_id and p.task_id is not distinct from s.task_id and p.less = s.less and p.note = s.note`

// ToldBy says whether somebody was told of their plan by one of some notices.
func ToldBy(ctx context.Context, q Q, notices []uuid.UUID) (told bool, err error) {
	err = q.GetContext(ctx, &told, `select exists (select from shift_told where notice_id = any($1))`, UUIDs(notices))
	return told, err
}

// ToldAs is that somebody was told of a shift of the plan as it stands, and whether they have
// seen the notice by which they were told last.
type ToldAs struct {
	Shift uuid.UUID
	Seen  bool
}

// ToldAsPlanned reads which shifts of the plan of some employments, in a span, they were told
// of as they stand.
func ToldAsPlanned(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) (map[uuid.UUID]ToldAs, error) {
	var rows []ToldAs
	if err := q.SelectContext(ctx, &rows, `
		select p.id as shift, coalesce(l.seen, false) as seen from planned p join shift s on `+sameShift+`
		left join lateral (select n.seen_at is not null as seen from shift_told t left join notice n on n.id = t.notice_id
		                   where t.shift_id = p.id order by t.told_at desc, t.id desc limit 1) l on true
		where p.employment_id = any($1) and p.date between $2 and $3`, UUIDs(employments), days.From.String(),
		days.To.String()); err != nil {
		return nil, fmt.Errorf("read what was told as it is planned: %w", err)
	}
	told := make(map[uuid.UUID]ToldAs, len(rows))
	for _, r := range rows {
		told[r.Shift] = r
	}
	return told, nil
}

// ToldOtherwise reads the shifts that some employments were told of, in a span, and that the
// plan doesn't have as they were told.
func ToldOtherwise(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]PlannedShift, error) {
	return plannedWhere(ctx, q, Told, `s.employment_id = any($1) and s.date between $2 and $3
		and not exists (select from planned p where `+sameShift+`)`, UUIDs(employments), days.From.String(), days.To.String())
}
