package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// Claim is a punch that counts only once somebody else has taken it.
type Claim struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Act        clock.Act
	Break      *clock.Kind `db:"break_kind"`
	Job        *uuid.UUID  `db:"job_id"`
	Task       *uuid.UUID  `db:"task_id"`
	Class      *uuid.UUID  `db:"class_id"`
	Marks      clock.Marks
	By         uuid.UUID  `db:"by_person"`
	At         *uuid.UUID `db:"clock_point_id"` // the clock point where it was pressed
	Claimed    time.Time  `db:"claimed_at"`
	Device     *time.Time `db:"device_at"`
	Received   time.Time  `db:"received_at"`
	Why        string     // "late", "before", "after", "refused" or "said"
	Words      string     // of whoever claims

	// What became of it, and whose it is.
	AnsweredBy *string    `db:"answered_by"`
	AnsweredAt *time.Time `db:"answered_at"`
	Punch      *uuid.UUID `db:"punch_id"` // nil where it was declined
	Reason     *string
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	UnitName   string    `db:"unit_name"`
	JobName    string    `db:"job_name"`
	Zone       string
}

// Name is the name of whose it is.
func (c Claim) Name() string { return c.Given + " " + c.Family }

// Answered says whether somebody took or declined it.
func (c Claim) Answered() bool { return c.AnsweredAt != nil }

// On is what the claim says was worked on.
func (c Claim) On() clock.Assignment {
	return clock.Assignment{Job: IDOrNil(c.Job), Task: IDOrNil(c.Task), Class: IDOrNil(c.Class)}
}

const claims = `
	select c.id, c.employment_id, c.date, c.act, c.break_kind, c.job_id, c.task_id, c.class_id, c.by_person, c.claimed_at, c.device_at,
	c.received_at,
	       c.why, c.words, c.marks, b.given_name || ' ' || b.family_name as answered_by, a.made_at as answered_at, a.punch_id, a.reason,
	       e.person_id, e.unit_id, p.given_name, p.family_name, u.name as unit_name, coalesce(j.number || ' ' || j.name, '') as job_name,
	       s.zone
	from claim c
	join employment e on e.id = c.employment_id
	join person p on p.id = e.person_id
	join unit u on u.id = e.unit_id
	join site s on s.id = e.site_id
	left join job j on j.id = c.job_id
	left join claim_answer a on a.claim_id = c.id
	left join person b on b.id = a.by_person
	`

// InsertClaim keeps a claim. There is no update and no delete.
func InsertClaim(ctx context.Context, q Q, c Claim) error {
	_, err := q.ExecContext(ctx, `
		insert into claim (id, employment_id, date, act, break_kind, job_id, task_id, class_id, by_person, claimed_at, device_at,
		received_at, why, words, clock_point_id, marks)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)`,
		c.ID, c.Employment, c.Date.String(), c.Act, c.Break, c.Job, c.Task, c.Class, c.By, c.Claimed, c.Device, c.Received, c.Why, c.Words,
		c.At, int16(c.Marks))
	if err != nil {
		return fmt.Errorf("keep a claim: %w", err)
	}
	return nil
}

// AnswerClaim keeps what became of a claim: punch is the one that it made, nil
// where it was declined.
func AnswerClaim(ctx context.Context, q Q, claim, by uuid.UUID, at time.Time, punch *uuid.UUID, reason string) error {
	_, err := q.ExecContext(ctx, `insert into claim_answer (claim_id, employment_id, by_person, made_at, punch_id, reason)
		select id, employment_id, $2, $3, $4, $5 from claim where id = $1`, claim, by, at, punch, reason)
	if err != nil {
		return fmt.Errorf("answer a claim: %w", err)
	}
	return nil
}

// GetClaim reads a claim.
func GetClaim(ctx context.Context, q Q, id uuid.UUID) (Claim, error) {
	var c Claim
	err := q.GetContext(ctx, &c, claims+`where c.id = $1`, id)
	return c, err
}

// ClaimsOf lists the claims of an employment that are open, or were answered
// since a date, the newest first.
func ClaimsOf(ctx context.Context, q Q, employment uuid.UUID, since when.Date) ([]Claim, error) {
	var found []Claim
	err := q.SelectContext(ctx, &found, claims+`
	where c.employment_id = $1 and (a.claim_id is null or c.date >= $2) order by c.claimed_at desc limit 50`, employment, since.String())
	if err != nil {
		return nil, fmt.Errorf("read claims: %w", err)
	}
	return found, nil
}

// OpenClaims lists the claims that wait for somebody, by person and time. A nil
// units means all.
func OpenClaims(ctx context.Context, q Q, units []uuid.UUID) (found []Claim, err error) {
	const order = ` order by p.family_name, p.given_name, c.claimed_at limit 500`
	if units == nil {
		err = q.SelectContext(ctx, &found, claims+`where a.claim_id is null`+order)
	} else {
		err = q.SelectContext(ctx, &found, claims+`where a.claim_id is null and e.unit_id = any($1)`+order, UUIDs(units))
	}
	if err != nil {
		return nil, fmt.Errorf("read claims: %w", err)
	}
	return found, nil
}

// AnsweredClaims lists the claims that were answered, the newest first. A nil
// units means all.
func AnsweredClaims(ctx context.Context, q Q, units []uuid.UUID, limit int) (found []Claim, err error) {
	const order = ` order by a.made_at desc limit `
	if units == nil {
		err = q.SelectContext(ctx, &found, claims+`where a.claim_id is not null`+order+`$1`, limit)
	} else {
		err = q.SelectContext(ctx, &found, claims+`where a.claim_id is not null and e.unit_id = any($1)`+order+`$2`, UUIDs(units), limit)
	}
	if err != nil {
		return nil, fmt.Errorf("read answered claims: %w", err)
	}
	return found, nil
}

// CountOpenClaims gives how many claims wait. A nil units means all.
func CountOpenClaims(ctx context.Context, q Q, units []uuid.UUID) (n int, err error) {
	const open = `select count(*) from claim c where not exists (select 1 from claim_answer a where a.claim_id = c.id)`
	if units == nil {
		err = q.GetContext(ctx, &n, open)
	} else {
		err = q.GetContext(ctx, &n, open+` and exists (select 1 from employment e where e.id = c.employment_id and e.unit_id = any($1))`,
			UUIDs(units))
	}
	if err != nil {
		err = fmt.Errorf("count claims: %w", err)
	}
	return n, err
}
