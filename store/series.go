package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/roster"
	"manudex/core/when"
)

// Series are shifts of somebody that repeat.
type Series struct {
	ID           uuid.UUID
	Employment   uuid.UUID `db:"employment_id"`
	Rule         string
	From         when.Date  `db:"from_on"`
	Until        *when.Date `db:"until_on"`
	FromSecond   int        `db:"from_second"` // of the local day
	ToSecond     int        `db:"to_second"`   // past 86400 on the next
	Less         int
	Job          *uuid.UUID `db:"job_id"`
	Task         *uuid.UUID `db:"task_id"`
	Note         string
	SkipHolidays bool      `db:"skip_holidays"`
	SkipLeave    bool      `db:"skip_leave"`
	MadeUntil    when.Date `db:"made_until"`
	MadeAt       time.Time `db:"made_at"`
	MadeBy       uuid.UUID `db:"made_by"`
	Batch        uuid.UUID `db:"made_batch"`
	Zone         string    // of whose it is
}

// Repeat is its rule.
func (s Series) Repeat() roster.Repeat {
	r := roster.Repeat{Rule: s.Rule, From: s.From}
	if s.Until != nil {
		r.Until = *s.Until
	}
	return r
}

// On is its shift of a date.
func (s Series) On(d when.Date, loc *time.Location) roster.Shift {
	shift := roster.Shift{ID: uuid.NewSHA1(s.ID, []byte(d.String())), Employment: s.Employment, Date: d, Job: IDOrNil(s.Job),
		Task: IDOrNil(s.Task), Less: s.Less, Note: s.Note, Series: s.ID, SeriesOn: d}
	shift.Start, shift.End = roster.At(d, s.FromSecond, s.ToSecond, loc)
	return shift
}

const seriesColumns = `x.id, x.employment_id, x.rule, x.from_on, x.until_on, x.from_second, x.to_second, x.less, x.job_id, x.task_id,
	x.note,
	x.skip_holidays, x.skip_leave, x.made_until, x.made_at, x.made_by, x.made_batch, s.zone
		from shift_series x join employment e on e.id = x.employment_id join site s on s.id = e.site_id `

// GetSeries reads one.
func GetSeries(ctx context.Context, q Q, id uuid.UUID) (s Series, err error) {
	err = q.GetContext(ctx, &s, `select `+seriesColumns+`where x.id = $1`, id)
	return s, err
}

// SeriesToMake reads those that are not made real up to a date yet, of people who work here.
func SeriesToMake(ctx context.Context, q Q, until when.Date) ([]Series, error) {
	var found []Series
	if err := q.SelectContext(ctx, &found, `select `+seriesColumns+`join person p on p.id = e.person_id
		where x.made_until < $1 and (x.until_on is null or x.until_on > x.made_until)
		and coalesce(least(e.ends_on, p.ended_on), 'infinity') > x.made_until order by x.id`, until.String()); err != nil {
		return nil, fmt.Errorf("read shifts that repeat: %w", err)
	}
	return found, nil
}

// PutSeries keeps series.
func PutSeries(ctx context.Context, q Q, all ...Series) error {
	columns := []string{"id", "employment_id", "rule", "from_on", "until_on", "from_second", "to_second", "less", "job_id",
		"task_id", "note",
		"skip_holidays", "skip_leave", "made_until", "made_at", "made_by", "made_batch"}
	return insertRows(ctx, q, "shift_series", columns, replacing("id", columns), len(all), func(i int) []any {
		s := all[i]
		return []any{s.ID, s.Employment, s.Rule, s.From.String(), nullDate(s.Until), s.FromSecond, s.ToSecond, s.Less, s.Job, s.Task,
			s.Note,
			s.SkipHolidays, s.SkipLeave, s.MadeUntil.String(), s.MadeAt, s.MadeBy, s.Batch}
	})
}

// SeriesMade keeps up to when series are made real.
func SeriesMade(ctx context.Context, q Q, ids []uuid.UUID, until when.Date) error {
	_, err := q.ExecContext(ctx, `update shift_series set made_until = $2 where id = any($1) and made_until < $2`, UUIDs(ids),
		until.String())
	return err
}

// SeriesDate is a date of a series.
type SeriesDate struct {
	Series uuid.UUID `db:"series_id"`
	On     when.Date `db:"on_date"`
}

// SeriesExceptions reads the dates of some series that somebody changed by hand.
func SeriesExceptions(ctx context.Context, q Q, ids []uuid.UUID) (map[SeriesDate]bool, error) {
	var rows []SeriesDate
	if err := q.SelectContext(ctx, &rows, `select series_id, on_date from series_exception where series_id = any($1)`,
		UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read exceptions of series: %w", err)
	}
	found := make(map[SeriesDate]bool, len(rows))
	for _, r := range rows {
		found[r] = true
	}
	return found, nil
}

// PutSeriesExceptions keeps that dates of series were changed by hand, or not any more.
func PutSeriesExceptions(ctx context.Context, q Q, are, not []SeriesDate) error {
	if err := insertRows(ctx, q, "series_exception", []string{"series_id", "on_date"}, "on conflict do nothing", len(are),
		func(i int) []any {
			return []any{are[i].Series, are[i].On.String()}
		}); err != nil || len(not) == 0 {
		return err
	}
	var ids UUIDs
	var on []when.Date
	for _, n := range not {
		ids, on = append(ids, n.Series), append(on, n.On)
	}
	_, err := q.ExecContext(ctx, `delete from series_exception x using unnest($1::uuid[], $2::date[]) n(id, on_date)
		where x.series_id = n.id and x.on_date = n.on_date`, ids, dates(on))
	return err
}

// PlannedOfSeries reads the shifts that a series made, from a date on.
func PlannedOfSeries(ctx context.Context, q Q, series uuid.UUID, from when.Date) ([]PlannedShift, error) {
	var found []PlannedShift
	if err := q.SelectContext(ctx, &found, `select id, employment_id, date, start_at, end_at, job_id, task_id, less, note, changed_at,
		series_id, series_on from planned where series_id = $1 and series_on >= $2 order by series_on`, series, from.String()); err != nil {
		return nil, fmt.Errorf("read the shifts of a series: %w", err)
	}
	return found, nil
}

// EndSeries ends one after a date, for a batch.
func EndSeries(ctx context.Context, q Q, series, batch uuid.UUID, last when.Date) error {
	_, err := q.ExecContext(ctx, `update shift_series set until_before = until_on, until_on = $3, ended_batch = $2 where id = $1`,
		series, batch, last.String())
	return err
}

// UndoSeries makes what a batch ended go on, and ends what it began.
func UndoSeries(ctx context.Context, q Q, batch uuid.UUID) error {
	if _, err := q.ExecContext(ctx, `update shift_series set until_on = until_before, until_before = null, ended_batch = null
		where ended_batch = $1`, batch); err != nil {
		return fmt.Errorf("let series go on: %w", err)
	}
	_, err := q.ExecContext(ctx, `update shift_series set until_on = from_on - 1 where made_batch = $1`, batch)
	return err
}
