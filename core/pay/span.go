package pay

import (
	"math/big"

	"manudex/core/when"
)

// bonusPremium is what is owed on the overtime of a week for a sum that was earned over several
// weeks (29 CFR 778.209): the sum is spread over them by hours worked, and each week's part
// raises what its overtime is paid.
type bonusPremium struct {
	extra   int
	week    int   // of weeks
	class   Class // Overtime or Double
	share   Rate  // its week's part of the sum, rounded for show
	over    int64 // hours of the week that it's divided by, in seconds
	seconds int64
}

// bonusPremiums adds a line for each week and class of such a sum.
func (m *lineMaker) bonusPremiums() {
	for i, e := range m.input.Extras {
		if !e.InRegularRate || e.Over == (when.Period{}) {
			continue
		}
		regularOnly := e.FlatSum && m.civil.rules.FlatSumOverRegular
		within, all := m.spread(e.Over, regularOnly)
		if all == 0 {
			continue
		}
		for w, part := range within {
			if part > 0 {
				m.bonusPremium(i, w, part, all, regularOnly)
			}
		}
	}
}

// spread gives how many hours of each week lie in a span, and of all: worked, or regular alone.
func (m *lineMaker) spread(span when.Period, regularOnly bool) (within []int64, all int64) {
	within = make([]int64, len(m.weeks))
	at := 0
	for _, p := range m.pieces {
		for m.weeks[at].Start != p.week {
			at++
		}
		if p.paidOnly || p.day < span.From || p.day > span.To || regularOnly && p.class != Regular {
			continue
		}
		within[at] += p.seconds
		all += p.seconds
	}
	return within, all
}

// bonusPremium adds the lines of one week: sum × part ÷ all ÷ hours of the week × what its overtime
// is paid on top. Spread over regular hours alone the full multiple is due on it.
func (m *lineMaker) bonusPremium(extra, week int, part, all int64, regularOnly bool) {
	e, sum := &m.input.Extras[extra], &m.weeks[week]
	over := sum.Worked
	if regularOnly {
		over = sum.Regular
	}
	rules := m.civil.rules
	for _, class := range []Class{Overtime, Double} {
		multiple := rules.OvertimeMultiple
		if class == Double {
			multiple = rules.DoubleMultiple
		}
		seconds := m.paidIn(sum.Start, class)
		if seconds == 0 {
			continue
		}
		factor := multiple.over()
		if regularOnly {
			factor = int64(multiple) / (rateScale / fineScale)
		}
		last := sum.Start + rules.WeekDays() - 1
		l := Line{Date: last, Week: sum.Start, Stint: -1, Kind: BonusPremium, Class: class, PayCode: e.PayCode, Seconds: seconds,
			from: int32(len(m.bonuses))}
		f := &m.f // sum × part × factor ÷ (all × over), per hour in ten-thousandths of a [Rate]
		f.num.Mul(f.product(int64(e.Amount), part), f.factor.SetInt64(factor))
		f.num.Mul(&f.num, f.factor.SetInt64(3600))
		f.den.Mul(f.den.SetInt64(all), f.factor.SetInt64(over))
		m.other.num.Mul(&f.num, m.other.factor.SetInt64(seconds))
		m.other.den.Mul(&f.den, m.other.factor.SetInt64(3600))
		l.Amount, l.Rate = m.other.minor(m.decimals), f.hourly()
		if l.Amount == 0 {
			continue
		}
		share := new(big.Int).Mul(big.NewInt(int64(e.Amount)), big.NewInt(part))
		m.bonuses = append(m.bonuses, bonusPremium{extra: extra, week: week, class: class, over: over, seconds: seconds,
			share: Rate(roundQuotient(share, big.NewInt(all), new(big.Int)))})
		m.lines = append(m.lines, l)
	}
}

// paidIn gives the hours of a class in a week that are paid, and not banked.
func (m *lineMaker) paidIn(week when.Date, class Class) (seconds int64) {
	for i := range m.pieces {
		if p := &m.pieces[i]; p.week == week && p.class == class && !p.paidOnly && !m.banked(p) {
			seconds += p.seconds
		}
	}
	return seconds
}
