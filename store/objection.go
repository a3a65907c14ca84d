package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Objection is what somebody says against a change that others made to their
// hours, with the answer.
type Objection struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	By         uuid.UUID `db:"by_person"`
	ByName     string    `db:"by_name"`
	MadeAt     time.Time `db:"made_at"`
	Body       string
	AnsweredBy *string    `db:"answered_by"`
	AnsweredAt *time.Time `db:"answered_at"`
	Answer     *string
}

// Answered says whether somebody answered it.
func (o Objection) Answered() bool { return o.AnsweredAt != nil }

const objections = `
	select o.id, o.employment_id, o.date, o.by_person, p.given_name || ' ' || p.family_name as by_name, o.made_at, o.body,
	       b.given_name || ' ' || b.family_name as answered_by, a.made_at as answered_at, a.body as answer
	from objection o join person p on p.id = o.by_person
	left join objection_answer a on a.objection_id = o.id left join person b on b.id = a.by_person
	`

// InsertObjection keeps an objection. There is no update and no delete.
func InsertObjection(ctx context.Context, q Q, o Objection) error {
	if _, err := q.ExecContext(ctx,
		`insert into objection (id, employment_id, date, by_person, made_at, body) values ($1, $2, $3, $4, $5, $6)`,
		o.ID, o.Employment, o.Date.String(), o.By, o.MadeAt, o.Body); err != nil {
		return fmt.Errorf("keep an objection: %w", err)
	}
	return nil
}

// AnswerObjection keeps the answer to one.
func AnswerObjection(ctx context.Context, q Q, objection, by uuid.UUID, at time.Time, body string) error {
	if _, err := q.ExecContext(ctx, `insert into objection_answer (objection_id, employment_id, by_person, made_at, body)
		select id, employment_id, $2, $3, $4 from objection where id = $1`, objection, by, at, body); err != nil {
		return fmt.Errorf("answer an objection: %w", err)
	}
	return nil
}

// GetObjection reads an objection.
func GetObjection(ctx context.Context, q Q, id uuid.UUID) (Objection, error) {
	var o Objection
	err := q.GetContext(ctx, &o, objections+`where o.id = $1`, id)
	return o, err
}

// ObjectionsOn reads the objections to the cards of an employment of some days,
// in order.
func ObjectionsOn(ctx context.Context, q Q, employment uuid.UUID, days when.Period) ([]Objection, error) {
	var found []Objection
	if err := q.SelectContext(ctx, &found, objections+`where o.employment_id = $1 and o.date between $2 and $3 order by o.made_at, o.id`,
		employment, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read objections: %w", err)
	}
	return found, nil
}

// CountWaiting counts what is open on some cards anew: requests and objections.
func CountWaiting(ctx context.Context, q Q, cards []EmploymentDate) error {
	employments, on := cardArrays(cards)
	if _, err := q.ExecContext(ctx, `update card c set requests = `+openRequests+`, objections = `+openObjections+`
		from `+ofCards+` where c.employment_id = w.employment_id and c.date = w.date`, employments, on); err != nil {
		return fmt.Errorf("count what waits on a card: %w", err)
	}
	return nil
}

// openRequests and openObjections count what waits on a card c.
const (
	openRequests = `(select count(*) from request r where r.employment_id = c.employment_id and r.date = c.date
	                 and not exists (select 1 from request_answer a where a.request_id = r.id))`
	openObjections = `(select count(*) from objection o where o.employment_id = c.employment_id and o.date = c.date
	                   and not exists (select 1 from objection_answer a where a.objection_id = o.id))`
)

// WrongWaiting lists the cards of some employments from a worked date on whose
// counts of what waits are not what was recorded.
func WrongWaiting(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]EmploymentDate, error) {
	var found []EmploymentDate
	if err := q.SelectContext(ctx, &found, `select employment_id, date from card c where employment_id = any($1) and date >= $2
		and (requests <> `+openRequests+` or objections <> `+openObjections+`) order by employment_id, date`,
		UUIDs(employments), from.String()); err != nil {
		return nil, fmt.Errorf("compare what waits: %w", err)
	}
	return found, nil
}
