package pay

import (
	"slices"
	"time"

	"manudex/core/when"
)

// DatedRules hold from a day on, on which a workweek by them begins.
type DatedRules struct {
	From  when.Date
	Rules Rules
}

// InForce gives the index of the set of a week by its first day: the last that began by then, or
// the first of all.
func InForce(sets []DatedRules, week when.Date) int {
	index := 0
	for i, s := range sets {
		if s.From <= week {
			index = i
		}
	}
	return index
}

// SharedWeek is a workweek by old rules and the first by new, where days lie in both.
type SharedWeek struct {
	Old, New when.Date   // their first days
	Days     when.Period // in both
	was, is  int         // of the sets
}

// SharedWeeks lists where a workweek by new rules begins within one by the old.
func SharedWeeks(sets []DatedRules) []SharedWeek {
	var shared []SharedWeek
	for i := 1; i < len(sets); i++ {
		from := sets[i].From
		was := InForce(sets, from-1)
		old := sets[was].Rules
		if first := old.FirstDay(from); was != i && first < from {
			shared = append(shared, SharedWeek{Old: first, New: from, Days: when.Period{From: from, To: first + old.WeekDays() - 1},
				was: was, is: i})
		}
	}
	return shared
}

// ReckonDated works out one person's pay by rules that change: each week by those in force on its
// first day. Where a workweek by new rules begins within one by the old, the hours and sums of the
// days that lie in both are counted in one of the two: that in which both weeks together come to
// more (29 CFR 778.302).
func (r *Reckoner) ReckonDated(in Input, sets []DatedRules) (Result, error) {
	all, err := r.dated(in, sets, func(in Input) (Explained, error) {
		res, err := r.Reckon(in)
		return Explained{Result: res}, err
	})
	return all.Result, err
}

// ExplainDated is [Reckoner.ReckonDated] with where every line came from.
func (r *Reckoner) ExplainDated(in Input, sets []DatedRules) (Explained, error) {
	return r.dated(in, sets, r.Explain)
}

func (r *Reckoner) dated(in Input, sets []DatedRules, reckon func(Input) (Explained, error)) (Explained, error) {
	if len(sets) == 1 {
		in.Rules = sets[0].Rules
		return reckon(in)
	}
	var all Explained
	inputs := r.overlapping(in, sets)
	for i := range sets {
		if len(inputs[i].Stints) > 0 && !inputs[i].touches(sets, i) {
			continue
		}
		e, err := reckon(inputs[i])
		if err != nil {
			return all, err
		}
		all.merge(e, func(week when.Date) bool { return InForce(sets, week) == i }, sets[i].Rules)
	}
	return all, nil
}

// touches says whether anything of the input can lie in a week that a set is in force in.
func (in Input) touches(sets []DatedRules, i int) bool {
	from, to := when.Date(1<<30), when.Date(-1<<30)
	take := func(first, last when.Date) { from, to = min(from, first), max(to, last) }
	for _, s := range in.Stints {
		first := when.DateOf(s.Start, in.Rules.Week.Loc)
		take(first, first+when.Date(s.End.Sub(s.Start)/(24*time.Hour))+1)
	}
	for _, l := range in.Leave {
		take(l.Date, l.Date)
	}
	for _, e := range in.Extras {
		take(e.WeekOf, e.WeekOf)
	}
	for _, c := range in.Changes {
		take(c.Date, c.Date)
	}
	for _, s := range in.Salaries {
		take(s.Days.To, s.Days.To)
	}
	for _, d := range in.Deductions {
		take(d.Date, d.Date)
	}
	const longest = 400 // days of a workweek or an overtime period, and some
	return (i == 0 || sets[i].From <= to) && (i+1 == len(sets) || from-longest < sets[i+1].From)
}

// merge adds what lies in some weeks of a result by a set of rules.
func (all *Explained) merge(e Explained, mine func(week when.Date) bool, rules Rules) {
	offset := len(all.Stints)
	all.Stints = append(all.Stints, e.Stints...)
	lines := func(into *[]Line, why *[]Explanation, lines []Line, whys []Explanation) (sum Amount) {
		for n, l := range lines {
			if !mine(l.Week) {
				continue
			}
			if l.Stint >= 0 {
				l.Stint += offset
			}
			*into, sum = append(*into, l), sum+l.Amount
			if len(whys) > 0 {
				*why = append(*why, whys[n])
			}
		}
		return sum
	}
	all.Gross += lines(&all.Lines, &all.Why, e.Lines, e.Why)
	all.PlanContributions += lines(&all.Plan, &all.WhyPlan, e.Plan, e.WhyPlan)
	lines(&all.Kept, &all.WhyKept, e.Kept, e.WhyKept)
	for n, w := range e.Weeks {
		if mine(w.Start) {
			all.Weeks, all.Worked = append(all.Weeks, w), all.Worked+w.Worked
			if len(e.Rates) > 0 {
				all.Rates = append(all.Rates, e.Rates[n])
			}
		}
	}
	for _, d := range e.Days {
		if mine(rules.FirstDay(d.Date)) {
			all.Days = append(all.Days, d)
		}
	}
	for _, m := range e.Meals {
		if mine(rules.FirstDay(when.DateOf(m.At, rules.Week.Loc))) {
			m.Stint += offset
			all.Meals = append(all.Meals, m)
		}
	}
}

// overlapping gives the input of each set: all of it, but for what lies in a week of two sets,
// which is one's alone.
func (r *Reckoner) overlapping(in Input, sets []DatedRules) []Input {
	inputs := make([]Input, len(sets))
	for i := range inputs {
		inputs[i] = in
		inputs[i].Rules = sets[i].Rules
	}
	for _, w := range SharedWeeks(sets) {
		old, new := &inputs[w.was], &inputs[w.is]
		begin := r.calendars.of(&new.Rules).weeks.Begin(w.New)
		end := r.calendars.of(&old.Rules).weeks.Begin(w.Days.To + 1)
		// Once all that is shared is counted in the old week, and once in the new.
		newWithout := new.without(begin, end, w.Days)
		oldWithout := old.without(begin, 1<<62, when.Period{From: w.New, To: 1 << 30})
		if r.gross(*old, w.Old)+r.gross(newWithout, w.New) >= r.gross(oldWithout, w.Old)+r.gross(*new, w.New) {
			*new = newWithout
		} else {
			*old = oldWithout
		}
	}
	return inputs
}

// without gives the input without the hours between two instants, in Unix seconds, and without
// what is dated on some days.
func (in Input) without(begin, end int64, days when.Period) Input {
	dated := func(d when.Date) bool { return days.From <= d && d <= days.To }
	stints := in.Stints
	in.Stints = make([]Stint, 0, len(stints))
	for _, s := range stints {
		from, to := s.Start.Unix(), s.End.Unix()
		if head := s; from < begin {
			head.End = time.Unix(min(to, begin), 0).In(s.End.Location())
			in.Stints = append(in.Stints, head)
		}
		if tail := s; to > end {
			tail.Start = time.Unix(max(from, end), 0).In(s.Start.Location())
			in.Stints = append(in.Stints, tail)
		}
	}
	in.Leave = slices.DeleteFunc(slices.Clone(in.Leave), func(l Leave) bool { return dated(l.Date) })
	in.Extras = slices.DeleteFunc(slices.Clone(in.Extras), func(e Extra) bool { return dated(e.WeekOf) })
	in.Changes = slices.DeleteFunc(slices.Clone(in.Changes), func(c Change) bool { return dated(c.Date) })
	in.Deductions = slices.DeleteFunc(slices.Clone(in.Deductions), func(d Deduction) bool { return dated(d.Date) })
	in.Salaries = slices.Clone(in.Salaries)
	for i := range in.Salaries {
		in.Salaries[i].elsewhere = in.Salaries[i].elsewhere || dated(in.Salaries[i].Days.To)
	}
	return in
}

// gross gives what a week comes to.
func (r *Reckoner) gross(in Input, week when.Date) Amount {
	res, err := r.Reckon(in)
	if err != nil {
		return 0 // it's refused where it counts
	}
	for _, w := range res.Weeks {
		if w.Start == week {
			return w.Gross
		}
	}
	return 0
}
