package store

import (
	"context"
	"fmt"
	"strings"
	"time"

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

// SheetFilter picks people. Zero values mean no restriction; a nil Units
// means all units.
type SheetFilter struct {
	Person  uuid.UUID
	Persons []uuid.UUID
	Text    string
	Unit    uuid.UUID
	Site    uuid.UUID
	Level   string
	State   string // "here", "leaving", "ended", "coming" or "" for all but the ended
	Units   []uuid.UUID
	Own     []OwnFilter
	Real    bool // no samples
}

// OwnFilter picks people by a field of the company's own: by its whole value,
// or by a part of it.
type OwnFilter struct {
	Key, Value string
	Part       bool
}

// ownFilters gives keys and patterns apart, as the query wants them.
func ownFilters(filters []OwnFilter) (keys, patterns []string) {
	keys, patterns = []string{}, []string{}
	for _, f := range filters {
		pattern := contains(f.Value)
		if !f.Part {
			pattern = pattern[1 : len(pattern)-1]
		}
		keys, patterns = append(keys, f.Key), append(patterns, pattern)
	}
	return keys, patterns
}

// sheetColumns are the settings in a sheet, in the order of the query.
var sheetColumns = []string{"number", "given_name", "family_name", "email", "mobile", "level", "language", "zone", "unit", "site", "title",
	"paid_by", "starts_on", "ends_on",
	"rate", "pattern", "classes", "leads", "subcontractor", "period_group", "coding", "account", "location", "location_required",
	"own_edits", "reporting", "in_reports",
	"leave_policy", "clock_points", "jobs", "tags", "badges", "signs_in", "pin", "incomplete", "sample", "state",
	"added", "last_seen", "paid_to"}

// sheetQuery gives every setting as text on a date, $1.
const sheetQuery = `
	select p.id as person_id, e.id as employment_id, e.unit_id, e.site_id,
	       p.number, p.given_name, p.family_name, coalesce(p.email, '') as email, coalesce(p.mobile, '') as mobile, p.level, p.language,
	       coalesce(p.zone, '') as zone,
	       coalesce(u.name, '') as unit, coalesce(s.name, '') as site, coalesce(e.title, '') as title, case when tm.hourly then 'hour'
	       when not tm.hourly then 'salary' else '' end as paid_by,
	       coalesce(e.starts_on::text, '') as starts_on, coalesce(least(e.ends_on, p.ended_on)::text, '') as ends_on,
	       coalesce((select (case when scale(trim_scale(amount)) < 2 then round(amount, 2) else trim_scale(amount) end)::text from rate
	       where employment_id = e.id and starts_on <= $1 order by starts_on desc limit 1), '') as rate,
	       coalesce((select array_to_string(seconds, ' ') from pattern where employment_id = e.id and starts_on <= $1
	       order by starts_on desc limit 1), '') as pattern,
	       coalesce((select string_agg(c.code, ', ' order by c.code) from employment_class ec join classification c on c.id = ec.class_id
	       where ec.employment_id = e.id), '') as classes,
	       coalesce((select string_agg(lu.name, ', ' order by lu.name) from unit_lead l join unit lu on lu.id = l.unit_id
	       where l.person_id = p.id), '') as leads,
	       case when tm.subcontractor then 'yes' else 'no' end as subcontractor, coalesce(tm.period_group, '') as period_group,
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
	       coalesce((select string_agg(b.code, ', ' order by b.code) from badge b where b.person_id = p.id), '') as badges,
	       case when p.password_hash is null then 'no' else 'yes' end as signs_in, case when p.pin_hash is null then 'no'
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
	order := `order by x.family_name, x.given_name, x.number, x.employment_id offset ` + w.param(offset)
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
		s := Sheet{Values: make(map[string]string, len(sheetColumns))}
		var employment, unit, site *uuid.UUID
		texts := make([]string, len(sheetColumns))
		into := []any{&s.Person, &employment, &unit, &site}
		for i := range texts {
			into = append(into, &texts[i])
		}
		var own []byte
		if err := rows.Scan(append(into, &own, &total)...); err != nil {
			return nil, 0, fmt.Errorf("read people: %w", err)
		}
		s.Employment, s.Unit, s.Site = IDOrNil(employment), IDOrNil(unit), IDOrNil(site)
		if err := scanJSON(own, &s.Values); err != nil {
			return nil, 0, err
		}
		for i, key := range sheetColumns {
			s.Values[key] = texts[i]
		}
		sheets = append(sheets, s)
	}
	return sheets, total, rows.Err()
}

// where gives the conditions of the filter on a date, $1.
func (f SheetFilter) where(on when.Date) *where {
	w := among(on.String())
	for _, c := range []struct {
		cond string
		id   uuid.UUID
	}{{`x.person_id = $%d`, f.Person}, {`x.unit_id = $%d`, f.Unit}, {`x.site_id = $%d`, f.Site}} {
		if c.id != uuid.Nil {
			w.and(c.cond, c.id)
		}
	}
	if f.Persons != nil {
		w.and(`x.person_id = any($%d)`, UUIDs(f.Persons))
	}
	if f.Units != nil {
		w.and(`x.unit_id = any($%d)`, UUIDs(f.Units))
	}
	if strings.TrimSpace(f.Text) != "" {
		w.and(`x.given_name || ' ' || x.family_name || ' ' || x.number || ' ' || x.title || ' ' || x.email ilike $%d`, contains(f.Text))
	}
	if f.Level != "" {
		w.and(`x.level = $%d`, f.Level)
	}
	switch f.State {
	case "any":
	case "":
		w.plain(`x.state <> 'ended'`)
	default:
		w.and(`x.state = $%d`, f.State)
	}
	if keys, patterns := ownFilters(f.Own); len(keys) > 0 {
		w.plain(`not exists (select 1 from unnest(` + w.param(keys) + `::text[], ` + w.param(patterns) + `::text[]) o(key, pattern)
		    where coalesce(x.own_values ->> o.key, '') not ilike o.pattern)`)
	}
	if f.Real {
		w.plain(`x.sample = 'no'`)
	}
	return w
}

// Named is an id with its name.
type Named struct {
	ID   uuid.UUID
	Name string
}

// Units, Sites, Classes and Customers list what settings name.
func Units(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from unit order by name`)
}

// Sites lists the sites by name.
func Sites(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from site order by name`)
}

// Classes lists the work classifications by code.
func Classes(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, code as name from classification order by code`)
}

// ClassNames lists the work classifications by name.
func ClassNames(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from classification order by name`)
}

// JobNumbers lists the open jobs by number.
func JobNumbers(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, number as name from job where state = 'open' order by number`)
}

func listNamed(ctx context.Context, q Q, query string) ([]Named, error) {
	var found []Named
	err := q.SelectContext(ctx, &found, query)
	return found, err
}

// OwnField is a field that the company added itself.
type OwnField struct {
	ID         uuid.UUID
	Name, Kind string
	Choices    string // one a line
	Position   int
}

// OwnFields lists them in order.
func OwnFields(ctx context.Context, q Q) ([]OwnField, error) {
	var found []OwnField
	err := q.SelectContext(ctx, &found, `select id, name, kind, choices, position from own_field order by position, name`)
	return found, err
}

// PutOwnField adds a field or changes its name and choices.
func PutOwnField(ctx context.Context, q Q, f OwnField) error {
	_, err := q.ExecContext(ctx, `insert into own_field (id, name, kind, choices, position)
		values ($1, $2, $3, $4, (select coalesce(max(position), 0) + 1 from own_field))
		on conflict (id) do update set name = excluded.name, choices = excluded.choices`, f.ID, f.Name, f.Kind, f.Choices)
	return err
}

// OwnFieldUsed says how many people have a value in a field.
func OwnFieldUsed(ctx context.Context, q Q, id uuid.UUID) (int, error) {
	var n int
	err := q.GetContext(ctx, &n, `select count(*) from own_value where field_id = $1 and value <> ''`, id)
	return n, err
}

// Counted is a value with how many have it.
type Counted struct {
	Name string
	N    int
}

// OwnValues lists the values that people have in a field.
func OwnValues(ctx context.Context, q Q, id uuid.UUID) ([]Counted, error) {
	var found []Counted
	err := q.SelectContext(ctx, &found, `select value as name, count(*) as n from own_value where field_id = $1 and value <> ''
		group by value order by value`, id)
	return found, err
}

// DropOwnField takes a field out that nobody has a value in; it gives its
// name.
func DropOwnField(ctx context.Context, q Q, id uuid.UUID) (string, error) {
	if _, err := q.ExecContext(ctx, `delete from own_value where field_id = $1 and value = ''`, id); err != nil {
		return "", err
	}
	var name string
	err := q.GetContext(ctx, &name, `delete from own_field where id = $1 returning name`, id)
	return name, err
}

// Change is one setting of one person changed.
type Change struct {
	ID         uuid.UUID
	Batch      uuid.UUID  `db:"batch_id"`
	Person     uuid.UUID  `db:"person_id"`
	Employment *uuid.UUID `db:"employment_id"`
	Field      string
	Old        string     `db:"old_value"`
	New        string     `db:"new_value"`
	StartsOn   *when.Date `db:"starts_on"`
	MadeAt     time.Time  `db:"made_at"`
	By         uuid.UUID  `db:"made_by"`
	Undoes     *uuid.UUID
	ByName     string `db:"by_name"`
	Name       string
}

const changeColumns = `c.id, c.batch_id, c.person_id, c.employment_id, c.field, c.old_value, c.new_value, c.starts_on, c.made_at,
	c.made_by, c.undoes,
	b.given_name || ' ' || b.family_name as by_name, p.given_name || ' ' || p.family_name as name
	from change c join person b on b.id = c.made_by join person p on p.id = c.person_id`

// InsertChanges records changes. There is no update and no delete.
func InsertChanges(ctx context.Context, q Q, changes ...Change) error {
	columns := []string{"id", "batch_id", "person_id", "employment_id", "field", "old_value", "new_value", "starts_on", "made_at",
		"made_by", "undoes"}
	return insertRows(ctx, q, "change", columns, "", len(changes), func(i int) []any {
		c := changes[i]
		return []any{c.ID, c.Batch, c.Person, c.Employment, c.Field, c.Old, c.New, nullDate(c.StartsOn), c.MadeAt, c.By, c.Undoes}
	})
}

// ChangesOf lists what was changed of a person, the newest first.
func ChangesOf(ctx context.Context, q Q, person uuid.UUID, limit int) ([]Change, error) {
	var found []Change
	err := q.SelectContext(ctx, &found, `select `+changeColumns+` where c.person_id = $1 order by c.seq desc limit $2`, person, limit)
	return found, err
}

// ChangesIn lists the changes of a batch that nothing has undone, and counts all
// that it has.
func ChangesIn(ctx context.Context, q Q, batch uuid.UUID) (found []Change, all int, err error) {
	if err = q.SelectContext(ctx, &found, `select `+changeColumns+` where c.batch_id = $1
		and not exists (select 1 from change u where u.undoes = c.id) order by c.seq`, batch); err != nil {
		return nil, 0, fmt.Errorf("read a batch of changes: %w", err)
	}
	if err = q.GetContext(ctx, &all, `select count(*) from change where batch_id = $1`, batch); err != nil {
		return nil, 0, fmt.Errorf("count a batch of changes: %w", err)
	}
	return found, all, nil
}

func nullDate(d *when.Date) *string {
	if d == nil {
		return nil
	}
	s := d.String()
	return &s
}

// SetPerson sets one column of a person, as [SetPersons] does.
func SetPerson(ctx context.Context, q Q, person uuid.UUID, column string, value any) error {
	return SetPersons(ctx, q, column, Value{person, value})
}

// Dated is a value of an employment from a date on; an empty one takes what was
// set from that very date away.
type Dated struct {
	Employment uuid.UUID
	From       when.Date
	Value      string
}

// PutRates sets rates.
func PutRates(ctx context.Context, q Q, rates ...Dated) error {
	return putDated(ctx, q, "rate", "amount", rates, func(value string) any { return value })
}

// PutPatterns sets working patterns: seven lengths in seconds, Sunday first,
// apart by spaces.
func PutPatterns(ctx context.Context, q Q, patterns ...Dated) error {
	return putDated(ctx, q, "pattern", "seconds", patterns, func(value string) any { return strings.Fields(value) })
}

func putDated(ctx context.Context, q Q, table, column string, values []Dated, kept func(string) any) error {
	var put []Dated
	var gone UUIDs
	var from []when.Date
	for _, v := range values {
		if v.Value == "" {
			gone, from = append(gone, v.Employment), append(from, v.From)
			continue
		}
		put = append(put, v)
	}
	if len(gone) > 0 {
		if _, err := q.ExecContext(ctx, `delete from `+table+` t using unnest($1::uuid[], $2::date[]) x(employment_id, starts_on)
			where t.employment_id = x.employment_id and t.starts_on = x.starts_on`, gone, dates(from)); err != nil {
			return err
		}
	}
	columns := []string{"employment_id", "starts_on", column}
	return insertRows(ctx, q, table, columns, replacing("employment_id, starts_on", columns), len(put), func(i int) []any {
		return []any{put[i].Employment, put[i].From.String(), kept(put[i].Value)}
	})
}

// SetOf is what somebody, or a position of theirs, is to hold: no more and no
// less.
type SetOf struct {
	Of  uuid.UUID
	Are []uuid.UUID
}

// PutSets makes the second column of a two-column table hold just the members
// given.
func PutSets(ctx context.Context, q Q, table, owner, member string, sets ...SetOf) error {
	var owners, of, are UUIDs
	for _, s := range sets {
		owners = append(owners, s.Of)
		for _, m := range s.Are {
			of, are = append(of, s.Of), append(are, m)
		}
	}
	if _, err := q.ExecContext(ctx, `delete from `+table+` t where `+owner+` = any($1) and not exists (
		select 1 from unnest($2::uuid[], $3::uuid[]) x(owner, member) where x.owner = t.`+owner+` and x.member = t.`+member+`)`,
		owners, orEmpty(of), orEmpty(are)); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `insert into `+table+` (`+owner+`, `+member+`) select * from unnest($1::uuid[], $2::uuid[])
		on conflict do nothing`, orEmpty(of), orEmpty(are))
	return err
}

// orEmpty is an array in place of null.
func orEmpty(ids UUIDs) UUIDs {
	if ids == nil {
		return UUIDs{}
	}
	return ids
}

// Tag is a tag of the company's own, with the last day it holds.
type Tag struct {
	Tag     string
	Expires *when.Date
}

// PutTags makes people's tags those given.
func PutTags(ctx context.Context, q Q, tags map[uuid.UUID][]Tag) error {
	if _, err := q.ExecContext(ctx, `delete from person_tag where person_id = any($1)`, keysOf(tags)); err != nil {
		return err
	}
	var rows [][]any
	for person, list := range tags {
		for _, t := range list {
			rows = append(rows, []any{person, t.Tag, nullDate(t.Expires)})
		}
	}
	return insertRows(ctx, q, "person_tag", []string{"person_id", "tag", "expires_on"}, "", len(rows), func(i int) []any { return rows[i] })
}

// PutBadges makes people's badges those given.
func PutBadges(ctx context.Context, q Q, codes map[uuid.UUID][]string) error {
	if _, err := q.ExecContext(ctx, `delete from badge where person_id = any($1)`, keysOf(codes)); err != nil {
		return err
	}
	var rows [][]any
	for person, list := range codes {
		for _, c := range list {
			rows = append(rows, []any{c, person})
		}
	}
	return insertRows(ctx, q, "badge", []string{"code", "person_id"}, "", len(rows), func(i int) []any { return rows[i] })
}

func keysOf[T any](of map[uuid.UUID]T) UUIDs {
	ids := make(UUIDs, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	return ids
}

// PutOwnValues sets people's values of a company's own field; an empty one is
// taken out.
func PutOwnValues(ctx context.Context, q Q, field uuid.UUID, values map[uuid.UUID]string) error {
	_, err := q.ExecContext(ctx, `delete from own_value where person_id = any($1) and field_id = $2`, keysOf(values), field)
	if err != nil {
		return err
	}
	var rows [][]any
	for person, value := range values {
		if value != "" {
			rows = append(rows, []any{person, field, value})
		}
	}
	columns := []string{"person_id", "field_id", "value"}
	return insertRows(ctx, q, "own_value", columns, "", len(rows), func(i int) []any { return rows[i] })
}

// NewPerson is a person to be added, with the employment they clock in.
type NewPerson struct {
	ID, Employment        uuid.UUID
	Number, Given, Family string
	Level                 string
	Unit, Site            uuid.UUID
	StartsOn              when.Date
	AddedAt               time.Time
	AddedBy               uuid.UUID
	Incomplete            bool
}

// InsertPeople adds people; their other settings are set afterwards.
func InsertPeople(ctx context.Context, q Q, people []NewPerson) error {
	var ids, employments, units, sites UUIDs
	var numbers, given, family, levels []string
	var starts []when.Date
	for _, p := range people {
		ids, employments, units, sites = append(ids, p.ID), append(employments, p.Employment), append(units, p.Unit), append(sites, p.Site)
		numbers, given, family, levels = append(numbers, p.Number), append(given, p.Given),
			append(family, p.Family), append(levels, p.Level)
		starts = append(starts, p.StartsOn)
	}
	if len(people) == 0 {
		return nil
	}
	if _, err := q.ExecContext(ctx, `
		insert into person (id, number, given_name, family_name, level, added_at, added_by, incomplete)
		select x.id, x.number, x.given, x.family, x.level, $6, $7, $8
		from unnest($1::uuid[], $2::text[], $3::text[], $4::text[], $5::text[]) x(id, number, given, family, level)`,
		ids, numbers, given, family, levels, people[0].AddedAt, nullID(people[0].AddedBy), people[0].Incomplete); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `
		insert into employment (id, person_id, unit_id, site_id, starts_on, clock_points, location, account)
		select x.id, x.person, x.unit, x.site, x.starts, c.new_clock_points, c.new_location, u.account
		from unnest($1::uuid[], $2::uuid[], $3::uuid[], $4::uuid[], $5::date[]) x(id, person, unit, site, starts)
		join unit u on u.id = x.unit cross join company c`, employments, ids, units, sites, dates(starts))
	return err
}

// GrantRow is a right given to a person, as the person's page lists it.
type GrantRow struct {
	ID   uuid.UUID
	What string
	Unit *string
	Site *string
}

// GrantsOf lists a person's grants.
func GrantsOf(ctx context.Context, q Q, person uuid.UUID) ([]GrantRow, error) {
	var found []GrantRow
	err := q.SelectContext(ctx, &found, `select g.id, g.what, u.name as unit, s.name as site from grant_given g
		left join unit u on u.id = g.unit_id left join site s on s.id = g.site_id
		where g.person_id = $1 and g.taken_at is null order by g.what, u.name, s.name`, person)
	return found, err
}

// InsertGrant gives a right; giving it twice changes nothing.
func InsertGrant(ctx context.Context, q Q, id, person uuid.UUID, what string, unit, site, by uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `
		insert into grant_given (id, person_id, what, unit_id, site_id, given_by, given_at) values ($1, $2, $3, $4, $5, $6, $7)
		on conflict do nothing`, id, person, what, nullID(unit), nullID(site), by, at)
	return err
}

// GetGrant reads whose grant it is, and what.
func GetGrant(ctx context.Context, q Q, id uuid.UUID) (person uuid.UUID, what string, err error) {
	err = q.QueryRowxContext(ctx, `select person_id, what from grant_given where id = $1 and taken_at is null`, id).Scan(&person, &what)
	return person, what, err
}

// TakeGrant takes a right away; that it was there stays.
func TakeGrant(ctx context.Context, q Q, id, by uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `update grant_given set taken_by = $2, taken_at = $3 where id = $1 and taken_at is null`, id, by, at)
	return err
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

// ZonesWouldChange lists those of some employments with hours that would come
// to a site of another zone.
func ZonesWouldChange(ctx context.Context, q Q, sites []Value) ([]uuid.UUID, error) {
	data, err := jsonRows([]string{"id", "site_id"}, len(sites), func(i int) []any { return []any{sites[i].Of, sites[i].To} })
	if err != nil {
		return nil, err
	}
	var found []uuid.UUID
	err = q.SelectContext(ctx, &found, `
		select e.id from jsonb_populate_recordset(null::employment, $1) x join employment e on e.id = x.id
		join site o on o.id = e.site_id join site n on n.id = x.site_id
		where o.zone <> n.zone and exists (select 1 from punch where employment_id = e.id)`, data)
	return found, err
}

// SetLastDay sets a person's last day, nil for none: in the employments that
// have none or ended with the person. What ended before stays.
func SetLastDay(ctx context.Context, q Q, person uuid.UUID, on any) error {
	if _, err := q.ExecContext(ctx, `update employment set ends_on = $2::date where person_id = $1
		and (ends_on is null or ends_on = (select ended_on from person where id = $1))`, person, on); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `update person set ended_on = $2::date where id = $1`, person, on)
	return err
}

// ErasePerson takes away what names a person; hours and pay stay.
func ErasePerson(ctx context.Context, q Q, person uuid.UUID, at time.Time) error {
	for _, statement := range []string{
		`update person set given_name = 'Erased', family_name = 'person ' || number, email = null, mobile = null, password_hash = null,
			pin_hash = null, zone = null, erased_at = $2 where id = $1`,
		`delete from place_seen where $2::timestamptz is not null and employment_id in (select id from employment where person_id = $1)`,
		`delete from badge where person_id = $1 and $2::timestamptz is not null`,
		`delete from person_tag where person_id = $1 and $2::timestamptz is not null`,
		`delete from own_value where person_id = $1 and $2::timestamptz is not null`,
		`delete from grant_given where person_id = $1 and $2::timestamptz is not null`,
		`delete from list_view where person_id = $1 and $2::timestamptz is not null`,
		`update change set old_value = '(erased)', new_value = '(erased)' where person_id = $1 and $2::timestamptz is not null
			and field not in ('unit', 'site', 'level', 'rate', 'pattern', 'ends_on', 'starts_on')`,
	} {
		if _, err := q.ExecContext(ctx, statement, person, at); err != nil {
			return fmt.Errorf("erase a person: %w", err)
		}
	}
	return nil
}

// OpenStint says whether a person is on the clock.
func OpenStint(ctx context.Context, q Q, person uuid.UUID) (bool, error) {
	var open bool
	err := q.GetContext(ctx, &open, `select exists (select 1 from stint where person_id = $1 and end_at is null)`, person)
	return open, err
}

// SitesOfUnits gives the site of each crew or department that has one.
func SitesOfUnits(ctx context.Context, q Q) (map[uuid.UUID]uuid.UUID, error) {
	var rows []struct{ ID, Site uuid.UUID }
	if err := q.SelectContext(ctx, &rows, `select id, site_id as site from unit where site_id is not null`); err != nil {
		return nil, err
	}
	sites := make(map[uuid.UUID]uuid.UUID, len(rows))
	for _, r := range rows {
		sites[r.ID] = r.Site
	}
	return sites, nil
}

// RunningStint gives the employment a person is on the clock in, and since
// when the stint runs.
func RunningStint(ctx context.Context, q Q, person uuid.UUID) (employment uuid.UUID, since time.Time, err error) {
	err = q.QueryRowxContext(ctx, `select employment_id, start_at from stint where person_id = $1 and end_at is null`,
		person).Scan(&employment, &since)
	return employment, since, err
}

// InsertOwner adds the owner of an empty company, who doesn't clock.
func InsertOwner(ctx context.Context, q Q, id uuid.UUID, given, family, email string, at time.Time) error {
	_, err := q.ExecContext(ctx, `insert into person (id, number, given_name, family_name, email, level, added_at)
		values ($1, '1', $2, $3, nullif($4, ''), 'owner', $5)`, id, given, family, email, at)
	return err
}

// InsertEmployment gives a person one more employment, with what new people
// get.
func InsertEmployment(ctx context.Context, q Q, id, person, unit, site uuid.UUID, title string, from when.Date) error {
	_, err := q.ExecContext(ctx, `
		insert into employment (id, person_id, unit_id, site_id, title, starts_on, clock_points, location, account)
		select $1, $2, $3, $4, $5, $6, new_clock_points, new_location, (select account from unit where id = $3) from company`,
		id, person, unit, site, title, from.String())
	return err
}
