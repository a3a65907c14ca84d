package pay

import (
	"cmp"
	"slices"

	"manudex/core/when"
)

// weekSum is what a workweek's regular rate is made of (29 CFR 778.109):
// remuneration in millionths × seconds per hour, over hours worked. Keeping
// the 3600 in the numerator keeps the rate an exact fraction.
type weekSum struct {
	Week
	straight int64 // Σ seconds × rate of hours worked
	extras   Rate  // extras in the regular rate
	from     int   // first piece of the week
}

// price makes the lines. Straight pay is every paid second at its stint's
// rate; the premium on overtime is always a line of its own.
func price(pieces []piece, stints []Stint, in Input) ([]Week, []Line) {
	sums := sumWeeks(pieces, stints, in)
	lines := make([]Line, 0, len(pieces)+len(pieces)/4+len(in.Leave)+len(in.Extras))
	dec := in.Rules.CurrencyDecimals
	scale := pow10(dec)
	w := 0
	for _, p := range pieces {
		s := &stints[p.stint]
		line := Line{Date: p.day, Week: p.week, Stint: p.stint, Kind: Straight, Class: p.class, PayCode: s.PayCode, Seconds: p.seconds, Rate: s.Rate}
		line.Amount = Amount(ratio{p.seconds, int64(s.Rate), 1, 3600 * rateScale}.scaled(scale))
		if !p.worked {
			line.Kind = PaidNotWorked
		}
		lines = append(lines, line)
		if p.class == Overtime && in.Rules.OvertimeMultiple > rateScale {
			for sums[w].Start != p.week {
				w++
			}
			lines = append(lines, premium(p, s, &sums[w], in.Rules, scale))
		}
	}
	for _, l := range in.Leave {
		lines = append(lines, Line{Date: l.Date, Week: in.Rules.Week.FirstDay(l.Date), Stint: -1, Kind: LeavePay, PayCode: l.PayCode, Seconds: l.Seconds, Rate: l.Rate,
			Amount: Amount(ratio{l.Seconds, int64(l.Rate), 1, 3600 * rateScale}.scaled(scale))})
	}
	for _, e := range in.Extras {
		lines = append(lines, Line{Date: e.WeekOf, Week: in.Rules.Week.FirstDay(e.WeekOf), Stint: -1, Kind: ExtraPay, PayCode: e.PayCode, Amount: e.Amount.Minor(dec)})
	}
	if len(in.Leave)+len(in.Extras) > 0 {
		slices.SortStableFunc(lines, lineOrder)
	}
	return total(sums, lines), lines
}

// premium is (multiplier − 1) × the premium rate on an overtime piece. The
// rate stays a fraction until the line is rounded.
func premium(p piece, s *Stint, w *weekSum, rules Rules, scale int64) Line {
	more := int64(rules.OvertimeMultiple-rateScale) / 100 // ten-thousandths
	numerator := w.straight
	if rules.RateInEffect {
		numerator = int64(s.Rate) * w.Worked
	}
	numerator += int64(w.extras) * 3600
	return Line{Date: p.day, Week: p.week, Stint: p.stint, Kind: OvertimePremium, Class: Overtime, PayCode: s.PayCode, Seconds: p.seconds,
		Rate:   Rate(ratio{more, 1, numerator, w.Worked * 10_000}.scaled(1)),
		Amount: Amount(ratio{p.seconds, more, numerator, w.Worked * 3600 * (rateScale / scale) * 10_000}.scaled(1))}
}

func sumWeeks(pieces []piece, stints []Stint, in Input) []weekSum {
	var sums []weekSum
	for i, p := range pieces {
		if n := len(sums); n == 0 || sums[n-1].Start != p.week {
			sums = append(sums, weekSum{Week: Week{Start: p.week}, from: i})
		}
		if !p.worked {
			continue
		}
		w := &sums[len(sums)-1]
		addHours(&w.Worked, &w.Regular, &w.Overtime, p)
		w.straight += p.seconds * int64(stints[p.stint].Rate)
	}
	for _, l := range in.Leave {
		sums = withWeek(sums, in.Rules.Week.FirstDay(l.Date))
	}
	for _, e := range in.Extras {
		first := in.Rules.Week.FirstDay(e.WeekOf)
		sums = withWeek(sums, first)
		if e.InRegularRate {
			i, _ := findWeek(sums, first)
			sums[i].extras += e.Amount
		}
	}
	for i := range sums {
		if w := &sums[i]; w.Worked > 0 {
			w.RegularRate = Rate(ratio{1, 1, w.straight + int64(w.extras)*3600, w.Worked}.scaled(1))
		}
	}
	return sums
}

func findWeek(sums []weekSum, first when.Date) (int, bool) {
	return slices.BinarySearchFunc(sums, first, func(w weekSum, d when.Date) int { return cmp.Compare(w.Start, d) })
}

// withWeek makes sure a week that has pay and no work is among the sums.
func withWeek(sums []weekSum, first when.Date) []weekSum {
	i, found := findWeek(sums, first)
	if found {
		return sums
	}
	return slices.Insert(sums, i, weekSum{Week: Week{Start: first}})
}

func total(sums []weekSum, lines []Line) []Week {
	weeks := make([]Week, len(sums))
	for i, w := range sums {
		weeks[i] = w.Week
	}
	i := 0
	for _, l := range lines {
		for i < len(weeks) && weeks[i].Start < l.Week {
			i++
		}
		weeks[i].Gross += l.Amount
	}
	return weeks
}

// lineOrder sorts lines by week and date; within a date, work comes in its
// own order before leave and extras, and those by what they are.
func lineOrder(a, b Line) int {
	rank := func(l Line) int {
		switch l.Kind {
		case LeavePay:
			return 1
		case ExtraPay:
			return 2
		}
		return 0
	}
	if c := cmp.Or(cmp.Compare(a.Week, b.Week), cmp.Compare(a.Date, b.Date), cmp.Compare(rank(a), rank(b))); c != 0 || rank(a) == 0 {
		return c
	}
	return cmp.Or(cmp.Compare(a.PayCode, b.PayCode), cmp.Compare(a.Seconds, b.Seconds), cmp.Compare(a.Rate, b.Rate), cmp.Compare(a.Amount, b.Amount))
}
