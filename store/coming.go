package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// ComingOvertime is somebody whose week goes beyond a threshold: the day on which
// it does, and what came before.
type ComingOvertime struct {
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Name       string
	Unit       uuid.UUID `db:"unit_id"`
	UnitName   string    `db:"unit_name"`
	Zone       string
	Date       when.Date
	ShiftFrom  *time.Time `db:"shift_from"`
	Worked     int64      // that day, so far
	Before     int64      // of the week's days before
	Total      int64      // of the week, as planned
}

// OvertimeAhead lists those who first work, or are expected to work, more than
// some seconds in a week, in the order in which they come to it; of today the more
// of what was worked and is expected counts. Where no shift says when a day
// begins, it does at seven. A nil units means all.
func OvertimeAhead(ctx context.Context, q Q, week when.Period, today when.Date, after int64, units []uuid.UUID, most int) (
	[]ComingOvertime, error) {
	w := among(week.From.String(), week.To.String(), today.String(), after, most)
	w.plain(`d.before <= $4 and d.before + d.seconds > $4`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []ComingOvertime
	if err := q.SelectContext(ctx, &found, `
		with each as (
			select employment_id, date, shift_from, worked,
			       case when date < $3 then worked when date = $3 then greatest(worked, expected - leave)
			            else greatest(expected - leave, 0) end as seconds
			from card where date between $1 and $2),
		days as (
			select each.*, sum(seconds) over (partition by employment_id order by date) - seconds as before,
			       sum(seconds) over (partition by employment_id) as total from each)
		select d.employment_id, e.person_id, p.given_name || ' ' || p.family_name as name, e.unit_id, u.name as unit_name, s.zone,
		       d.date, d.shift_from, d.worked, d.before, d.total
		from days d join employment e on e.id = d.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id `+w.sql()+`
		order by coalesce(d.shift_from, (d.date + time '07:00') at time zone s.zone) + make_interval(secs => $4 - d.before),
		         p.family_name, p.given_name limit $5`, w.args...); err != nil {
		return nil, fmt.Errorf("read who comes to overtime: %w", err)
	}
	return found, nil
}

// RunningOut is a job whose hours come to their end.
type RunningOut struct {
	ID           uuid.UUID
	Number, Name string
	Budget       int64 `db:"budget_seconds"`
	Used         int64
	Lately       int64 // used in the last fortnight
}

// JobsRunningOut lists the open jobs that have a budget of hours and used part of
// it lately, those with the least left first, as [KeepJobHours] last added them up.
func JobsRunningOut(ctx context.Context, q Q) ([]RunningOut, error) {
	var found []RunningOut
	if err := q.SelectContext(ctx, &found, `
		select id, number, name, budget_seconds, used_seconds as used, used_lately as lately from job
		where state = 'open' and budget_seconds > 0 and used_lately > 0
		order by budget_seconds - used_seconds`); err != nil {
		return nil, fmt.Errorf("read which jobs run out of hours: %w", err)
	}
	return found, nil
}
