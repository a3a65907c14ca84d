package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/roster"
	"manudex/core/when"
)

// PlannedShift is a shift of the plan, with the names of what it is on.
type PlannedShift struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Start      time.Time  `db:"start_at"`
	End        time.Time  `db:"end_at"`
	Job        *uuid.UUID `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Less       int        // seconds of unpaid breaks
	Note       string
	JobNumber  string     `db:"job_number"`
	JobName    string     `db:"job_name"`
	TaskName   string     `db:"task_name"`
	JobMark    string     `db:"job_mark"`
	Series     *uuid.UUID `db:"series_id"`
	SeriesOn   *when.Date `db:"series_on"`
	Changed    time.Time  `db:"changed_at"`
}

// Rule is the shift as the rules know it.
func (s PlannedShift) Rule() roster.Shift {
	rule := roster.Shift{ID: s.ID, Employment: s.Employment, Date: s.Date, Start: s.Start, End: s.End, Job: IDOrNil(s.Job),
		Task: IDOrNil(s.Task), Less: s.Less, Note: s.Note, Series: IDOrNil(s.Series)}
	if s.SeriesOn != nil {
		rule.SeriesOn = *s.SeriesOn
	}
	return rule
}

// planTables are the plan, and what people were told of it.
const (
	Draft = "planned"
	Told  = "shift"
)

// PlannedIn reads the shifts of some employments in a span: of the plan, or of what they
// were told, as table says.
func PlannedIn(ctx context.Context, q Q, table string, employments []uuid.UUID, days when.Period) ([]PlannedShift, error) {
	return plannedWhere(ctx, q, table, `s.employment_id = any($1) and s.date between $2 and $3`, UUIDs(employments), days.From.String(),
		days.To.String())
}

// plannedWhere reads shifts of either table, by person and time. A roster reads thousands, so
// they are scanned by hand, and names that come again are taken from a map.
func plannedWhere(ctx context.Context, q Q, table, where string, args ...any) ([]PlannedShift, error) {
	changed := `s.start_at as changed_at, null::uuid as series_id, null::date as series_on`
	if table == Draft {
		changed = `s.changed_at, s.series_id, s.series_on`
	}
	rows, err := q.QueryContext(ctx, `
		select s.id, s.employment_id, s.date, s.start_at, s.end_at, s.job_id, s.task_id, s.less, s.note,
		       coalesce(j.number, '') as job_number, coalesce(j.name, '') as job_name, coalesce(t.name, '') as task_name,
		       coalesce(j.mark, '') as job_mark, `+changed+`
		from `+table+` s left join job j on j.id = s.job_id left join task t on t.id = s.task_id
		where `+where+` order by s.employment_id, s.start_at, s.id`, args...)
	if err != nil {
		return nil, fmt.Errorf("read what is planned: %w", err)
	}
	defer rows.Close()
	seen := texts{}
	var found []PlannedShift
	for rows.Next() {
		var s PlannedShift
		var note, number, name, task, mark sql.RawBytes
		if err := rows.Scan(&s.ID, &s.Employment, &s.Date, &s.Start, &s.End, &s.Job, &s.Task, &s.Less, &note, &number, &name, &task, &mark,
			&s.Changed, &s.Series, &s.SeriesOn); err != nil {
			return nil, fmt.Errorf("read what is planned: %w", err)
		}
		s.Note, s.JobNumber, s.JobName = seen.of(note), seen.of(number), seen.of(name)
		s.TaskName, s.JobMark = seen.of(task), seen.of(mark)
		found = append(found, s)
	}
	return found, rows.Err()
}

// texts are those that were read before.
type texts map[string]string

// of is what was read, as it was kept before where it was.
func (t texts) of(b sql.RawBytes) string {
	if text, is := t[string(b)]; is {
		return text
	}
	text := string(b)
	t[text] = text
	return text
}

// PlannedNamed reads some shifts of the plan, or as they were told, with names.
func PlannedNamed(ctx context.Context, q Q, table string, ids []uuid.UUID) ([]PlannedShift, error) {
	return plannedWhere(ctx, q, table, `s.id = any($1)`, UUIDs(ids))
}

// GetPlanned reads one shift of the plan.
func GetPlanned(ctx context.Context, q Q, id uuid.UUID) (s PlannedShift, err error) {
	found, err := PlannedNamed(ctx, q, Draft, []uuid.UUID{id})
	if err == nil && len(found) == 0 {
		err = sql.ErrNoRows
	}
	if err != nil {
		return s, err
	}
	return found[0], nil
}

// shiftJSON is a shift as changes keep it.
type shiftJSON struct {
	Employment uuid.UUID `json:"employment"`
	Date       when.Date `json:"date"`
	Start      time.Time `json:"start"`
	End        time.Time `json:"end"`
	Job        uuid.UUID `json:"job,omitzero"`
	Task       uuid.UUID `json:"task,omitzero"`
	Less       int       `json:"less,omitzero"`
	Note       string    `json:"note,omitempty"`
	Series     uuid.UUID `json:"series,omitzero"`
	SeriesOn   when.Date `json:"series_on,omitzero"`
}

// jsonOf keeps a shift; nil where there is none.
func jsonOf(s *roster.Shift) any {
	if s == nil {
		return nil
	}
	return shiftJSON{s.Employment, s.Date, s.Start.UTC(), s.End.UTC(), s.Job, s.Task, s.Less, s.Note, s.Series, s.SeriesOn}
}

// shiftOf reads it again.
func shiftOf(id uuid.UUID, text *string) (*roster.Shift, error) {
	if text == nil {
		return nil, nil
	}
	var s shiftJSON
	if err := json.Unmarshal([]byte(*text), &s); err != nil {
		return nil, fmt.Errorf("read a change of the plan: %w", err)
	}
	return &roster.Shift{ID: id, Employment: s.Employment, Date: s.Date, Start: s.Start, End: s.End, Job: s.Job, Task: s.Task,
		Less: s.Less, Note: s.Note, Series: s.Series, SeriesOn: s.SeriesOn}, nil
}

// ChangePlan writes what a batch changes: shifts that are new or other, those that are gone,
// and that it did so.
func ChangePlan(ctx context.Context, q Q, batch, by uuid.UUID, now time.Time, changes []roster.Change) error {
	var gone UUIDs
	var are []roster.Shift
	log := make([][]any, len(changes))
	for i, c := range changes {
		if c.Is == nil {
			gone = append(gone, c.Was.ID)
		} else {
			are = append(are, *c.Is)
		}
		log[i] = []any{uuid.Must(uuid.NewV7()), batch, c.ID(), c.Of(), jsonOf(c.Was), jsonOf(c.Is), now, by}
	}
	if len(gone) > 0 {
		if _, err := q.ExecContext(ctx, `delete from planned where id = any($1)`, gone); err != nil {
			return fmt.Errorf("take shifts out of the plan: %w", err)
		}
	}
	columns := []string{"id", "employment_id", "date", "start_at", "end_at", "job_id", "task_id", "less", "note", "changed_at", "series_id",
		"series_on"}
	if err := insertRows(ctx, q, "planned", columns, replacing("id", columns), len(are), func(i int) []any {
		var on any
		if are[i].Series != uuid.Nil {
			on = are[i].SeriesOn.String()
		}
		return append(shiftRow(are[i]), now, nullID(are[i].Series), on)
	}); err != nil {
		return err
	}
	return insertRows(ctx, q, "planned_change", []string{"id", "batch_id", "planned_id", "employment_id", "was", "is_now", "made_at",
		"by_person"}, "", len(log), func(i int) []any { return log[i] })
}

func shiftRow(s roster.Shift) []any {
	return []any{s.ID, s.Employment, s.Date.String(), s.Start, s.End, nullID(s.Job), nullID(s.Task), s.Less, s.Note}
}

// PlanBatch reads what a batch changed, in the order in which it did, and whose it was;
// nothing where there is no such batch.
func PlanBatch(ctx context.Context, q Q, batch uuid.UUID) (changes []roster.Change, by uuid.UUID, err error) {
	var rows []struct {
		Planned uuid.UUID `db:"planned_id"`
		Was     *string
		Is      *string   `db:"is_now"`
		By      uuid.UUID `db:"by_person"`
	}
	if err := q.SelectContext(ctx, &rows, `select planned_id, was::text as was, is_now::text as is_now, by_person from planned_change
		where batch_id = $1 order by seq`, batch); err != nil {
		return nil, by, fmt.Errorf("read changes of the plan: %w", err)
	}
	for _, r := range rows {
		var c roster.Change
		if c.Was, err = shiftOf(r.Planned, r.Was); err != nil {
			return nil, by, err
		}
		if c.Is, err = shiftOf(r.Planned, r.Is); err != nil {
			return nil, by, err
		}
		changes, by = append(changes, c), r.By
	}
	return changes, by, nil
}

// PlannedByID reads some shifts of the plan, as the rules know them.
func PlannedByID(ctx context.Context, q Q, ids []uuid.UUID) (map[uuid.UUID]roster.Shift, error) {
	var rows []PlannedShift
	if err := q.SelectContext(ctx, &rows,
		`select id, employment_id, date, start_at, end_at, job_id, task_id, less, note, changed_at, series_id,
		series_on from planned where id = any($1)`, UUIDs(ids)); err != nil {
		return nil, fmt.Errorf("read shifts of the plan: %w", err)
	}
	found := make(map[uuid.UUID]roster.Shift, len(rows))
	for _, r := range rows {
		found[r.ID] = r.Rule()
	}
	return found, nil
}

// Telling is that somebody is told of a change, by which notice.
type Telling struct {
	roster.Change
	Notice uuid.UUID
	Asked  uuid.UUID // who asked for it, zero for whoever tells
	Agreed uuid.UUID // who agreed to it by then
}

// TellShifts makes what people are told of what the changes say, and keeps that they were
// told, when, and how long before.
func TellShifts(ctx context.Context, q Q, by uuid.UUID, now time.Time, tellings []Telling) error {
	var gone UUIDs
	var are []roster.Shift
	rows, agreed := make([][]any, len(tellings)), [][]any(nil)
	for i, c := range tellings {
		if c.Is != nil {
			are = append(are, *c.Is)
		} else {
			gone = append(gone, c.Was.ID)
		}
		id := uuid.Must(uuid.NewV7())
		if c.Agreed != uuid.Nil {
			agreed = append(agreed, []any{id, c.Of(), c.Agreed, now})
		}
		rows[i] = []any{id, c.ID(), c.Of(), c.Date().String(), jsonOf(c.Was), jsonOf(c.Is), now, by, c.Notice,
			int64(c.Begins().Sub(now) / time.Second), nullID(c.Asked)}
	}
	if len(gone) > 0 {
		if _, err := q.ExecContext(ctx, `delete from shift where id = any($1)`, gone); err != nil {
			return fmt.Errorf("take shifts out: %w", err)
		}
	}
	columns := []string{"id", "employment_id", "date", "start_at", "end_at", "job_id", "task_id", "less", "note"}
	if err := insertRows(ctx, q, "shift", columns, replacing("id", columns), len(are),
		func(i int) []any { return shiftRow(are[i]) }); err !=
		nil {
		return err
	}
	if err := insertRows(ctx, q, "shift_told", []string{"id", "shift_id", "employment_id", "date", "was", "is_now", "told_at", "by_person",
		"notice_id", "ahead_seconds", "asked_by"}, "", len(rows), func(i int) []any { return rows[i] }); err != nil {
		return err
	}
	return insertRows(ctx, q, "shift_agreed", []string{"told_id", "employment_id", "by_person", "agreed_at"}, "", len(agreed),
		func(i int) []any { return agreed[i] })
}

// PlanAsTold makes shifts that somebody was told of, and that no plan holds, part of the plan.
func PlanAsTold(ctx context.Context, q Q, now time.Time) error {
	_, err := q.ExecContext(ctx, `insert into planned (id, employment_id, date, start_at, end_at, job_id, task_id, less, note, changed_at)
		select id, employment_id, date, start_at, end_at, job_id, task_id, less, note, $1 from shift on conflict (id) do nothing`, now)
	if err != nil {
		err = fmt.Errorf("plan what was told: %w", err)
	}
	return err
}

// RosterPerson is somebody who can be planned.
type RosterPerson struct {
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	UnitName   string    `db:"unit_name"`
	Site       uuid.UUID `db:"site_id"`
	SiteName   string    `db:"site_name"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	Title      string
	Leads      bool // their crew
	Zone       string
	StartsOn   when.Date  `db:"starts_on"`
	EndsOn     *when.Date `db:"ends_on"`
	Reporting  string     // "pattern": their plan is paid
	Mark       string
	UnitMark   string     `db:"unit_mark"`
	Young      *when.Date `db:"young_until"`
	OptOut     *when.Date `db:"week_opt_out"`
	Patterns   []byte     // JSON, as core/card reads them
	Tags       []byte     // JSON: name, until
}

// Name is the person's name.
func (p RosterPerson) Name() string { return p.Given + " " + p.Family }

// RosterFilter says who is on a roster. Nil units means all.
type RosterFilter struct {
	Days  when.Period
	Units []uuid.UUID
	Unit  uuid.UUID // one crew
	Site  uuid.UUID
	Near  *Near       // any of these crews, or sites
	Find  string      // of name or number
	Skip  int         // how many of them are left out
	Most  int         // how many are read, 0 for all
	Sites bool        // in the order of their sites
	Among []uuid.UUID // these, whether they work here then or not; nil for all who do
}

// Near are crews and sites.
type Near struct{ Units, Sites []uuid.UUID }

// RosterPeople lists who works here in a span and clocks, by crew, its lead first.
func RosterPeople(ctx context.Context, q Q, f RosterFilter) ([]RosterPerson, error) {
	w := among(f.Days.From.String(), f.Days.To.String())
	if f.Among == nil {
		w.plain(`e.starts_on <= $2 and coalesce(least(e.ends_on, p.ended_on), 'infinity') >= $1`)
		w.plain(termOn(TermHourly, "e.id", "$2"))
	} else {
		w.plain(`$1::date <= $2::date`)
	}
	if f.Units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(f.Units))
	}
	if f.Unit != uuid.Nil {
		w.and(`e.unit_id = $%d`, f.Unit)
	}
	if f.Near != nil {
		w.plain(`(e.unit_id = any(` + w.param(UUIDs(f.Near.Units)) + `) or e.site_id = any(` + w.param(UUIDs(f.Near.Sites)) + `))`)
	}
	if f.Site != uuid.Nil {
		w.and(`e.site_id = $%d`, f.Site)
	}
	if f.Find != "" {
		w.and(`finds(concat_ws(' ', p.given_name, p.family_name, p.number, e.title, u.name), $%d)`, f.Find)
	}
	if f.Among != nil {
		w.and(`e.id = any($%d)`, UUIDs(f.Among))
	}
	limit := ""
	if f.Most > 0 {
		limit = ` limit ` + w.param(f.Most) + ` offset ` + w.param(f.Skip)
	}
	order := `u.name`
	if f.Sites {
		order = `s.name, u.name`
	}
	var found []RosterPerson
	if err := q.SelectContext(ctx, &found, `
		select e.id as employment_id, e.person_id, e.unit_id, u.name as unit_name, e.site_id, s.name as site_name, p.given_name,
			p.family_name,
			e.title, s.zone,
		       exists (select from unit_lead l where l.person_id = p.id and l.unit_id = e.unit_id) as leads, e.starts_on,
		       least(e.ends_on, p.ended_on) as ends_on, e.reporting, coalesce(p.mark, '') as mark, u.mark as unit_mark,
			p.young_until, p.week_opt_out,
		       coalesce((select json_agg(json_build_object('from', starts_on, 'seconds', seconds, 'starts', starts, 'ends', ends))
		                 from pattern where employment_id = e.id), '[]') as patterns,
		       coalesce((select json_agg(json_build_object('Name', tag, 'Until', expires_on)) from person_tag where person_id = p.id), '[]')
		       as tags
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id join site s on s.id = e.site_id
		`+w.sql()+` order by `+order+`, leads desc, p.family_name, p.given_name, e.id`+limit, w.args...); err != nil {
		return nil, fmt.Errorf("read who is planned: %w", err)
	}
	return found, nil
}

// Patterns reads the working patterns of somebody.
func (p RosterPerson) PatternsOf() (patterns []card.Pattern, err error) {
	if err = json.Unmarshal(p.Patterns, &patterns); err != nil {
		err = fmt.Errorf("read the working pattern of %s: %w", p.Name(), err)
	}
	return patterns, err
}

// TagsOf reads the tags of somebody.
func (p RosterPerson) TagsOf() (tags []roster.Tag, err error) {
	var rows []struct {
		Name  string
		Until *when.Date
	}
	if err = json.Unmarshal(p.Tags, &rows); err != nil {
		return nil, fmt.Errorf("read the tags of %s: %w", p.Name(), err)
	}
	for _, r := range rows {
		t := roster.Tag{Name: r.Name}
		if r.Until != nil {
			t.Until = *r.Until
		}
		tags = append(tags, t)
	}
	return tags, nil
}

// LeaveOn is a day of somebody's leave.
type LeaveOn struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Name       string
	Seconds    int64
}

// LeaveIn reads the leave of some employments in a span.
func LeaveIn(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]LeaveOn, error) {
	var found []LeaveOn
	if err := q.SelectContext(ctx, &found, `select employment_id, date, min(name) as name, sum(seconds) as seconds from leave_day
		where employment_id = any($1) and date between $2 and $3 group by employment_id, date`,
		UUIDs(employments), days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read leave: %w", err)
	}
	return found, nil
}

// LateTold is a change of a shift that somebody was told of with little notice.
type LateTold struct {
	ID    uuid.UUID
	Name  string
	Unit  string
	Date  when.Date
	Was   *string
	Is    *string   `db:"is_now"`
	Told  time.Time `db:"told_at"`
	By    string
	Ahead int64 `db:"ahead_seconds"`
	Zone  string

	AskedBy  string     `db:"asked_by"` // "" for whoever told
	AgreedBy string     `db:"agreed_by"`
	AgreedAt *time.Time `db:"agreed_at"`
}

// Both gives what was, and what is; nil for what is new or taken out.
func (l LateTold) Both() (was, is *roster.Shift, err error) {
	if was, err = shiftOf(uuid.Nil, l.Was); err != nil {
		return nil, nil, err
	}
	is, err = shiftOf(uuid.Nil, l.Is)
	return was, is, err
}

// ToldLate lists what people were told of with less notice than so many seconds, of changes
// and what was taken out, on days of a span; the least first. Nil units means all.
func ToldLate(ctx context.Context, q Q, days when.Period, ahead int64, units []uuid.UUID, most int) ([]LateTold, error) {
	w := among(days.From.String(), days.To.String(), ahead, most)
	w.plain(`t.date between $1 and $2 and t.was is not null and t.ahead_seconds < $3`)
	if units != nil {
		w.and(`e.unit_id = any($%d)`, UUIDs(units))
	}
	var found []LateTold
	if err := q.SelectContext(ctx, &found, `
		select t.id, p.given_name || ' ' || p.family_name as name, u.name as unit, t.date, t.was::text as was, t.is_now::text as is_now,
		       t.told_at, b.given_name || ' ' || b.family_name as by, t.ahead_seconds, s.zone,
		       coalesce(k.given_name || ' ' || k.family_name, '') as asked_by,
		       coalesce(g.given_name || ' ' || g.family_name, '') as agreed_by, a.agreed_at
		from shift_told t join employment e on e.id = t.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id join person b on b.id = t.by_person left join person k on k.id = t.asked_by
		left join shift_agreed a on a.told_id = t.id left join person g on g.id = a.by_person `+w.sql()+`
		order by t.ahead_seconds, p.family_name limit $4`, w.args...); err != nil {
		return nil, fmt.Errorf("read what was told late: %w", err)
	}
	return found, nil
}

// ChangedFor is a change that somebody was told of and hasn't agreed to.
type ChangedFor struct {
	ID    uuid.UUID
	Shift uuid.UUID `db:"shift_id"`
	Was   *string
	Is    *string   `db:"is_now"`
	Told  time.Time `db:"told_at"`
	Asked bool      // the planner says that they asked for it
}

// Change is what was and what is.
func (c ChangedFor) Change() (ch roster.Change, err error) {
	if ch.Was, err = shiftOf(c.Shift, c.Was); err != nil {
		return ch, err
	}
	ch.Is, err = shiftOf(c.Shift, c.Is)
	return ch, err
}

const changesFor = `
	select t.id, t.shift_id, t.was::text as was, t.is_now::text as is_now, t.told_at, t.asked_by is not null as asked
	from shift_told t join employment e on e.id = t.employment_id `

// ChangesFor lists what changed, and wasn't new, of days from a date on for an employment,
// told by others with less notice than so many days: each shift's last, where they haven't
// agreed to it.
func ChangesFor(ctx context.Context, q Q, employment uuid.UUID, from when.Date, days int) ([]ChangedFor, error) {
	var found []ChangedFor
	if err := q.SelectContext(ctx, &found, changesFor+`
		where t.employment_id = $1 and t.date >= $2 and t.was is not null and t.ahead_seconds < $3::bigint * 86400
		  and t.by_person <> e.person_id and not exists (select from shift_agreed a where a.told_id = t.id)
		  and not exists (select from shift_told n where n.shift_id = t.shift_id and (n.told_at, n.id) > (t.told_at, t.id))
		order by t.date, t.told_at`, employment, from.String(), days); err != nil {
		return nil, fmt.Errorf("read what changed of somebody's plan: %w", err)
	}
	return found, nil
}

// GetChangeFor reads one of an employment's.
func GetChangeFor(ctx context.Context, q Q, told, employment uuid.UUID) (c ChangedFor, err error) {
	err = q.GetContext(ctx, &c, changesFor+`where t.id = $1 and t.employment_id = $2`, told, employment)
	return c, err
}

// AgreeToChange keeps that somebody agrees; it does nothing where they did.
func AgreeToChange(ctx context.Context, q Q, told, employment, by uuid.UUID, now time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `insert into shift_agreed (told_id, employment_id, by_person, agreed_at) values ($1, $2, $3, $4)
		on conflict do nothing`, told, employment, by, now))
}

// UsualWeek is a crew's week by name: its shifts by person, days from the first day and
// seconds of the local day.
type UsualWeek struct {
	ID     uuid.UUID
	Unit   uuid.UUID `db:"unit_id"`
	Name   string
	Shifts []byte    // JSON, of UsualShift
	Kept   time.Time `db:"kept_at"`
}

// UsualShift is one of them.
type UsualShift struct {
	Employment uuid.UUID `json:"employment"`
	Day        int       `json:"day"`
	From       int       `json:"from"`
	To         int       `json:"to"` // past 86400 on the next day
	Less       int       `json:"less,omitzero"`
	Job        uuid.UUID `json:"job,omitzero"`
	Task       uuid.UUID `json:"task,omitzero"`
	Note       string    `json:"note,omitempty"`
}

// UsualWeeks lists those of crews, by name; of all with nil.
func UsualWeeks(ctx context.Context, q Q, units []uuid.UUID) ([]UsualWeek, error) {
	w := among()
	if units != nil {
		w.and(`unit_id = any($%d)`, UUIDs(units))
	}
	var found []UsualWeek
	if err := q.SelectContext(ctx, &found, `select id, unit_id, name, shifts, kept_at from usual_week `+w.sql()+` order by name`,
		w.args...); err != nil {
		return nil, fmt.Errorf("read usual weeks: %w", err)
	}
	return found, nil
}

// GetUsualWeek reads one.
func GetUsualWeek(ctx context.Context, q Q, id uuid.UUID) (w UsualWeek, err error) {
	err = q.GetContext(ctx, &w, `select id, unit_id, name, shifts, kept_at from usual_week where id = $1`, id)
	return w, err
}

// PutUsualWeek keeps one, in the place of that of the same crew and name.
func PutUsualWeek(ctx context.Context, q Q, w UsualWeek) error {
	_, err := q.ExecContext(ctx, `insert into usual_week (id, unit_id, name, shifts, kept_at) values ($1, $2, $3, $4, $5)
		on conflict (unit_id, name) do update set shifts = excluded.shifts, kept_at = excluded.kept_at`,
		w.ID, w.Unit, w.Name, string(w.Shifts), w.Kept)
	return err
}

// DropUsualWeek takes one out, and gives its crew; none where there is none.
func DropUsualWeek(ctx context.Context, q Q, id uuid.UUID) (unit uuid.UUID, err error) {
	err = q.GetContext(ctx, &unit, `delete from usual_week where id = $1 returning unit_id`, id)
	return unit, err
}

// PlannedLike reads the shift that somebody was planned on last before a date, or first
// after it; nil where there is none.
func PlannedLike(ctx context.Context, q Q, employment uuid.UUID, on when.Date) (*PlannedShift, error) {
	var s PlannedShift
	err := q.GetContext(ctx, &s, `select id, employment_id, date, start_at, end_at, job_id, task_id, less, note, changed_at from planned
		where employment_id = $1 and job_id is not null order by abs(date - $2::date), date limit 1`, employment, on.String())
	if NotFound(err) {
		return nil, nil
	}
	return &s, err
}

// PaidByPlan gives those of some employments whose plan is paid.
func PaidByPlan(ctx context.Context, q Q, employments []uuid.UUID) ([]uuid.UUID, error) {
	var found []uuid.UUID
	err := q.SelectContext(ctx, &found, `select id from employment where id = any($1) and reporting = 'pattern'`, UUIDs(employments))
	if err != nil {
		err = fmt.Errorf("read whose plan is paid: %w", err)
	}
	return found, err
}

// NoSuchWork says whether one of some jobs, or its task, isn't there.
func NoSuchWork(ctx context.Context, q Q, works []clock.Assignment) (missing bool, err error) {
	if len(works) == 0 {
		return false, nil
	}
	var jobs UUIDs
	tasks := make([]*uuid.UUID, len(works))
	for i, w := range works {
		jobs = append(jobs, w.Job)
		if w.Task != uuid.Nil {
			tasks[i] = &w.Task
		}
	}
	err = q.GetContext(ctx, &missing, `
		select exists (select from unnest($1::uuid[], $2::uuid[]) x(job_id, task_id)
		where not exists (select from job j where j.id = x.job_id)
		   or x.task_id is not null and not exists (select from task t where t.id = x.task_id and t.job_id = x.job_id))`, jobs, tasks)
	if err != nil {
		err = fmt.Errorf("look for jobs: %w", err)
	}
	return missing, err
}

// WorkedDay is what somebody worked on a day, in seconds.
type WorkedDay struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Seconds    int64
}

// WorkedByDay reads what the cards of some employments say was worked.
func WorkedByDay(ctx context.Context, q Q, employments []uuid.UUID, days when.Period) ([]WorkedDay, error) {
	var found []WorkedDay
	if err := q.SelectContext(ctx, &found, `select employment_id, date, worked as seconds from card
		where employment_id = any($1) and date between $2 and $3 and worked > 0`, UUIDs(employments), days.From.String(),
		days.To.String()); err != nil {
		return nil, fmt.Errorf("read what was worked: %w", err)
	}
	return found, nil
}

// ToldShift reads a shift as somebody was told of it.
func ToldShift(ctx context.Context, q Q, id uuid.UUID) (s PlannedShift, err error) {
	err = q.GetContext(ctx, &s, `select id, employment_id, date, start_at, end_at, job_id, task_id, less, note, start_at as changed_at
		from shift where id = $1`, id)
	return s, err
}

// ZoneOfUnit gives the zone of the site where a crew works, else the company's.
func ZoneOfUnit(ctx context.Context, q Q, unit uuid.UUID) (zone string, err error) {
	err = q.GetContext(ctx, &zone, `select coalesce(s.zone, c.zone) from unit u left join site s on s.id = u.site_id cross join company c
		where u.id = $1`, unit)
	return zone, err
}
