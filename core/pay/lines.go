package pay

import (
	"cmp"
	"slices"

	"manudex/core/when"
)

// lines makes the pay lines, and those that go into a plan. Straight pay is
// every paid second at its stint's rate, a line for each stint, workday and
// class; the premium on overtime and double time is always a line of its own.
func lines(w *working, c *civil) (pay, plan []Line) {
	m := lineMaker{working: w, civil: c, decimals: c.rules.CurrencyDecimals}
	room := len(w.pieces) + len(w.input.Leave) + len(w.input.Extras) + len(w.input.Changes) + len(w.missed)
	for i := range w.pieces {
		room += min(1, int(w.pieces[i].class))
	}
	for _, in := range w.inside {
		room += int(min(1, in))
	}
	m.lines = make([]Line, 0, room)
	for i := 0; i < len(w.pieces); {
		p := w.pieces[i]
		j := i + 1
		for j < len(w.pieces) && w.pieces[j].stint == p.stint && w.pieces[j].day == p.day && w.pieces[j].week == p.week {
			j++
		}
		m.stintOnDay(i, j)
		i = j
	}
	if m.withoutWork() {
		slices.SortStableFunc(m.lines, lineOrder)
	}
	return m.lines, m.plan
}

type lineMaker struct {
	*working
	civil       *civil
	decimals    int
	lines, plan []Line
	week        int // index in weeks
	f, other    fractions
	shares      []workShare // of the week whose index is one less than shared
	shared      int
}

// line begins a line for pieces[i:j], which are of one stint and workday.
func (m *lineMaker) line(i, j int, kind LineKind) Line {
	p := &m.pieces[i]
	return Line{Date: p.day, Week: p.week, Stint: int(p.stint), Kind: kind, PayCode: m.Stints[p.stint].PayCode,
		from: int32(i), to: int32(j)}
}

// add adds a line of a length at an hourly sum, if it pays anything.
func (m *lineMaker) add(l Line, seconds int64, hourly fine) {
	if seconds == 0 || hourly == 0 {
		return
	}
	l.Seconds, l.Rate, l.Amount = seconds, hourly.rate(), hourly.pay(seconds, m.decimals)
	m.lines = append(m.lines, l)
}

// stintOnDay makes the lines of pieces[i:j], one stint's part in a workday.
func (m *lineMaker) stintOnDay(i, j int) {
	s := &m.Stints[m.pieces[i].stint]
	for m.weeks[m.week].Start != m.pieces[i].week {
		m.week++
	}
	if m.pieces[i].paidOnly {
		m.straight(i, j, s, PaidNotWorked)
		return
	}
	var worked, onHoliday int64
	holiday := m.civil.rules.holiday(m.pieces[i].day)
	for from := i; from < j; {
		to := from + 1
		for to < j && m.pieces[to].class == m.pieces[from].class && m.pieces[to].salaried == m.pieces[from].salaried {
			to++
		}
		if seconds, banked := m.bank(from, to); banked {
			worked += seconds
			from = to
			continue
		}
		seconds := m.straight(from, to, s, Straight)
		worked += seconds
		if m.premium(from, to, s, holiday) {
			onHoliday += seconds
		}
		from = to
	}
	m.dress(i, j, s, worked)
	if holiday != nil {
		m.add(m.line(i, j, HolidayPremium), onHoliday, s.Rate.times(holiday.Multiple.over()))
	}
}

// bank adds what of pieces[i:j], which are of one class, is banked in the place of being paid.
func (m *lineMaker) bank(i, j int) (seconds int64, banked bool) {
	p := &m.pieces[i]
	if !m.banked(p) {
		return 0, false
	}
	l := m.line(i, j, Banked)
	l.Class, l.Rate = p.class, m.civil.rules.Bank.credit(p.class)
	for _, p := range m.pieces[i:j] {
		l.Seconds += p.seconds
	}
	m.lines = append(m.lines, l)
	return l.Seconds, true
}

// banked says whether a piece is banked.
func (m *lineMaker) banked(p *piece) bool {
	return m.civil.rules.Bank.credit(p.class) != 0 &&
		slices.ContainsFunc(m.input.Banks, func(days when.Period) bool { return days.From <= p.day && p.day <= days.To })
}

// leave adds a line of paid absence.
func (m *lineMaker) leave(index int) {
	l := m.input.Leave[index]
	line := Line{Date: l.Date, from: int32(index), Week: m.civil.rules.FirstDay(l.Date), Stint: -1, Kind: LeavePay, PayCode: l.PayCode,
		Seconds: l.Seconds, Rate: l.Rate, Amount: l.Rate.pay(l.Seconds, m.decimals)}
	i, found := findWeek(m.weeks, line.Week)
	switch {
	case l.By == AtRegularRate && found && m.weeks[i].Worked > 0:
		f := m.f.regularRate(&m.weeks[i])
		m.other.num.Mul(&f.num, m.other.factor.SetInt64(l.Seconds))
		m.other.den.Mul(&f.den, m.other.factor.SetInt64(3600))
		line.Amount, line.Rate = m.other.minor(m.decimals), f.hourly()
	case l.By == AtPaidWeeks && l.PaidSeconds > 0:
		line.Amount = Amount(ratio{l.Seconds, int64(l.Paid), 1, l.PaidSeconds}.scaled(1))
		const four = rateScale / 10_000
		line.Rate = Rate(ratio{int64(l.Paid), 3600, 1, l.PaidSeconds * pow10(m.decimals)}.scaled(10_000)) * four
	}
	m.lines = append(m.lines, line)
}

// straight adds the line of pieces[i:j], which are of one class, and gives
// its seconds.
func (m *lineMaker) straight(i, j int, s *Stint, kind LineKind) int64 {
	l := m.line(i, j, kind)
	l.Class, l.inSalary = m.pieces[i].class, m.pieces[i].salaried
	if !l.inSalary {
		l.Rate = s.Rate
	}
	for _, p := range m.pieces[i:j] {
		l.Seconds += p.seconds
	}
	l.Amount = l.Rate.pay(l.Seconds, m.decimals)
	m.lines = append(m.lines, l)
	return l.Seconds
}

// dress adds what is paid on top of every hour of pieces[i:j]: differentials,
// the stint's own premium, and fringe.
func (m *lineMaker) dress(i, j int, s *Stint, worked int64) {
	for n := range m.civil.rules.Differentials {
		d := &m.civil.rules.Differentials[n]
		var in int64
		for k := i; k < j; k++ {
			in += m.inside[k*len(m.civil.windows)+n]
		}
		l := m.line(i, j, DifferentialPay)
		l.PayCode = d.Name
		m.add(l, in, d.hourly(s.Rate))
	}
	m.add(m.line(i, j, DifferentialPay), worked, s.PremiumPerHour.fine())
	m.add(m.line(i, j, Fringe), worked, s.FringeCash.fine())
	if s.FringePlan > 0 {
		l := m.line(i, j, Fringe)
		l.Seconds, l.Rate, l.Amount = worked, s.FringePlan, s.FringePlan.pay(worked, m.decimals)
		m.plan = append(m.plan, l)
	}
}

// premium adds the overtime or double premium of pieces[i:j], which are of
// one class. Of it and a creditable holiday premium on the same hours only
// the larger is paid (29 CFR 778.203); byHoliday says that the holiday's is
// due on them.
func (m *lineMaker) premium(i, j int, s *Stint, holiday *Holiday) (byHoliday bool) {
	class, kind, multiple := m.pieces[i].class, OvertimePremium, m.civil.rules.OvertimeMultiple
	if class == Double {
		kind, multiple = DoublePremium, m.civil.rules.DoubleMultiple
	}
	var seconds int64
	for _, p := range m.pieces[i:j] {
		seconds += p.seconds
	}
	if class != Regular {
		m.premiumPay(i, j, seconds, multiple)
	}
	if holiday != nil {
		if class == Regular || !holiday.Creditable() {
			byHoliday = true
		} else { // the holiday's premium is seconds × rate × over, over a denominator of 1
			due := m.other.num.Mul(m.other.product(seconds, int64(s.Rate.times(holiday.Multiple.over()))), &m.f.den)
			if due.Cmp(&m.f.num) >= 0 {
				return true
			}
		}
	}
	if class == Regular || m.f.num.Sign() == 0 {
		return byHoliday
	}
	l := m.line(i, j, kind)
	l.Class, l.Seconds = class, seconds
	m.other.num.Set(&m.f.num)
	m.other.den.Mul(&m.f.den, m.other.factor.SetInt64(3600))
	l.Amount = m.other.minor(m.decimals)
	m.f.den.Mul(&m.f.den, m.f.factor.SetInt64(seconds))
	l.Rate = m.f.hourly()
	m.premiumLines(l)
	return byHoliday
}

// premiumPay makes m.f the premium on pieces[i:j], in seconds × money per
// hour: (multiple − 1) × the premium rate, and the full multiple of a flat
// sum that was spread over regular hours.
func (m *lineMaker) premiumPay(i, j int, seconds int64, multiple Rate) {
	sum, f := &m.weeks[m.week], &m.f
	if m.civil.rules.RateInEffect {
		var own wide
		for k := i; k < j; k++ {
			m.addPay(&own, k, m.civil)
		}
		own.set(&f.num)
		f.num.Mul(&f.num, f.factor.SetInt64(sum.Worked))
		f.num.Add(&f.num, m.other.num.Mul(f.product(int64(sum.extras), perHour), f.factor.SetInt64(seconds)))
	} else {
		f.remuneration(sum)
		f.num.Mul(&f.num, f.factor.SetInt64(seconds))
	}
	f.num.Mul(&f.num, f.factor.SetInt64(multiple.over()))
	f.den.SetInt64(sum.Worked)
	f.addFlat(sum, seconds, int64(multiple)/(rateScale/fineScale))
	f.den.Mul(&f.den, f.factor.SetInt64(fineScale))
}

// withoutWork adds what is paid and not worked, and says whether there was
// any.
func (m *lineMaker) withoutWork() bool {
	worked := len(m.lines)
	m.minimums()
	m.shortNotices()
	m.mealPremiums()
	for i := range m.input.Leave {
		m.leave(i)
	}
	for i, e := range m.input.Extras {
		m.lines = append(m.lines,
			Line{Date: e.WeekOf, from: int32(i), Week: m.civil.rules.FirstDay(e.WeekOf), Stint: -1, Kind: ExtraPay, PayCode: e.PayCode,
				Amount: e.Amount.Minor(m.decimals)})
	}
	m.bonusPremiums()
	m.salaries()
	for i, d := range m.input.Deductions {
		m.Kept = append(m.Kept, Line{Date: d.Date, from: int32(i), Week: m.civil.rules.FirstDay(d.Date), Stint: -1, Kind: Deducted,
			PayCode: d.PayCode, Amount: d.Amount.Minor(m.decimals)})
	}
	return len(m.lines) > worked
}

// lineOrder sorts lines by week and date; within a date, work comes in its
// own order before what is paid without work, and that by what it is.
func lineOrder(a, b Line) int {
	rank := func(l Line) int {
		return max(0, slices.Index([]LineKind{CalloutPay, MealPay, LeavePay, ExtraPay, BonusPremium, SalaryPay}, l.Kind)+1)
	}
	if c := cmp.Or(cmp.Compare(a.Week, b.Week), cmp.Compare(a.Date, b.Date), cmp.Compare(rank(a), rank(b))); c != 0 || rank(a) == 0 {
		return c
	}
	return cmp.Or(cmp.Compare(a.Stint, b.Stint), cmp.Compare(a.PayCode, b.PayCode), cmp.Compare(a.Seconds, b.Seconds),
		cmp.Compare(a.Rate, b.Rate), cmp.Compare(a.Amount, b.Amount), cmp.Compare(a.Class, b.Class))
}
