package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// ComingOvertime is somebody whose week goes beyond a threshold, with the days
// that make it, in order.
type ComingOvertime struct {
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Name       string
	UnitName   string `db:"unit_name"`
	Zone       string
	Days       []ComingDay
}

// ComingDay is a day of it: what was worked, or what is still expected.
type ComingDay struct {
	Date      when.Date  `json:"date"`
	Worked    int64      `json:"worked"`
	Due       int64      `json:"due"`
	ShiftFrom *time.Time `json:"shift_from"`
	OpenSince *time.Time `json:"open_since"`
}

// OvertimeAhead lists those who work, or are expected to work, more than some
// seconds in a week. Of today the more of both counts. A nil units means all.
func OvertimeAhead(ctx context.Context, q Q, week when.Period, today when.Date, after int64, units []uuid.UUID) ([]ComingOvertime, error) {
	w := among(week.From.String(), week.To.String(), today.String(), after)
	w.plain(`c.date between $1 and $2`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var rows []struct {
		ComingOvertime
		Data []byte `db:"data"`
	}
	err := q.SelectContext(ctx, &rows, `
		select c.employment_id, e.person_id, p.given_name || ' ' || p.family_name as name, u.name as unit_name, s.zone,
		       json_agg(json_build_object('date', c.date, 'worked', c.worked, 'due', greatest(c.expected - c.leave, 0),
		                'shift_from', c.shift_from, 'open_since', c.open_since) order by c.date) as data
		from card c join employment e on e.id = c.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id `+w.sql()+`
		group by c.employment_id, e.person_id, p.given_name, p.family_name, u.name, s.zone
		having sum(case when c.date < $3 then c.worked when c.date = $3 then greatest(c.worked, c.expected - c.leave)
		                else greatest(c.expected - c.leave, 0) end) > $4
		order by p.family_name, p.given_name`, w.args...)
	if err != nil {
		return nil, fmt.Errorf("read who comes to overtime: %w", err)
	}
	found := make([]ComingOvertime, len(rows))
	for i, r := range rows {
		found[i] = r.ComingOvertime
		if err := json.Unmarshal(r.Data, &found[i].Days); err != nil {
			return nil, fmt.Errorf("read the week of %s: %w", r.Name, err)
		}
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
