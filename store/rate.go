package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/when"
)

// Rates are the dated rates of employments and the least rates of public
// works by job and class, ids as text.
type Rates struct {
	dated map[uuid.UUID][]pay.DatedRate
	wages map[[2]string][]datedDetermination // the oldest first
}

// Determination gives what a public work's wage determination sets for a class
// on a date: the last that began by then.
func (r Rates) Determination(job, class string, on when.Date) Determination {
	var in Determination
	for _, d := range r.wages[[2]string{job, class}] {
		if d.From <= on {
			in = d.Determination
		}
	}
	return in
}

// Of gives the rate of an employment on a date: its own, or what the wage
// determination of a public work sets for the class when that is higher.
func (r Rates) Of(employment uuid.UUID, on when.Date, job, class string) pay.Rate {
	return pay.BasicRate(pay.RateOn(r.dated[employment], on), r.Determination(job, class, on).Base)
}

// WithoutDeterminations gives the rates of people alone.
func (r Rates) WithoutDeterminations() Rates { return Rates{dated: r.dated} }

// Fringe gives what a public work's wage determination adds to every hour of
// a class on a date, in cash and into a plan.
func (r Rates) Fringe(on when.Date, job, class string) (cash, plan pay.Rate) {
	d := r.Determination(job, class, on)
	return d.Cash, d.Plan
}

type datedDetermination struct {
	From when.Date
	Determination
}

// Determination is what a public work's wage determination sets for a class:
// the least basic rate, and fringe in cash and into a plan.
type Determination struct{ Base, Cash, Plan pay.Rate }

// GetRates reads all rates.
func GetRates(ctx context.Context, q Q) (Rates, error) { return RatesOf(ctx, q, nil) }

// RatesOf reads the rates of some employments, of all with nil, and wage determinations.
func RatesOf(ctx context.Context, q Q, employments []uuid.UUID) (Rates, error) {
	r := Rates{map[uuid.UUID][]pay.DatedRate{}, map[[2]string][]datedDetermination{}}
	var dated []struct {
		Employment uuid.UUID `db:"employment_id"`
		StartsOn   when.Date `db:"starts_on"`
		Amount     string
	}
	if err := q.SelectContext(ctx, &dated,
		`select employment_id, starts_on, amount::text from rate where $1::uuid[] is null or employment_id = any($1)
		order by employment_id, starts_on`, UUIDs(employments)); err != nil {
		return r, fmt.Errorf("read rates: %w", err)
	}
	for _, d := range dated {
		rate, err := pay.ParseRate(d.Amount)
		if err != nil {
			return r, fmt.Errorf("rate %s: %w", d.Amount, err)
		}
		r.dated[d.Employment] = append(r.dated[d.Employment], pay.DatedRate{From: d.StartsOn, Rate: rate})
	}
	var wages []struct {
		Job   string    `db:"job_id"`
		Class string    `db:"class_id"`
		Base  string    `db:"base_rate"`
		Cash  string    `db:"fringe_cash"`
		Plan  string    `db:"fringe_plan"`
		From  when.Date `db:"starts_on"`
	}
	if err := q.SelectContext(ctx, &wages, `
		select job_id, class_id, base_rate::text, fringe_cash::text, fringe_plan::text, starts_on from job_wage
		order by job_id, class_id, starts_on`); err != nil {
		return r, fmt.Errorf("read wage determinations: %w", err)
	}
	for _, w := range wages {
		var d Determination
		for _, part := range []struct {
			text string
			into *pay.Rate
		}{{w.Base, &d.Base}, {w.Cash, &d.Cash}, {w.Plan, &d.Plan}} {
			rate, err := pay.ParseRate(part.text)
			if err != nil {
				return r, fmt.Errorf("wage %s: %w", part.text, err)
			}
			*part.into = rate
		}
		key := [2]string{w.Job, w.Class}
		r.wages[key] = append(r.wages[key], datedDetermination{w.From, d})
	}
	return r, nil
}

// Dated is a value of an employment from a date on; an empty one takes what was
// set from that very date away.
type Dated struct {
	Employment uuid.UUID
	From       when.Date
	Value      string
}

// PutRates sets rates.
func PutRates(ctx context.Context, q Q, rates ...Dated) error {
	return putDated(ctx, q, "rate", []string{"amount"}, rates, func(value string) []any { return []any{value} })
}

func putDated(ctx context.Context, q Q, table string, kept []string, values []Dated, of func(value string) []any) error {
	var put []Dated
	var gone UUIDs
	var from []when.Date
	for _, v := range values {
		if v.Value == "" {
			gone, from = append(gone, v.Employment), append(from, v.From)
			continue
		}
		put = append(put, v)
	}
	if len(gone) > 0 {
		if _, err := q.ExecContext(ctx, `delete from `+table+` t using unnest($1::uuid[], $2::date[]) x(employment_id, starts_on)
			where t.employment_id = x.employment_id and t.starts_on = x.starts_on`, gone, dates(from)); err != nil {
			return err
		}
	}
	columns := append([]string{"employment_id", "starts_on"}, kept...)
	return insertRows(ctx, q, table, columns, replacing("employment_id, starts_on", columns), len(put), func(i int) []any {
		return append([]any{put[i].Employment, put[i].From.String()}, of(put[i].Value)...)
	})
}
