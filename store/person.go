package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// Person is somebody who works here, with the employment they clock in.
type Person struct {
	ID         uuid.UUID
	Number     string
	Given      string `db:"given_name"`
	Family     string `db:"family_name"`
	Email      *string
	Level      string
	Language   string     // in which they read their pages
	Employment *uuid.UUID // nil for those who don't clock
	Unit       *uuid.UUID
	Zone       *string
	SignsIn    bool   `db:"signs_in"`
	LeadsUnits UUIDs  `db:"leads_units"`
	Grants     Grants // beyond the level

	HasCode      bool `db:"has_code"`      // signs in with a one-time code too
	SessionEpoch int  `db:"session_epoch"` // sessions of an earlier one are over
	Ended        bool // their last day is over; they are on the clock still
	Running      bool // on the clock
	Reports      bool // they report hours by hand in some position, or their plan is paid
	Unseen       int  // notices that they haven't seen
}

// OnClock says whether the person is on the clock.
func (p Person) OnClock() bool { return p.Running }

// Name is the name as people say it.
func (p Person) Name() string { return p.Given + " " + p.Family }

// personOn reads people who work here on a date $1, or are on the clock still.
// Of several positions it is the one they are on the clock in, whatever became
// of it since, else the one asked for, else the first.
var personOn = `
		select p.id, p.number, p.given_name, p.family_name, p.email, p.level, p.language, e.id as employment, e.unit_id as unit, s.zone,
		       p.password_hash is not null as signs_in, p.code_since is not null as has_code, p.session_epoch,
		       coalesce(p.ended_on, 'infinity') < $1 as ended, running.id is not null as running,
		       exists (select 1 from employment x where x.person_id = p.id and x.starts_on <= $1 and coalesce(x.ends_on, 'infinity') >= $1
		               and (x.reporting = 'pattern'
		                    or '` + string(clock.Reporting) + `' = any(string_to_array(x.clock_points, ', ')))) as reports,
		       (select count(*) from notice where person_id = p.id and seen_at is null) as unseen,
		       array(select unit_id from unit_lead where person_id = p.id order by unit_id) as leads_units,
		       (select coalesce(json_agg(json_build_object('what', g.what, 'everyone', g.unit_id is null and g.site_id is null,
		            'units', array(select u.id from unit u where u.id = g.unit_id or u.site_id = g.site_id order by u.id))
		            order by g.id), '[]')
		        from grant_given g where g.person_id = p.id and g.taken_at is null) as grants
		from person p
		left join stint running on running.person_id = p.id and running.end_at is null
		left join lateral (select x.id, x.unit_id, x.site_id from employment x
		                   where x.person_id = p.id
		                     and (x.id = running.employment_id or ` + termOn(TermHourly, "x.id", "$1") + ` and x.starts_on <= $1
		                     	and coalesce(x.ends_on, 'infinity') >= $1)
		                   order by x.id = running.employment_id desc nulls last, x.id = $2 desc, x.starts_on, x.id limit 1) e on true
		left join site s on s.id = e.site_id
		where (coalesce(p.ended_on, 'infinity') >= $1 or running.id is not null)`

// GetPerson reads a person in a position, where they have several.
func GetPerson(ctx context.Context, q Q, id uuid.UUID, on when.Date, position uuid.UUID) (Person, error) {
	var p Person
	err := q.GetContext(ctx, &p, personOn+` and p.id = $3`, on.String(), position, id)
	return p, err
}

// GetPersons reads those of some people who are still there.
func GetPersons(ctx context.Context, q Q, ids []uuid.UUID, on when.Date) ([]Person, error) {
	var found []Person
	err := q.SelectContext(ctx, &found, personOn+` and p.id = any($3)`, on.String(), uuid.Nil, UUIDs(ids))
	if err != nil {
		err = fmt.Errorf("read people: %w", err)
	}
	return found, err
}

// OfficePeople reads those who may more than for themselves: by their level, by leading a
// crew, or by a right that they were given.
func OfficePeople(ctx context.Context, q Q, on when.Date) ([]Person, error) {
	var found []Person
	err := q.SelectContext(ctx, &found, personOn+` and (p.level <> 'worker' or exists (select from unit_lead where person_id = p.id)
		or exists (select from grant_given where person_id = p.id and taken_at is null)) order by p.id`, on.String(), uuid.Nil)
	if err != nil {
		err = fmt.Errorf("read who may more than for themselves: %w", err)
	}
	return found, err
}

// SetPerson sets one column of a person, as [SetPersons] does.
func SetPerson(ctx context.Context, q Q, person uuid.UUID, column string, value any) error {
	return SetPersons(ctx, q, column, Value{person, value})
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
	BroughtIn             uuid.UUID // the file that they came by, zero for none
	Pattern               string    // the working pattern they begin with, as PutPatterns takes it
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
		insert into person (id, number, given_name, family_name, level, added_at, added_by, incomplete, brought_in)
		select x.id, x.number, x.given, x.family, x.level, $6, $7, $8, $9
		from unnest($1::uuid[], $2::text[], $3::text[], $4::text[], $5::text[]) x(id, number, given, family, level)`,
		ids, numbers, given, family, levels, people[0].AddedAt, nullID(people[0].AddedBy), people[0].Incomplete,
		nullID(people[0].BroughtIn)); err != nil {
		return err
	}
	_, err := q.ExecContext(ctx, `
		insert into employment (id, person_id, unit_id, site_id, starts_on, clock_points, location, account)
		select x.id, x.person, x.unit, x.site, x.starts, c.new_clock_points, c.new_location, u.account
		from unnest($1::uuid[], $2::uuid[], $3::uuid[], $4::uuid[], $5::date[]) x(id, person, unit, site, starts)
		join unit u on u.id = x.unit cross join company c`, employments, ids, units, sites, dates(starts))
	if err != nil {
		return err
	}
	var usual []Dated
	for _, p := range people {
		if p.Pattern != "" {
			usual = append(usual, Dated{Employment: p.Employment, From: p.StartsOn, Value: p.Pattern})
		}
	}
	return PutPatterns(ctx, q, usual...)
}

// AddedBy says who added somebody, and whether they are there.
func AddedBy(ctx context.Context, q Q, person uuid.UUID) (by uuid.UUID, there bool, err error) {
	var added *uuid.UUID
	err = q.GetContext(ctx, &added, `select added_by from person where id = $1`, person)
	if NotFound(err) {
		return by, false, nil
	}
	return IDOrNil(added), err == nil, err
}

// JoinInto keeps that somebody turned out to be somebody else; they are gone from a day on.
func JoinInto(ctx context.Context, q Q, person, into uuid.UUID, on when.Date) error {
	if _, err := q.ExecContext(ctx, `update person set joined_into = $2, ended_on = $3 where id = $1`, person, into,
		on.String()); err != nil {
		return fmt.Errorf("join a person into another: %w", err)
	}
	return nil
}

// ErasePerson takes away what names a person; hours and pay stay.
func ErasePerson(ctx context.Context, q Q, person uuid.UUID, at time.Time) error {
	for _, statement := range []string{
		`delete from notice where $2::timestamptz is not null and (person_id = $1
			or words ? (select given_name || ' ' || family_name from person where id = $1))`,
		`delete from message where person_id = $1 and $2::timestamptz is not null`,
		`delete from plan_feed where person_id = $1 and $2::timestamptz is not null`,
		`delete from notice_choice where person_id = $1 and $2::timestamptz is not null`,
		`update person set given_name = 'Erased', family_name = 'person ' || number, email = null, mobile = null, password_hash = null,
			pin_hash = null, zone = null, erased_at = $2 where id = $1`,
		`update phone_call set caller = '' where person_id = $1 and $2::timestamptz is not null`,
		`delete from pin_ask where person_id = $1 and $2::timestamptz is not null`,
		`delete from pin_try where person_id = $1 and $2::timestamptz is not null`,
		`delete from photo where $2::timestamptz is not null and employment_id in (select id from employment where person_id = $1)`,
		`delete from place_seen where $2::timestamptz is not null and employment_id in (select id from employment where person_id = $1)`,
		`delete from leave_photo where $2::timestamptz is not null and employment_id in (select id from employment where person_id = $1)`,
		`update leave_request set note = '(erased)' where $2::timestamptz is not null and note <> ''
			and employment_id in (select id from employment where person_id = $1)`,
		`update leave_act set why = '(erased)' where $2::timestamptz is not null and why <> ''
			and employment_id in (select id from employment where person_id = $1)`,
		`update leave_adjustment set why = '(erased)' where $2::timestamptz is not null
			and employment_id in (select id from employment where person_id = $1)`,
		`update leave_gift set note = '', why = '' where $2::timestamptz is not null
			and employment_id in (select id from employment where person_id = $1)`,
		`delete from pay_account where person_id = $1 and $2::timestamptz is not null`,
		`delete from ask where person_id = $1 and $2::timestamptz is not null`,
		`delete from badge where person_id = $1 and $2::timestamptz is not null`,
		`delete from person_tag where person_id = $1 and $2::timestamptz is not null`,
		`delete from own_value where person_id = $1 and $2::timestamptz is not null`,
		`delete from grant_given where person_id = $1 and $2::timestamptz is not null`,
		`delete from list_view where person_id = $1 and $2::timestamptz is not null`,
		`update change set old_value = '(erased)', new_value = '(erased)' where person_id = $1 and $2::timestamptz is not null
			and field not in ('unit', 'site', 'level', 'rate', 'salary', 'pattern', 'ends_on', 'starts_on')`,
		eraseAudit, unsalt,
	} {
		if _, err := q.ExecContext(ctx, statement, person, at); err != nil {
			return fmt.Errorf("erase a person: %w", err)
		}
	}
	return nil
}

// OwnersMail lists the addresses of the owners who work here.
func OwnersMail(ctx context.Context, q Q) ([]string, error) {
	var found []string
	if err := q.SelectContext(ctx, &found, `select email from person where level = 'owner' and email is not null and ended_on is null
		order by email`); err != nil {
		return nil, fmt.Errorf("read the owners: %w", err)
	}
	return found, nil
}

// InsertOwner adds the owner of an empty company, who doesn't clock.
func InsertOwner(ctx context.Context, q Q, id uuid.UUID, given, family, email string, at time.Time) error {
	_, err := q.ExecContext(ctx, `insert into person (id, number, given_name, family_name, email, level, added_at)
		values ($1, '1', $2, $3, nullif($4, ''), 'owner', $5)`, id, given, family, email, at)
	return err
}

// NamePerson names a person who has no name yet.
func NamePerson(ctx context.Context, q Q, id uuid.UUID, given, family, email string) error {
	_, err := q.ExecContext(ctx, `update person set given_name = $2, family_name = $3, email = $4
		where id = $1 and given_name || family_name = ''`, id, given, family, email)
	return err
}

// OwnerToWelcome finds an owner who has not chosen a password, where no owner has;
// the zero id where one has.
func OwnerToWelcome(ctx context.Context, q Q) (uuid.UUID, error) {
	var id uuid.UUID
	err := q.GetContext(ctx, &id, `select id from person where level = 'owner' and ended_on is null
		and not exists (select 1 from person where level = 'owner' and password_hash is not null) order by added_at, id limit 1`)
	if NotFound(err) {
		return uuid.Nil, nil
	}
	return id, err
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

// PersonOfNumber gives who has a personnel number.
func PersonOfNumber(ctx context.Context, q Q, number string) (id uuid.UUID, err error) {
	err = q.GetContext(ctx, &id, `select id from person where number = $1 and erased_at is null`, number)
	return id, err
}

// NumberOf gives somebody's personnel number.
func NumberOf(ctx context.Context, q Q, person uuid.UUID) (number string, err error) {
	err = q.GetContext(ctx, &number, `select number from person where id = $1`, person)
	return number, err
}

// PeopleNames reads what some people are called.
func PeopleNames(ctx context.Context, q Q, ids []uuid.UUID) (map[uuid.UUID]string, error) {
	found, err := listNamed(ctx, q, `select id, given_name || ' ' || family_name as name from person where id = any($1)`, UUIDs(ids))
	names := make(map[uuid.UUID]string, len(found))
	for _, n := range found {
		names[n.ID] = n.Name
	}
	return names, err
}
