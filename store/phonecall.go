package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
)

// PhoneCall is a call that a phone line took.
type PhoneCall struct {
	ID      uuid.UUID
	Point   uuid.UUID `db:"point_id"`
	Caller  string
	Person  *uuid.UUID `db:"person_id"`
	Act     string
	Outcome string // "recorded", "claim" or "refused"
	Why     string
	Note    string
	At      time.Time

	// What it is shown with.
	Name      string
	PointName string `db:"point_name"`
}

// InsertCall keeps a call. There is no update and no delete.
func InsertCall(ctx context.Context, q Q, c PhoneCall) error {
	if _, err := q.ExecContext(ctx, `insert into phone_call (id, point_id, caller, person_id, act, outcome, why, note, at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict (id) do nothing`,
		c.ID, c.Point, c.Caller, c.Person, c.Act, c.Outcome, c.Why, c.Note, c.At); err != nil {
		return fmt.Errorf("keep a call: %w", err)
	}
	return nil
}

// GetCall reads a call.
func GetCall(ctx context.Context, q Q, id uuid.UUID) (c PhoneCall, err error) {
	err = q.GetContext(ctx, &c, `select id, point_id, caller, person_id, act, outcome, why, note, at from phone_call where id = $1`, id)
	return c, err
}

// Calls lists the calls since an instant, the newest first.
func Calls(ctx context.Context, q Q, since time.Time, most int) ([]PhoneCall, error) {
	var found []PhoneCall
	if err := q.SelectContext(ctx, &found, `
		select c.id, c.point_id, c.caller, c.person_id, c.act, c.outcome, c.why, c.note, c.at, k.name as point_name,
		       coalesce(p.given_name || ' ' || p.family_name, '') as name
		from phone_call c join clock_point k on k.id = c.point_id left join person p on p.id = c.person_id
		where c.at > $1 order by c.at desc, c.id limit $2`, since, most); err != nil {
		return nil, fmt.Errorf("read calls: %w", err)
	}
	return found, nil
}

// HasMobile says whether somebody's own mobile has a number, as it is kept (E.164).
func HasMobile(ctx context.Context, q Q, person uuid.UUID, number string) (has bool, err error) {
	err = q.GetContext(ctx, &has, `select exists (select from person where id = $1 and mobile = $2 and $2 <> '')`, person, number)
	return has, err
}

// NumberOfMobile gives the personnel number of who has a mobile; its error is [NotFound]
// where nobody has, or several.
func NumberOfMobile(ctx context.Context, q Q, mobile string) (number string, err error) {
	err = q.GetContext(ctx, &number, `select min(number) from person where mobile = $1 and erased_at is null having count(*) = 1`, mobile)
	return number, err
}
