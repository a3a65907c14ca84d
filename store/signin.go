package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"strings"

	"manudex/core/when"
)

// OneTimeCode is a person's secret for one-time codes (RFC 6238).
type OneTimeCode struct {
	Secret *string    `db:"code_secret"` // base32; nil for none
	Since  *time.Time `db:"code_since"`  // nil until the first code was typed
	Step   int64      `db:"code_step"`   // the last that was used
}

// GetOneTimeCode reads a person's secret, locking it until the transaction
// ends: a code is used once.
func GetOneTimeCode(ctx context.Context, q Q, person uuid.UUID) (c OneTimeCode, err error) {
	err = q.GetContext(ctx, &c, `select code_secret, code_since, code_step from person where id = $1 for no key update`, person)
	return c, err
}

// HasOneTimeCode says whether somebody signs in with a one-time code.
func HasOneTimeCode(ctx context.Context, q Q, person uuid.UUID) (has bool, err error) {
	err = q.GetContext(ctx, &has, `select code_since is not null from person where id = $1`, person)
	return has, err
}

// PutOneTimeCode keeps a person's secret.
func PutOneTimeCode(ctx context.Context, q Q, person uuid.UUID, c OneTimeCode) error {
	_, err := q.ExecContext(ctx, `update person set code_secret = $2, code_since = $3, code_step = $4 where id = $1`,
		person, c.Secret, c.Since, c.Step)
	if err != nil {
		return fmt.Errorf("keep a secret for codes: %w", err)
	}
	return nil
}

// PutRecoveryCodes replaces a person's recovery codes, by their hashes.
func PutRecoveryCodes(ctx context.Context, q Q, person uuid.UUID, hashes [][]byte) error {
	if _, err := q.ExecContext(ctx, `delete from recovery_code where person_id = $1`, person); err != nil {
		return fmt.Errorf("take recovery codes away: %w", err)
	}
	for _, h := range hashes {
		if _, err := q.ExecContext(ctx, `insert into recovery_code (person_id, hash) values ($1, $2)`, person, h); err != nil {
			return fmt.Errorf("keep a recovery code: %w", err)
		}
	}
	return nil
}

// UseRecoveryCode uses a recovery code up; it says whether there was one.
func UseRecoveryCode(ctx context.Context, q Q, person uuid.UUID, hash []byte, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update recovery_code set used_at = $3 where person_id = $1 and hash = $2 and used_at is null`, person,
		hash, at))
}

// RecoveryCodesLeft counts the recovery codes that are not used.
func RecoveryCodesLeft(ctx context.Context, q Q, person uuid.UUID) (n int, err error) {
	err = q.GetContext(ctx, &n, `select count(*) from recovery_code where person_id = $1 and used_at is null`, person)
	return n, err
}

// Device is a browser that somebody has signed in from.
type Device struct {
	ID      uuid.UUID
	Person  uuid.UUID `db:"person_id"`
	Token   []byte    `db:"token_hash"`
	End     []byte    `db:"end_hash"`
	Agent   string
	FirstAt time.Time `db:"first_at"`
	LastAt  time.Time `db:"last_at"`
}

// KnownDevice says whether a person has signed in from a browser, by the hash
// of its token.
func KnownDevice(ctx context.Context, q Q, person uuid.UUID, token []byte) (known bool, err error) {
	err = q.GetContext(ctx, &known, `select exists (select 1 from device where person_id = $1 and token_hash = $2)`, person, token)
	return known, err
}

// SeeDevice keeps that a person signed in from a browser; it says whether they
// never had, and how many others they have.
func SeeDevice(ctx context.Context, q Q, d Device) (fresh bool, others int, err error) {
	err = q.QueryRowxContext(ctx, `
		with seen as (
		    insert into device (id, person_id, token_hash, end_hash, agent, first_at, last_at) values ($1, $2, $3, $4, $5, $6, $6)
		    on conflict (person_id, token_hash) do update set last_at = excluded.last_at returning id)
		select id = $1, (select count(*) from device where person_id = $2) from seen`,
		d.ID, d.Person, d.Token, d.End, d.Agent, d.LastAt).Scan(&fresh, &others)
	if err != nil {
		err = fmt.Errorf("keep a device: %w", err)
	}
	return fresh, others, err
}

// Devices lists the browsers that a person has signed in from, the last used
// first.
func Devices(ctx context.Context, q Q, person uuid.UUID) ([]Device, error) {
	var found []Device
	err := q.SelectContext(ctx, &found, `
		select id, person_id, token_hash, end_hash, agent, first_at, last_at from device where person_id = $1 order by last_at desc
		limit 20`, person)
	return found, err
}

// DeviceToEnd gives whose sessions a link from a mail ends.
func DeviceToEnd(ctx context.Context, q Q, hash []byte) (person uuid.UUID, err error) {
	err = q.GetContext(ctx, &person, `select person_id from device where end_hash = $1`, hash)
	return person, err
}

// PersonKnownAs gives who signs in by an e-mail address, a mobile or a number,
// whether or not they can.
func PersonKnownAs(ctx context.Context, q Q, who, phone string, on when.Date) (uuid.UUID, error) {
	id, _, err := Credentials(ctx, q, who, phone, on)
	return id, err
}

// PasswordOf gives the hash of a person's password, "" for none.
func PasswordOf(ctx context.Context, q Q, person uuid.UUID) (hash string, err error) {
	err = q.GetContext(ctx, &hash, `select coalesce(password_hash, '') from person where id = $1`, person)
	return hash, err
}

// OwnNames are what a person's password may not be made of: names, number,
// addresses, and the company's name.
func OwnNames(ctx context.Context, q Q, person uuid.UUID) ([]string, error) {
	var names []string
	err := q.SelectContext(ctx, &names, `
		select n from person p, unnest(array[p.given_name, p.family_name, p.number, p.email, split_part(p.email, '@', 1), p.mobile,
		    (select name from company)]) n where p.id = $1 and n <> ''`, person)
	return names, err
}

// InsertAuditor adds somebody who sees everything and changes nothing, until a
// day.
func InsertAuditor(ctx context.Context, q Q, id uuid.UUID, number, given, family, email string, last when.Date,
	at time.Time, by uuid.UUID) error {
	_, err := q.ExecContext(ctx, `
		insert into person (id, number, given_name, family_name, email, level, ended_on, added_at, added_by)
		values ($1, $2, $3, $4, nullif($5, ''), 'auditor', $6, $7, $8)`, id, number, given, family, email, last.String(), at, by)
	return err
}

// RightRow is a right as it stands, or stood, with who gave it.
type RightRow struct {
	Person  uuid.UUID `db:"person_id"`
	Name    string
	Family  string
	Level   string // as it was on the day
	What    string // of a grant; "" for what comes by level alone
	Unit    *string
	Site    *string
	GivenBy *string    `db:"given_by"`
	GivenAt *time.Time `db:"given_at"`
	UsedAt  *time.Time `db:"used_at"`
	TakenAt *time.Time `db:"taken_at"`
}

// RightsOn lists who might do more than a worker at the end of a day: by level,
// by crews they led, and by single rights.
func RightsOn(ctx context.Context, q Q, end time.Time, on when.Date) ([]RightRow, error) {
	var found []RightRow
	err := q.SelectContext(ctx, &found, `
		with people as (
		    select p.id, p.given_name || ' ' || p.family_name as name, p.family_name, p.level as now_level, p.ended_on,
		           coalesce((select c.old_value from change c where c.person_id = p.id and c.field = 'level' and c.made_at >= $1
		                     order by c.seq limit 1), p.level) as level
		    from person p where coalesce(p.added_at, '-infinity') < $1 and coalesce(p.ended_on, 'infinity') >= $2 and not p.sample)
		select p.id as person_id, p.name, p.level, '' as what, null as unit, null as site, null as given_by, null::timestamptz as given_at,
		       null::timestamptz as used_at, null::timestamptz as taken_at, p.family_name as family
		from people p where p.level <> 'worker'
		union all
		select p.id, p.name, p.level, g.what, u.name, s.name, b.given_name || ' ' || b.family_name, g.given_at, g.used_at, g.taken_at,
		p.family_name
		from people p join grant_given g on g.person_id = p.id
		left join unit u on u.id = g.unit_id
		left join site s on s.id = g.site_id
		left join person b on b.id = g.given_by
		where g.given_at < $1 and (g.taken_at is null or g.taken_at >= $1)
		order by family, name, what`, end, on.String())
	if err != nil {
		return nil, fmt.Errorf("read who may what: %w", err)
	}
	return found, nil
}

// GrantUsed notes that a person used a right that they were given, at most once
// an hour.
func GrantUsed(ctx context.Context, q Q, person uuid.UUID, what []string, at time.Time) error {
	_, err := q.ExecContext(ctx, `
		update grant_given set used_at = $3::timestamptz
		where person_id = $1 and what = any($2) and taken_at is null
		and (used_at is null or used_at < $3::timestamptz - interval '1 hour')`, person, what, at)
	return err
}

// Credentials gives the id and password hash of somebody who works here on a
// date or is on the clock still, by e-mail address, mobile or number; phone is what
// the text is as a telephone number of the place's country, "" for none.
func Credentials(ctx context.Context, q Q, who, phone string, on when.Date) (id uuid.UUID, hash string, err error) {
	err = q.QueryRowxContext(ctx, `
		select id, coalesce(password_hash, '') from person p
		where (lower(email) = lower($1) or number = $1 or length($3) > 6 and regexp_replace(mobile, '[^0-9]', '', 'g') in ($3, $4))
		  and (coalesce(ended_on, 'infinity') >= $2 or exists (select 1 from stint where person_id = p.id and end_at is null))
		order by lower(email) = lower($1) desc nulls last, number = $1 desc limit 1`, who, on.String(), digits(who),
		digits(phone)).Scan(&id, &hash)
	return id, hash, err
}

// digits keeps the digits of a text.
func digits(text string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, text)
}
