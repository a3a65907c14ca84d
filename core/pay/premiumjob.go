package pay

import "slices"

// workShare is how much of a week was worked on one job, task and classification.
type workShare struct {
	stint   int // one that is on it
	seconds int64
}

// premiumLines adds the line of a premium, on the work of its own hours; or, where the rules have it
// so, one for all work of the week, in parts by hours worked. The parts of its hours and of its amount come to
// both exactly; what is left over after rounding goes to the largest remainders.
func (m *lineMaker) premiumLines(l Line) {
	if !m.civil.rules.PremiumOverWeek {
		m.lines = append(m.lines, l)
		return
	}
	shares := m.sharesOf(m.week)
	weights := make([]int64, len(shares))
	for i, s := range shares {
		weights[i] = s.seconds
	}
	seconds, amounts := Apportion(l.Seconds, weights), Apportion(int64(l.Amount), weights)
	for i, s := range shares {
		if seconds[i] == 0 && amounts[i] == 0 {
			continue
		}
		part := l
		part.Stint, part.PayCode, part.spread = s.stint, m.Stints[s.stint].PayCode, true
		part.Seconds, part.Amount = seconds[i], Amount(amounts[i])
		m.lines = append(m.lines, part)
	}
}

// sharesOf gives what was worked on in a week, in order of time.
func (m *lineMaker) sharesOf(week int) []workShare {
	if m.shared == week+1 {
		return m.shares
	}
	m.shares, m.shared = m.shares[:0], week+1
	for _, p := range m.pieces {
		if p.week != m.weeks[week].Start || p.paidOnly {
			continue
		}
		s := &m.Stints[p.stint]
		i := slices.IndexFunc(m.shares, func(w workShare) bool {
			o := &m.Stints[w.stint]
			return o.Job == s.Job && o.Task == s.Task && o.WorkClass == s.WorkClass && o.Account == s.Account
		})
		if i < 0 {
			i = len(m.shares)
			m.shares = append(m.shares, workShare{stint: int(p.stint)})
		}
		m.shares[i].seconds += p.seconds
	}
	return m.shares
}

// Apportion cuts a whole number into parts by weights, which are not below zero, so that the parts
// come to it: each is rounded towards zero, and what is left goes by one to those that lost most,
// the first of them where they lost the same. Without any weight the first part is all of it.
func Apportion(whole int64, weights []int64) []int64 {
	parts := make([]int64, len(weights))
	var all int64
	for _, w := range weights {
		all += w
	}
	if len(parts) == 0 {
		return parts
	}
	if all == 0 {
		parts[0] = whole
		return parts
	}
	type lost struct {
		at   int
		rest uint64
	}
	rests := make([]lost, len(weights))
	left := whole
	for i, w := range weights {
		q, rest := mulDiv(abs(whole), uint64(w), uint64(all))
		parts[i], rests[i] = int64(q), lost{i, rest}
		if whole < 0 {
			parts[i] = -parts[i]
		}
		left -= parts[i]
	}
	slices.SortStableFunc(rests, func(a, b lost) int {
		switch {
		case a.rest > b.rest:
			return -1
		case a.rest < b.rest:
			return 1
		}
		return 0
	})
	for i := 0; left != 0; i++ {
		one := int64(1)
		if left < 0 {
			one = -1
		}
		parts[rests[i].at] += one
		left -= one
	}
	return parts
}
