package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/roster"
	"manudex/core/when"
)

// ToldChange is what somebody was told of their plan: Was and Is are nil for what was new, and
// for what was taken out.
type ToldChange struct {
	Shift      uuid.UUID
	Employment uuid.UUID
	Date       when.Date
	Told       time.Time
	Was, Is    *roster.Shift
	Asked      bool // by themselves: they told themselves, or agreed to what isn't the company's wish
	Sick       bool // they said that they were sick that day
}

// ToldChanges reads what was told of days in the weeks of a run, by person, shift and time.
func ToldChanges(ctx context.Context, q Q, s PayScope) ([]ToldChange, error) {
	ids, weeks, lasts := s.earlier()
	var rows []struct {
		Shift      uuid.UUID `db:"shift_id"`
		Employment uuid.UUID `db:"employment_id"`
		Date       when.Date
		Told       time.Time `db:"told_at"`
		Was        *string
		Is         *string `db:"is_now"`
		Asked      bool
		Sick       bool
	}
	if err := q.SelectContext(ctx, &rows, `
		with told as (
			select t.* from shift_told t where t.date between $1::date - 1 and $2
			union
			select t.* from unnest($3::uuid[], $4::date[], $5::date[]) w(employment_id, week, last)
			join shift_told t on t.employment_id = w.employment_id and t.date between w.week - 1 and w.last)
		select t.shift_id, t.employment_id, t.date, t.told_at, t.was::text as was, t.is_now::text as is_now,
		       t.by_person = e.person_id or t.asked_by is not null and a.told_id is not null as asked,
		       exists (select from opening o where o.of_shift = t.shift_id and o.sick) as sick
		from told t join employment e on e.id = t.employment_id left join shift_agreed a on a.told_id = t.id
		order by t.employment_id, t.shift_id, t.told_at, t.id`, s.From.String(), s.To.String(), ids, weeks, lasts); err != nil {
		return nil, fmt.Errorf("read what people were told of their plan: %w", err)
	}
	found := make([]ToldChange, len(rows))
	for i, r := range rows {
		c := ToldChange{Shift: r.Shift, Employment: r.Employment, Date: r.Date, Told: r.Told, Asked: r.Asked, Sick: r.Sick}
		var err error
		if c.Was, err = shiftOf(r.Shift, r.Was); err != nil {
			return nil, err
		}
		if c.Is, err = shiftOf(r.Shift, r.Is); err != nil {
			return nil, err
		}
		found[i] = c
	}
	return found, nil
}

// ToldWithout reads the shifts of the cards of a run that people have without anybody's having
// told them, as those that were brought in; but for those of which they said that they were sick.
func ToldWithout(ctx context.Context, q Q, s PayScope) ([]PlannedShift, error) {
	var found []PlannedShift
	if err := q.SelectContext(ctx, &found, scoped+`
		select s.id, s.employment_id, s.date, s.start_at, s.end_at, s.less from scoped c
		join shift s on s.employment_id = c.employment_id and s.date = c.date
		where not exists (select from shift_told t where t.shift_id = s.id)
		  and not exists (select from opening o where o.of_shift = s.id and o.sick)
		order by s.employment_id, s.start_at`, s.args()...); err != nil {
		return nil, fmt.Errorf("read planned shifts: %w", err)
	}
	return found, nil
}
