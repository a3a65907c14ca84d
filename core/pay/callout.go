package pay

// callouts pays what is missing from each call-out to the minimum: at the
// last stint's rate, up to the next attendance, on the last workday of the
// call-out. It is not hours worked and not in the regular rate (29 CFR
// 778.220).
func (m *lineMaker) callouts() {
	least := m.civil.rules.MinimumCallout
	if least == 0 {
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
		a := &m.attendances[n]
		if !a.callout {
			continue
		}
		missing := least - paid
		if n+1 < len(m.attendances) {
			missing = min(missing, m.attendances[n+1].begin-a.end)
		}
		if missing <= 0 {
			continue
		}
		var l Line
		if next > first {
			l = m.line(next-1, next, CalloutPay)
		} else { // nothing of it is paid: it was all a break, or rounded away
			week, _, _ := m.civil.week(a.begin)
			stint := int(a.last - 1)
			l = Line{Date: m.civil.workdays.Day(a.begin), Week: week, Stint: stint, Kind: CalloutPay, PayCode: m.Stints[stint].PayCode}
		}
		l.from = int32(first)
		m.add(l, missing, m.Stints[l.Stint].Rate.fine())
	}
}
