package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Figures are those by which cards are judged from a worked date on, in
// seconds.
type Figures struct {
	StartsOn       when.Date `db:"starts_on"`
	LongestShift   int       `db:"longest_shift"`
	LateAfter      int       `db:"late_after"`
	OverPlanAfter  int       `db:"over_plan_after"`
	MealDueAfter   int       `db:"meal_due_after"`
	MealWaivedUpTo int       `db:"meal_waived_up_to"`
	MissingAfter   int       `db:"missing_after"`
}

// DatedFigures reads all figures, the oldest first.
func DatedFigures(ctx context.Context, q Q) ([]Figures, error) {
	var found []Figures
	err := q.SelectContext(ctx, &found, `select starts_on, longest_shift, late_after, over_plan_after, meal_due_after, meal_waived_up_to,
		missing_after from figures order by starts_on`)
	return found, err
}

// PutFigures sets the figures from a date on.
func PutFigures(ctx context.Context, q Q, f Figures) error {
	_, err := q.ExecContext(ctx, `insert into figures (starts_on, longest_shift, late_after, over_plan_after, meal_due_after,
		meal_waived_up_to, missing_after) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict (starts_on) do update set longest_shift = excluded.longest_shift, late_after = excluded.late_after,
		over_plan_after = excluded.over_plan_after,
		    meal_due_after = excluded.meal_due_after, meal_waived_up_to = excluded.meal_waived_up_to,
		    missing_after = excluded.missing_after`,
		f.StartsOn.String(), f.LongestShift, f.LateAfter, f.OverPlanAfter, f.MealDueAfter, f.MealWaivedUpTo, f.MissingAfter)
	return err
}

// Holiday is a day on which nothing is expected. Multiplier is nil where
// working on it pays no premium.
type Holiday struct {
	Date       when.Date
	Name       string
	Multiplier *string
}

// Holidays reads all holidays in order.
func Holidays(ctx context.Context, q Q) ([]Holiday, error) {
	var found []Holiday
	err := q.SelectContext(ctx, &found, `select date, name, trim_scale(multiplier)::text as multiplier from holiday order by date`)
	return found, err
}

// PutHoliday adds a holiday or changes it.
func PutHoliday(ctx context.Context, q Q, h Holiday) error {
	_, err := q.ExecContext(ctx, `insert into holiday (date, name, multiplier) values ($1, $2, $3::numeric) on conflict (date) do update
		set name = excluded.name, multiplier = excluded.multiplier`,
		h.Date.String(), h.Name, h.Multiplier)
	return err
}

// DropHoliday takes a holiday out; it says whether there was one.
func DropHoliday(ctx context.Context, q Q, d when.Date) (bool, error) {
	r, err := q.ExecContext(ctx, `delete from holiday where date = $1`, d.String())
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// PutRuleSet adds a rule set from a date, or changes the one that begins
// then.
func PutRuleSet(ctx context.Context, q Q, id uuid.UUID, name string, from when.Date, rules json.RawMessage) error {
	_, err := q.ExecContext(ctx, `insert into rule_set (id, name, starts_on, rules) values ($1, $2, $3, $4)
		on conflict (starts_on) do update set name = excluded.name, rules = excluded.rules`,
		id, name, from.String(), string(rules))
	return err
}

// DropRuleSet takes the rule set that begins on a date out; it says whether
// there was one.
func DropRuleSet(ctx context.Context, q Q, from when.Date) (bool, error) {
	r, err := q.ExecContext(ctx, `delete from rule_set where starts_on = $1`, from.String())
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n > 0, err
}

// SetCompany sets one column; the column is one of ours and never what
// somebody typed.
func SetCompany(ctx context.Context, q Q, column string, value any) error {
	_, err := q.ExecContext(ctx, `update company set `+column+` = $1`, value)
	return err
}

// CompanyMark reads the mark, a PNG; empty for none.
func CompanyMark(ctx context.Context, q Q) ([]byte, error) {
	var png []byte
	err := q.QueryRowxContext(ctx, `select coalesce(mark, '') from company`).Scan(&png)
	return png, err
}

// CompanyMap reads what is drawn beneath maps, GeoJSON; empty for nothing.
func CompanyMap(ctx context.Context, q Q) ([]byte, error) {
	var data []byte
	err := q.QueryRowxContext(ctx, `select coalesce(map::text, '') from company`).Scan(&data)
	return data, err
}

// SetUp counts what a place needs before people can clock in and be paid.
type SetUp struct {
	Sites, Units, People, Jobs, Tasks, Rules, Rates, Patterns, Leads int
	Punches                                                          bool // anybody's
	Began                                                            bool // somebody real has punched
}

// CountSetUp counts it.
func CountSetUp(ctx context.Context, q Q, today when.Date) (SetUp, error) {
	var s SetUp
	err := q.GetContext(ctx, &s, `
		with real as (select e.* from employment e join person p on p.id = e.person_id where not p.sample
		and coalesce(e.ends_on, 'infinity') >= $1)
		select (select count(*) from site) as sites, (select count(*) from unit where not sample) as units,
		(select count(distinct person_id) from real) as people,
		       (select count(*) from job where state = 'open' and not sample) as jobs,
		       (select count(*) from task t join job j on j.id = t.job_id where t.state = 'open' and not j.sample) as tasks,
		       (select count(*) from rule_set) as rules,
		       (select count(*) from real e where `+termOn(TermHourly, "e.id", "$1")+
		` and not exists (select 1 from rate where employment_id = e.id)) as rates,
		       (select count(*) from real e where not exists (select 1 from pattern where employment_id = e.id)) as patterns,
		       (select count(*) from unit u where not u.sample and not exists (select 1 from unit_lead where unit_id = u.id)) as leads,
		       exists (select 1 from punch u where exists (select 1 from employment e join person p on p.id = e.person_id
		       where e.id = u.employment_id and not p.sample)) as began,
		       exists (select 1 from punch) as punches`, today.String())
	return s, err
}

// AuditRow is a row of the audit list: who did what about whom, and, where a
// setting was changed, from what to what.
type AuditRow struct {
	Seq     int64
	MadeAt  time.Time `db:"made_at"`
	ByName  string    `db:"by_name"`
	Act     string
	Name    string // of the act; "" of rows that are older than names
	SignIn  string `db:"sign_in"` // what became of a sign-in, in words
	About   string
	Detail  string
	Field   string
	Old     string `db:"old_value"`
	New     string `db:"new_value"`
	Subject *uuid.UUID
	Unit    *uuid.UUID
}

// AuditRows reads the audit list, the newest first, from before a row.
func AuditRows(ctx context.Context, q Q, before int64, act string, person uuid.UUID, limit int) ([]AuditRow, error) {
	var found []AuditRow
	w := among(before, limit)
	w.plain(`a.seq < $1`)
	if act != "" {
		w.and(`a.name = $%d`, act)
	}
	if person != uuid.Nil {
		w.and(`a.person_id = $%d`, person)
	}
	err := q.SelectContext(ctx, &found, `
		select a.seq, a.made_at, coalesce(b.given_name || ' ' || b.family_name, '') as by_name, a.act, a.name, a.detail::text as detail,
		       coalesce(a.detail ->> 'sign-in', '') as sign_in,
		       coalesce(p.given_name || ' ' || p.family_name, ep.given_name || ' ' || ep.family_name, j.number || ' ' || j.name, cu.name,
		       '') as about, coalesce(p.id, ep.id) as subject,
		       (select unit_id from employment x where x.person_id = coalesce(p.id, ep.id) order by starts_on desc limit 1) as unit,
		       coalesce(c.field, '') as field, coalesce(c.old_value, a.detail ->> 'from', '') as old_value,
		       coalesce(c.new_value, a.detail ->> 'to', '') as new_value
		from audit a left join person b on b.id = a.person_id left join person p on p.id = a.about left join employment e on e.id = a.about
		left join person ep on ep.id = e.person_id left join job j on j.id = a.about left join customer cu on cu.id = a.about
		left join change c on c.id = (a.detail ->> 'change')::uuid
		`+w.sql()+` order by a.seq desc limit $2`, w.args...)
	if err != nil {
		return nil, fmt.Errorf("read the audit list: %w", err)
	}
	return found, nil
}

// Site is a place where people work.
type Site struct {
	ID       uuid.UUID
	Name     string
	Zone     string
	Lat, Lon *float64
	Fence    float64 `db:"fence_metres"`
}

// GetSite reads a site.
func GetSite(ctx context.Context, q Q, id uuid.UUID) (Site, error) {
	var s Site
	err := q.GetContext(ctx, &s, `select id, name, zone, lat, lon, fence_metres from site where id = $1`, id)
	return s, err
}

// AllSites lists the sites by name.
func AllSites(ctx context.Context, q Q) ([]Site, error) {
	var found []Site
	err := q.SelectContext(ctx, &found, `select id, name, zone, lat, lon, fence_metres from site order by name`)
	return found, err
}

// PutSite adds a site or changes it.
func PutSite(ctx context.Context, q Q, s Site) error {
	_, err := q.ExecContext(ctx, `insert into site (id, name, zone, lat, lon, fence_metres) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do update set name = excluded.name, lat = excluded.lat, lon = excluded.lon,
		fence_metres = excluded.fence_metres`, s.ID, s.Name, s.Zone, s.Lat, s.Lon, s.Fence)
	return err
}

// Unit is a crew or department, with who leads it.
type Unit struct {
	ID      uuid.UUID
	Kind    string
	Name    string
	Site    *uuid.UUID `db:"site_id"`
	Account string     // to which payroll books the hours of new people
	Leads   string
	People  int
}

// AllUnits lists crews and departments by name.
func AllUnits(ctx context.Context, q Q, today when.Date) ([]Unit, error) {
	var found []Unit
	err := q.SelectContext(ctx, &found, `
		select u.id, u.kind, u.name, u.site_id, u.account,
		coalesce((select string_agg(p.given_name || ' ' || p.family_name, ', ' order by p.family_name) from unit_lead l
		join person p on p.id = l.person_id where l.unit_id = u.id), '') as leads,
		       (select count(*) from employment e where e.unit_id = u.id and coalesce(e.ends_on, 'infinity') >= $1) as people
		from unit u order by u.name`, today.String())
	return found, err
}

// PutUnit adds a crew or department or changes it.
func PutUnit(ctx context.Context, q Q, id uuid.UUID, kind, name, account string, site uuid.UUID) error {
	_, err := q.ExecContext(ctx, `insert into unit (id, kind, name, account, site_id) values ($1, $2, $3, $4, $5)
		on conflict (id) do update set kind = excluded.kind, name = excluded.name, account = excluded.account, site_id = excluded.site_id`,
		id, kind, name, account, nullID(site))
	return err
}
