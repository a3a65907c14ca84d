package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
)

// Amendment is a stored amendment: whose, on which card, and what one act did
// it with.
type Amendment struct {
	clock.Amendment
	Employment uuid.UUID
	Date       when.Date // the card on which it was made
	Batch      uuid.UUID
	Seconds    int64     // by how much it changed the time worked
	Odd        card.Code // what is odd about the job that it puts hours on, "" for nothing
	ByName     string
}

type amendmentRow struct {
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
	Marks      clock.Marks
	Account    string
	By         uuid.UUID `db:"by_person"`
	MadeAt     time.Time `db:"made_at"`
	Why        string
	Batch      uuid.UUID `db:"batch_id"`
	Seconds    int64
	Odd        card.Code
	From       time.Time `db:"from_at"`
	To         time.Time `db:"to_at"`
	ByName     string    `db:"by_name"`
}

const amendmentColumns = `a.id, a.employment_id, a.date, a.does, a.of_id, a.at, a.until, a.kind, a.job_id, a.task_id, a.class_id,
	a.by_person, a.made_at, a.why, a.batch_id, a.seconds, a.odd, a.from_at, a.to_at, a.marks, a.account`

func (r *amendmentRow) amendment() Amendment {
	a := Amendment{Employment: r.Employment, Date: r.Date, Batch: r.Batch, Seconds: r.Seconds, Odd: r.Odd, ByName: r.ByName,
		Amendment: clock.Amendment{ID: r.ID, Does: r.Does, Of: IDOrNil(r.Of), At: timeOr0(r.At), Until: timeOr0(r.Until),
			On:    clock.Assignment{Job: IDOrNil(r.Job), Task: IDOrNil(r.Task), Class: IDOrNil(r.Class), Account: r.Account},
			Marks: r.Marks, Made: r.MadeAt, By: r.By, Why: r.Why, From: r.From, To: r.To}}
	if r.Kind != nil {
		a.Kind = *r.Kind
	}
	return a
}

func amendmentsOf(rows []amendmentRow) []Amendment {
	found := make([]Amendment, len(rows))
	for i := range rows {
		found[i] = rows[i].amendment()
	}
	return found
}

// AmendmentColumns are the columns of [Amendment.Values], for bulk loading.
var AmendmentColumns = []string{"id", "employment_id", "date", "does", "of_id", "at", "until", "kind", "job_id", "task_id", "class_id",
	"by_person", "made_at", "why", "batch_id", "seconds", "odd", "from_at", "to_at", "marks", "account"}

// Values gives the amendment in the order of [AmendmentColumns].
func (a Amendment) Values() []any {
	return []any{a.ID, a.Employment, a.Date.String(), string(a.Does), nullID(a.Of), nullTime(a.At), nullTime(a.Until), nullKind(a.Kind),
		nullID(a.On.Job), nullID(a.On.Task), nullID(a.On.Class), a.By, a.Made, a.Why, a.Batch, a.Seconds, string(a.Odd), a.From, a.To,
		int16(a.Marks), a.On.Account}
}

func nullKind(k clock.Kind) *string {
	if k == "" {
		return nil
	}
	s := string(k)
	return &s
}

// InsertAmendments writes amendments. There is no update and no delete.
func InsertAmendments(ctx context.Context, q Q, amendments []Amendment) error {
	return insertRows(ctx, q, "amendment", AmendmentColumns, "", len(amendments), func(i int) []any { return amendments[i].Values() })
}

// AmendmentsAroundAll reads the amendments that the stints around some instants
// rest on, as [PunchesAroundAll] reads the punches.
func AmendmentsAroundAll(ctx context.Context, q Q, ats []At) ([]Amendment, error) {
	employments, instants := atArrays(ats)
	var rows []amendmentRow
	if err := q.SelectContext(ctx, &rows, amendmentsAround, employments, instants); err != nil {
		return nil, fmt.Errorf("read amendments: %w", err)
	}
	return amendmentsOf(rows), nil
}

const amendmentsAround = basesAt + `
	select ` + amendmentColumns + ` from base b join amendment a on a.employment_id = b.employment_id and a.to_at >= b.at`

// AskAmendmentsAround is [AmendmentsAroundAll] of one employment, to be sent
// with other statements.
func AskAmendmentsAround(employment uuid.UUID, at time.Time, into *[]Amendment) Ask {
	employments, instants := atArrays([]At{{employment, at}})
	return Ask{amendmentsAround, []any{employments, instants}, func(rows pgx.Rows) error {
		found, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[amendmentRow])
		*into = amendmentsOf(found)
		return err
	}}
}

// AmendmentsFrom reads the amendments that the stints of employments from a
// worked date on rest on, as [PunchesFrom] reads the punches.
func AmendmentsFrom(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]Amendment, error) {
	return amendmentsSince(ctx, q, sinceStints, employments, from)
}

// AmendmentsFor reads the amendments to what [PunchesFor] reads.
func AmendmentsFor(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]Amendment, error) {
	return amendmentsSince(ctx, q, sinceDay, employments, from)
}

func amendmentsSince(ctx context.Context, q Q, since string, employments []uuid.UUID, from when.Date) ([]Amendment, error) {
	var rows []amendmentRow
	if err := q.SelectContext(ctx, &rows, `select `+amendmentColumns+` from amendment a `+since+` and a.to_at >= b.first`,
		UUIDs(employments),
		from.String()); err != nil {
		return nil, fmt.Errorf("read amendments: %w", err)
	}
	return amendmentsOf(rows), nil
}

const namedAmendments = `select ` + amendmentColumns + `, p.given_name || ' ' || p.family_name as by_name
	from amendment a join person p on p.id = a.by_person`

// AmendmentsOn reads what was amended on the cards of an employment of some
// days, in order.
func AmendmentsOn(ctx context.Context, q Q, employment uuid.UUID, days when.Period) ([]Amendment, error) {
	var rows []amendmentRow
	if err := q.SelectContext(ctx, &rows, namedAmendments+` where a.employment_id = $1 and a.date between $2 and $3
		order by a.made_at, a.id`, employment, days.From.String(), days.To.String()); err != nil {
		return nil, fmt.Errorf("read what was amended: %w", err)
	}
	return amendmentsOf(rows), nil
}

// AmendmentsIn reads the amendments of a batch, in order.
func AmendmentsIn(ctx context.Context, q Q, batch uuid.UUID) ([]Amendment, error) {
	var rows []amendmentRow
	if err := q.SelectContext(ctx, &rows, namedAmendments+` where a.batch_id = $1 order by a.made_at, a.id`, batch); err != nil {
		return nil, fmt.Errorf("read a batch of amendments: %w", err)
	}
	return amendmentsOf(rows), nil
}

// StintsByID reads some stints, without names.
func StintsByID(ctx context.Context, q Q, ids []uuid.UUID) ([]Stint, error) {
	return bareStints(ctx, q, `id = any($1)`, UUIDs(ids))
}

// OtherStints reads the stints from an instant on that the people of some
// employments have in other ones.
func OtherStints(ctx context.Context, q Q, employments []uuid.UUID, from time.Time) ([]Stint, error) {
	return bareStints(ctx, q, `s.person_id in (select person_id from employment where id = any($1)) and s.employment_id <> all($1)
		and coalesce(s.end_at, 'infinity') > $2`, UUIDs(employments), from)
}
