package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// CustomerLink is a link by which a customer reads the hours on their jobs.
type CustomerLink struct {
	ID         uuid.UUID
	Customer   uuid.UUID  `db:"customer_id"`
	GivenTo    string     `db:"given_to"`
	WithNames  bool       `db:"with_names"`
	MadeAt     time.Time  `db:"made_at"`
	ByName     string     `db:"by_name"`
	LastDay    *when.Date `db:"last_day"`
	TakenAt    *time.Time `db:"taken_at"`
	LastSeenAt *time.Time `db:"last_seen_at"`
}

// GetCustomer gives a customer's name.
func GetCustomer(ctx context.Context, q Q, id uuid.UUID) (string, error) {
	var name string
	err := q.GetContext(ctx, &name, `select name from customer where id = $1`, id)
	return name, err
}

// RenameCustomer changes a customer's name.
func RenameCustomer(ctx context.Context, q Q, id uuid.UUID, name string) error {
	_, err := q.ExecContext(ctx, `update customer set name = $2 where id = $1`, id, name)
	return err
}

const customerLinks = `select l.id, l.customer_id, l.given_to, l.with_names, l.made_at, p.given_name || ' ' || p.family_name as by_name,
	l.last_day, l.taken_at, l.last_seen_at
	from customer_link l join person p on p.id = l.made_by `

// CustomerLinks lists the links of a customer that are not taken back.
func CustomerLinks(ctx context.Context, q Q, customer uuid.UUID) ([]CustomerLink, error) {
	var found []CustomerLink
	err := q.SelectContext(ctx, &found, customerLinks+`where l.customer_id = $1 and l.taken_at is null order by l.made_at`, customer)
	return found, err
}

// CustomerLinkOf reads the link of a token that still holds on a date, and
// keeps when it was used.
func CustomerLinkOf(ctx context.Context, q Q, hash []byte, on when.Date, now time.Time) (CustomerLink, error) {
	var l CustomerLink
	if err := q.GetContext(ctx, &l, customerLinks+`where l.token_hash = $1 and l.taken_at is null
		and coalesce(l.last_day, 'infinity') >= $2`, hash, on.String()); err != nil {
		return l, err
	}
	_, err := q.ExecContext(ctx, `update customer_link set last_seen_at = $2 where id = $1
		and coalesce(last_seen_at, '-infinity') < $2::timestamptz - interval '1 minute'`, l.ID, now)
	return l, err
}

// InsertCustomerLink keeps a link by the hash of its token.
func InsertCustomerLink(ctx context.Context, q Q, l CustomerLink, hash []byte, by uuid.UUID) error {
	var last *string
	if l.LastDay != nil {
		text := l.LastDay.String()
		last = &text
	}
	_, err := q.ExecContext(ctx, `insert into customer_link (id, token_hash, customer_id, given_to, with_names, made_at, made_by, last_day)
		values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		l.ID, hash, l.Customer, l.GivenTo, l.WithNames, l.MadeAt, by, last)
	return err
}

// TakeCustomerLink takes a link back and gives whom it was given to.
func TakeCustomerLink(ctx context.Context, q Q, id, customer uuid.UUID, at time.Time) (string, error) {
	var given string
	err := q.GetContext(ctx, &given, `update customer_link set taken_at = $3 where id = $1 and customer_id = $2 and taken_at is null
		returning given_to`, id, customer, at)
	return given, err
}

// CustomerHours are the hours of a day on a task of a customer's job. Checked
// says that they are approved; People counts who worked them, and Names says
// who, where that was asked for.
type CustomerHours struct {
	Job      uuid.UUID `db:"job_id"`
	Number   string
	Name     string
	Date     when.Date
	Task     string
	Billable bool
	Checked  bool
	People   int
	Names    string
	Seconds  int64
}

// HoursForCustomer reads the hours on a customer's jobs in a span of worked
// days, by job, day and task. What is running is not in it.
func HoursForCustomer(ctx context.Context, q Q, customer uuid.UUID, span when.Period, withNames bool) ([]CustomerHours, error) {
	names := `''`
	if withNames {
		names = `string_agg(distinct p.given_name || ' ' || p.family_name, ', ')`
	}
	var found []CustomerHours
	err := q.SelectContext(ctx, &found, `
		select s.job_id, j.number, j.name, s.date, coalesce(t.name, '') as task,
		       case s.billing when 8 then true when 16 then false
		       else j.billable and coalesce(t.billable, true) end as billable, c.state in ('approved', 'paid') as checked,
		       count(distinct e.person_id) as people, `+names+` as names, sum(s.seconds) as seconds
		from job j join hours s on s.job_id = j.id and s.kind = 'work' and s.date between $2 and $3
		join card c on c.date = s.date and c.employment_id = s.employment_id join employment e on e.id = s.employment_id
		join person p on p.id = e.person_id
		left join task t on t.id = s.task_id
		where j.customer_id = $1 and not p.sample group by s.job_id, j.number, j.name, s.date, 5, 6, 7
		order by j.number, s.date, 5`, customer, span.From.String(), span.To.String())
	if err != nil {
		return nil, fmt.Errorf("read a customer's hours: %w", err)
	}
	return found, nil
}

// CustomerID gives the customer of a name, adding one that is new; the zero
// id for an empty name.
func CustomerID(ctx context.Context, q Q, name string) (uuid.UUID, error) {
	if name == "" {
		return uuid.Nil, nil
	}
	var id uuid.UUID
	err := q.GetContext(ctx, &id, `insert into customer (id, name) values ($1, $2) on conflict (name) do update set name = excluded.name
		returning id`, uuid.Must(uuid.NewV7()), name)
	return id, err
}

// Customers lists the customers by name.
func Customers(ctx context.Context, q Q) ([]Named, error) {
	return listNamed(ctx, q, `select id, name from customer order by name`)
}
