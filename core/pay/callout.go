package pay

// minimums pays what is missing to the least that an attendance pays: of a call-out, and of a
// planned shift. Neither is hours worked, nor in the regular rate (29 CFR 778.220).
func (m *lineMaker) minimums() {
	rules := m.civil.rules
	if rules.MinimumCallout == 0 && rules.ShowUp.Part == 0 {
		return
	}
	next := 0 // first piece not yet looked at
	for n := range m.attendances {
		var paid int64
		first := next
		for next < len(m.pieces) && int(m.pieces[next].attendance) == n {
			paid += m.pieces[next].seconds
			next++
		}
		callout := m.callout(n, first, next, paid)
		if missing := rules.ShowUp.due(m.attendances[n].planned, paid) - paid - callout; missing > 0 {
			l := m.unworked(n, first, next, PaidNotWorked)
			l.from, l.to, l.why = 0, 0, forShowUp
			m.add(l, missing, m.Stints[l.Stint].Rate.fine())
		}
	}
}

// callout pays what is missing from a call-out to the minimum: at the last stint's rate, up
// to the next attendance, on the last workday of the call-out. It gives its seconds.
func (m *lineMaker) callout(n, first, next int, paid int64) int64 {
	a := &m.attendances[n]
	if !a.callout {
		return 0
	}
	missing := m.civil.rules.MinimumCallout - paid
	if n+1 < len(m.attendances) {
		missing = min(missing, m.attendances[n+1].begin-a.end)
	}
	if missing <= 0 {
		return 0
	}
	l := m.unworked(n, first, next, CalloutPay)
	m.add(l, missing, m.Stints[l.Stint].Rate.fine())
	return missing
}

// unworked begins a line for what an attendance of pieces[first:next] is paid without work.
func (m *lineMaker) unworked(n, first, next int, kind LineKind) Line {
	if next > first {
		l := m.line(next-1, next, kind)
		l.from = int32(first)
		return l
	}
	a := &m.attendances[n] // nothing of it is paid: it was all a break, or rounded away
	week, _, _ := m.civil.week(a.begin)
	stint := int(a.last - 1)
	return Line{Date: m.civil.workdays.Day(a.begin), Week: week, Stint: stint, Kind: kind, PayCode: m.Stints[stint].PayCode,
		from: int32(first)}
}

// shortNotices pays for changes of the plan that came late. They are no hours worked, and not
// in the regular rate (29 CFR 778.222).
func (m *lineMaker) shortNotices() {
	for i, c := range m.input.Changes {
		m.add(Line{Date: c.Date, Week: m.civil.rules.FirstDay(c.Date), Stint: -1, Kind: PaidNotWorked, PayCode: c.PayCode, from: int32(i),
			to: int32(i), why: forShortNotice}, m.civil.rules.ShortNotice.due(c, m.civil.rules.Week.Loc), c.Rate.fine())
	}
}
