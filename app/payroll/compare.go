package payroll

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/card"
	"manudex/store"
)

// Compared is somebody's pay against that of another run.
type Compared struct {
	Was     string // gross, "" for not in it
	Percent int    // by how much it differs, 0 where it wasn't in it
	Why     string // what differs, "" for nothing that stands out
}

// compare puts beside each row what another run paid, with what differs by more than some percent and
// why: hours, what is paid for one, sums besides, pay codes.
func (p *RunPage) compare(ctx context.Context, q store.Q, against store.Run, over, decimals int) error {
	sums, err := store.SumRun(ctx, q, against.ID)
	if err != nil {
		return err
	}
	was := map[uuid.UUID]store.RunSums{}
	for _, s := range sums {
		was[s.Employment] = s
	}
	p.Against, p.Over = &against, over
	for i := range p.Rows {
		r := &p.Rows[i]
		before, is := was[r.Employment]
		now := r.sums()
		if !is {
			if !now.Gross.IsZero() {
				r.Compared = &Compared{Why: "not in run " + fmt.Sprint(against.Number)}
			}
			continue
		}
		c := &Compared{Was: before.Gross.StringFixed(int32(decimals)), Percent: percent(before.Gross, now.Gross)}
		if abs(c.Percent) > over {
			c.Why = whyDiffers(before, now, over, decimals)
			r.Compared = c
		}
	}
	return nil
}

// sums are a row's as those of a closed run.
func (r PayRow) sums() store.RunSums {
	of := func(s string) decimal.Decimal {
		d, err := decimal.NewFromString(s)
		if err != nil {
			return decimal.Zero // "" for nothing
		}
		return d
	}
	return store.RunSums{Employment: r.Employment, Regular: r.Regular, Overtime: r.Overtime, Double: r.Double, Leave: r.Leave,
		Gross: of(r.Gross), Holiday: of(r.Beside[Holiday]), Added: of(r.Beside[Differential]), Extra: of(r.Beside[Extra]),
		Expense: of(r.Beside[Expense]), Fringe: of(r.Beside[Fringe]), Codes: r.Codes}
}

// whyDiffers says what makes somebody's pay differ.
func whyDiffers(was, is store.RunSums, over, decimals int) string {
	var why []string
	hours := func(s store.RunSums) int64 { return s.Regular + s.Overtime + s.Double + s.Leave }
	if p := percent(decimal.NewFromInt(hours(was)), decimal.NewFromInt(hours(is))); abs(p) > over {
		why = append(why, fmt.Sprintf("hours %s → %s", card.HoursMinutes(hours(was)), card.HoursMinutes(hours(is))))
	}
	anHour := func(s store.RunSums) decimal.Decimal {
		if hours(s) == 0 {
			return decimal.Zero
		}
		return s.Gross.Sub(s.Extra).Sub(s.Expense).Mul(decimal.NewFromInt(3600)).Div(decimal.NewFromInt(hours(s)))
	}
	if a, b := anHour(was), anHour(is); !a.IsZero() && !b.IsZero() && abs(percent(a, b)) >= 2 {
		why = append(why, fmt.Sprintf("an hour %s → %s", a.StringFixed(2), b.StringFixed(2)))
	}
	for _, sum := range []struct {
		name    string
		was, is decimal.Decimal
	}{{"holidays", was.Holiday, is.Holiday}, {"differentials", was.Added, is.Added}, {"extras", was.Extra, is.Extra},
		{"expenses", was.Expense, is.Expense}, {"fringe", was.Fringe, is.Fringe}} {
		if !sum.was.Equal(sum.is) {
			why = append(why, fmt.Sprintf("%s %s → %s", sum.name, sum.was.StringFixed(int32(decimals)),
				sum.is.StringFixed(int32(decimals))))
		}
	}
	for _, code := range is.Codes {
		if !slices.Contains(was.Codes, code) {
			why = append(why, "new code "+code)
		}
	}
	return strings.Join(why, "; ")
}

// percent gives by how much a sum differs from what it was, rounded.
func percent(was, is decimal.Decimal) int {
	if was.IsZero() {
		if is.IsZero() {
			return 0
		}
		return 100
	}
	return int(is.Sub(was).Mul(decimal.NewFromInt(100)).Div(was.Abs()).Round(0).IntPart())
}

func abs(n int) int {
	if n < 0 {
		return -n
	}
	return n
}
