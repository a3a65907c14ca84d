package pay

import (
	"cmp"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"

	"manudex/core/when"
)

// Explained is a result that says where each of its lines came from.
type Explained struct {
	Result
	Why     []Explanation // of Lines, one each
	WhyPlan []Explanation // of Plan, one each
	WhyKept []Explanation // of Kept, one each
	Rates   []RateOrigin  // of Weeks, one each
}

// Explanation says where a line came from: in words, and for hours beyond a
// threshold, which one, when it was crossed and which hours counted towards
// it.
type Explanation struct {
	Text    string
	Because []Cause
}

// Cause is a rule that raised some of a line's hours.
type Cause struct {
	Rule    string // parameter of the rule set
	After   int64  // its threshold, seconds
	Source  string
	Class   Class
	Seconds int64     // of the line's hours
	Crossed time.Time // the instant from which hours lie beyond the threshold
	Counted []Counted // hours that counted towards it, before that instant
}

// Counted is hours worked: of one stint, with the workday it began on, or,
// where there are many and over a week, all of a workday.
type Counted struct {
	Date    when.Date
	Stint   string
	Seconds int64
}

// RateOrigin says how a week's regular rate came about: the sum of its terms
// over the hours worked.
type RateOrigin struct {
	Text   string
	Terms  []Term
	Worked int64 // seconds
}

// Term is one term of a regular rate. Amount is exact to six decimals. Over
// is what it is divided by, in seconds.
type Term struct {
	What    string
	Seconds int64
	Rate    Rate // 0 for a sum
	Amount  string
	Over    int64
}

// Explain works out one person's pay as [Reckoner.Reckon] does, and says
// where every line came from.
func (r *Reckoner) Explain(in Input) (Explained, error) {
	w, err := r.work(in)
	if err != nil {
		return Explained{}, err
	}
	e := explainer{working: &w, civil: r.calendars.of(&w.input.Rules), causes: map[causeKey]Cause{}, extras: map[when.Date][]Extra{}}
	for _, x := range w.input.Extras {
		if first := e.civil.rules.FirstDay(x.WeekOf); x.InRegularRate && x.Over == (when.Period{}) {
			e.extras[first] = append(e.extras[first], x)
		}
	}
	e.findCrossings()
	out := Explained{Result: w.Result}
	e.rates = make([]RateOrigin, len(w.weeks))
	weeksOf(w.pieces, func(week []piece) {
		i, _ := findWeek(w.weeks, week[0].week)
		e.rates[i] = e.rate(&w.weeks[i], week)
	})
	out.Rates = e.rates
	for _, l := range w.Lines {
		out.Why = append(out.Why, e.line(l))
	}
	for _, l := range w.Plan {
		out.WhyPlan = append(out.WhyPlan, e.line(l))
	}
	for _, l := range w.Kept {
		out.WhyKept = append(out.WhyKept, e.line(l))
	}
	return out, nil
}

type explainer struct {
	*working
	civil  *civil
	causes map[causeKey]Cause
	rates  []RateOrigin
	extras map[when.Date][]Extra // those in the regular rate, by week
}

// causeKey names one crossing of a threshold: the rule and the day, week or
// run it was counted over.
type causeKey struct {
	because Reason
	run     int32
}

// reasons says of every reason which parameter it is, where that stands, and
// over what it is counted.
var reasons = [...]struct {
	rule, source, over string
	class              Class
	run                func(*piece) int32
	after              func(*Rules) int64
}{
	ByDay: {"daily_overtime_after", "rules.md §3", "the workday", Overtime, byDay, func(r *Rules) int64 {
		return r.DailyOvertime
	}},
	ByDayDouble: {"daily_double_after", "rules.md §3", "the workday", Double, byDay, func(r *Rules) int64 { return r.DailyDouble }},
	BySeventhDay: {"seventh_day", "rules.md §3; California Labor Code 510", "the seventh workday", Overtime, byDay, func(*Rules) int64 {
		return 0
	}},
	BySeventhDayDouble: {"seventh_day.overtime_hours", "rules.md §3; California Labor Code 510", "the seventh workday", Double,
		byDay, func(r *Rules) int64 {
			return r.SeventhDay
		}},
	ByConsecutive: {"consecutive_overtime_after", "rules.md §3; 7 CCR 1103-1 rule 4.1.1 (Colorado)", "hours without a gap other than meals",
		Overtime, byRun, func(r *Rules) int64 {
			return r.ConsecutiveOvertime
		}},
	ByWeek: {"weekly_overtime_after", "rules.md §3; 29 CFR 778.101", "the workweek", Overtime, byWeek, func(r *Rules) int64 {
		return r.overtimeAfter()
	}},
	ByWeekDouble: {"weekly_double_after", "rules.md §3", "the workweek", Double, byWeek, func(r *Rules) int64 { return r.WeeklyDouble }},
}

// findCrossings finds, for every rule and the stretch it is counted over, the
// first hours beyond its threshold and the hours before them that counted.
func (e *explainer) findCrossings() {
	for i := range e.pieces {
		p := &e.pieces[i]
		if p.because == NoReason {
			continue
		}
		key := causeKey{p.because, reasons[p.because].run(p)}
		if _, found := e.causes[key]; !found {
			e.causes[key] = e.crossing(key, i)
		}
	}
}

// most is how many stints a cause names one by one.
const most = 24

func (e *explainer) crossing(key causeKey, at int) Cause {
	why := reasons[key.because]
	c := Cause{Rule: why.rule, After: why.after(e.civil.rules), Source: why.source, Class: why.class, Crossed: e.at(e.pieces[at].from)}
	if key.because == ByWeek && e.civil.rules.Period.Days > 0 {
		c.Rule, c.Source = "overtime_period", "rules.md §3; 29 CFR 778.601"
	}
	byStint := key.because != ByWeek && key.because != ByWeekDouble
	first := at
	for first > 0 && why.run(&e.pieces[first-1]) == key.run {
		first--
	}
	for _, p := range e.pieces[first:at] {
		if p.paidOnly || key.because == ByWeek && p.class != Regular {
			continue
		}
		n := len(c.Counted)
		name := e.Stints[p.stint].ID
		if n > 0 && (byStint && c.Counted[n-1].Stint == name || !byStint && c.Counted[n-1].Date == p.day) {
			c.Counted[n-1].Seconds += p.seconds
			continue
		}
		counted := Counted{Date: p.day, Seconds: p.seconds}
		if byStint {
			counted.Stint = name
		}
		c.Counted = append(c.Counted, counted)
	}
	if byStint && len(c.Counted) > most {
		c.Counted = byDate(c.Counted)
	}
	return c
}

func byDate(counted []Counted) []Counted {
	var out []Counted
	for _, c := range counted {
		if n := len(out); n > 0 && out[n-1].Date == c.Date {
			out[n-1].Seconds += c.Seconds
			continue
		}
		out = append(out, Counted{Date: c.Date, Seconds: c.Seconds})
	}
	return out
}

func (e *explainer) at(unix int64) time.Time { return time.Unix(unix, 0).In(e.civil.rules.Week.Loc) }

// rate explains the regular rate of a week, term by term.
func (e *explainer) rate(s *weekSum, week []piece) RateOrigin {
	o := RateOrigin{Worked: s.Worked}
	if s.Worked == 0 {
		return o
	}
	t := terms{index: map[string]int{}}
	for _, p := range week {
		if !p.paidOnly {
			e.pieceTerms(&t, p)
		}
	}
	for _, x := range e.extras[s.Start] {
		over := s.Worked
		if x.FlatSum && e.civil.rules.FlatSumOverRegular && s.Regular > 0 {
			over = s.Regular
		}
		t.sum(name(x.PayCode, "extra"), x.Amount, over)
	}
	if salary := e.input.salaryOf(s.Start); salary != nil && salary.By == AllHours {
		t.sum(name(salary.PayCode, "salary"), salary.weekly(), s.Worked)
	}
	o.Terms = t.list(s.Worked)
	parts := make([]string, len(o.Terms))
	for i, term := range o.Terms {
		parts[i] = term.String(s.Worked)
	}
	o.Text = fmt.Sprintf("Regular rate of the %s from %s: (%s) ÷ %s = %s (29 CFR 778.109).", e.weekName(), day(s.Start),
		strings.Join(parts, " + "), hms(s.Worked), s.RegularRate.Decimals(4))
	if s.flat != 0 {
		o.Text = fmt.Sprintf("Regular rate of the %s from %s: %s; what has no divisor of its own is divided by the %s worked = %s.",
			e.weekName(), day(s.Start), strings.Join(parts, " + "), hms(s.Worked), s.RegularRate.Decimals(4))
	}
	return o
}

func (e *explainer) weekName() string {
	if e.civil.rules.Period.Days > 0 {
		return "overtime period"
	}
	return "workweek"
}

// pieceTerms adds what a piece puts into the regular rate; see
// [working.addPay].
func (e *explainer) pieceTerms(t *terms, p piece) {
	s := &e.Stints[p.stint]
	t.hours("straight pay", p.seconds, s.Rate.fine())
	t.hours("stint premium", p.seconds, s.PremiumPerHour.fine())
	for n := range e.civil.rules.Differentials {
		d := &e.civil.rules.Differentials[n]
		t.hours("differential "+d.Name, e.civil.inWindow(n, p.from, p.to()), d.hourly(s.Rate))
	}
	if h := e.civil.rules.holiday(p.day); h != nil && !h.Creditable() {
		t.hours("holiday "+h.Date.String(), p.seconds, s.Rate.times(h.Multiple.over()))
	}
}

// terms gathers terms that are alike.
type terms struct {
	all   []exactTerm
	index map[string]int
}

type exactTerm struct {
	Term
	hourly fine
	sum    Rate
}

func (t *terms) hours(what string, seconds int64, hourly fine) {
	if seconds == 0 || hourly == 0 && what != "straight pay" {
		return
	}
	key := fmt.Sprint(what, "@", int64(hourly))
	i, found := t.index[key]
	if !found {
		i = len(t.all)
		t.index[key] = i
		t.all = append(t.all, exactTerm{Term: Term{What: what, Rate: hourly.rate()}, hourly: hourly})
	}
	t.all[i].Seconds += seconds
}

func (t *terms) sum(what string, amount Rate, over int64) {
	t.all = append(t.all, exactTerm{Term: Term{What: what, Over: over}, sum: amount})
}

// list gives the terms, the largest first where there are too many to name.
func (t *terms) list(worked int64) []Term {
	out := make([]Term, 0, len(t.all))
	for _, x := range t.all {
		if x.Over == 0 {
			x.Over = worked
		}
		x.Amount = x.sum.String()
		if x.sum == 0 {
			var pay wide
			pay.add(x.Seconds, x.hourly)
			x.Amount = Rate(roundQuotient(pay.set(new(big.Int)), big.NewInt(perHour), new(big.Int))).String()
		}
		out = append(out, x.Term)
	}
	if len(out) <= most {
		return out
	}
	slices.SortStableFunc(out, func(a, b Term) int { return cmp.Compare(b.Seconds, a.Seconds) })
	return append(out[:most], Term{What: fmt.Sprintf("and %d more terms", len(out)-most), Over: worked, Amount: "…"})
}

func (t Term) String(worked int64) string {
	text := t.What + " " + t.Amount
	if t.Seconds > 0 {
		text = fmt.Sprintf("%s %s at %s = %s", t.What, hms(t.Seconds), t.Rate, t.Amount)
	}
	if t.Over != worked {
		text += " ÷ " + hms(t.Over) + " regular hours"
	}
	return text
}

// line explains a line.
func (e *explainer) line(l Line) Explanation {
	var x Explanation
	switch l.Kind {
	case Straight, OvertimePremium, DoublePremium:
		x.Because = e.because(l)
	}
	x.Text = e.text(l, x.Because)
	return x
}

// because lists the rules that raised the hours of a line.
func (e *explainer) because(l Line) []Cause {
	var causes []Cause
	var keys []causeKey
	for i := l.from; i < l.to; i++ {
		p := &e.pieces[i]
		if p.because == NoReason {
			continue
		}
		key := causeKey{p.because, reasons[p.because].run(p)}
		n := slices.Index(keys, key)
		if n < 0 {
			n = len(keys)
			keys, causes = append(keys, key), append(causes, e.causes[key])
		}
		causes[n].Seconds += p.seconds
	}
	if l.spread { // of the premium's hours only a part is on this line
		weights := make([]int64, len(causes))
		for i, c := range causes {
			weights[i] = c.Seconds
		}
		for i, n := range Apportion(l.Seconds, weights) {
			causes[i].Seconds = n
		}
	}
	return causes
}

func (e *explainer) text(l Line, causes []Cause) string {
	var b strings.Builder
	switch l.Kind {
	case Straight:
		if l.inSalary {
			fmt.Fprintf(&b, "%s, paid by the salary.", hms(l.Seconds))
		} else {
			fmt.Fprintf(&b, "%s at %s = %s.", hms(l.Seconds), l.Rate, e.money(l.Amount))
		}
		e.clocked(&b, l)
		if len(causes) == 0 {
			b.WriteString(" Regular: no threshold was crossed.")
		}
	case PaidNotWorked:
		if l.why != byOverride {
			e.unworkedText(&b, l)
			break
		}
		fmt.Fprintf(&b, "%s at %s = %s. Paid, and not hours worked: it counts towards no threshold and is not in the regular rate "+
			"(rules.md §2; 29 CFR 778.320).", hms(l.Seconds), l.Rate, e.money(l.Amount))
	case OvertimePremium:
		e.premiumText(&b, l, e.civil.rules.OvertimeMultiple)
	case DoublePremium:
		e.premiumText(&b, l, e.civil.rules.DoubleMultiple)
	case DifferentialPay:
		e.differentialText(&b, l)
	case HolidayPremium:
		e.holidayText(&b, l)
	case Fringe:
		fmt.Fprintf(&b, "Fringe of %s on every hour worked, %s = %s; outside the regular rate (rules.md §4; 29 CFR 5.32).", l.Rate,
			hms(l.Seconds), e.money(l.Amount))
	case CalloutPay:
		fmt.Fprintf(&b, "A call-out pays at least %s (minimum_callout_hours): %s were missing, or came before the next attendance "+
			"began; at the last stint's rate %s = %s. Not hours worked and not in the regular rate (rules.md §2; 29 CFR 778.220).",
			hms(e.civil.rules.MinimumCallout), hms(l.Seconds), l.Rate, e.money(l.Amount))
	case MealPay:
		e.mealText(&b, l)
	case LeavePay:
		e.leaveText(&b, l)
	case Banked:
		fmt.Fprintf(&b, "Banked as time off in the place of pay: %s are credited as %s × %s (bank_overtime; 29 CFR 553.20).",
			hms(l.Seconds),
			hms(l.Seconds), l.Rate)
	case ExtraPay:
		e.extraText(&b, l)
	case BonusPremium:
		e.bonusText(&b, l)
	case SalaryPay:
		b.WriteString(e.input.Salaries[l.from].text(e.money(l.Amount)))
	case Deducted:
		fmt.Fprintf(&b, "%s: %s kept from the pay, after gross. It changes neither hours nor a rate.", name(l.PayCode, "A deduction"),
			e.money(l.Amount))
	}
	for _, c := range causes {
		e.causeText(&b, c)
	}
	if l.spread {
		fmt.Fprintf(&b, " A part of the premium: it falls on all work of the %s, by hours (premium_job week_hours).", e.weekName())
	}
	if l.Kind == OvertimePremium || l.Kind == DoublePremium {
		if i, found := findWeek(e.weeks, l.Week); found && !e.civil.rules.RateInEffect {
			b.WriteString(" " + e.rates[i].Text)
		}
	}
	if name := e.civil.rules.Name; name != "" {
		fmt.Fprintf(&b, " Rule set: %s.", name)
	}
	return b.String()
}

// leaveText tells at which rate leave is paid, and where that comes from.
func (e *explainer) leaveText(b *strings.Builder, l Line) {
	in := e.input.Leave[l.from]
	fmt.Fprintf(b, "Leave of %s at ", hms(l.Seconds))
	switch {
	case in.By == AtRegularRate && l.Rate != in.Rate:
		fmt.Fprintf(b, "the regular rate of its week, %s", l.Rate)
	case in.By == AtPaidWeeks && in.PaidSeconds > 0:
		fmt.Fprintf(b, "the average of %d paid weeks, %s over %s = %s", in.PaidWeeks, e.money(in.Paid), hms(in.PaidSeconds), l.Rate)
	default:
		b.WriteString(l.Rate.String())
	}
	fmt.Fprintf(b, " = %s. Not hours worked and not in the regular rate (rules.md §4; 29 CFR 778.218).", e.money(l.Amount))
}

// unworkedText tells why somebody is paid who came and was let go, or whose plan was changed.
func (e *explainer) unworkedText(b *strings.Builder, l Line) {
	if l.why == forShowUp {
		s := e.civil.rules.ShowUp
		fmt.Fprintf(b, "Came to a planned shift and worked less than %s of it: paid up to that part", s.Part.short())
		if s.Least > 0 {
			fmt.Fprintf(b, ", at least %s", hms(s.Least))
		}
		if s.Most != NotInForce {
			fmt.Fprintf(b, ", at most %s", hms(s.Most))
		}
		fmt.Fprintf(b, " (show_up): %s were missing; at the last stint's rate %s = %s. Not hours worked and not in the regular rate "+
			"(rules.md §2; 29 CFR 778.220).", hms(l.Seconds), l.Rate, e.money(l.Amount))
		return
	}
	rule, c := e.civil.rules.ShortNotice, e.input.Changes[l.from]
	fmt.Fprintf(b, "The plan was changed and told on %s, less than %d days before: ", moment(e.at(c.Told.Unix())), rule.Days)
	if lost := c.Was.Seconds - c.Is.Seconds; lost > 0 {
		fmt.Fprintf(b, "%s of %s that were lost", rule.Lost.short(), hms(lost))
	} else {
		b.WriteString("no hours were lost")
	}
	fmt.Fprintf(b, " (short_notice): %s at %s = %s. Not hours worked and not in the regular rate (rules.md §2; 29 CFR 778.222).",
		hms(l.Seconds), l.Rate, e.money(l.Amount))
}

// clocked tells what rounding and an automatic meal made of a stint.
func (e *explainer) clocked(b *strings.Builder, l Line) {
	s := &e.Stints[l.Stint]
	if every := e.civil.rules.Rounding.Every; every > 0 {
		what := "edges"
		if e.civil.rules.Rounding.WholeDay {
			what = "the day's hours"
		}
		fmt.Fprintf(b, " Clocked %s to %s; %s rounded to %d minutes (29 CFR 785.48).", moment(e.at(s.Start.Unix())),
			moment(e.at(s.End.Unix())), what, every/60)
	}
	if i, found := slices.BinarySearchFunc(e.Meals, l.Stint, func(m Meal, stint int) int { return cmp.Compare(m.Stint, stint) }); found {
		m := e.Meals[i]
		fmt.Fprintf(b, " An automatic meal of %s is taken out of the stint at %s (automatic_meal, rules.md §2).",
			hms(m.Seconds), moment(e.at(m.At.Unix())))
	}
}

func (e *explainer) premiumText(b *strings.Builder, l Line, multiple Rate) {
	over := Rate(multiple - rateScale)
	rule, source := "regular_rate", "29 CFR 778.107"
	if e.civil.rules.RateInEffect {
		rule, source = "rate_in_effect", "29 CFR 778.419"
	}
	fmt.Fprintf(b, "%s × (%s − 1) × the premium rate = %s, by overtime_rate %s (%s).", hms(l.Seconds), multiple.short(),
		e.money(l.Amount), rule, source)
	week := &e.weeks[0]
	if i, found := findWeek(e.weeks, l.Week); found {
		week = &e.weeks[i]
	}
	if e.civil.rules.RateInEffect {
		t := terms{index: map[string]int{}}
		for _, p := range e.pieces[l.from:l.to] {
			e.pieceTerms(&t, p)
		}
		var parts []string
		for _, term := range t.list(l.Seconds) {
			parts = append(parts, term.String(l.Seconds))
		}
		fmt.Fprintf(b, " In effect: %s.", strings.Join(parts, " + "))
		if week.extras != 0 {
			fmt.Fprintf(b, " Extras add %s ÷ %s for every hour worked.", week.extras, hms(week.Worked))
		}
	}
	if week.flat != 0 {
		fmt.Fprintf(b, " On the flat sum %s ÷ %s regular hours the full %s is due, not %s (flat_sum_over regular_hours).", week.flat,
			hms(week.Regular), multiple.short(), over.short())
	}
}

func (e *explainer) causeText(b *strings.Builder, c Cause) {
	class := "Overtime"
	if c.Class == Double {
		class = "Double time"
	}
	counted := make([]string, 0, len(c.Counted))
	for _, n := range c.Counted {
		label := day(n.Date)
		if n.Stint != "" {
			label = n.Stint
		}
		counted = append(counted, label+" "+hms(n.Seconds))
	}
	fmt.Fprintf(b, " %s by %s %s (%s): crossed at %s", class, c.Rule, hms(c.After), c.Source, moment(c.Crossed))
	if len(counted) > 0 {
		fmt.Fprintf(b, " after %s", strings.Join(counted, ", "))
	}
	fmt.Fprintf(b, "; %s of this line lie beyond.", hms(c.Seconds))
	if e.civil.rules.GreaterOf && (c.Rule == "weekly_overtime_after" || c.Rule == "overtime_period") {
		b.WriteString(" The week's excess is larger than the daily overtime, so it alone counts (combine greater_of).")
	}
}

func (e *explainer) differentialText(b *strings.Builder, l Line) {
	for _, d := range e.civil.rules.Differentials {
		if l.PayCode == d.Name && l.Rate == d.hourly(e.Stints[l.Stint].Rate).rate() {
			fmt.Fprintf(b, "Differential %s: %s between %s and %s local time, at %s = %s; in the regular rate (rules.md §4; 29 "+
				"CFR 778.207).",
				d.Name, hms(l.Seconds), when.TimeOfDay(d.From), when.TimeOfDay(d.To), l.Rate, e.money(l.Amount))
			return
		}
	}
	fmt.Fprintf(b, "The stint's own premium: %s at %s = %s; in the regular rate (rules.md §4; 29 CFR 778.207).",
		hms(l.Seconds), l.Rate, e.money(l.Amount))
}

func (e *explainer) holidayText(b *strings.Builder, l Line) {
	h := e.civil.rules.holiday(l.Date)
	fmt.Fprintf(b, "Holiday %s: %s × (%s − 1) × the stint's rate = %s.",
		day(l.Date), hms(l.Seconds), h.Multiple.short(), e.money(l.Amount))
	if h.Creditable() {
		b.WriteString(" At one and a half times or more it is outside the regular rate, and of it and the overtime premium on the same " +
			"hours only the larger is paid (rules.md §4; 29 CFR 778.203).")
		return
	}
	b.WriteString(" Below one and a half times it is in the regular rate, and overtime comes on top (rules.md §4; 29 CFR 778.203).")
}

func (e *explainer) mealText(b *strings.Builder, l Line) {
	m := e.missed[l.from]
	which, before := "first", e.civil.rules.MealPremium.First
	if m.second {
		which, before = "second", e.civil.rules.MealPremium.Second
	}
	fmt.Fprintf(b, "%s were worked on %s; the %s meal, of at least %s, had to begin by %s, before %s of work, and did not: one hour at "+
		"the regular rate %s = %s (meal_premium; California Labor Code 226.7, 512).",
		hms(m.worked), day(m.day), which, hms(e.civil.rules.MealPremium.Length), moment(e.at(m.due)), hms(before),
		l.Rate.Decimals(4), e.money(l.Amount))
}

func (e *explainer) extraText(b *strings.Builder, l Line) {
	fmt.Fprintf(b, "%s of %s, as given.", name(l.PayCode, "A sum"), e.money(l.Amount))
	x := e.input.Extras[l.from]
	if x.InRegularRate && x.Over != (when.Period{}) {
		fmt.Fprintf(b, " It was earned from %s to %s, and is in the regular rates of those weeks by hours worked; what their overtime is "+
			"owed for it stands on lines of its own (rules.md §4; 29 CFR 778.209).", day(x.Over.From), day(x.Over.To))
		return
	}
	if x.InRegularRate {
		b.WriteString(" It is in the regular rate of its week (rules.md §4; 29 CFR 778.208).")
		return
	}
	b.WriteString(" It is not in the regular rate (rules.md §4; 29 CFR 778.211, 778.217).")
}

// bonusText tells what a sum earned over several weeks adds to the overtime of one.
func (e *explainer) bonusText(b *strings.Builder, l Line) {
	o := e.bonuses[l.from]
	x, multiple := e.input.Extras[o.extra], e.civil.rules.OvertimeMultiple
	if l.Class == Double {
		multiple = e.civil.rules.DoubleMultiple
	}
	fmt.Fprintf(b, "%s of %s was earned from %s to %s. By hours worked %s of it belong to the %s from %s: ÷ %s = %s an hour",
		name(x.PayCode, "A sum"), x.Amount, day(x.Over.From), day(x.Over.To), o.share, e.weekName(), day(l.Week), hms(o.over),
		Rate(ratio{int64(o.share), 3600, 1, o.over}.scaled(1)).Decimals(4))
	if x.FlatSum && e.civil.rules.FlatSumOverRegular {
		fmt.Fprintf(b, "; on %s of %s the full %s of it", hms(l.Seconds), l.Class, multiple.short())
	} else {
		fmt.Fprintf(b, "; × (%s − 1) on %s of %s", multiple.short(), hms(l.Seconds), l.Class)
	}
	fmt.Fprintf(b, " = %s (rules.md §4; 29 CFR 778.209).", e.money(l.Amount))
}

func (e *explainer) money(a Amount) string { return a.Decimal(e.civil.rules.CurrencyDecimals) }

func name(code, otherwise string) string {
	if code == "" {
		return otherwise
	}
	return code
}

// short writes a multiplier without needless decimals.
func (r Rate) short() string {
	return strings.TrimSuffix(strings.TrimRight(fixed(int64(r), rateDecimals), "0"), ".")
}

// hms writes a length as h:mm, with seconds where it has any.
func hms(seconds int64) string {
	s := fmt.Sprintf("%d:%02d", seconds/3600, seconds/60%60)
	if seconds%60 != 0 {
		s += fmt.Sprintf(":%02d", seconds%60)
	}
	return s
}

func day(d when.Date) string { return d.Format("Mon 2006-01-02") }

func moment(t time.Time) string { return t.Format("Mon 2006-01-02 15:04:05 MST") }
