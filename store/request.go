package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/when"
)

// Request is a change of hours that somebody asks for.
type Request struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Does       clock.AmendAct
	Of         *uuid.UUID `db:"of_id"`
	At         *time.Time
	Until      *time.Time
	Kind       *clock.Kind
	Job        *uuid.UUID `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Class      *uuid.UUID `db:"class_id"`
	By         uuid.UUID  `db:"by_person"`
	MadeAt     time.Time  `db:"made_at"`
	Why        string

	// What became of it, and whose it is.
	ByName     string     `db:"by_name"`
	AnsweredBy *string    `db:"answered_by"`
	AnsweredAt *time.Time `db:"answered_at"`
	Batch      *uuid.UUID `db:"batch_id"` // what it led to; nil where it was declined
	Reason     *string
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	UnitName   string    `db:"unit_name"`
	JobName    string    `db:"job_name"`
	Zone       string
}

// Name is the name of whose hours it is about.
func (r Request) Name() string { return r.Given + " " + r.Family }

// Answered says whether somebody took or declined it.
func (r Request) Answered() bool { return r.AnsweredAt != nil }

// On is what it asks to be worked on.
func (r Request) On() clock.Assignment {
	return clock.Assignment{Job: IDOrNil(r.Job), Task: IDOrNil(r.Task), Class: IDOrNil(r.Class)}
}

const requests = `
	select c.id, c.employment_id, c.date, c.does, c.of_id, c.at, c.until, c.kind, c.job_id, c.task_id, c.class_id, c.by_person, c.made_at,
	       c.why, w.given_name || ' ' || w.family_name as by_name, b.given_name || ' ' || b.family_name as answered_by,
	       a.made_at as answered_at, a.batch_id, a.reason, e.person_id, e.unit_id, p.given_name, p.family_name, u.name as unit_name,
	       coalesce(j.number || ' ' || j.name, '') as job_name, s.zone
	from request c
	join employment e on e.id = c.employment_id
	join person p on p.id = e.person_id
	join unit u on u.id = e.unit_id
	join site s on s.id = e.site_id
	join person w on w.id = c.by_person
	left join job j on j.id = c.job_id
	left join request_answer a on a.request_id = c.id
	left join person b on b.id = a.by_person
	`

// InsertRequest keeps a request. There is no update and no delete.
func InsertRequest(ctx context.Context, q Q, r Request) error {
	if _, err := q.ExecContext(ctx, `
		insert into request (id, employment_id, date, does, of_id, at, until, kind, job_id, task_id, class_id, by_person, made_at, why)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)`,
		r.ID, r.Employment, r.Date.String(), r.Does, r.Of, r.At, r.Until, r.Kind, r.Job, r.Task, r.Class, r.By, r.MadeAt,
		r.Why); err != nil {
		return fmt.Errorf("keep a request: %w", err)
	}
	return nil
}

// AnswerRequest keeps what became of a request: batch is what it led to, nil
// where it was declined.
func AnswerRequest(ctx context.Context, q Q, request, by uuid.UUID, at time.Time, batch *uuid.UUID, reason string) error {
	if _, err := q.ExecContext(ctx, `insert into request_answer (request_id, employment_id, by_person, made_at, batch_id, reason)
		select id, employment_id, $2, $3, $4, $5 from request where id = $1`, request, by, at, batch, reason); err != nil {
		return fmt.Errorf("answer a request: %w", err)
	}
	return nil
}

// GetRequest reads a request.
func GetRequest(ctx context.Context, q Q, id uuid.UUID) (Request, error) {
	var r Request
	err := q.GetContext(ctx, &r, requests+`where c.id = $1`, id)
	return r, err
}

// RequestsOf lists the requests about an employment that are open, or of days
// since a date, the newest first.
func RequestsOf(ctx context.Context, q Q, employment uuid.UUID, since when.Date) ([]Request, error) {
	return listRequests(ctx, q, `where c.employment_id = $1 and (a.request_id is null or c.date >= $2) order by c.made_at desc limit 50`,
		employment, since.String())
}

// OpenRequests lists the requests that wait for somebody, by person and day. A
// nil units means all.
func OpenRequests(ctx context.Context, q Q, units []uuid.UUID) ([]Request, error) {
	const order = ` order by p.family_name, p.given_name, c.date limit 500`
	if units == nil {
		return listRequests(ctx, q, `where a.request_id is null`+order)
	}
	return listRequests(ctx, q, `where a.request_id is null and e.unit_id = any($1)`+order, UUIDs(units))
}

// AnsweredRequests lists those that were answered, the newest first. A nil units
// means all.
func AnsweredRequests(ctx context.Context, q Q, units []uuid.UUID, limit int) ([]Request, error) {
	const order = ` order by a.made_at desc limit $1`
	if units == nil {
		return listRequests(ctx, q, `where a.request_id is not null`+order, limit)
	}
	return listRequests(ctx, q, `where a.request_id is not null and e.unit_id = any($2)`+order, limit, UUIDs(units))
}

func listRequests(ctx context.Context, q Q, where string, args ...any) (found []Request, err error) {
	if err = q.SelectContext(ctx, &found, requests+where, args...); err != nil {
		return nil, fmt.Errorf("read requests: %w", err)
	}
	return found, nil
}

// CountOpenRequests gives how many requests wait. A nil units means all.
func CountOpenRequests(ctx context.Context, q Q, units []uuid.UUID) (n int, err error) {
	const open = `select count(*) from request c where not exists (select 1 from request_answer a where a.request_id = c.id)`
	if units == nil {
		err = q.GetContext(ctx, &n, open)
	} else {
		err = q.GetContext(ctx, &n, open+` and exists (select 1 from employment e where e.id = c.employment_id and e.unit_id = any($1))`,
			UUIDs(units))
	}
	if err != nil {
		err = fmt.Errorf("count requests: %w", err)
	}
	return n, err
}
