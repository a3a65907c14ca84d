package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/when"
)

// Adjustment is what somebody is paid, or has kept from them, besides their hours.
type Adjustment struct {
	ID            uuid.UUID
	Employment    uuid.UUID `db:"employment_id"`
	Does          string    // "earning" or "deduction"
	What          string
	PayCode       string `db:"pay_code"`
	Amount        decimal.Decimal
	Seconds       *int64           // of hours × rate, nil for a sum
	Rate          *decimal.Decimal //
	InRegularRate bool             `db:"in_regular_rate"`
	FlatSum       bool             `db:"flat_sum"`
	OverFrom      *when.Date       `db:"over_from"` // days that it was earned over
	OverTo        *when.Date       `db:"over_to"`
	From          when.Date        `db:"from_date"`
	Until         *when.Date       // by every run to then, nil for once
	By            uuid.UUID        `db:"by_person"`
	ByName        string           `db:"by_name"`
	MadeAt        time.Time        `db:"made_at"`
	Batch         *uuid.UUID       `db:"batch_id"`

	Person  uuid.UUID `db:"person_id"`
	Given   string    `db:"given_name"`
	Family  string    `db:"family_name"`
	Number  string
	Paid    bool      // a run that stands has paid it, once at least
	PayDate when.Date `db:"pay_date"` // of an occurrence: the day that it's dated in the run
}

// Name is the person's name.
func (a Adjustment) Name() string { return a.Given + " " + a.Family }

// InsertAdjustments keeps adjustments.
func InsertAdjustments(ctx context.Context, q Q, all ...Adjustment) error {
	text := func(d *when.Date) *string {
		if d == nil {
			return nil
		}
		s := d.String()
		return &s
	}
	if err := insertRows(ctx, q, "pay_adjustment", []string{"id", "employment_id", "does", "what", "pay_code", "amount", "seconds", "rate",
		"in_regular_rate", "flat_sum", "over_from", "over_to", "from_date", "until", "by_person", "made_at", "batch_id"}, "", len(all),
		func(i int) []any {
			a := all[i]
			return []any{a.ID, a.Employment, a.Does, a.What, a.PayCode, a.Amount, a.Seconds, a.Rate, a.InRegularRate, a.FlatSum,
				text(a.OverFrom), text(a.OverTo), a.From.String(), text(a.Until), a.By, a.MadeAt, a.Batch}
		}); err != nil {
		return fmt.Errorf("keep adjustments: %w", err)
	}
	return nil
}

const adjustmentColumns = `a.id, a.employment_id, a.does, a.what, a.pay_code, a.amount, a.seconds, a.rate, a.in_regular_rate, a.flat_sum,
	a.over_from, a.over_to, a.from_date, a.until, a.by_person, a.made_at, a.batch_id`

// Adjustments lists those of a group's people that a run from a day on can pay, by name.
func Adjustments(ctx context.Context, q Q, group string, from when.Date) ([]Adjustment, error) {
	var found []Adjustment
	if err := q.SelectContext(ctx, &found, `
		select `+adjustmentColumns+`, p.id as person_id, p.given_name, p.family_name, p.number, b.given_name || ' ' ||
			b.family_name as by_name,
		       exists (select 1 from run r where `+standing+` and r.period_group = $1 and r.to_date >= a.from_date) as paid
		from pay_adjustment a join employment e on e.id = a.employment_id join person p on p.id = e.person_id
		join person b on b.id = a.by_person
		where a.gone_at is null and coalesce(a.until, a.from_date) >= $2 and exists (
			select 1 from membership m where m.employment_id = a.employment_id and m.period_group = $1
			and m.starts_on <= coalesce(a.until, a.from_date) and m.ends_on >= a.from_date)
		order by p.family_name, p.given_name, a.made_at`, group, from.String()); err != nil {
		return nil, fmt.Errorf("read adjustments: %w", err)
	}
	return found, nil
}

// GetAdjustment reads one that wasn't taken back.
func GetAdjustment(ctx context.Context, q Q, id uuid.UUID) (a Adjustment, err error) {
	err = q.GetContext(ctx, &a, `
		select `+adjustmentColumns+`, p.id as person_id, p.given_name, p.family_name, p.number
		from pay_adjustment a join employment e on e.id = a.employment_id join person p on p.id = e.person_id
		where a.id = $1 and a.gone_at is null`, id)
	return a, err
}

// DropAdjustment takes one back.
func DropAdjustment(ctx context.Context, q Q, id uuid.UUID, at time.Time) error {
	_, err := q.ExecContext(ctx, `update pay_adjustment set gone_at = $2 where id = $1`, id, at)
	return err
}

// EndAdjustment lets one be paid to a day.
func EndAdjustment(ctx context.Context, q Q, id uuid.UUID, until when.Date) error {
	_, err := q.ExecContext(ctx, `update pay_adjustment set until = $2 where id = $1`, id, until.String())
	return err
}

// PayAdjustments lists what is paid, or kept, of people's adjustments in the weeks that a run looks at, to
// its end: those that are due once on their day; those of every run on the last day of each pay
// period of a run that stands, and of the one that is open, or on somebody's last day in it. Sums that were earned over days
// of those weeks come too, whenever they're paid.
func PayAdjustments(ctx context.Context, q Q, s PayScope, period when.Period) ([]Adjustment, error) {
	from := s.From
	for _, w := range s.Earlier {
		from = min(from, w.Week)
	}
	var found []Adjustment
	if err := q.SelectContext(ctx, &found, `
		with ends as (
			select r.from_date, r.to_date from run r where r.period_group = $1 and `+standing+` and r.to_date >= $2
			union select $3::date, $4::date)
		select `+adjustmentColumns+`, least(e.to_date, m.ends_on, h.ends_on, p.ended_on) as pay_date from pay_adjustment a
		join membership m on m.employment_id = a.employment_id and m.period_group = $1
		join employment h on h.id = a.employment_id join person p on p.id = h.person_id
		join ends e on m.starts_on <= e.to_date and least(m.ends_on, h.ends_on, p.ended_on) >= e.from_date
		where a.until is not null and a.gone_at is null and 
		      least(e.to_date, m.ends_on, h.ends_on, p.ended_on) between a.from_date and a.until
		  and least(e.to_date, m.ends_on, h.ends_on, p.ended_on) <= $6 and ($5::uuid[] = '{}' or a.employment_id = any($5))
		union all
		select `+adjustmentColumns+`, a.from_date from pay_adjustment a
		join membership m on m.employment_id = a.employment_id and m.period_group = $1 and a.from_date between m.starts_on and m.ends_on
		where a.until is null and a.gone_at is null and a.from_date <= $6 and (a.from_date >= $2 or a.over_to >= $2)
		  and ($5::uuid[] = '{}' or a.employment_id = any($5))
		order by employment_id, pay_date,
			id`, s.Group, from.String(), period.From.String(), period.To.String(), orEmpty(s.Only), s.To.String()); err != nil {
		return nil, fmt.Errorf("read the adjustments of a run: %w", err)
	}
	return found, nil
}

// BonusSpan is that somebody's sum was earned over days.
type BonusSpan struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date `db:"from_date"` // on which it's paid
	From       when.Date `db:"over_from"`
	To         when.Date `db:"over_to"`
}

// BonusSpans lists those that are paid from a day on, or were earned by some employments.
func BonusSpans(ctx context.Context, q Q, from, to when.Date, of []uuid.UUID) ([]BonusSpan, error) {
	var found []BonusSpan
	if err := q.SelectContext(ctx, &found, `
		select employment_id, from_date, over_from, over_to from pay_adjustment
		where over_from is not null and gone_at is null and from_date <= $2
		  and (from_date >= $1 or over_to >= $1 or employment_id = any($3))
		order by employment_id, from_date`, from.String(), to.String(), orEmpty(UUIDs(of))); err != nil {
		return nil, fmt.Errorf("read what was earned over several weeks: %w", err)
	}
	return found, nil
}

// NamedDifferential is a differential of named people. FromTime and ToTime are seconds of the local day,
// Percent is in hundredths.
type NamedDifferential struct {
	ID       uuid.UUID
	Name     string
	FromTime int64           `db:"from_time"`
	ToTime   int64           `db:"to_time"`
	PerHour  decimal.Decimal `db:"per_hour"`
	Percent  int64
	StartsOn when.Date  `db:"starts_on"`
	EndsOn   *when.Date `db:"ends_on"`
	MadeAt   time.Time  `db:"made_at"`
	People   string     // their names, the first few
	Of       UUIDs      // employments
}

// InsertDifferential keeps a differential of some employments.
func InsertDifferential(ctx context.Context, q Q, d NamedDifferential) error {
	var ends *string
	if d.EndsOn != nil {
		text := d.EndsOn.String()
		ends = &text
	}
	if _, err := q.ExecContext(ctx, `
		with made as (insert into pay_differential (id, name, from_time, to_time, per_hour, percent, starts_on, ends_on, made_at)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9))
		insert into pay_differential_of select $1, unnest($10::uuid[])`, d.ID, d.Name, d.FromTime, d.ToTime, d.PerHour, d.Percent,
		d.StartsOn.String(), ends, d.MadeAt, d.Of); err != nil {
		return fmt.Errorf("keep a differential: %w", err)
	}
	return nil
}

// EndDifferential lets one be paid to a day, or takes it out where that lies before it begins; false where
// there is none.
func EndDifferential(ctx context.Context, q Q, id uuid.UUID, last when.Date, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `
		update pay_differential set ends_on = case when $2::date >= starts_on then $2::date else ends_on end,
			gone_at = case when $2::date < starts_on then $3::timestamptz end
		where id = $1 and gone_at is null and coalesce(ends_on, 'infinity') > $2`, id, last.String(), at))
}

// NamedDifferentials lists those in force on a day or later.
func NamedDifferentials(ctx context.Context, q Q, from when.Date) ([]NamedDifferential, error) {
	var found []NamedDifferential
	if err := q.SelectContext(ctx, &found, `
		select d.id, d.name, d.from_time, d.to_time, d.per_hour, d.percent, d.starts_on, d.ends_on, d.made_at,
		       array_agg(o.employment_id order by o.employment_id)::text as of,
		       string_agg(p.given_name || ' ' || p.family_name, ', ' order by p.family_name, p.given_name) as people
		from pay_differential d join pay_differential_of o on o.differential_id = d.id join employment e on e.id = o.employment_id
		join person p on p.id = e.person_id
		where d.gone_at is null and coalesce(d.ends_on, 'infinity') >= $1 group by d.id order by d.made_at,
			d.id`, from.String()); err != nil {
		return nil, fmt.Errorf("read the differentials of people: %w", err)
	}
	return found, nil
}

// DifferentialPersons lists who gets a differential: employments, and in the same order the persons.
func DifferentialPersons(ctx context.Context, q Q, id uuid.UUID) (employments, persons []uuid.UUID, err error) {
	var found []struct{ Employment, Person uuid.UUID }
	if err := q.SelectContext(ctx, &found, `
		select e.id as employment, e.person_id as person from pay_differential_of o join employment e on e.id = o.employment_id
		where o.differential_id = $1 order by e.id`, id); err != nil {
		return nil, nil, fmt.Errorf("read who gets a differential: %w", err)
	}
	for _, f := range found {
		employments, persons = append(employments, f.Employment), append(persons, f.Person)
	}
	return employments, persons, nil
}

// EmploymentsOfUnit lists who is in a crew, by its name, on a day.
func EmploymentsOfUnit(ctx context.Context, q Q, unit string, on when.Date) (UUIDs, error) {
	var found []uuid.UUID
	if err := q.SelectContext(ctx, &found, `
		select e.id from employment e join unit u on u.id = e.unit_id join person p on p.id = e.person_id
		where u.name = $1 and coalesce(e.ends_on, 'infinity') >= $2 and not p.sample order by e.id`, unit, on.String()); err != nil {
		return nil, fmt.Errorf("read who is in a crew: %w", err)
	}
	return found, nil
}

// Member is somebody who is in the runs of a group.
type Member struct {
	Employment uuid.UUID `db:"id"`
	Number     string
	Given      string `db:"given_name"`
	Family     string `db:"family_name"`
}

// MembersCalled lists who is in the runs of a group on some day of a span and is called by some texts: their
// numbers, or their names as they stand.
func MembersCalled(ctx context.Context, q Q, group string, from, to when.Date, called Texts) ([]Member, error) {
	var found []Member
	if err := q.SelectContext(ctx, &found, `
		select e.id, p.number, p.given_name, p.family_name from employment e join person p on p.id = e.person_id
		where (p.number = any($4) or lower(p.given_name || ' ' || p.family_name) = any(select lower(x) from unnest($4::text[]) x))
		  and exists (select 1 from membership m where m.employment_id = e.id and m.period_group = $1
		              and m.starts_on <= $3 and m.ends_on >= $2)
		order by p.number, e.id`, group, from.String(), to.String(), called); err != nil {
		return nil, fmt.Errorf("find who is paid: %w", err)
	}
	return found, nil
}
