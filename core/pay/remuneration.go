package pay

import (
	"cmp"
	"math/big"
	"slices"

	"manudex/core/when"
)

// weekSum is what a workweek's regular rate is made of (29 CFR 778.109): all
// remuneration in it over all hours worked. The two terms are kept apart as
// exact fractions, in ten-thousandths of a [Rate] × seconds per hour over
// seconds.
type weekSum struct {
	Week
	pay    wide // Σ seconds × hourly pay of hours worked, differentials and the like included
	extras Rate // extras in the regular rate
	flat   Rate // flat sums spread over the regular hours alone
}

// remunerate adds up the weeks, those that have leave or extras and no work
// among them.
func remunerate(w *working, c *civil) []weekSum {
	var sums []weekSum
	for i, p := range w.pieces {
		if n := len(sums); n == 0 || sums[n-1].Start != p.week {
			sums = append(sums, weekSum{Week: Week{Start: p.week}})
		}
		if p.paidOnly {
			continue
		}
		s := &sums[len(sums)-1]
		addHours(&s.Worked, [...]*int64{&s.Regular, &s.Overtime, &s.Double}, p)
		w.addPay(&s.pay, i, c)
	}
	for _, l := range w.input.Leave {
		sums, _ = withWeek(sums, c.rules.FirstDay(l.Date))
	}
	for _, ch := range w.input.Changes {
		if c.rules.ShortNotice.due(ch, c.rules.Week.Loc) > 0 {
			sums, _ = withWeek(sums, c.rules.FirstDay(ch.Date))
		}
	}
	for i := range w.attendances {
		if a := &w.attendances[i]; a.callout || a.planned > 0 {
			week, _, _ := c.week(a.begin)
			sums, _ = withWeek(sums, week)
		}
	}
	for _, s := range w.input.Salaries {
		if !s.elsewhere {
			sums, _ = withWeek(sums, c.rules.FirstDay(s.Days.To))
		}
	}
	for _, d := range w.input.Deductions {
		sums, _ = withWeek(sums, c.rules.FirstDay(d.Date))
	}
	for _, e := range w.input.Extras {
		var i int
		sums, i = withWeek(sums, c.rules.FirstDay(e.WeekOf))
		switch s := &sums[i]; {
		case !e.InRegularRate, e.Over != when.Period{}:
		case e.FlatSum && c.rules.FlatSumOverRegular && s.Regular > 0:
			s.flat += e.Amount
		default:
			s.extras += e.Amount
		}
	}
	var f fractions
	for i := range sums {
		w.addSalary(&sums[i])
		if s := &sums[i]; s.Worked > 0 {
			s.RegularRate = f.regularRate(s).hourly()
		}
	}
	return sums
}

// addPay adds a piece's own pay as far as it is in the regular rate: its
// rate, its differentials, and a holiday premium too small to be creditable
// (29 CFR 778.203, 778.207).
func (w *working) addPay(sum *wide, i int, c *civil) {
	p := &w.pieces[i]
	s := &w.Stints[p.stint]
	sum.add(p.seconds, (s.Rate + s.PremiumPerHour).fine())
	for n := range c.rules.Differentials {
		if in := w.inside[i*len(c.windows)+n]; in > 0 {
			sum.add(in, c.rules.Differentials[n].hourly(s.Rate))
		}
	}
	if len(c.rules.Holidays) > 0 {
		if h := c.rules.holiday(p.day); h != nil && !h.Creditable() {
			sum.add(p.seconds, s.Rate.times(h.Multiple.over()))
		}
	}
}

// hourly gives what the differential adds to an hour at a rate.
func (d *Differential) hourly(r Rate) fine { return d.PerHour.fine() + r.times(d.Percent) }

func findWeek(sums []weekSum, first when.Date) (int, bool) {
	return slices.BinarySearchFunc(sums, first, func(w weekSum, d when.Date) int { return cmp.Compare(w.Start, d) })
}

// withWeek makes sure that a week is among the sums and gives its place.
func withWeek(sums []weekSum, first when.Date) ([]weekSum, int) {
	i, found := findWeek(sums, first)
	if !found {
		sums = slices.Insert(sums, i, weekSum{Week: Week{Start: first}})
	}
	return sums, i
}

// fractions works out exact fractions, using its integers again and again.
type fractions struct{ num, den, term, factor, rest big.Int }

const perHour = 3600 * fineScale

// regularRate makes f the regular rate of a week with work, as money per hour
// in ten-thousandths of a [Rate].
func (f *fractions) regularRate(s *weekSum) *fractions {
	f.remuneration(s)
	f.den.SetInt64(s.Worked)
	f.addFlat(s, 1, 1)
	return f
}

// remuneration makes the numerator what the week's hours worked earned, flat
// sums over regular hours apart.
func (f *fractions) remuneration(s *weekSum) {
	s.pay.set(&f.num)
	f.num.Add(&f.num, f.product(int64(s.extras), perHour))
}

// addFlat adds factor × the flat sum per regular hour × seconds.
func (f *fractions) addFlat(s *weekSum, seconds, factor int64) {
	if s.flat == 0 {
		return
	}
	// a/b + c/d = (a×d + c×b) / (b×d)
	regular := new(big.Int).SetInt64(s.Regular)
	flat := new(big.Int).Mul(f.product(int64(s.flat), perHour), big.NewInt(seconds))
	flat.Mul(flat, big.NewInt(factor))
	f.num.Add(f.num.Mul(&f.num, regular), flat.Mul(flat, &f.den))
	f.den.Mul(&f.den, regular)
}

func (f *fractions) product(a, b int64) *big.Int {
	return f.term.Mul(f.term.SetInt64(a), f.factor.SetInt64(b))
}

// minor rounds the fraction, a sum, to minor units.
func (f *fractions) minor(decimals int) Amount {
	f.num.Mul(&f.num, f.factor.SetInt64(pow10(decimals)))
	return Amount(roundQuotient(&f.num, f.den.Mul(&f.den, f.factor.SetInt64(rateScale*fineScale)), &f.rest))
}

// hourly rounds the fraction, money per hour, to four decimals.
func (f *fractions) hourly() Rate {
	const four = rateScale / 10_000
	return Rate(roundQuotient(&f.num, f.den.Mul(&f.den, f.factor.SetInt64(four*fineScale)), &f.rest)) * four
}
