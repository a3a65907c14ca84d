package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Finding is what somebody looks for on the timecards often.
type Finding struct {
	ID     uuid.UUID
	Person uuid.UUID `db:"person_id"`
	Name   string
	Query  string // of the address
	Shared bool
	MadeAt time.Time `db:"made_at"`
	ByName string    `db:"by_name"`
}

// Findings lists a person's own and those that are shared, by name.
func Findings(ctx context.Context, q Q, person uuid.UUID) ([]Finding, error) {
	var found []Finding
	if err := q.SelectContext(ctx, &found, `
		select f.id, f.person_id, f.name, f.query, f.shared, f.made_at, p.given_name || ' ' || p.family_name as by_name
		from finding f join person p on p.id = f.person_id where f.person_id = $1 or f.shared order by f.name, f.id`, person); err != nil {
		return nil, fmt.Errorf("read findings: %w", err)
	}
	return found, nil
}

// PutFinding keeps one.
func PutFinding(ctx context.Context, q Q, f Finding) error {
	if _, err := q.ExecContext(ctx, `insert into finding (id, person_id, name, query, shared, made_at) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do nothing`, f.ID, f.Person, f.Name, f.Query, f.Shared, f.MadeAt); err != nil {
		return fmt.Errorf("keep a finding: %w", err)
	}
	return nil
}

// DropFinding takes a person's own one out, and says whether there was one.
func DropFinding(ctx context.Context, q Q, id, person uuid.UUID) (bool, error) {
	return did(q.ExecContext(ctx, `delete from finding where id = $1 and person_id = $2`, id, person))
}

// Looked gives when a person last looked, nil where they never did.
func Looked(ctx context.Context, q Q, person uuid.UUID) (*time.Time, error) {
	var at time.Time
	err := q.GetContext(ctx, &at, `select at from looked where person_id = $1`, person)
	if NotFound(err) {
		return nil, nil
	}
	return &at, err
}

// PutLooked keeps when a person looked.
func PutLooked(ctx context.Context, q Q, person uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx,
		`insert into looked (person_id, at) values ($1, $2) on conflict (person_id) do update set at = excluded.at`, person, at)
	return err
}

// ChangedSince lists the cards of some days on which something was recorded since
// an instant: a punch, an amendment, a move, a note, a request or an objection.
func ChangedSince(ctx context.Context, q Q, days when.Period, since time.Time) ([]EmploymentDate, error) {
	var found []EmploymentDate
	if err := q.SelectContext(ctx, &found, `
		select employment_id, date from card_act where date between $1 and $2 and made_at > $3
		union select employment_id, date from amendment where date between $1 and $2 and made_at > $3
		union select employment_id, date from note where date between $1 and $2 and made_at > $3
		union select employment_id, date from request where date between $1 and $2 and made_at > $3
		union select employment_id, date from objection where date between $1 and $2 and made_at > $3
		union select s.employment_id, s.date from stint s join punch p on p.employment_id = s.employment_id
		      and p.claimed_at between coalesce(s.clocked_start, s.start_at) and coalesce(s.clocked_end, s.end_at,
			'infinity') and p.received_at > $3
		      where s.date between $1 and $2`, days.From.String(), days.To.String(), since); err != nil {
		return nil, fmt.Errorf("read what changed: %w", err)
	}
	return found, nil
}

// PointsOn gives at which clock points the hours of the cards of some days were
// clocked, with commas.
func PointsOn(ctx context.Context, q Q, days when.Period) (map[EmploymentDate]string, error) {
	var rows []struct {
		EmploymentDate
		Points string
	}
	err := q.SelectContext(ctx, &rows, `select employment_id, date, string_agg(distinct point, ', ') as points from hours
		where date between $1 and $2 group by employment_id, date`, days.From.String(), days.To.String())
	points := make(map[EmploymentDate]string, len(rows))
	for _, r := range rows {
		points[r.EmploymentDate] = r.Points
	}
	return points, err
}
