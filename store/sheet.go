package store

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Sheet is a person with one of their employments as lists, files and the
// person's page show it: every setting as text, by the key of its field.
type Sheet struct {
	Person     uuid.UUID
	Employment uuid.UUID // zero for those who don't clock
	Unit, Site uuid.UUID
	Values     map[string]string

	lock Locked
}

// Name is the name as people say it.
func (s Sheet) Name() string { return s.Values["given_name"] + " " + s.Values["family_name"] }

// SheetFilter picks people. Zero values mean no restriction; of what holds
// several, one of them is enough. A nil Units means all units.
type SheetFilter struct {
	Person  uuid.UUID
	Persons []uuid.UUID
	Text    string
	Kinds   []string // of crews and departments
	InUnits []uuid.UUID
	Sites   []uuid.UUID
	Levels  []string
	State   string // "here", "leaving", "ended", "coming" or "" for all but the ended
	Units   []uuid.UUID
	Fields  []FieldFilter
	Real    bool   // no samples
	Without string // what they lack, of [Lacks]
	Sort    SheetSort
}

// SheetSort is by which setting people are ordered; the zero value is by name.
type SheetSort struct {
	Key     string
	Own     bool // a field of the company's own
	Number  bool
	Falling bool
}

// order gives what people are ordered by. The key is one of ours, or a
// parameter.
func (s SheetSort) order(w *where) string {
	const byName = `x.family_name, x.given_name, x.number, x.employment_id`
	of := `x.` + s.Key
	switch {
	case s.Key == "":
		return byName
	case s.Own:
		of = `x.own_values ->> ` + w.param(s.Key)
	}
	of = `nullif(` + of + `, '')`
	if s.Number || s.Key == "number" {
		of = `case when ` + of + ` ~ '^-?[0-9]{1,18}([.][0-9]+)?$' then (` + of + `)::numeric end`
	} else {
		of = `plain(` + of + `)`
	}
	if s.Falling {
		of += ` desc`
	}
	return of + ` nulls last, ` + byName
}

// Lacks are what people can be looked for without, as conditions on a sheet.
var lacks = map[string]string{
	"pattern": `x.employment_id is not null and x.pattern = ''`,
	"rate":    `x.paid_by = 'hour' and x.rate = ''`,
	"number":  `x.number = '' and x.state <> 'ended'`,
	"sign-in": `x.signs_in <> 'yes' and x.state <> 'ended'`,
}

// Lacks lists what people can be looked for without.
func Lacks() []string { return slices.Sorted(maps.Keys(lacks)) }

// where gives the conditions of the filter on a date, $1.
func (f SheetFilter) where(on when.Date) *where {
	w := among(on.String())
	if f.Person != uuid.Nil {
		w.and(`x.person_id = $%d`, f.Person)
	}
	if f.Persons != nil {
		w.and(`x.person_id = any($%d)`, UUIDs(f.Persons))
	}
	if f.Units != nil {
		w.and(`x.unit_id = any($%d)`, UUIDs(f.Units))
	}
	if strings.TrimSpace(f.Text) != "" {
		w.and(`finds(concat_ws(' ', x.given_name, x.family_name, x.number, x.title, x.email, x.mobile, x.unit, x.site,
			(select string_agg(v.value, ' ') from own_value v where v.person_id = x.person_id)), $%d)`, f.Text)
	}
	if len(f.Kinds) > 0 {
		w.and(`x.unit_kind = any($%d)`, f.Kinds)
	}
	if len(f.InUnits) > 0 {
		w.and(`x.unit_id = any($%d)`, UUIDs(f.InUnits))
	}
	if len(f.Sites) > 0 {
		w.and(`x.site_id = any($%d)`, UUIDs(f.Sites))
	}
	if len(f.Levels) > 0 {
		w.and(`x.level = any($%d)`, f.Levels)
	}
	switch f.State {
	case "any":
	case "":
		w.plain(`x.state <> 'ended'`)
	default:
		w.and(`x.state = $%d`, f.State)
	}
	for _, o := range f.Fields {
		w.plain(o.where(w))
	}
	if f.Real {
		w.plain(`x.sample = 'no'`)
	}
	if f.Without != "" {
		w.plain(lacks[f.Without])
	}
	return w
}

// FieldFilter picks people by one setting: by its whole value, or by a part of
// it.
type FieldFilter struct {
	Key, Value string
	Own        bool // a field of the company's own
	Part       bool
}

// where is the condition; the key is one of ours, or a parameter.
func (f FieldFilter) where(w *where) string {
	of := `x.` + f.Key
	if f.Own {
		of = `coalesce(x.own_values ->> ` + w.param(f.Key) + `, '')`
	}
	if f.Part {
		return `finds(` + of + `, ` + w.param(f.Value) + `)`
	}
	return `lower(` + of + `) = lower(` + w.param(f.Value) + `)`
}

// sheetQuery gives every setting as text on a date, $1.
var sheetQuery = `
	select p.id as person_id, e.id as employment_id, e.unit_id, e.site_id,
	       p.number, p.given_name, p.family_name, coalesce(p.email, '') as email, coalesce(p.mobile, '') as mobile, p.level, p.language,
	       coalesce(p.zone, '') as zone, coalesce(p.young_until::text, '') as young_until,
	       coalesce(p.mark, '') as mark,
	       coalesce(p.week_opt_out::text, '') as week_opt_out,
	       coalesce(u.name, '') as unit, coalesce(u.kind, '') as unit_kind, coalesce(s.name, '') as site,
	       coalesce(e.title, '') as title, case when tm.hourly then 'hour'
	       when not tm.hourly then 'salary' else '' end as paid_by, coalesce(tm.salary, '') as salary,
	       coalesce(e.starts_on::text, '') as starts_on, coalesce(least(e.ends_on, p.ended_on)::text, '') as ends_on,
	       coalesce((select (case when scale(trim_scale(amount)) < 2 then round(amount, 2) else trim_scale(amount) end)::text from rate
	       where employment_id = e.id and starts_on <= $1 order by starts_on desc limit 1), '') as rate,
	       ` + patternOn("$1") + ` as pattern,
	       coalesce((select string_agg(c.code, ', ' order by c.code) from employment_class ec join classification c on c.id = ec.class_id
	       where ec.employment_id = e.id), '') as classes,
	       coalesce((select string_agg(lu.name, ', ' order by lu.name) from unit_lead l join unit lu on lu.id = l.unit_id
	       where l.person_id = p.id), '') as leads,
	       case when tm.subcontractor then 'yes' else 'no' end as subcontractor, coalesce(tm.period_group, '') as period_group,
	       case when tm.banks then 'banked' else 'paid' end as overtime_is, coalesce(e.pay_way, '') as pay_way,
	       coalesce(e.coding, '') as coding,
	       coalesce(e.account, '') as account, coalesce(e.location, '') as location, case when e.location_required then 'yes'
	       else 'no' end as location_required,
	       coalesce(e.own_edits, '') as own_edits, coalesce(e.reporting, '') as reporting, case when e.in_reports then 'yes'
	       else 'no' end as in_reports,
	       coalesce(e.leave_policy, '') as leave_policy, coalesce(e.clock_points, '') as clock_points,
	       case when e.every_job is not false then 'any'
	       else coalesce((select string_agg(j.number, ', ' order by j.number) from employment_job ej join job j on j.id = ej.job_id
	       where ej.employment_id = e.id), '') end as jobs,
	       coalesce((select string_agg(t.tag || coalesce(' until ' || t.expires_on::text, ''), ', ' order by t.tag) from person_tag t
	       where t.person_id = p.id), '') as tags,
	       coalesce((select count(*) || case when count(*) = 1 then ' card' else ' cards' end
	           || coalesce(', last learnt ' || to_char(max(b.learnt_at) at time zone (select zone from company), 'FMDD Mon YYYY'), '')
	           from badge b where b.person_id = p.id having count(*) > 0), '') as badges,
	       case when p.password_hash is not null then 'yes'
	       when exists (select 1 from sign_in_link l where l.person_id = p.id and l.used_at is null and l.expires_at::date >= $1)
	       then 'given'
	       else 'no' end as signs_in, case when p.pin_hash is null then 'no'
	       else 'yes' end as pin,
	       case when p.incomplete then 'yes' else 'no' end as incomplete, case when p.sample then 'yes' else 'no' end as sample,
	       case when coalesce(least(e.ends_on, p.ended_on), 'infinity') < $1 then 'ended' when least(e.ends_on, p.ended_on) is not null
	       then 'leaving' when e.starts_on > $1 then 'coming' else 'here' end as state,
	       coalesce(to_char(p.added_at at time zone (select zone from company), 'YYYY-MM-DD'), '') as added,
	       coalesce(to_char(greatest(p.last_seen_at, (select max(claimed_at) from punch
	       where employment_id = e.id)) at time zone coalesce(s.zone, (select zone from company)), 'YYYY-MM-DD'), '') as last_seen,
	       coalesce((select max(date) from card where employment_id = e.id and state = 'paid')::text, '') as paid_to,
	       (select coalesce(json_object_agg(v.field_id, v.value), '{}') from own_value v where v.person_id = p.id) as own_values
	from person p
	left join employment e on e.person_id = p.id
	left join lateral (select * from terms t where t.employment_id = e.id and t.starts_on <= $1 order by t.starts_on desc
	limit 1) tm on true
	left join unit u on u.id = e.unit_id
	left join site s on s.id = e.site_id`

// Sheets reads people by name, and how many there are in all. A negative
// limit reads everyone.
func Sheets(ctx context.Context, q Q, on when.Date, f SheetFilter, offset, limit int) (sheets []Sheet, total int, err error) {
	w := f.where(on)
	order := `order by ` + f.Sort.order(w) + ` offset ` + w.param(offset)
	if limit >= 0 {
		order += ` limit ` + w.param(limit)
	}
	rows, err := q.QueryxContext(ctx, `
		select x.*, count(*) over () as total from (`+sheetQuery+`) x
		`+w.sql()+`
		`+order, w.args...)
	if err != nil {
		return nil, 0, fmt.Errorf("read people: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		columns := map[string]any{}
		if err := rows.MapScan(columns); err != nil {
			return nil, 0, fmt.Errorf("read people: %w", err)
		}
		s := Sheet{Values: make(map[string]string, len(columns))}
		for name, value := range columns {
			if err := s.column(name, value, &total); err != nil {
				return nil, 0, fmt.Errorf("read people: %s: %w", name, err)
			}
		}
		sheets = append(sheets, s)
	}
	return sheets, total, rows.Err()
}

// Beside gives who stands before and after somebody in a list of people, the zero
// id for nobody.
func Beside(ctx context.Context, q Q, on when.Date, f SheetFilter, person uuid.UUID) (before, after uuid.UUID, err error) {
	w := f.where(on)
	order := f.Sort.order(w)
	return beside(ctx, q, `select x.person_id as id, row_number() over (order by `+order+`) as place from (`+sheetQuery+`) x `+w.sql(),
		w, person)
}

// beside finds what stands before and after a row in rows of id and place.
func beside(ctx context.Context, q Q, rows string, w *where, id uuid.UUID) (before, after uuid.UUID, err error) {
	var found struct{ Before, After *uuid.UUID }
	err = q.GetContext(ctx, &found, `with list as (select id, min(place) as place from (`+rows+`) r group by id),
		placed as (select id, lag(id) over (order by place) as before, lead(id) over (order by place) as after from list)
		select before, after from placed where id = `+w.param(id), w.args...)
	if NotFound(err) {
		return uuid.Nil, uuid.Nil, nil
	}
	if err != nil {
		return uuid.Nil, uuid.Nil, fmt.Errorf("read what stands beside: %w", err)
	}
	return IDOrNil(found.Before), IDOrNil(found.After), nil
}

// column takes a column of the query by its name: whose the sheet is, how many
// there are, the company's own fields, and else a setting.
func (s *Sheet) column(name string, value any, total *int) error {
	switch name {
	case "person_id":
		return s.Person.Scan(value)
	case "employment_id":
		return s.Employment.Scan(value) // null leaves none
	case "unit_id":
		return s.Unit.Scan(value)
	case "site_id":
		return s.Site.Scan(value)
	case "total":
		n, ok := value.(int64)
		if !ok {
			return fmt.Errorf("a count came as %T", value)
		}
		*total = int(n)
	case "own_values":
		return scanJSON(value, &s.Values)
	default:
		text, ok := value.(string)
		if !ok {
			return fmt.Errorf("a setting came as %T", value)
		}
		s.Values[name] = text
	}
	return nil
}

// ListColumns reads which columns somebody chose on a list, "" for none.
func ListColumns(ctx context.Context, q Q, person uuid.UUID, list string) (string, error) {
	var columns string
	err := q.GetContext(ctx, &columns, `select columns from list_view where person_id = $1 and list = $2`, person, list)
	if NotFound(err) {
		return "", nil
	}
	return columns, err
}

// PutListColumns keeps which columns somebody chose.
func PutListColumns(ctx context.Context, q Q, person uuid.UUID, list, columns string) error {
	_, err := q.ExecContext(ctx, `insert into list_view (person_id, list, columns) values ($1, $2, $3)
		on conflict (person_id, list) do update set columns = excluded.columns`, person, list, columns)
	return err
}
